//! A query in parts that look alike, and whether it goes on.

use crate::probe::TextKind;
use vembra_syntax::SyntaxKind;

/// How a part of a text looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)] // Each is what it is called.
pub enum Look {
    Word,
    Text,
    Number,
    Param,
    Comment,
    Wrong,
    Plain,
}

/// The parts of a query in their order; together they are all of it.
///
/// # Examples
/// ```
/// use vembra_editor::{Look, coloured};
/// let parts = coloured("show revenue");
/// assert_eq!(parts[0], (Look::Word, "show".to_owned()));
/// assert_eq!(parts[2], (Look::Plain, "revenue".to_owned()));
/// ```
pub fn coloured(query: &str) -> Vec<(Look, String)> {
    looks(TextKind::Query, query)
}

/// The same for a query or a model.
pub fn looks(kind: TextKind, text: &str) -> Vec<(Look, String)> {
    let root = kind.parse(text).root;
    let tokens = root.descendants_with_tokens().filter_map(rowan::NodeOrToken::into_token);
    let look = |token: &vembra_syntax::SyntaxToken| {
        let parent = token.parent().map(|p| p.kind());
        match token.kind() {
            SyntaxKind::Text => Look::Text,
            SyntaxKind::Number => Look::Number,
            SyntaxKind::Parameter => Look::Param,
            SyntaxKind::Comment => Look::Comment,
            SyntaxKind::Stray => Look::Wrong,
            SyntaxKind::Word if parent == Some(SyntaxKind::Error) => Look::Wrong,
            SyntaxKind::Word if parent != Some(SyntaxKind::Name) => Look::Word,
            _ => Look::Plain,
        }
    };
    tokens.map(|t| (look(&t), t.text().to_owned())).collect()
}

/// Whether a query lacks nothing but its end: what is wrong with it is only that something is still to come.
///
/// # Examples
/// ```
/// use vembra_editor::goes_on;
/// assert!(goes_on("show (revenue via"));
/// assert!(!goes_on("show revenue"));
/// assert!(!goes_on("shw revenue"));
/// ```
pub fn goes_on(query: &str) -> bool {
    let end = query.trim_end().len();
    let wrong = TextKind::Query.parse(query).diagnostics;
    let open = |d: &vembra_syntax::Diagnostic| d.labels.iter().any(|l| l.span.start >= end);
    !wrong.is_empty() && wrong.iter().all(open)
}
