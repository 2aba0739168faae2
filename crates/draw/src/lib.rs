//! Answers and diagnostics for people: as text, as charts, and as pages.
//!
//! Terms: a **mark** (`≠`) stands behind a total that is not the sum of its lines; the reason stands below. A **picture**
//! ([`Picture`]) is an answer with a way to be drawn; a **scene** ([`Scene`]) is a picture as shapes at their places, which
//! SVG, PNG and pages are made from; a **sheet** is an answer as a table of texts.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod answer;
mod diagnostics;
mod markdown;
mod number;
mod sheet;
mod sheet_text;
mod table;
mod tame;
mod words;

#[cfg(feature = "pictures")]
mod chart;
#[cfg(feature = "pictures")]
mod font;
#[cfg(feature = "pictures")]
mod page;
#[cfg(feature = "pictures")]
mod palette;
#[cfg(feature = "pictures")]
mod picture;
#[cfg(feature = "pictures")]
mod png;
#[cfg(feature = "pictures")]
mod render;
#[cfg(feature = "pictures")]
mod scene;
#[cfg(feature = "pictures")]
mod svg;

pub use answer::{TextOptions, answer_text};
pub use diagnostics::diagnostics_text;
pub use markdown::answer_markdown;
pub use number::{format_value, grouped};
pub use table::{Align, TextTable};
pub use tame::tame_lines;
pub use words::why_not_additive as why_not_a_sum;

#[cfg(feature = "pictures")]
pub use page::{Page, PageItem, PageStrip, PageSwitch, Variant};
#[cfg(feature = "pictures")]
pub use palette::{Paint, Theme};
#[cfg(feature = "pictures")]
pub use picture::{Picture, View};
#[cfg(feature = "pictures")]
pub use png::PictureError;
#[cfg(feature = "pictures")]
pub use scene::{Anchor, Item, Scene, Shape};
