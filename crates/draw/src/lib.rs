//! Answers and diagnostics for people: as text, as charts, and as pages.
//!
//! Terms: a **mark** (`≠`) stands behind a total that is not the sum of its lines; the reason stands below. A **picture**
//! ([`Picture`]) is an answer with a way to be drawn; a **scene** ([`Scene`]) is a picture as shapes at their places, which
//! SVG, PNG and pages are made from; a **sheet** is an answer as a table of texts.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod answer;
mod chart;
mod diagnostics;
mod font;
mod markdown;
mod number;
mod page;
mod palette;
mod picture;
mod png;
mod render;
mod scene;
mod sheet;
mod sheet_text;
mod svg;
mod table;
mod tame;
mod words;

pub use answer::{TextOptions, answer_text};
pub use diagnostics::diagnostics_text;
pub use markdown::answer_markdown;
pub use number::{format_value, grouped};
pub use page::{Page, PageItem, PageStrip, PageSwitch, Variant};
pub use palette::{Paint, Theme};
pub use picture::{Picture, View};
pub use png::PictureError;
pub use scene::{Anchor, Item, Scene, Shape};
pub use table::{Align, TextTable};
pub use tame::tame_lines;
pub use words::why_not_additive as why_not_a_sum;
