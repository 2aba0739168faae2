//! Selection masks: whether a condition holds for each row of a block, computed on columns as they are stored.
//!
//! Only conditions that cannot fail have one: they may be evaluated for rows that an earlier condition left out.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

use crate::expression::eval::{Indexed, Prepared};
use crate::expression::selection_vector::count_of;
use crate::expression::vector::Values;
use crate::storage::column::Physicals;
use crate::storage::row_id::Rows;
use crate::storage::small_ints::with_index;
use std::ops::Range;
use vembra_plan::decimal::power_of_ten;
use vembra_plan::{Function, Scalar, Type};

/// Whether a condition holds for each of some rows that stand together: true, and not null. None if it has no mask.
pub(super) fn mask(condition: &Prepared, rows: Range<usize>) -> Option<Vec<bool>> {
    match condition {
        Prepared::Indexed(indexed) => looked_up(indexed, rows),
        Prepared::LinkPredicate(link_predicate) => {
            Some(link_predicate.read(Rows::Range(rows.start, rows.len())))
        }
        Prepared::PredicateBitmap(predicate_bitmap) => {
            Some(predicate_bitmap.read(Rows::Range(rows.start, rows.len())))
        }
        Prepared::Changing(bits) => Some(bits.bools(rows)),
        Prepared::Call { function: Function::And, args, .. } => {
            both(args, rows, |a, b| a.iter_mut().zip(b).for_each(|(a, b)| *a &= b))
        }
        Prepared::Call { function: Function::Or, args, .. } => {
            both(args, rows, |a, b| a.iter_mut().zip(b).for_each(|(a, b)| *a |= b))
        }
        Prepared::Call { function, args, .. } => compared(*function, args, rows),
        _ => None,
    }
}

/// Whether a condition on rows of a table cannot fail.
pub(crate) fn cannot_fail(condition: &Prepared, rows: usize) -> bool {
    mask(condition, 0..rows.min(1)).is_some()
}

fn both(args: &[Prepared], rows: Range<usize>, join: impl Fn(&mut [bool], &[bool])) -> Option<Vec<bool>> {
    let [left, right] = args else { return None };
    let mut all = mask(left, rows.clone())?;
    join(&mut all, &mask(right, rows)?);
    Some(all)
}

fn looked_up(indexed: &Indexed, rows: Range<usize>) -> Option<Vec<bool>> {
    let Values::Bool(holds) = &indexed.values.values else { return None };
    if indexed.values.constant {
        return Some(vec![indexed.values.is_true(0); rows.len()]);
    }
    let holds = holds.as_slice();
    Some(with_index!(&*indexed.numbers, numbers => match indexed.values.valid.as_deref() {
        None => numbers[rows].iter().map(|n| holds[*n as usize]).collect(),
        Some(valid) => numbers[rows].iter().map(|n| holds[*n as usize] & valid[*n as usize]).collect(),
    }))
}

/// A column beside a fixed value or another column.
fn compared(function: Function, args: &[Prepared], rows: Range<usize>) -> Option<Vec<bool>> {
    let [left, right] = args else { return None };
    match (left, right) {
        (Prepared::Own(_), Prepared::Literal(value, _)) => {
            let (physicals, ty) = own(left, rows)?;
            beside_value(function, physicals, physical_as(value, ty)?)
        }
        (Prepared::Literal(value, _), Prepared::Own(_)) => {
            let (physicals, ty) = own(right, rows)?;
            beside_value(turned(function)?, physicals, physical_as(value, ty)?)
        }
        (Prepared::Own(_), Prepared::Own(_)) => {
            let ((a, first), (b, second)) = (own(left, rows.clone())?, own(right, rows)?);
            (scale(first) == scale(second)).then(|| beside_column(function, a, b))?
        }
        _ => {
            let ((a, first), (b, second)) = (physicals_of(left, rows.clone())?, physicals_of(right, rows)?);
            let mut holds = if scale(left.ty()) == scale(right.ty()) {
                hold(function, a.into_iter().zip(b))?
            } else {
                return None;
            };
            for known in [first, second].into_iter().flatten() {
                holds.iter_mut().zip(known).for_each(|(holds, known)| *holds &= known);
            }
            Some(holds)
        }
    }
}

/// Physical values, and which of them are known if not all are.
type Known = (Vec<i64>, Option<Vec<bool>>);

