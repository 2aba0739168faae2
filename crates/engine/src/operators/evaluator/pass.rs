//! Passes: scans bound to columns, read, and folded to fewer keys.

use super::{Evaluator, picked, slices};
use crate::error::EngineError;
use crate::execution::parallel::each;
use crate::execution::profile::{LeftOut, Pass, Step, watched};
use crate::expression::eval::Prepared;
use crate::expression::prepare::{Preparer, Scope};
use crate::links::reverse_index::ReverseIndex;
use crate::operators::aggregate::{Spec, regrouped};
use crate::operators::cells::Codes;
use crate::operators::group_index::GroupIndex;
use crate::operators::groupings::Groupings;
use crate::operators::members::Key;
use crate::operators::scan::{
    BoundAggregate, BoundScan, RowKeys, Scanned, arranged, cannot_fail, left_of_some,
};
use crate::statistics::functional_dependencies::Following;
use crate::storage::bitmap::Bitmap;
use crate::storage::narrow::narrow;
use crate::storage::row_id::RowId;
use crate::storage::small_ints::SmallInts;
use std::sync::Arc;
use vembra_plan::{AggregateFunction, KeyId, LinkId, RowExpr, Scan, place};

/// Of a key that follows from another one the position of that among those that tell groups apart, and how it follows.
type Followed = Option<(usize, Following)>;

/// What a scan need not read.
#[derive(Default)]
struct Spared {
    /// These rows stand for all.
    few: Option<Arc<Vec<RowId>>>,
    /// The others say the same again as the row before them.
    changes: Option<Arc<Bitmap>>,
    /// After so many groups there are no others.
    enough: Option<usize>,
}

/// A key with fewer codes is not asked what follows from it.
const FEW_CODES: usize = 4;
/// Of tables with so many rows some are found from what they lead to,
const MANY_ROWS: usize = 1 << 16;
/// if at most one in so many is wanted.
const FEW_OF: usize = 32;

