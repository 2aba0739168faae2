//! Conditions in the order, and the form, in which they are soonest looked up.

use super::mask::{cannot_fail, mask};
use crate::expression::eval::Prepared;
use crate::expression::link_predicate::LinkPredicate;
use crate::expression::predicate_bitmap::PredicateBitmap;
use crate::expression::selection_vector::count_of;
use crate::statistics::functional_dependencies::looked_at;
use std::sync::Arc;
use vembra_plan::Function;

/// In tables of fewer rows the order does not matter.
const MANY_ROWS: usize = 1 << 16;

/// Conditions that all have to hold for rows of a table of so many: the first ones that cannot fail, those first that leave the fewest
/// rows, so that the others are asked for few. What may fail is asked for the same rows as before.
pub(crate) fn arranged(conditions: Vec<Prepared>, rows: usize) -> Vec<Prepared> {
    let mut conditions: Vec<Prepared> = conditions.into_iter().map(formed).collect();
    let free = conditions.iter().take_while(|condition| cannot_fail(condition, rows)).count();
    if free > 1 && rows >= MANY_ROWS {
        conditions[..free].sort_by_cached_key(|condition| left_of_some(condition, rows).0);
    }
    conditions
}

/// A condition in the form in which rows are soonest told. Whether it is false or null does not matter to those who ask whether it holds,
/// nor to what *and* and *or* make of it.
fn formed(condition: Prepared) -> Prepared {
    if let Some(link_predicate) = LinkPredicate::of(&condition) {
        return Prepared::LinkPredicate(Arc::new(link_predicate));
    }
    match condition {
        Prepared::Call { function: function @ (Function::And | Function::Or), args, types, ty } => {
            Prepared::Call { function, args: args.into_iter().map(formed).collect(), types, ty }
        }
        Prepared::Indexed(indexed) => match PredicateBitmap::of(&indexed) {
            Some(predicate_bitmap) => Prepared::PredicateBitmap(Arc::new(predicate_bitmap)),
            None => Prepared::Indexed(indexed),
        },
        condition => condition,
    }
}

/// How many rows a condition leaves of some here and there in the table, and how many these are.
pub(crate) fn left_of_some(condition: &Prepared, rows: usize) -> (usize, usize) {
    let left = |range| mask(condition, range).map_or(0, |holds| count_of(&holds));
    let looked_at = || looked_at(rows);
    (looked_at().map(left).sum(), looked_at().map(|range| range.len()).sum())
}

#[cfg(test)]
mod tests {
    use super::{MANY_ROWS, arranged};
    use crate::expression::eval::Prepared;
    use crate::expression::vector::Vector;
    use crate::storage::column::Column;
    use crate::storage::row_id::Rows;
    use std::sync::Arc;
    use vembra_plan::{Function, Scalar, Type};

    /// Conditions `number % rest = 0` as comparisons of a column, and one that may fail.
    #[test]
    fn what_leaves_fewest_rows_comes_first_and_what_may_fail_keeps_its_place() {
        let rows = MANY_ROWS;
        let column = |rest: usize| {
            let values: Vec<Scalar> = (0..rows).map(|row| Scalar::Integer((row % rest) as i64)).collect();
            Prepared::Own(Arc::new(Column::from_vector(
                Type::Integer,
                Vector::from_scalars(&values, Type::Integer),
                rows,
            )))
        };
        let call = |function, args: Vec<Prepared>, ty| {
            let types = args.iter().map(Prepared::ty).collect();
            Prepared::Call { function, args, types, ty }
        };
        let zero = || Prepared::Literal(Scalar::Integer(0), Type::Integer);
        let hit = |rest| call(Function::Equal, vec![column(rest), zero()], Type::Boolean);
        let sum = call(Function::Add, vec![column(2), zero()], Type::Integer);
        let may_fail = call(Function::Equal, vec![sum, zero()], Type::Boolean);
        let conditions = vec![hit(3), hit(50), hit(7), may_fail, hit(90)];
        let left = |conditions: Vec<Prepared>| -> Vec<usize> {
            let holds = |c: &Prepared| c.eval(Rows::Range(0, 1_000)).unwrap();
            let left = |c: &Prepared| holds(c).true_at(0..1_000).len();
            conditions.iter().map(left).collect()
        };
        assert_eq!(left(arranged(conditions, rows)), [20, 143, 334, 500, 12]);
        // A table of few rows is read as the query says.
        assert_eq!(left(arranged(vec![hit(3), hit(50)], rows - 1)), [334, 20]);
    }
}
