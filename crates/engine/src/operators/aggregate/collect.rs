//! Aggregates that need all values: medians, percentiles and joined texts.

use super::order_key::{OrderKey, sortable, unsortable};
use super::{Block, Groups, NO_GROUP, Spec};
use crate::error::EngineError;
use crate::execution::threads::{in_pieces, of_pieces};
use crate::expression::vector::{Values, Vector};
use crate::storage::narrow::narrow;
use vembra_plan::{AggregateFunction, Scalar, Type, decimal::physical_to_f64};

#[derive(Clone, Debug)]
pub(crate) struct Collect {
    groups: usize,
    kept: Kept,
    ty: Option<Type>,
}

/// Up to this many groups take in the numbers of all parts at once.
const FEW: usize = 1 << 12;

#[derive(Clone, Debug)]
enum Kept {
    /// Per group its numbers, as 64 bits that sort like them.
    Numbers(Vec<Vec<i64>>),
    Keys(Vec<(u32, OrderKey)>),
}

/// Texts of fewer bytes together are put together without a look at the memory that is left.
const UNCHECKED: usize = 1 << 16;

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
            let key = |n: &i64| if float { OrderKey::Float(*n) } else { OrderKey::Physical((*n).into()) };
            let of_run = |(group, run): (usize, &Vec<i64>)| {
                run.iter().map(move |n| (narrow(group), key(n))).collect::<Vec<_>>()
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
                Values::Int(physicals) if vector.valid.is_none() && !vector.constant => match groups {
                    Groups::One => runs[0].extend(physicals),
                    Groups::Each(groups) => {
                        groups
                            .iter()
                            .zip(physicals)
                            .for_each(|(group, physical)| runs[*group as usize].push(*physical));
                    }
                },
                _ => {
                    for (at, vector) in block.present() {
                        let (group, at) = (groups.of(at), if vector.constant { 0 } else { at });
                        runs[group].push(match &vector.values {
                            Values::Int(physicals) => physicals[at],
                            Values::Float(floats) => sortable(floats[at]),
                            _ => 0,
                        });
                    }
                }
            },
            Kept::Keys(keys) => {
                keys.extend(block.present().map(|(at, v)| (narrow(groups.of(at)), OrderKey::at(v, at))));
            }
        }
        Ok(())
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        self.ty = self.ty.or(other.ty);
        let to = |group: u32| map.get(group as usize).copied().filter(|to| *to != NO_GROUP);
        if let (Kept::Numbers(runs), Kept::Numbers(others)) = (&mut self.kept, &other.kept) {
            for (group, more) in others.iter().enumerate() {
                if let Some(to) = to(narrow(group)) {
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

    /// Takes in the numbers of others, each group on a thread of its own, where there are few groups; says whether it did.
    pub(super) fn append(&mut self, others: &[(&Self, &[u32])]) -> bool {
        let Kept::Numbers(runs) = &mut self.kept else { return false };
        if runs.len() > FEW {
            return false;
        }
        let mut pieces: Vec<Vec<&[i64]>> = vec![Vec::new(); runs.len()];
        for (other, map) in others {
            let Kept::Numbers(more) = &other.kept else { return false };
            for (run, to) in more.iter().zip(*map).filter(|(_, to)| **to != NO_GROUP) {
                pieces[*to as usize].push(run);
            }
        }
        in_pieces(runs, 1, |at, run| {
            let (run, pieces) = (&mut run[0], &pieces[at]);
            run.reserve_exact(pieces.iter().map(|piece| piece.len()).sum());
            pieces.iter().for_each(|piece| run.extend_from_slice(piece));
        });
        self.ty = others.iter().fold(self.ty, |ty, (other, _)| ty.or(other.ty));
        true
    }

    pub(super) fn bytes(&self) -> usize {
        match &self.kept {
            Kept::Numbers(runs) => {
                let numbers: usize = runs.iter().map(|run| size_of_val(run.as_slice())).sum();
                numbers + size_of_val(runs.as_slice())
            }
            Kept::Keys(keys) => size_of_val(keys.as_slice()),
        }
    }

    pub(super) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
        match &self.kept {
            Kept::Numbers(runs) => {
                let part = part_of(spec);
                let of_run = |run: &Vec<i64>| (!run.is_empty()).then(|| self.part(run, part));
                let mut found: Vec<Option<f64>> = vec![None; runs.len()];
                in_pieces(&mut found, RUNS_AT_ONCE, |start, found| {
                    found.iter_mut().zip(&runs[start..]).for_each(|(place, run)| *place = of_run(run));
                });
                let valid = found.iter().map(Option::is_some).collect();
                let floats = found.into_iter().map(Option::unwrap_or_default).collect();
                Ok(Vector::new(Values::Float(floats), Some(valid), (0, 0)))
            }
            Kept::Keys(keys) => {
                let mut results = vec![Scalar::Null; self.groups];
                let mut sorted = keys.clone();
                sorted.sort();
                for run in sorted.chunk_by(|a, b| a.0 == b.0) {
                    // A text of all texts is as long as they are together.
                    let bytes: usize = run.iter().map(|(_, key)| key.text_bytes()).sum();
                    if bytes > UNCHECKED {
                        spec.memory.check_more(2 * bytes as u64)?;
                    }
                    results[run[0].0 as usize] = self.result(run, spec);
                }
                Ok(Vector::from_scalars(&results, spec.ty))
            }
        }
    }

    /// The value below which a part of some numbers lie.
    fn part(&self, run: &[i64], part: f64) -> f64 {
        let number = |bits: i64| match self.ty {
            Some(Type::Float) => unsortable(bits),
            Some(Type::Decimal(scale)) => physical_to_f64(bits.into(), scale),
            _ => bits as f64,
        };
        let place = part * (run.len() - 1) as f64;
        let below = floor(place);
        let (low, high) = two_at(run, below);
        between(number(low), number(high), place - below as f64)
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

/// How many groups have their numbers put in order at a time.
const RUNS_AT_ONCE: usize = 64;
/// From this many numbers on, a sample of them says near which the wanted ones lie.
const SAMPLED: usize = 1 << 16;
/// How many numbers are a sample,
const SAMPLE: usize = 1 << 10;
/// and between this many of its positions on either side the wanted ones lie, nearly always.
const AROUND: usize = 40;

/// A value between two neighbours, a part of the way from the one to the other. At the one itself the other is not looked at: it may be
/// NaN, or so far away that the distance is no number.
fn between(low: f64, high: f64, part: f64) -> f64 {
    if part == 0.0 { low } else { low + (high - low) * part }
}

/// The whole part of a place, from 0.
#[allow(clippy::cast_possible_truncation)] // It is a part of a count; a float keeps to the ends.
fn floor(place: f64) -> usize {
    place.floor() as usize
}

/// The numbers at a place among some in order, and at the place behind it; at the last place twice that one.
fn two_at(run: &[i64], place: usize) -> (i64, i64) {
    let near = if run.len() < SAMPLED { None } else { near(run, place) };
    let (mut among, place) = near.unwrap_or_else(|| (run.to_vec(), place));
    let (_, low, above) = among.select_nth_unstable(place);
    let low = *low;
    (low, above.iter().min().copied().unwrap_or(low))
}

/// The numbers among which those at a place and behind it lie, and the place among them; none if the sample led astray.
fn near(run: &[i64], place: usize) -> Option<(Vec<i64>, usize)> {
    let mut sample: Vec<i64> = (0..SAMPLE).map(|at| run[at * (run.len() / SAMPLE)]).collect();
    sample.sort_unstable();
    let at = (place as u128 * SAMPLE as u128 / run.len() as u128) as usize;
    let low = at.checked_sub(AROUND).map_or(i64::MIN, |at| sample[at]);
    let high = sample.get(at + AROUND).copied().unwrap_or(i64::MAX);
    let pieces: Vec<(usize, Vec<i64>)> = of_pieces(run.len(), SAMPLED, |piece| {
        let own = &run[piece];
        let below = own.iter().filter(|n| **n < low).count();
        let among: Vec<i64> = own.iter().copied().filter(|n| (low..=high).contains(n)).collect();
        (below, among)
    });
    let below: usize = pieces.iter().map(|(below, _)| below).sum();
    let among: Vec<i64> = pieces.into_iter().flat_map(|(_, among)| among).collect();
    // The one behind the last of all is that one.
    let needed = (place + 1).min(run.len() - 1);
    (below <= place && needed < below + among.len()).then(|| (among, place - below))
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
    let below = floor(place);
    let (low, high) = (number(below), number((below + 1).min(count - 1)));
    between(low, high, place - below as f64)
}

#[cfg(test)]
mod tests {
    use super::{SAMPLED, two_at};
    use crate::storage::testing::Random;

    #[test]
    fn two_neighbours_are_those_of_the_numbers_in_order() {
        let mut random = Random(41);
        for round in 0..12 {
            let len = SAMPLED + random.below(5_000);
            let most = [3, 1_000, 1 << 40][round % 3];
            let mut run: Vec<i64> = (0..len).map(|_| random.below(most) as i64 - 1).collect();
            if round > 5 {
                // In an order that a sample could fall for.
                run.sort_unstable();
            }
            let mut sorted = run.clone();
            sorted.sort_unstable();
            for place in [0, 1, len / 2, len / 3, len - 2, len - 1, random.below(len)] {
                let wanted = (sorted[place], sorted[(place + 1).min(len - 1)]);
                assert_eq!(two_at(&run, place), wanted, "round {round}, place {place}");
            }
        }
        // All of them but one are alike, and the sample sees none of the others.
        let mut run = vec![7; SAMPLED];
        run[1] = 9;
        assert_eq!(two_at(&run, SAMPLED - 2), (7, 9));
    }
}
