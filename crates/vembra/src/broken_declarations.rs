//! Reports, dashboards and assertions that are wrong: they are left out, and the rest of the model answers.

use crate::error::Error;
use crate::session::{Session, Wrong};
use vembra_model::{Declarations, Leaf, Model};
use vembra_syntax::{Code, Diagnostic, Severity, Sources, Span};

fn is_within(span: Span, whole: Span) -> bool {
    span.source == whole.source && span.start >= whole.start && span.end <= whole.end
}

/// The leaf that an error lies in.
fn leaf_of<'l>(leaves: &'l [Leaf], diagnostic: &Diagnostic) -> Option<&'l Leaf> {
    let span = diagnostic.labels.first()?.span;
    let leaf = leaves.iter().find(|leaf| is_within(span, leaf.span))?;
    // What a name means that two things have is not known anywhere.
    let is_name = leaf.name.starts_with("measure ") && NAMES.contains(&diagnostic.code);
    (!is_name).then_some(leaf)
}

/// The codes of messages on names that are taken.
const NAMES: [Code; 2] = [Code::V206, Code::V207];

/// Whether errors lie elsewhere than in what nothing else needs.
pub(crate) fn are_deep(leaves: &[Leaf], diagnostics: &[Diagnostic]) -> bool {
    let mut errors = diagnostics.iter().filter(|d| d.severity == Severity::Error);
    errors.any(|error| leaf_of(leaves, error).is_none())
}

/// What is wrong and can be left out; such assertions are taken out of the model.
pub(crate) fn left_out(
    declarations: &Declarations,
    model: &mut Model,
    diagnostics: &[Diagnostic],
) -> Vec<Wrong> {
    let leaves = declarations.leaves();
    let errors: Vec<&Diagnostic> = diagnostics.iter().filter(|d| d.severity == Severity::Error).collect();
    let of = |leaf: &Leaf| -> Vec<Diagnostic> {
        let own = errors.iter().filter(|e| leaf_of(&leaves, e).is_some_and(|l| l.span == leaf.span));
        own.map(|error| (*error).clone()).collect()
    };
    let mut wrong = Vec::new();
    for leaf in &leaves {
        let shown = leaves.iter().filter(|other| leaf.shows.contains(&other.name));
        let diagnostics: Vec<Diagnostic> = of(leaf).into_iter().chain(shown.flat_map(of)).collect();
        if !diagnostics.is_empty() {
            model.assertions.retain(|assertion| assertion.span != leaf.span);
            wrong.push(Wrong { name: leaf.name.clone(), diagnostics });
        }
    }
    wrong
}

impl Session {
    /// Fails if a report or a dashboard of this name is wrong.
    #[cfg(feature = "draw")]
    pub(crate) fn is_whole(&self, name: &str) -> Result<(), Error> {
        let names = [format!("report {name}"), format!("dashboard {name}")];
        match self.wrong.iter().find(|wrong| names.contains(&wrong.name)) {
            Some(wrong) => Err(Error::text(self.model.sources.clone(), wrong.diagnostics.clone())),
            None => Ok(()),
        }
    }

    /// Why a query has no plan. Where it needs a wrong measure, what is wrong with that comes first, and last what was found in the data, which
    /// may be the cause.
    pub(crate) fn refused(&self, sources: &Sources, diagnostics: Vec<Diagnostic>) -> Error {
        let names = |wrong: &&Wrong| {
            let named = |subject: &String| wrong.name == format!("measure {subject}");
            diagnostics.iter().any(|d| d.code == Code::V236 && d.subjects.iter().any(named))
        };
        let causes: Vec<Diagnostic> =
            self.wrong.iter().filter(names).flat_map(|wrong| wrong.diagnostics.clone()).collect();
        if causes.is_empty() {
            return Error::text(sources.clone(), diagnostics);
        }
        let others = diagnostics.into_iter().filter(|d| d.code != Code::V418);
        let all = causes.into_iter().chain(others).collect();
        Error::text(sources.clone(), all).with_findings(self.findings.to_vec())
    }

    /// A note on what is wrong in the model, and was left out.
    pub(crate) fn wrong_note(&self) -> Option<Diagnostic> {
        let names: Vec<&str> = self.wrong.iter().map(|wrong| wrong.name.as_str()).collect();
        let message = match names.as_slice() {
            [] => return None,
            [one] => format!("the {one} of the model is wrong, and was left out"),
            [first, rest @ ..] => {
                format!("the {first} of the model and {} more are wrong, and were left out", rest.len())
            }
        };
        Some(Diagnostic::new(Code::V418, message).help("what is wrong is told by `Session::diagnostics`"))
    }
}
