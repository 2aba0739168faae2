//! From tokens to the lossless tree. Every function reads what it can, says what is missing, and goes on.

mod brought;
mod clause;
mod decl;
mod expr;
mod query;
mod report;

use crate::Parsed;
use crate::coverage;
use crate::diagnostic::Diagnostic;
use crate::kind::{SyntaxKind, SyntaxNode};
use crate::lexer::{Token, lex};
use crate::messages;
use crate::source::{SourceId, Span};
use rowan::{Checkpoint, GreenNodeBuilder};

pub use decl::DECLARATIONS;
pub use report::{DRAWING_WORDS, FORMS};

/// Parses a model file.
///
/// # Examples
/// ```
/// let mut sources = vembra_syntax::Sources::default();
/// let text = "measure revenue = sum(net)\n";
/// let id = sources.add("shop.vembra", text);
/// let parsed = vembra_syntax::parse_model(id, text);
/// assert!(parsed.diagnostics.is_empty());
/// assert_eq!(parsed.root.to_string(), text);
/// ```
pub fn parse_model(source: SourceId, text: &str) -> Parsed {
    let mut parser = Parser::new(source, text);
    parser.open(SyntaxKind::File);
    parser.model();
    parser.finish()
}

/// Parses a query.
pub fn parse_query(source: SourceId, text: &str) -> Parsed {
    let mut parser = Parser::new(source, text);
    parser.open_query();
    parser.query(0);
    parser.finish()
}

/// Parses `name = value`, with nothing behind it: the value of a parameter that comes beside a query.
///
/// ```
/// use vembra_syntax::{Sources, parse_given};
/// let id = Sources::default().add("given", "least = 2");
/// assert!(parse_given(id, "least = 2").diagnostics.is_empty());
/// assert_eq!(parse_given(id, "least = 2 rows region").diagnostics[0].code, "V115");
/// ```
pub fn parse_given(source: SourceId, text: &str) -> Parsed {
    let mut parser = Parser::new(source, text);
    parser.builder.start_node(rowan::SyntaxKind(SyntaxKind::GivenItem as u16));
    parser.given();
    if !parser.at_end() {
        let diagnostic = messages::behind_value(parser.here(), &parser.found());
        parser.mistake(diagnostic);
    }
    parser.finish()
}

/// How deep formulas may nest, and how long chains of operators may be.
const MOST_STEPS: usize = 120;

struct Parser<'t> {
    source: SourceId,
    text: &'t str,
    tokens: Vec<Token>,
    /// The next token.
    at: usize,
    /// Where the declaration or query ends.
    end: usize,
    nesting: usize,
    /// What the declaration being read looks like.
    form: Option<&'static str>,
    /// Set by a mistake, until the next place from which reading can go on. While it is set, nothing is seen, taken or said: one
    /// mistake, one message.
    lost: bool,
    builder: GreenNodeBuilder<'static>,
    diagnostics: Vec<Diagnostic>,
}

impl<'t> Parser<'t> {
    fn new(source: SourceId, text: &'t str) -> Self {
        let tokens = lex(text);
        let end = tokens.len();
        let mut parser = Self {
            source,
            text,
            tokens,
            at: 0,
            end,
            nesting: 0,
            form: None,
            lost: false,
            builder: GreenNodeBuilder::new(),
            diagnostics: Vec::new(),
        };
        parser.report_tokens();
        parser
    }

    /// Messages about single tokens: stray characters (one a run), quotes never closed, odd numbers.
    fn report_tokens(&mut self) {
        let mut last_stray = usize::MAX;
        for (at, token) in self.tokens.iter().enumerate() {
            let span = Span { source: self.source, start: token.start, end: token.end };
            let text = &self.text[token.start..token.end];
            match token.kind {
                SyntaxKind::Stray => {
                    if last_stray != token.start {
                        let run = self.tokens[at..].iter().take_while(|t| t.kind == SyntaxKind::Stray);
                        let end = run.last().map_or(token.end, |t| t.end);
                        let span = Span { end, ..span };
                        self.diagnostics.push(messages::stray(span, &self.text[token.start..end]));
                    }
                    last_stray = token.end;
                }
                SyntaxKind::Text | SyntaxKind::QuotedName if !token.closed => {
                    let quote = if token.kind == SyntaxKind::Text { '\'' } else { '"' };
                    self.diagnostics.push(messages::unclosed_quote(span, quote));
                }
                SyntaxKind::Number if text.parse::<f64>().is_err() => {
                    self.diagnostics.push(messages::odd_number(span, text));
                }
                _ => {}
            }
        }
    }

