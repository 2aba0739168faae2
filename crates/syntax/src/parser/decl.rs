//! Declarations: each starts in the first column and ends where the next one starts.

use super::Parser;
use super::expr::Clauses;
use crate::kind::SyntaxKind;
use crate::messages;

/// The words that start a declaration.
pub const DECLARATIONS: [&str; 24] = [
    "currency",
    "time",
    "calendar",
    "dimension",
    "fact",
    "link",
    "bridge",
    "hierarchy",
    "column",
    "measure",
    "include",
    "param",
    "viewer",
    "derived",
    "assert",
    "locale",
    "report",
    "dashboard",
    "accept",
    "treat",
    "database",
    "server",
    "cached",
    "not",
];

/// What a declaration looks like, where its form is not that of a formula.
fn form_of(word: &str) -> Option<&'static str> {
    Some(match word {
        "currency" => "currency 'EUR'",
        "locale" => "locale 'de-DE'",
        "time" => "time zone 'Europe/Berlin'",
        "calendar" => {
            "calendar from '2023-01-01' to '2025-12-31', or: calendar covering order_line.ordered_on, or: calendar from 'days.csv' key day"
        }
        "dimension" => "dimension customer from 'customer.csv' key customer_code",
        "fact" => "fact order_line from 'order_line.csv'",
        "link" => "link order_line.shipped_on to calendar as shipped",
        "bridge" => "bridge tag.customer_code to customer",
        "hierarchy" => "hierarchy product.range = category, family",
        "include" => "include 'more.vembra'",
        "param" => "param focus_year: integer default 2025",
        "viewer" => "viewer sarrow_desk sees only customer.region = 'Sarrow'",
        "accept" => "accept V503 on order_line.sku because 'three test orders of 2023'",
        "treat" => "treat V521 as warning",
        "database" => "database shop from env 'SHOP_URL'",
        "server" => "server shop from env 'SHOP_URL'",
        "cached" | "not" => "cached in 'cache', or: not cached",
        "report" => {
            "report by_month 'Revenue by month' = rows calendar.month show revenue drawn as line along calendar.month"
        }
        "dashboard" => "dashboard overview 'At a glance' 1280 by 800 row 1: by_month",
        _ => return None,
    })
}

