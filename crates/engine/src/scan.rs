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
/// A part has about so many rows.
const PART: usize = 1 << 16;
const MOST_PARTS: usize = 16;

/// The groups of a scan that have rows, and what is known of each.
pub(crate) struct Groupings {
    /// What tells the groups apart.
    pub(crate) keys: Vec<KeyId>,
    /// For each key the code of each group.
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

/// Reads the rows of a scan, told apart by `keys`, for a cell that stands where `scope` says.
pub(crate) fn run(
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
    let dense = places <= limit;
    let by_places = if dense { (MOST_PLACES * 2 / places.max(1)).max(1) as usize } else { MOST_PARTS };
    let options = evaluator.options;
    let parts = options.parts.unwrap_or((bound.rows / PART).clamp(1, MOST_PARTS).min(by_places)).max(1);
    let step = bound.rows.div_ceil(parts).max(1);
    let read: Result<Vec<Part>, EngineError> = (0..parts)
        .into_par_iter()
        .map(|at| bound.part((at * step).min(bound.rows)..((at + 1) * step).min(bound.rows), dense, places))
        .collect();
    let mut read = read?.into_iter();
    let mut first = read.next().ok_or_else(|| EngineError::Internal("a scan without parts".to_owned()))?;
    for part in read {
        first.merge(&part)?;
    }
    bound.finish(first, keys.iter().map(|(key, _)| *key).collect())
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
    /// For hashed groups: the place of each group, and the group of each place.
    hashed: Option<(Vec<u128>, HashMap<u128, u32, FixedState>)>,
    /// Which groups have rows.
    present: Vec<bool>,
    accumulators: Vec<Accumulator>,
}

/// A subset of a block: the rows, and their groups if there are several.
struct Selected {
    rows: Vec<u32>,
    groups: Vec<u32>,
}

impl Bound<'_> {
    fn part(&self, range: std::ops::Range<usize>, dense: bool, places: u128) -> Result<Part, EngineError> {
        let mut part = Part {
            hashed: (!dense).then(Default::default),
            present: vec![false; if dense { places as usize } else { 0 }],
            accumulators: self.aggregates.iter().map(|a| Accumulator::new(&a.spec, a.always)).collect(),
        };
        part.resize(part.present.len());
        let mut start = range.start;
        while start < range.end {
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
        } else {
            // A slice of its own, so that each store does not make its address be read again.
            let present = part.present.as_mut_slice();
            groups.iter().for_each(|g| present[*g as usize] = true);
        }
        let mut chosen: Vec<Option<Selected>> = Vec::with_capacity(self.conditions.len());
        for condition in &self.conditions {
            chosen.push(select(condition, rows, &groups)?);
        }
        let rows_of = |condition: usize| chosen[condition].as_ref().map_or(rows, |s| Rows::List(&s.rows));
        let mut vectors: Vec<Vector> = Vec::with_capacity(self.inputs.len());
        for (condition, input) in &self.inputs {
            vectors.push(input.eval(rows_of(*condition))?);
        }
        for (aggregate, accumulator) in self.aggregates.iter().zip(&mut part.accumulators) {
            let rows = rows_of(aggregate.condition).len();
            if rows == 0 {
                continue;
            }
            let each = chosen[aggregate.condition].as_ref().map_or(&groups, |s| &s.groups);
            let groups = if self.keys.is_empty() { Groups::One } else { Groups::Each(each) };
            let ty = aggregate.value.map_or(vembra_plan::Type::Null, |at| self.inputs[at].1.ty());
            let by = aggregate.by.map(|at| (&vectors[at], self.inputs[at].1.ty()));
            accumulator
                .update(groups, &Block { rows, value: aggregate.value.map(|at| &vectors[at]), ty, by })?;
        }
        Ok(())
    }

    /// The group of each row; empty when there is only one group.
    fn groups(&self, rows: Rows<'_>, part: &mut Part) -> Vec<u32> {
        let Some((first, rest)) = self.keys.split_first() else { return Vec::new() };
        let mut codes = Vec::with_capacity(rows.len());
        first.read(rows, &mut codes);
        if part.hashed.is_none() {
            for (key, size) in rest.iter().zip(&self.sizes[1..]) {
                key.combine(rows, &mut codes, *size as u32);
            }
            return codes;
        }
        let mut places: Vec<u128> = codes.iter().map(|c| u128::from(*c)).collect();
        for (key, size) in rest.iter().zip(&self.sizes[1..]) {
            codes.clear();
            key.read(rows, &mut codes);
            // The product of all sizes fits in 128 bits: that was checked.
            places
                .iter_mut()
                .zip(&codes)
                .for_each(|(p, code)| *p = p.wrapping_mul(*size).wrapping_add(u128::from(*code)));
        }
        let groups = places.iter().map(|p| part.group_of(*p)).collect();
        part.resize(part.present.len());
        groups
    }

    /// The groups that have rows, with their codes.
    fn finish(&self, part: Part, keys: Vec<KeyId>) -> Result<Groupings, EngineError> {
        let mut map = vec![NO_GROUP; part.present.len()];
        let mut places = Vec::new();
        for (at, _) in part.present.iter().enumerate().filter(|(_, present)| **present) {
            map[at] = places.len() as u32;
            places.push(part.hashed.as_ref().map_or(at as u128, |(of, _)| of[at]));
        }
        let groups = places.len();
        let mut codes = vec![Vec::with_capacity(groups); self.keys.len()];
        for mut place in places {
            for (codes, size) in codes.iter_mut().zip(&self.sizes).rev() {
                codes.push((place % size) as u32);
                place /= size;
            }
        }
        let accumulators = fold(&part.accumulators, &map, groups)?;
        let codes = codes.into_iter().map(Rc::new).collect();
        Ok(Groupings::new(keys, codes, groups, accumulators))
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
        let mut numbering = evaluator.numbering(keys)?;
        let columns: Vec<&Codes> = keys.iter().filter_map(|k| self.codes_of(*k)).collect();
        let map = numbering.number_all(&columns, self.groups);
        let groups = numbering.len();
        let codes = numbering.unpack().into_iter().map(Rc::new).collect();
        let accumulators = fold(&self.accumulators, &map, groups)?;
        Ok(Self::new(keys.to_vec(), codes, groups, accumulators))
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

    /// The group at a place; a new one if there is none.
    fn group_of(&mut self, place: u128) -> u32 {
        let Some((places, groups)) = &mut self.hashed else { return place as u32 };
        let present = &mut self.present;
        *groups.entry(place).or_insert_with(|| {
            places.push(place);
            present.push(true);
            places.len() as u32 - 1
        })
    }

    fn merge(&mut self, other: &Self) -> Result<(), EngineError> {
        let map: Vec<u32> = match &other.hashed {
            Some((places, _)) => places.iter().map(|p| self.group_of(*p)).collect(),
            None => (0..other.present.len() as u32).collect(),
        };
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
