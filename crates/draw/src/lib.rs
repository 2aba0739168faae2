//! Answers and diagnostics for people: as text, as charts, and as pages.
//!
//! Terms: a **mark** (`≠`) stands behind a total that is not the sum of its lines; the reason stands below. A **picture**
//! ([`Picture`]) is an answer with a way to be drawn; a **scene** ([`Scene`]) is a picture as shapes at their places, which
//! SVG, PNG and pages are made from; a **sheet** is an answer as a table of texts.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod answer;
mod diagnostics;
mod locale;
mod markdown;
mod number;
mod sheet;
mod sheet_text;
mod table;
mod tame;
mod words;

#[cfg(feature = "charts")]
mod chart;
#[cfg(feature = "charts")]
mod font;
#[cfg(feature = "charts")]
mod page;
#[cfg(feature = "charts")]
mod palette;
#[cfg(feature = "charts")]
mod picture;
#[cfg(feature = "png")]
mod png;
#[cfg(feature = "charts")]
mod render;
#[cfg(feature = "charts")]
mod scene;
#[cfg(feature = "charts")]
mod svg;

pub use answer::{TextOptions, answer_remarks, answer_text};
pub use diagnostics::diagnostics_text;
pub use locale::{Locale, LocaleError};
pub use markdown::answer_markdown;
pub use number::{format_value, grouped};
pub use table::{Align, TextTable};
pub use tame::tame_lines;
pub use words::{capitalised, why_not_a_sum};

#[cfg(feature = "charts")]
pub use page::{Page, PageItem, PageRow, PageSwitch, Variant};
#[cfg(feature = "charts")]
pub use palette::{Paint, Theme};
#[cfg(feature = "charts")]
pub use picture::{OpenRows, OriginOf, PageDetails, PageNote, Picture, View};
#[cfg(feature = "png")]
pub use png::PictureError;
#[cfg(feature = "charts")]
pub use scene::{Anchor, Item, Scene, Shape};
