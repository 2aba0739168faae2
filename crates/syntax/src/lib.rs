//! Source text, diagnostics as data, lexer, parser and the lossless tree.
//!
//! Terms:
//! - a **source** is one text with a name; a **span** ([`Span`]) is a range of bytes in one;
//! - the **tree** holds every byte of the text, also of broken text: printing it gives the text back;
//! - a **view** ([`ast`]) reads a node as what it means and answers `None` for what is missing. Views never panic.
//!
//! Invariants: parsing never fails and never panics; the tree prints its text; every token is part of what a view
//! reads, or lies under a diagnostic (`coverage`, asserted in debug builds).

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

pub mod ast;
mod code;
mod coverage;
mod diagnostic;
mod format;
mod kind;
mod lexer;
mod messages;
mod nearest;
mod parser;
mod source;
mod tree;

pub use code::Code;
pub use diagnostic::{Diagnostic, Fix, Help, Label, Severity};
pub use format::format_model;
pub use kind::{SyntaxKind, SyntaxNode, SyntaxToken, Vembra};
pub use lexer::{is_reserved, quote_after_dot, quote_name};
pub use nearest::nearest;
pub use parser::{DECLARATIONS, DRAWING_WORDS, FORMS, parse_given, parse_model, parse_query};
pub use source::{SourceId, Sources, Span, one_line};
pub use tree::KeptNode;

/// A parsed text: its tree, and what could not be read.
#[derive(Clone, Debug)]
pub struct Parsed {
    /// The root of the tree.
    pub root: SyntaxNode,
    /// What is wrong, in the order of the text.
    pub diagnostics: Vec<Diagnostic>,
}
