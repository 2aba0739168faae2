//! Readers of files and of tables in memory: the only crate that touches the outside.
//!
//! Terms: a **record** is one line of a file with its fields (a quoted field may span several lines of text); a
//! **guess** is the type that all values of a column fit so far.
//!
//! Invariants: a value is never changed or dropped without a finding; a code with a leading zero stays a text;
//! decimals stay exact.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod answer_text;
pub mod arrow;
pub mod columnar;
mod csv_file;
mod fields;
mod guess;
mod spreadsheet;

pub use answer_text::{Layout, answer_csv, answer_json, csv_text};
pub use csv_file::{CsvOptions, Loaded, read_csv, read_csv_bytes};
pub use spreadsheet::{Spreadsheet, SpreadsheetError, answer_xlsx};
