//! What is said of a column that cannot be worked out.

use vembra_engine::EngineError;
use vembra_plan::{Finding, Severity};

/// The finding about a column of a table or a file, or the one that the error brings.
pub(crate) fn column_finding(name: &str, error: &EngineError) -> Finding {
    if let EngineError::Unread(finding) = error {
        return Finding::clone(finding);
    }
    Finding {
        code: "V510".to_owned(),
        severity: Severity::Error,
        file: name.to_owned(),
        line: None,
        column: None,
        message: format!("the column cannot be worked out: {error}"),
        help: "change its formula, or the values that it is made of".to_owned(),
    }
}
