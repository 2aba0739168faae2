//! An answer with a title and a way to be drawn.

use std::collections::BTreeMap;
use vembra_engine::Answer;
use vembra_plan::drawing::{Drawing, Form};

/// An answer with a title and a way to be drawn.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    /// The title.
    pub title: String,
    /// What it is about.
    pub about: Option<String>,
    /// The figures.
    pub answer: Answer,
    /// How they are drawn.
    pub drawing: Drawing,
    /// The currency of amounts, as an ISO 4217 code.
    pub currency: Option<String>,
    /// What the figures are made of, each with its name: the query, formulas, parameters. Pages show it when asked.
    pub origin: Vec<(String, String)>,
    /// What a page holds beside it.
    pub beside: Beside,
}

/// What a page holds beside a picture, for readers who ask further.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Beside {
    /// The rows that readers open.
    pub opens: Option<OpenRows>,
    /// Why figures are what they are, step by step: by the line and the figure of the answer, or of the rows that readers open.
    pub explained: BTreeMap<(usize, usize), String>,
    /// What the page cannot show.
    pub notes: Vec<String>,
}

/// Where rows walk a hierarchy, the rows that readers open: at first they see what the query shows.
#[derive(Clone, Debug, PartialEq)]
pub struct OpenRows {
    /// The answer with every member opened.
    pub answer: Answer,
    /// Which axis on rows is the first level of the hierarchy.
    pub first: usize,
}

/// How a picture is laid out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct View {
    /// The width in pixels.
    pub width: f64,
    /// The height in pixels; what needs more takes more.
    pub height: f64,
    /// Whether the title stands in the picture.
    pub titled: bool,
}

impl View {
    /// A picture of a size with its title.
    pub fn new(width: u32, height: u32) -> Self {
        Self { width: width.into(), height: height.into(), titled: true }
    }
}

/// A picture of more points takes long to make and shows nothing.
const MOST_DRAWN: usize = 50_000;

impl Picture {
    /// The size that suits the picture: a number is small, a table as high as its lines, all else fills a screen.
    pub fn natural_size(&self) -> View {
        match self.drawing.form {
            Form::Number => View::new(480, 200),
            Form::Table => View { height: 0.0, ..View::new(1280, 0) },
            _ => View::new(1280, 800),
        }
    }

    /// Why it cannot be drawn so that anybody could read it, and what to do; none if it can.
    pub fn refusal(&self) -> Option<String> {
        let Answer::Summary(summary) = &self.answer else { return None };
        let drawn = !matches!(self.drawing.form, Form::Table | Form::Number);
        (drawn && summary.lines.len() > MOST_DRAWN).then(|| {
            format!(
                "{} points are more than a picture can show ({} are the most): choose some with top … by …, split by something coarser, or draw a table",
                crate::grouped(summary.lines.len()),
                crate::grouped(MOST_DRAWN)
            )
        })
    }

    /// Whether there is nothing to draw.
    pub(crate) fn is_empty(&self) -> bool {
        match &self.answer {
            Answer::Summary(summary) => summary.lines.is_empty(),
            Answer::List(list) => list.rows.is_empty(),
        }
    }
}
