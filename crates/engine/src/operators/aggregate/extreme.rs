//! The smallest and largest value, and the value at the smallest and largest key.

use super::order_key::OrderKey;
use super::{Block, Groups, NO_GROUP, Spec, runs};
use crate::error::EngineError;
use crate::execution::parallel::each_two;
use crate::expression::vector::{Values, Vector};
use vembra_plan::{AggregateFunction, Scalar};

#[derive(Clone, Debug)]
pub(crate) struct Extreme {
    function: AggregateFunction,
    best: Best,
}

#[derive(Clone, Debug)]
enum Best {
    /// Physical values of 64 bits; where there is none, the worst of all, and whether that one itself is there.
    Physicals(Vec<i64>, Vec<bool>),
    /// Key and value; for the smallest and largest value both are the value.
    Keys(Vec<Option<(OrderKey, OrderKey)>>),
}

impl Extreme {
    pub(super) fn new(function: AggregateFunction) -> Self {
        let plain = matches!(function, AggregateFunction::Min | AggregateFunction::Max);
        let best = if plain { Best::Physicals(Vec::new(), Vec::new()) } else { Best::Keys(Vec::new()) };
        Self { function, best }
    }

    fn wants_largest(&self) -> bool {
        matches!(self.function, AggregateFunction::Max | AggregateFunction::Last)
    }

    pub(super) fn empty_like(&self) -> Self {
        Self::new(self.function)
    }

    pub(super) fn resize(&mut self, groups: usize) {
        let worst = self.worst();
        match &mut self.best {
            Best::Physicals(physicals, seen) => {
                runs::resize(physicals, groups, worst);
                runs::resize(seen, groups, false);
            }
            Best::Keys(keys) => keys.resize(groups, None),
        }
    }

    /// No physical value is worse.
    fn worst(&self) -> i64 {
        if self.wants_largest() { i64::MIN } else { i64::MAX }
    }

    fn leave_physicals(&mut self) {
        let worst = self.worst();
        if let Best::Physicals(physicals, seen) = &self.best {
            let key = |(physical, seen): (&i64, &bool)| {
                let there = *seen || *physical != worst;
                there
                    .then(|| (OrderKey::Physical((*physical).into()), OrderKey::Physical((*physical).into())))
            };
            self.best = Best::Keys(physicals.iter().zip(seen).map(key).collect());
        }
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        let (largest, worst) = (self.wants_largest(), self.worst());
        let Some(vector) = block.value else { return Ok(()) };
        if let (Best::Physicals(best, seen), Values::Int(physicals)) = (&mut self.best, &vector.values) {
            if let (Groups::Each(groups), None, false) = (groups, &vector.valid, vector.constant) {
                // The common one without nulls, without a choice inside.
                let best = best.as_mut_slice();
                let rows = groups.iter().zip(physicals);
                if largest {
                    rows.for_each(|(g, physical)| best[*g as usize] = best[*g as usize].max(*physical));
                } else {
                    rows.for_each(|(g, physical)| best[*g as usize] = best[*g as usize].min(*physical));
                }
                if vector.range.0 <= worst.into() && vector.range.1 >= worst.into() {
                    let worst_ones = groups.iter().zip(physicals).filter(|(_, physical)| **physical == worst);
                    worst_ones.for_each(|(group, _)| seen[*group as usize] = true);
                }
                return Ok(());
            }
            for (at, vector) in block.present() {
                let (group, physical) = (groups.of(at), physicals[if vector.constant { 0 } else { at }]);
                best[group] = if largest { best[group].max(physical) } else { best[group].min(physical) };
                seen[group] |= physical == worst;
            }
            return Ok(());
        }
        self.leave_physicals();
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
        if let (Best::Physicals(best, seen), Best::Physicals(physicals, there)) =
            (&mut self.best, &other.best)
        {
            let better =
                |best: i64, physical: i64| if largest { best.max(physical) } else { best.min(physical) };
            for (from, to) in map.iter().enumerate().filter(|(_, to)| **to != NO_GROUP) {
                let to = *to as usize;
                best[to] = better(best[to], physicals[from]);
                seen[to] |= there[from];
            }
            return Ok(());
        }
        self.leave_physicals();
        let mut other = other.clone();
        other.leave_physicals();
        let Best::Keys(keys) = other.best else { return Ok(()) };
        for (pair, to) in keys.into_iter().zip(map).filter(|(_, to)| **to != NO_GROUP) {
            if let Some((key, value)) = pair {
                self.offer(*to as usize, key, value);
            }
        }
        Ok(())
    }

