//! One pass over the rows of a table: filter, group, accumulate.
//!
//! The rows are cut into parts by their count alone; each part is read block by block, and the parts are merged
//! in order. So results, also sums of floats, do not depend on threads.

use crate::aggregate::{Accumulator, Block, Groups, NO_GROUP, Spec};
use crate::cells::Numbering;
use crate::error::EngineError;
use crate::eval::Prepared;
use crate::evaluator::{Codes, Evaluator};
use crate::members::Key;
use crate::prepare::{Preparer, Scope};
use crate::run::Options;
use crate::vector::{Rows, Values, Vector};
use crate::watch::{Pass, Step, watched};
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use rayon::prelude::*;
use std::cell::OnceCell;
use std::rc::Rc;
use vembra_plan::{KeyId, RowExpr, Scan};

/// Groups past this many are found by hashing, unless the rows are as many.
const FEW_GROUPS: u128 = 1 << 16;
/// At most so many groups have a place of their own.
const MOST_PLACES: u128 = 1 << 23;
/// At most so many codes of one key per row have a slot.
const SLOTS_FOR_ROW: u128 = 4;
/// A part has about so many rows.
const PART: usize = 1 << 16;
const MOST_PARTS: usize = 16;

/// The groups of a scan that have rows, and what is known of each.
pub(crate) struct Groupings {
    /// What tells the groups apart.
    pub(crate) keys: Vec<KeyId>,
    /// Per key the code of each group.
    pub(crate) codes: Vec<Codes>,
    pub(crate) groups: usize,
    pub(crate) accumulators: Vec<Accumulator>,
    /// The number of each combination of codes, made when it is first asked for.
    numbering: OnceCell<Numbering>,
}

/// A scan bound to columns in memory.
struct Bound<'a> {
    rows: usize,
    filter: Vec<Prepared>,
    keys: Vec<&'a Key>,
    /// How many codes each key has.
    sizes: Vec<u128>,
    /// Different conditions of aggregates; the first one is none at all.
    conditions: Vec<Vec<Prepared>>,
    /// Different values, each under one of the conditions.
    inputs: Vec<(usize, Prepared)>,
    aggregates: Vec<BoundAggregate>,
    options: &'a Options,
}

struct BoundAggregate {
    spec: Spec,
    condition: usize,
    value: Option<usize>,
    by: Option<usize>,
    /// Every row has a value.
    always: bool,
}

/// After so many rows the memory that is taken is looked at.
const ROWS_BETWEEN_CHECKS: usize = 1 << 17;

/// Reads the rows of a scan, told apart by `keys`, for a cell that stands where `scope` says.
pub(crate) fn run(
    evaluator: &Evaluator<'_>,
    scan: &Scan,
    keys: &[(KeyId, Key)],
    scope: &Scope,
) -> Result<Groupings, EngineError> {
    let pass = |found: &Groupings| {
        Step::Pass(Box::new(Pass {
            scan: scan.clone(),
            keys: found.keys.clone(),
            rows: evaluator.star.rows(scan.table),
            groups: found.groups,
        }))
    };
    watched(evaluator.options.watch.as_deref(), || run_once(evaluator, scan, keys, scope), pass)
}

fn run_once(
    evaluator: &Evaluator<'_>,
    scan: &Scan,
    keys: &[(KeyId, Key)],
    scope: &Scope,
) -> Result<Groupings, EngineError> {
    // Keys that give each row the same code tell rows apart once.
    let first = |at: usize| keys[..at].iter().position(|(_, k)| k.is_like(&keys[at].1)).unwrap_or(at);
    let firsts: Vec<usize> = (0..keys.len()).map(first).collect();
    let different: Vec<(KeyId, Key)> =
        (0..keys.len()).filter(|at| firsts[*at] == *at).map(|at| keys[at].clone()).collect();
    let found = run_different(evaluator, scan, &different, scope)?;
    let codes = firsts.iter().map(|first| {
        let at = different.iter().position(|(id, _)| *id == keys[*first].0).unwrap_or(0);
        found.codes[at].clone()
    });
    let ids = keys.iter().map(|(id, _)| *id).collect();
    let codes = codes.collect();
    Ok(Groupings::new(ids, codes, found.groups, found.accumulators))
}

