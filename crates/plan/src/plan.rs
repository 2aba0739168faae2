//! A plan: what a query becomes, and what an engine is handed.

use crate::graph::Graph;
use crate::query::{List, Query};
use std::fmt;

/// What is to be computed, whoever computes it: it knows nothing of columns in memory, prints, is checked by
/// [`verify::plan`](crate::verify::plan) and rewritten by [`rewrite::run`](crate::rewrite::run).
#[derive(Clone, Debug, PartialEq)]
pub enum Plan {
    /// Cells over axes.
    Query(Box<Query>),
    /// Single rows.
    List(Box<List>),
}

impl Plan {
    /// The figures that it needs.
    pub fn graph(&self) -> &Graph {
        match self {
            Self::Query(query) => &query.graph,
            Self::List(list) => &list.graph,
        }
    }
}

impl fmt::Display for Plan {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Query(query) => query.fmt(f),
            Self::List(list) => list.fmt(f),
        }
    }
}