    fn finish(mut self) -> Parsed {
        self.end = self.tokens.len();
        while self.at < self.end {
            self.push_token();
        }
        self.builder.finish_node();
        let root = SyntaxNode::new_root(self.builder.finish());
        let mut diagnostics = self.diagnostics;
        coverage::report_repeated(&root, self.source, &mut diagnostics);
        diagnostics.sort_by_key(|d| d.labels.first().map(|l| l.span.start));
        let parsed = Parsed { root, diagnostics };
        debug_assert_eq!(coverage::silent(&parsed), None, "tokens that nothing reads lie under no message");
        parsed
    }

    // Looking ahead.

    fn next_index(&self, skip: usize) -> Option<usize> {
        (self.at..self.end).filter(|i| !self.tokens[*i].kind.is_trivia()).nth(skip)
    }

    /// The next token, or one behind it; none while reading is lost.
    fn peek(&self, skip: usize) -> Option<(SyntaxKind, &'t str)> {
        if self.lost {
            return None;
        }
        self.next_index(skip).map(|i| {
            let token = self.tokens[i];
            (token.kind, &self.text[token.start..token.end])
        })
    }

    /// What is seen even where reading is lost.
    fn seeing<T>(&mut self, look: impl Fn(&Self) -> T) -> T {
        let lost = std::mem::take(&mut self.lost);
        let seen = look(self);
        self.lost = lost;
        seen
    }

    fn at_kind(&self, kind: SyntaxKind) -> bool {
        self.peek(0).is_some_and(|(k, _)| k == kind)
    }

