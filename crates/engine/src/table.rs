//! A table as it comes from outside.

use crate::column::Column;
use std::sync::Arc;

/// In which line of its file each row stands.
#[derive(Clone, Debug, Default)]
pub enum Lines {
    /// The rows have no lines.
    #[default]
    Unknown,
    /// The first row stands in this line, each other one line further.
    From(u64),
    /// The line of each row.
    Listed(Vec<u64>),
}

/// Named columns of one length.
#[derive(Clone, Debug, Default)]
pub struct Table {
    /// The columns in order, with their names.
    pub columns: Vec<(String, Arc<Column>)>,
    /// How many rows each column has.
    pub rows: usize,
    /// Where the table comes from, for messages.
    pub origin: String,
    /// In which line each row stands.
    pub lines: Lines,
}

impl Table {
    /// The column of this name.
    pub fn column(&self, name: &str) -> Option<&Arc<Column>> {
        self.columns.iter().find(|(n, _)| n == name).map(|(_, column)| column)
    }

    /// The same table with only some of its rows.
    pub fn only(&self, rows: &[u32]) -> Self {
        let lines = match &self.lines {
            Lines::Unknown => Lines::Unknown,
            _ => Lines::Listed(rows.iter().filter_map(|row| self.line(*row as usize)).collect()),
        };
        Self {
            columns: self.columns.iter().map(|(name, c)| (name.clone(), Arc::new(c.only(rows)))).collect(),
            rows: rows.len(),
            origin: self.origin.clone(),
            lines,
        }
    }

    /// The line of a row.
    pub fn line(&self, row: usize) -> Option<u64> {
        match &self.lines {
            Lines::Unknown => None,
            Lines::From(first) => Some(first + row as u64),
            Lines::Listed(lines) => lines.get(row).copied(),
        }
    }
}
