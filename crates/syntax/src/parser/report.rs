//! Reports and dashboards: a query and how it is drawn, and reports on a page.

use super::Parser;
use super::expr::Clauses;
use crate::kind::SyntaxKind;
use crate::messages;

/// The ways to draw an answer.
pub const FORMS: [&str; 7] = ["table", "number", "line", "area", "bars", "dots", "heat"];

/// The words that start an option of a drawing.
pub const DRAWING_WORDS: [&str; 17] = [
    "along", "up", "colour", "size", "colours", "panels", "stacked", "sideways", "compared", "mark",
    "tooltip", "axis", "with", "small", "trends", "switch", "about",
];

impl Parser<'_> {
    /// `report by_month 'Revenue by month' = rows … show … drawn as line along calendar.month`.
    pub(super) fn report_decl(&mut self) {
        self.name("a name for the report");
        if self.at_kind(SyntaxKind::Text) {
            self.node(SyntaxKind::Title, Self::bump);
        }
        self.expect_symbol("=");
        if self.lost {
            return;
        }
        let end = self.end;
        self.end = self.query_end();
        self.inner_query(false);
        self.end = end;
        if self.lost {
            // The query is wrong and said so; how it is drawn may still be right.
            self.lost = false;
            self.drawing();
            self.lost = true;
        } else {
            self.drawing();
        }
    }

    /// Where the query ends: at `drawn as`, or at a word that only a drawing has.
    fn query_end(&self) -> usize {
        let mut depth = 0_i32;
        let word = |at: usize| &self.text[self.tokens[at].start..self.tokens[at].end];
        let next = |at: usize| (at + 1..self.end).find(|n| !self.tokens[*n].kind.is_trivia());
        let mut before = "=";
        for at in (self.at..self.end).filter(|at| !self.tokens[*at].kind.is_trivia()) {
            match word(at) {
                "(" => depth += 1,
                ")" => depth -= 1,
                found if depth == 0 && self.tokens[at].kind == SyntaxKind::Word => {
                    let is = |wanted: &str, from: usize| word(from).eq_ignore_ascii_case(wanted);
                    let drawn = is("drawn", at) && next(at).is_some_and(|n| is("as", n));
                    let described =
                        is("about", at) && next(at).is_some_and(|n| self.tokens[n].kind == SyntaxKind::Text);
                    if (drawn || described) && before != "." && !before.eq_ignore_ascii_case("as") {
                        return at;
                    }
                    before = found;
                    continue;
                }
                _ => {}
            }
            before = word(at);
        }
        self.end
    }

    fn drawing(&mut self) {
        while !self.at_end() {
            if self.at_words(&["drawn", "as"]) {
                self.node(SyntaxKind::DrawnAs, |p| {
                    p.bump();
                    p.bump();
                    p.form();
                });
                continue;
            }
            let Some(word) = DRAWING_WORDS.iter().find(|w| self.at_word(w)).copied() else {
                let near = self.word(0).and_then(|w| crate::nearest(w, DRAWING_WORDS));
                let diagnostic = messages::no_drawing_option(self.here(), &self.found(), near);
                self.report_once(diagnostic);
                break;
            };
            self.drawing_option(word);
        }
    }

    fn form(&mut self) {
        if self.at_any(&FORMS) {
            self.node(SyntaxKind::Name, Self::bump);
        } else {
            let near = self.word(0).and_then(|w| crate::nearest(w, FORMS));
            let diagnostic = messages::no_form(self.here(), &self.found(), near, &FORMS.join(", "));
            self.report_once(diagnostic);
        }
    }

    fn report_once(&mut self, diagnostic: crate::Diagnostic) {
        if !self.at_kind(SyntaxKind::Stray) {
            self.report(diagnostic);
        }
        self.lost = true;
    }

    fn drawing_option(&mut self, word: &str) {
        match word {
            "along" => self.node(SyntaxKind::AlongOption, Self::axis_option),
            "up" => self.node(SyntaxKind::UpOption, Self::axis_option),
            "colour" => self.option(SyntaxKind::ColourOption, "by", Self::plain_expr_item),
            "size" => self.option(SyntaxKind::SizeOption, "by", Self::plain_expr_item),
            "compared" => self.option(SyntaxKind::ComparedOption, "with", Self::plain_expr_item),
            "with" => self.option(SyntaxKind::ValuesOption, "values", |_| {}),
            "small" => self.option(SyntaxKind::SmallBarsOption, "bars", |p| p.commas(Self::plain_expr_item)),
            "panels" => self.option(SyntaxKind::PanelsOption, "by", Self::panels),
            "axis" => self.option(SyntaxKind::AxisTitlesOption, "titles", |p| {
                if !(p.eat_word("off") || p.eat_word("on")) {
                    p.expected("'on' or 'off'");
                }
            }),
            "colours" => self.node(SyntaxKind::ColoursOption, |p| {
                p.bump();
                p.commas(|p| {
                    p.node(SyntaxKind::MemberColour, |p| {
                        p.expect_text("a member in quotes");
                        p.name("a colour such as blue");
                    });
                });
            }),
            "mark" => self.node(SyntaxKind::MarkOption, |p| {
                p.bump();
                p.expect_text("what the mark means, in quotes");
                if p.at_word("on") {
                    p.node(SyntaxKind::MarkOn, |p| {
                        p.bump();
                        p.expr(Clauses::Query);
                    });
                }
                p.expect_word("where");
                p.plain_expr();
            }),
            "tooltip" => self.items(SyntaxKind::TooltipOption),
            "stacked" => self.node(SyntaxKind::StackedOption, Self::bump),
            "sideways" => self.node(SyntaxKind::SidewaysOption, Self::bump),
            "trends" => self.node(SyntaxKind::TrendsOption, Self::bump),
            "switch" => self.node(SyntaxKind::SwitchOption, Self::switch),
            _ => self.text_property(SyntaxKind::AboutProp, "a description in quotes"),
        }
    }

    /// An option of two words, and what follows them.
    fn option(&mut self, kind: SyntaxKind, second: &str, rest: impl FnOnce(&mut Self)) {
        self.node(kind, |p| {
            p.bump();
            p.expect_word(second);
            rest(p);
        });
    }

    /// `panels by customer.region, 3 across`.
    fn panels(&mut self) {
        self.plain_expr();
        let counted = self.at_symbol(",") && self.peek(1).is_some_and(|(kind, _)| kind == SyntaxKind::Number);
        if counted || self.at_kind(SyntaxKind::Number) {
            self.eat_symbol(",");
            self.bump();
            self.expect_word("across");
        }
    }

    fn plain_expr_item(&mut self) {
        self.plain_expr();
    }

    /// `along calendar.month reversed as members order 'C', 'A'`.
    fn axis_option(&mut self) {
        self.bump();
        self.plain_expr();
        loop {
            if self.at_word("reversed") {
                self.node(SyntaxKind::ReversedOption, Self::bump);
            } else if self.at_word("as") {
                self.node(SyntaxKind::AsTimeOption, |p| {
                    p.bump();
                    if !(p.eat_word("time") || p.eat_word("members")) {
                        p.expected("'time' or 'members'");
                    }
                });
            } else if self.at_word("order") {
                self.node(SyntaxKind::OrderProp, |p| {
                    p.bump();
                    p.commas(Self::plain_expr_item);
                });
            } else {
                break;
            }
        }
    }

    /// `switch focus_year 2024, 2025`.
    fn switch(&mut self) {
        self.bump();
        self.name("a parameter");
        if self.at_kind(SyntaxKind::Text)
            || self.at_kind(SyntaxKind::Number)
            || self.at_any(&["date", "true", "false"])
        {
            self.commas(Self::plain_expr_item);
        }
    }

    /// `dashboard overview 'At a glance' 1280 by 1600` and what stands on it.
    pub(super) fn dashboard(&mut self) {
        self.name("a name for the page");
        if self.at_kind(SyntaxKind::Text) {
            self.node(SyntaxKind::Title, Self::bump);
        }
        if self.at_kind(SyntaxKind::Number) {
            self.node(SyntaxKind::PageSize, |p| {
                p.bump();
                p.expect_word("by");
                if p.at_kind(SyntaxKind::Number) {
                    p.bump();
                } else {
                    p.expected("the height, such as 800");
                }
            });
        }
        while !self.lost && !self.at_end() {
            if self.at_word("row") {
                self.node(SyntaxKind::PageRow, Self::page_row);
            } else if self.at_word("switch") {
                self.node(SyntaxKind::SwitchOption, Self::switch);
            } else if self.at_word("about") {
                self.text_property(SyntaxKind::AboutProp, "a description in quotes");
            } else {
                self.expected("'row', 'switch' or 'about'");
            }
        }
    }

    /// `row 2: a_report 2, 'a text' 'and another paragraph', another_report`.
    fn page_row(&mut self) {
        self.bump();
        if self.at_kind(SyntaxKind::Number) {
            self.node(SyntaxKind::Share, Self::bump);
        }
        self.expect_symbol(":");
        if self.lost {
            return;
        }
        self.commas(|p| {
            p.node(SyntaxKind::PageRowItem, |p| {
                if p.at_kind(SyntaxKind::Text) {
                    // Texts behind each other are paragraphs.
                    p.node(SyntaxKind::Title, |p| {
                        while p.at_kind(SyntaxKind::Text) {
                            p.bump();
                        }
                    });
                } else {
                    p.name("a report, or a text in quotes");
                }
                if p.at_kind(SyntaxKind::Number) {
                    p.node(SyntaxKind::Share, Self::bump);
                }
            });
        });
    }
}