    fn word(&self, skip: usize) -> Option<&'t str> {
        self.peek(skip).filter(|(k, _)| *k == SyntaxKind::Word).map(|(_, text)| text)
    }

    fn at_word(&self, word: &str) -> bool {
        self.word(0).is_some_and(|w| w.eq_ignore_ascii_case(word))
    }

    fn at_words(&self, words: &[&str]) -> bool {
        words.iter().enumerate().all(|(i, w)| self.word(i).is_some_and(|found| found.eq_ignore_ascii_case(w)))
    }

    fn at_any(&self, words: &[&str]) -> bool {
        words.iter().any(|w| self.at_word(w))
    }

    fn at_symbol(&self, symbol: &str) -> bool {
        self.peek(0) == Some((SyntaxKind::Symbol, symbol))
    }

    fn at_end(&self) -> bool {
        self.next_index(0).is_none()
    }

    /// The span of the next token, or just behind the last one.
    fn here(&self) -> Span {
        let source = self.source;
        if let Some(i) = self.next_index(0) {
            return Span { source, start: self.tokens[i].start, end: self.tokens[i].end };
        }
        let last = self.tokens[..self.end].iter().rev().find(|t| !t.kind.is_trivia());
        let end = last.map_or(0, |t| t.end);
        Span { source, start: end, end }
    }

    /// From the start of token `from` to the end of the last token read.
    fn place_from(&self, from: usize) -> Span {
        let last = self.tokens[..self.at].iter().rev().find(|t| !t.kind.is_trivia());
        let start = self.tokens.get(from).map_or(self.text.len(), |t| t.start);
        Span { source: self.source, start, end: last.map_or(start, |t| t.end).max(start) }
    }

    fn found(&self) -> String {
        match self.peek(0) {
            None if self.end == self.tokens.len() => "the end of the text".to_owned(),
            None => "the end of the declaration".to_owned(),
            Some((SyntaxKind::Text | SyntaxKind::QuotedName, text)) if text.chars().count() > 30 => {
                format!("{}…", text.chars().take(30).collect::<String>())
            }
            Some((SyntaxKind::Symbol, text)) => format!("'{text}'"),
            Some((_, text)) => text.to_owned(),
        }
    }

    // Building.

    fn push_token(&mut self) {
        let token = self.tokens[self.at];
        self.builder.token(rowan::SyntaxKind(token.kind as u16), &self.text[token.start..token.end]);
        self.at += 1;
    }

    fn skip_trivia(&mut self) {
        while self.at < self.end && self.tokens[self.at].kind.is_trivia() {
            self.push_token();
        }
    }

    fn bump(&mut self) {
        self.skip_trivia();
        if self.at < self.end {
            self.push_token();
        }
    }

    fn open(&mut self, kind: SyntaxKind) {
        if kind != SyntaxKind::File {
            self.skip_trivia();
        }
        self.builder.start_node(rowan::SyntaxKind(kind as u16));
    }

    fn close(&mut self) {
        self.builder.finish_node();
    }

    fn checkpoint(&mut self) -> Checkpoint {
        self.skip_trivia();
        self.builder.checkpoint()
    }

    fn wrap(&mut self, from: Checkpoint, kind: SyntaxKind) {
        self.builder.start_node_at(from, rowan::SyntaxKind(kind as u16));
    }

    /// A node around what `inner` reads.
    fn node(&mut self, kind: SyntaxKind, inner: impl FnOnce(&mut Self)) {
        if self.lost {
            return;
        }
        self.open(kind);
        inner(self);
        self.close();
    }

    // Taking tokens.

    fn eat_word(&mut self, word: &str) -> bool {
        let found = self.at_word(word);
        if found {
            self.bump();
        }
        found
    }

    fn eat_symbol(&mut self, symbol: &str) -> bool {
        let found = self.at_symbol(symbol);
        if found {
            self.bump();
        }
        found
    }

    fn expect_word(&mut self, word: &str) {
        if !self.eat_word(word) {
            self.expected(&format!("'{word}'"));
        }
    }

    fn expect_symbol(&mut self, symbol: &str) {
        if !self.eat_symbol(symbol) {
            self.expected(&format!("'{symbol}'"));
        }
    }

    fn expect_text(&mut self, what: &str) {
        if self.at_kind(SyntaxKind::Text) {
            self.bump();
        } else if let Some((SyntaxKind::Word | SyntaxKind::QuotedName, found)) = self.peek(0) {
            let diagnostic = messages::expected_text(self.here(), what, found);
            self.mistake(diagnostic);
        } else {
            self.expected(what);
        }
    }

    /// A list of things with commas between.
    fn commas(&mut self, mut item: impl FnMut(&mut Self)) {
        item(self);
        while self.eat_symbol(",") {
            item(self);
        }
    }

    fn report(&mut self, diagnostic: Diagnostic) {
        if !self.lost {
            self.diagnostics.push(diagnostic);
        }
    }

    /// A mistake behind which reading is lost.
    fn mistake(&mut self, diagnostic: Diagnostic) {
        self.report(diagnostic);
        self.lost = true;
    }

    fn expected(&mut self, wanted: &str) {
        let stray = self.at_kind(SyntaxKind::Stray);
        if !stray {
            let diagnostic = messages::expected(self.here(), wanted, &self.found(), self.form);
            self.report(diagnostic);
        }
        self.lost = true;
    }

    /// Puts all tokens up to `stop` into an error node. What is skipped lies under a message: that of the mistake before it, or
    /// else the one that `why` gives. There is no other way to leave tokens out.
    fn skip_until(&mut self, stop: impl Fn(&Self) -> bool, why: impl FnOnce(&Self) -> Diagnostic) {
        if self.at_end() || self.seeing(&stop) {
            return;
        }
        if !self.lost {
            if !self.at_kind(SyntaxKind::Stray) {
                let diagnostic = why(self);
                self.report(diagnostic);
            }
            self.lost = true;
        }
        self.open(SyntaxKind::Error);
        while !self.at_end() && !self.seeing(&stop) {
            self.bump();
        }
        self.close();
    }

    // Names.

    /// One name: a word that is not reserved, or any text in double quotes.
    fn name(&mut self, what: &str) {
        match self.peek(0) {
            // Where a clause starts, something is missing; elsewhere the word was meant as a name.
            Some((SyntaxKind::Word, word)) if self.at_clause_start() => {
                let diagnostic = messages::clause_for_name(self.here(), what, word);
                self.mistake(diagnostic);
            }
            Some((SyntaxKind::Word, word)) if crate::is_reserved(word) => {
                let diagnostic = messages::reserved(self.here(), word);
                self.report(diagnostic);
                self.node(SyntaxKind::Name, Self::bump);
            }
            Some((SyntaxKind::Word | SyntaxKind::QuotedName, _)) => self.node(SyntaxKind::Name, Self::bump),
            _ => self.expected(what),
        }
    }

    /// `name` or `qualifier.name`; after the dot any word is a name.
    fn name_ref(&mut self, what: &str) {
        if self.lost {
            return;
        }
        self.open(SyntaxKind::NameRef);
        self.name(what);
        if self.eat_symbol(".") {
            match self.peek(0) {
                Some((SyntaxKind::Word | SyntaxKind::QuotedName, _)) => {
                    self.node(SyntaxKind::Name, Self::bump);
                }
                _ => self.expected("a name after the dot"),
            }
        }
        self.close();
    }
}
