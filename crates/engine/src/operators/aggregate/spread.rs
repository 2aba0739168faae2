//! Sample variance and standard deviation, by running means (Welford; merged after Chan and others).

use super::{Block, Groups, NO_GROUP, Spec};
use crate::error::EngineError;
use crate::expression::vector::{Values, Vector};
use vembra_plan::AggregateFunction;

#[derive(Clone, Copy, Debug, Default)]
struct Moments {
    count: f64,
    mean: f64,
    squares: f64,
}

impl Moments {
    fn merge(&mut self, other: Self) {
        let count = self.count + other.count;
        if other.count > 0.0 {
            let apart = other.mean - self.mean;
            self.mean += apart * other.count / count;
            self.squares += other.squares + apart * apart * self.count * other.count / count;
            self.count = count;
        }
    }
}

#[derive(Clone, Debug, Default)]
pub(crate) struct Spread {
    groups: Vec<Moments>,
}

impl Spread {
    #[allow(clippy::unused_self)] // All accumulators answer alike.
    pub(super) fn empty_like(&self) -> Self {
        Self::default()
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.groups.resize(groups, Moments::default());
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        for (at, vector) in block.present() {
            let value = vector.scalar(at, block.ty).to_f64().unwrap_or(0.0);
            self.groups[groups.of(at)].merge(Moments { count: 1.0, mean: value, squares: 0.0 });
        }
        Ok(())
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        for (moments, to) in other.groups.iter().zip(map).filter(|(_, to)| **to != NO_GROUP) {
            self.groups[*to as usize].merge(*moments);
        }
        Ok(())
    }

    pub(super) fn bytes(&self) -> usize {
        size_of_val(self.groups.as_slice())
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        let variance = |m: &Moments| if m.count > 1.0 { m.squares / (m.count - 1.0) } else { 0.0 };
        let root = spec.function == AggregateFunction::StdDev;
        let values: Vec<f64> =
            self.groups.iter().map(|m| if root { variance(m).sqrt() } else { variance(m) }).collect();
        if values.iter().any(|v| !v.is_finite()) {
            return Err(EngineError::SumOverflow(vembra_plan::Type::Float));
        }
        let valid = self.groups.iter().map(|m| m.count > 1.0).collect();
        Ok(Vector::new(Values::Float(values), Some(valid), (0, 0)))
    }
}
