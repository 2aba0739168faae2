//! Whether one is true, and whether none is false.

use super::{Block, Groups, NO_GROUP, Spec};
use crate::error::EngineError;
use crate::expression::vector::{Values, Vector};
use vembra_plan::AggregateFunction;

#[derive(Clone, Debug, Default)]
pub(crate) struct Logic {
    any_true: Vec<bool>,
    any_false: Vec<bool>,
}

impl Logic {
    #[allow(clippy::unused_self)] // All accumulators answer alike.
    pub(super) fn empty_like(&self) -> Self {
        Self::default()
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.any_true.resize(groups, false);
        self.any_false.resize(groups, false);
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        for (at, vector) in block.present() {
            let side = if vector.is_true(at) { &mut self.any_true } else { &mut self.any_false };
            side[groups.of(at)] = true;
        }
        Ok(())
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        for (from, to) in map.iter().enumerate().filter(|(_, to)| **to != NO_GROUP) {
            self.any_true[*to as usize] |= other.any_true[from];
            self.any_false[*to as usize] |= other.any_false[from];
        }
        Ok(())
    }

    pub(super) fn bytes(&self) -> usize {
        self.any_true.len() + self.any_false.len()
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        // Of no values none is true, and none is false, as the quantified comparisons of SQL have it (ISO/IEC 9075-2, 8.9).
        let values = match spec.function {
            AggregateFunction::Any => self.any_true.clone(),
            _ => self.any_false.iter().map(|f| !f).collect(),
        };
        Ok(Vector::new(Values::Bool(values), None, (0, 1)))
    }
}