fn run_different(
    evaluator: &Evaluator<'_>,
    scan: &Scan,
    keys: &[(KeyId, Key)],
    scope: &Scope,
) -> Result<Groupings, EngineError> {
    let bound = bind(evaluator, scan, keys, scope)?;
    let places = bound
        .sizes
        .iter()
        .try_fold(1_u128, |product, size| product.checked_mul(*size))
        .ok_or(EngineError::TooManyLines(u128::MAX))?;
    let limit = FEW_GROUPS.max(2 * bound.rows as u128).min(MOST_PLACES);
    let way = bound.way(places, limit);
    let dense = matches!(way, Way::Places(_));
    let by_places = if dense { (MOST_PLACES * 2 / places.max(1)).max(1) as usize } else { MOST_PARTS };
    let options = evaluator.options;
    let parts = options.parts.unwrap_or((bound.rows / PART).clamp(1, MOST_PARTS).min(by_places)).max(1);
    let step = bound.rows.div_ceil(parts).max(1);
    let read: Result<Vec<Part>, EngineError> = (0..parts)
        .into_par_iter()
        .map(|at| bound.part((at * step).min(bound.rows)..((at + 1) * step).min(bound.rows), way))
        .collect();
    let mut read = read?.into_iter();
    let mut all = match (way, read.len()) {
        // The slots of a part are for its own codes; here they are of all parts.
        (Way::Slots(key), 2..) => bound.empty(Finder::Slots(Slots::new(0, bound.sizes[key] as usize)), 0),
        _ => read.next().ok_or_else(|| EngineError::Internal("a scan without parts".to_owned()))?,
    };
    for part in read {
        all.merge(&part)?;
    }
    bound.finish(all, way, keys.iter().map(|(key, _)| *key).collect())
}

fn bind<'a>(
    evaluator: &'a Evaluator<'_>,
    scan: &Scan,
    keys: &'a [(KeyId, Key)],
    scope: &Scope,
) -> Result<Bound<'a>, EngineError> {
    let preparer = Preparer { evaluator, table: scan.table, scope };
    let filter = preparer.all(&scan.filter)?;
    let mut condition_exprs: Vec<&[RowExpr]> = vec![&[]];
    let mut inputs: Vec<(usize, RowExpr, Prepared)> = Vec::new();
    let mut aggregates = Vec::new();
    for plan in &scan.aggregates {
        let condition = place(&mut condition_exprs, &plan.condition[..]);
        let mut input = |expr: &Option<RowExpr>| -> Result<Option<usize>, EngineError> {
            let Some(expr) = expr else { return Ok(None) };
            let known = inputs.iter().position(|(c, e, _)| *c == condition && e == expr);
            if let Some(at) = known {
                return Ok(Some(at));
            }
            inputs.push((condition, expr.clone(), preparer.prepare(expr)?));
            Ok(Some(inputs.len() - 1))
        };
        let (value, by) = (input(&plan.value)?, input(&plan.by)?);
        let nullable = value.is_some_and(|at| inputs[at].2.may_be_null());
        let always = condition == 0 && !nullable;
        aggregates.push(BoundAggregate { spec: Spec::of(plan), condition, value, by, always });
    }
    let conditions: Result<Vec<Vec<Prepared>>, EngineError> =
        condition_exprs.iter().map(|c| preparer.all(c)).collect();
    Ok(Bound {
        rows: evaluator.star.rows(scan.table),
        filter,
        keys: keys.iter().map(|(_, key)| key).collect(),
        sizes: keys.iter().map(|(_, k)| k.members.codes() as u128).collect(),
        conditions: conditions?,
        inputs: inputs.into_iter().map(|(condition, _, input)| (condition, input)).collect(),
        aggregates,
        options: evaluator.options,
    })
}

fn place<T: PartialEq>(list: &mut Vec<T>, item: T) -> usize {
    list.iter().position(|i| *i == item).unwrap_or_else(|| {
        list.push(item);
        list.len() - 1
    })
}

/// What one part of the rows gives.
struct Part {
    finder: Finder,
    /// Which groups have rows.
    present: Vec<bool>,
    accumulators: Vec<Accumulator>,
}

/// How the group of a row is found.
enum Finder {
    /// Each combination of codes has a place of its own.
    Places,
    /// One key tells nearly all groups apart, such as the number of an order: its codes have places.
    Slots(Slots),
    /// By hashing.
    Hashed(Vec<u128>, HashMap<u128, u32, FixedState>),
}

