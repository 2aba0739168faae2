//! Reusable sales measures over a star schema whose one calendar plays several roles.
//!
//! A model (`.vembra` text) names tables, links, columns and measures; a query asks for measures over attributes
//! and gets an [`Answer`]. The whole flow is one function: [`Session::ask`].
//!
//! ```
//! use vembra::Session;
//!
//! let session = Session::builder()
//!     .model_text("shop.vembra", "
//! calendar from '2025-01-01' to '2025-12-31'
//! fact sale from 'sale.csv'
//! link sale.ordered_on to calendar as ordered default
//! link sale.shipped_on to calendar as shipped
//! measure revenue = sum(amount)
//! ")
//!     .csv_text("sale", "ordered_on,shipped_on,amount\n2025-01-30,2025-02-02,10.50\n2025-02-01,,4.25\n")
//!     .open()?;
//! let reply = session.ask("rows calendar.month show revenue, (revenue via shipped) as shipped")?;
//! assert_eq!(reply.csv(vembra::Layout::Tidy)?, "calendar.month,revenue,shipped\n2025-01,10.50,\n2025-02,4.25,10.50\n,,4.25\n");
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! Lines with an empty key are those of rows without a date: what is not shipped yet.
//!
//! # Features
//! | feature | brings |
//! |---|---|
//! | `csv` (on unless turned off) | tables from delimited text, answers as such |
//! | `arrow` | tables from record batches and Arrow files, answers as such |
//! | `parquet` | tables from Parquet files, answers as such; brings `arrow` |
//! | `xlsx` | tables from workbooks, answers as such; brings `csv` |
//! | `sqlite` | tables from databases; brings `csv` |
//! | `explain` | how a figure came about, step by step |
//! | `draw` | reports and dashboards as pictures and pages, SVG and HTML; brings `explain` |
//! | `png` | the same as PNG; brings `draw` |
//! | `postgres` | tables from PostgreSQL databases, and answers of such; brings `server` |
//! | `flight` | tables and answers of servers that are asked by Arrow Flight SQL; brings `server` |
//! | `server` | what both need; brings `arrow` |
//! | `cache` | what was read is kept for the next session; brings `arrow` |
//! | `full` | all of them |

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod assertions;
mod broken_declarations;
mod builder;
mod calendar_file;
mod checks;
mod column_finding;
mod defaults;
mod describe;
mod draft;
mod error;
#[cfg(feature = "explain")]
mod explain;
mod files;
mod load_report;
mod loader;
mod message_examples;
mod opening;
mod orders;
#[cfg(feature = "draw")]
mod page_details;
#[cfg(feature = "draw")]
mod pages;
mod physical_plan;
mod placeholders;
mod plan_words;
mod privacy;
mod query;
mod query_execution;
mod reply;
mod row_location;
#[cfg(feature = "server")]
mod served;
#[cfg(feature = "server")]
mod server;
#[cfg(not(feature = "server"))]
#[path = "no_server.rs"]
mod server;
mod session;
#[cfg(feature = "cache")]
mod session_cache;
mod shared_rest;
mod sketch;
mod soundness;
#[cfg(feature = "cache")]
mod table_cache;
#[cfg(not(feature = "cache"))]
#[path = "no_cache.rs"]
mod table_cache;
mod titles;
mod total_rows;

pub use assertions::Outcome;
pub use builder::{Progress, SessionBuilder};
pub use checks::Checked;
pub use draft::{Draft, Reading};
pub use error::{Error, ErrorKind, OutputError, diagnostics_json};
#[cfg(feature = "explain")]
pub use explain::{ExplainedKeys, ExplainedRows, ExplainedStep, ExplainedTable, Explanation, SecondWay};
pub use files::{Stamp, direct_path, file_stamp};
pub use load_report::{ColumnReport, LoadReport, TableReport};
pub use plan_words::Stage;
pub use query::QueryBuilder;
pub use reply::Reply;
pub use session::Session;
pub use sketch::{Sketch, sketch};
#[cfg(feature = "cache")]
pub use table_cache::ToKeep;

#[cfg(feature = "arrow")]
pub use arrow_array::RecordBatch;
#[cfg(feature = "png")]
pub use vembra_draw::PictureError;
pub use vembra_draw::{
    Align, Locale, LocaleError, TextOptions, TextTable, diagnostics_text, format_value, grouped, tame_lines,
};
#[cfg(feature = "draw")]
pub use vembra_draw::{
    Anchor, Item, OpenRows, OriginOf, Page, PageDetails, PageItem, PageNote, PageRow, PageSwitch, Picture,
    Scene, Shape, Theme, Variant, View,
};
pub use vembra_engine::{
    Answer, Budget, Cell, Column, ColumnBuilder, Heading, Lacking, Line, ListAnswer, Marked, MeasureHeading,
    Member, Options, OverBudget, Partial, Pass, Profiler, RowsRead, Shared, Step, Stop, Summary, Table,
    TableColumn, VariantHeading,
};
pub use vembra_model::Model;
pub use vembra_plan::drawing;
pub use vembra_plan::{Decimal, Finding, LevelKind, NotAdditive, Period, Scalar, Severity, Type};
pub use vembra_sources::Layout;
#[cfg(feature = "xlsx")]
pub use vembra_sources::Spreadsheet;
#[cfg(feature = "arrow")]
pub use vembra_sources::arrow::{BatchError, Periods};
#[cfg(feature = "cache")]
pub use vembra_sources::{Cache, CacheEntry};
pub use vembra_syntax::{Code, Diagnostic, Fix, Help, Label, SourceId, Sources, Span, format_model};

/// How rows are read for an answer: what a [`Profiler`] receives of each [`Pass`], and what [`Stage::Physical`] prints.
pub mod physical {
    pub use vembra_engine::{
        Access, Determinant, GroupIndexForm, Grouping, GroupingReason, KeyOf, KeyRole, KeySource, PassKey,
        PhysicalPass, Predicate, PredicateForm,
    };
}

/// Plans and parsed queries, for tools and tests that look inside.
pub mod inside {
    pub use vembra_engine::{EngineError, Star, run};
    pub use vembra_model::lower::{KnownValues, plan};
    pub use vembra_model::{BoundKind, BoundList, BoundQuery, BoundSummary, Named, RoleUse, RouteError, ask};
    pub use vembra_plan::Plan;
    pub use vembra_plan::{ColumnId, EvalError, Function, Query, RoleId, RowLeaf, rewrite, verify};
    pub use vembra_syntax::{parse_model, parse_query};
}
