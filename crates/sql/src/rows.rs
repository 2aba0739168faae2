//! The rows of a table, and what links lead to: expressions over them.

use crate::builder::{Builder, calendar_name};
use crate::cells::Cells;
use crate::functions::call;
use crate::keys::KeySql;
use crate::names::plain;
use crate::refused::Refused;
use crate::values::Value;
use crate::{NONE, UNKNOWN};
use std::collections::BTreeMap;
use vembra_plan::{
    Bridged, ColumnId, ColumnRef, Expr, Function, Graph, KeyFrom, KeyId, LinkDef, LinkId, Lookup, RowExpr,
    RowLeaf, Scalar, TableId, TableKind, Type,
};

/// The name under which the rows themselves stand.
const ROW: &str = "r";
/// A table in memory of at most this many rows is sent along.
const SENT_ALONG: usize = 10_000;

/// Rows that are read, with what is joined to them.
#[derive(Clone)]
pub(crate) struct Rows {
    pub(crate) table: TableId,
    /// The name under which the rows themselves stand.
    name: String,
    /// What stands behind `from`, line by line.
    from: Vec<String>,
    joined: BTreeMap<Vec<LinkId>, String>,
    figures: usize,
    /// Whether it is the row that stands for none at all: figures that it looks up have no value.
    nobody: bool,
    /// Where the cell stands for which rows are read.
    pub(crate) cell: Vec<(KeyId, KeySql)>,
    /// The relation of the cells that rows are read for, with the keys that it has.
    pub(crate) given: Option<(String, Vec<KeyId>)>,
    /// The conditions without figures that rows must pass, so that those they leave out ask for no cell: their keys may be unreadable.
    pub(crate) only: Vec<RowExpr>,
}

impl Rows {
    /// Rows of a table under a name.
    fn under(name: &str, table: TableId, from: Vec<String>) -> Self {
        Self {
            table,
            name: name.to_owned(),
            from,
            joined: BTreeMap::new(),
            figures: 0,
            nobody: false,
            cell: Vec::new(),
            given: None,
            only: Vec::new(),
        }
    }

    /// The rows of a step under a name.
    pub(crate) fn of_step(name: &str, table: TableId, step: &str) -> Self {
        Self::under(name, table, vec![format!("{step} as {name}")])
    }

    /// What stands behind `from`.
    pub(crate) fn from(&self) -> String {
        self.from.join("\n")
    }

    /// Where rows stand on a key, if that is known.
    pub(crate) fn stands(&self, key: KeyId) -> Option<&KeySql> {
        self.cell.iter().find(|(own, _)| *own == key).map(|(_, sql)| sql)
    }

    /// Joins a figure to each row by the cell that it asks for; gives the expression for it.
    pub(crate) fn join_figure(&mut self, graph: &Graph, figure: &str, keys: &[(KeyId, KeySql)]) -> String {
        self.figures += 1;
        let name = format!("looked_up_{}", self.figures);
        let on: Vec<String> = keys.iter().map(|(key, sql)| sql.is_in(graph, *key, &name)).collect();
        self.from.push(if on.is_empty() {
            format!("cross join {figure} as {name}")
        } else {
            format!("left join {figure} as {name} on {}", on.join(" and "))
        });
        format!("{name}.figure")
    }

    /// Joins something to each row.
    pub(crate) fn join(&mut self, join: String) {
        if !self.from.contains(&join) {
            self.from.push(join);
        }
    }
}

