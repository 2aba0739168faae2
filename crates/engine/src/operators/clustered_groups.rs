//! The clustered form of a group index: one key, such as the number of an order, determines nearly all others, so each of its codes has a
//! slot for its first group.

use crate::execution::parallel::many;
use foldhash::fast::FixedState;
use hashbrown::HashMap;

/// A combination that has no number.
pub(crate) const NOWHERE: u32 = u32::MAX;

/// Per code of the key that distinguishes most combinations the rest and the number of its first combination; further ones of the
/// same code are found by hashing.
#[derive(Default)]
pub(crate) struct ClusteredGroups {
    /// The code of the first slot.
    low: u32,
    first: Vec<(u32, u32)>,
    more: HashMap<(u32, u32), u32, FixedState>,
}

impl ClusteredGroups {
    /// Slots for this many codes from `low` on.
    pub(crate) fn new(low: u32, count: usize) -> Self {
        Self { low, first: many(count, (0, NOWHERE)), more: HashMap::default() }
    }

    /// The number of a combination: `next` if it has none yet.
    pub(crate) fn number(&mut self, code: u32, rest: u32, next: u32) -> u32 {
        let slot = &mut self.first[(code - self.low) as usize];
        if slot.1 == NOWHERE {
            *slot = (rest, next);
            next
        } else if slot.0 == rest {
            slot.1
        } else {
            *self.more.entry((code, rest)).or_insert(next)
        }
    }

    /// The number of a combination, or [`NOWHERE`].
    pub(crate) fn find(&self, code: u32, rest: u32) -> u32 {
        match self.first[(code - self.low) as usize] {
            (own, number) if own == rest || number == NOWHERE => number,
            _ => self.more.get(&(code, rest)).copied().unwrap_or(NOWHERE),
        }
    }
}
