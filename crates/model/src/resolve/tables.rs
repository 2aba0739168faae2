//! Tables, the calendar and the hierarchies.

use super::{Resolver, TableShape};
use crate::declarations::CALENDAR;
use crate::grain::calendar_determines;
use crate::messages;
use crate::model::Hierarchy;
use vembra_plan::civil::{month_number, parse_date};
use vembra_plan::{CalendarRange, ColumnDef, ColumnId, Period, TableDef, TableId, TableKind, Type};
use vembra_syntax::ast::{self, View};
use vembra_syntax::{Span, nearest};

/// A calendar has at most this many days: a thousand years.
const MOST_DAYS: i64 = 366_000;

impl Resolver<'_> {
    pub(super) fn tables(&mut self, shapes: &[TableShape]) {
        for declared in &self.declarations.table_nodes {
            let Some(name) = declared.node.name() else { continue };
            let span = declared.span();
            let text = name.name();
            let first = self.declarations.tables.iter().find(|t| t.name == text && t.span != span);
            if let Some(first) = first.filter(|_| self.model.find_table(&text).is_some()) {
                self.diagnostics.push(messages::declared_twice(
                    span,
                    first.span,
                    &format!("the table {text}"),
                ));
                continue;
            }
            if text == CALENDAR {
                self.diagnostics.push(messages::name_taken(span, CALENDAR, "the calendar of the model"));
                continue;
            }
            let kind = match declared.node {
                ast::TableDecl::Dimension(_) => TableKind::Dimension,
                ast::TableDecl::Fact(_) => TableKind::Fact,
            };
            let table = self.add_table(&text, kind);
            for (column, ty) in shapes.iter().filter(|s| s.name == text).flat_map(|s| &s.columns) {
                self.add_column(table, column, *ty);
            }
            let key: Vec<ColumnId> = declared
                .node
                .key()
                .iter()
                .filter_map(|k| self.column_of(table, &k.name(), k.span(declared.source)))
                .collect();
            let columns = self.model.schema.table(table).columns.clone();
            if let [only] = key.as_slice() {
                self.model.determined.extend(columns.iter().filter(|c| *c != only).map(|c| (*only, *c)));
            }
            self.model.schema.tables[table.index()].key = key;
        }
    }

    pub(super) fn add_table(&mut self, name: &str, kind: TableKind) -> TableId {
        let table = TableDef { name: name.to_owned(), kind, columns: Vec::new(), key: Vec::new() };
        let id = TableId(self.model.schema.tables.len() as u32);
        self.model.schema.tables.push(table);
        self.model.index.tables.entry(name.to_owned()).or_insert(id);
        id
    }

    pub(super) fn add_column(&mut self, table: TableId, name: &str, ty: Type) -> ColumnId {
        let schema = &mut self.model.schema;
        let id = ColumnId(schema.columns.len() as u32);
        schema.columns.push(ColumnDef { name: name.to_owned(), table, ty, formula: None });
        schema.tables[table.index()].columns.push(id);
        self.model.index.columns.entry(name.to_owned()).or_default().push(id);
        // Each column is a thing of its own until links say otherwise.
        self.model.same.push(id.0);
        id
    }

    /// The column of a table, or a message.
    pub(super) fn column_of(&mut self, table: TableId, name: &str, span: Span) -> Option<ColumnId> {
        let found = self.model.find_column(table, name);
        if found.is_none() {
            let def = self.model.schema.table(table);
            let known: Vec<&str> =
                def.columns.iter().map(|c| self.model.schema.column(*c).name.as_str()).collect();
            // A table that could not be loaded has no columns; that was said before.
            if !known.is_empty() {
                let near = nearest(name, known.iter().copied());
                self.diagnostics.push(messages::unknown_column(span, &def.name, name, near, &known));
            }
        }
        found
    }

    /// The table of a name, or a message.
    pub(super) fn table_of(&mut self, name: &str, span: Span) -> Option<TableId> {
        let found = self.model.find_table(name);
        if found.is_none() {
            if name == CALENDAR {
                // One that is declared but could not be made was reported where it stands.
                if self.declarations.calendar.is_none() {
                    self.diagnostics.push(messages::no_calendar(span));
                }
                return None;
            }
            let known: Vec<&str> = self.model.schema.tables.iter().map(|t| t.name.as_str()).collect();
            let near = nearest(name, known.iter().copied());
            self.diagnostics.push(messages::unknown_table(span, name, near, &known));
        }
        found
    }

    pub(super) fn calendar(&mut self, shapes: &[TableShape]) {
        let declarations = self.declarations;
        let Some(declared) = &declarations.calendar else { return };
        let span = declared.span();
        if let Some(month) = declared.node.fiscal_year().and_then(|f| f.month()) {
            match month_number(&month.name()) {
                Some(number) => self.model.fiscal_start = number as u8,
                None => {
                    let message = messages::bad_calendar(
                        month.span(declared.source),
                        &format!("{} is not a month; write for example october", month.name()),
                    );
                    self.diagnostics.push(message);
                }
            }
        }
        let range = match declared.node.range().filter(|_| declared.node.file().is_none()) {
            Some((from, to)) => self.range(&from, &to, span),
            None if declared.node.file().is_some() => Some(CalendarRange::Loaded),
            // The columns may be computed ones: they are resolved when those are known.
            None => Some(CalendarRange::Covering(Vec::new())),
        };
        let Some(range) = range else { return };
        let fiscal_start = self.model.fiscal_start;
        let table = self.add_table(CALENDAR, TableKind::Calendar { range, fiscal_start });
        let date = self.add_column(table, "date", Type::Date);
        for period in Period::ALL {
            let column = self.add_column(table, period.name(), Type::Period(period));
            self.model.determined.push((date, column));
        }
        self.model.schema.tables[table.index()].key = vec![date];
        self.model.calendar = Some(table);
        self.model.has_working_days = declared.node.working().is_some();
        self.calendar_file(table, date, shapes);
        let of_type = |model: &crate::Model, ty: Type| {
            let columns = &model.schema.table(table).columns;
            columns.iter().copied().find(|c| model.schema.column(*c).ty == ty)
        };
        for (finer, coarser) in calendar_determines(fiscal_start) {
            if let (Some(finer), Some(coarser)) = (of_type(&self.model, finer), of_type(&self.model, coarser))
            {
                self.model.determined.push((finer, coarser));
            }
        }
    }

    /// What a file says of days besides.
    fn calendar_file(&mut self, table: TableId, date: ColumnId, shapes: &[TableShape]) -> Option<()> {
        let declared = self.declarations.calendar.as_ref()?;
        let (_, days) = declared.node.file()?;
        let shape = shapes.iter().find(|s| s.name == CALENDAR)?;
        // The days themselves have the name that every calendar has.
        let others = shape.columns.iter().filter(|(name, _)| *name != days.name() && name != "date");
        for (name, ty) in others {
            if self.model.find_column(table, name).is_some() {
                let what = "an attribute that every calendar has";
                self.diagnostics.push(messages::name_taken(declared.span(), name, what));
                continue;
            }
            let column = self.add_column(table, name, *ty);
            self.model.determined.push((date, column));
        }
        Some(())
    }

    fn range(&mut self, from: &str, to: &str, span: Span) -> Option<CalendarRange> {
        for text in [from, to] {
            if parse_date(text).is_none() {
                self.diagnostics.push(messages::bad_calendar(span, &format!("'{text}' is not a day")));
                return None;
            }
        }
        let (from, to) = (parse_date(from)?, parse_date(to)?);
        let days = i64::from(to) - i64::from(from) + 1;
        if !(1..=MOST_DAYS).contains(&days) {
            let what =
                if days < 1 { "it ends before it starts" } else { "it is longer than a thousand years" };
            self.diagnostics.push(messages::bad_calendar(span, what));
            return None;
        }
        Some(CalendarRange::Days(from, to))
    }

    /// Resolves the columns that the calendar covers; none of them may need the calendar.
    pub(super) fn covering(&mut self) -> Option<()> {
        let declared = self.declarations.calendar.as_ref()?;
        let calendar = self.model.calendar?;
        if declared.node.range().is_some() || declared.node.file().is_some() {
            return None;
        }
        let mut columns = Vec::new();
        for name in declared.node.covering() {
            let span = name.span(declared.source);
            let (Some(table), Some(column)) = (name.qualifier(), name.name()) else {
                self.diagnostics.push(messages::column_needs_table(span, &name.text()));
                return None;
            };
            let table = self.table_of(&table.name(), span)?;
            let column = self.column_of(table, &column.name(), span)?;
            let ty = self.model.schema.column(column).ty;
            if !matches!(ty, Type::Date | Type::Moment | Type::Null) {
                self.diagnostics.push(messages::wrong_argument(span, "a column with dates", ty, None));
                return None;
            }
            if self.needs_table(column, calendar) {
                let names = [self.model.written(column), CALENDAR.to_owned()];
                self.diagnostics.push(messages::ring(span, &names));
                return None;
            }
            columns.push(column);
        }
        if let TableKind::Calendar { range, .. } = &mut self.model.schema.tables[calendar.index()].kind {
            *range = CalendarRange::Covering(columns);
        }
        Some(())
    }

    /// Whether a computed column needs a table, directly or through other columns and links.
    fn needs_table(&self, column: ColumnId, table: TableId) -> bool {
        let schema = &self.model.schema;
        let (mut needed, mut at) = (vec![column], 0);
        while at < needed.len() {
            let Some(formula) = &schema.column(needed[at]).formula else {
                at += 1;
                continue;
            };
            let mut more = Vec::new();
            let mut reaches = false;
            let mut leaves: Vec<&vembra_plan::ColumnRef> = formula.graph.needs().1;
            formula.expr.columns(&mut |leaf| leaves.push(leaf));
            for leaf in leaves {
                reaches |= leaf.path.iter().any(|l| schema.link_target(*l) == table);
                more.push(leaf.column);
                more.extend(leaf.path.iter().flat_map(|l| schema.link(*l).from.clone()));
            }
            if reaches {
                return true;
            }
            more.retain(|c| !needed.contains(c));
            needed.extend(more);
            at += 1;
        }
        false
    }

    /// Resolves hierarchies: at first those of columns that are there, and `last` those that wait for computed ones.
    pub(super) fn hierarchies(&mut self, last: bool) {
        let declarations = self.declarations;
        for declared in &declarations.hierarchies {
            let span = declared.span();
            if self.hierarchies_done.contains(&span) || (!last && self.waits_for_columns(&declared.node)) {
                continue;
            }
            self.hierarchies_done.push(span);
            let Some(target) = declared.node.target() else { continue };
            let (Some(table), Some(name)) = (target.qualifier(), target.name()) else {
                self.diagnostics.push(messages::column_needs_table(span, &target.text()));
                continue;
            };
            let Some(table) = self.table_of(&table.name(), target.span(declared.source)) else { continue };
            let mut levels: Vec<ColumnId> = Vec::new();
            for level in declared.node.levels() {
                let span = level.span(declared.source);
                match self.column_of(table, &level.name(), span) {
                    Some(column) if levels.contains(&column) => {
                        let what = format!("{} is a level of this hierarchy already", level.name());
                        self.diagnostics.push(messages::bad_property(span, &what, "leave it out"));
                    }
                    found => levels.extend(found),
                }
            }
            let name = name.name();
            if self.model.find_column(table, &name).is_some() {
                self.diagnostics.push(messages::name_taken(span, &name, "a column of the table"));
            }
            let known = self.model.hierarchies.iter().find(|h| h.table == table && h.name == name);
            if let Some(known) = known {
                let first = known.span;
                self.diagnostics.push(messages::declared_twice(
                    span,
                    first,
                    &format!("the hierarchy {name}"),
                ));
            }
            for pair in levels.windows(2) {
                self.model.determined.push((pair[1], pair[0]));
            }
            self.model.hierarchies.push(Hierarchy { table, name, levels, span });
        }
    }

    /// Whether a level is a column that is worked out later.
    fn waits_for_columns(&self, node: &ast::HierarchyDecl) -> bool {
        let table = node.target().and_then(|t| self.model.find_table(&t.qualifier()?.name()));
        let Some(table) = table else { return false };
        let is_computed = |level: &str| {
            self.declarations.columns.iter().any(|column| {
                let target = column.node.target();
                let of_table = target.as_ref().and_then(|t| self.model.find_table(&t.qualifier()?.name()));
                let name = target.and_then(|t| Some(t.name()?.name()));
                of_table == Some(table) && name.as_deref() == Some(level) && column.node.formula().is_some()
            })
        };
        let is_derived = self.model.schema.table(table).kind == TableKind::Derived;
        node.levels().iter().any(|level| {
            let name = level.name();
            self.model.find_column(table, &name).is_none() && (is_derived || is_computed(&name))
        })
    }
}
