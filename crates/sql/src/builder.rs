//! The steps of a statement, one after the other.

use crate::names::Names;
use crate::refused::Refused;
use crate::source::Source;
use crate::statement::Statement;
use crate::values::Read;
use crate::words::Words;
use std::collections::{BTreeMap, HashMap};
use vembra_plan::{AggregateFunction, ColumnId, KeyId, NodeId, Scalar, TableId, TableKind, Type};

/// Where the groups of a scan stand: the graph and the scan, what distinguishes them, and the cells that they are for.
pub(crate) type GroupsOf = (usize, u32, Vec<KeyId>, Option<String>);

/// Builds one statement.
pub(crate) struct Builder<'a> {
    pub(crate) source: &'a Source<'a>,
    /// Each with its name, and whether it is to be read as if it stood where it is used.
    steps: Vec<(String, String, bool)>,
    names: Names,
    binds: Vec<Scalar>,
    /// The columns that are read of calendars and tables.
    pub(crate) used: BTreeMap<TableId, Vec<ColumnId>>,
    /// The steps that have the rows of tables of the server.
    bases: BTreeMap<TableId, String>,
    pub(crate) groups: HashMap<GroupsOf, String>,
    /// Figures that stand side by side at some cells, by the graph, the node and the cells.
    pub(crate) figures: HashMap<(usize, NodeId, String), String>,
    /// Derived tables that are worked out already.
    pub(crate) derived: BTreeMap<TableId, String>,
    /// Whether a limit itself is being worked out.
    pub(crate) without_limits: bool,
    /// The tables whose computed columns that links go by are being worked out.
    pub(crate) keying: Vec<TableId>,
    /// The rows that are seen of tables of which some are hidden, whatever rows of another table are; none while it is worked out.
    pub(crate) seen: BTreeMap<(TableId, Option<TableId>), Option<String>>,
}

impl<'a> Builder<'a> {
    pub(crate) fn new(source: &'a Source<'a>) -> Self {
        let mut names = Names::default();
        // A step with the name of a table would be read in its place.
        for table in source.tables.values() {
            names.taken(&table.name);
            names.taken(table.name.rsplit('.').next().unwrap_or_default());
        }
        for table in source.schema.table_ids() {
            names.taken(&calendar_name(source, table));
        }
        Self {
            source,
            steps: Vec::new(),
            names,
            binds: Vec::new(),
            used: BTreeMap::new(),
            bases: BTreeMap::new(),
            groups: HashMap::new(),
            figures: HashMap::new(),
            derived: BTreeMap::new(),
            without_limits: false,
            keying: Vec::new(),
            seen: BTreeMap::new(),
        }
    }

    /// Adds a step, and gives its name.
    pub(crate) fn step(&mut self, wanted: &str, body: String) -> String {
        let known = self.steps.iter().find(|(_, own, _)| *own == body);
        if let Some((name, ..)) = known {
            return name.clone();
        }
        let name = self.names.free(wanted);
        self.steps.push((name.clone(), body, false));
        name
    }

    /// The step that has the rows of a table of the server. It is read as if it stood wherever it is used, so that the server finds rows by
    /// its own indices.
    pub(crate) fn base(&mut self, table: TableId) -> String {
        if let Some(name) = self.bases.get(&table) {
            return name.clone();
        }
        let name = self.names.free(&format!("{}_rows", self.source.schema.table(table).name));
        self.bases.insert(table, name.clone());
        name
    }

    /// What the server says in its own words.
    pub(crate) fn words(&self) -> &'static dyn Words {
        self.source.dialect.words()
    }

    /// An aggregate over the rows of a group.
    pub(crate) fn aggregate(&mut self, function: AggregateFunction, read: &Read) -> Result<String, Refused> {
        self.words().aggregate(function, read, &mut |value| self.bind(value))
    }

    /// A parameter that stands for a value, or the value itself where a server has none.
    pub(crate) fn bind(&mut self, value: &Scalar) -> String {
        if value.is_null() {
            return "null".to_owned();
        }
        if self.words().parameter(1, value).is_none() {
            return self.words().literal(value, value.ty());
        }
        let known = self.binds.iter().position(|own| own.is(value));
        let at = known.unwrap_or_else(|| {
            self.binds.push(value.clone());
            self.binds.len() - 1
        });
        self.words().parameter(at + 1, value).unwrap_or_default()
    }

    /// The statement that ends with `last`.
    pub(crate) fn finish(self, last: &str, columns: Vec<Type>) -> Result<Statement, Refused> {
        let mut steps = Vec::new();
        for (table, used) in &self.used {
            if matches!(self.source.schema.table(*table).kind, TableKind::Calendar { .. }) {
                let rows = crate::calendars::rows(self.source, *table, used)?;
                steps.push((calendar_name(self.source, *table), rows, false));
            }
        }
        for (table, name) in &self.bases {
            let used = self.used.get(table).map(Vec::as_slice).unwrap_or_default();
            steps.push((name.clone(), base_rows(self.source, *table, used)?, true));
        }
        steps.extend(self.steps);
        let words = self.source.dialect.words();
        let named: Vec<String> = steps
            .iter()
            .map(|(name, body, inline)| format!("{name} {} (\n{}\n)", words.step(*inline), indented(body)))
            .collect();
        let sql =
            if named.is_empty() { last.to_owned() } else { format!("with {}\n{last}", named.join(",\n")) };
        Ok(Statement { sql, binds: self.binds, columns })
    }
}

/// The name of the rows of a calendar.
pub(crate) fn calendar_name(source: &Source<'_>, table: TableId) -> String {
    format!("{}_days", crate::names::plain(&source.schema.table(table).name))
}

/// The rows of a table of the server with the columns that are read, in the types of the model.
fn base_rows(source: &Source<'_>, table: TableId, used: &[ColumnId]) -> Result<String, Refused> {
    let schema = source.schema;
    let Some(stored) = source.tables.get(&table) else {
        return Err(Refused::new(format!("the table {}", schema.table(table).name)));
    };
    // In the order in which the table has them.
    let ordered = schema.table(table).columns.iter().filter(|c| used.contains(c));
    let mut columns = Vec::new();
    for column in ordered {
        let name = &schema.column(*column).name;
        let own = source.dialect.quoted_name(name);
        let Some(column) = stored.columns.get(name) else {
            return Err(Refused::new(format!("the column {}.{name}", schema.table(table).name)));
        };
        let value = column.of(source.dialect, name);
        columns.push(if value == own { own } else { format!("{value} as {own}") });
    }
    let columns = if columns.is_empty() { "true as here".to_owned() } else { columns.join(", ") };
    Ok(format!("select {columns}\nfrom {}", source.dialect.quoted(&stored.name)))
}

fn indented(body: &str) -> String {
    body.lines().map(|line| format!("    {line}")).collect::<Vec<_>>().join("\n")
}
