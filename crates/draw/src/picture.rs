//! An answer with a title and a way to be drawn.

use crate::locale::{Locale, Word};
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
    /// How its readers write.
    pub locale: Locale,
    /// What the figures are made of. Pages show it when asked.
    pub origin: Vec<(OriginOf, String)>,
    /// What a page holds beside it.
    pub details: PageDetails,
}

/// What a page holds beside a picture, for readers who ask further.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PageDetails {
    /// The rows that readers open.
    pub opens: Option<OpenRows>,
    /// Why figures are what they are, step by step: by the line and the figure of the answer, or of the rows that readers open.
    pub explained: BTreeMap<(usize, usize), String>,
    /// What readers can do with it, and what the page cannot show.
    pub notes: Vec<PageNote>,
}

/// What a text of the model says about figures.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OriginOf {
    /// Their query.
    Query,
    /// The formula of a measure or column, the columns of a file, or the value of a parameter, by its name.
    Named(String),
    /// Which rows their viewer sees.
    Viewer,
}

impl OriginOf {
    pub(crate) fn text(&self, locale: &Locale) -> String {
        match self {
            Self::Query => locale.word(Word::Query),
            Self::Named(name) => name.clone(),
            Self::Viewer => locale.word(Word::SeenBy),
        }
    }
}

/// What readers of a page should know of a table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PageNote {
    /// A click shows where a figure comes from: for this many of all.
    Explained {
        /// How many the page explains.
        count: usize,
        /// How many figures there are.
        all: usize,
    },
    /// Below a level of a hierarchy there are too many lines.
    Depth {
        /// The last level on the page.
        level: String,
        /// The next one.
        next: String,
        /// How many lines there would be with it.
        lines: usize,
        /// How many are the most.
        most: usize,
    },
    /// Rows do not open, since `having` chooses among them.
    ClosedByHaving,
    /// Rows do not open, since figures stand on rows.
    ClosedByFigures,
}

impl PageNote {
    /// The note in words.
    pub fn text(&self, locale: &Locale) -> String {
        match self {
            Self::Explained { count, all } if count == all => locale.word(Word::ClickFigure),
            Self::Explained { count, all } => {
                let (count, all) = (locale.count(*count), locale.count(*all));
                locale.say(Word::ClickFigureSome, &[("explained", &count), ("all", &all)])
            }
            Self::Depth { level, next, lines, most } => {
                let most = locale.count(*most);
                locale.counted(Word::PageDepth, *lines, &[("level", level), ("next", next), ("most", &most)])
            }
            Self::ClosedByHaving => locale.word(Word::ClosedHaving),
            Self::ClosedByFigures => locale.word(Word::ClosedFigures),
        }
    }
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
        let drawn = self.drawing.form.traits().is_chart;
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