/// Groups by the codes of their largest key, and those of all others combined to one number.
#[derive(Default)]
struct Slots {
    /// The code of the first slot.
    low: u32,
    /// Per code of the largest key the rest and the number of its first group; no group is `NO_GROUP`.
    places: Vec<(u32, u32)>,
    /// The further groups of codes that have several.
    more: HashMap<(u32, u32), u32, FixedState>,
    /// The code and the rest of each group.
    groups: Vec<(u32, u32)>,
}

impl Slots {
    fn new(low: u32, count: usize) -> Self {
        Self { low, places: vec![(0, NO_GROUP); count], ..Self::default() }
    }

    fn group_of(&mut self, code: u32, rest: u32) -> u32 {
        let next = self.groups.len() as u32;
        let slot = &mut self.places[(code - self.low) as usize];
        if slot.1 == NO_GROUP {
            *slot = (rest, next);
        } else if slot.0 == rest {
            return slot.1;
        } else {
            let found = *self.more.entry((code, rest)).or_insert(next);
            if found != next {
                return found;
            }
        }
        self.groups.push((code, rest));
        next
    }
}

/// How the groups of a scan are found.
#[derive(Clone, Copy)]
enum Way {
    Places(usize),
    /// By the key at this position.
    Slots(usize),
    Hashed,
}

/// A subset of a block: the rows, and their groups if there are several.
struct Selected {
    rows: Vec<u32>,
    groups: Vec<u32>,
}

