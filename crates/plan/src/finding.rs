//! Findings about data: what is wrong in which file, line and column.

use serde::{Deserialize, Serialize};
use std::fmt;

pub use vembra_syntax::Severity;

/// One thing that a load or a check found in the data.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Finding {
    /// A stable code such as `V501`.
    pub code: String,
    /// How much it matters.
    pub severity: Severity,
    /// The file or table at fault.
    pub file: String,
    /// The first line at fault, counted from 1 with the header; `None` when it is not about a line.
    pub line: Option<u64>,
    /// The column at fault, by name.
    pub column: Option<String>,
    /// What is wrong, in one sentence.
    pub message: String,
    /// What to do about it.
    pub help: String,
}

impl fmt::Display for Finding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}[{}] {}", self.severity, self.code, self.file)?;
        if let Some(line) = self.line {
            write!(f, ", line {line}")?;
        }
        if let Some(column) = &self.column {
            write!(f, ", column {column}")?;
        }
        write!(f, ": {}", self.message)
    }
}
