//! Aggregates of scans, a value a cell: which rows belong to which cell.

use super::{Codes, Evaluator, Found};
use crate::aggregate::Spec;
use crate::cells::Cells;
use crate::days::Days;
use crate::error::EngineError;
use crate::members::Key;
use crate::prepare::{CellKey, Scope};
use crate::scan::{Groupings, run};
use crate::vector::Vector;
use std::rc::Rc;
use std::sync::Arc;
use vembra_plan::{
    ColumnRef, Expr, KeyFrom, KeyId, RowExpr, RowLeaf, Scalar, Scan, ScanId, TableKind, Type, Window,
};

impl Evaluator<'_> {
    /// The results of an aggregate for some cells.
    pub(super) fn aggregate(
        &self,
        scan: ScanId,
        index: usize,
        cells: &Rc<Cells>,
    ) -> Result<Vector, EngineError> {
        let plan = self.graph.scan(scan);
        let position: Vec<KeyId> = self.position(plan, cells, &[]);
        let given: Vec<KeyId> = cells.keys.iter().copied().filter(|k| !position.contains(k)).collect();
        let (given, _) = self.project(cells, &given)?;
        let found = self.found(scan, &position, &given)?;
        let spec = Spec::of(&plan.aggregates[index]);
        let results = found.accumulators[index].finish(&spec)?;
        let identical =
            found.keys == cells.keys && found.codes.iter().zip(&cells.codes).all(|(a, b)| Rc::ptr_eq(a, b));
        if identical && found.groups == cells.len {
            return Ok(results);
        }
        let missing = found.groups as u32;
        let numbering = found.numbering(self)?;
        let columns: Vec<&Codes> = found.keys.iter().filter_map(|k| cells.codes_of(*k)).collect();
        let empty = self.without_stretch(plan, &given, cells)?;
        let places: Vec<u32> = (0..cells.len)
            .map(|cell| match &empty {
                Some(empty) if empty[cell] => missing + 1,
                _ => numbering.find(numbering.pack(|at| columns[at][cell])).unwrap_or(missing),
            })
            .collect();
        let extra = [spec.of_nothing(), Scalar::Null];
        Ok(results.extended(found.groups, &extra, spec.ty).gather(&places))
    }

    /// The keys of a scan on which cells stand, and `more` of them.
    #[allow(clippy::unused_self)] // Reads like the others.
    pub(super) fn position(&self, scan: &Scan, cells: &Cells, more: &[KeyId]) -> Vec<KeyId> {
        let stands = |k: &KeyId| cells.keys.contains(k) || more.contains(k);
        // In the order of the cells, so that equal ones are seen as equal.
        let mut keys: Vec<KeyId> = cells.keys.iter().chain(more).copied().collect();
        keys.retain(|k| stands(k) && scan.keys.iter().any(|s| s.key == *k));
        let mut seen = Vec::new();
        keys.retain(|k| {
            let new = !seen.contains(k);
            seen.push(*k);
            new
        });
        keys
    }

    /// The groups of a scan told apart by `position`, where cells stand on the keys of `given` besides.
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
        let finer = |f: &&Found| f.scan == scan && position.iter().all(|k| f.position.contains(k));
        let finer = if depends {
            None
        } else {
            let found = self.found.borrow();
            let best = found.iter().filter(finer).min_by_key(|f| f.groupings.groups);
            best.map(|f| f.groupings.clone())
        };
        let groupings = match finer {
            Some(finer) => finer.folded(self, position)?,
            None if !depends => self.read(plan, position, &Scope::default())?,
            None => self.read_for(plan, position, given)?,
        };
        let groupings = Rc::new(groupings);
        let (position, groupings) = (position.to_vec(), groupings);
        self.found.borrow_mut().push(Found { scan, position, given: given_id, groupings: groupings.clone() });
        Ok(groupings)
    }

    fn bound_keys(&self, plan: &Scan, position: &[KeyId]) -> Result<Vec<(KeyId, Key)>, EngineError> {
        let key = |id: &KeyId| {
            let found = plan.keys.iter().find(|s| s.key == *id);
            let key = found.ok_or_else(|| EngineError::Internal("a scan without its key".to_owned()))?;
            Ok((*id, self.scan_key(plan.table, key)?))
        };
        position.iter().map(key).collect()
    }

    /// One pass over all rows.
    fn read(&self, plan: &Scan, position: &[KeyId], scope: &Scope) -> Result<Groupings, EngineError> {
        let keys = self.bound_keys(plan, position)?;
        let mut scope = scope.clone();
        scope.keys.extend(keys.iter().map(|(id, key)| (*id, CellKey::Row(key.clone()))));
        run(self, plan, &keys, &scope)
    }

    /// The rows that belong to cells on given keys.
    fn read_for(&self, plan: &Scan, position: &[KeyId], given: &Rc<Cells>) -> Result<Groupings, EngineError> {
        let looked_up = looked_up(plan);
        if !given.keys.iter().any(|k| looked_up.contains(k)) {
            return match &plan.window {
                None => self.read(plan, position, &Scope::default()),
                Some(window) => self.windowed(plan, window, position, given, &Scope::default()),
            };
        }
        // Conditions differ from cell to cell: the rows are read again for every one of them.
        let mut parts = Vec::with_capacity(given.len);
        for number in 0..given.len {
            let codes: Vec<Vec<u32>> = given.codes.iter().map(|c| vec![c[number]]).collect();
            let fixed = given.keys.iter().zip(&codes).map(|(k, c)| (*k, CellKey::Fixed(c[0])));
            let scope = Scope { keys: fixed.collect() };
            let one = self.cells(given.keys.clone(), codes);
            parts.push(match &plan.window {
                Some(window) => self.windowed(plan, window, position, &one, &scope)?,
                None => {
                    let found = self.read(plan, position, &scope)?;
                    self.with_given(found, &one)
                }
            });
        }
        joined(parts, position, given)
    }

    /// The same groups for the one cell on given keys.
    #[allow(clippy::unused_self)] // Reads like the others.
    fn with_given(&self, found: Groupings, one: &Cells) -> Groupings {
        let keys = found.keys.iter().chain(&one.keys).copied().collect();
        let fixed = one.codes.iter().map(|c| Rc::new(vec![c[0]; found.groups]));
        let codes = found.codes.iter().cloned().chain(fixed).collect();
        Groupings::new(keys, codes, found.groups, found.accumulators)
    }

    /// Rows told apart by stretches of days, put together for the window of each cell: a row may serve several.
    fn windowed(
        &self,
        plan: &Scan,
        window: &Window,
        position: &[KeyId],
        given: &Rc<Cells>,
        scope: &Scope,
    ) -> Result<Groupings, EngineError> {
        let windows = self.windows(window, given)?;
        // The days between two edges of windows belong together.
        let mut edges: Vec<i32> =
            windows.iter().flatten().flat_map(|d| d.0.iter().flat_map(|(a, b)| [*a, *b + 1])).collect();
        edges.sort_unstable();
        edges.dedup();
        let bucket = |day: i32| edges.partition_point(|e| *e <= day) as u32;
        let keys = self.bound_keys(plan, position)?;
        let mut scope = scope.clone();
        scope.keys.extend(keys.iter().map(|(id, key)| (*id, CellKey::Row(key.clone()))));
        let days = self.day_key(plan, window)?;
        let first = self.star.calendar_start(window.calendar);
        let calendar_days = self.star.rows(window.calendar) as u32;
        // Rows outside the calendar stand outside of every window.
        let map = days
            .entries()
            .iter()
            .map(|row| if *row < calendar_days { bucket(first + *row as i32) } else { 0 })
            .collect();
        let buckets = crate::members::Members {
            values: (0..edges.len() as i64).map(Scalar::Integer).collect(),
            rest: false,
        };
        let bucket_key = Key { map: Some(Arc::new(map)), members: Arc::new(buckets), ..days };
        let mut all = keys;
        // The buckets have no id of their own: they stand behind all keys of the graph.
        all.push((KeyId(self.graph.keys.len() as u32), bucket_key));
        let base = run(self, plan, &all, &scope)?;
        let bucket_of = &base.codes[all.len() - 1];
        let mut parts = Vec::with_capacity(given.len);
        for (cell, days) in windows.iter().enumerate() {
            let Some(days) = days else { continue };
            let inside: Vec<bool> = std::iter::once(false)
                .chain(edges.iter().map(|e| days.0.iter().any(|(a, b)| a <= e && e <= b)))
                .collect();
            let mut numbering = self.numbering(position)?;
            let mut map = vec![crate::aggregate::NO_GROUP; base.groups];
            for group in (0..base.groups).filter(|g| inside[bucket_of[*g] as usize]) {
                let packed = numbering.pack(|at| base.codes[at][group]);
                map[group] = numbering.number(packed);
            }
            let groups = numbering.len();
            let accumulators = crate::scan::fold(&base.accumulators, &map, groups)?;
            let codes = numbering.unpack().into_iter().map(Rc::new).collect();
            let one = self.cells(given.keys.clone(), given.codes.iter().map(|c| vec![c[cell]]).collect());
            parts.push(self.with_given(Groupings::new(position.to_vec(), codes, groups, accumulators), &one));
        }
        if parts.is_empty() {
            let codes = position.iter().chain(&given.keys).map(|_| Rc::new(Vec::new())).collect();
            let keys = position.iter().chain(&given.keys).copied().collect();
            let accumulators =
                crate::scan::fold(&base.accumulators, &vec![crate::aggregate::NO_GROUP; base.groups], 0)?;
            return Ok(Groupings::new(keys, codes, 0, accumulators));
        }
        joined(parts, position, given)
    }

    /// The window of each cell on given keys; `None` where the cell stays empty.
    fn windows(&self, window: &Window, given: &Rc<Cells>) -> Result<Vec<Option<Days>>, EngineError> {
        let last_data = self.last_data(window)?;
        self.days_of(window.calendar, &window.steps, given, last_data)
    }

    /// For scans with a window: which cells have none.
    fn without_stretch(
        &self,
        plan: &Scan,
        given: &Rc<Cells>,
        cells: &Rc<Cells>,
    ) -> Result<Option<Vec<bool>>, EngineError> {
        let Some(window) = &plan.window else { return Ok(None) };
        let windows = self.windows(window, given)?;
        let (_, map) = self.project(cells, &given.keys)?;
        Ok(Some(map.iter().map(|at| windows[*at as usize].is_none()).collect()))
    }

    /// Per row of a scan the row of the calendar.
    fn day_key(&self, plan: &Scan, window: &Window) -> Result<Key, EngineError> {
        let schema = self.star.schema();
        let date = schema
            .table(window.calendar)
            .columns
            .iter()
            .copied()
            .find(|c| schema.column(*c).ty == Type::Date);
        let Some(column) = date else {
            return Err(EngineError::Internal("a calendar without days".to_owned()));
        };
        let leaf = ColumnRef { path: window.path.clone(), column, ty: Type::Date };
        crate::members::key(self.star, plan.table, &Expr::Leaf(leaf))
    }

    /// The last day of the calendar on which any row stands.
    fn last_data(&self, window: &Window) -> Result<Option<i32>, EngineError> {
        let Some(first_link) = window.path.first() else { return Ok(None) };
        let table = self.star.schema().link_source(*first_link);
        let calendar_days = self.star.rows(window.calendar) as u32;
        let plan = Scan {
            table,
            filter: Vec::new(),
            keys: Vec::new(),
            given: Vec::new(),
            window: None,
            aggregates: Vec::new(),
        };
        let days = self.day_key(&plan, window)?;
        let mut used = vec![false; days.entries().len()];
        crate::index::with_index!(&*days.numbers, numbers => {
            numbers.iter().for_each(|n| used[*n as usize] = true);
        });
        let entries = days.entries();
        let last = (0..used.len())
            .filter(|at| used[*at] && entries[*at] < calendar_days)
            .map(|at| entries[at])
            .max();
        let Some(mut last) = last else { return Ok(None) };
        if let Some(coarse) = window.coarse {
            // A coarser link reaches the first of its days; the data go on to the last one.
            let key = self.star.column_key(coarse)?;
            let code = key.code(last as usize);
            while last + 1 < calendar_days && key.code(last as usize + 1) == code {
                last += 1;
            }
        }
        Ok(Some(self.star.calendar_start(window.calendar) + last as i32))
    }

    pub(super) fn fiscal_start(&self, calendar: vembra_plan::TableId) -> i32 {
        match &self.star.schema().table(calendar).kind {
            TableKind::Calendar { fiscal_start, .. } => i32::from(*fiscal_start),
            _ => 1,
        }
    }
}

