//! Readers of files and of tables in memory: the only crate that touches the outside.
//!
//! Terms: a **record** is one line of a file with its fields (a quoted field may span several lines of text); a
//! **guess** is the type that all values of a column fit so far.
//!
//! Invariants: a value is never changed or dropped without a finding; a code with a leading zero stays a text;
//! decimals stay exact.

#![forbid(unsafe_code)]
// What several readers share has nothing to do where some of them are not built.
#![cfg_attr(
    not(all(feature = "csv", feature = "parquet", feature = "xlsx", feature = "sqlite")),
    allow(dead_code, unused_imports, unused_variables)
)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod address;
mod answer_json;
mod answer_names;
mod database;
mod files;
#[cfg(all(feature = "csv", feature = "cache"))]
mod grown;
mod input;
mod kind;
mod loaded;
mod periods;
mod read;

#[cfg(feature = "csv")]
mod answer_csv;
#[cfg(feature = "arrow")]
pub mod arrow;
#[cfg(feature = "cache")]
mod cache;
#[cfg(feature = "csv")]
mod cells;
#[cfg(feature = "arrow")]
pub mod columnar;
#[cfg(feature = "csv")]
mod delimited;
#[cfg(feature = "csv")]
mod fields;
#[cfg(feature = "csv")]
mod guess;
#[cfg(feature = "csv")]
mod joined;
#[cfg(feature = "csv")]
mod json_lines;
#[cfg(feature = "csv")]
mod number_doubts;
#[cfg(feature = "parquet")]
mod parquet;
#[cfg(feature = "csv")]
mod part;
#[cfg(feature = "postgres")]
mod postgres;
#[cfg(feature = "server")]
mod server;
#[cfg(feature = "xlsx")]
mod spreadsheet;
#[cfg(feature = "sqlite")]
mod sqlite;
#[cfg(feature = "csv")]
mod unpack;
#[cfg(feature = "xlsx")]
mod workbook;
#[cfg(feature = "csv")]
mod written;

pub use answer_json::answer_json;
pub use answer_names::Layout;
pub use database::{database_tables, read_database};
pub use files::{expand, read_files};
pub use loaded::{ColumnOptions, Loaded, ReadOptions, ReadSoFar, Tell};
pub use read::{read_bytes, read_table};
#[cfg(feature = "server")]
pub use server::{AskedRows, NoAnswer, Server};

#[cfg(feature = "csv")]
pub use answer_csv::{answer_csv, csv_text};
#[cfg(feature = "cache")]
pub use cache::{Cache, CacheEntry, CachedModel, Mark, TableKey};
#[cfg(all(feature = "csv", feature = "cache"))]
pub use grown::read_grown;
#[cfg(feature = "csv")]
pub use part::part_of;
#[cfg(feature = "xlsx")]
pub use spreadsheet::{Spreadsheet, SpreadsheetError, SpreadsheetWords, answer_xlsx};
