//! Words that the language had before. Each has a message with the form to write, as a fix; reading goes on as if that stood there, so
//! that all of them in a text are found at once.

use super::Parser;
use crate::kind::SyntaxKind;
use crate::messages;
use crate::source::Place;

impl Parser<'_> {
    /// At `for`, which no expression goes on with.
    pub(super) fn at_former_clause(&self) -> bool {
        self.at_word("for")
    }

    /// `for each K`, `for cell`, `for all`; also `for K`, which was never right.
    pub(super) fn former_clause(&mut self) {
        let next = self.word(1).unwrap_or_default().to_ascii_lowercase();
        match next.as_str() {
            "all" => {
                self.former(2, "overall");
                self.node(SyntaxKind::OverallClause, |p| {
                    p.bump();
                    p.bump();
                });
            }
            "cell" => {
                self.former(2, "per cell");
                self.node(SyntaxKind::PerClause, |p| {
                    p.bump();
                    p.bump();
                });
            }
            _ => self.node(SyntaxKind::PerClause, |p| {
                p.per_word();
                p.detail();
            }),
        }
    }

    /// `per`, or what stood for it.
    pub(super) fn per_word(&mut self) {
        if self.eat_word("per") {
            return;
        }
        let words = 1 + usize::from(self.word(1).is_some_and(|w| w.eq_ignore_ascii_case("each")));
        self.former(words, "per");
        for _ in 0..words {
            self.bump();
        }
    }

    /// Says what is written in place of the next words. A comment between them stays.
    pub(super) fn former(&mut self, words: usize, ours: &str) {
        let tokens: Vec<_> = (0..words).filter_map(|i| self.next_index(i)).map(|i| self.tokens[i]).collect();
        let (Some(first), Some(last)) = (tokens.first(), tokens.last()) else { return };
        let place = Place { source: self.source, start: first.start, end: last.end };
        let found: Vec<&str> = tokens.iter().map(|t| &self.text[t.start..t.end]).collect();
        let between = if words > 1 { &self.text[first.end..last.start] } else { "" };
        let kept = if between.contains("--") { between.trim_end_matches(' ') } else { "" };
        let diagnostic = messages::former(place, &found.join(" "), ours, &format!("{ours}{kept}"));
        self.report(diagnostic);
    }
}
