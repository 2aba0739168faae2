//! The wording of every message of this crate, by what it is about.

mod declarations;
mod details;
mod grain;
mod links;
mod names;
mod reports;
mod treatments;
mod types;

pub use declarations::no_such_table;
pub(crate) use declarations::*;
pub use details::unknown_viewer;
pub(crate) use details::*;
pub(crate) use grain::*;
pub(crate) use links::*;
pub(crate) use names::*;
pub(crate) use reports::*;
pub(crate) use treatments::*;
pub(crate) use types::*;

use vembra_syntax::{Diagnostic, Span};

fn listed(names: &[impl AsRef<str>]) -> String {
    let most = 12;
    let mut text = names.iter().take(most).map(AsRef::as_ref).collect::<Vec<&str>>().join(", ");
    if names.len() > most {
        text.push_str(", …");
    }
    text
}

fn near_or(diagnostic: Diagnostic, span: Span, near: Option<String>, otherwise: String) -> Diagnostic {
    match near {
        Some(near) => diagnostic.fix(format!("did you mean {near}?"), span, near),
        None => diagnostic.help(otherwise),
    }
}
