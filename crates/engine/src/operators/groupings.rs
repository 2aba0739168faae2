//! The groups of a scan, as the cells of a plan see them.

use crate::error::EngineError;
use crate::expression::vector::Vector;
use crate::operators::aggregate::{Accumulator, Spec};
use crate::operators::cells::Codes;
use crate::operators::group_index::GroupIndex;
use std::cell::OnceCell;
use std::rc::Rc;
use vembra_plan::KeyId;

/// The groups of a scan that have rows, and what is known of each.
pub(crate) struct Groupings {
    /// What distinguishes the groups.
    pub(crate) keys: Vec<KeyId>,
    /// Per key the code of each group.
    pub(crate) codes: Vec<Codes>,
    pub(crate) groups: usize,
    pub(crate) known: Rc<Known>,
    /// The number of each combination of codes, made when it is first asked for.
    pub(crate) group_index: OnceCell<GroupIndex>,
}

/// What is known of groups, whatever distinguishes them.
pub(crate) struct Known {
    pub(crate) accumulators: Vec<Accumulator>,
    /// The results of each accumulator, once they are asked for.
    results: Vec<OnceCell<Rc<Vector>>>,
}

impl Known {
    /// The results of the accumulator at a position.
    pub(crate) fn results(&self, at: usize, spec: &Spec) -> Result<Rc<Vector>, EngineError> {
        if let Some(results) = self.results[at].get() {
            return Ok(results.clone());
        }
        let results = Rc::new(self.accumulators[at].finish(spec)?);
        Ok(self.results[at].get_or_init(|| results).clone())
    }
}

impl Groupings {
    pub(crate) fn new(
        keys: Vec<KeyId>,
        codes: Vec<Codes>,
        groups: usize,
        accumulators: Vec<Accumulator>,
    ) -> Self {
        let results = accumulators.iter().map(|_| OnceCell::new()).collect();
        let known = Rc::new(Known { accumulators, results });
        Self { keys, codes, groups, known, group_index: OnceCell::new() }
    }

    /// The same groups, grouped by other keys: what is known of them stays.
    pub(crate) fn on(&self, keys: Vec<KeyId>, codes: Vec<Codes>) -> Self {
        Self { keys, codes, groups: self.groups, known: self.known.clone(), group_index: OnceCell::new() }
    }

    pub(crate) fn codes_of(&self, key: KeyId) -> Option<&Codes> {
        self.keys.iter().position(|k| *k == key).map(|at| &self.codes[at])
    }
}
