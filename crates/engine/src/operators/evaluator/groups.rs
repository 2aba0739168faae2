//! Aggregates of scans, a value a cell: which rows belong to which cell.

use super::{Evaluator, Found, slices};
use crate::error::EngineError;
use crate::execution::profile::{Pass, Step, profiled};
use crate::execution::result_cache::{ScanGroups, ScanName, bytes};
use crate::expression::prepare::{CellKey, Scope};
use crate::expression::vector::Vector;
use crate::operators::aggregate::{Accumulator, Moved, Spec};
use crate::operators::cells::{Cells, Codes};
use crate::operators::group_index::NOWHERE;
use crate::operators::groupings::Groupings;
use crate::operators::members::Key;
use crate::operators::scan::Scanned;
use crate::physical::access::Access;
use crate::physical::pass::PhysicalPass;
use crate::storage::narrow::narrow;
use std::rc::Rc;
use vembra_plan::{KeyId, Scalar, Scan, ScanId};

impl Evaluator<'_> {
    /// The results of an aggregate for some cells.
    pub(super) fn aggregate(
        &self,
        scan: ScanId,
        index: usize,
        cells: &Rc<Cells>,
    ) -> Result<Rc<Vector>, EngineError> {
        let plan = self.graph.scan(scan);
        let position: Vec<KeyId> = self.position(plan, cells, &[]);
        let given: Vec<KeyId> = cells.keys.iter().copied().filter(|k| !position.contains(k)).collect();
        let (given, _) = self.project(cells, &given)?;
        let found = self.found(scan, &position, &given)?;
        let spec = Spec::of(&plan.aggregates[index]).within(self.options.memory);
        let results = found.known.results(index, &spec)?;
        let identical =
            found.keys == cells.keys && found.codes.iter().zip(&cells.codes).all(|(a, b)| Rc::ptr_eq(a, b));
        if self.options.guarded {
            let group_index = self.numbering_of(&found)?;
            let columns: Vec<Codes> = found.keys.iter().filter_map(|k| cells.codes_of(*k)).cloned().collect();
            let places = group_index.find_all(&slices(&columns), cells.len);
            self.ask_errors(&found, index, &places, cells)?;
        }
        if identical && found.groups == cells.len {
            return Ok(results);
        }
        let missing = narrow(found.groups);
        let group_index = self.numbering_of(&found)?;
        let columns: Vec<Codes> = found.keys.iter().filter_map(|k| cells.codes_of(*k)).cloned().collect();
        let mut places = group_index.find_all(&slices(&columns), cells.len);
        places.iter_mut().filter(|place| **place == NOWHERE).for_each(|place| *place = missing);
        if let Some(empty) = self.without_date_range(plan, &given, cells)? {
            let without = places.iter_mut().zip(empty).filter(|(_, empty)| *empty);
            without.for_each(|(place, _)| *place = missing + 1);
        }
        let extra = [spec.of_nothing(), Scalar::Null];
        Ok(Rc::new(results.extended(found.groups, &extra, spec.ty).gather(&places)))
    }

    /// The keys of a scan on which cells stand, and `more` of them.
    #[allow(clippy::unused_self)] // Reads like the others.
    pub(super) fn position(&self, scan: &Scan, cells: &Cells, more: &[KeyId]) -> Vec<KeyId> {
        let stands = |k: &KeyId| cells.keys.contains(k) || more.contains(k);
        // In the order of the cells, so that equal ones are seen as equal.
        let mut keys: Vec<KeyId> = cells.keys.iter().chain(more).copied().collect();
        keys.retain(|k| stands(k) && scan.key_ids().any(|s| s == *k));
        let mut seen = Vec::new();
        keys.retain(|k| {
            let new = !seen.contains(k);
            seen.push(*k);
            new
        });
        keys
    }

    /// The groups of a scan grouped by `position`, where cells stand on the keys of `given` besides.
    pub(super) fn found(
        &self,
        scan: ScanId,
        position: &[KeyId],
        given: &Rc<Cells>,
    ) -> Result<Rc<Groupings>, EngineError> {
        let plan = self.graph.scan(scan);
        let depends = plan.depends_on_cell();
        let given_id = depends.then_some(given.id);
        let fits = |f: &&Found| f.scan == scan && f.given == given_id && f.position == position;
        if let Some(found) = self.found.borrow().iter().find(fits) {
            return Ok(found.groupings.clone());
        }
        // A row belongs to several members of a bridge, and once where it is not grouped by them.
        let several = |k: &KeyId| plan.is_several(*k);
        let finer = |f: &&Found| {
            f.scan == scan
                && position.iter().all(|k| f.position.contains(k))
                && f.position.iter().filter(|k| several(k)).all(|k| position.contains(k))
        };
        let finer = if depends {
            None
        } else {
            let found = self.found.borrow();
            let best = found.iter().filter(finer).min_by_key(|f| f.groupings.groups);
            best.map(|f| f.groupings.clone())
        };
        let groupings = match finer {
            Some(finer) => self.folded(&finer, position)?,
            None if !depends && (self.options.guarded || self.few_rows_say_all(plan, position)?) => {
                self.read(plan, position, &Scope::default())?
            }
            None if !depends => match self.of_same_rows_read_for_more(plan, position)? {
                Some(same) => same,
                None => match self.chosen_of_others(plan, position)? {
                    Some(chosen) => chosen,
                    None => self.read(plan, position, &Scope::default())?,
                },
            },
            None => self.read_for(plan, position, given)?,
        };
        let groupings = Rc::new(groupings);
        let (position, groupings) = (position.to_vec(), groupings);
        self.found.borrow_mut().push(Found { scan, position, given: given_id, groupings: groupings.clone() });
        Ok(groupings)
    }

    /// The keys of a scan on which cells stand, bound to its rows, and the scope in which the cell stands on those of the row too.
    pub(super) fn bound_keys(
        &self,
        plan: &Scan,
        position: &[KeyId],
        scope: &Scope,
    ) -> Result<(Vec<(KeyId, Key)>, Scope), EngineError> {
        let key = |id: &KeyId| {
            let found = plan.keys.iter().find(|s| s.key == *id);
            let key = found.ok_or_else(|| EngineError::Internal("a scan without its key".to_owned()))?;
            Ok((*id, self.scan_key(plan.table, key)?))
        };
        let keys: Vec<(KeyId, Key)> = position.iter().map(key).collect::<Result<_, EngineError>>()?;
        let mut scope = scope.clone();
        scope.keys.extend(keys.iter().map(|(id, key)| (*id, CellKey::Row(key.clone()))));
        Ok((keys, scope))
    }

    /// One pass over all rows.
    fn read(&self, plan: &Scan, position: &[KeyId], scope: &Scope) -> Result<Groupings, EngineError> {
        let most = if self.options.guarded { 0 } else { self.options.result_cache_limit };
        let name = if most > 0 && scope.keys.is_empty() { self.scan_name(plan, position)? } else { None };
        if let Some(known) = name.as_ref().and_then(|name| self.star.remembered.find(name)) {
            return self.of_remembered(plan, position, &known);
        }
        let Scanned { codes, groups, accumulators, .. } = self.rows_at(plan, position, &[], scope)?;
        let bytes = bytes(&codes, &accumulators);
        if let Some(name) = name.filter(|_| bytes <= most) {
            let found = ScanGroups { codes: codes.clone(), groups, accumulators: accumulators.clone() };
            self.star.remembered.remember(name, bytes, found, most);
        }
        Ok(Groupings::new(position.to_vec(), shared(codes), groups, accumulators))
    }

    /// By what the groups of a scan are known in other queries; none if they depend on more than the rows.
    fn scan_name(&self, plan: &Scan, position: &[KeyId]) -> Result<Option<ScanName>, EngineError> {
        let mut looks_up = false;
        plan.row_exprs(&mut |_, expr| expr.lookups(&mut |_| looks_up = true));
        let plain = plan.during.is_none() && plan.bridges.is_empty() && plan.choices.is_empty();
        if looks_up || !plain || !plan.given.is_empty() {
            return Ok(None);
        }
        let mut keys = Vec::with_capacity(position.len());
        for id in position {
            let Some(key) = plan.keys.iter().find(|own| own.key == *id && own.kept.is_none()) else {
                return Ok(None);
            };
            keys.push((key.expr.clone(), self.members(*id)?.clone()));
        }
        let (filter, aggregates) = (plan.filter.clone(), plan.aggregates.clone());
        Ok(Some(ScanName { table: plan.table, filter, keys, aggregates }))
    }

    /// What an earlier query found.
    fn of_remembered(
        &self,
        plan: &Scan,
        position: &[KeyId],
        known: &ScanGroups,
    ) -> Result<Groupings, EngineError> {
        let work = || {
            self.options.stop.has_read(self.star.rows(plan.table));
            let (codes, accumulators) = (shared(known.codes.clone()), known.accumulators.clone());
            Ok(Groupings::new(position.to_vec(), codes, known.groups, accumulators))
        };
        let step = |_: &Groupings| {
            let mut pass = PhysicalPass::of(plan, self.star.rows(plan.table));
            pass.access = Access::ResultCache;
            Step::Pass(Box::new(Pass { plan: pass, read: 0, groups: known.groups }))
        };
        profiled(self.options.profiler.as_deref(), work, step)
    }

    /// The rows that belong to cells on given keys.
    fn read_for(&self, plan: &Scan, position: &[KeyId], given: &Rc<Cells>) -> Result<Groupings, EngineError> {
        let looked_up = plan.looked_up();
        if !given.keys.iter().any(|k| looked_up.contains(k)) {
            return match &plan.during {
                None => self.read(plan, position, &Scope::default()),
                Some(during) => self.taking_days(plan, during, position, given, &Scope::default()),
            };
        }
        if !self.options.guarded
            && let Some(found) = self.read_by_classes(plan, position, given)?
        {
            return Ok(found);
        }
        // Conditions differ from cell to cell: the rows are read again for every one of them.
        let mut parts = Vec::with_capacity(given.len);
        for number in 0..given.len {
            let codes: Vec<Vec<u32>> = given.codes.iter().map(|c| vec![c[number]]).collect();
            let fixed = given.keys.iter().zip(&codes).map(|(k, c)| (*k, CellKey::Fixed(c[0])));
            let scope = Scope { keys: fixed.collect() };
            let one = self.cells(given.keys.clone(), codes);
            parts.push(match &plan.during {
                Some(during) => self.taking_days(plan, during, position, &one, &scope)?,
                None => {
                    let found = self.read(plan, position, &scope)?;
                    self.with_given(&found, &one)
                }
            });
        }
        joined(parts, position, given)
    }

    /// The same groups for the one cell on given keys.
    #[allow(clippy::unused_self)] // Reads like the others.
    pub(super) fn with_given(&self, found: &Groupings, one: &Cells) -> Groupings {
        let keys = found.keys.iter().chain(&one.keys).copied().collect();
        let fixed = one.codes.iter().map(|c| Rc::new(vec![c[0]; found.groups]));
        let codes = found.codes.iter().cloned().chain(fixed).collect();
        found.on(keys, codes)
    }
}