impl Evaluator<'_> {
    /// Reads the rows of a scan, grouped by `keys` and behind them by `more`, for a cell that stands where `scope` says.
    pub(super) fn pass(
        &self,
        scan: &Scan,
        keys: &[(KeyId, Key)],
        more: &[&Key],
        scope: &Scope,
    ) -> Result<Scanned, EngineError> {
        let all: Vec<&Key> = keys.iter().map(|(_, key)| key).chain(more.iter().copied()).collect();
        let step = |found: &Scanned| {
            Step::Pass(Box::new(Pass {
                scan: scan.clone(),
                keys: keys.iter().map(|(id, _)| *id).collect(),
                by_days: scan.during.is_some() && more.len() > scan.bridges.len(),
                by_classes: scan.during.is_none() && more.len() > scan.bridges.len(),
                rows: self.star.rows(scan.table),
                read: found.read,
                left_out: found.left_out,
                groups: found.groups,
                remembered: false,
            }))
        };
        let work = || {
            let may_spare = more.is_empty() && !self.options.guarded;
            let spared = if may_spare { self.spared(scan, keys)? } else { Spared::default() };
            self.read_rows(scan, &all, scope, spared)
        };
        watched(self.options.watch.as_deref(), work, step)
    }

    /// What a scan need not read.
    fn spared(&self, scan: &Scan, keys: &[(KeyId, Key)]) -> Result<Spared, EngineError> {
        let few = self.representatives(scan, keys)?;
        let changes = if few.is_none() { self.changes(scan, keys)? } else { None };
        Ok(Spared { few, changes, enough: self.groups_at_most(scan, keys)? })
    }

    /// Reads the rows of a scan, grouped by keys.
    fn read_rows(
        &self,
        scan: &Scan,
        keys: &[&Key],
        scope: &Scope,
        spared: Spared,
    ) -> Result<Scanned, EngineError> {
        // Keys that give each row the same code tell rows apart once.
        let mut different: Vec<&Key> = Vec::new();
        let mut places = Vec::with_capacity(keys.len());
        for key in keys {
            let known = different.iter().position(|d| d.is_like(key));
            places.push(known.unwrap_or(different.len()));
            if known.is_none() {
                different.push(key);
            }
        }
        let alike = different.len() < keys.len();
        let (apart, following) = self.told_apart(different);
        let changing = spared.changes.as_ref().map(|changes| changes.count());
        let mut bound = self.bind_scan(scan, apart, scope, spared.changes)?;
        let mut left_out = LeftOut::NotLedTo;
        if bound.listed.is_none() {
            bound.listed = spared.few.map(|few| few.to_vec());
            left_out = LeftOut::SaidBefore;
        }
        // What may fail has to see all rows.
        bound.enough =
            spared.enough.filter(|_| bound.filter.iter().all(|condition| cannot_fail(condition, bound.rows)));
        let mut found = bound.read()?;
        match (changing, bound.enough) {
            _ if bound.listed.is_some() => found.left_out = left_out,
            (Some(changing), None) => (found.read, found.left_out) = (changing, LeftOut::SaidBefore),
            (_, Some(_)) if found.read < bound.rows => found.left_out = LeftOut::AllFound,
            _ => {}
        }
        if bound.serving.len() > bound.aggregates.len() {
            found.accumulators = bound.serving.iter().map(|at| found.accumulators[*at].clone()).collect();
        }
        found.codes = with_following(found.codes, following);
        if alike {
            found.codes = places.into_iter().map(|at| found.codes[at].clone()).collect();
        }
        Ok(found)
    }

    /// The keys that rows must be grouped by; for those that follow from one of these, from which, and how.
    fn told_apart<'k>(&self, keys: Vec<&'k Key>) -> (Vec<&'k Key>, Vec<Followed>) {
        let largest = (0..keys.len()).max_by_key(|at| keys[*at].members.codes());
        let Some(largest) = largest.filter(|at| keys.len() > 1 && keys[*at].members.codes() >= FEW_CODES)
        else {
            let following = vec![None; keys.len()];
            return (keys, following);
        };
        let follows = |at: usize| self.star.follows.from(keys[largest], keys[at]);
        let following: Vec<Option<Following>> =
            (0..keys.len()).map(|at| if at == largest { None } else { follows(at) }).collect();
        let place = following[..largest].iter().filter(|f| f.is_none()).count();
        let apart =
            keys.into_iter().zip(&following).filter(|(_, f)| f.is_none()).map(|(key, _)| key).collect();
        (apart, following.into_iter().map(|f| f.map(|codes| (place, codes))).collect())
    }

    fn bind_scan<'k>(
        &'k self,
        scan: &Scan,
        keys: Vec<&'k Key>,
        scope: &Scope,
        changes: Option<Arc<Bitmap>>,
    ) -> Result<BoundScan<'k>, EngineError> {
        if self.options.guarded {
            return self.bind_guarded(scan, keys, scope);
        }
        let preparer = Preparer { evaluator: self, table: scan.table, scope, within_growing: false };
        let rows = self.star.rows(scan.table);
        let filter = preparer.all(&scan.filter)?;
        let listed = self.few_rows(scan, &filter)?;
        let mut filter = if listed.is_some() { filter } else { arranged(filter, rows) };
        if listed.is_none() {
            filter.splice(0..0, changes.map(Prepared::Changing));
        }
        let mut condition_exprs: Vec<&[RowExpr]> = vec![&[]];
        let mut inputs = Inputs { preparer: &preparer, known: Vec::new() };
        let mut aggregates: Vec<BoundAggregate> = Vec::new();
        let mut serving = Vec::with_capacity(scan.aggregates.len());
        for plan in &scan.aggregates {
            let condition = place(&mut condition_exprs, &plan.condition[..]);
            let value = inputs.place(condition, plan.value.as_ref())?;
            let by = inputs.place(condition, plan.by.as_ref())?;
            let nullable = value.is_some_and(|at| inputs.known[at].2.may_be_null());
            let always = condition == 0 && !nullable;
            let own = BoundAggregate { spec: Spec::of(plan), condition, value, by, always };
            let known = aggregates.iter().position(|other| own.adds_up_like(other));
            serving.push(known.unwrap_or(aggregates.len()));
            match known {
                // An average counts besides.
                Some(at) if own.spec.function == AggregateFunction::Avg => aggregates[at] = own,
                Some(_) => {}
                None => aggregates.push(own),
            }
        }
        let conditions: Result<Vec<Vec<Prepared>>, EngineError> =
            condition_exprs.iter().map(|c| Ok(arranged(preparer.all(c)?, rows))).collect();
        Ok(BoundScan {
            rows,
            listed,
            enough: None,
            filter,
            keys: RowKeys::new(keys)?,
            conditions: conditions?,
            inputs: inputs.known.into_iter().map(|(condition, _, input)| (condition, input)).collect(),
            aggregates,
            serving,
            options: self.options,
        })
    }

    /// The rows that the most selective condition on a linked table leaves, where they are few: found from there, none of the others
    /// is read.
    fn few_rows(&self, scan: &Scan, filter: &[Prepared]) -> Result<Option<Vec<RowId>>, EngineError> {
        let rows = self.star.rows(scan.table);
        if rows < MANY_ROWS {
            return Ok(None);
        }
        // What may fail has to see each row that it would see otherwise. A condition that leaves many of some rows leaves many of all.
        let leaves_few = |condition: &&Prepared| {
            let (left, of) = left_of_some(condition, rows);
            left * FEW_OF <= 2 * of
        };
        let free = filter.iter().take_while(|condition| cannot_fail(condition, rows));
        let few: Vec<&Prepared> = free.filter(leaves_few).collect();
        let mut best: Option<(usize, &ReverseIndex, Vec<u32>)> = None;
        for link in self.star.schema().link_ids().filter(|l| self.star.schema().link_source(*l) == scan.table)
        {
            let Some(numbers) = self.star.known_link_rows(link) else { continue };
            for condition in &few {
                let Some(targets) = self.reached_where(condition, link, numbers) else { continue };
                if targets.len() * FEW_OF > self.star.rows(self.star.schema().link_target(link)) {
                    continue;
                }
                let Some(reverse_index) = self.star.reverse_index(link)? else { continue };
                let count = reverse_index.count(&targets);
                if count * FEW_OF < rows && best.as_ref().is_none_or(|(least, ..)| count < *least) {
                    best = Some((count, reverse_index, targets));
                }
            }
        }
        Ok(best.map(|(_, reverse_index, targets)| reverse_index.leading_to(&targets)))
    }

    /// The rows behind a link for which a condition holds that rows look up there.
    fn reached_where(
        &self,
        condition: &Prepared,
        link: LinkId,
        numbers: &Arc<SmallInts>,
    ) -> Option<Vec<u32>> {
        let indexed = condition.looked_up()?;
        let holds = |entry: usize| indexed.values.is_true(entry);
        if Arc::ptr_eq(&indexed.numbers, numbers) {
            return Some((0..indexed.values.len()).filter(|entry| holds(*entry)).map(narrow).collect());
        }
        // Looked up by the codes of an attribute: those of the linked table know which rows have them.
        let carried = self.star.attributes.whose(&indexed.numbers, link)?;
        let of_codes: Vec<bool> = (0..indexed.values.len()).map(holds).collect();
        let rows = carried.own.numbers.len();
        let mut targets: Vec<u32> =
            (0..rows).filter(|row| of_codes[carried.own.code(*row) as usize]).map(narrow).collect();
        let members = &carried.own.members;
        targets.extend(of_codes[members.none() as usize].then_some(narrow(rows)));
        targets.extend(of_codes[members.unknown() as usize].then_some(narrow(rows + 1)));
        Some(targets)
    }

    /// The same groups grouped by fewer keys.
    pub(super) fn folded(&self, finer: &Groupings, keys: &[KeyId]) -> Result<Groupings, EngineError> {
        let work = || {
            let columns: Vec<Codes> = keys.iter().filter_map(|k| finer.codes_of(*k)).cloned().collect();
            if self.all_differ(keys, &columns, finer.groups)? {
                return Ok(finer.on(keys.to_vec(), columns));
            }
            let mut group_index = self.group_index(keys, finer.groups)?;
            let numbered = group_index.number_all(&slices(&columns), finer.groups);
            let (codes, groups) = (picked(&numbered, &columns), group_index.len());
            if numbered.all_new() {
                return Ok(finer.on(keys.to_vec(), codes));
            }
            let accumulators = regrouped(&finer.known.accumulators, &numbered.of, groups)?;
            Ok(Groupings::new(keys.to_vec(), codes, groups, accumulators))
        };
        let step = |folded: &Groupings| Step::Fold(finer.groups, folded.groups);
        watched(self.options.watch.as_deref(), work, step)
    }

    /// The group of each combination of codes, in the order of the groupings' keys.
    pub(super) fn numbering_of<'g>(&self, groupings: &'g Groupings) -> Result<&'g GroupIndex, EngineError> {
        if let Some(group_index) = groupings.group_index.get() {
            return Ok(group_index);
        }
        let mut group_index = self.group_index(&groupings.keys, groupings.groups)?;
        group_index.number_all(&slices(&groupings.codes), groupings.groups);
        Ok(groupings.group_index.get_or_init(|| group_index))
    }
}

