//! How many rows, or how many values.

use super::{Block, Groups, NO_GROUP, Spec, runs};
use crate::error::EngineError;
use crate::execution::parallel::each;
use crate::expression::vector::{Values, Vector};

#[derive(Clone, Debug, Default)]
pub(crate) struct Count {
    counts: Vec<i64>,
}

impl Count {
    #[allow(clippy::unused_self)] // All accumulators answer alike.
    pub(super) fn empty_like(&self) -> Self {
        Self::default()
    }

    pub(super) fn resize(&mut self, groups: usize) {
        runs::resize(&mut self.counts, groups, 0);
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        match (block.value.filter(|v| v.valid.is_some()), groups) {
            (None, Groups::One) => self.counts[0] += block.rows as i64,
            (None, Groups::Each(groups)) => groups.iter().for_each(|g| self.counts[*g as usize] += 1),
            (Some(_), _) => block.present().for_each(|(at, _)| self.counts[groups.of(at)] += 1),
        }
        Ok(())
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        for (count, to) in other.counts.iter().zip(map).filter(|(_, to)| **to != NO_GROUP) {
            self.counts[*to as usize] += count;
        }
        Ok(())
    }

    pub(super) fn take_runs(&mut self, parts: &[(usize, &Self)]) -> bool {
        let Some(parts) = runs::of_parts(parts, |part| Some(part.counts.as_slice())) else { return false };
        runs::take_in(&mut self.counts, &parts, |count, other| count + other);
        true
    }

    pub(super) fn bytes(&self) -> usize {
        size_of_val(self.counts.as_slice())
    }

    pub(super) fn finish(&self, _: &Spec) -> Result<Vector, EngineError> {
        let range = crate::expression::vector::range_of(&self.counts);
        Ok(Vector::new(Values::Int(each(&self.counts, |count| count)), None, range))
    }
}
