//! Types, scalars, ids and the logical plan: what is to be computed, said without any data.
//!
//! Terms:
//! - a **scalar** ([`Scalar`]) is one value; a **type** ([`Type`]) says which values a column holds;
//! - the **schema** ([`Schema`]) lists tables, columns and links by id;
//! - a **row expression** ([`RowExpr`]) computes a value from columns reached from a row, and from figures looked up;
//! - a **graph** ([`Graph`]) holds figures as nodes over scans of tables;
//! - a **plan** ([`Plan`]: a [`Query`] or a [`List`]) is what a query becomes.
//!
//! Invariants of a plan are numbered and checked in [`verify`].

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod bridge;
pub mod call;
pub mod civil;
mod currency;
mod date_range;
pub mod decimal;
mod display;
pub mod drawing;
mod expr;
mod finding;
pub mod forms;
mod function;
mod graph;
mod ids;
mod languages;
mod pattern;
mod plan;
mod position_or_push;
mod query;
mod reaching;
pub mod rewrite;
mod scalar;
mod schema;
mod types;
pub mod verify;
mod window;
mod zone;

pub use bridge::{BridgeKey, Bridged, Choice};
pub use call::EvalError;
pub use currency::currency_sign;
pub use date_range::{DateRange, DateStep, During, TimeUnit, step_keys};
pub use decimal::Decimal;
pub use expr::{ColumnRef, Expr, KeyFrom, Leaf, Lookup, LookupKey, RowExpr, RowLeaf};
pub use finding::{Code, Finding, Severity};
pub use function::{AggregateFunction, Function, TypeError, Unit};
pub use graph::{
    Aggregate, Determining, Fold, Graph, Kept, KeptRule, Key, Node, NodeKind, Scan, ScanKey, WindowCall,
    WindowOrder,
};
pub use ids::{ColumnId, KeyId, LinkId, NodeId, RoleId, ScanId, TableId};
pub use languages::LANGUAGES;
pub use pattern::pattern_fault;
pub use plan::Plan;
pub use position_or_push::position_or_push;
pub use query::{
    Axis, FiguresPlace, Level, LevelKind, List, ListColumn, NotAdditive, Opened, Output, Query, Sort,
    SortKey, Term, TotalsPlace, Variant,
};
pub use reaching::Reaching;
pub use scalar::Scalar;
pub use schema::{AsOf, CalendarRange, ColumnDef, Formula, LinkDef, Schema, TableDef, TableKind};
pub use types::{Period, Type};
pub use window::{WindowForm, WindowFrame, WindowFunction, WindowLines};
pub use zone::{Zone, parse_instant};