impl Bound<'_> {
    /// Slots pay where one key has nearly as many codes as there are groups, and the others few.
    fn way(&self, places: u128, limit: u128) -> Way {
        if places <= limit {
            return Way::Places(places as usize);
        }
        let largest = (0..self.sizes.len()).max_by_key(|at| self.sizes[*at]).unwrap_or(0);
        let rest = places / self.sizes[largest].max(1);
        let most = FEW_GROUPS.max(SLOTS_FOR_ROW * self.rows as u128);
        let pays = rest <= u128::from(u32::MAX) && self.sizes[largest] <= most;
        if pays { Way::Slots(largest) } else { Way::Hashed }
    }

    fn empty(&self, finder: Finder, groups: usize) -> Part {
        let accumulators = self.aggregates.iter().map(|a| Accumulator::new(&a.spec, a.always)).collect();
        let mut part = Part { finder, present: vec![false; groups], accumulators };
        part.resize(groups);
        part
    }

    fn part(&self, range: std::ops::Range<usize>, way: Way) -> Result<Part, EngineError> {
        let mut part = match way {
            Way::Places(places) => self.empty(Finder::Places, places),
            Way::Hashed => self.empty(Finder::Hashed(Vec::new(), HashMap::default()), 0),
            Way::Slots(key) => {
                let (low, high) = self.keys[key].code_range(range.clone());
                self.empty(Finder::Slots(Slots::new(low, (high - low) as usize + 1)), 0)
            }
        };
        let mut start = range.start;
        while start < range.end {
            if (start - range.start) % ROWS_BETWEEN_CHECKS < self.options.block {
                self.options.memory.check()?;
            }
            let length = self.options.block.min(range.end - start);
            self.block(start, length, &mut part)?;
            start += length;
        }
        Ok(part)
    }

    fn block(&self, start: usize, length: usize, part: &mut Part) -> Result<(), EngineError> {
        let listed = choose(&self.filter, Rows::Range(start, length))?;
        let rows = listed.as_ref().map_or(Rows::Range(start, length), |list| Rows::List(list));
        if rows.len() == 0 {
            return Ok(());
        }
        let groups = self.groups(rows, part);
        if self.keys.is_empty() {
            part.present[0] = true;
        } else if matches!(part.finder, Finder::Places) {
            // A slice of its own, so that each store does not make its address be read again.
            mark_present(&mut part.present, &groups);
        }
        let mut chosen: Vec<Option<Selected>> = Vec::with_capacity(self.conditions.len());
        for condition in &self.conditions {
            chosen.push(select(condition, rows, &groups)?);
        }
        let rows_of = |condition: usize| chosen[condition].as_ref().map_or(rows, |s| Rows::List(&s.rows));
        let mut vectors: Vec<Option<Vector>> = vec![None; self.inputs.len()];
        for (aggregate, accumulator) in self.aggregates.iter().zip(&mut part.accumulators) {
            let rows = rows_of(aggregate.condition);
            if rows.len() == 0 {
                continue;
            }
            let each = chosen[aggregate.condition].as_ref().map_or(&groups, |s| &s.groups);
            let groups = if self.keys.is_empty() { Groups::One } else { Groups::Each(each) };
            if self.as_kept(aggregate, accumulator, groups, rows) {
                continue;
            }
            for at in aggregate.value.iter().chain(&aggregate.by) {
                if vectors[*at].is_none() {
                    vectors[*at] = Some(self.inputs[*at].1.eval(rows)?);
                }
            }
            let vector = |at: usize| vectors[at].as_ref().map(|v| (v, self.inputs[at].1.ty()));
            let value = aggregate.value.and_then(vector);
            let block = Block {
                rows: rows.len(),
                value: value.map(|(v, _)| v),
                ty: value.map_or(vembra_plan::Type::Null, |(_, ty)| ty),
                by: aggregate.by.and_then(vector),
            };
            accumulator.update(groups, &block)?;
        }
        Ok(())
    }

    /// The commonest aggregates read a column as it is kept, without a copy; says whether this one did.
    fn as_kept(
        &self,
        aggregate: &BoundAggregate,
        accumulator: &mut Accumulator,
        groups: Groups<'_>,
        rows: Rows<'_>,
    ) -> bool {
        let (Some(value), None, Rows::Range(start, length)) = (aggregate.value, aggregate.by, rows) else {
            return false;
        };
        let Prepared::Own(column) = &self.inputs[value].1 else { return false };
        match accumulator {
            Accumulator::Sum(sum) => {
                let lanes = column.lanes(start, length);
                lanes.is_some_and(|lanes| sum.update_lanes(groups, lanes, column.bounds()))
            }
            Accumulator::Distinct(distinct) => match column.texts() {
                Some((codes, dictionary)) if column.missing() == 0 => {
                    distinct.update_codes(groups, codes, start..start + length, dictionary.texts.len())
                }
                _ => false,
            },
            _ => false,
        }
    }

    /// The group of each row; empty when there is only one group.
    fn groups(&self, rows: Rows<'_>, part: &mut Part) -> Vec<u32> {
        if self.keys.is_empty() {
            return Vec::new();
        }
        let groups = match &mut part.finder {
            Finder::Places => return self.combined(rows, None),
            Finder::Slots(slots) => {
                let largest = (0..self.sizes.len()).max_by_key(|at| self.sizes[*at]).unwrap_or(0);
                let mut codes = Vec::with_capacity(rows.len());
                self.keys[largest].read(rows, &mut codes);
                let rests = self.combined(rows, Some(largest));
                codes.iter().zip(&rests).map(|(code, rest)| slots.group_of(*code, *rest)).collect()
            }
            Finder::Hashed(places, found) => {
                let mut hash = |place: u128| {
                    *found.entry(place).or_insert_with(|| {
                        places.push(place);
                        places.len() as u32 - 1
                    })
                };
                self.wide_places(rows).into_iter().map(&mut hash).collect::<Vec<u32>>()
            }
        };
        part.present.resize(part.finder.groups(), true);
        part.resize(part.present.len());
        groups
    }

    /// The codes of all keys but one, combined to one number that fits in 32 bits.
    fn combined(&self, rows: Rows<'_>, without: Option<usize>) -> Vec<u32> {
        let mut codes: Vec<u32> = Vec::with_capacity(rows.len());
        for (at, key) in self.keys.iter().enumerate().filter(|(at, _)| Some(*at) != without) {
            if codes.is_empty() {
                key.read(rows, &mut codes);
            } else {
                key.combine(rows, &mut codes, self.sizes[at] as u32);
            }
        }
        if codes.is_empty() {
            codes.resize(rows.len(), 0);
        }
        codes
    }

    /// The codes of all keys, combined to one number.
    fn wide_places(&self, rows: Rows<'_>) -> Vec<u128> {
        let mut places = vec![0_u128; rows.len()];
        let mut codes = Vec::with_capacity(rows.len());
        for (key, size) in self.keys.iter().zip(&self.sizes) {
            codes.clear();
            key.read(rows, &mut codes);
            // The product of all sizes fits in 128 bits: that was checked.
            places.iter_mut().zip(&codes).for_each(|(p, code)| *p = *p * size + u128::from(*code));
        }
        places
    }

    /// The groups that have rows, with their codes.
    fn finish(&self, part: Part, way: Way, keys: Vec<KeyId>) -> Result<Groupings, EngineError> {
        let mut codes = vec![Vec::new(); self.keys.len()];
        let (groups, accumulators) = match &part.finder {
            Finder::Places => {
                let mut map = vec![NO_GROUP; part.present.len()];
                let mut places = Vec::new();
                for (at, _) in part.present.iter().enumerate().filter(|(_, present)| **present) {
                    map[at] = places.len() as u32;
                    places.push(at as u128);
                }
                self.unpack(&mut codes, None, places.iter().copied());
                (places.len(), fold(&part.accumulators, &map, places.len())?)
            }
            Finder::Hashed(places, _) => {
                self.unpack(&mut codes, None, places.iter().copied());
                (places.len(), part.accumulators)
            }
            Finder::Slots(slots) => {
                let Way::Slots(largest) = way else {
                    return Err(EngineError::Internal("slots without a key".to_owned()));
                };
                self.unpack(
                    &mut codes,
                    Some(largest),
                    slots.groups.iter().map(|(_, rest)| u128::from(*rest)),
                );
                codes[largest] = slots.groups.iter().map(|(code, _)| *code).collect();
                (slots.groups.len(), part.accumulators)
            }
        };
        let codes = codes.into_iter().map(Rc::new).collect();
        Ok(Groupings::new(keys, codes, groups, accumulators))
    }
}

