//! Expressions: operators by strength, primaries, and the clauses that bind to them.

use super::{MOST_STEPS, Parser};
use crate::kind::SyntaxKind;
use crate::messages;

/// Words of clauses that may follow any expression.
pub(super) const CLAUSES: [&str; 7] = ["where", "via", "pooling", "regardless", "during", "per", "overall"];

/// What a clause word after an expression means.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Clauses {
    /// It binds to the expression.
    Bind,
    /// Those of a query end the expression; the others ask for brackets.
    Query,
    /// `where`, `from` and `by` are the aggregate's; the others bind.
    Aggregate,
}

/// What was read: how deep it is, and whether it is one operand without operators.
#[derive(Clone, Copy)]
struct Read {
    depth: usize,
    single: bool,
}

const SINGLE: Read = Read { depth: 1, single: true };

/// The operators by strength, weakest first.
const LEVELS: [&[&str]; 2] = [&["or"], &["and"]];
const COMPARISONS: [&str; 7] = ["=", "<>", "!=", "<=", ">=", "<", ">"];

impl Parser<'_> {
    /// An expression with the clauses that may follow it.
    pub(super) fn expr(&mut self, clauses: Clauses) -> usize {
        if self.lost {
            return 1;
        }
        let start = self.checkpoint();
        let (read, operand) = self.operators(0);
        let binds = |parser: &Self| match clauses {
            Clauses::Bind => parser.at_any(&CLAUSES),
            Clauses::Query => parser.at_any(&CLAUSES[2..]),
            Clauses::Aggregate => parser.at_any(&CLAUSES[1..]),
        };
        if binds(self) {
            self.wrap(start, SyntaxKind::Claused);
            while binds(self) {
                self.clause();
            }
            self.close();
            if !read.single || clauses == Clauses::Query {
                let span = self.place_from(operand);
                let fixed = format!("({})", &self.text[span.start..span.end]);
                let diagnostic = messages::clause_needs_brackets(span, &fixed);
                self.report(diagnostic);
            }
        }
        read.depth + 1
    }

    /// A condition or operand: clause words end it.
    pub(super) fn plain_expr(&mut self) -> usize {
        if self.lost {
            return 1;
        }
        self.operators(0).0.depth
    }

    fn too_deep(&mut self) {
        let diagnostic = messages::too_deep(self.here());
        self.mistake(diagnostic);
    }

    /// Operators from `level` on. Gives what was read and the token at which its last operand starts.
    fn operators(&mut self, level: usize) -> (Read, usize) {
        match level {
            0 | 1 => self.chain(level, LEVELS[level]),
            2 => self.negation(),
            3 => self.comparison(),
            4 => self.chain(level, &["+", "-", "||"]),
            5 => self.chain(level, &["*", "/"]),
            _ => self.sign(),
        }
    }

    fn chain(&mut self, level: usize, operators: &[&str]) -> (Read, usize) {
        let start = self.checkpoint();
        let (mut read, mut operand) = self.operators(level + 1);
        while operators.iter().any(|o| self.at_symbol(o) || self.at_word(o)) {
            self.wrap(start, SyntaxKind::Binary);
            self.bump();
            let (right, last) = self.operators(level + 1);
            self.close();
            operand = last;
            read = Read { depth: read.depth.max(right.depth) + 1, single: false };
            if read.depth > MOST_STEPS {
                self.too_deep();
            }
        }
        (read, operand)
    }

    fn negation(&mut self) -> (Read, usize) {
        if self.at_word("not") { self.prefixed(2) } else { self.operators(3) }
    }

    fn sign(&mut self) -> (Read, usize) {
        if self.at_symbol("-") || self.at_symbol("+") {
            self.prefixed(6)
        } else {
            let operand = self.next_index(0).unwrap_or(self.at);
            (self.primary(), operand)
        }
    }

    fn prefixed(&mut self, level: usize) -> (Read, usize) {
        self.nested(|parser| {
            parser.open(SyntaxKind::Unary);
            parser.bump();
            let (read, operand) = parser.operators(level);
            parser.close();
            (Read { depth: read.depth + 1, single: false }, operand)
        })
        .unwrap_or((SINGLE, self.at))
    }

    /// Runs `inner` one step deeper, unless that is too deep.
    fn nested<T>(&mut self, inner: impl FnOnce(&mut Self) -> T) -> Option<T> {
        if self.nesting >= MOST_STEPS / 2 {
            self.too_deep();
            return None;
        }
        self.nesting += 1;
        let result = inner(self);
        self.nesting -= 1;
        Some(result)
    }

    fn comparison(&mut self) -> (Read, usize) {
        let start = self.checkpoint();
        let (mut read, mut operand) = self.operators(4);
        while !self.lost {
            let negated = self.at_word("not")
                && ["in", "like", "between"]
                    .iter()
                    .any(|w| self.word(1).is_some_and(|f| f.eq_ignore_ascii_case(w)));
            let word = self.word(usize::from(negated)).unwrap_or("").to_ascii_lowercase();
            let kind = match word.as_str() {
                "in" => SyntaxKind::InList,
                "like" => SyntaxKind::Like,
                "between" => SyntaxKind::Between,
                "is" => SyntaxKind::IsNull,
                _ if COMPARISONS.iter().any(|c| self.at_symbol(c)) => SyntaxKind::Binary,
                _ => break,
            };
            self.wrap(start, kind);
            if negated {
                self.bump();
            }
            self.bump();
            self.doubled_equals();
            let deepest = self.comparison_rest(kind, &mut operand);
            self.close();
            read = Read { depth: read.depth.max(deepest) + 1, single: false };
            if read.depth > MOST_STEPS {
                self.too_deep();
            }
        }
        (read, operand)
    }

    fn comparison_rest(&mut self, kind: SyntaxKind, operand: &mut usize) -> usize {
        match kind {
            SyntaxKind::InList => self.in_list(),
            SyntaxKind::IsNull => {
                self.eat_word("not");
                self.expect_word("null");
                1
            }
            SyntaxKind::Between => {
                let low = self.operators(4).0.depth;
                self.expect_word("and");
                self.eat_word("before");
                low.max(self.operators(4).0.depth)
            }
            _ => {
                let (right, last) = self.operators(4);
                *operand = last;
                right.depth
            }
        }
    }

    fn in_list(&mut self) -> usize {
        let open = self.here();
        self.expect_symbol("(");
        let mut deepest = 1;
        self.nested(|parser| parser.commas(|p| deepest = deepest.max(p.plain_expr())));
        self.close_bracket(open);
        deepest
    }

    pub(super) fn close_bracket(&mut self, open: crate::Span) {
        if !self.eat_symbol(")") {
            let unclosed = || messages::unclosed_bracket(open, self.here(), &self.found());
            let diagnostic = self.brought_word().unwrap_or_else(unclosed);
            self.mistake(diagnostic);
        }
    }

    fn primary(&mut self) -> Read {
        let Some((kind, text)) = self.peek(0) else {
            self.expected("a value");
            return SINGLE;
        };
        let lower = text.to_ascii_lowercase();
        let calls = self.peek(1) == Some((SyntaxKind::Symbol, "("));
        let quoted_next = self.peek(1).is_some_and(|(k, _)| k == SyntaxKind::Text);
        match (kind, lower.as_str()) {
            (SyntaxKind::Number | SyntaxKind::Text, _) | (SyntaxKind::Word, "true" | "false" | "null") => {
                self.node(SyntaxKind::Literal, Self::bump);
            }
            (SyntaxKind::Parameter, _) => self.node(SyntaxKind::ParamRef, Self::bump),
            (SyntaxKind::Symbol, "(") => return self.paren(),
            (SyntaxKind::Word, "case") => return self.deeper(Self::case),
            (SyntaxKind::Word, "cast") if calls => return self.deeper(Self::cast),
            (SyntaxKind::Word, "extract") if calls => return self.deeper(Self::extract),
            (SyntaxKind::Word, "date" | "time" | "moment") if quoted_next => {
                self.node(SyntaxKind::TypedLiteral, |p| {
                    p.bump();
                    p.bump();
                });
            }
            (SyntaxKind::Word, name) if calls && AGGREGATES.contains(&name) => {
                return self.deeper(Self::aggregate);
            }
            (SyntaxKind::Word, name) if calls && (!crate::is_reserved(name)) => {
                return self.deeper(Self::call);
            }
            (SyntaxKind::Word | SyntaxKind::QuotedName, _) => self.name_ref("a value"),
            _ => self.expected("a value"),
        }
        SINGLE
    }

    fn deeper(&mut self, inner: fn(&mut Self) -> usize) -> Read {
        let depth = self.nested(inner).unwrap_or(1);
        if depth >= MOST_STEPS {
            self.too_deep();
        }
        Read { depth: depth + 1, single: true }
    }

    fn paren(&mut self) -> Read {
        self.deeper(|parser| {
            let open = parser.here();
            parser.open(SyntaxKind::Paren);
            parser.bump();
            let depth = parser.expr(Clauses::Bind);
            parser.close_bracket(open);
            parser.close();
            depth
        })
    }

    fn case(&mut self) -> usize {
        let mut deepest = 1;
        self.open(SyntaxKind::Case);
        self.bump();
        if !self.at_word("when") {
            self.expected("'when'");
        }
        while self.at_word("when") {
            self.open(SyntaxKind::CaseWhen);
            self.bump();
            deepest = deepest.max(self.plain_expr());
            self.expect_word("then");
            deepest = deepest.max(self.plain_expr());
            self.close();
        }
        if self.at_word("else") {
            self.open(SyntaxKind::CaseElse);
            self.bump();
            deepest = deepest.max(self.plain_expr());
            self.close();
        }
        self.expect_word("end");
        self.close();
        deepest
    }

    fn cast(&mut self) -> usize {
        self.open(SyntaxKind::Cast);
        self.bump();
        let open = self.here();
        self.bump();
        let depth = self.plain_expr();
        self.expect_word("as");
        self.type_name("a type");
        self.close_bracket(open);
        self.close();
        depth
    }

    fn extract(&mut self) -> usize {
        self.open(SyntaxKind::Extract);
        self.bump();
        let open = self.here();
        self.bump();
        self.name("a part such as year or hour");
        self.expect_word("from");
        let depth = self.plain_expr();
        self.close_bracket(open);
        self.close();
        depth
    }

    fn call(&mut self) -> usize {
        let mut deepest = 1;
        self.open(SyntaxKind::Call);
        self.node(SyntaxKind::Name, Self::bump);
        let open = self.here();
        self.bump();
        if !self.at_symbol(")") {
            self.commas(|p| deepest = deepest.max(p.expr(Clauses::Bind)));
        }
        while self.at_any(&["among", "by"]) {
            if self.at_word("among") {
                self.node(SyntaxKind::Among, |p| {
                    p.bump();
                    p.forgotten();
                });
            } else {
                self.node(SyntaxKind::CallBy, |p| {
                    p.bump();
                    deepest = deepest.max(p.expr(Clauses::Bind));
                    if !p.eat_word("descending") {
                        p.eat_word("ascending");
                    }
                });
            }
        }
        self.close_bracket(open);
        self.close();
        deepest
    }

    fn aggregate(&mut self) -> usize {
        self.open(SyntaxKind::Aggregate);
        self.node(SyntaxKind::Name, Self::bump);
        let open = self.here();
        self.bump();
        let mut deepest = 1;
        if self.at_words(&["rows", "of"]) {
            self.node(SyntaxKind::RowsOf, |p| {
                p.bump();
                p.bump();
                p.name("a table");
            });
        } else {
            self.eat_word("distinct");
            deepest = self.expr(Clauses::Aggregate);
        }
        if self.at_word("by") {
            self.open(SyntaxKind::AggregateBy);
            self.bump();
            deepest = deepest.max(self.plain_expr());
            if !self.eat_word("descending") {
                self.eat_word("ascending");
            }
            self.close();
        }
        if self.eat_symbol(",") {
            deepest = deepest.max(self.plain_expr());
        }
        if self.at_word("from") {
            self.node(SyntaxKind::AggregateFrom, |p| {
                p.bump();
                p.name("a table");
            });
        }
        if self.at_word("where") {
            self.open(SyntaxKind::AggregateWhere);
            self.bump();
            deepest = deepest.max(self.plain_expr());
            self.close();
            if self.at_any(&CLAUSES[1..]) {
                let word = self.word(0).unwrap_or_default().to_ascii_lowercase();
                let diagnostic = messages::clause_behind_own_where(self.here(), &word);
                self.mistake(diagnostic);
            }
        }
        self.close_bracket(open);
        self.close();
        deepest
    }
}

const AGGREGATES: [&str; 14] = [
    "sum",
    "avg",
    "min",
    "max",
    "count",
    "median",
    "percentile",
    "stddev",
    "variance",
    "listagg",
    "any",
    "every",
    "first",
    "last",
];
