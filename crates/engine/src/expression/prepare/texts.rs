//! Texts of two columns compared by numbers: their places among the texts of both, worked out once.

use crate::expression::eval::{Indexed, Prepared};
use crate::expression::vector::{Values, Vector};
use crate::storage::column::{Column, ColumnBuilder};
use crate::storage::narrow::narrow;
use crate::storage::small_ints::SmallInts;
use std::cmp::Ordering;
use std::ops::Range;
use std::sync::Arc;
use vembra_plan::{Expr, Function, Scalar, Type};

/// A call bound to its arguments; comparisons of texts that are looked up become comparisons of numbers.
pub(crate) fn call(function: Function, args: Vec<Prepared>, ty: Type) -> Prepared {
    let args = match compared(function, &args) {
        Some(placed) => placed.into(),
        None => args,
    };
    let types = args.iter().map(Prepared::ty).collect();
    Prepared::Call { function, args, types, ty }
}

/// Whether a comparison of the one column of an expression with a fixed text, or with a list of them, holds for each of some texts in
/// order, and behind them for null: the texts are searched, not gone through. None for other expressions.
pub(super) fn found<L>(expr: &Expr<L>, texts: &[Arc<str>]) -> Option<Vector> {
    let Expr::Call { function, args, .. } = expr else { return None };
    let (Expr::Leaf(_), fixed) = args.split_first()? else { return None };
    let fixed: Vec<&Arc<str>> = fixed
        .iter()
        .map(|arg| match arg {
            Expr::Literal(Scalar::Text(text)) => Some(text),
            _ => None,
        })
        .collect::<Option<_>>()?;
    let below = |text: &Arc<str>| texts.partition_point(|t| t < text);
    let through = |text: &Arc<str>| texts.partition_point(|t| t <= text);
    let mut holds = vec![false; texts.len() + 1];
    let mut hold = |range: Range<usize>| holds[range].fill(true);
    match (function, fixed.as_slice()) {
        (Function::In, several) => several.iter().for_each(|text| hold(below(text)..through(text))),
        (Function::Equal, [text]) => hold(below(text)..through(text)),
        (Function::NotEqual, [text]) => {
            hold(0..below(text));
            hold(through(text)..texts.len());
        }
        (Function::Less, [text]) => hold(0..below(text)),
        (Function::LessEqual, [text]) => hold(0..through(text)),
        (Function::Greater, [text]) => hold(through(text)..texts.len()),
        (Function::GreaterEqual, [text]) => hold(below(text)..texts.len()),
        _ => return None,
    }
    let mut valid = vec![true; texts.len()];
    valid.push(false);
    Some(Vector::new(Values::Bool(holds), Some(valid), (0, 1)))
}

/// The numbers that are compared instead of two texts.
fn compared(function: Function, args: &[Prepared]) -> Option<[Prepared; 2]> {
    use Function as F;
    let orders =
        matches!(function, F::Equal | F::NotEqual | F::Less | F::LessEqual | F::Greater | F::GreaterEqual);
    let [left, right] = args else { return None };
    if !orders || left.ty() != Type::Text || right.ty() != Type::Text {
        return None;
    }
    let (left, right) = (Coded::of(left)?, Coded::of(right)?);
    let (own, others) = merged(&left.texts, &right.texts);
    Some([left.placed(&own), right.placed(&others)])
}

/// Texts that rows look up: the code of each entry, the texts in order.
struct Coded {
    numbers: Arc<SmallInts>,
    codes: Vec<u32>,
    valid: Option<Vec<bool>>,
    texts: Vec<Arc<str>>,
    linked: bool,
}

impl Coded {
    fn of(argument: &Prepared) -> Option<Self> {
        match argument {
            Prepared::Own(column) => {
                let (numbers, dictionary) = column.texts()?;
                let texts = dictionary.texts.clone();
                // Behind the last text stands the code of nulls.
                let codes = (0..=narrow(texts.len())).collect();
                let valid = (0..=texts.len()).map(|at| at < texts.len()).collect();
                let valid = Some(valid).filter(|_| column.missing() > 0);
                Some(Self { numbers: numbers.clone(), codes, valid, texts, linked: false })
            }
            Prepared::Indexed(indexed) if !indexed.values.constant => {
                let (numbers, linked) = (indexed.numbers.clone(), indexed.linked);
                let valid = indexed.values.valid.clone();
                if let Values::Code(codes, dictionary) = &indexed.values.values {
                    let texts = dictionary.texts.clone();
                    return Some(Self { numbers, codes: codes.clone(), valid, texts, linked });
                }
                let column = coded(&indexed.values);
                let codes = (0..column.len()).map(|at| column.texts().map_or(0, |(c, _)| narrow(c.get(at))));
                Some(Self {
                    numbers,
                    codes: codes.collect(),
                    valid,
                    texts: column.dictionary().to_vec(),
                    linked,
                })
            }
            _ => None,
        }
    }

    /// The place of each entry, given that of each text.
    fn placed(self, places: &[i64]) -> Prepared {
        let place = |code: &u32| places.get(*code as usize).copied().unwrap_or(0);
        let values = Values::Int(self.codes.iter().map(place).collect());
        let range = (0, places.last().copied().unwrap_or(0).into());
        Prepared::Indexed(Indexed {
            numbers: self.numbers,
            values: Arc::new(Vector::new(values, self.valid, range)),
            ty: Type::Integer,
            linked: self.linked,
        })
    }
}

