//! Columns in memory, links as row numbers, and the evaluation of plans.
//!
//! Terms:
//! - a **column** ([`Column`]) holds the values of one attribute, encoded in the smallest width;
//! - a **lane** is the whole number that stands for an integer, decimal, date, time, period or boolean;
//! - a **vector** ([`Vector`]) holds the values of an expression for a block of rows;
//! - a **star** ([`Star`]) holds tables, links resolved to row numbers, and computed columns;
//! - **members** are the different values of an axis in order; a **code** is a member's position;
//! - an **answer** ([`Answer`]) is what comes out: lines of cells, or single rows.
//!
//! Invariants: the slot of a null in a lane vector may hold anything and is never read; text dictionaries are
//! sorted, so codes compare like their texts; sums of lanes are exact; floats are added in an order that depends
//! on the data only, never on threads.

#![forbid(unsafe_code)]
// A number that is cut is a wrong figure: see `narrow`.
#![deny(clippy::cast_possible_truncation)]
#![cfg_attr(
    test,
    allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::cast_possible_truncation)
)]

mod aggregate;
mod answer;
mod backwards;
mod bits;
mod budget;
mod calendar;
mod carried;
mod cells;
mod changes;
mod codec;
mod column;
mod days;
mod dictionary;
mod each;
mod elsewhere;
mod error;
mod eval;
mod evaluator;
mod figures;
mod findings;
mod first_rows;
mod follows;
mod frame;
mod grid;
mod groupings;
mod guarded;
mod holding;
mod index;
mod kernels;
mod last_few;
mod limits;
mod lines;
mod links;
mod list;
mod members;
mod narrow;
mod numbering;
mod one_of_each;
mod options;
mod places;
mod prepare;
mod remembered;
mod rows;
mod run;
mod scan;
mod slots;
mod star;
mod stop;
mod table;
mod table_column;
#[cfg(test)]
mod testing;
mod threads;
mod truths;
mod vector;
mod watch;

pub use answer::{
    Answer, Blank, Cell, Heading, Line, ListAnswer, Marked, MeasureHeading, Member, Partial, Shared, Summary,
    VariantHeading,
};
pub use budget::{Budget, OverBudget};
pub use column::{Column, ColumnBuilder, Encoded, EncodedValues, Numbers};
pub use days::Lacking;
pub use dictionary::Dictionary;
pub use elsewhere::{LevelLine, LineMember, list_of, summary_of};
pub use error::EngineError;
pub use evaluator::{DaysByMembers, days_of_members, mark_partial};
pub use findings::orphans_told;
pub use grid::{Grid, GridCell, GridRow};
pub use options::Options;
pub use rows::RowId;
pub use run::run;
pub use star::{Star, WorkedOut};
pub use stop::{RowsRead, Stop};
pub use table::{FileRows, Lines, MOST_ROWS, Table, Written};
pub use table_column::{ColumnFacts, Fetch, TableColumn};
pub use vector::{Values, Vector};
pub use watch::{LeftOut, Pass, Step, Watch};