/// The physical values of a column, or those that rows look up.
fn physicals_of(argument: &Prepared, rows: Range<usize>) -> Option<Known> {
    match argument {
        Prepared::Own(_) => Some(match own(argument, rows)?.0 {
            Physicals::I8(v) => (v.iter().map(|physical| i64::from(*physical)).collect(), None),
            Physicals::I16(v) => (v.iter().map(|physical| i64::from(*physical)).collect(), None),
            Physicals::I32(v) => (v.iter().map(|physical| i64::from(*physical)).collect(), None),
            Physicals::I64(v) => (v.to_vec(), None),
        }),
        Prepared::Indexed(indexed) if !indexed.values.constant => {
            let Values::Int(physicals) = &indexed.values.values else { return None };
            let physicals = physicals.as_slice();
            Some(with_index!(&*indexed.numbers, numbers => {
                let numbers = &numbers[rows];
                let known = indexed.values.valid.as_deref();
                (
                    numbers.iter().map(|n| physicals[*n as usize]).collect(),
                    known.map(|known| numbers.iter().map(|n| known[*n as usize]).collect()),
                )
            }))
        }
        _ => None,
    }
}

/// The physical values of a column whose rows all have a value.
fn own(argument: &Prepared, rows: Range<usize>) -> Option<(Physicals<'_>, Type)> {
    let Prepared::Own(column) = argument else { return None };
    Some((column.physicals(rows.start, rows.len())?, column.ty()))
}

fn scale(ty: Type) -> u8 {
    if let Type::Decimal(scale) = ty { scale } else { 0 }
}

/// The physical value of a fixed value beside values of a type; none if it needs more decimals than they have.
fn physical_as(value: &Scalar, ty: Type) -> Option<i64> {
    if matches!(value.ty(), Type::Float | Type::Text | Type::Null) || ty == Type::Float {
        return None;
    }
    let more = scale(ty).checked_sub(scale(value.ty()))?;
    i64::try_from(value.physical()?.checked_mul(power_of_ten(more)?)?).ok()
}

/// The comparison with its sides changed.
fn turned(function: Function) -> Option<Function> {
    Some(match function {
        Function::Less => Function::Greater,
        Function::LessEqual => Function::GreaterEqual,
        Function::Greater => Function::Less,
        Function::GreaterEqual => Function::LessEqual,
        Function::Equal | Function::NotEqual => function,
        _ => return None,
    })
}

fn beside_value(function: Function, physicals: Physicals<'_>, value: i64) -> Option<Vec<bool>> {
    macro_rules! narrow {
        ($physicals:expr, $ty:ty) => {
            match <$ty>::try_from(value) {
                Ok(value) => hold(function, $physicals.iter().map(|physical| (*physical, value))),
                // Past the width of the column: it is on the same side of all physical values.
                Err(_) => hold(function, $physicals.iter().map(|physical| (i64::from(*physical), value))),
            }
        };
    }
    match physicals {
        Physicals::I8(v) => narrow!(v, i8),
        Physicals::I16(v) => narrow!(v, i16),
        Physicals::I32(v) => narrow!(v, i32),
        Physicals::I64(v) => hold(function, v.iter().map(|physical| (*physical, value))),
    }
}

fn beside_column(function: Function, left: Physicals<'_>, right: Physicals<'_>) -> Option<Vec<bool>> {
    macro_rules! pairs {
        ($a:expr, $b:expr) => {
            hold(function, $a.iter().zip($b).map(|(a, b)| (i64::from(*a), i64::from(*b))))
        };
    }
    macro_rules! widths {
        ($a:expr) => {
            match right {
                Physicals::I8(b) => pairs!($a, b),
                Physicals::I16(b) => pairs!($a, b),
                Physicals::I32(b) => pairs!($a, b),
                Physicals::I64(b) => pairs!($a, b),
            }
        };
    }
    match (left, right) {
        // The common one, such as two days of a row.
        (Physicals::I16(a), Physicals::I16(b)) => hold(function, a.iter().copied().zip(b.iter().copied())),
        (Physicals::I32(a), Physicals::I32(b)) => hold(function, a.iter().copied().zip(b.iter().copied())),
        (Physicals::I8(a), _) => widths!(a),
        (Physicals::I16(a), _) => widths!(a),
        (Physicals::I32(a), _) => widths!(a),
        (Physicals::I64(a), _) => widths!(a),
    }
}

fn hold<T: PartialOrd>(function: Function, pairs: impl Iterator<Item = (T, T)>) -> Option<Vec<bool>> {
    Some(match function {
        Function::Equal => pairs.map(|(a, b)| a == b).collect(),
        Function::NotEqual => pairs.map(|(a, b)| a != b).collect(),
        Function::Less => pairs.map(|(a, b)| a < b).collect(),
        Function::LessEqual => pairs.map(|(a, b)| a <= b).collect(),
        Function::Greater => pairs.map(|(a, b)| a > b).collect(),
        Function::GreaterEqual => pairs.map(|(a, b)| a >= b).collect(),
        _ => return None,
    })
}

