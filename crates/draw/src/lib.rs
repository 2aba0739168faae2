//! Answers and diagnostics as text for people.
//!
//! Terms: a **mark** (`≠`) stands behind a total that is not the sum of its lines; the reason stands below.
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod answer;
mod diagnostics;
mod number;
mod table;

pub use answer::answer_text;
pub use diagnostics::diagnostics_text;
pub use number::format_value;
pub use table::{Align, TextTable};
