//! Which rows of a table a pass reads.

use crate::statistics::representative_rows::Determinant;
use vembra_plan::LinkId;

/// Tables of fewer rows are read whole: finding the rows by an index takes longer.
pub(crate) const MANY_ROWS: usize = 1 << 16;
/// An index pays where at most one row in this many is read.
const FEW_OF: usize = 32;

/// Which rows of a table are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Access {
    /// All of them, block by block.
    AllRows,
    /// Those that lead to the rows of a linked table which a condition leaves, by the reverse index of the link.
    ReverseIndex {
        /// The link.
        link: LinkId,
        /// How many rows these are.
        rows: usize,
    },
    /// One row for each member of a determinant: all that is asked of the others follows from it, and comes to the same.
    RepresentativeRows {
        /// What all that is asked follows from.
        determinant: Determinant,
        /// How many rows these are.
        rows: usize,
    },
    /// The first row of each run of rows in which all that is asked of a row is the same.
    RunBoundaries {
        /// How many rows these are.
        rows: usize,
    },
    /// None: the groups were found for an earlier query.
    ResultCache,
}

/// What statistics offer for a pass.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Offers {
    /// The rows that a reverse index leads to.
    pub(crate) reverse_index: Option<(LinkId, usize)>,
    /// The representative rows of a determinant.
    pub(crate) representatives: Option<(Determinant, usize)>,
    /// The rows at which runs begin.
    pub(crate) run_boundaries: Option<usize>,
    /// How many groups there can be.
    pub(crate) groups_at_most: Option<usize>,
    /// Whether a condition may fail for a row: such a row has to be met.
    pub(crate) may_fail: bool,
}

/// The access, and after how many groups it ends. The fewest rows come first: an index leads to the rows that a condition leaves, and the
/// conditions that stay are tested for these alone.
pub(crate) fn choose(offers: Offers) -> (Access, Option<usize>) {
    let access = match offers {
        Offers { reverse_index: Some((link, rows)), .. } => Access::ReverseIndex { link, rows },
        Offers { representatives: Some((determinant, rows)), .. } => {
            Access::RepresentativeRows { determinant, rows }
        }
        Offers { run_boundaries: Some(rows), .. } => Access::RunBoundaries { rows },
        _ => Access::AllRows,
    };
    let is_listed = !matches!(access, Access::AllRows | Access::RunBoundaries { .. });
    (access, offers.groups_at_most.filter(|_| !offers.may_fail && !is_listed))
}

/// Whether a reverse index pays that leads to this many of all rows.
pub(crate) fn are_few(rows: usize, all: usize) -> bool {
    all >= MANY_ROWS && rows * FEW_OF < all
}

/// Whether a condition that leaves this many of some rows may leave few of all: only then is its index looked at.
pub(crate) fn may_leave_few(left: usize, of: usize) -> bool {
    left * FEW_OF <= 2 * of
}

/// Whether a condition leaves few rows of the linked table.
pub(crate) fn are_few_targets(targets: usize, all: usize) -> bool {
    targets * FEW_OF <= all
}

#[cfg(test)]
mod tests {
    use super::{Access, Determinant, MANY_ROWS, Offers, are_few, choose};
    use vembra_plan::{ColumnId, LinkId};

    const ALL: Offers = Offers {
        reverse_index: Some((LinkId(2), 90)),
        representatives: Some((Determinant::Column(ColumnId(7)), 800)),
        run_boundaries: Some(7_000),
        groups_at_most: Some(5),
        may_fail: false,
    };

    #[test]
    fn the_offer_with_the_fewest_rows_is_taken() {
        let access = |offers| choose(offers).0;
        assert_eq!(access(ALL), Access::ReverseIndex { link: LinkId(2), rows: 90 });
        let without_index = Offers { reverse_index: None, ..ALL };
        let determinant = Determinant::Column(ColumnId(7));
        assert_eq!(access(without_index), Access::RepresentativeRows { determinant, rows: 800 });
        let runs_only = Offers { representatives: None, ..without_index };
        assert_eq!(access(runs_only), Access::RunBoundaries { rows: 7_000 });
        assert_eq!(access(Offers { run_boundaries: None, ..runs_only }), Access::AllRows);
    }

    #[test]
    fn a_pass_ends_early_only_if_no_row_can_fail() {
        let whole = Offers { reverse_index: None, representatives: None, ..ALL };
        assert_eq!(choose(whole).1, Some(5));
        assert_eq!(choose(Offers { may_fail: true, ..whole }).1, None);
        // Rows that an index lists are few enough.
        assert_eq!(choose(ALL).1, None);
    }

    #[test]
    fn an_index_pays_for_one_row_in_thirty_two_of_a_large_table() {
        assert!(are_few(MANY_ROWS / 32 - 1, MANY_ROWS));
        assert!(!are_few(MANY_ROWS / 32, MANY_ROWS));
        assert!(!are_few(1, MANY_ROWS - 1));
    }
}
