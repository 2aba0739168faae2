//! Findings about data: what is wrong in which file, line and column.

use serde::{Deserialize, Serialize};
use std::fmt;

pub use vembra_syntax::{Code, Severity};

/// One thing that a load or a check found in the data.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Finding {
    /// Its code, which does not change.
    pub code: Code,
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
    /// Names and values that the finding is about, for those who go on from them; mostly none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub subjects: Vec<String>,
    /// What to do about it.
    pub help: String,
}

impl Finding {
    /// A finding of a code, as severe as the code says, about a file or table as a whole.
    pub fn new(
        code: Code,
        file: impl Into<String>,
        message: impl Into<String>,
        help: impl Into<String>,
    ) -> Self {
        Self {
            code,
            severity: code.severity(),
            file: file.into(),
            line: None,
            column: None,
            message: message.into(),
            subjects: Vec::new(),
            help: help.into(),
        }
    }
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
