//! What an editor or a prompt asks of a model: what may stand at a place, which argument comes next, what a name means, where it is
//! declared and used, and how it is renamed.
//!
//! Terms:
//! - a **place** is a number of bytes from the start of a text;
//! - a **target** ([`Target`]) is what a name means, whatever it is called;
//! - a **probe** puts a word at a place and lets the parser say whether it may stand there: the grammar is written down once.
//!
//! Invariants: everything works on broken text; nothing here reads files.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod colour;
mod complete;
mod context;
mod describe;
mod drill;
mod functions;
mod hint;
mod outline;
mod phrases;
mod probe;
mod refine;
mod target;
mod uses;

pub use colour::{Look, coloured, goes_on, looks};
pub use complete::{Completion, CompletionKind, Completions, complete};
pub use describe::{about_word, describe};
pub use drill::drill;
pub use functions::{SIGNATURES, Signature};
pub use hint::{Hint, hint};
pub use outline::{Symbol, SymbolKind, includes, outline};
pub use phrases::{PHRASES, Phrase};
pub use probe::TextKind;
pub use refine::with_clause;
pub use target::{Target, target_at};
pub use uses::{Use, rename, unresolved, uses};

use vembra_model::Model;
use vembra_plan::{ColumnId, Scalar};

/// A model and its data, as far as they are known.
#[derive(Clone, Copy)]
pub struct Known<'a> {
    /// The model.
    pub model: &'a Model,
    /// The different values of a column, in order, without null.
    pub members: &'a dyn Fn(ColumnId) -> Vec<Scalar>,
}
