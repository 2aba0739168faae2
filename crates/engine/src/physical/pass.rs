//! The plan of one pass over the rows of a table.

use super::access::Access;
use super::group_index::Grouping;
use super::keys::PassKey;
use super::predicates::Predicate;
use vembra_plan::{NodeId, Scan};

/// One pass over the rows of a table, as it is planned.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct PhysicalPass {
    /// What is read for what: the logical plan of the pass.
    pub scan: Scan,
    /// How many rows the table has.
    pub rows: usize,
    /// Which of them are read.
    pub access: Access,
    /// No row is read once this many groups were met: there are no others.
    pub stop_at: Option<usize>,
    /// The conditions of the scan, in the order in which they are tested.
    pub predicates: Vec<Predicate>,
    /// What rows are grouped by.
    pub keys: Vec<PassKey>,
    /// How the group of a row is found. None where nothing is grouped, as in a result cache.
    pub grouping: Option<Grouping>,
    /// How many accumulators a group has: an average and a sum of the same values share one.
    pub accumulators: usize,
    /// Only the first rows by the first sort key are kept, this many: a heap of a list that has a limit.
    pub top_k: Option<usize>,
    /// Figures that rows look up: they are worked out before.
    pub lookups: Vec<NodeId>,
}

impl PhysicalPass {
    /// A pass over a table of this many rows of which nothing is chosen yet: all rows are read in one group.
    pub(crate) fn of(scan: &Scan, rows: usize) -> Self {
        let mut lookups = Vec::new();
        scan.row_exprs(&mut |_, expr| {
            expr.lookups(&mut |lookup| {
                if !lookups.contains(&lookup.node) {
                    lookups.push(lookup.node);
                }
            });
        });
        Self {
            scan: scan.clone(),
            rows,
            access: Access::AllRows,
            stop_at: None,
            predicates: Vec::new(),
            keys: Vec::new(),
            grouping: None,
            accumulators: 0,
            top_k: None,
            lookups,
        }
    }
}
