//! Words and signs that people bring from SQL and from other languages, each with the form to write.

use super::Parser;
use super::query::WORDS;
use crate::diagnostic::Diagnostic;
use crate::messages;
use crate::source::Span;

/// Words of two parts and what they are here.
const PAIRS: [(&str, &str, &str); 2] = [("order", "by", "sort"), ("group", "by", "rows")];

/// Single words and what they are here.
const SINGLE: [(&str, &str); 8] = [
    ("select", "show"),
    ("desc", "descending"),
    ("asc", "ascending"),
    ("orderby", "sort"),
    ("groupby", "rows"),
    ("filter", "where"),
    ("und", "and"),
    ("oder", "or"),
];

impl Parser<'_> {
    /// What to say of the next token, at which a query cannot go on. `clause` is the one that was complete before it.
    pub(super) fn left_over(&self, clause: Option<&str>) -> Diagnostic {
        let span = self.here();
        let found = self.found();
        let word = self.word(0).unwrap_or_default().to_ascii_lowercase();
        let next = self.word(1).unwrap_or_default().to_ascii_lowercase();
        if let Some((first, second, ours)) = PAIRS.iter().find(|(a, b, _)| *a == word && *b == next) {
            let end = self.next_index(1).map_or(span.end, |i| self.tokens[i].end);
            return messages::brought(Span { end, ..span }, &format!("{first} {second}"), ours);
        }
        if let Some((brought, ours)) = SINGLE.iter().find(|(brought, _)| *brought == word) {
            return messages::brought(span, brought, ours);
        }
        if word == "offset" {
            return messages::no_offset(span);
        }
        let Some(clause) = clause else {
            let near = crate::nearest(&word, WORDS).filter(|_| !word.is_empty());
            return messages::not_a_query(span, &found, near);
        };
        if let Some(near) = crate::nearest(&word, WORDS).filter(|_| !word.is_empty()) {
            return messages::near_clause(span, &found, near);
        }
        messages::left_over(span, &found, clause, matches!(clause, "where" | "having"))
    }

    /// A word of another language at which something that is open cannot go on.
    pub(super) fn brought_word(&self) -> Option<Diagnostic> {
        let word = self.word(0)?.to_ascii_lowercase();
        let (brought, ours) = SINGLE.iter().find(|(brought, _)| *brought == word)?;
        Some(messages::brought(self.here(), brought, ours))
    }

    /// A second `=` where one is enough.
    pub(super) fn doubled_equals(&mut self) {
        if !self.at_symbol("=") {
            return;
        }
        let Some(before) = self.tokens[..self.at].iter().rev().find(|t| !t.kind.is_trivia()) else { return };
        if &self.text[before.start..before.end] == "=" {
            let span = Span { start: before.start, ..self.here() };
            let diagnostic = messages::brought(span, "==", "=");
            self.mistake(diagnostic);
        }
    }
}
