//! Aggregates that need all values: medians, percentiles and joined texts.

use super::order_key::OrderKey;
use super::{Block, Groups, NO_GROUP, Spec};
use crate::error::EngineError;
use crate::vector::Vector;
use vembra_plan::{AggregateFunction, Scalar, Type};

#[derive(Clone, Debug, Default)]
pub(crate) struct Collect {
    groups: usize,
    values: Vec<(u32, OrderKey)>,
    ty: Option<Type>,
}

impl Collect {
    #[allow(clippy::unused_self)] // All accumulators answer alike.
    pub(super) fn empty_like(&self) -> Self {
        Self::default()
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.groups = groups;
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        self.ty = Some(block.ty);
        self.values.extend(block.present().map(|(at, v)| (groups.of(at) as u32, OrderKey::at(v, at))));
        Ok(())
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        self.ty = self.ty.or(other.ty);
        let moved = other.values.iter().filter_map(|(group, value)| {
            map.get(*group as usize).filter(|to| **to != NO_GROUP).map(|to| (*to, value.clone()))
        });
        self.values.extend(moved);
        Ok(())
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        let mut sorted = self.values.clone();
        sorted.sort();
        let mut results = vec![Scalar::Null; self.groups];
        for run in sorted.chunk_by(|a, b| a.0 == b.0) {
            results[run[0].0 as usize] = self.result(run, spec);
        }
        Ok(Vector::from_scalars(&results, spec.ty))
    }

    fn result(&self, run: &[(u32, OrderKey)], spec: &Spec) -> Scalar {
        let ty = self.ty.unwrap_or(Type::Null);
        let number = |at: usize| run[at].1.to_scalar(ty).to_f64().unwrap_or(0.0);
        match spec.function {
            AggregateFunction::Median => Scalar::Float(interpolate(number, run.len(), 0.5)),
            AggregateFunction::Percentile => {
                let part = spec.parameter.as_ref().and_then(Scalar::to_f64).unwrap_or(0.5);
                Scalar::Float(interpolate(number, run.len(), part))
            }
            _ => {
                let separator = match &spec.parameter {
                    Some(Scalar::Text(separator)) => separator.to_string(),
                    _ => ", ".to_owned(),
                };
                let mut texts: Vec<String> =
                    run.iter().map(|(_, k)| k.to_scalar(Type::Text).to_string()).collect();
                if spec.function == AggregateFunction::ListAggDistinct {
                    texts.dedup();
                }
                Scalar::text(texts.join(&separator))
            }
        }
    }
}

/// The value below which `part` of the values lie, between its two neighbours.
fn interpolate(number: impl Fn(usize) -> f64, count: usize, part: f64) -> f64 {
    let place = part.clamp(0.0, 1.0) * (count - 1) as f64;
    let below = place.floor() as usize;
    let (low, high) = (number(below), number((below + 1).min(count - 1)));
    low + (high - low) * (place - below as f64)
}
