//! Sums and averages. Physical values are summed in 64 bits as long as the bounds of the blocks prove that nothing
//! overflows, then in 128.

use super::{Block, Groups, NO_GROUP, Spec, runs};
use crate::error::EngineError;
use crate::execution::parallel::{each, each_two};
use crate::expression::vector::{Values, Vector};
use crate::storage::column::Physicals;
use vembra_plan::{AggregateFunction, Type, decimal::physical_to_f64};

#[derive(Clone, Debug)]
enum Sums {
    Narrow(Vec<i64>),
    Wide(Vec<i128>),
    Float(Vec<f64>),
}

#[derive(Clone, Debug)]
pub(crate) struct Sum {
    sums: Sums,
    /// The sizes of all values in narrow sums together are at most this, so those of any groups merged are too.
    bound: i128,
    /// How many values each group has; none when every row has one and nobody asks.
    counts: Option<Vec<i64>>,
    /// Whether a sum left 128 bits.
    overflow: bool,
}

impl Sum {
    pub(super) fn new(float: bool, counts: bool) -> Self {
        let sums = if float { Sums::Float(Vec::new()) } else { Sums::Narrow(Vec::new()) };
        Self { sums, bound: 0, counts: counts.then(Vec::new), overflow: false }
    }

    pub(super) fn empty_like(&self) -> Self {
        Self::new(matches!(self.sums, Sums::Float(_)), self.counts.is_some())
    }

    pub(super) fn resize(&mut self, groups: usize) {
        match &mut self.sums {
            Sums::Narrow(sums) => runs::resize(sums, groups, 0),
            Sums::Wide(sums) => runs::resize(sums, groups, 0),
            Sums::Float(sums) => runs::resize(sums, groups, 0.0),
        }
        if let Some(counts) = &mut self.counts {
            runs::resize(counts, groups, 0);
        }
    }

    fn widen(&mut self) {
        if let Sums::Narrow(sums) = &self.sums {
            self.sums = Sums::Wide(sums.iter().map(|s| i128::from(*s)).collect());
        }
    }

    /// Notes that narrow sums may move by `by`; widens them when that could overflow.
    fn grow(&mut self, by: Option<i128>) {
        match by.and_then(|by| self.bound.checked_add(by)).filter(|b| *b < i128::from(i64::MAX)) {
            Some(bound) => self.bound = bound,
            None => self.widen(),
        }
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        let Some(vector) = block.value else { return Ok(()) };
        if let Some(counts) = &mut self.counts {
            match (groups, &vector.valid) {
                (Groups::Each(groups), None) => groups.iter().for_each(|g| counts[*g as usize] += 1),
                (Groups::One, None) => counts[0] += block.rows as i64,
                (Groups::Each(groups), Some(valid)) if !vector.constant => {
                    groups.iter().zip(valid).for_each(|(g, v)| counts[*g as usize] += i64::from(*v));
                }
                _ => block.present().for_each(|(at, _)| counts[groups.of(at)] += 1),
            }
        }
        let largest = vector.range.0.unsigned_abs().max(vector.range.1.unsigned_abs());
        let most = i128::try_from(largest).ok().and_then(|m| m.checked_mul(block.rows as i128));
        if matches!(vector.values, Values::Wide(_)) {
            self.widen();
        } else {
            self.grow(most);
        }
        let dense = vector.valid.is_none() && !vector.constant;
        match (&mut self.sums, &vector.values) {
            (Sums::Narrow(sums), Values::Int(physicals)) if dense => match groups {
                Groups::One => sums[0] += physicals.iter().sum::<i64>(),
                Groups::Each(groups) => add_physicals(sums, groups, physicals),
            },
            (Sums::Narrow(sums), Values::Int(physicals)) if !vector.constant => {
                // What stands in the place of a null counts nothing.
                let valid = vector.valid.iter().flatten();
                match groups {
                    Groups::One => {
                        sums[0] +=
                            physicals.iter().zip(valid).map(|(l, v)| if *v { *l } else { 0 }).sum::<i64>();
                    }
                    Groups::Each(groups) => {
                        let rows = groups.iter().zip(physicals).zip(valid);
                        rows.for_each(|((g, l), v)| sums[*g as usize] += if *v { *l } else { 0 });
                    }
                }
            }
            (Sums::Float(sums), Values::Float(floats)) if dense => {
                floats.iter().enumerate().for_each(|(at, x)| sums[groups.of(at)] += x);
            }
            _ => self.update_one_by_one(groups, block),
        }
        Ok(())
    }

