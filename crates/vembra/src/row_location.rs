//! Where the rows are that an explanation looks at.
#![cfg_attr(not(all(feature = "explain", feature = "server")), allow(dead_code))]

use crate::session::Session;

/// Where the rows are that an explanation looks at.
pub(crate) enum RowsHere {
    /// In memory.
    Already,
    /// On a server, from where they were fetched.
    Fetched(Box<Session>),
    /// On a server, where they stay: they are too many, or other tables were given in memory.
    Stay,
}

impl RowsHere {
    /// The session over fetched rows.
    pub(crate) fn session(&self) -> Option<&Session> {
        match self {
            Self::Fetched(session) => Some(session),
            Self::Already | Self::Stay => None,
        }
    }
}
