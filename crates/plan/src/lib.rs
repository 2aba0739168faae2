//! Types, scalars, ids and the logical plan: what is to be computed, said without any data.
//!
//! Terms:
//! - a **scalar** ([`Scalar`]) is one value; a **type** ([`Type`]) says which values a column holds;
//! - the **schema** ([`Schema`]) lists tables, columns and links by id;
//! - an **expression** ([`Expr`]) computes a value from leaves: columns reached from a row, or aggregates of a cell;
//! - a **plan** ([`Query`], [`List`]) is what a question becomes: scans of tables, groups and cell formulas.
//!
//! Invariants of a plan are numbered and checked in [`verify`].
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

pub mod call;
pub mod civil;
pub mod decimal;
mod display;
mod expr;
mod finding;
mod function;
mod ids;
mod query;
pub mod rewrite;
mod scalar;
mod schema;
mod types;
pub mod verify;

pub use call::EvalError;
pub use decimal::Decimal;
pub use expr::{AggregateRef, ColumnRef, Expr};
pub use finding::{Finding, Severity};
pub use function::{AggregateFunction, Function, TypeError, Unit};
pub use ids::{ColumnId, LinkId, RoleId, ScanId, TableId};
pub use query::{
    Aggregate, Axis, Level, LevelKind, List, ListColumn, NotAdditive, Output, Query, Scan, Sort, SortKey,
    TotalsPlace,
};
pub use scalar::Scalar;
pub use schema::{CalendarRange, ColumnDef, LinkDef, Schema, TableDef, TableKind};
pub use types::{Period, Type};
