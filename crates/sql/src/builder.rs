//! The steps of a statement, one after the other.

use crate::functions::server_type;
use crate::names::Names;
use crate::refused::Refused;
use crate::source::Source;
use crate::statement::{Statement, bind_type};
use std::collections::{BTreeMap, HashMap};
use vembra_plan::{ColumnId, KeyId, NodeId, Scalar, TableId, Type};

/// Where the groups of a scan stand: the graph and the scan, what tells them apart, and the cells that they are for.
pub(crate) type GroupsOf = (usize, u32, Vec<KeyId>, Option<String>);

/// Builds one statement.
pub(crate) struct Builder<'a> {
    pub(crate) source: &'a Source<'a>,
    /// Each with its name, and whether it is to be read as if it stood where it is used.
    steps: Vec<(String, String, bool)>,
    names: Names,
    binds: Vec<Scalar>,
    /// The columns of calendars that are sent along.
    pub(crate) calendars: BTreeMap<TableId, Vec<ColumnId>>,
    pub(crate) groups: HashMap<GroupsOf, String>,
    /// Figures that stand side by side at some cells, by the graph, the node and the cells.
    pub(crate) figures: HashMap<(usize, NodeId, String), String>,
    /// Derived tables that are worked out already.
    pub(crate) derived: BTreeMap<TableId, String>,
    /// Whether a limit itself is being worked out.
    pub(crate) without_limits: bool,
    /// The rows that are seen of tables of which some are hidden.
    pub(crate) seen: BTreeMap<TableId, String>,
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
            calendars: BTreeMap::new(),
            groups: HashMap::new(),
            figures: HashMap::new(),
            derived: BTreeMap::new(),
            without_limits: false,
            seen: BTreeMap::new(),
        }
    }

    /// Adds a step, and gives its name.
    pub(crate) fn step(&mut self, wanted: &str, body: String) -> String {
        self.add(wanted, body, false)
    }

    /// Adds a step that is read as if it stood wherever it is used, so that a server finds rows by its own indices.
    pub(crate) fn inline_step(&mut self, wanted: &str, body: String) -> String {
        self.add(wanted, body, true)
    }

    fn add(&mut self, wanted: &str, body: String, inline: bool) -> String {
        let known = self.steps.iter().find(|(_, own, _)| *own == body);
        if let Some((name, ..)) = known {
            return name.clone();
        }
        let name = self.names.free(wanted);
        self.steps.push((name.clone(), body, inline));
        name
    }

    /// A parameter that stands for a value.
    pub(crate) fn bind(&mut self, value: &Scalar) -> String {
        if value.is_null() {
            return "null".to_owned();
        }
        let known = self.binds.iter().position(|own| own == value && own.ty() == value.ty());
        let at = known.unwrap_or_else(|| {
            self.binds.push(value.clone());
            self.binds.len() - 1
        });
        let (bound, wanted) = (bind_type(value), server_type(value.ty()));
        let parameter = format!("${}::{bound}", at + 1);
        match value.ty() {
            Type::Text => format!("({parameter} collate \"C\")"),
            _ if bound == wanted => parameter,
            _ => format!("{parameter}::{wanted}"),
        }
    }

    /// The statement that ends with `last`.
    pub(crate) fn finish(self, last: &str, columns: Vec<Type>) -> Result<Statement, Refused> {
        let mut steps = Vec::new();
        for (table, used) in &self.calendars {
            let rows = crate::calendars::rows(self.source, *table, used)?;
            steps.push((calendar_name(self.source, *table), rows, false));
        }
        steps.extend(self.steps);
        let named: Vec<String> = steps
            .iter()
            .map(|(name, body, inline)| {
                let how = if *inline { "not materialized" } else { "materialized" };
                format!("{name} as {how} (\n{}\n)", indented(body))
            })
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

fn indented(body: &str) -> String {
    body.lines().map(|line| format!("    {line}")).collect::<Vec<_>>().join("\n")
}
