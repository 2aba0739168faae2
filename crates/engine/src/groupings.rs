//! The groups of a scan, as the cells of a plan see them.

use crate::aggregate::Accumulator;
use crate::cells::Codes;
use crate::numbering::Numbering;
use std::cell::OnceCell;
use std::rc::Rc;
use vembra_plan::KeyId;

/// The groups of a scan that have rows, and what is known of each.
pub(crate) struct Groupings {
    /// What tells the groups apart.
    pub(crate) keys: Vec<KeyId>,
    /// Per key the code of each group.
    pub(crate) codes: Vec<Codes>,
    pub(crate) groups: usize,
    pub(crate) accumulators: Rc<Vec<Accumulator>>,
    /// The number of each combination of codes, made when it is first asked for.
    pub(crate) numbering: OnceCell<Numbering>,
}

impl Groupings {
    pub(crate) fn new(
        keys: Vec<KeyId>,
        codes: Vec<Codes>,
        groups: usize,
        accumulators: Vec<Accumulator>,
    ) -> Self {
        Self::sharing(keys, codes, groups, Rc::new(accumulators))
    }

    /// Groups of which other groupings know the same.
    pub(crate) fn sharing(
        keys: Vec<KeyId>,
        codes: Vec<Codes>,
        groups: usize,
        accumulators: Rc<Vec<Accumulator>>,
    ) -> Self {
        Self { keys, codes, groups, accumulators, numbering: OnceCell::new() }
    }

    pub(crate) fn codes_of(&self, key: KeyId) -> Option<&Codes> {
        self.keys.iter().position(|k| *k == key).map(|at| &self.codes[at])
    }
}
