//! Reports and dashboards, as data.

use crate::ids::ParamId;
use crate::param::ParamValue;
use crate::query::BoundQuery;
use vembra_plan::drawing::Drawing;
use vembra_syntax::{KeptNode, SourceId, Span};

/// A query with a title and a way to be drawn.
#[derive(Clone, Debug)]
pub struct Report {
    /// The name.
    pub name: String,
    /// The title; the name if it has none.
    pub title: String,
    /// The description.
    pub about: Option<String>,
    /// The query as it is written.
    pub text: String,
    /// Parameters that a page lets its reader choose.
    pub switches: Vec<Switch>,
    /// Where it is declared.
    pub span: Span,
    pub(crate) source: SourceId,
    pub(crate) node: KeptNode,
}

/// A parameter whose values a reader of a page may choose from.
#[derive(Clone, Debug, PartialEq)]
pub struct Switch {
    /// The parameter.
    pub param: ParamId,
    /// The values, each with its name for readers.
    pub values: Vec<(ParamValue, String)>,
}

/// Reports on a page.
#[derive(Clone, Debug)]
pub struct Dashboard {
    /// The name.
    pub name: String,
    /// The title; the name if it has none.
    pub title: String,
    /// The description.
    pub about: Option<String>,
    /// Width and height in pixels.
    pub size: (u32, u32),
    /// Parameters that all reports on it share.
    pub switches: Vec<Switch>,
    /// What stands on it, from the top.
    pub rows: Vec<PageRow>,
    /// Where it is declared.
    pub span: Span,
}

/// Things side by side.
#[derive(Clone, Debug, PartialEq)]
pub struct PageRow {
    /// How much of the height it takes, beside the other rows.
    pub share: f64,
    /// What stands on it, each with how much of the width it takes.
    pub items: Vec<(PageRowItem, f64)>,
}

/// What stands on a row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PageRowItem {
    /// A report, by its number.
    Report(usize),
    /// A text of paragraphs.
    Text(Vec<String>),
}

/// The size of a page that says none.
pub(crate) const PAGE: (u32, u32) = (1280, 800);

/// A report with its names resolved.
#[derive(Clone, Debug)]
pub struct BoundReport {
    /// The query.
    pub query: BoundQuery,
    /// How its answer is drawn.
    pub drawing: Drawing,
}
