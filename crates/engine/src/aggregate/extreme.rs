//! The smallest and largest value, and the value at the smallest and largest key.

use super::order_key::OrderKey;
use super::{Block, Groups, NO_GROUP, Spec};
use crate::error::EngineError;
use crate::vector::{Values, Vector};
use vembra_plan::{AggregateFunction, Scalar};

#[derive(Clone, Debug)]
pub(crate) struct Extreme {
    function: AggregateFunction,
    best: Best,
}

#[derive(Clone, Debug)]
enum Best {
    /// Lanes of 64 bits, and whether there is one; where there is none, the worst of all.
    Lanes(Vec<i64>, Vec<bool>),
    /// Key and value; for the smallest and largest value both are the value.
    Keys(Vec<Option<(OrderKey, OrderKey)>>),
}

impl Extreme {
    pub(super) fn new(function: AggregateFunction) -> Self {
        let plain = matches!(function, AggregateFunction::Min | AggregateFunction::Max);
        let best = if plain { Best::Lanes(Vec::new(), Vec::new()) } else { Best::Keys(Vec::new()) };
        Self { function, best }
    }

    fn wants_largest(&self) -> bool {
        matches!(self.function, AggregateFunction::Max | AggregateFunction::Last)
    }

    pub(super) fn empty_like(&self) -> Self {
        Self::new(self.function)
    }

    pub(super) fn resize(&mut self, groups: usize) {
        let largest = self.wants_largest();
        match &mut self.best {
            Best::Lanes(lanes, seen) => {
                lanes.resize(groups, if largest { i64::MIN } else { i64::MAX });
                seen.resize(groups, false);
            }
            Best::Keys(keys) => keys.resize(groups, None),
        }
    }

    fn leave_lanes(&mut self) {
        if let Best::Lanes(lanes, seen) = &self.best {
            let key = |(lane, seen): (&i64, &bool)| {
                seen.then(|| (OrderKey::Lane((*lane).into()), OrderKey::Lane((*lane).into())))
            };
            self.best = Best::Keys(lanes.iter().zip(seen).map(key).collect());
        }
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        let largest = self.wants_largest();
        let Some(vector) = block.value else { return Ok(()) };
        if let (Best::Lanes(best, seen), Values::Int(lanes)) = (&mut self.best, &vector.values) {
            if let (Groups::Each(groups), None, false) = (groups, &vector.valid, vector.constant) {
                // The common one without nulls, without a choice inside.
                let (best, seen) = (best.as_mut_slice(), seen.as_mut_slice());
                for (group, lane) in groups.iter().zip(lanes) {
                    let best = &mut best[*group as usize];
                    *best = if largest { *lane.max(best) } else { *lane.min(best) };
                    seen[*group as usize] = true;
                }
                return Ok(());
            }
            for (at, vector) in block.present() {
                let (group, lane) = (groups.of(at), lanes[if vector.constant { 0 } else { at }]);
                let better = if largest { lane > best[group] } else { lane < best[group] };
                if better || !seen[group] {
                    best[group] = lane;
                    seen[group] = true;
                }
            }
            return Ok(());
        }
        self.leave_lanes();
        for (at, vector) in block.present() {
            let value = OrderKey::at(vector, at);
            let key = match block.by {
                Some((by, _)) if !by.is_valid(at) => continue,
                Some((by, _)) => OrderKey::at(by, at),
                None => value.clone(),
            };
            self.offer(groups.of(at), key, value);
        }
        Ok(())
    }

    /// Of equal keys the smallest value stays.
    fn offer(&mut self, group: usize, key: OrderKey, value: OrderKey) {
        let largest = self.wants_largest();
        let Best::Keys(best) = &mut self.best else { return };
        let better = match &best[group] {
            None => true,
            Some((k, v)) => match key.cmp(k) {
                std::cmp::Ordering::Equal => value < *v,
                std::cmp::Ordering::Less => !largest,
                std::cmp::Ordering::Greater => largest,
            },
        };
        if better {
            best[group] = Some((key, value));
        }
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        let largest = self.wants_largest();
        if let (Best::Lanes(best, seen), Best::Lanes(lanes, there)) = (&mut self.best, &other.best) {
            for (from, to) in map.iter().enumerate().filter(|(from, to)| **to != NO_GROUP && there[*from]) {
                let (to, lane) = (*to as usize, lanes[from]);
                let better = if largest { lane > best[to] } else { lane < best[to] };
                if better || !seen[to] {
                    best[to] = lane;
                    seen[to] = true;
                }
            }
            return Ok(());
        }
        self.leave_lanes();
        let mut other = other.clone();
        other.leave_lanes();
        let Best::Keys(keys) = other.best else { return Ok(()) };
        for (pair, to) in keys.into_iter().zip(map).filter(|(_, to)| **to != NO_GROUP) {
            if let Some((key, value)) = pair {
                self.offer(*to as usize, key, value);
            }
        }
        Ok(())
    }

    pub(super) fn bytes(&self) -> usize {
        match &self.best {
            Best::Lanes(lanes, seen) => size_of_val(lanes.as_slice()) + seen.len(),
            Best::Keys(keys) => size_of_val(keys.as_slice()),
        }
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        Ok(match &self.best {
            Best::Lanes(lanes, seen) if spec.ty.is_lane() && spec.ty != vembra_plan::Type::Boolean => {
                let lanes: Vec<i64> =
                    lanes.iter().zip(seen).map(|(lane, seen)| if *seen { *lane } else { 0 }).collect();
                let range = crate::vector::range_of(&lanes);
                Vector::new(Values::Int(lanes), Some(seen.clone()), range)
            }
            Best::Lanes(_, seen) => Vector::from_scalars(&vec![Scalar::Null; seen.len()], spec.ty),
            Best::Keys(keys) => {
                let value = |pair: &Option<(OrderKey, OrderKey)>| {
                    pair.as_ref().map_or(Scalar::Null, |(_, v)| v.to_scalar(spec.ty))
                };
                Vector::from_scalars(&keys.iter().map(value).collect::<Vec<_>>(), spec.ty)
            }
        })
    }
}
