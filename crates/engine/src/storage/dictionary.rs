//! The texts of a column.

use std::sync::Arc;

/// The different texts of a column, sorted.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Dictionary {
    /// Each text once, in the order of their code points.
    pub texts: Vec<Arc<str>>,
}