    /// Takes in physical values as their column keeps them, if sums in 64 bits surely hold them; says whether it did. No row
    /// lacks a value.
    pub(crate) fn update_physicals(
        &mut self,
        groups: Groups<'_>,
        physicals: Physicals<'_>,
        range: (i128, i128),
    ) -> bool {
        let rows = match physicals {
            Physicals::I8(v) => v.len(),
            Physicals::I16(v) => v.len(),
            Physicals::I32(v) => v.len(),
            Physicals::I64(v) => v.len(),
        };
        let largest = range.0.unsigned_abs().max(range.1.unsigned_abs());
        let most = i128::try_from(largest).ok().and_then(|m| m.checked_mul(rows as i128));
        self.grow(most);
        let Sums::Narrow(sums) = &mut self.sums else { return false };
        if let Some(counts) = &mut self.counts {
            match groups {
                Groups::Each(groups) => groups.iter().for_each(|g| counts[*g as usize] += 1),
                Groups::One => counts[0] += rows as i64,
            }
        }
        match (groups, physicals) {
            (Groups::One, Physicals::I8(v)) => sums[0] += v.iter().map(|l| i64::from(*l)).sum::<i64>(),
            (Groups::One, Physicals::I16(v)) => sums[0] += v.iter().map(|l| i64::from(*l)).sum::<i64>(),
            (Groups::One, Physicals::I32(v)) => sums[0] += v.iter().map(|l| i64::from(*l)).sum::<i64>(),
            (Groups::One, Physicals::I64(v)) => sums[0] += v.iter().sum::<i64>(),
            (Groups::Each(groups), Physicals::I8(v)) => add_physicals(sums, groups, v),
            (Groups::Each(groups), Physicals::I16(v)) => add_physicals(sums, groups, v),
            (Groups::Each(groups), Physicals::I32(v)) => add_physicals(sums, groups, v),
            (Groups::Each(groups), Physicals::I64(v)) => add_physicals(sums, groups, v),
        }
        true
    }

    fn update_one_by_one(&mut self, groups: Groups<'_>, block: &Block<'_>) {
        for (at, vector) in block.present() {
            let (group, at) = (groups.of(at), if vector.constant { 0 } else { at });
            match (&mut self.sums, &vector.values) {
                (Sums::Narrow(sums), Values::Int(physicals)) => sums[group] += physicals[at],
                (Sums::Wide(sums), Values::Int(physicals)) => {
                    add(&mut sums[group], physicals[at].into(), &mut self.overflow);
                }
                (Sums::Wide(sums), Values::Wide(physicals)) => {
                    add(&mut sums[group], physicals[at], &mut self.overflow);
                }
                (Sums::Float(sums), Values::Float(floats)) => sums[group] += floats[at],
                _ => {}
            }
        }
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        self.overflow |= other.overflow;
        if let (Some(counts), Some(others)) = (&mut self.counts, &other.counts) {
            for (count, to) in others.iter().zip(map).filter(|(_, to)| **to != NO_GROUP) {
                counts[*to as usize] += count;
            }
        }
        match &other.sums {
            Sums::Narrow(_) => self.grow(Some(other.bound)),
            Sums::Wide(_) => self.widen(),
            Sums::Float(_) => {}
        }
        let targets = || map.iter().enumerate().filter(|(_, to)| **to != NO_GROUP);
        match (&mut self.sums, &other.sums) {
            (Sums::Narrow(sums), Sums::Narrow(others)) => {
                targets().for_each(|(from, to)| sums[*to as usize] += others[from]);
            }
            (Sums::Wide(sums), Sums::Narrow(others)) => {
                targets().for_each(|(from, to)| {
                    add(&mut sums[*to as usize], others[from].into(), &mut self.overflow);
                });
            }
            (Sums::Wide(sums), Sums::Wide(others)) => {
                targets()
                    .for_each(|(from, to)| add(&mut sums[*to as usize], others[from], &mut self.overflow));
            }
            (Sums::Float(sums), Sums::Float(others)) => {
                targets().for_each(|(from, to)| sums[*to as usize] += others[from]);
            }
            _ => {}
        }
        Ok(())
    }

    pub(super) fn take_runs(&mut self, parts: &[(usize, &Self)]) -> bool {
        let bound = parts.iter().try_fold(self.bound, |bound, (_, part)| bound.checked_add(part.bound));
        let bound = bound.filter(|bound| *bound < i128::from(i64::MAX));
        let narrow = runs::of_parts(parts, |part| match &part.sums {
            Sums::Narrow(sums) => Some(sums.as_slice()),
            _ => None,
        });
        let floats = runs::of_parts(parts, |part| match &part.sums {
            Sums::Float(sums) => Some(sums.as_slice()),
            _ => None,
        });
        match (&mut self.sums, narrow, bound, floats) {
            (Sums::Narrow(sums), Some(narrow), Some(bound), _) => {
                runs::take_in(sums, &narrow, |sum, other| sum + other);
                self.bound = bound;
            }
            (Sums::Float(sums), _, _, Some(floats)) => runs::take_in(sums, &floats, |sum, other| sum + other),
            _ => return false,
        }
        self.overflow |= parts.iter().any(|(_, part)| part.overflow);
        if let (Some(own), Some(counts)) =
            (&mut self.counts, runs::of_parts(parts, |part| part.counts.as_deref()))
        {
            runs::take_in(own, &counts, |count, other| count + other);
        }
        true
    }

