//! A condition on several linked tables as a predicate lookup table: each table gives a row a few bits, one for each of its conditions, and
//! the bits of all tables index the truth value of the whole.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

use crate::expression::eval::{Indexed, Prepared};
use crate::expression::vector::Values;
use crate::storage::row_id::Rows;
use crate::storage::small_ints::{SmallInts, with_index};
use std::sync::Arc;
use vembra_plan::Function;

/// How many conditions at most have a bit each.
const MOST: usize = 8;

/// What *and* and *or* make of conditions that rows look up, some of them by the same numbers.
#[derive(Clone, Debug)]
pub(crate) struct LinkPredicate {
    /// Per link the number of each row, and per number which of the conditions hold, a bit each.
    sides: Vec<(Arc<SmallInts>, Vec<u8>)>,
    /// Whether the whole holds, by the bits of all sides.
    holds: Vec<bool>,
}

impl LinkPredicate {
    /// A condition as bits; none where that saves nothing, or it is made of anything else.
    pub(crate) fn of(condition: &Prepared) -> Option<Self> {
        let mut leaves = Vec::new();
        leaves_of(condition, &mut leaves)?;
        let mut sides: Vec<(Arc<SmallInts>, Vec<u8>)> = Vec::new();
        let same = |a: &Arc<SmallInts>, leaf: &Indexed| Arc::ptr_eq(a, &leaf.numbers);
        for leaf in &leaves {
            if !sides.iter().any(|(known, _)| same(known, leaf)) {
                sides.push((leaf.numbers.clone(), Vec::new()));
            }
        }
        if sides.len() == leaves.len() {
            return None;
        }
        for (bit, leaf) in leaves.iter().enumerate() {
            let entries = leaf.values.len();
            for (_, side) in sides.iter_mut().filter(|(known, _)| same(known, leaf)) {
                side.resize(side.len().max(entries), 0);
                let holds = (0..entries).map(|entry| leaf.values.is_true(entry));
                side.iter_mut().zip(holds).for_each(|(bits, holds)| *bits |= u8::from(holds) << bit);
            }
        }
        let holds = (0..1_usize << leaves.len()).map(|bits| holds(condition, bits, &mut 0)).collect();
        Some(Self { sides, holds })
    }

    /// Whether the condition holds, for some rows.
    pub(crate) fn read(&self, rows: Rows<'_>) -> Vec<bool> {
        let mut bits = vec![0_u8; rows.len()];
        for (numbers, entries) in &self.sides {
            let entries = entries.as_slice();
            with_index!(&**numbers, numbers => match rows {
                Rows::Range(start, length) => {
                    let numbers = &numbers[start..start + length];
                    bits.iter_mut().zip(numbers).for_each(|(bits, n)| *bits |= entries[*n as usize]);
                }
                Rows::List(list) => bits.iter_mut().zip(list).for_each(|(bits, row)| {
                    *bits |= entries[numbers[row.index()] as usize];
                }),
            });
        }
        let holds = self.holds.as_slice();
        bits.into_iter().map(|bits| holds[usize::from(bits)]).collect()
    }
}

/// The conditions that *and* and *or* join, in their order; none if there is anything else, or there are too many.
fn leaves_of<'a>(condition: &'a Prepared, found: &mut Vec<&'a Indexed>) -> Option<()> {
    match condition {
        Prepared::Indexed(indexed) if found.len() < MOST => {
            let is_condition = matches!(indexed.values.values, Values::Bool(_)) && !indexed.values.constant;
            is_condition.then(|| found.push(indexed))
        }
        Prepared::Call { function: Function::And | Function::Or, args, .. } => {
            args.iter().try_for_each(|arg| leaves_of(arg, found))
        }
        _ => None,
    }
}

