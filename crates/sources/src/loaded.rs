//! How a table is read, and what comes of it.

use std::fmt;
use std::sync::Arc;
use vembra_engine::{Budget, OverBudget, Table};
use vembra_plan::forms::Forms;
use vembra_plan::{Code, Finding, Type};

/// How a table is read.
#[derive(Clone, Debug, Default)]
pub struct ReadOptions {
    /// The character between fields of delimited text; found if not given.
    pub separator: Option<u8>,
    /// The encoding of delimited text by its name, such as windows-1252; UTF-8 if not given.
    pub encoding: Option<String>,
    /// How numbers, dates and booleans are written.
    pub forms: Forms,
    /// What is known of single columns. Types of others are found over the whole file.
    pub columns: Vec<ColumnOptions>,
    /// Texts that stand for missing values, besides the empty field.
    pub missing: Vec<String>,
    /// The sheet of a spreadsheet, by its name; the first if not given.
    pub sheet: Option<String>,
    /// The table of a database, by its name.
    pub table: Option<String>,
    /// How much memory may be taken.
    pub memory: Budget,
    /// Whether a part of the rows may be asked for later, see [`part_of`](crate::part_of): how fields are written is remembered.
    pub parts: bool,
    /// Receives how far reading has come.
    pub tell: Tell,
}

/// What is known of a column before it is read.
#[derive(Clone, Debug, Default)]
pub struct ColumnOptions {
    /// Its name.
    pub name: String,
    /// Its type, if it is fixed.
    pub ty: Option<Type>,
    /// How many digits and how many of them behind the point a decimal has at most, if that is fixed.
    pub digits: Option<(u8, u8)>,
    /// How its values are written, where that differs from the table.
    pub forms: Forms,
}

/// Receives how many rows and bytes were read so far.
#[derive(Clone, Default)]
pub struct Tell(pub Option<Arc<dyn Fn(ReadSoFar) + Send + Sync>>);

/// How far reading a file has come.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct ReadSoFar {
    /// Rows that were read.
    pub rows: u64,
    /// Bytes that were read.
    pub bytes: u64,
    /// How many bytes there are, if that is known.
    pub of: Option<u64>,
}

impl fmt::Debug for Tell {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Tell")
    }
}

impl Tell {
    pub(crate) fn tell(&self, so_far: ReadSoFar) {
        if let Some(tell) = &self.0 {
            tell(so_far);
        }
    }
}

impl ReadOptions {
    /// What is known of a column.
    pub(crate) fn column(&self, name: &str) -> Option<&ColumnOptions> {
        self.columns.iter().find(|c| c.name == name)
    }

    /// The forms of a column's values.
    pub(crate) fn forms_of(&self, name: &str) -> Forms {
        self.column(name).map_or_else(|| self.forms.clone(), |c| c.forms.or(&self.forms))
    }

    /// Whether a text stands for a missing value.
    pub(crate) fn is_missing(&self, field: &str) -> bool {
        field.is_empty() || self.missing.iter().any(|m| m == field)
    }
}

/// A table, and what was found while it was read.
#[derive(Clone, Debug)]
pub struct Loaded {
    /// The table.
    pub table: Table,
    /// What is wrong. Errors mean that the table must not be used.
    pub findings: Vec<Finding>,
}

pub(crate) fn over_budget(name: &str, over: OverBudget) -> Finding {
    Finding::new(
        Code::V632,
        name,
        over.to_string(),
        "allow more with `SessionBuilder::memory`, or take a part of the file",
    )
}

pub(crate) fn failed(name: &str, findings: Vec<Finding>) -> Loaded {
    Loaded { table: Table { origin: name.to_owned(), ..Table::default() }, findings }
}