    pub(super) fn take_runs(&mut self, parts: &[(usize, &Self)]) -> bool {
        let largest = self.wants_largest();
        let Best::Physicals(best, seen) = &mut self.best else { return false };
        let physicals = runs::of_parts(parts, |part| match &part.best {
            Best::Physicals(physicals, _) => Some(physicals.as_slice()),
            Best::Keys(_) => None,
        });
        let there = runs::of_parts(parts, |part| match &part.best {
            Best::Physicals(_, there) => Some(there.as_slice()),
            Best::Keys(_) => None,
        });
        let (Some(physicals), Some(there)) = (physicals, there) else { return false };
        if largest {
            runs::take_in(best, &physicals, i64::max);
        } else {
            runs::take_in(best, &physicals, i64::min);
        }
        runs::take_in(seen, &there, |seen, there| seen | there);
        true
    }

    pub(super) fn bytes(&self) -> usize {
        match &self.best {
            Best::Physicals(physicals, seen) => size_of_val(physicals.as_slice()) + seen.len(),
            Best::Keys(keys) => size_of_val(keys.as_slice()),
        }
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        Ok(match &self.best {
            Best::Physicals(physicals, seen)
                if spec.ty.is_physical() && spec.ty != vembra_plan::Type::Boolean =>
            {
                let worst = self.worst();
                let there = each_two(physicals, seen, |physical, seen| seen || physical != worst);
                let physicals =
                    each_two(physicals, &there, |physical, there| if there { physical } else { 0 });
                let range = crate::expression::vector::range_of(&physicals);
                Vector::new(Values::Int(physicals), Some(there), range)
            }
            Best::Physicals(_, seen) => Vector::from_scalars(&vec![Scalar::Null; seen.len()], spec.ty),
            Best::Keys(keys) => {
                let value = |pair: &Option<(OrderKey, OrderKey)>| {
                    pair.as_ref().map_or(Scalar::Null, |(_, v)| v.to_scalar(spec.ty))
                };
                Vector::from_scalars(&keys.iter().map(value).collect::<Vec<_>>(), spec.ty)
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use super::Extreme;
    use crate::expression::vector::Vector;
    use crate::operators::aggregate::{Block, Groups, NO_GROUP, Spec};
    use vembra_plan::{AggregateFunction, Scalar, Type};

    /// The physical value that stands for none is a value like others where it comes.
    #[test]
    fn the_last_physical_of_all_may_be_the_best_one() {
        for (function, worst) in [(AggregateFunction::Max, i64::MIN), (AggregateFunction::Min, i64::MAX)] {
            let spec = Spec {
                function,
                value: Type::Integer,
                parameter: None,
                ty: Type::Integer,
                memory: crate::execution::budget::Budget::none(),
            };
            let of = |values: &[Option<i64>], groups: &[u32]| {
                let mut extreme = Extreme::new(function);
                extreme.resize(4);
                let scalars: Vec<Scalar> =
                    values.iter().map(|v| v.map_or(Scalar::Null, Scalar::Integer)).collect();
                let vector = Vector::from_scalars(&scalars, Type::Integer);
                let block = Block { rows: values.len(), value: Some(&vector), ty: Type::Integer, by: None };
                extreme.update(Groups::Each(groups), &block).unwrap();
                extreme
            };
            let told = |extreme: &Extreme| {
                let found = extreme.finish(&spec).unwrap();
                (0..4).map(|at| found.scalar(at, Type::Integer)).collect::<Vec<_>>()
            };
            let (none, last, five) = (Scalar::Null, Scalar::Integer(worst), Scalar::Integer(5));
            let mut all = of(&[Some(worst), Some(worst), Some(5)], &[0, 1, 1]);
            assert_eq!(told(&all), [last.clone(), five.clone(), none.clone(), none.clone()]);
            let with_nulls = of(&[None, Some(worst), None, Some(5)], &[0, 2, 3, 3]);
            assert_eq!(told(&with_nulls), [none.clone(), none.clone(), last.clone(), five.clone()]);
            let mut apart = all.clone();
            all.merge(&with_nulls, &[0, 1, 2, 3]).unwrap();
            assert_eq!(told(&all), [last.clone(), five.clone(), last.clone(), five.clone()]);
            apart.merge(&with_nulls, &[NO_GROUP, NO_GROUP, 3, 2]).unwrap();
            assert_eq!(told(&apart), [last.clone(), five.clone(), five, last]);
        }
    }
}