impl Builder<'_> {
    /// The rows of a table.
    pub(crate) fn rows(&mut self, table: TableId) -> Result<Rows, Refused> {
        let from = vec![format!("{} as {ROW}", self.relation(table)?)];
        Ok(Rows::under(ROW, table, from))
    }

    /// Where the rows of a table stand, with what links go by.
    pub(crate) fn relation(&mut self, table: TableId) -> Result<String, Refused> {
        let relation = self.plain_relation(table)?;
        self.keyed(table, relation)
    }

    /// Where the rows of a table stand.
    pub(crate) fn plain_relation(&mut self, table: TableId) -> Result<String, Refused> {
        let def = self.source.schema.table(table);
        match &def.kind {
            TableKind::Calendar { .. } if self.source.tables.contains_key(&table) => {
                Err(Refused::new("a calendar that is a table of the server"))
            }
            TableKind::Calendar { .. } => {
                if let Some(day) = crate::calendars::day_column(self.source, table) {
                    self.uses(table, day);
                }
                Ok(calendar_name(self.source, table))
            }
            TableKind::Derived => self.derived_table(table),
            TableKind::Fact | TableKind::Dimension if self.is_limited(table) => self.limited(table),
            TableKind::Fact | TableKind::Dimension => self.whole_table(table),
        }
    }

    /// Rows of a table with those of its computed columns that links go by, if there are any.
    pub(crate) fn keyed(&mut self, table: TableId, relation: String) -> Result<String, Refused> {
        let schema = self.source.schema;
        let def = schema.table(table);
        let stored = matches!(def.kind, TableKind::Fact | TableKind::Dimension);
        let goes_by = |column: &ColumnId| {
            let by = |link: &LinkDef| link.to.contains(column) || link.bridge && link.from.contains(column);
            stored && schema.column(*column).formula.is_some() && schema.links.iter().any(by)
        };
        let columns: Vec<ColumnId> = def.columns.iter().copied().filter(goes_by).collect();
        // What the columns are worked out from may lead to the same rows by other links.
        if columns.is_empty() || self.keying.contains(&table) {
            return Ok(relation);
        }
        self.keying.push(table);
        let mut rows = Rows::of_step(ROW, table, &relation);
        let mut values = Vec::with_capacity(columns.len());
        for column in columns {
            let own = ColumnRef { path: Vec::new(), column, ty: schema.column(column).ty };
            let value = self.column(&mut rows, &own);
            let name = self.source.dialect.quoted_name(&schema.column(column).name);
            values.push(value.map(|value| format!("{} as {name}", value.sql)));
        }
        self.keying.pop();
        let values: Vec<String> = values.into_iter().collect::<Result<_, _>>()?;
        let body = format!("select r.*, {}\nfrom {}", values.join(", "), rows.from());
        Ok(self.step(&format!("{}_keyed", plain(&schema.table(table).name)), body))
    }

    /// All rows of a table: of the server, or sent along if they are few.
    pub(crate) fn whole_table(&mut self, table: TableId) -> Result<String, Refused> {
        let source = self.source;
        let def = source.schema.table(table);
        let name = &def.name;
        if source.tables.contains_key(&table) {
            return Ok(self.base(table));
        }
        let rows = source.star.rows(table);
        if rows > SENT_ALONG {
            let what = format!("{name}, a table of {rows} rows that is not on the server,");
            let help = format!("put it on the server; tables of at most {SENT_ALONG} rows are sent along");
            return Err(Refused { what, help });
        }
        let columns: Vec<ColumnId> =
            def.columns.iter().copied().filter(|c| source.schema.column(*c).formula.is_none()).collect();
        let body = crate::calendars::rows(source, table, &columns)?;
        Ok(self.step(&format!("{name}_rows"), body))
    }

    fn uses(&mut self, table: TableId, column: ColumnId) {
        let used = self.used.entry(table).or_default();
        if !used.contains(&column) {
            used.push(column);
        }
    }

    /// The name under which the row stands that links lead to.
    fn reached(&mut self, rows: &mut Rows, path: &[LinkId]) -> Result<String, Refused> {
        if path.is_empty() {
            return Ok(rows.name.clone());
        }
        if let Some(name) = rows.joined.get(path) {
            return Ok(name.clone());
        }
        let before = self.reached(rows, &path[..path.len() - 1])?;
        let link = path[path.len() - 1];
        let (def, schema) = (self.source.schema.link(link), self.source.schema);
        let target = schema.link_target(link);
        let mut name = plain(&schema.table(target).name);
        if let Some(role) = def.role {
            name = format!("{name}_{}", plain(&schema.roles[role.index()]));
        }
        if rows.joined.values().any(|other| *other == name) || name == rows.name {
            name = format!("{name}_{}", rows.joined.len() + 1);
        }
        rows.joined.insert(path.to_vec(), name.clone());
        let relation = self.relation(target)?;
        let from = self.link_values_at(rows, &before, link)?;
        let join = if def.as_of.is_some() {
            self.join_held(link, (&name, &relation), &from)?
        } else {
            let on = self.equal(&name, link, &from);
            if def.coarse {
                self.join_coarse(link, (&name, &relation), &on)
            } else {
                format!("left join {relation} as {name} on {on}")
            }
        };
        rows.from.push(join);
        Ok(name)
    }

    /// What rows have for the columns that a link goes by.
    pub(crate) fn link_values(&mut self, rows: &mut Rows, link: LinkId) -> Result<Vec<String>, Refused> {
        let name = rows.name.clone();
        self.link_values_at(rows, &name, link)
    }

    fn link_values_at(&mut self, rows: &mut Rows, name: &str, link: LinkId) -> Result<Vec<String>, Refused> {
        let (def, schema) = (self.source.schema.link(link), self.source.schema);
        let mut values = Vec::with_capacity(def.from.len());
        for (from, to) in def.from.iter().zip(&def.to) {
            let value = self.column_of(rows, name, *from)?;
            let by_day = value.ty == Type::Moment && schema.column(*to).ty == Type::Date;
            values.push(if by_day { self.words().as_type(&value.sql, Type::Date) } else { value.sql });
        }
        Ok(values)
    }

    /// That the row under a name has these values in the columns that a link leads to.
    fn equal(&mut self, name: &str, link: LinkId, values: &[String]) -> String {
        let (to, target) = (self.source.schema.link(link).to.clone(), self.source.schema.link_target(link));
        let columns = to.iter().zip(values);
        let equal = columns.map(|(to, value)| format!("{} = {value}", self.column_at(name, target, *to)));
        equal.collect::<Vec<_>>().join(" and ")
    }

    /// The row of a key that holds on a day, the last of the values: it does so until the next one of its key begins.
    pub(crate) fn join_held(
        &mut self,
        link: LinkId,
        (name, relation): (&str, &str),
        values: &[String],
    ) -> Result<String, Refused> {
        let (day, values) = values.split_last().ok_or_else(|| Refused::new("a link without a day"))?;
        let (def, target) = (self.source.schema.link(link), self.source.schema.link_target(link));
        let own: Vec<String> = def.to.iter().map(|c| self.column_at("d", target, *c)).collect();
        let (since, apart) = own.split_last().ok_or_else(|| Refused::new("a link without a day"))?;
        let apart =
            if apart.is_empty() { String::new() } else { format!("partition by {} ", apart.join(", ")) };
        let next = self.free_column(target, "next_from");
        let held = format!(
            "select *, lead({since}) over ({apart}order by {since} nulls last) as {next} from {relation} as d"
        );
        let until = match def.as_of.as_ref().and_then(|as_of| as_of.until) {
            None => String::new(),
            Some(until) => {
                let until = self.column_at(name, target, until);
                format!(" and ({until} is null or {day} < {until})")
            }
        };
        let mut on: Vec<String> = def
            .to
            .iter()
            .zip(values)
            .map(|(to, value)| format!("{} = {value}", self.column_at(name, target, *to)))
            .collect();
        on.push(format!("{} <= {day}", self.column_at(name, target, def.to[values.len()])));
        let on = on.join(" and ");
        Ok(format!(
            "left join ({held}) as {name} on {on} and ({name}.{next} is null or {day} < {name}.{next}){until}"
        ))
    }

    /// One row of those that share the attribute: the first day of a period; of other tables only the attribute itself is asked for.
    fn join_coarse(&mut self, link: LinkId, (name, relation): (&str, &str), on: &str) -> String {
        let (def, target) = (self.source.schema.link(link), self.source.schema.link_target(link));
        let of: Vec<String> = def.to.iter().map(|c| self.column_at("d", target, *c)).collect();
        let of = of.join(", ");
        let day = crate::calendars::day_column(self.source, target)
            .filter(|_| matches!(self.source.schema.table(target).kind, TableKind::Calendar { .. }));
        let first = match day {
            Some(day) => format!("{of}, {}", self.column_at("d", target, day)),
            None => of.clone(),
        };
        let place = self.free_column(target, "place");
        let numbered = format!(
            "select *, row_number() over (partition by {of} order by {first}) as {place} from {relation} as d"
        );
        format!("left join ({numbered}) as {name} on {on} and {name}.{place} = 1")
    }

    /// A name that no column of a table has.
    fn free_column(&self, table: TableId, wanted: &str) -> String {
        let schema = self.source.schema;
        let names: Vec<String> =
            schema.table(table).columns.iter().map(|c| schema.column(*c).name.to_lowercase()).collect();
        let mut free = wanted.to_owned();
        while names.contains(&free) {
            free.push('_');
        }
        free
    }

    /// A stored column of rows, as they stand without anything joined.
    pub(crate) fn own_column(&mut self, table: TableId, column: ColumnId) -> String {
        self.column_at(ROW, table, column)
    }

    /// A column of the rows that have a name, stored or one that links go by.
    pub(crate) fn column_at(&mut self, name: &str, table: TableId, column: ColumnId) -> String {
        let schema = self.source.schema;
        let calendar = matches!(schema.table(table).kind, TableKind::Calendar { .. });
        if calendar || schema.column(column).formula.is_none() {
            self.uses(table, column);
        }
        format!("{name}.{}", self.source.dialect.quoted_name(&schema.column(column).name))
    }

    /// A column of a table, stored or computed, of the rows that have a name without a path of their own.
    fn column_of(&mut self, rows: &mut Rows, name: &str, column: ColumnId) -> Result<Value, Refused> {
        let path = if name == rows.name {
            Vec::new()
        } else {
            rows.joined.iter().find(|(_, own)| *own == name).map(|(path, _)| path.clone()).unwrap_or_default()
        };
        self.column(rows, &ColumnRef { path, column, ty: self.source.schema.column(column).ty })
    }

    /// A column as rows see it.
    pub(crate) fn column(&mut self, rows: &mut Rows, column: &ColumnRef) -> Result<Value, Refused> {
        let schema = self.source.schema;
        let def = schema.column(column.column);
        let calendar = matches!(schema.table(def.table).kind, TableKind::Calendar { .. });
        let value = |sql: String| Ok(Value { sql, ty: column.ty, fixed: None });
        if calendar {
            crate::calendars::is_known_here(self.source, column.column)?;
        }
        for (at, link) in column.path.iter().enumerate() {
            let asked = match column.path.get(at + 1) {
                Some(next) => schema.link(*next).from.clone(),
                None => vec![column.column],
            };
            self.settled(*link, &asked)?;
        }
        // What the link goes by stands with the rows that it leads to.
        let keyed = column.path.last().is_some_and(|link| schema.link(*link).to.contains(&column.column));
        let Some(formula) = def.formula.as_ref().filter(|_| !calendar && !keyed) else {
            let name = self.reached(rows, &column.path)?;
            return value(self.column_at(&name, def.table, column.column));
        };
        if formula.counted {
            return Err(Refused::new(format!("the working days of {}", schema.table(def.table).name)));
        }
        let computed = self.expr_behind(rows, &formula.graph, &formula.expr, &column.path)?;
        if column.path.is_empty() {
            return value(crate::functions::cast(self.words(), &computed, column.ty)?);
        }
        // Where no row is reached nothing is worked out.
        let landing = self.landing(rows, &column.path)?;
        value(format!("(case when {landing} is not null then {} end)", computed.sql))
    }

    /// Rows of a server have no first one among those that share the coarser attribute by which a link leads to them: they must be alike in
    /// what is asked of them.
    fn settled(&self, link: LinkId, columns: &[ColumnId]) -> Result<(), Refused> {
        let schema = self.source.schema;
        let def = schema.link(link);
        if !def.coarse || matches!(schema.table(schema.link_target(link)).kind, TableKind::Calendar { .. }) {
            return Ok(());
        }
        for column in columns.iter().filter(|column| !def.to.contains(column)) {
            if !self.source.before.is_settled(link, *column)? {
                let by: Vec<String> = def.to.iter().map(|to| schema.qualified(*to)).collect();
                return Err(Refused {
                    what: format!(
                        "{}, which differs among rows with the same {},",
                        schema.qualified(*column),
                        by.join(", ")
                    ),
                    help: "fix the rows on the server: each must have the same there".to_owned(),
                });
            }
        }
        Ok(())
    }

    /// A column that is null only where links lead to no row.
    pub(crate) fn landing(&mut self, rows: &mut Rows, path: &[LinkId]) -> Result<String, Refused> {
        let name = self.reached(rows, path)?;
        let Some(link) = path.last() else { return Ok("true".to_owned()) };
        let (target, to) = (self.source.schema.link_target(*link), self.source.schema.link(*link).to.clone());
        Ok(self.column_at(&name, target, to[0]))
    }

    /// An expression over rows.
    pub(crate) fn expr(&mut self, rows: &mut Rows, graph: &Graph, expr: &RowExpr) -> Result<Value, Refused> {
        self.expr_behind(rows, graph, expr, &[])
    }

    /// An expression over the rows that links lead to.
    fn expr_behind(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        expr: &RowExpr,
        path: &[LinkId],
    ) -> Result<Value, Refused> {
        match expr {
            Expr::Leaf(RowLeaf::Column(column)) => {
                let path = path.iter().chain(&column.path).copied().collect();
                self.column(rows, &ColumnRef { path, column: column.column, ty: column.ty })
            }
            Expr::Leaf(RowLeaf::Lookup(lookup)) if rows.nobody => {
                Ok(Value { sql: self.words().null(lookup.ty), ty: lookup.ty, fixed: None })
            }
            Expr::Leaf(RowLeaf::Lookup(lookup)) => {
                let sql = self.lookup(rows, graph, lookup, path)?;
                Ok(Value { sql, ty: lookup.ty, fixed: None })
            }
            Expr::Literal(value) => Ok(self.literal(value)),
            Expr::Call { function, args, ty } => {
                let args: Vec<Value> = args
                    .iter()
                    .map(|arg| self.expr_behind(rows, graph, arg, path))
                    .collect::<Result<_, _>>()?;
                Ok(Value { sql: call(self.words(), *function, &args, *ty)?, ty: *ty, fixed: None })
            }
        }
    }

    pub(crate) fn literal(&mut self, value: &Scalar) -> Value {
        Value { sql: self.bind(value), ty: value.ty(), fixed: Some(value.clone()) }
    }

    /// The key by which rows of a bridge lead to each row, and what a member of rows that have none stands for.
    pub(crate) fn led_to(
        &mut self,
        rows: &mut Rows,
        bridged: &Bridged,
    ) -> Result<(Vec<Value>, String), Refused> {
        let to = self.source.schema.link(bridged.link).to.clone();
        let reached = self.reached(rows, &bridged.path)?;
        let missing = self.why_missing(rows, &bridged.path, bridged.path.len())?;
        let keys =
            to.iter().map(|column| self.column_of(rows, &reached, *column)).collect::<Result<_, _>>()?;
        Ok((keys, missing))
    }

    /// Joins the different members that the rows of a bridge give to each row, under a name; rows that have none stand as if they had one
    /// without any value. Gives the condition that rows must fulfil besides.
    pub(crate) fn bridge(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        bridged: &Bridged,
        (name, split): (&str, &[KeyId]),
    ) -> Result<String, Refused> {
        let def = self.source.schema.link(bridged.link).clone();
        let (led_to, missing) = self.led_to(rows, bridged)?;
        let relation = self.relation(bridged.table)?;
        let inner = format!("{name}_row");
        let any = format!("{name}_any");
        let (mut keys, mut any_keys, mut own, mut is_any) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        for (at, from) in def.from.iter().enumerate() {
            let column = self.column_at(&inner, bridged.table, *from);
            let left = &led_to[at].sql;
            keys.push(format!("{column} as key_{at}"));
            any_keys.push(format!("{} as key_{at}", self.column_at("d", bridged.table, *from)));
            own.push(format!("{name}.key_{at} = {left}"));
            is_any.push(format!("{any}.key_{at} = {left}"));
        }
        // The members that pass, and whether a row that has none at all passes.
        let members = format!("{relation} as {inner}");
        let nobody = format!("(select 1 as one) as one\nleft join {relation} as {inner} on false");
        let mut bodies = Vec::new();
        for (from, of) in [(vec![members], true), (vec![nobody], false)] {
            let mut several = Rows { nobody: !of, ..Rows::under(&inner, bridged.table, from) };
            let mut columns = if of { keys.clone() } else { Vec::new() };
            for key in split.iter().filter(|_| of) {
                let Some(own) = bridged.keys.iter().find(|k| k.key == *key) else { continue };
                columns.extend(self.key(&mut several, graph, *key, &own.expr)?.selected(graph, *key));
            }
            columns.push(if of { "true as here" } else { "count(*) as here" }.to_owned());
            let filter = filtered(self.conditions(&mut several, graph, &bridged.filter)?.as_slice());
            let distinct = if of { "distinct " } else { "" };
            bodies.push(format!("select {distinct}{}\nfrom {}{filter}", columns.join(", "), several.from()));
        }
        rows.join(format!("left join (\n{}) as {name} on {}", bodies[0], own.join(" and ")));
        rows.join(format!(
            "left join (select distinct {}, true as here from {relation} as d) as {any} on {}",
            any_keys.join(", "),
            is_any.join(" and ")
        ));
        let mut without = String::new();
        if !bridged.filter.is_empty() {
            let nobody = format!("{name}_nobody");
            rows.join(format!("cross join (\n{}) as {nobody}", bodies[1]));
            without = format!(" and {nobody}.here > 0");
        }
        for key in split {
            let nothing = self.words().nothing(graph.keys[key.index()].ty);
            let sql = KeySql::in_columns(graph, *key, name);
            let met = format!("{name}.here");
            let missing = if graph.keys[key.index()].missing_as_one { &NONE.to_string() } else { &missing };
            rows.cell.push((
                *key,
                KeySql {
                    value: format!("case when {met} then {} else {nothing} end", sql.value),
                    stands: format!("case when {met} then {} else {missing} end", sql.stands),
                },
            ));
        }
        Ok(format!("({name}.here or {any}.here is null{without})"))
    }

    /// The conditions that all must hold, as they stand behind `where`.
    pub(crate) fn conditions(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        conditions: &[RowExpr],
    ) -> Result<Option<String>, Refused> {
        let mut all = Vec::with_capacity(conditions.len());
        for condition in conditions {
            all.push((self.expr(rows, graph, condition)?.sql, self.may_overflow(condition)));
        }
        let all = crate::reading::guarded(self.words(), all);
        Ok((!all.is_empty()).then(|| all.join("\n  and ")))
    }

    /// Whether whole numbers or days may leave their range in an expression, or in the columns that it reads.
    fn may_overflow(&self, expr: &RowExpr) -> bool {
        match expr {
            Expr::Call { function, args, ty } => {
                let arithmetic = matches!(
                    function,
                    Function::Add | Function::Subtract | Function::Multiply | Function::Negate
                );
                arithmetic && matches!(ty, Type::Integer | Type::Date | Type::Moment)
                    || args.iter().any(|arg| self.may_overflow(arg))
            }
            Expr::Leaf(RowLeaf::Column(column)) => {
                let formula = &self.source.schema.column(column.column).formula;
                formula.as_ref().is_some_and(|formula| self.may_overflow(&formula.expr))
            }
            Expr::Leaf(RowLeaf::Lookup(_)) | Expr::Literal(_) => false,
        }
    }

    /// A key of rows, which an expression gives.
    pub(crate) fn key(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        id: KeyId,
        expr: &RowExpr,
    ) -> Result<KeySql, Refused> {
        self.key_behind(rows, graph, (id, expr), &[])
    }

    fn key_behind(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        (id, expr): (KeyId, &RowExpr),
        path: &[LinkId],
    ) -> Result<KeySql, Refused> {
        let value = self.expr_behind(rows, graph, expr, path)?;
        let missing = match expr {
            _ if graph.keys[id.index()].missing_as_one => NONE.to_string(),
            Expr::Leaf(RowLeaf::Column(column)) => {
                let whole: Vec<LinkId> = path.iter().chain(&column.path).copied().collect();
                self.why_missing(rows, &whole, whole.len())?
            }
            _ => match common_link(expr) {
                // What is behind the first link has no member of its own for an unknown key.
                Some(link) => {
                    let whole: Vec<LinkId> = path.iter().copied().chain([link]).collect();
                    self.why_missing(rows, &whole, 1)?
                }
                None => NONE.to_string(),
            },
        };
        Ok(KeySql::of(self.words(), &value, &missing))
    }

    /// What a missing value stands for that links lead to: none or unknown, by the first of them that leads nowhere.
    fn why_missing(&mut self, rows: &mut Rows, path: &[LinkId], links: usize) -> Result<String, Refused> {
        let mut sql = String::new();
        for length in 1..=links.min(path.len()) {
            let link = path[length - 1];
            let landing = self.landing(rows, &path[..length])?;
            let before = self.reached(rows, &path[..length - 1])?;
            let (source, from) =
                (self.source.schema.link_source(link), self.source.schema.link(link).from.clone());
            let mut without = Vec::new();
            for column in from {
                without.push(format!("{} is null", self.column_of(rows, &before, column)?.sql));
            }
            // A table about some days of the calendar says nothing of the others.
            let sparse = matches!(self.source.schema.table(source).kind, TableKind::Calendar { .. });
            let unknown = if sparse { NONE } else { UNKNOWN };
            sql +=
                &format!(" when {} then {NONE} when {landing} is null then {unknown}", without.join(" or "));
        }
        Ok(if sql.is_empty() { NONE.to_string() } else { format!("case{sql} else {NONE} end") })
    }

    /// A figure that rows look up: it is worked out at the cells that they ask for, and joined to them.
    fn lookup(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        lookup: &Lookup,
        path: &[LinkId],
    ) -> Result<String, Refused> {
        // The cells are those of all rows of the table whose rows look it up, whether these are read or not.
        let table = path.last().map_or(rows.table, |link| self.source.schema.link_target(*link));
        let of_cell = |k: &vembra_plan::LookupKey| match &k.from {
            KeyFrom::Cell => rows.stands(k.key).is_some(),
            KeyFrom::Row(expr) => {
                let mut stands = false;
                expr.cell_keys(&mut |key| stands |= rows.stands(key).is_some());
                stands
            }
        };
        let mut all = if path.is_empty() && lookup.keys.iter().any(of_cell) {
            // What leads to the cell of a row leads to it here too.
            rows.clone()
        } else {
            self.rows(table)?
        };
        let (mut asked, mut own) = (Vec::new(), Vec::<(KeyId, KeySql)>::new());
        for key in &lookup.keys {
            if own.iter().any(|(known, _)| *known == key.key) {
                continue;
            }
            match &key.from {
                KeyFrom::Row(expr) => {
                    asked.push((key.key, self.key(&mut all, graph, key.key, expr)?));
                    own.push((key.key, self.key_behind(rows, graph, (key.key, expr), path)?));
                }
                KeyFrom::Cell => {
                    let Some(known) = rows.stands(key.key) else { continue };
                    if !path.is_empty() {
                        return Err(Refused::new("a computed column that looks at the cell"));
                    }
                    asked.push((key.key, known.clone()));
                    own.push((key.key, known.clone()));
                }
            }
        }
        let only = if path.is_empty() { self.conditions(&mut all, graph, &rows.only.clone())? } else { None };
        let cells = self.asked(graph, &all, &asked, only.as_slice());
        let figure = self.figure(graph, lookup.node, &cells)?;
        Ok(rows.join_figure(graph, &figure, &own))
    }

    /// The different cells on which rows stand that pass some conditions.
    pub(crate) fn asked(
        &mut self,
        graph: &Graph,
        rows: &Rows,
        keys: &[(KeyId, KeySql)],
        conditions: &[String],
    ) -> Cells {
        if keys.is_empty() {
            return Cells::one();
        }
        let columns: Vec<String> = keys.iter().flat_map(|(key, sql)| sql.selected(graph, *key)).collect();
        let name = self.step("asked", different(&columns, rows, conditions));
        Cells::new(name, keys.iter().map(|(key, _)| *key).collect())
    }
}

