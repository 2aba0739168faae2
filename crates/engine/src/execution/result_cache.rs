//! The result cache: groups that scans found, for later queries of the same star, within a limit.

use crate::operators::aggregate::Accumulator;
use crate::operators::members::Members;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};
use vembra_plan::{Aggregate, RowExpr, TableId};

/// Members that are not the very same ones are compared where there are at most this many.
const COMPARED: usize = 1 << 12;

/// What rows were grouped by, and the members that codes stand for.
type NamedKey = (RowExpr, Arc<Members>);

/// What a scan read: by it equal ones are known.
#[derive(Clone)]
pub(crate) struct ScanName {
    pub(crate) table: TableId,
    pub(crate) filter: Vec<RowExpr>,
    pub(crate) keys: Vec<NamedKey>,
    pub(crate) aggregates: Vec<Aggregate>,
}

impl ScanName {
    fn is(&self, other: &Self) -> bool {
        let like = |((a, own), (b, others)): (&NamedKey, &NamedKey)| {
            let few = own.values.len() <= COMPARED;
            a == b && (Arc::ptr_eq(own, others) || (few && own == others))
        };
        self.table == other.table
            && self.filter == other.filter
            && self.aggregates == other.aggregates
            && self.keys.len() == other.keys.len()
            && self.keys.iter().zip(&other.keys).all(like)
    }
}

/// The groups of a scan.
pub(crate) struct ScanGroups {
    pub(crate) codes: Vec<Vec<u32>>,
    pub(crate) groups: usize,
    pub(crate) accumulators: Vec<Accumulator>,
}

/// About how much memory groups take.
pub(crate) fn bytes(codes: &[Vec<u32>], accumulators: &[Accumulator]) -> usize {
    let codes: usize = codes.iter().map(|codes| codes.len() * size_of::<u32>()).sum();
    codes + accumulators.iter().map(Accumulator::bytes).sum::<usize>()
}

/// The groups that are remembered, those first that were asked for longest ago.
#[derive(Default)]
pub(crate) struct ResultCache {
    all: Mutex<VecDeque<(ScanName, usize, Arc<ScanGroups>)>>,
}

impl ResultCache {
    /// The groups of a scan, if they are remembered.
    pub(crate) fn find(&self, name: &ScanName) -> Option<Arc<ScanGroups>> {
        let mut all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        let at = all.iter().position(|(own, ..)| own.is(name))?;
        let found = all.remove(at)?;
        let groups = found.2.clone();
        all.push_back(found);
        Some(groups)
    }

    /// Remembers groups of this many bytes; together with those asked for last they take no more than `most`.
    pub(crate) fn remember(&self, name: ScanName, bytes: usize, groups: ScanGroups, most: usize) {
        let mut all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|(own, ..)| !own.is(&name));
        all.push_back((name, bytes, Arc::new(groups)));
        let mut taken: usize = all.iter().map(|(_, bytes, _)| bytes).sum();
        while taken > most
            && let Some((_, bytes, _)) = all.pop_front()
        {
            taken -= bytes;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{ResultCache, ScanGroups, ScanName};
    use crate::operators::members::Members;
    use std::sync::Arc;
    use vembra_plan::{Expr, RowExpr, Scalar, TableId};

    fn expr(number: i64) -> RowExpr {
        Expr::Literal(Scalar::Integer(number))
    }

    fn name(number: i64, members: i64) -> ScanName {
        let values = (0..members).map(Scalar::Integer).collect();
        let keys = vec![(expr(0), Arc::new(Members::of(values)))];
        ScanName { table: TableId(0), filter: vec![expr(number)], keys, aggregates: Vec::new() }
    }

    fn groups(groups: usize) -> ScanGroups {
        ScanGroups { codes: Vec::new(), groups, accumulators: Vec::new() }
    }

    #[test]
    fn those_asked_for_longest_ago_give_way() {
        let memory = ResultCache::default();
        (0..3).for_each(|at| memory.remember(name(at, 2), 10, groups(at as usize), 35));
        assert_eq!(memory.find(&name(0, 2)).map(|g| g.groups), Some(0));
        memory.remember(name(3, 2), 10, groups(3), 35);
        let there = |at: i64| memory.find(&name(at, 2)).is_some();
        assert_eq!([0, 1, 2, 3].map(there), [true, false, true, true]);
        // An entry replaces the one of the same name; one that is larger than the limit is not kept.
        memory.remember(name(3, 2), 12, groups(7), 35);
        assert_eq!(memory.find(&name(3, 2)).map(|g| g.groups), Some(7));
        memory.remember(name(4, 2), 36, groups(4), 35);
        assert!(memory.find(&name(4, 2)).is_none());
    }

    #[test]
    fn codes_of_other_members_are_other_groups() {
        let memory = ResultCache::default();
        memory.remember(name(1, 2), 10, groups(1), 100);
        assert!(memory.find(&name(1, 3)).is_none() && memory.find(&name(2, 2)).is_none());
        assert!(memory.find(&name(1, 2)).is_some());
    }
}
