//! Aggregates over one value per combination of further keys.

use crate::aggregates::of_nothing;
use crate::builder::Builder;
use crate::cells::{CELL, Cells};
use crate::keys::{equal, selected};
use crate::nodes::known_as;
use crate::refused::Refused;
use crate::values::Read;
use vembra_plan::{Fold, Graph, KeyId, Type};

impl Builder<'_> {
    pub(crate) fn fold(
        &mut self,
        graph: &Graph,
        fold: &Fold,
        ty: Type,
        cells: &Cells,
    ) -> Result<String, Refused> {
        let more: Vec<KeyId> = fold.over.iter().copied().filter(|k| !cells.keys.contains(k)).collect();
        let keys: Vec<KeyId> = cells.keys.iter().chain(&more).copied().collect();
        let mut parts = Vec::new();
        let mut finer = None;
        for scan in &fold.domain {
            let plan = graph.scan(*scan);
            let stands = |k: &KeyId| cells.keys.contains(k) || fold.over.contains(k);
            let mut position: Vec<KeyId> = Vec::new();
            for key in keys.iter().filter(|k| stands(k) && plan.key_ids().any(|s| s == **k)) {
                position.push(*key);
            }
            let groups = self.groups_of(graph, *scan, &position, cells)?;
            // Groups of the rows that the cells are groups of are the detail by themselves.
            let coarser = (known_as(graph), scan.0, cells.keys.clone(), None);
            let same_rows = self.groups.get(&coarser) == Some(&cells.name);
            let whole = position.len() == keys.len() && groups.given.is_empty();
            finer = (same_rows && whole).then(|| groups.name.clone());
            let of_groups = |k: &KeyId| position.contains(k) || groups.given.contains(k);
            let common: Vec<KeyId> = cells.keys.iter().copied().filter(|k| of_groups(k)).collect();
            let own = selected(graph, &cells.keys, CELL);
            let further = selected(graph, &more, "f");
            if let Some(missing) = more.iter().find(|k| !of_groups(k)) {
                return Err(Refused::new(format!("a detail by {}", graph.keys[missing.index()].name)));
            }
            let columns: Vec<String> = own.into_iter().chain(further).collect();
            let columns = if columns.is_empty() { "1 as here".to_owned() } else { columns.join(", ") };
            let has_rows =
                if position.is_empty() && groups.given.is_empty() { " and f.rows_found > 0" } else { "" };
            parts.push(format!(
                "select {columns}\nfrom {} as {CELL}\njoin {} as f on {}{has_rows}",
                cells.name,
                groups.name,
                equal(graph, &common, "f", CELL)
            ));
        }
        let detail = match finer.filter(|_| parts.len() == 1 && !cells.keys.is_empty()) {
            Some(groups) => groups,
            None => self.step("detail", parts.join("\nunion\n")),
        };
        let mut inner = Cells::new(detail, keys);
        let value = self.node(graph, fold.value, &mut inner)?;
        let by = fold.by.map(|by| self.node(graph, by, &mut inner)).transpose()?;
        let condition = fold.condition.map(|c| self.node(graph, c, &mut inner)).transpose()?;
        let read = Read {
            value: Some(value),
            by,
            parameter: fold.parameter.clone(),
            condition: condition.map(|c| c.sql),
        };
        let sql = self.aggregate(fold.function, &read)?;
        let own = selected(graph, &cells.keys, CELL);
        let group = if own.is_empty() { String::new() } else { format!("\ngroup by {}", own.join(", ")) };
        let columns: Vec<String> = own.into_iter().chain([format!("{sql} as figure")]).collect();
        let folded =
            self.step("of_detail", format!("select {}\nfrom {}{group}", columns.join(", "), inner.from()));
        // Cells without any combination have what the aggregate gives over nothing: mostly nothing, which is what a cell without a row has.
        let Some(nothing) = of_nothing(fold.function) else { return Ok(folded) };
        let mut all = cells.bare();
        let name = all.join(graph, &folded, &cells.keys);
        let figure = format!("coalesce({name}.figure, {nothing})");
        let value = crate::values::Value { sql: figure, ty, fixed: None };
        let columns: Vec<String> = selected(graph, &cells.keys, CELL)
            .into_iter()
            .chain([format!("{} as figure", value.sql)])
            .collect();
        Ok(self.step("figure", format!("select {}\nfrom {}", columns.join(", "), all.from())))
    }
}