impl Bound<'_> {
    /// The codes of all keys but one from their combined numbers.
    fn unpack(&self, codes: &mut [Vec<u32>], without: Option<usize>, places: impl Iterator<Item = u128>) {
        let keys: Vec<usize> = (0..self.keys.len()).rev().filter(|at| Some(*at) != without).collect();
        for place in places {
            // Division of 64 bits is many times faster, and nearly always enough.
            if let Ok(mut place) = u64::try_from(place) {
                for at in &keys {
                    let size = self.sizes[*at] as u64;
                    codes[*at].push((place % size) as u32);
                    place /= size;
                }
            } else {
                let mut place = place;
                for at in &keys {
                    codes[*at].push((place % self.sizes[*at]) as u32);
                    place /= self.sizes[*at];
                }
            }
        }
    }
}

impl Finder {
    fn groups(&self) -> usize {
        match self {
            Self::Places => 0,
            Self::Slots(slots) => slots.groups.len(),
            Self::Hashed(places, _) => places.len(),
        }
    }
}

impl Groupings {
    pub(crate) fn new(
        keys: Vec<KeyId>,
        codes: Vec<Codes>,
        groups: usize,
        accumulators: Vec<Accumulator>,
    ) -> Self {
        Self { keys, codes, groups, accumulators, numbering: OnceCell::new() }
    }

    pub(crate) fn codes_of(&self, key: KeyId) -> Option<&Codes> {
        self.keys.iter().position(|k| *k == key).map(|at| &self.codes[at])
    }

    /// The group of each combination of codes, in the order of the groupings' keys.
    pub(crate) fn numbering(&self, evaluator: &Evaluator<'_>) -> Result<&Numbering, EngineError> {
        if let Some(numbering) = self.numbering.get() {
            return Ok(numbering);
        }
        let mut numbering = evaluator.numbering(&self.keys)?;
        numbering.number_all(&self.codes.iter().collect::<Vec<_>>(), self.groups);
        Ok(self.numbering.get_or_init(|| numbering))
    }

    /// The same told apart by fewer keys.
    pub(crate) fn folded(&self, evaluator: &Evaluator<'_>, keys: &[KeyId]) -> Result<Self, EngineError> {
        let work = || {
            let mut numbering = evaluator.numbering(keys)?;
            let columns: Vec<&Codes> = keys.iter().filter_map(|k| self.codes_of(*k)).collect();
            let map = numbering.number_all(&columns, self.groups);
            let groups = numbering.len();
            let codes = numbering.unpack().into_iter().map(Rc::new).collect();
            let accumulators = fold(&self.accumulators, &map, groups)?;
            Ok(Self::new(keys.to_vec(), codes, groups, accumulators))
        };
        watched(evaluator.options.watch.as_deref(), work, |folded| Step::Fold(self.groups, folded.groups))
    }
}

/// Accumulators of fewer groups: group `g` goes to `map[g]`.
pub(crate) fn fold(
    accumulators: &[Accumulator],
    map: &[u32],
    groups: usize,
) -> Result<Vec<Accumulator>, EngineError> {
    accumulators
        .iter()
        .map(|accumulator| {
            let mut folded = accumulator.empty_like();
            folded.resize(groups);
            folded.merge(accumulator, map)?;
            Ok(folded)
        })
        .collect()
}

