//! What statements are made for: a schema, and where its tables are.

use crate::dialect::Dialect;
use crate::refused::Refused;
use std::collections::{BTreeMap, BTreeSet};
use vembra_engine::Star;
use vembra_plan::{ColumnId, During, Formula, LinkId, Plan, Schema, TableId};

/// A table of a server.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ServerTable {
    /// Its name there, with its schema: `sales.lines`.
    pub name: String,
    /// Its columns, by their names in the model.
    pub columns: BTreeMap<String, ServerColumn>,
}

/// A column of a server's table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ServerColumn {
    /// Its value in the type that the model has, with `{}` for the quoted column.
    pub value: String,
}

impl ServerColumn {
    /// The value of the column with a name.
    pub(crate) fn of(&self, dialect: Dialect, name: &str) -> String {
        self.value.replace("{}", &dialect.quoted_name(name))
    }
}

/// What must be known of the data before a statement can be made.
pub trait Beforehand {
    /// The last day of the calendar on which rows stand that a date range looks at, as the days since 1970-01-01.
    ///
    /// # Errors
    /// When the server does not say it.
    fn last_day(&self, during: &During) -> Result<Option<i32>, Refused>;

    /// Whether all rows that a link to a coarser attribute leads to have the same in a column: see [`crate::differing`].
    ///
    /// # Errors
    /// When the server does not say it.
    fn is_settled(&self, link: LinkId, column: ColumnId) -> Result<bool, Refused>;
}

/// What statements are made for.
pub struct Source<'a> {
    /// What the server speaks.
    pub dialect: Dialect,
    /// All tables, columns and links.
    pub schema: &'a Schema,
    /// The tables of the server.
    pub tables: &'a BTreeMap<TableId, ServerTable>,
    /// The plans of derived tables.
    pub derived: &'a BTreeMap<TableId, Plan>,
    /// The tables of the server whose rows the star has too: those that calendars look at.
    pub here: &'a BTreeSet<TableId>,
    /// The conditions that hide rows from a viewer.
    pub limits: &'a [(TableId, Formula)],
    /// A star that has the calendars; its other tables may be empty.
    pub star: &'a Star,
    /// Who is asked beforehand.
    pub before: &'a dyn Beforehand,
}