impl Parser<'_> {
    pub(super) fn model(&mut self) {
        let starts: Vec<usize> = (0..self.tokens.len()).filter(|i| self.starts_declaration(*i)).collect();
        let whole = self.tokens.len();
        self.end = starts.first().copied().unwrap_or(whole);
        if !self.at_end() {
            let diagnostic = messages::indented_start(self.here());
            self.mistake(diagnostic);
            self.skip_rest();
        }
        for (at, start) in starts.iter().enumerate() {
            self.end = *start;
            self.skip_trivia();
            self.end = starts.get(at + 1).copied().unwrap_or(whole);
            self.lost = false;
            self.nesting = 0;
            self.declaration();
        }
    }

    /// In the first column, and no comment or blank.
    fn starts_declaration(&self, index: usize) -> bool {
        let token = self.tokens[index];
        let first_column = token.start == 0
            || self.text[..token.start].ends_with(['\n', '\u{feff}'])
                && self.text[..token.start].trim_end_matches('\u{feff}').is_empty()
            || self.text[..token.start].ends_with('\n');
        first_column && !token.kind.is_trivia()
    }

    fn declaration(&mut self) {
        let word = self.word(0).unwrap_or("").to_ascii_lowercase();
        let read: (SyntaxKind, fn(&mut Self)) = match word.as_str() {
            "currency" => (SyntaxKind::CurrencyDecl, |p| p.expect_text("a currency code such as 'EUR'")),
            "locale" => (SyntaxKind::LocaleDecl, |p| p.expect_text("the tag of a locale such as 'de-DE'")),
            "time" => (SyntaxKind::TimeZoneDecl, |p| {
                p.expect_word("zone");
                p.expect_text("the name of a time zone such as 'Europe/Berlin'");
            }),
            "calendar" => (SyntaxKind::CalendarDecl, Self::calendar),
            "dimension" => (SyntaxKind::DimensionDecl, Self::table),
            "fact" => (SyntaxKind::FactDecl, Self::table),
            "link" | "bridge" => (SyntaxKind::LinkDecl, Self::link),
            "hierarchy" => (SyntaxKind::HierarchyDecl, Self::hierarchy),
            "column" => (SyntaxKind::ColumnDecl, Self::column),
            "measure" => (SyntaxKind::MeasureDecl, Self::measure),
            "include" => (SyntaxKind::IncludeDecl, |p| p.expect_text("a file such as 'more.vembra'")),
            "param" => (SyntaxKind::ParamDecl, Self::param),
            "viewer" => (SyntaxKind::ViewerDecl, Self::viewer),
            "derived" => (SyntaxKind::DerivedDecl, Self::derived),
            "assert" => (SyntaxKind::AssertDecl, Self::assertion),
            "accept" => (SyntaxKind::AcceptDecl, Self::accept),
            "treat" => (SyntaxKind::TreatDecl, Self::treat),
            "database" | "server" => (SyntaxKind::DatabaseDecl, Self::database),
            "cached" => (SyntaxKind::CachedDecl, |p| {
                p.expect_word("in");
                p.expect_text("a folder such as 'cache'");
            }),
            "not" => (SyntaxKind::CachedDecl, |p| p.expect_word("cached")),
            "report" => (SyntaxKind::ReportDecl, Self::report_decl),
            "dashboard" => (SyntaxKind::DashboardDecl, Self::dashboard),
            _ => return self.bad_declaration(&word),
        };
        self.form = form_of(&word);
        self.open(read.0);
        self.bump();
        read.1(self);
        self.skip_rest();
        self.close();
    }

    /// What is left of a declaration.
    fn skip_rest(&mut self) {
        self.skip_until(|_| false, |p| messages::text_after(p.here(), &p.found(), p.form));
    }

    fn bad_declaration(&mut self, word: &str) {
        if !self.at_kind(SyntaxKind::Stray) {
            let near = crate::nearest(word, DECLARATIONS);
            let all = DECLARATIONS.join(", ");
            let diagnostic = messages::unknown_declaration(self.here(), &self.found(), near, &all);
            self.report(diagnostic);
        }
        self.lost = true;
        self.open(SyntaxKind::BadDecl);
        self.skip_rest();
        self.close();
    }

    fn calendar(&mut self) {
        if self.eat_word("from") {
            self.expect_text("the first day, such as '2023-01-01', or a file");
            if self.at_word("key") {
                self.node(SyntaxKind::KeyProp, |p| {
                    p.bump();
                    p.name("the column with the days");
                });
            } else {
                self.expect_word("to");
                self.expect_text("the last day, such as '2026-12-31'");
            }
        } else if self.eat_word("covering") {
            self.commas(|p| p.name_ref("a column with dates"));
        } else {
            self.expected("'from' or 'covering'");
        }
        loop {
            if self.at_word("fiscal") {
                self.node(SyntaxKind::FiscalYear, |p| {
                    p.bump();
                    p.expect_word("year");
                    p.expect_word("starts");
                    p.name("a month such as october");
                });
            } else if self.at_word("working") {
                self.node(SyntaxKind::Working, |p| {
                    p.bump();
                    p.expect_word("where");
                    p.plain_expr();
                });
            } else {
                break;
            }
        }
    }

    fn table(&mut self) {
        self.name("a name for the table");
        self.expect_word("from");
        let is_stored = self.word(1).is_some_and(|word| word.eq_ignore_ascii_case("table"));
        if (self.at_kind(SyntaxKind::Word) || self.at_kind(SyntaxKind::QuotedName)) && is_stored {
            self.node(SyntaxKind::FromDatabase, |p| p.name("a database"));
        } else {
            self.commas(|p| p.expect_text("a file such as 'customer.csv'"));
        }
        loop {
            if self.at_word("key") {
                self.node(SyntaxKind::KeyProp, |p| {
                    p.bump();
                    p.commas(|p| p.name("a column"));
                });
            } else if self.at_word("missing") {
                self.node(SyntaxKind::MissingProp, |p| {
                    p.bump();
                    p.commas(|p| p.expect_text("a text that stands for a missing value, such as 'NA'"));
                });
            } else if self.at_word("separated") {
                self.node(SyntaxKind::SeparatorProp, |p| {
                    p.bump();
                    p.expect_word("by");
                    p.expect_text("a character such as ';'");
                });
            } else if self.at_word("encoding") {
                self.text_property(SyntaxKind::EncodingProp, "an encoding such as 'windows-1252'");
            } else if self.at_word("sheet") {
                self.text_property(SyntaxKind::SheetProp, "a sheet of the workbook such as 'Orders'");
            } else if self.at_word("table") {
                self.text_property(SyntaxKind::StoredProp, "a table of the database such as 'orders'");
            } else if !self.form_prop() {
                break;
            }
        }
    }

    /// `database shop from env 'SHOP_URL'`, `server shop from env 'SHOP_URL'`.
    fn database(&mut self) {
        self.name("a name for the database");
        self.expect_word("from");
        self.expect_word("env");
        self.expect_text("a variable of the environment such as 'SHOP_URL'");
    }

    fn link(&mut self) {
        self.node(SyntaxKind::LinkFrom, |p| {
            if p.eat_symbol("(") {
                p.commas(|p| p.name_ref("a column such as order_line.sku"));
                p.expect_symbol(")");
            } else {
                p.name_ref("a column such as order_line.sku");
            }
        });
        self.expect_word("to");
        self.node(SyntaxKind::LinkTo, |p| p.name("a table"));
        if self.at_word("by") {
            self.node(SyntaxKind::LinkBy, |p| {
                p.bump();
                p.commas(|p| p.name("an attribute"));
            });
        }
        if self.at_words(&["as", "of"]) {
            self.node(SyntaxKind::LinkAsOf, |p| {
                p.bump();
                p.bump();
                p.name("the column from whose day on a row holds, such as valid_from");
            });
            if self.at_word("until") {
                self.node(SyntaxKind::LinkUntil, |p| {
                    p.bump();
                    p.name("the column before whose day a row holds, such as valid_to");
                });
            }
        }
        if self.at_word("as") {
            self.node(SyntaxKind::LinkRole, |p| {
                p.bump();
                p.name("a role");
            });
        }
        self.eat_word("default");
    }

    fn hierarchy(&mut self) {
        self.name_ref("a name such as product.range");
        self.expect_symbol("=");
        self.commas(|p| p.name("an attribute"));
    }

    fn column(&mut self) {
        self.name_ref("a column such as order_line.net");
        if self.eat_symbol(":") {
            self.type_name("a type such as text or date");
        }
        if self.eat_symbol("=") {
            self.expr(Clauses::Bind);
        }
        while self.form_prop() || self.property() {}
    }

    fn measure(&mut self) {
        self.name("a name for the measure");
        if self.at_symbol("(") {
            self.node(SyntaxKind::Arguments, |p| {
                let open = p.here();
                p.bump();
                p.commas(Self::argument);
                p.close_bracket(open);
            });
        }
        self.expect_symbol("=");
        self.expr(Clauses::Bind);
        self.properties();
    }

    /// `m`, `a: attribute`, `n: integer`.
    fn argument(&mut self) {
        self.node(SyntaxKind::Argument, |p| {
            p.name("a name for what it stands for, such as m");
            if p.eat_symbol(":") {
                p.node(SyntaxKind::TypeName, |p| p.name("what it stands for: attribute, role or a type"));
            }
        });
    }

    /// A type; of a decimal also how many digits it has, and how many of them behind the point.
    pub(super) fn type_name(&mut self, what: &str) {
        self.node(SyntaxKind::TypeName, |p| {
            let is_decimal = p.at_word("decimal");
            p.name(what);
            if is_decimal && p.eat_symbol("(") {
                p.whole_number("the number of digits, such as 18");
                p.expect_symbol(",");
                p.whole_number("how many of them stand behind the point, such as 4");
                p.expect_symbol(")");
            }
        });
    }

    fn whole_number(&mut self, what: &str) {
        if self.at_kind(SyntaxKind::Number) {
            self.bump();
        } else {
            self.expected(what);
        }
    }

    /// How the values of a table or of a column are written: `numbers like '1.234,56'`. False if there is nothing of it.
    fn form_prop(&mut self) -> bool {
        let (kind, example) = if self.at_word("numbers") {
            (SyntaxKind::NumbersProp, "a number as it stands in the file, such as '1.234,56'")
        } else if self.at_word("dates") {
            (SyntaxKind::DatesProp, "a date as it stands in the file, such as '31.12.2024'")
        } else if self.at_word("booleans") {
            (SyntaxKind::BooleansProp, "what stands for true, such as 'yes'")
        } else {
            return false;
        };
        self.node(kind, |p| {
            p.bump();
            p.expect_word("like");
            p.expect_text(example);
            if kind == SyntaxKind::BooleansProp {
                p.expect_symbol(",");
                p.expect_text("what stands for false, such as 'no'");
            }
        });
        true
    }

    fn properties(&mut self) {
        while self.property() {}
    }

    /// One property of a declaration; false if there is none.
    fn property(&mut self) -> bool {
        let word = self.word(0).unwrap_or("").to_ascii_lowercase();
        match word.as_str() {
            "label" => self.text_property(SyntaxKind::LabelProp, "a heading in quotes"),
            "format" => self.text_property(SyntaxKind::FormatProp, "a pattern such as '#,##0'"),
            "about" => self.text_property(SyntaxKind::AboutProp, "a description in quotes"),
            "order" => self.node(SyntaxKind::OrderProp, |p| {
                p.bump();
                if p.eat_word("by") {
                    p.name_ref("a column of the same table, such as size_rank");
                    return;
                }
                p.commas(|p| {
                    p.plain_expr();
                });
            }),
            "labels" => self.node(SyntaxKind::LabelsProp, |p| {
                p.bump();
                p.commas(|p| {
                    p.plain_expr();
                    p.expect_text("the text shown for it");
                });
            }),
            "subtotal" => self.node(SyntaxKind::SubtotalProp, Self::other_formula),
            "total" => self.node(SyntaxKind::TotalProp, Self::other_formula),
            _ => return false,
        }
        true
    }

    /// `subtotal = formula` with a format of its own.
    fn other_formula(&mut self) {
        self.bump();
        self.expect_symbol("=");
        self.expr(Clauses::Bind);
        if self.at_word("format") {
            self.text_property(SyntaxKind::FormatProp, "a pattern such as '0.0%'");
        }
    }

    /// `param focus_year: integer default 2025`, `param split: one of a.b, c.d default a.b`.
    fn param(&mut self) {
        self.name("a name for the parameter");
        self.expect_symbol(":");
        if self.at_words(&["one", "of"]) {
            self.node(SyntaxKind::OneOf, |p| {
                p.bump();
                p.bump();
                p.commas(|p| p.name_ref("an attribute such as calendar.weekday"));
            });
        } else {
            self.node(SyntaxKind::TypeName, |p| p.name("a type such as integer or date"));
        }
        if self.at_word("default") {
            self.node(SyntaxKind::ParamDefault, |p| {
                p.bump();
                p.plain_expr();
            });
        }
        self.properties();
    }

    /// `viewer sarrow_desk sees only customer.region = 'Sarrow'`.
    fn viewer(&mut self) {
        self.name("a name for the viewer");
        for word in ["sees", "only"] {
            self.expect_word(word);
        }
        self.plain_expr();
    }

    /// `derived january = list … from …`.
    fn derived(&mut self) {
        self.name("a name for the table");
        if self.at_word("key") {
            self.node(SyntaxKind::KeyProp, |p| {
                p.bump();
                p.commas(|p| p.name("a column"));
            });
        }
        self.expect_symbol("=");
        self.inner_query(false);
    }

    /// `assert 'what' per K: condition within 0.01`.
    fn assertion(&mut self) {
        self.expect_text("what is asserted, in quotes");
        if self.at_word("seen") {
            self.node(SyntaxKind::SeenBy, |p| {
                p.bump();
                p.expect_word("by");
                p.name("a viewer");
            });
        }
        if self.at_word("per") {
            self.node(SyntaxKind::AssertPer, |p| {
                p.bump();
                p.names(super::clause::KEYS);
            });
        }
        self.expect_symbol(":");
        if self.lost {
            return;
        }
        let asks =
            |word: &str| ["rows", "columns", "show", "list"].iter().any(|w| word.eq_ignore_ascii_case(w));
        if self.at_symbol("(") && self.word(1).is_some_and(asks) {
            self.node(SyntaxKind::AssertMatches, |p| {
                p.query_in_brackets();
                p.expect_word("matches");
                p.query_in_brackets();
            });
        } else {
            self.node(SyntaxKind::AssertHolds, |p| {
                p.plain_expr();
                if p.at_word("within") {
                    p.node(SyntaxKind::Tolerance, |p| {
                        p.bump();
                        if p.at_kind(SyntaxKind::Number) {
                            p.node(SyntaxKind::Literal, Self::bump);
                        } else {
                            p.expected("a number such as 0.01");
                        }
                    });
                }
            });
        }
    }

    /// `accept V503 on order_line.sku because 'why'`.
    fn accept(&mut self) {
        self.code();
        if self.eat_word("on") {
            self.name_ref("a table or a column such as order_line.sku");
        }
        self.node(SyntaxKind::Reason, |p| {
            p.expect_word("because");
            p.expect_text("the reason in quotes");
        });
    }

    /// `treat V521 as warning`.
    fn treat(&mut self) {
        self.code();
        self.expect_word("as");
        if self.at_any(&["error", "warning", "note"]) {
            self.node(SyntaxKind::Name, Self::bump);
        } else {
            self.expected("'error', 'warning' or 'note'");
        }
    }

    fn code(&mut self) {
        let is_code =
            |w: &str| w.len() == 4 && w.starts_with(['V', 'v']) && w[1..].bytes().all(|b| b.is_ascii_digit());
        if self.word(0).is_some_and(is_code) {
            self.node(SyntaxKind::Code, Self::bump);
        } else {
            self.expected("the code of a finding such as V503");
        }
    }

    fn query_in_brackets(&mut self) {
        self.expect_symbol("(");
        self.inner_query(true);
        self.expect_symbol(")");
    }

    pub(super) fn text_property(&mut self, kind: SyntaxKind, what: &str) {
        self.node(kind, |p| {
            p.bump();
            p.expect_text(what);
        });
    }
}
