//! Queries: clauses in any order.

use super::Parser;
use super::expr::Clauses;
use crate::kind::SyntaxKind;
use crate::messages;
use crate::source::Span;

/// The words that start a clause of a query.
pub(super) const WORDS: [&str; 15] = [
    "rows", "columns", "show", "where", "via", "having", "top", "sort", "keep", "totals", "figures", "given",
    "list", "from", "limit",
];
/// Words that can hardly be meant as names.
const CLAUSE_STARTS: [&str; 7] = ["rows", "columns", "show", "where", "via", "sort", "totals"];
const SUMMARY_ONLY: [&str; 9] =
    ["rows", "columns", "show", "keep", "totals", "figures", "having", "top", "given"];
const LIST_ONLY: [&str; 3] = ["from", "limit", "list"];

impl Parser<'_> {
    /// Whether a clause of a query starts here: by its word, or by its word and what can only stand behind that.
    pub(super) fn at_clause_start(&self) -> bool {
        let behind = |word: &str, fits: &dyn Fn(SyntaxKind, &str) -> bool| {
            self.at_word(word) && self.peek(1).is_some_and(|(kind, text)| fits(kind, text))
        };
        let number = |kind, _: &str| matches!(kind, SyntaxKind::Number | SyntaxKind::Parameter);
        self.at_any(&CLAUSE_STARTS)
            || behind("having", &|kind, _| kind != SyntaxKind::Symbol)
            || behind("keep", &|_, text| text.eq_ignore_ascii_case("empty"))
            || behind("figures", &|_, text| text.eq_ignore_ascii_case("on"))
            || behind("given", &|kind, _| kind == SyntaxKind::Word)
            || behind("top", &number)
            || behind("limit", &number)
    }

    /// Starts the node of a query.
    pub(super) fn open_query(&mut self) {
        let list = self.at_word("list");
        self.builder.start_node(rowan::SyntaxKind(
            if list { SyntaxKind::ListQuery } else { SyntaxKind::Query } as u16,
        ));
    }

    /// A query up to the end, or, in brackets, up to the one that closes.
    pub(super) fn inner_query(&mut self, bracketed: bool) {
        let end = self.end;
        if bracketed {
            let mut depth = 0_i32;
            let closing = (self.at..end).find(|at| {
                let token = self.tokens[*at];
                match &self.text[token.start..token.end] {
                    "(" => depth += 1,
                    ")" => depth -= 1,
                    _ => {}
                }
                depth < 0
            });
            self.end = closing.unwrap_or(end);
        }
        self.skip_trivia();
        self.open_query();
        let before = self.diagnostics.len();
        self.query(before);
        self.close();
        self.lost = self.diagnostics.len() > before;
        self.end = end;
    }

    /// The clauses. A query that shows nothing is reported only if nothing was `reported` since.
    pub(super) fn query(&mut self, reported: usize) {
        let list = self.at_word("list");
        if !list && !self.at_end() && !self.at_any(&WORDS) {
            if !self.at_kind(SyntaxKind::Stray) {
                let diagnostic = self.left_over(None);
                self.report(diagnostic);
            }
            self.lost = true;
        }
        let mut seen: Vec<(&str, Span)> = Vec::new();
        let mut last_item = None;
        loop {
            let clause = seen.last().map(|(word, _)| *word);
            self.skip_until(|p| p.at_any(&WORDS), |p| p.left_over(clause));
            if self.at_end() {
                break;
            }
            self.lost = false;
            self.nesting = 0;
            let word = WORDS.iter().find(|w| self.at_word(w)).copied().unwrap_or("");
            self.check_clause(word, list, &mut seen);
            let before = self.next_index(0).unwrap_or(self.at);
            self.query_clause(word);
            if word == "show" {
                last_item = Some(self.last_item(before));
            }
            self.clause_after_item(word, last_item);
        }
        let shows = seen.iter().any(|(w, _)| *w == "show" || *w == "list");
        if !shows && self.diagnostics.len() == reported {
            let diagnostic = messages::nothing_shown(self.here());
            self.lost = false;
            self.report(diagnostic);
        }
    }

    fn check_clause(&mut self, word: &'static str, list: bool, seen: &mut Vec<(&'static str, Span)>) {
        let span = self.here();
        let foreign: &[&str] = if list { &SUMMARY_ONLY } else { &LIST_ONLY };
        if foreign.contains(&word) {
            self.report(messages::not_in_this_query(span, word, list));
        }
        if let Some((_, first)) = seen.iter().find(|(w, _)| *w == word) {
            let diagnostic = messages::clause_twice(span, *first, word);
            self.report(diagnostic);
        }
        seen.push((word, span));
    }

    fn query_clause(&mut self, word: &str) {
        match word {
            "rows" => self.items(SyntaxKind::RowsClause),
            "columns" => self.items(SyntaxKind::ColumnsClause),
            "show" | "list" => self.items(SyntaxKind::ShowClause),
            "where" => self.where_clause(),
            "via" => self.via_clause(),
            "sort" => self.node(SyntaxKind::SortClause, |p| {
                p.bump();
                p.commas(|p| {
                    p.node(SyntaxKind::SortItem, |p| {
                        p.expr(Clauses::Query);
                        if !p.eat_word("descending") {
                            p.eat_word("ascending");
                        }
                    });
                });
            }),
            "keep" => self.node(SyntaxKind::KeepEmptyClause, |p| {
                p.bump();
                p.expect_word("empty");
            }),
            "totals" => self.node(SyntaxKind::TotalsClause, |p| {
                p.bump();
                p.commas(Self::totals_item);
            }),
            "figures" => self.node(SyntaxKind::FiguresClause, |p| {
                p.bump();
                p.totals_item();
            }),
            "from" => self.node(SyntaxKind::FromClause, |p| {
                p.bump();
                p.name("a table");
            }),
            "limit" => self.node(SyntaxKind::LimitClause, |p| {
                p.bump();
                if p.at_kind(SyntaxKind::Number) { p.bump() } else { p.expected("a number of rows") }
            }),
            "having" => self.node(SyntaxKind::HavingClause, |p| {
                p.bump();
                p.expr(Clauses::Query);
            }),
            "top" => self.node(SyntaxKind::TopClause, Self::top),
            _ => self.node(SyntaxKind::GivenClause, |p| {
                p.bump();
                p.commas(|p| p.node(SyntaxKind::GivenItem, Self::given));
            }),
        }
    }

    /// `name = value`.
    pub(super) fn given(&mut self) {
        self.name("a parameter");
        self.expect_symbol("=");
        self.plain_expr();
    }

    /// `top 5 product.name by revenue within calendar.year with ties, rest as 'Other'`.
    fn top(&mut self) {
        self.bump();
        if self.at_kind(SyntaxKind::Number) {
            self.bump();
        } else if self.at_kind(SyntaxKind::Parameter) {
            self.node(SyntaxKind::ParamRef, Self::bump);
        } else {
            self.expected("how many, such as 5");
        }
        if self.at_word("by") {
            self.expected("an attribute such as product.name");
        }
        self.expr(Clauses::Query);
        self.node(SyntaxKind::TopBy, |p| {
            p.expect_word("by");
            p.expr(Clauses::Query);
            if !p.eat_word("ascending") {
                p.eat_word("descending");
            }
        });
        if self.at_word("within") {
            self.node(SyntaxKind::TopWithin, |p| {
                p.bump();
                p.expr(Clauses::Query);
                while p.at_symbol(",") && !p.word(1).is_some_and(|w| w.eq_ignore_ascii_case("rest")) {
                    p.bump();
                    p.expr(Clauses::Query);
                }
            });
        }
        if self.at_word("with") {
            self.node(SyntaxKind::TopTies, |p| {
                p.bump();
                p.expect_word("ties");
            });
        }
        if self.at_symbol(",") && self.word(1).is_some_and(|w| w.eq_ignore_ascii_case("rest")) {
            self.bump();
        }
        if self.at_word("rest") {
            self.node(SyntaxKind::TopRest, |p| {
                p.bump();
                p.expect_word("as");
                p.expect_text("a name for the rest, such as 'Other'");
            });
        }
    }

    /// `each also to_date, growth_of`: behind the figures, what is applied to each.
    fn each_also(&mut self) {
        self.node(SyntaxKind::EachAlso, |p| {
            p.bump();
            p.bump();
            p.commas(|p| {
                if p.peek(1) == Some((SyntaxKind::Symbol, "(")) {
                    p.expr(Clauses::Query);
                } else {
                    p.name_ref("a measure with arguments");
                }
            });
        });
    }

    /// `each across calendar.year 2025 against 2024, 2023 with difference`: each figure at these members, and compared.
    fn each_across(&mut self) {
        self.node(SyntaxKind::EachAcross, |p| {
            p.bump();
            p.bump();
            p.name_ref("an attribute such as calendar.year");
            p.commas(|p| {
                p.node(SyntaxKind::AcrossItem, |p| {
                    p.member();
                    if p.eat_word("against") {
                        p.member();
                    }
                });
            });
            if p.at_word("with") {
                p.node(SyntaxKind::AcrossWith, |p| {
                    p.bump();
                    p.commas(|p| p.name("difference, ratio or growth"));
                });
            }
        });
    }

    /// A member that is named: a text, a number, or a parameter.
    fn member(&mut self) {
        if self.at_kind(SyntaxKind::Text) || self.at_kind(SyntaxKind::Number) {
            self.node(SyntaxKind::Literal, Self::bump);
        } else if self.at_kind(SyntaxKind::Parameter) {
            self.node(SyntaxKind::ParamRef, Self::bump);
        } else {
            self.expected("a member such as '2025' or 'Farm'");
        }
    }

    pub(super) fn items(&mut self, kind: SyntaxKind) {
        let is_summary = kind == SyntaxKind::ShowClause && self.at_word("show");
        self.node(kind, |p| {
            p.bump();
            p.commas(|p| {
                p.node(SyntaxKind::Item, |p| {
                    p.expr(Clauses::Query);
                    if p.at_word("as") {
                        p.node(SyntaxKind::Alias, |p| {
                            p.bump();
                            p.alias();
                        });
                    } else if p.at_word("open") {
                        p.node(SyntaxKind::OpenProp, |p| {
                            p.bump();
                            p.members_opened();
                        });
                    }
                });
            });
            if is_summary && p.at_words(&["each", "also"]) {
                p.each_also();
            }
            if is_summary && p.at_words(&["each", "across"]) {
                p.each_across();
            }
        });
    }

    /// The members that are opened; without any all are closed at first.
    fn members_opened(&mut self) {
        let is_member = |kind: SyntaxKind| matches!(kind, SyntaxKind::Text | SyntaxKind::Number);
        if !self.peek(0).is_some_and(|(kind, _)| is_member(kind)) {
            return;
        }
        self.node(SyntaxKind::Literal, Self::bump);
        while self.at_symbol(",") && self.peek(1).is_some_and(|(kind, _)| is_member(kind)) {
            self.bump();
            self.node(SyntaxKind::Literal, Self::bump);
        }
    }

    /// A name after `as`: any word, since nothing else can stand there.
    fn alias(&mut self) {
        match self.peek(0) {
            Some((SyntaxKind::Word | SyntaxKind::QuotedName, _)) => self.node(SyntaxKind::Name, Self::bump),
            _ => self.expected("a name after 'as'"),
        }
    }

    fn totals_item(&mut self) {
        self.node(SyntaxKind::TotalsItem, |p| {
            p.expect_word("on");
            if !(p.eat_word("rows") || p.eat_word("columns")) {
                p.expected("'rows' or 'columns'");
            }
            if !p.eat_word("first") {
                p.eat_word("last");
            }
        });
    }

    /// Where the last shown expression starts, in tokens.
    fn last_item(&self, from: usize) -> usize {
        let mut start = from + 1;
        let mut depth = 0_i32;
        for index in from..self.at {
            let token = self.tokens[index];
            match &self.text[token.start..token.end] {
                "(" => depth += 1,
                ")" => depth -= 1,
                "," if depth == 0 => start = index + 1,
                _ => {}
            }
        }
        (start..self.at).find(|i| !self.tokens[*i].kind.is_trivia()).unwrap_or(start)
    }

    /// `show revenue via shipped as x`: the clause was meant for the expression.
    fn clause_after_item(&mut self, word: &str, last_item: Option<usize>) {
        let Some(item) = last_item else { return };
        if matches!(word, "where" | "via") && self.at_word("as") {
            let span = self.place_from(item);
            let fixed = format!("({})", &self.text[span.start..span.end]);
            let diagnostic = messages::clause_needs_brackets(span, &fixed);
            self.mistake(diagnostic);
        }
    }
}