impl Part {
    fn resize(&mut self, groups: usize) {
        self.accumulators.iter_mut().for_each(|a| a.resize(groups));
    }

    fn merge(&mut self, other: &Self) -> Result<(), EngineError> {
        let map: Vec<u32> = match (&mut self.finder, &other.finder) {
            (Finder::Slots(slots), Finder::Slots(others)) => {
                others.groups.iter().map(|(code, rest)| slots.group_of(*code, *rest)).collect()
            }
            (Finder::Hashed(places, found), Finder::Hashed(others, _)) => {
                let mut hash = |place: &u128| {
                    *found.entry(*place).or_insert_with(|| {
                        places.push(*place);
                        places.len() as u32 - 1
                    })
                };
                others.iter().map(&mut hash).collect()
            }
            _ => (0..other.present.len() as u32).collect(),
        };
        let groups = self.finder.groups().max(self.present.len());
        self.present.resize(groups, true);
        self.resize(self.present.len());
        for (from, to) in map.iter().enumerate() {
            self.present[*to as usize] |= other.present[from];
        }
        self.accumulators.iter_mut().zip(&other.accumulators).try_for_each(|(a, b)| a.merge(b, &map))
    }
}

/// The rows for which all conditions hold; `None` if all rows pass.
pub(crate) fn choose(conditions: &[Prepared], rows: Rows<'_>) -> Result<Option<Vec<u32>>, EngineError> {
    let mut listed: Option<Vec<u32>> = None;
    for condition in conditions {
        let rows = listed.as_ref().map_or(rows, |list| Rows::List(list));
        let holds = condition.eval(rows)?;
        let kept = positions(&holds, rows.len());
        if kept.len() == rows.len() {
            continue;
        }
        listed = Some(match rows {
            Rows::Range(start, _) => kept.into_iter().map(|at| at + start as u32).collect(),
            Rows::List(list) => kept.into_iter().map(|at| list[at as usize]).collect(),
        });
    }
    Ok(listed)
}

/// Where a condition holds. Without a branch: which way it goes cannot be foretold.
fn positions(holds: &Vector, rows: usize) -> Vec<u32> {
    let Values::Bool(bools) = &holds.values else { return Vec::new() };
    if holds.constant {
        return if holds.is_true(0) { (0..rows as u32).collect() } else { Vec::new() };
    }
    let mut kept = vec![0; rows];
    let mut count = 0;
    let mut keep = |at: usize, holds: bool| {
        kept[count] = at as u32;
        count += usize::from(holds);
    };
    match &holds.valid {
        None => bools.iter().enumerate().for_each(|(at, holds)| keep(at, *holds)),
        Some(valid) => {
            bools.iter().zip(valid).enumerate().for_each(|(at, (holds, v))| keep(at, *holds && *v));
        }
    }
    kept.truncate(count);
    kept
}

/// The rows of a block, with their groups, for which all conditions hold; `None` if all rows pass.
fn select(conditions: &[Prepared], rows: Rows<'_>, groups: &[u32]) -> Result<Option<Selected>, EngineError> {
    let mut selected: Option<Selected> = None;
    for condition in conditions {
        let (current, of) = match &selected {
            Some(s) => (Rows::List(&s.rows), s.groups.as_slice()),
            None => (rows, groups),
        };
        let holds = condition.eval(current)?;
        let kept = positions(&holds, current.len());
        selected = Some(Selected {
            rows: kept.iter().map(|at| current.row(*at as usize) as u32).collect(),
            groups: if of.is_empty() { Vec::new() } else { kept.iter().map(|at| of[*at as usize]).collect() },
        });
    }
    Ok(selected)
}

/// Of so few groups, a block seldom brings one that no earlier block had.
const FEW: usize = 256;

/// Marks the groups of some rows. Where they are few, finding the lowest and highest of them is quicker than marking
/// each row, and mostly shows that all between are marked.
fn mark_present(present: &mut [bool], groups: &[u32]) {
    if present.len() <= FEW {
        let low = groups.iter().copied().fold(u32::MAX, u32::min) as usize;
        let high = groups.iter().copied().fold(0, u32::max) as usize;
        if present.get(low..=high).is_some_and(|between| between.iter().all(|p| *p)) {
            return;
        }
    }
    groups.iter().for_each(|group| present[*group as usize] = true);
}