/// The keys of the cell that looked-up figures of a scan depend on.
fn looked_up(plan: &Scan) -> Vec<KeyId> {
    let mut keys = Vec::new();
    let mut own: Vec<&RowExpr> = Vec::new();
    plan.row_exprs(&mut |_, expr| own.push(expr));
    for expr in own {
        expr.leaves(&mut |leaf| {
            if let RowLeaf::Lookup(lookup) = leaf {
                keys.extend(lookup.keys.iter().filter(|k| k.from == KeyFrom::Cell).map(|k| k.key));
            }
        });
    }
    keys
}

/// Groups of one scan for different cells on given keys, side by side.
fn joined(parts: Vec<Groupings>, position: &[KeyId], given: &Cells) -> Result<Groupings, EngineError> {
    let keys: Vec<KeyId> = position.iter().chain(&given.keys).copied().collect();
    let mut codes: Vec<Vec<u32>> = vec![Vec::new(); keys.len()];
    let groups: usize = parts.iter().map(|p| p.groups).sum();
    let mut accumulators = Vec::new();
    if let Some(first) = parts.first() {
        accumulators = first.accumulators.iter().map(crate::aggregate::Accumulator::empty_like).collect();
        accumulators.iter_mut().for_each(|a| a.resize(groups));
    }
    let mut start = 0;
    for part in &parts {
        for (all, own) in codes.iter_mut().zip(&part.codes) {
            all.extend_from_slice(own);
        }
        let map: Vec<u32> = (0..part.groups).map(|g| (start + g) as u32).collect();
        for (all, own) in accumulators.iter_mut().zip(&part.accumulators) {
            all.merge(own, &map)?;
        }
        start += part.groups;
    }
    Ok(Groupings::new(keys, codes.into_iter().map(Rc::new).collect(), groups, accumulators))
}
