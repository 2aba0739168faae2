//! Statements for whole plans: one for each kind of line, or one for a list.

use crate::builder::Builder;
use crate::cells::{CELL, Cells};
use crate::keys::{columns, selected};
use crate::refused::Refused;
use crate::rows::filtered;
use crate::source::Source;
use crate::statement::Statement;
use crate::values::Value;
use crate::{REST, VALUE};
use vembra_plan::{KeyId, Level, LevelKind, List, NodeId, Plan, Query, TableId, Type};

/// A statement for each level of a query. Its rows have, per axis of the level, a value and what it stands for; then the figures; then,
/// for the details, the terms of figures that are sums.
///
/// # Errors
/// What cannot be said.
pub fn query(source: &Source<'_>, query: &Query) -> Result<Vec<Statement>, Refused> {
    query.levels.iter().map(|level| of_level(source, query, level)).collect()
}

fn of_level(source: &Source<'_>, query: &Query, level: &Level) -> Result<Statement, Refused> {
    let mut builder = Builder::new(source);
    let (last, columns) = builder.level(query, level)?;
    builder.finish(&last, columns)
}

/// The statements of a list: its rows, and how many there are without a limit.
///
/// # Errors
/// What cannot be said.
pub fn list(source: &Source<'_>, list: &List) -> Result<[Statement; 2], Refused> {
    let mut builder = Builder::new(source);
    let (rows, columns) = builder.list(list)?;
    let rows = builder.finish(&rows, columns)?;
    let mut builder = Builder::new(source);
    let all = List { columns: Vec::new(), sort: Vec::new(), limit: None, ..list.clone() };
    let (count, _) = builder.list(&all)?;
    Ok([rows, builder.finish(&count, vec![Type::Integer])?])
}

/// The statement that gives the last day of a calendar on which rows stand.
///
/// # Errors
/// What cannot be said.
pub fn last_day(source: &Source<'_>, during: &vembra_plan::During) -> Result<Statement, Refused> {
    let mut builder = Builder::new(source);
    let Some(first) = during.path.first() else {
        return Err(Refused::new("a date range without a link to the calendar"));
    };
    let mut rows = builder.rows(source.schema.link_source(*first))?;
    let day = builder.day_of_rows(&mut rows, during.calendar, &during.path)?;
    let last = format!("select max({}) as last_day\nfrom {}", day.sql, rows.from());
    builder.finish(&last, vec![Type::Date])
}

/// The figures that a level shows, and behind those of details the terms of figures that are sums.
fn shown(query: &Query, level: &Level) -> Vec<(NodeId, Type)> {
    let mut shown = query.shown(level);
    if query.level_kind(level) == LevelKind::Detail {
        let terms = query.outputs.iter().flat_map(|o| &o.terms);
        shown.extend(terms.map(|t| (t.node, query.graph.node(t.node).ty)));
    }
    shown
}

