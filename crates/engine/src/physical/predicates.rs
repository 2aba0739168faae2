//! In which order the conditions of a pass are tested.

use super::access::MANY_ROWS;
use vembra_plan::NodeId;

/// A condition of a pass.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Predicate {
    /// Which of the conditions of the scan it is, by its position.
    pub condition: usize,
    /// How it is tested.
    pub form: PredicateForm,
    /// How many rows it leaves of a sample of the table, and how many the sample has; none if no sample was taken.
    pub sample: Option<(usize, usize)>,
    /// Figures that it looks up. In a plan that is only printed their values are not known, so there is no sample: the order may be another one.
    pub lookups: Vec<NodeId>,
}

/// How a condition is tested for a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum PredicateForm {
    /// No row passes.
    Never,
    /// The row id of a linked table, or the code of a member, lies in a range.
    Range,
    /// A bit for each row id or code.
    Bitmap,
    /// A truth value for each row id or code, of which there are few.
    LookupTable,
    /// Conditions on several links: a bit for each of them is looked up, and all bits together say whether the row passes.
    LinkBits,
    /// Columns of the table are compared, a block at a time.
    Columns,
    /// The expression is evaluated row by row.
    Evaluate,
    /// One of these, chosen once the figures are known that the condition looks up: in a plan that is only printed.
    Pending,
}

/// What is known of a condition before rows are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Facts {
    /// Whether it may fail for a row. Such a condition sees the rows that those before it leave, as the query says.
    pub(crate) may_fail: bool,
    /// How many rows of the sample it leaves.
    pub(crate) left: Option<usize>,
}

/// Whether the order of conditions matters, so that a sample is worth taking: there is a choice, and the table is large.
pub(crate) fn needs_sample(conditions: impl Iterator<Item = bool>, rows: usize) -> bool {
    rows >= MANY_ROWS && conditions.take_while(|may_fail| !may_fail).count() > 1
}

/// The order in which conditions are tested: those before the first one that may fail by how few rows they leave, so that the others are
/// tested for few. What may fail keeps its position.
pub(crate) fn order(conditions: &[Facts]) -> Vec<usize> {
    let free = conditions.iter().take_while(|condition| !condition.may_fail).count();
    let mut order: Vec<usize> = (0..conditions.len()).collect();
    order[..free].sort_by_key(|at| conditions[*at].left.unwrap_or(usize::MAX));
    order
}

#[cfg(test)]
mod tests {
    use super::super::access::MANY_ROWS;
    use super::{Facts, needs_sample, order};

    #[test]
    fn the_condition_that_leaves_the_fewest_rows_comes_first() {
        let free = |left| Facts { may_fail: false, left };
        let failing = Facts { may_fail: true, left: Some(0) };
        assert_eq!(order(&[free(Some(300)), free(Some(20)), free(Some(140))]), [1, 2, 0]);
        // Without a sample a condition comes behind those that have one; equal ones stay as they were written.
        assert_eq!(order(&[free(None), free(Some(9)), free(Some(9)), free(None)]), [1, 2, 0, 3]);
        // Nothing is moved across a condition that may fail, and that is not moved.
        assert_eq!(order(&[free(Some(30)), free(Some(2)), failing, free(Some(1))]), [1, 0, 2, 3]);
        assert_eq!(order(&[failing, free(Some(2)), free(Some(1))]), [0, 1, 2]);
    }

    #[test]
    fn a_sample_is_taken_where_there_is_a_choice() {
        assert!(needs_sample([false, false].into_iter(), MANY_ROWS));
        assert!(!needs_sample([false, false].into_iter(), MANY_ROWS - 1));
        assert!(!needs_sample([false, true, false].into_iter(), MANY_ROWS));
    }
}
