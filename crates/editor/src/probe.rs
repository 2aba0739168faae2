//! Whether a word may stand at a place: the parser is asked.

use vembra_syntax::{Diagnostic, Parsed, SourceId, SyntaxKind, SyntaxNode, SyntaxToken};

/// What a text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TextKind {
    /// A model file.
    Model,
    /// A query.
    Query,
}

impl TextKind {
    pub(crate) fn parse(self, text: &str) -> Parsed {
        match self {
            Self::Model => vembra_syntax::parse_model(SourceId(0), text),
            Self::Query => vembra_syntax::parse_query(SourceId(0), text),
        }
    }
}

/// A text up to a place.
pub(crate) struct Probe<'t> {
    kind: TextKind,
    before: &'t str,
    /// What is wrong with it already.
    known: Vec<Diagnostic>,
}

impl<'t> Probe<'t> {
    /// Of a model file only the declaration in which the place lies matters.
    pub(crate) fn new(kind: TextKind, before: &'t str) -> Self {
        let start = match kind {
            TextKind::Model => declaration_start(before),
            TextKind::Query => 0,
        };
        let before = &before[start..];
        let known = kind.parse(before).diagnostics;
        Self { kind, before, known }
    }

    /// The tree with a text at the place and the first token of that, if the text may stand there. It need not be all that
    /// is to come.
    pub(crate) fn accepts(&self, text: &str) -> Option<SyntaxToken> {
        let whole = format!("{}{text}", self.before);
        let (start, end) = (self.before.len(), whole.len());
        let parsed = self.kind.parse(&whole);
        let behind = |d: &Diagnostic| d.labels.iter().any(|l| l.span.start >= end);
        if parsed.diagnostics.iter().any(|d| !behind(d) && !self.known.contains(d)) {
            return None;
        }
        let tokens = parsed.root.descendants_with_tokens().filter_map(rowan::NodeOrToken::into_token);
        let own: Vec<SyntaxToken> = tokens
            .filter(|t| usize::from(t.text_range().start()) >= start && !t.kind().is_trivia())
            .collect();
        let lost = |t: &SyntaxToken| {
            t.parent_ancestors().any(|n| matches!(n.kind(), SyntaxKind::Error | SyntaxKind::BadDecl))
        };
        // A token that took in what stands before it is another one.
        own.into_iter().next().filter(|t| usize::from(t.text_range().start()) == start && !lost(t))
    }

    /// Whether words of the language may stand here as such, not as a name.
    pub(crate) fn accepts_words(&self, phrase: &str) -> bool {
        let named = |token: &SyntaxToken| {
            token.parent().is_some_and(|p| p.kind() == SyntaxKind::Name && !is_listed(&p))
        };
        self.accepts(phrase).is_some_and(|first| {
            let next = |t: &SyntaxToken| t.next_token();
            !std::iter::successors(Some(first), next).any(|t| named(&t))
        })
    }
}

/// Whether a name is one of a list of words of the language: a form of drawing, a severity.
fn is_listed(name: &SyntaxNode) -> bool {
    name.parent().is_some_and(|p| matches!(p.kind(), SyntaxKind::DrawnAs | SyntaxKind::TreatDecl))
}

/// The declaration of a model file in which a place lies; of a query all of it.
pub(crate) fn part_at(kind: TextKind, text: &str, at: usize) -> std::ops::Range<usize> {
    if kind == TextKind::Query {
        return 0..text.len();
    }
    let start = declaration_start(&text[..at]);
    let mut end = at;
    while let Some(line) = text[end..].find('\n') {
        end += line + 1;
        let starts = text[end..].chars().next().is_some_and(|c| !c.is_whitespace());
        if starts && !text[end..].starts_with("--") {
            return start..end;
        }
    }
    start..text.len()
}

/// The declarations of a model file, each with what stands between it and the next one.
pub(crate) fn parts(text: &str) -> Vec<std::ops::Range<usize>> {
    let mut parts = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let part = part_at(TextKind::Model, text, at);
        at = part.end;
        parts.push(part);
    }
    parts
}

/// Where the declaration starts in which a text ends: the last line that starts in the first column.
pub(crate) fn declaration_start(text: &str) -> usize {
    let mut end = text.len();
    loop {
        let start = text[..end].rfind('\n').map_or(0, |at| at + 1);
        let first = text[start..].chars().next();
        let starts = first.is_none_or(|c| !c.is_whitespace()) && !text[start..].starts_with("--");
        if starts || start == 0 {
            return start;
        }
        end = start - 1;
    }
}