impl Builder<'_> {
    /// The lines of a level: those that have rows, and those that are shown anyway.
    fn lines_of(&mut self, query: &Query, level: &Level, keys: &[KeyId]) -> Result<Cells, Refused> {
        let lines = self.lines(&query.graph, &query.domain, keys)?;
        let lines = self.with_between(query, level, lines, keys)?;
        if !query.keep_empty {
            return Ok(lines);
        }
        // The members of one table as they stand together, others combined.
        let mut groups: Vec<usize> = query.axes.iter().map(|axis| axis.together).collect();
        groups.sort_unstable();
        groups.dedup();
        let mut parts = Vec::new();
        for group in groups {
            let axes: Vec<usize> =
                (0..query.axes.len()).filter(|axis| query.axes[*axis].together == group).collect();
            let first = &query.axes[axes[0]];
            let mut rows = self.rows(first.home)?;
            let mut columns = Vec::new();
            for axis in axes {
                let sql = self.key(&mut rows, &query.graph, KeyId(axis as u32), &query.axes[axis].member)?;
                columns.extend(sql.selected(&query.graph, KeyId(axis as u32)));
            }
            let filter = self.conditions(&mut rows, &query.graph, &first.member_filter)?;
            let filter = filter.map_or_else(String::new, |f| format!("\nwhere {f}"));
            let body = format!("select distinct {}\nfrom {}{filter}", columns.join(",\n    "), rows.from());
            parts.push(self.step("members", body));
        }
        let from: Vec<String> = parts.iter().map(|name| format!("{name} as m_{name}")).collect();
        let selected: Vec<String> = keys
            .iter()
            .flat_map(|key| {
                let (value, stands) = crate::keys::columns(&query.graph, *key);
                [value, stands]
            })
            .collect();
        let selected = if selected.is_empty() { "1 as here".to_owned() } else { selected.join(", ") };
        let body = format!(
            "select {selected} from {} as {CELL}\nunion\nselect {selected} from {}",
            lines.name,
            from.join("\ncross join ")
        );
        Ok(Cells::new(self.step("lines", body), keys.to_vec()))
    }

    /// Lines of a grid and its other cells, of the rows and columns shown, in which a figure has a value though its fact has no rows there.
    fn with_between(
        &mut self,
        query: &Query,
        level: &Level,
        lines: Cells,
        keys: &[KeyId],
    ) -> Result<Cells, Refused> {
        let (graph, reaching) = (&query.graph, query.reaching(level));
        if level.rows == 0 || level.columns == 0 || reaching.is_empty() {
            return Ok(lines);
        }
        let names = |keys: &[KeyId]| {
            let names = keys.iter().flat_map(|key| <[String; 2]>::from(columns(graph, *key)));
            names.collect::<Vec<_>>().join(", ")
        };
        let (on_rows, on_columns) = keys.split_at(level.rows);
        let distinct = |keys: &[KeyId]| format!("(select distinct {} from {})", names(keys), lines.name);
        let all = names(keys);
        let (rows, across) = (distinct(on_rows), distinct(on_columns));
        let body = format!(
            "select {all} from {rows} as r cross join {across} as c\nexcept\nselect {all} from {}",
            lines.name
        );
        let mut between = Cells::new(self.step("between", body), keys.to_vec());
        let mut holds = Vec::new();
        for figure in reaching {
            let value = self.node(graph, figure.node, &mut between)?.sql;
            let nothing = match (figure.zero_is_nothing, figure.ty) {
                (true, Type::Boolean) => format!(" and ({value})"),
                (true, ty) if ty.is_number() => format!(" and ({value}) <> 0"),
                _ => String::new(),
            };
            holds.push(format!("(({value}) is not null{nothing})"));
        }
        let own = selected(graph, keys, CELL).join(", ");
        let body = format!(
            "select {all} from {}\nunion all\nselect {own}\nfrom {}\nwhere {}",
            lines.name,
            between.from(),
            holds.join("\n   or ")
        );
        Ok(Cells::new(self.step("lines", body), keys.to_vec()))
    }

    fn level(&mut self, query: &Query, level: &Level) -> Result<(String, Vec<Type>), Refused> {
        let (graph, keys) = (&query.graph, query.level_keys(level));
        let mut cells =
            if query.axes.is_empty() { Cells::one() } else { self.lines_of(query, level, &keys)? };
        let mut types = Vec::new();
        for key in &keys {
            types.extend([graph.keys[key.index()].ty, Type::Integer]);
        }
        let mut shown_columns = selected(graph, &keys, CELL);
        for (at, (node, ty)) in shown(query, level).into_iter().enumerate() {
            let value = self.node(graph, node, &mut cells)?;
            shown_columns
                .push(format!("{} as shown_{at}", self.words().as_type(&format!("({})", value.sql), ty)));
            types.push(ty);
        }
        Ok((format!("select {}\nfrom {}", shown_columns.join(",\n    "), cells.from()), types))
    }

    fn list(&mut self, list: &List) -> Result<(String, Vec<Type>), Refused> {
        let mut rows = self.rows(list.table)?;
        let mut conditions = Vec::new();
        for (at, bridged) in list.bridges.iter().enumerate() {
            let name = format!("bridge_{}", at + 1);
            conditions.push(self.bridge(&mut rows, &list.graph, bridged, (&name, &[]))?);
        }
        let mut columns = Vec::new();
        let mut types = Vec::new();
        for column in &list.columns {
            let value = self.expr(&mut rows, &list.graph, &column.expr)?;
            columns.push(self.words().as_type(&format!("({})", value.sql), column.expr.ty()));
            types.push(column.expr.ty());
        }
        let mut order = Vec::new();
        for (expr, descending) in &list.sort {
            let value = self.expr(&mut rows, &list.graph, expr)?;
            order.push(format!("{}{} nulls last", value.sql, if *descending { " desc" } else { "" }));
        }
        // Rows of a server have no order of their own: what the sort leaves open is settled by what is shown.
        order.extend((1..=columns.len()).map(|n| n.to_string()));
        conditions.extend(self.conditions(&mut rows, &list.graph, &list.filter)?);
        let filter = filtered(&conditions);
        let limit = list.limit.map_or_else(String::new, |n| format!("\nlimit {n}"));
        let (columns, order) = match columns.as_slice() {
            [] => ("count(*)".to_owned(), String::new()),
            _ => (columns.join(",\n    "), format!("\norder by {}", order.join(", "))),
        };
        Ok((format!("select {columns}\nfrom {}{filter}{order}{limit}", rows.from()), types))
    }

    /// The rows of a derived table: keys before figures, each under the name of its column.
    pub(crate) fn derived_table(&mut self, table: TableId) -> Result<String, Refused> {
        if let Some(name) = self.derived.get(&table) {
            return Ok(name.clone());
        }
        let source = self.source;
        let def = source.schema.table(table);
        let Some(plan) = source.derived.get(&table) else {
            return Err(Refused::new(format!("the derived table {}", def.name)));
        };
        let names: Vec<String> = def
            .columns
            .iter()
            .map(|c| source.schema.column(*c))
            .filter(|c| c.formula.is_none())
            .map(|c| source.dialect.quoted_name(&c.name))
            .collect();
        let body = match plan {
            Plan::List(list) => {
                let (rows, _) = self.list(list)?;
                format!("select * from (\n{rows}\n) as l ({})", names.join(", "))
            }
            Plan::Query(query) => {
                let mut levels = Vec::new();
                for level in query.levels.iter().filter(|level| level.shown) {
                    levels.push(self.derived_level(query, level, &names)?);
                }
                levels.join("\nunion all\n")
            }
        };
        let name = self.step(&def.name, body);
        self.derived.insert(table, name.clone());
        Ok(name)
    }

    fn derived_level(&mut self, query: &Query, level: &Level, names: &[String]) -> Result<String, Refused> {
        let (graph, keys) = (&query.graph, query.level_keys(level));
        let mut cells =
            if query.axes.is_empty() { Cells::one() } else { self.lines_of(query, level, &keys)? };
        let mut shown_columns = Vec::new();
        for axis in 0..query.axes.len() {
            let key = KeyId(axis as u32);
            let ty = graph.keys[axis].ty;
            let (value, stands) = columns(graph, key);
            let sql = if keys.contains(&key) {
                let rest = match &graph.keys[axis].rest {
                    Some(label) => {
                        let label: Value = self.literal(&vembra_plan::Scalar::text(label.as_str()));
                        format!(" when {CELL}.{stands} = {REST} then {}", label.sql)
                    }
                    None => String::new(),
                };
                format!("case when {CELL}.{stands} = {VALUE} then {CELL}.{value}{rest} end")
            } else {
                self.words().null(ty)
            };
            shown_columns.push(sql);
        }
        for (node, _) in query.shown(level) {
            shown_columns.push(self.node(graph, node, &mut cells)?.sql);
        }
        let named: Vec<String> =
            shown_columns.iter().zip(names).map(|(sql, name)| format!("{sql} as {name}")).collect();
        Ok(format!("select {}\nfrom {}", named.join(",\n    "), cells.from()))
    }
}