fn coded(values: &Vector) -> Column {
    let mut builder = ColumnBuilder::new(Type::Text);
    (0..values.len()).for_each(|at| builder.push(&values.scalar(at, Type::Text)));
    builder.finish()
}

/// Per text of two lists in order its place among the texts of both.
fn merged(left: &[Arc<str>], right: &[Arc<str>]) -> (Vec<i64>, Vec<i64>) {
    let (mut own, mut others) = (Vec::with_capacity(left.len()), Vec::with_capacity(right.len()));
    for place in 0.. {
        let order = match (left.get(own.len()), right.get(others.len())) {
            (None, None) => break,
            (Some(_), None) => Ordering::Less,
            (None, Some(_)) => Ordering::Greater,
            (Some(a), Some(b)) => a.cmp(b),
        };
        if order.is_le() {
            own.push(place);
        }
        if order.is_ge() {
            others.push(place);
        }
    }
    (own, others)
}

#[cfg(test)]
mod tests {
    use super::{call, found, merged};
    use crate::expression::eval::{Indexed, Prepared};
    use crate::expression::prepare::scalar;
    use crate::expression::vector::Vector;
    use crate::storage::column::Column;
    use crate::storage::row_id::Rows;
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::sync::Arc;
    use vembra_plan::{Expr, Function as F, Scalar, Type};

    #[test]
    fn searched_texts_hold_where_each_of_them_does() {
        let texts: Vec<Arc<str>> = ["", "B", "a", "b", "ba", "c"].into_iter().map(Arc::from).collect();
        for function in [F::Equal, F::NotEqual, F::Less, F::LessEqual, F::Greater, F::GreaterEqual, F::In] {
            for fixed in ["", "A", "b", "bb", "z"] {
                let mut args = vec![Expr::Leaf(()), Expr::Literal(Scalar::text(fixed))];
                if function == F::In {
                    args.push(Expr::Literal(Scalar::text("c")));
                }
                let expr = Expr::Call { function, args, ty: Type::Boolean };
                let holds = found(&expr, &texts).unwrap();
                for at in 0..=texts.len() {
                    let value = texts.get(at).map_or(Scalar::Null, |text| Scalar::Text(text.clone()));
                    let wanted = scalar(&expr, &mut |()| value.clone()).unwrap();
                    assert_eq!(holds.scalar(at, Type::Boolean), wanted, "{function:?} {value} {fixed}");
                }
            }
        }
    }

    #[test]
    fn places_are_those_among_the_texts_of_both() {
        let texts = |all: &[&str]| all.iter().map(|t| Arc::from(*t)).collect::<Vec<Arc<str>>>();
        let (own, others) = merged(&texts(&["a", "c", "d"]), &texts(&["b", "c", "e"]));
        assert_eq!((own, others), (vec![0, 2, 3], vec![1, 2, 4]));
        assert_eq!(merged(&[], &texts(&["x"])), (vec![], vec![0]));
    }

    /// Some rows of texts: a column of the table itself, or looked up by number, as codes or as texts.
    fn texts(random: &mut Random, rows: usize, way: usize) -> (Prepared, Vec<Scalar>) {
        let entries = random.scalars(Type::Text, 5);
        let column = Arc::new(Column::from_vector(Type::Text, Vector::from_scalars(&entries, Type::Text), 5));
        if way == 0 {
            return (Prepared::Own(column), entries);
        }
        let values = if way == 1 {
            column.read(Rows::Range(0, 5))
        } else {
            Vector::from_scalars(&entries, Type::Text)
        };
        let numbers: Vec<u32> = (0..rows).map(|_| random.below(5) as u32).collect();
        let scalars = numbers.iter().map(|n| entries[*n as usize].clone()).collect();
        let numbers = Arc::new(SmallInts::new(numbers, 5));
        (
            Prepared::Indexed(Indexed { numbers, values: Arc::new(values), ty: Type::Text, linked: false }),
            scalars,
        )
    }

    #[test]
    fn numbers_compare_as_their_texts_do() {
        let mut random = Random(23);
        for round in 0..300 {
            let (left, a) = texts(&mut random, 5, round % 3);
            let (right, b) = texts(&mut random, 5, round / 3 % 3);
            for function in [F::Equal, F::NotEqual, F::Less, F::LessEqual, F::Greater, F::GreaterEqual] {
                let bound = call(function, vec![left.clone(), right.clone()], Type::Boolean);
                let Prepared::Call { types, .. } = &bound else { unreachable!() };
                assert_eq!(types, &[Type::Integer, Type::Integer]);
                let found = bound.eval(Rows::Range(0, 5)).unwrap();
                for row in 0..5 {
                    let wanted =
                        vembra_plan::call::call(function, &[a[row].clone(), b[row].clone()], Type::Boolean)
                            .unwrap();
                    assert_eq!(
                        found.scalar(row, Type::Boolean),
                        wanted,
                        "{function:?} {:?} {:?}",
                        a[row],
                        b[row]
                    );
                }
            }
        }
    }
}
