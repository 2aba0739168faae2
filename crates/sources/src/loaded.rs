//! How a table is read, and what comes of it.

use std::sync::Arc;
use vembra_engine::{Budget, OverBudget, Table};
use vembra_plan::{Finding, Severity, Type};

/// How a file is read.
#[derive(Clone, Debug)]
pub struct ReadOptions {
    /// The character between fields.
    pub separator: u8,
    /// The types that are fixed; those of other columns are inferred over the whole file.
    pub types: Vec<(String, Type)>,
    /// Texts that stand for missing values, besides the empty field.
    pub missing: Vec<String>,
    /// How much memory may be taken.
    pub memory: Budget,
    /// The records that are read, by their number from 0, in order; the others might as well not be in the file.
    pub only: Option<Arc<[u32]>>,
}

impl Default for ReadOptions {
    fn default() -> Self {
        Self { separator: b',', types: Vec::new(), missing: Vec::new(), memory: Budget::none(), only: None }
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
    finding(
        "V632",
        name,
        over.to_string(),
        "allow more with `SessionBuilder::memory`, or take a part of the file",
    )
}

pub(crate) fn failed(name: &str, findings: Vec<Finding>) -> Loaded {
    Loaded { table: Table { origin: name.to_owned(), ..Table::default() }, findings }
}

pub(crate) fn finding(code: &str, file: &str, message: String, help: &str) -> Finding {
    Finding {
        code: code.to_owned(),
        severity: Severity::Error,
        file: file.to_owned(),
        line: None,
        column: None,
        message,
        help: help.to_owned(),
    }
}
