//! Plans as statements of SQL, for tables that live on a server: what comes back are the finished lines, not the rows.
//!
//! A statement is a pipeline of named common table expressions, each of which does one step of the plan:
//! - **groups** of a scan: the rows of a table that pass its conditions, grouped by keys, with one column an aggregate;
//! - **cells**: combinations of members of keys for which figures are worked out;
//! - **figures** at cells, where a further step needs them side by side: ranks, choices of lines, aggregates over a detail.
//!
//! A key takes two columns: its value, which is never null so that keys can be compared by equality, and behind it what the value stands for:
//! [`VALUE`], [`NONE`], [`UNKNOWN`] or [`REST`].
//!
//! Values of the query come as bound parameters, never as text. What cannot be said exactly is refused by name ([`Refused`]).

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod aggregates;
mod builder;
mod calendars;
mod cells;
mod checks;
mod choices;
mod days;
mod dialect;
mod folds;
mod functions;
mod groups;
mod keys;
mod levels;
mod limits;
mod names;
mod nodes;
mod periods;
mod reading;
mod refused;
mod rows;
mod several;
mod source;
mod statement;
mod telling;
mod values;
mod windows;
mod words;

pub use checks::{counts, differing, edges, orphans, pairs, stored, twice, undetermined};
pub use dialect::Dialect;
pub use levels::{last_day, list, query};
pub use periods::of_day as period_of_day;
pub use refused::Refused;
pub use source::{Beforehand, ServerColumn, ServerTable, Source};
pub use statement::Statement;

/// A member stands for its value.
pub const VALUE: i64 = 0;
/// A member stands for rows without a value.
pub const NONE: i64 = 1;
/// A member stands for rows whose key the linked table does not have.
pub const UNKNOWN: i64 = 2;
/// A member stands for those that were not chosen.
pub const REST: i64 = 3;