/// The codes of groups on all keys, from those on the keys that told them apart.
fn with_following(apart: Vec<Vec<u32>>, following: Vec<Followed>) -> Vec<Vec<u32>> {
    let followed: Vec<Option<Vec<u32>>> = following
        .into_iter()
        .map(|f| f.map(|(from, codes)| each(&apart[from], |code| codes[code as usize])))
        .collect();
    let mut apart = apart.into_iter();
    followed.into_iter().map(|codes| codes.or_else(|| apart.next()).unwrap_or_default()).collect()
}

/// The different values that the aggregates of a scan read.
struct Inputs<'s, 'a, 'b, 'e> {
    preparer: &'s Preparer<'a, 'b>,
    /// Each with the condition under which it is read.
    known: Vec<(usize, &'e RowExpr, Prepared)>,
}

impl<'e> Inputs<'_, '_, '_, 'e> {
    fn place(&mut self, condition: usize, expr: Option<&'e RowExpr>) -> Result<Option<usize>, EngineError> {
        let Some(expr) = expr else { return Ok(None) };
        let known = self.known.iter().position(|(c, e, _)| *c == condition && *e == expr);
        if known.is_none() {
            self.known.push((condition, expr, self.preparer.prepare(expr)?));
        }
        Ok(known.or(Some(self.known.len() - 1)))
    }
}
