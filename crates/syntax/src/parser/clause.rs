//! The clauses that stand after an expression and say where it is evaluated.

use super::Parser;
use crate::kind::SyntaxKind;

const UNITS: [&str; 13] = [
    "day", "week", "month", "quarter", "year", "fiscal", "working", "days", "weeks", "months", "quarters",
    "years", "all",
];

/// What may be forgotten.
const FORGOTTEN: &str = "an attribute, a table or a role";
/// What a detail is named by.
pub(super) const KEYS: &str = "an attribute or a table";

impl Parser<'_> {
    pub(super) fn clause(&mut self) {
        let word = self.word(0).unwrap_or("").to_ascii_lowercase();
        match word.as_str() {
            "where" => self.where_clause(),
            "via" => self.via_clause(),
            "pooling" => self.node(SyntaxKind::PoolingClause, |p| {
                p.bump();
                p.forgotten();
            }),
            "regardless" => self.node(SyntaxKind::RegardlessClause, |p| {
                p.bump();
                p.expect_word("of");
                p.forgotten();
            }),
            "during" => self.node(SyntaxKind::DuringClause, |p| {
                p.bump();
                p.date_range();
            }),
            "overall" => self.node(SyntaxKind::OverallClause, Self::bump),
            // `per`
            _ => self.node(SyntaxKind::PerClause, |p| {
                p.bump();
                p.detail();
            }),
        }
    }

    pub(super) fn where_clause(&mut self) {
        self.node(SyntaxKind::WhereClause, |p| {
            p.bump();
            p.plain_expr();
        });
    }

    pub(super) fn via_clause(&mut self) {
        self.node(SyntaxKind::ViaClause, |p| {
            p.bump();
            p.commas(|p| p.name("a role"));
        });
    }

    /// `all`, `all but (…)`, one name or a list of names in brackets.
    pub(super) fn forgotten(&mut self) {
        self.node(SyntaxKind::Forgotten, |p| {
            if p.eat_word("all") {
                if p.eat_word("but") {
                    p.names(FORGOTTEN);
                }
            } else {
                p.names(FORGOTTEN);
            }
        });
    }

    /// One name, or a list of names in brackets.
    pub(super) fn names(&mut self, what: &str) {
        if self.eat_symbol("(") {
            self.commas(|p| p.name_ref(what));
            self.expect_symbol(")");
        } else {
            self.name_ref(what);
        }
    }

    /// `K`, `(K, L)`, `TABLE` or `cell`.
    pub(super) fn detail(&mut self) {
        let qualifies = self.peek(1) == Some((SyntaxKind::Symbol, "."));
        if qualifies || !self.eat_word("cell") {
            self.names(KEYS);
        }
    }

    /// `year to date`, `whole month`, `2 months earlier`, `previous month`, `all before`, `last 3 months`.
    fn date_range(&mut self) {
        let read = if self.at_any(&["whole", "previous"]) {
            self.bump();
            self.unit()
        } else if self.eat_word("last") {
            self.count() && self.unit()
        } else if self.at_kind(SyntaxKind::Number) || self.at_counting_name() && self.is_earlier() {
            self.count() && self.unit() && self.eat_word("earlier") && {
                self.eat_word("matched");
                true
            }
        } else {
            self.unit() && (self.eat_word("before") || (self.eat_word("to") && self.eat_word("date")))
        };
        if !read {
            self.expected("a date range such as 'year to date', '1 year earlier' or 'last 3 months'");
        }
    }

    fn count(&mut self) -> bool {
        let found = self.at_kind(SyntaxKind::Number);
        if found {
            self.bump();
        } else if self.at_counting_name() {
            self.node(SyntaxKind::Name, Self::bump);
            return true;
        }
        found
    }

    /// Whether behind a name and its unit stands what makes a date range of them.
    fn is_earlier(&self) -> bool {
        [2, 3].iter().any(|at| self.word(*at).is_some_and(|word| word.eq_ignore_ascii_case("earlier")))
    }

    /// A name that stands for a number, before a unit: `last n months`.
    fn at_counting_name(&self) -> bool {
        let is_unit = |word: &str| UNITS.iter().any(|unit| unit.eq_ignore_ascii_case(word));
        let name = self.word(0).filter(|word| !is_unit(word) && !crate::is_reserved(word));
        name.is_some() && self.word(1).is_some_and(is_unit)
    }

    fn unit(&mut self) -> bool {
        let found = self.at_any(&UNITS);
        if found {
            let fiscal = self.at_any(&["fiscal", "working"]);
            self.bump();
            if fiscal && self.at_any(&UNITS) {
                self.bump();
            }
        }
        found
    }
}