    pub(super) fn bytes(&self) -> usize {
        let sums = match &self.sums {
            Sums::Narrow(sums) => size_of_val(sums.as_slice()),
            Sums::Wide(sums) => size_of_val(sums.as_slice()),
            Sums::Float(sums) => size_of_val(sums.as_slice()),
        };
        sums + self.counts.as_ref().map_or(0, |counts| size_of_val(counts.as_slice()))
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        if self.overflow {
            return Err(EngineError::SumOverflow(Type::Decimal(0)));
        }
        let valid = self.counts.as_ref().map(|counts| each(counts, |count| count > 0));
        if spec.function == AggregateFunction::Avg {
            let scale = match spec.value {
                Type::Decimal(scale) => scale,
                _ => 0,
            };
            // What `lane_to_f64` divides by.
            let one = 10_f64.powi(i32::from(scale));
            if let (Sums::Narrow(sums), Some(counts)) = (&self.sums, &self.counts) {
                let means = each_two(sums, counts, |sum, count| sum as f64 / one / count.max(1) as f64);
                return Ok(Vector::new(Values::Float(means), valid, (0, 0)));
            }
            let count = |at: usize| self.counts.as_ref().map_or(1, |c| c[at].max(1)) as f64;
            let means = (0..self.len()).map(|at| {
                let sum = match &self.sums {
                    Sums::Narrow(sums) => sums[at] as f64 / one,
                    Sums::Wide(sums) => physical_to_f64(sums[at], scale),
                    Sums::Float(sums) => sums[at],
                };
                sum / count(at)
            });
            return Ok(Vector::new(Values::Float(means.collect()), valid, (0, 0)));
        }
        match &self.sums {
            Sums::Narrow(sums) => {
                let range = crate::expression::vector::range_of(sums);
                Ok(Vector::new(Values::Int(each(sums, |sum| sum)), valid, range))
            }
            Sums::Wide(sums) => {
                let vector = Vector::from_wide(sums.clone(), valid);
                let integer = spec.ty == Type::Integer && matches!(vector.values, Values::Wide(_));
                if integer { Err(EngineError::SumOverflow(Type::Integer)) } else { Ok(vector) }
            }
            Sums::Float(sums) if sums.iter().all(|s| s.is_finite()) => {
                Ok(Vector::new(Values::Float(sums.clone()), valid, (0, 0)))
            }
            Sums::Float(_) => Err(EngineError::SumOverflow(Type::Float)),
        }
    }

    fn len(&self) -> usize {
        match &self.sums {
            Sums::Narrow(sums) => sums.len(),
            Sums::Wide(sums) => sums.len(),
            Sums::Float(sums) => sums.len(),
        }
    }
}

/// With at most this many groups, neighbouring rows often add to one sum and would wait on one another.
const FEW: usize = 256;
/// How many partial sums of each group are kept while a block is read.
const APART: usize = 4;

fn add_physicals<T: Copy + Into<i64>>(sums: &mut [i64], groups: &[u32], physicals: &[T]) {
    let count = sums.len();
    if count > FEW || physicals.len() < count * APART {
        groups
            .iter()
            .zip(physicals)
            .for_each(|(group, physical)| sums[*group as usize] += (*physical).into());
        return;
    }
    let mut apart = vec![0_i64; count * APART];
    let (first, rest) = apart.split_at_mut(count);
    let (second, rest) = rest.split_at_mut(count);
    let (third, fourth) = rest.split_at_mut(count);
    let (grouped, physical) = (groups.chunks_exact(APART), physicals.chunks_exact(APART));
    let left = grouped.remainder().iter().zip(physical.remainder());
    left.for_each(|(group, physical)| sums[*group as usize] += (*physical).into());
    for (g, l) in grouped.zip(physical) {
        first[g[0] as usize] += l[0].into();
        second[g[1] as usize] += l[1].into();
        third[g[2] as usize] += l[2].into();
        fourth[g[3] as usize] += l[3].into();
    }
    for part in apart.chunks(count) {
        sums.iter_mut().zip(part).for_each(|(sum, part)| *sum += part);
    }
}

fn add(sum: &mut i128, physical: i128, overflow: &mut bool) {
    match sum.checked_add(physical) {
        Some(next) => *sum = next,
        None => *overflow = true,
    }
}
