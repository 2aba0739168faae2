//! What a name stands for.

use crate::ids::MeasureId;
use crate::messages;
use crate::model::Model;
use crate::scope::BindScope;
use std::collections::BTreeSet;
use vembra_plan::{ColumnId, RoleId, TableId};
use vembra_syntax::{Diagnostic, Span, nearest};

/// What a name stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Named {
    /// A column, pinned to a role if the name says so.
    Column(ColumnId, Option<RoleId>),
    /// A measure.
    Measure(MeasureId),
}

/// Why a name stands for nothing.
enum Unclear {
    /// What stands before the dot is no table and no role.
    Qualifier,
    /// The table has no such column.
    ColumnOf(TableId),
    /// It could be any of these columns, or a measure.
    Several(Vec<ColumnId>, Option<MeasureId>),
    /// Nothing has the name.
    Unknown,
}

/// A name with what stands before its dot.
#[derive(Clone, Debug)]
pub(crate) struct Written<'a> {
    pub(crate) qualifier: Option<&'a str>,
    pub(crate) name: &'a str,
    pub(crate) span: Span,
}

impl Model {
    /// What a name stands for, if it is known and stands for one thing. The columns of `prefer` come first; `rows` says that it
    /// stands for values of rows that are aggregated.
    pub fn named(
        &self,
        qualifier: Option<&str>,
        name: &str,
        prefer: Option<TableId>,
        rows: bool,
    ) -> Option<Named> {
        let written = Written { qualifier, name, span: Span::default() };
        self.find(&written, BindScope { prefer, rows, ..BindScope::FIGURE }).ok()
    }

    /// What a name stands for in a scope: the columns of its table come first; where rows are wanted a key must name one table; a
    /// measure is meant only where one may be.
    pub(crate) fn lookup(&self, written: &Written<'_>, scope: BindScope) -> Result<Named, Box<Diagnostic>> {
        let unclear = match self.find(written, scope) {
            Ok(named) => return Ok(named),
            Err(unclear) => unclear,
        };
        let qualifier = written.qualifier.unwrap_or_default();
        Err(Box::new(match unclear {
            Unclear::Qualifier => {
                let tables = self.schema.tables.iter().map(|t| t.name.as_str());
                let known: Vec<&str> = tables.chain(self.schema.roles.iter().map(String::as_str)).collect();
                let near = nearest(qualifier, known.iter().copied());
                messages::unknown_qualifier(written.span, qualifier, written.name, near, &known)
            }
            Unclear::ColumnOf(table) => {
                let columns = self.schema.table(table).columns.iter();
                let columns: Vec<&str> = columns.map(|c| self.schema.column(*c).name.as_str()).collect();
                let near = nearest(written.name, columns.iter().copied());
                messages::unknown_column(written.span, qualifier, written.name, near, &columns)
            }
            Unclear::Several(columns, measure) => {
                // A fact's own column goes first: it has a value wherever rows of the fact are looked at.
                let mut columns = columns;
                let is_fact = |c: &ColumnId| {
                    self.schema.table(self.schema.column(*c).table).kind == vembra_plan::TableKind::Fact
                };
                columns.sort_by_key(|c| !is_fact(c));
                let mut names = self.qualified_names(&columns);
                names.extend(measure.map(|_| format!("the measure {}", written.name)));
                messages::ambiguous(written.span, written.name, &names)
            }
            Unclear::Unknown => self.unknown(written, scope.measures),
        }))
    }

    fn find(&self, written: &Written<'_>, scope: BindScope) -> Result<Named, Unclear> {
        match written.qualifier {
            Some(qualifier) => self.find_qualified(written, qualifier),
            None => self.find_bare(written, scope),
        }
    }

    fn find_qualified(&self, written: &Written<'_>, qualifier: &str) -> Result<Named, Unclear> {
        let role = self.find_role(qualifier);
        let table = self.find_table(qualifier).or_else(|| role.and_then(|r| self.role_target(r)));
        let table = table.ok_or(Unclear::Qualifier)?;
        let role = role.filter(|_| self.find_table(qualifier).is_none());
        if let Some(column) = self.find_column(table, written.name) {
            return Ok(Named::Column(column, role));
        }
        let hierarchy = self.hierarchies.iter().find(|h| h.table == table && h.name == written.name);
        match hierarchy.and_then(|h| h.levels.first()) {
            Some(first) => Ok(Named::Column(*first, role)),
            None => Err(Unclear::ColumnOf(table)),
        }
    }

    fn find_bare(&self, written: &Written<'_>, scope: BindScope) -> Result<Named, Unclear> {
        if let Some(column) = scope.prefer.and_then(|t| self.find_column(t, written.name)) {
            return Ok(Named::Column(column, None));
        }
        // Bare names do not look into derived tables.
        let derived = |c: &ColumnId| {
            self.schema.table(self.schema.column(*c).table).kind == vembra_plan::TableKind::Derived
        };
        let mut columns: Vec<ColumnId> =
            self.columns_called(written.name).iter().copied().filter(|c| !derived(c)).collect();
        // The key from which a bridge starts only joins: another column of its name is what is meant.
        let joins = |c: &ColumnId| self.schema.links.iter().any(|l| l.bridge && l.from.contains(c));
        if !columns.iter().all(joins) {
            columns.retain(|c| !joins(c));
        }
        let things: BTreeSet<u32> =
            columns.iter().filter_map(|c| self.same.get(c.index()).copied()).collect();
        let measure = self.find_measure(written.name).filter(|_| scope.measures);
        match (things.len(), measure) {
            (0, Some(measure)) => Ok(Named::Measure(measure)),
            (1, None) => match self.one_thing(&columns, scope.rows) {
                Some(column) => Ok(Named::Column(column, None)),
                None => Err(Unclear::Several(columns, None)),
            },
            (0, None) => Err(Unclear::Unknown),
            _ => Err(Unclear::Several(columns, measure)),
        }
    }

    fn qualified_names(&self, columns: &[ColumnId]) -> Vec<String> {
        columns.iter().map(|c| self.written(*c)).collect()
    }

    /// Of columns that stand for one thing: the only one that links start from, else the one that they reach.
    /// Where rows are wanted, several starts leave it open whose rows are meant.
    fn one_thing(&self, columns: &[ColumnId], rows: bool) -> Option<ColumnId> {
        let linked_to = |c: &ColumnId| self.schema.links.iter().any(|l| l.to.contains(c));
        let starts: Vec<ColumnId> = columns.iter().copied().filter(|c| !linked_to(c)).collect();
        match starts.as_slice() {
            [only] => Some(*only),
            [] => columns.first().copied(),
            _ if rows => None,
            _ => columns.iter().copied().find(linked_to),
        }
    }

    fn unknown(&self, written: &Written<'_>, measures: bool) -> Diagnostic {
        let columns = self.schema.columns.iter().map(|c| c.name.as_str());
        let named = self.measures.iter().filter(|_| measures).map(|m| m.name.as_str());
        let near = nearest(written.name, columns.chain(named));
        let is_table = self.find_table(written.name).is_some();
        let is_role = self.find_role(written.name).is_some();
        messages::unknown_name(written.span, written.name, near, is_table, is_role)
    }
}