/// Whether a condition holds where those that it joins have these bits; `next` is the bit of the first of them.
fn holds(condition: &Prepared, bits: usize, next: &mut usize) -> bool {
    match condition {
        Prepared::Call { function, args, .. } => {
            // Each takes its bits, whether they matter or not.
            let each: Vec<bool> = args.iter().map(|arg| holds(arg, bits, next)).collect();
            if *function == Function::And { each.iter().all(|h| *h) } else { each.contains(&true) }
        }
        _ => {
            *next += 1;
            bits >> (*next - 1) & 1 == 1
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{LinkPredicate, MOST};
    use crate::expression::eval::{Indexed, Prepared};
    use crate::expression::vector::Vector;
    use crate::storage::row_id::{RowId, Rows};
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::sync::Arc;
    use vembra_plan::{Function, Scalar, Type};

    const ROWS: usize = 30;

    /// A condition on one of three linked tables, null now and then.
    fn leaf(random: &mut Random, links: &[Arc<SmallInts>]) -> Prepared {
        let value = |random: &mut Random| match random.below(4) {
            0 => Scalar::Null,
            n => Scalar::Boolean(n == 1),
        };
        let values: Vec<Scalar> = (0..5).map(|_| value(random)).collect();
        Prepared::Indexed(Indexed {
            numbers: links[random.below(links.len())].clone(),
            values: Arc::new(Vector::from_scalars(&values, Type::Boolean)),
            ty: Type::Boolean,
            linked: true,
        })
    }

    fn tree(random: &mut Random, links: &[Arc<SmallInts>], depth: usize) -> Prepared {
        if depth == 0 || random.below(4) == 0 {
            return leaf(random, links);
        }
        let args = vec![tree(random, links, depth - 1), tree(random, links, depth - 1)];
        let function = [Function::And, Function::Or][random.below(2)];
        Prepared::Call { function, args, types: vec![Type::Boolean; 2], ty: Type::Boolean }
    }

    #[test]
    fn bits_say_what_the_condition_says() {
        let mut random = Random(37);
        let mut tried = 0;
        for _ in 0..3_000 {
            let mut link = || (0..ROWS).map(|_| random.below(5) as u32).collect();
            let links: Vec<Arc<SmallInts>> = (0..3).map(|_| Arc::new(SmallInts::new(link(), 5))).collect();
            let condition = tree(&mut random, &links, 3);
            let Some(link_predicate) = LinkPredicate::of(&condition) else { continue };
            let list = RowId::all(ROWS, |_| random.below(2) == 0);
            for rows in [Rows::Range(3, ROWS - 3), Rows::List(&list)] {
                let value = condition.eval(rows).unwrap();
                let wanted: Vec<bool> = (0..rows.len()).map(|at| value.is_true(at)).collect();
                assert_eq!(link_predicate.read(rows), wanted, "{condition:?}");
            }
            tried += 1;
        }
        assert!(tried > 1_000, "{tried}");
    }

    #[test]
    fn what_would_save_nothing_stays_as_it_is() {
        let mut random = Random(41);
        let mut link = |size: usize| {
            let numbers = (0..ROWS).map(|_| random.below(size) as u32).collect();
            Arc::new(SmallInts::new(numbers, size))
        };
        let (one, other) = (link(5), link(5));
        let leaf = |numbers: &Arc<SmallInts>, ty: Type| {
            let values = vec![Scalar::from_physical(ty, 1); 5];
            let values = Arc::new(Vector::from_scalars(&values, ty));
            Prepared::Indexed(Indexed { numbers: numbers.clone(), values, ty, linked: true })
        };
        let both = |args: Vec<Prepared>, function| Prepared::Call {
            function,
            types: vec![Type::Boolean; args.len()],
            args,
            ty: Type::Boolean,
        };
        let (a, b) = (leaf(&one, Type::Boolean), leaf(&other, Type::Boolean));
        // Each table is asked once anyway; a comparison is no condition of a table; more conditions than there are bits.
        assert!(LinkPredicate::of(&a).is_none());
        assert!(LinkPredicate::of(&both(vec![a.clone(), b.clone()], Function::Or)).is_none());
        let number = leaf(&one, Type::Integer);
        let compared = both(vec![number.clone(), number], Function::Equal);
        assert!(LinkPredicate::of(&both(vec![compared, a.clone()], Function::And)).is_none());
        let many = (0..MOST).fold(a.clone(), |all, _| both(vec![all, b.clone()], Function::Or));
        assert!(LinkPredicate::of(&many).is_none());
        assert!(
            LinkPredicate::of(&both(vec![both(vec![a.clone(), b], Function::Or), a], Function::And))
                .is_some()
        );
    }
}