/// Groups of one scan for different cells on given keys, side by side.
pub(super) fn joined(
    parts: Vec<Groupings>,
    position: &[KeyId],
    given: &Cells,
) -> Result<Groupings, EngineError> {
    let keys: Vec<KeyId> = position.iter().chain(&given.keys).copied().collect();
    let mut codes: Vec<Vec<u32>> = vec![Vec::new(); keys.len()];
    let groups: usize = parts.iter().map(|p| p.groups).sum();
    let mut accumulators = Vec::new();
    if let Some(first) = parts.first() {
        accumulators = first.known.accumulators.iter().map(Accumulator::empty_like).collect();
        accumulators.iter_mut().for_each(|a| a.resize(groups));
    }
    let mut moved = Vec::with_capacity(parts.len());
    let mut start = 0;
    for part in &parts {
        for (all, own) in codes.iter_mut().zip(&part.codes) {
            all.extend_from_slice(own);
        }
        moved.push(Moved::Together(start, part.groups));
        start += part.groups;
    }
    for (at, all) in accumulators.iter_mut().enumerate() {
        let own: Vec<&Accumulator> = parts.iter().map(|part| &part.known.accumulators[at]).collect();
        all.merge_all(&own, &moved)?;
    }
    Ok(Groupings::new(keys, codes.into_iter().map(Rc::new).collect(), groups, accumulators))
}

/// Codes that cells and groupings share.
pub(super) fn shared(codes: Vec<Vec<u32>>) -> Vec<Codes> {
    codes.into_iter().map(Rc::new).collect()
}
