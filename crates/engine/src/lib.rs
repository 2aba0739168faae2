//! Columns in memory, links as row numbers, and the evaluation of plans.
//!
//! Terms:
//! - a **column** ([`Column`]) holds the values of one attribute, encoded in the smallest width;
//! - a **physical value** is the whole number that stands for an integer, decimal, date, time, period or boolean;
//! - a **vector** ([`Vector`]) holds the values of an expression for a block of rows;
//! - a **star** ([`Star`]) holds tables, links resolved to row numbers, and computed columns;
//! - **members** are the different values of an axis in order; a **code** is a member's position;
//! - an **answer** ([`Answer`]) is what comes out: lines of cells, or single rows.
//!
//! Invariants: the slot of a null in a physical value vector may hold anything and is never read; text dictionaries are
//! sorted, so codes compare like their texts; sums of physical values are exact; floats are added in an order that depends
//! on the data only, never on threads.

#![forbid(unsafe_code)]
// A number that is cut is a wrong figure: see `narrow`.
#![deny(clippy::cast_possible_truncation)]
#![cfg_attr(
    test,
    allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::cast_possible_truncation)
)]

mod answer;
mod error;
mod execution;
mod expression;
mod links;
mod operators;
mod physical;
mod statistics;
mod storage;

pub use answer::grid::{Grid, GridCell, GridRow};
pub use answer::remote::{LevelLine, LineMember, list_of, summary_of};
pub use answer::{
    Answer, Blank, Cell, Heading, Line, ListAnswer, Marked, MeasureHeading, Member, Partial, Shared, Summary,
    VariantHeading,
};
pub use error::EngineError;
pub use execution::budget::{Budget, OverBudget};
pub use execution::options::Options;
pub use execution::profile::{Pass, Profiler, Step};
pub use execution::run::{plan_passes, run};
pub use execution::stop::{RowsRead, Stop};
pub use expression::vector::{Values, Vector};
pub use operators::date_ranges::Lacking;
pub use operators::evaluator::{DaysByMembers, days_of_members, mark_partial};
pub use physical::access::Access;
pub use physical::group_index::{GroupIndexForm, Grouping, GroupingReason};
pub use physical::keys::{KeyOf, KeyRole, KeySource, PassKey};
pub use physical::pass::PhysicalPass;
pub use physical::predicates::{Predicate, PredicateForm};
pub use statistics::data_checks::orphans_told;
pub use statistics::representative_rows::Determinant;
pub use storage::column::{Column, ColumnBuilder, Encoded, EncodedValues, Numbers};
pub use storage::dictionary::Dictionary;
pub use storage::row_id::RowId;
pub use storage::star::{Star, WorkedOut};
pub use storage::table::{FileRows, Lines, MOST_ROWS, Table, Written};
pub use storage::table_column::{ColumnFacts, Fetch, TableColumn};
