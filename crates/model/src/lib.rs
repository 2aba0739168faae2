//! Meaning: names, links and roles resolved, grain and types checked, and the one bridge from meaning to plan.
//!
//! Terms:
//! - **declarations** ([`Declarations`]) are what a model's files say, before any table is known;
//! - a **model** ([`Model`]) is what they mean over tables of known columns;
//! - a **bound** expression ([`Bound`]) has its names resolved, its type and its grain;
//! - a **route** is the links from a fact to a column, chosen by the roles in force.
//!
//! Invariants: whatever is bound has a type; an expression that could not be bound has left a diagnostic; only
//! [`lower`] makes plans.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod bind;
mod bound;
mod declarations;
mod grain;
mod ids;
mod keyless;
pub mod lower;
mod messages;
mod model;
mod names;
mod param;
mod properties;
mod query;
mod report;
mod resolve;
mod route;
mod scope;
mod shared_rest;
mod to_date;
mod treatment;

pub use bind::{ask, bind_report, bind_report_opened, read_given};
pub use bound::{
    Bound, BoundAggregate, BoundKind, BoundTreatment, BoundWindow, Clauses, Detail, DetailKey, Forget, Grain,
    Over, RoleUse, What, WindowBy,
};
pub use declarations::{
    CachePlace, ColumnSource, DatabaseSource, Declarations, FileError, Leaf, ModelFiles, TableSource, read,
};
pub use ids::{MeasureId, ParamId};
pub use keyless::{Keyless, keyless};
pub use messages::{no_such_table, unknown_viewer};
pub use model::{
    Accepted, Assertion, AssertionCheck, ColumnInfo, Derived, Hierarchy, Measure, MeasureVariant, Model,
    Treated, Viewer,
};
pub use names::Named;
pub use param::{Param, ParamValue};
pub use properties::format_of;
pub use query::{
    BoundAxis, BoundList, BoundQuery, BoundShow, BoundSort, BoundSummary, BoundTop, NamedMember, Params, Walk,
};
pub use report::{BoundReport, Dashboard, PageRow, PageRowItem, Report, Switch};
pub use resolve::{TableShape, resolve};
pub use route::{Crossing, RouteError};
pub use shared_rest::{counting_rest, facts_of};
pub use to_date::{ToDate, all_to_date};
pub use treatment::{ArgumentKind, Treatment, TreatmentArgument};