/// The masks of the first conditions that have one, joined, and how many these are; none if the first has none, or the rows do
/// not stand together. Stops where this few rows are left that it pays to list them.
pub(super) fn of_first(conditions: &[Prepared], rows: Rows<'_>) -> Option<(Vec<bool>, usize)> {
    let Rows::Range(start, length) = rows else { return None };
    let mut all = mask(conditions.first()?, start..start + length)?;
    let mut taken = 1;
    while let Some(next) = conditions.get(taken) {
        let left = count_of(&all);
        if left * FEW_LEFT < length {
            break;
        }
        let Some(own) = mask(next, start..start + length) else { break };
        all.iter_mut().zip(&own).for_each(|(all, own)| *all &= own);
        taken += 1;
    }
    Some((all, taken))
}

/// Below one in this many rows the others are not looked at again.
const FEW_LEFT: usize = 8;

#[cfg(test)]
mod tests {
    use super::{mask, of_first};
    use crate::expression::eval::{Indexed, Prepared};
    use crate::expression::vector::Vector;
    use crate::operators::scan::selection::choose;
    use crate::storage::column::Column;
    use crate::storage::row_id::{RowId, Rows};
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::sync::Arc;
    use vembra_plan::{Function as F, Scalar, Type};

    const ORDERS: [F; 6] = [F::Equal, F::NotEqual, F::Less, F::LessEqual, F::Greater, F::GreaterEqual];
    const ROWS: usize = 40;

    /// A column of numbers or days, of whatever width, with nulls now and then.
    fn side(random: &mut Random, ty: Type) -> Prepared {
        let most = [100, 30_000, 2_000_000, 5_000_000_000][random.below(4)];
        let nulls = random.below(4) == 0;
        let values: Vec<Scalar> = (0..ROWS)
            .map(|_| match random.below(5) {
                0 if nulls => Scalar::Null,
                _ => Scalar::from_physical(ty, (random.below(7) as i128 - 3) * most / 3),
            })
            .collect();
        let column = Column::from_vector(ty, Vector::from_scalars(&values, ty), ROWS);
        match random.below(3) {
            0 => Prepared::Literal(values[0].clone(), ty),
            1 => Prepared::Own(Arc::new(column)),
            _ => Prepared::Indexed(Indexed {
                numbers: Arc::new(SmallInts::new((0..ROWS as u32).rev().collect(), ROWS)),
                values: Arc::new(column.read(Rows::Range(0, ROWS))),
                ty,
                linked: false,
            }),
        }
    }

    fn call(function: F, args: Vec<Prepared>) -> Prepared {
        let types = args.iter().map(Prepared::ty).collect();
        Prepared::Call { function, args, types, ty: Type::Boolean }
    }

    fn condition(random: &mut Random, depth: usize) -> Prepared {
        if depth > 0 && random.below(3) == 0 {
            let function = [F::And, F::Or][random.below(2)];
            return call(function, vec![condition(random, depth - 1), condition(random, depth - 1)]);
        }
        // Integers of few decimals, so that the sides have different ones.
        let types = [Type::Integer, Type::Decimal(2), Type::Decimal(3)];
        let mut one = || {
            let ty = types[random.below(3)];
            side(random, ty)
        };
        let args = vec![one(), one()];
        call(ORDERS[random.below(6)], args)
    }

    #[test]
    fn a_mask_holds_where_the_condition_does() {
        let mut random = Random(29);
        let mut with_mask = 0;
        for _ in 0..6_000 {
            let condition = condition(&mut random, 2);
            let Some(found) = mask(&condition, 5..ROWS) else { continue };
            let value = condition.eval(Rows::Range(5, ROWS - 5)).unwrap();
            let wanted: Vec<bool> = (0..ROWS - 5).map(|at| value.is_true(at)).collect();
            assert_eq!(found, wanted, "{condition:?}");
            with_mask += 1;
        }
        assert!(with_mask > 500, "{with_mask}");
    }

    #[test]
    fn several_conditions_choose_the_rows_that_each_leaves() {
        let mut random = Random(31);
        for _ in 0..1_000 {
            let conditions: Vec<Prepared> =
                (0..=random.below(3)).map(|_| condition(&mut random, 1)).collect();
            let rows = Rows::Range(3, ROWS - 3);
            let holds = |c: &Prepared, row: usize| c.eval(Rows::Range(row, 1)).unwrap().is_true(0);
            let left = |row: usize| row >= 3 && conditions.iter().all(|c| holds(c, row));
            let wanted = RowId::all(ROWS, left);
            let found = choose(&conditions, rows).unwrap();
            let found = found.unwrap_or_else(|| RowId::range(3..ROWS).collect());
            assert_eq!(found, wanted);
            if let Some((all, taken)) = of_first(&conditions, rows) {
                let by_mask: Vec<bool> =
                    (3..ROWS).map(|row| conditions[..taken].iter().all(|c| holds(c, row))).collect();
                assert_eq!(all, by_mask);
            }
        }
    }
}