/// The different values of some columns of the rows that pass some conditions.
pub(crate) fn different(columns: &[String], rows: &Rows, conditions: &[String]) -> String {
    format!("select distinct {}\nfrom {}{}", columns.join(",\n    "), rows.from(), filtered(conditions))
}

/// What stands behind the relations: conditions that all must hold.
pub(crate) fn filtered(conditions: &[String]) -> String {
    if conditions.is_empty() { String::new() } else { format!("\nwhere {}", conditions.join("\n  and ")) }
}

/// The link that all columns of an expression are reached by first.
fn common_link(expr: &RowExpr) -> Option<LinkId> {
    let mut first: Option<Option<LinkId>> = None;
    let mut same = expr.is_plain();
    expr.leaves(&mut |leaf| {
        if let RowLeaf::Column(column) = leaf {
            let link = column.path.first().copied();
            same &= first.is_none_or(|f| f == link);
            first = Some(link);
        }
    });
    first.flatten().filter(|_| same)
}

impl KeySql {
    /// Where a key stands that a condition may take out of its members: the rest then, with `nothing` as its value.
    pub(crate) fn kept(self, chosen: &str, nothing: &str) -> Self {
        Self {
            value: format!("case when {chosen} then {} else {} end", self.value, nothing),
            stands: format!("case when {chosen} then {} else {} end", self.stands, crate::REST),
        }
    }
}
