//! Groups of scans: the rows of a table that pass its conditions, grouped by keys.

use crate::builder::Builder;
use crate::cells::{CELL, Cells};
use crate::days::Days;
use crate::keys::{KeySql, columns, equal, selected};
use crate::nodes::known_as;
use crate::refused::Refused;
use crate::rows::{Rows, filtered};
use crate::values::Read;
use vembra_plan::{BridgeKey, Graph, KeyId, Scan, ScanId};

/// The groups of a scan.
pub(crate) struct Groups {
    /// The step that has them.
    pub(crate) name: String,
    /// The keys of cells that they are grouped by besides their own.
    pub(crate) given: Vec<KeyId>,
    /// The days that cells take, if not those where they stand.
    pub(crate) days: Option<Days>,
}

impl Builder<'_> {
    /// The groups of a scan grouped by `position`, for cells.
    pub(crate) fn groups_of(
        &mut self,
        graph: &Graph,
        scan: ScanId,
        position: &[KeyId],
        cells: &Cells,
    ) -> Result<Groups, Refused> {
        let plan = graph.scan(scan);
        let days = match &plan.during {
            None => None,
            Some(during) => {
                let last = self.source.before.last_day(during)?;
                Some(self.days(graph, during.calendar, &during.steps, &cells.keys, last)?)
            }
        };
        let looked_up = plan.looked_up();
        let free = |key: &&KeyId| !position.contains(key);
        let asked: Vec<KeyId> =
            cells.keys.iter().filter(free).filter(|k| looked_up.contains(k)).copied().collect();
        let of_days = days.iter().flat_map(|d| d.keys.iter()).filter(|k| !asked.contains(k));
        let given: Vec<KeyId> = asked.iter().chain(of_days).copied().collect();
        let for_cells = (!asked.is_empty()).then(|| self.project(graph, cells, &given));
        let apart = (for_cells.is_some() || days.is_some())
            .then(|| format!("{:?} {:?}", for_cells.as_ref().map(|c| &c.name), days));
        let known = (known_as(graph), scan.0, position.to_vec(), apart);
        if let Some(name) = self.groups.get(&known) {
            return Ok(Groups { name: name.clone(), given, days });
        }
        let mut rows = self.rows(plan.table)?;
        if let Some(cells) = &for_cells {
            rows.join(format!("cross join {} as g", cells.name));
            rows.given = Some((cells.name.clone(), cells.keys.clone()));
            rows.cell.extend(cells.keys.iter().map(|k| (*k, KeySql::in_columns(graph, *k, "g"))));
        }
        let body = self.groups_body(graph, plan, position, (&mut rows, &given, days.as_ref()))?;
        let table = &self.source.schema.table(plan.table).name;
        let by: Vec<String> = position.iter().chain(&given).map(|k| columns(graph, *k).0).collect();
        let wanted =
            if by.is_empty() { format!("{table}_all") } else { format!("{table}_by_{}", by.join("_")) };
        let name = self.step(&wanted, body);
        self.groups.insert(known, name.clone());
        Ok(Groups { name, given, days })
    }

    fn groups_body(
        &mut self,
        graph: &Graph,
        plan: &Scan,
        position: &[KeyId],
        (rows, given, days): (&mut Rows, &[KeyId], Option<&Days>),
    ) -> Result<String, Refused> {
        rows.only = plan.filter.iter().filter(|condition| condition.is_plain()).cloned().collect();
        let mut selected_columns = Vec::new();
        let mut conditions = Vec::new();
        if plan.choices.is_empty() {
            conditions = self.bridges(rows, graph, plan, |key| key.splits && position.contains(&key.key))?;
        } else {
            self.several(rows, graph, plan, position)?;
        }
        for key in position {
            if let Some(sql) = rows.stands(*key).filter(|_| plan.is_several(*key)) {
                selected_columns.extend(sql.selected(graph, *key));
                continue;
            }
            let scan_key = plan.keys.iter().find(|k| k.key == *key);
            let scan_key = scan_key.ok_or_else(|| Refused::new("a key that no row gives"))?;
            let own = self.key(rows, graph, *key, &scan_key.expr)?;
            let sql = match &scan_key.kept {
                None => own.clone(),
                Some(kept) => {
                    let chosen = self.expr(rows, graph, kept)?;
                    own.clone().kept(&chosen.sql, &self.words().nothing(graph.keys[key.index()].ty))
                }
            };
            rows.cell.push((*key, sql.clone()));
            selected_columns.extend(sql.selected(graph, *key));
        }
        if let (Some(days), Some(during)) = (days, &plan.during) {
            let day = self.day_of_rows(rows, during.calendar, &during.path)?;
            let of_cell = match &rows.given {
                Some((_, keys)) => {
                    let common: Vec<KeyId> = days.keys.iter().copied().filter(|k| keys.contains(k)).collect();
                    format!(" and {}", equal(graph, &common, "d", "g"))
                }
                None => String::new(),
            };
            rows.join(format!("join {} as d on d.day = {}{of_cell}", days.each, day.sql));
        }
        for key in given {
            let of = if rows.given.as_ref().is_some_and(|(_, keys)| keys.contains(key)) { "g" } else { "d" };
            selected_columns.extend(selected(graph, &[*key], of));
        }
        let grouped = selected_columns.len();
        for (at, own) in plan.aggregates.iter().enumerate() {
            let value = own.value.as_ref().map(|v| self.expr(rows, graph, v)).transpose()?;
            let by = own.by.as_ref().map(|v| self.expr(rows, graph, v)).transpose()?;
            let condition = self.conditions(rows, graph, &own.condition)?;
            let read = Read { value, by, parameter: own.parameter.clone(), condition };
            let sql = self.aggregate(own.function, &read)?;
            selected_columns.push(format!("{sql} as figure_{at}"));
        }
        conditions.extend(self.conditions(rows, graph, &plan.filter)?);
        let filter = filtered(&conditions);
        if grouped == 0 {
            selected_columns.push("count(*) as rows_found".to_owned());
            return Ok(format!("select {}\nfrom {}{filter}", selected_columns.join(",\n    "), rows.from()));
        }
        let by: Vec<String> = (1..=grouped).map(|n| n.to_string()).collect();
        Ok(format!(
            "select {}\nfrom {}{filter}\ngroup by {}",
            selected_columns.join(",\n    "),
            rows.from(),
            by.join(", ")
        ))
    }

    /// Joins to rows the members that bridges give them, on those keys that are wanted; gives the conditions that rows must fulfil besides.
    pub(crate) fn bridges(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        plan: &Scan,
        wanted: impl Fn(&BridgeKey) -> bool,
    ) -> Result<Vec<String>, Refused> {
        let mut conditions = Vec::new();
        for (at, bridged) in plan.bridges.iter().enumerate() {
            let keys: Vec<KeyId> = bridged.keys.iter().filter(|k| wanted(k)).map(|k| k.key).collect();
            let name = format!("bridge_{}", at + 1);
            conditions.push(self.bridge(rows, graph, bridged, (&name, &keys))?);
        }
        Ok(conditions)
    }

    /// The cells on some keys that have rows in some scans.
    pub(crate) fn lines(
        &mut self,
        graph: &Graph,
        domain: &[ScanId],
        keys: &[KeyId],
    ) -> Result<Cells, Refused> {
        let nowhere = Cells::one();
        let mut parts = Vec::new();
        let mut own = None;
        for scan in domain {
            let groups = self.groups_of(graph, *scan, keys, &nowhere)?;
            own = groups.given.is_empty().then(|| groups.name.clone());
            let part = if keys.is_empty() {
                format!("select 1 as here from {} where rows_found > 0", groups.name)
            } else {
                format!("select {} from {} as {CELL}", selected(graph, keys, CELL).join(", "), groups.name)
            };
            if !parts.contains(&part) {
                parts.push(part);
            }
        }
        if parts.is_empty() {
            return Err(Refused::new("lines of no table"));
        }
        // The groups of one table are lines by themselves: an engine that keeps no step would read the table twice.
        if let (1, false, Some(groups)) = (parts.len(), keys.is_empty(), own) {
            return Ok(Cells::new(groups, keys.to_vec()));
        }
        Ok(Cells::new(self.step("lines", parts.join("\nunion\n")), keys.to_vec()))
    }
}
