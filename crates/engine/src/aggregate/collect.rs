//! Aggregates that need all values: medians, percentiles and joined texts.

use super::order_key::{OrderKey, sortable, unsortable};
use super::{Block, Groups, NO_GROUP, Spec};
use crate::error::EngineError;
use crate::vector::{Values, Vector};
use rayon::prelude::*;
use vembra_plan::{AggregateFunction, Scalar, Type, decimal::lane_to_f64};

#[derive(Clone, Debug)]
pub(crate) struct Collect {
    groups: usize,
    kept: Kept,
    ty: Option<Type>,
}

#[derive(Clone, Debug)]
enum Kept {
    /// Per group its numbers, as 64 bits that sort like them.
    Numbers(Vec<Vec<i64>>),
    Keys(Vec<(u32, OrderKey)>),
}

impl Collect {
    /// `numbers` says that only numbers come.
    pub(super) fn new(numbers: bool) -> Self {
        let kept = if numbers { Kept::Numbers(Vec::new()) } else { Kept::Keys(Vec::new()) };
        Self { groups: 0, kept, ty: None }
    }

    pub(super) fn empty_like(&self) -> Self {
        Self::new(matches!(self.kept, Kept::Numbers(_)))
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.groups = groups;
        if let Kept::Numbers(runs) = &mut self.kept {
            runs.resize(groups, Vec::new());
        }
    }

    /// Numbers of more than 64 bits are kept as keys.
    fn leave_numbers(&mut self) {
        if let Kept::Numbers(runs) = &self.kept {
            let float = self.ty == Some(Type::Float);
            let key = |n: &i64| if float { OrderKey::Float(*n) } else { OrderKey::Lane((*n).into()) };
            let of_run = |(group, run): (usize, &Vec<i64>)| {
                run.iter().map(move |n| (group as u32, key(n))).collect::<Vec<_>>()
            };
            self.kept = Kept::Keys(runs.iter().enumerate().flat_map(of_run).collect());
        }
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        self.ty = Some(block.ty);
        let Some(vector) = block.value else { return Ok(()) };
        if !matches!(vector.values, Values::Int(_) | Values::Float(_)) {
            self.leave_numbers();
        }
        match &mut self.kept {
            Kept::Numbers(runs) => match &vector.values {
                Values::Int(lanes) if vector.valid.is_none() && !vector.constant => match groups {
                    Groups::One => runs[0].extend(lanes),
                    Groups::Each(groups) => {
                        groups.iter().zip(lanes).for_each(|(group, lane)| runs[*group as usize].push(*lane));
                    }
                },
                _ => {
                    for (at, vector) in block.present() {
                        let (group, at) = (groups.of(at), if vector.constant { 0 } else { at });
                        runs[group].push(match &vector.values {
                            Values::Int(lanes) => lanes[at],
                            Values::Float(floats) => sortable(floats[at]),
                            _ => 0,
                        });
                    }
                }
            },
            Kept::Keys(keys) => {
                keys.extend(block.present().map(|(at, v)| (groups.of(at) as u32, OrderKey::at(v, at))));
            }
        }
        Ok(())
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        self.ty = self.ty.or(other.ty);
        let to = |group: u32| map.get(group as usize).copied().filter(|to| *to != NO_GROUP);
        if let (Kept::Numbers(runs), Kept::Numbers(others)) = (&mut self.kept, &other.kept) {
            for (group, more) in others.iter().enumerate() {
                if let Some(to) = to(group as u32) {
                    runs[to as usize].extend_from_slice(more);
                }
            }
            return Ok(());
        }
        self.leave_numbers();
        let mut other = other.clone();
        other.leave_numbers();
        if let (Kept::Keys(keys), Kept::Keys(more)) = (&mut self.kept, other.kept) {
            keys.extend(more.into_iter().filter_map(|(group, value)| to(group).map(|to| (to, value))));
        }
        Ok(())
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        match &self.kept {
            Kept::Numbers(runs) => {
                let part = part_of(spec);
                let of_run = |run: &Vec<i64>| (!run.is_empty()).then(|| self.part(&mut run.clone(), part));
                let found = runs.par_iter().map(of_run);
                let found: Vec<Option<f64>> = found.collect();
                let valid = found.iter().map(Option::is_some).collect();
                let floats = found.into_iter().map(Option::unwrap_or_default).collect();
                Ok(Vector::new(Values::Float(floats), Some(valid), (0, 0)))
            }
            Kept::Keys(keys) => {
                let mut results = vec![Scalar::Null; self.groups];
                let mut sorted = keys.clone();
                sorted.sort();
                for run in sorted.chunk_by(|a, b| a.0 == b.0) {
                    results[run[0].0 as usize] = self.result(run, spec);
                }
                Ok(Vector::from_scalars(&results, spec.ty))
            }
        }
    }

    /// The value below which a part of some numbers lie. They are put in order only as far as needed.
    fn part(&self, run: &mut [i64], part: f64) -> f64 {
        let number = |bits: i64| match self.ty {
            Some(Type::Float) => unsortable(bits),
            Some(Type::Decimal(scale)) => lane_to_f64(bits.into(), scale),
            _ => bits as f64,
        };
        let place = part * (run.len() - 1) as f64;
        let below = place.floor() as usize;
        let (_, low, above) = run.select_nth_unstable(below);
        let low = *low;
        let high = above.iter().min().copied().unwrap_or(low);
        number(low) + (number(high) - number(low)) * (place - below as f64)
    }

    fn result(&self, run: &[(u32, OrderKey)], spec: &Spec) -> Scalar {
        let ty = self.ty.unwrap_or(Type::Null);
        let number = |at: usize| run[at].1.to_scalar(ty).to_f64().unwrap_or(0.0);
        match spec.function {
            AggregateFunction::Median | AggregateFunction::Percentile => {
                Scalar::Float(interpolate(number, run.len(), part_of(spec)))
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

fn part_of(spec: &Spec) -> f64 {
    match spec.function {
        AggregateFunction::Median => 0.5,
        _ => spec.parameter.as_ref().and_then(Scalar::to_f64).unwrap_or(0.5).clamp(0.0, 1.0),
    }
}

/// The value below which `part` of the values lie, between its two neighbours.
fn interpolate(number: impl Fn(usize) -> f64, count: usize, part: f64) -> f64 {
    let place = part.clamp(0.0, 1.0) * (count - 1) as f64;
    let below = place.floor() as usize;
    let (low, high) = (number(below), number((below + 1).min(count - 1)));
    low + (high - low) * (place - below as f64)
}
