//! From text to tokens. Every byte goes into exactly one token.

use crate::kind::SyntaxKind;

/// One token: its kind and its range of bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Token {
    pub(crate) kind: SyntaxKind,
    pub(crate) start: usize,
    pub(crate) end: usize,
    /// Whether a quoted token ends with its quote.
    pub(crate) closed: bool,
}

/// Words that end an expression or have a place of their own in one. As names they stand in double quotes.
const RESERVED: [&str; 40] = [
    "and",
    "as",
    "ascending",
    "between",
    "by",
    "case",
    "columns",
    "descending",
    "during",
    "else",
    "end",
    "false",
    "figures",
    "from",
    "given",
    "having",
    "in",
    "is",
    "keep",
    "like",
    "limit",
    "list",
    "not",
    "null",
    "or",
    "overall",
    "per",
    "pooling",
    "regardless",
    "rows",
    "show",
    "sort",
    "then",
    "top",
    "totals",
    "true",
    "via",
    "when",
    "where",
    "with",
];

/// Whether a word may stand as a name only in double quotes (after a dot any word may).
pub fn is_reserved(word: &str) -> bool {
    RESERVED.iter().any(|r| r.eq_ignore_ascii_case(word))
}

/// A name behind a dot as the language writes it: there any word is one.
pub fn quote_after_dot(name: &str) -> String {
    if is_reserved(name) { name.to_owned() } else { quote_name(name) }
}

/// A name as the language writes it: in double quotes where it has to be.
pub fn quote_name(name: &str) -> String {
    let mut chars = name.chars();
    let plain = chars.next().is_some_and(is_word_start) && chars.all(is_word_part);
    if plain && !is_reserved(name) {
        return name.to_owned();
    }
    let mut quoted = String::from("\"");
    for c in name.chars() {
        match c {
            '"' => quoted.push_str("\"\""),
            '\\' => quoted.push_str("\\\\"),
            '\n' => quoted.push_str("\\n"),
            '\r' => quoted.push_str("\\r"),
            '\t' => quoted.push_str("\\t"),
            c => quoted.push(c),
        }
    }
    quoted + "\""
}

fn is_word_start(c: char) -> bool {
    c.is_alphabetic() || c == '_'
}

fn is_word_part(c: char) -> bool {
    c.is_alphanumeric() || c == '_'
}

pub(crate) fn lex(text: &str) -> Vec<Token> {
    let mut tokens = Vec::new();
    let mut start = 0;
    while let Some(first) = text[start..].chars().next() {
        let (kind, length, closed) = token(&text[start..], first);
        tokens.push(Token { kind, start, end: start + length, closed });
        start += length;
    }
    tokens
}

/// The kind and length of the token at the start of `rest`, and whether its quote is closed.
fn token(rest: &str, first: char) -> (SyntaxKind, usize, bool) {
    let run = |belongs: &dyn Fn(char) -> bool| rest.find(|c| !belongs(c)).unwrap_or(rest.len());
    match first {
        c if c.is_whitespace() || c == '\u{feff}' => {
            (SyntaxKind::Whitespace, run(&|c| c.is_whitespace() || c == '\u{feff}'), true)
        }
        '-' if rest.starts_with("--") => (SyntaxKind::Comment, run(&|c| c != '\n'), true),
        '\'' => quoted(rest, '\'', SyntaxKind::Text),
        '"' => quoted(rest, '"', SyntaxKind::QuotedName),
        '0'..='9' => (SyntaxKind::Number, number(rest), true),
        ':' if rest[1..].starts_with(is_word_start) => {
            let length = rest[1..].find(|c| !is_word_part(c)).unwrap_or(rest.len() - 1);
            (SyntaxKind::Parameter, length + 1, true)
        }
        c if is_word_start(c) => (SyntaxKind::Word, run(&is_word_part), true),
        _ => {
            let two = ["<>", "<=", ">=", "!=", "||"].iter().any(|s| rest.starts_with(s));
            if two {
                (SyntaxKind::Symbol, 2, true)
            } else if "()+-*/=<>,.:".contains(first) {
                (SyntaxKind::Symbol, 1, true)
            } else {
                (SyntaxKind::Stray, first.len_utf8(), true)
            }
        }
    }
}

/// A quote doubled inside stands for itself. One that is never closed ends with its line.
fn quoted(rest: &str, quote: char, kind: SyntaxKind) -> (SyntaxKind, usize, bool) {
    let mut chars = rest.char_indices().skip(1).peekable();
    while let Some((at, c)) = chars.next() {
        if c == quote {
            if chars.peek().is_some_and(|(_, next)| *next == quote) {
                chars.next();
            } else {
                return (kind, at + 1, true);
            }
        } else if c == '\n' {
            return (kind, at, false);
        }
    }
    (kind, rest.len(), false)
}

/// Digits, with a point between digits and an exponent.
fn number(rest: &str) -> usize {
    let digits =
        |from: usize| rest[from..].find(|c: char| !c.is_ascii_digit()).map_or(rest.len(), |n| from + n);
    let mut end = digits(0);
    if rest[end..].starts_with('.') && rest[end + 1..].starts_with(|c: char| c.is_ascii_digit()) {
        end = digits(end + 1);
    }
    if rest[end..].starts_with(['e', 'E']) {
        let sign = usize::from(rest[end + 1..].starts_with(['+', '-']));
        if rest[end + 1 + sign..].starts_with(|c: char| c.is_ascii_digit()) {
            end = digits(end + 1 + sign);
        }
    }
    // Letters that follow directly belong to the same mistake.
    rest[end..].find(|c| !is_word_part(c)).map_or(rest.len(), |n| end + n)
}
