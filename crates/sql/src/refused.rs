//! What is not said in SQL, since it could not be said exactly, or not yet.

/// A part of a plan that a server is not asked for.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{what} cannot be worked out on the server")]
pub struct Refused {
    /// What it is.
    pub what: String,
    /// What to do instead.
    pub help: String,
}

impl Refused {
    /// Something that is refused, with the usual way out.
    pub(crate) fn new(what: impl Into<String>) -> Self {
        Self {
            what: what.into(),
            help: "ask without it, or load the tables: declare the server with `database`".to_owned(),
        }
    }
}
