//! What is said of a column that cannot be worked out.

use vembra_engine::EngineError;
use vembra_plan::Finding;
use vembra_syntax::Code;

/// The finding about a column of a table or a file, or the one that the error brings.
pub(crate) fn column_finding(name: &str, error: &EngineError) -> Finding {
    if let EngineError::Unread(finding) = error {
        return Finding::clone(finding);
    }
    Finding::new(
        Code::V510,
        name,
        format!("the column cannot be worked out: {error}"),
        "change its formula, or the values that it is made of",
    )
}
