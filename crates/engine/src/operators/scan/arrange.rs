//! Conditions bound to columns, in the order and the form in which they are tested.

use super::mask::{cannot_fail, mask};
use crate::expression::eval::Prepared;
use crate::expression::link_predicate::LinkPredicate;
use crate::expression::predicate_bitmap::PredicateBitmap;
use crate::expression::selection_vector::count_of;
use crate::physical::predicates::{self, Facts, PredicateForm};
use crate::statistics::functional_dependencies::looked_at;
use std::sync::Arc;
use vembra_plan::Function;

/// A condition in its order and form.
pub(crate) struct Arranged {
    /// Which of the conditions it was.
    pub(crate) position: usize,
    pub(crate) condition: Prepared,
    /// How many rows it leaves of a sample, and how many that has, if one was taken.
    pub(crate) sample: Option<(usize, usize)>,
}

/// Conditions that all have to hold for rows of a table of this many, in the order in which they are tested. Of those that wait for
/// figures no sample can be taken.
pub(crate) fn arranged(
    conditions: Vec<Prepared>,
    rows: usize,
    waits: &dyn Fn(usize) -> bool,
) -> Vec<Arranged> {
    let conditions: Vec<Prepared> = conditions.into_iter().map(formed).collect();
    let may_fail: Vec<bool> = conditions.iter().map(|condition| !cannot_fail(condition, rows)).collect();
    let free = may_fail.iter().take_while(|fails| !**fails).count();
    let sampled = predicates::needs_sample(may_fail.iter().copied(), rows);
    let sample =
        |(at, condition)| (sampled && at < free && !waits(at)).then(|| left_of_some(condition, rows));
    let samples: Vec<Option<(usize, usize)>> = conditions.iter().enumerate().map(sample).collect();
    let facts = may_fail.iter().zip(&samples);
    let facts: Vec<Facts> =
        facts.map(|(fails, sample)| Facts { may_fail: *fails, left: sample.map(|(left, _)| left) }).collect();
    let mut conditions: Vec<Option<Prepared>> = conditions.into_iter().map(Some).collect();
    let order = predicates::order(&facts).into_iter();
    let arranged = order.filter_map(|position| {
        Some(Arranged { position, condition: conditions[position].take()?, sample: samples[position] })
    });
    arranged.collect()
}

/// The conditions alone.
pub(crate) fn conditions_of(arranged: Vec<Arranged>) -> Vec<Prepared> {
    arranged.into_iter().map(|own| own.condition).collect()
}

/// How a condition on rows of a table of this many is tested.
pub(crate) fn predicate_form(condition: &Prepared, rows: usize) -> PredicateForm {
    match condition {
        Prepared::PredicateBitmap(bitmap) => bitmap.form(),
        Prepared::LinkPredicate(_) => PredicateForm::LinkBits,
        Prepared::Indexed(_) => PredicateForm::LookupTable,
        condition if cannot_fail(condition, rows) => PredicateForm::Columns,
        _ => PredicateForm::Evaluate,
    }
}

/// A condition in the form that is tested fastest. Whether it is false or null does not matter to those who ask whether it holds,
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
    use super::{arranged, conditions_of};
    use crate::expression::eval::Prepared;
    use crate::expression::vector::Vector;
    use crate::physical::access::MANY_ROWS;
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
        assert_eq!(left(conditions_of(arranged(conditions, rows, &|_| false))), [20, 143, 334, 500, 12]);
        // A table of few rows is read as the query says.
        assert_eq!(left(conditions_of(arranged(vec![hit(3), hit(50)], rows - 1, &|_| false))), [334, 20]);
    }
}
