//! A table as it comes from outside.

use crate::error::EngineError;
use crate::storage::row_id::RowId;
use crate::storage::table_column::TableColumn;

/// The largest number of rows of a table: rows are numbered in 32 bits, and behind the last one come a number for none and one for unknown.
pub const MOST_ROWS: usize = u32::MAX as usize - 2;

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
    /// The rows come from several files: each with its first row, in order.
    Files(Vec<FileRows>),
}

/// The rows of one of several files.
#[derive(Clone, Debug)]
pub struct FileRows {
    /// The file.
    pub file: String,
    /// The row of the table that is its first.
    pub first: usize,
    /// In which line of it each row stands.
    pub lines: Lines,
}

impl FileRows {
    /// The file that a row comes from.
    fn of(files: &[Self], row: usize) -> Option<&Self> {
        files.get(files.partition_point(|f| f.first <= row).checked_sub(1)?)
    }
}

impl Lines {
    fn of(&self, row: usize) -> Option<u64> {
        match self {
            Self::Unknown => None,
            Self::From(first) => Some(first + row as u64),
            Self::Listed(lines) => lines.get(row).copied(),
            Self::Files(files) => {
                let found = FileRows::of(files, row)?;
                found.lines.of(row - found.first)
            }
        }
    }
}

/// How the fields of a column were written whose type was found from them, as far as its values do not say it.
#[derive(Clone, Debug)]
pub enum Written {
    /// All alike: a part of the rows that has a value has the same type.
    Alike,
    /// The values are the fields.
    Values,
    /// The values are texts that stood in quotes: digits in them make no number.
    Quoted,
    /// How many decimals each number was written with.
    Decimals {
        /// A number for each row.
        column: TableColumn,
        /// Whether it is known to be a decimal, whatever its rows say.
        fixed: bool,
    },
    /// The fields in plain form; one that stood in quotes and makes no number, or is in the form of its file, has a mark behind it.
    Fields(TableColumn),
}

/// Named columns of one length.
#[derive(Clone, Debug, Default)]
pub struct Table {
    /// The columns in order, with their names.
    pub columns: Vec<(String, TableColumn)>,
    /// How many rows each column has.
    pub rows: usize,
    /// Where the table comes from, for messages.
    pub origin: String,
    /// In which line each row stands.
    pub lines: Lines,
    /// How columns were written whose type was found from their fields, by their names; nothing where that was not to be remembered.
    pub written: Vec<(String, Written)>,
}

impl Table {
    /// The column of this name.
    pub fn column(&self, name: &str) -> Option<&TableColumn> {
        self.columns.iter().find(|(n, _)| n == name).map(|(_, column)| column)
    }

    /// The same table with only some of its rows.
    ///
    /// # Errors
    /// When a column that is kept outside is not to be had any more.
    pub fn only(&self, rows: &[RowId]) -> Result<Self, EngineError> {
        let lines = match &self.lines {
            Lines::Unknown | Lines::Files(_) => Lines::Unknown,
            _ => Lines::Listed(rows.iter().filter_map(|row| self.line(row.index())).collect()),
        };
        let columns: Result<Vec<(String, TableColumn)>, EngineError> =
            self.columns.iter().map(|(name, c)| Ok((name.clone(), c.get()?.only(rows).into()))).collect();
        Ok(Self {
            columns: columns?,
            rows: rows.len(),
            origin: self.origin.clone(),
            lines,
            written: Vec::new(),
        })
    }

    /// The line of a row, in the file that it comes from.
    pub fn line(&self, row: usize) -> Option<u64> {
        self.lines.of(row)
    }

    /// The file of a row.
    pub fn file(&self, row: usize) -> &str {
        match &self.lines {
            Lines::Files(files) => FileRows::of(files, row).map_or(&self.origin, |f| &f.file),
            _ => &self.origin,
        }
    }

    /// Whether rows of it come from a file.
    pub fn comes_from(&self, file: &str) -> bool {
        let is_part =
            |lines: &Lines| matches!(lines, Lines::Files(files) if files.iter().any(|f| f.file == file));
        self.origin == file || is_part(&self.lines)
    }
}
