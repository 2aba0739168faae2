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

#[cfg(test)]
mod tests {
    use crate::{Diagnostic, SourceId, parse_model, parse_query, renew_words};

    fn said(diagnostics: &[Diagnostic]) -> Vec<String> {
        diagnostics.iter().map(|d| format!("{} {}", d.code, d.message)).collect()
    }

    /// A model with words of before, what is said of it, and the same model in the words of today.
    const MODELS: [(&str, &[&str], &str); 6] = [
        (
            "measure a = avg(b for each c)\n",
            &["V119 for each is written per here"],
            "measure a = avg(b per c)\n",
        ),
        (
            "measure a = avg(b for (c, d)) / (b for all)\n",
            &["V119 for is written per here", "V119 for all is written overall here"],
            "measure a = avg(b per (c, d)) / (b overall)\n",
        ),
        (
            "measure a = sum(b where c > (avg(c) FOR Cell))\n",
            &["V119 FOR Cell is written per cell here"],
            "measure a = sum(b where c > (avg(c) per cell))\n",
        ),
        (
            "expect 'x' -- why\n  for -- that is\n  each c: a > b\n",
            &["V119 expect is written assert here", "V119 for each is written per here"],
            "assert 'x' -- why\n  per -- that is\n c: a > b\n",
        ),
        (
            "report r = show a drawn as card\n",
            &["V119 card is written number here"],
            "report r = show a drawn as number\n",
        ),
        // Words and signs of other languages have the same message.
        (
            "derived d =\n    show (a for all) as b\n    order by c\n    where e == 1\n",
            &[
                "V119 for all is written overall here",
                "V119 order by is written sort here",
                "V119 == is written = here",
            ],
            "derived d =\n    show (a overall) as b\n    sort c\n    where e = 1\n",
        ),
    ];

    #[test]
    fn words_of_before_have_a_message_with_the_form_to_write() {
        for (before, messages, after) in MODELS {
            let parsed = parse_model(SourceId::default(), before);
            assert_eq!(said(&parsed.diagnostics), messages, "{before}");
            assert_eq!(renew_words(before), after);
            assert_eq!(said(&parse_model(SourceId::default(), after).diagnostics), [""; 0], "{after}");
        }
    }

    #[test]
    fn brackets_are_asked_for_once_the_word_is_right() {
        let said_of = |text| said(&parse_query(SourceId::default(), text).diagnostics);
        assert_eq!(said_of("show a for each b"), ["V119 for each is written per here"]);
        let brackets =
            "V105 a clause binds to what stands just before it; here it needs brackets to say to what";
        assert_eq!(said_of("show a per b"), [brackets]);
    }

    #[test]
    fn as_names_they_stay() {
        let text = "measure card = sum(for)\nmeasure expect = card + sum(\"per\") + sum(x.overall)\n";
        assert_eq!(said(&parse_model(SourceId::default(), text).diagnostics), [""; 0]);
        assert_eq!(renew_words(text), text);
    }
}
