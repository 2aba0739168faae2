//! Texts by id, and places in them.

use serde::{Deserialize, Serialize};

/// A text of [`Sources`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, Default)]
pub struct SourceId(pub u32);

/// A range of bytes in a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, Default)]
pub struct Span {
    /// The text.
    pub source: SourceId,
    /// The first byte.
    pub start: usize,
    /// The byte after the last.
    pub end: usize,
}

/// A text on one line: each run of blanks and line breaks becomes one blank.
///
/// # Examples
/// ```
/// assert_eq!(vembra_syntax::one_line("rows a\n    show b"), "rows a show b");
/// ```
pub fn one_line(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The texts that one model or query is made of.
#[derive(Clone, Debug, Default)]
pub struct Sources {
    texts: Vec<(String, String)>,
}

impl Sources {
    /// Adds a text under a name and gives its id.
    pub fn add(&mut self, name: impl Into<String>, text: impl Into<String>) -> SourceId {
        self.texts.push((name.into(), text.into()));
        SourceId(self.texts.len() as u32 - 1)
    }

    /// How many texts there are; their ids count from zero.
    pub fn count(&self) -> usize {
        self.texts.len()
    }

    /// The name of a text; empty if there is none.
    pub fn name(&self, id: SourceId) -> &str {
        self.texts.get(id.0 as usize).map_or("", |(name, _)| name)
    }

    /// A text; empty if there is none.
    pub fn text(&self, id: SourceId) -> &str {
        self.texts.get(id.0 as usize).map_or("", |(_, text)| text)
    }

    /// The text of a span; empty if the span is not in the text.
    pub fn slice(&self, span: Span) -> &str {
        self.text(span.source).get(span.start..span.end).unwrap_or("")
    }

    /// Line and column of the first byte of a span, both from 1; columns count characters.
    pub fn line_column(&self, span: Span) -> (usize, usize) {
        let before = self.text(span.source).get(..span.start).unwrap_or("");
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        (before.matches('\n').count() + 1, before[line_start..].chars().count() + 1)
    }
}
