//! What went wrong, as data and as text.

use std::fmt;
use vembra_plan::Finding;
use vembra_syntax::{Diagnostic, Severity, Sources};

/// Whose fault it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FailureKind {
    /// The text of the model or of the query is wrong.
    Text,
    /// The outside failed: a file is missing or holds what it must not.
    Outside,
}

/// Why there is no session or no answer. Displays all of it, as the command line does without colours.
#[derive(Clone, Debug)]
pub struct Failure {
    /// Whose fault it is.
    pub kind: FailureKind,
    /// What is wrong with texts.
    pub diagnostics: Vec<Diagnostic>,
    /// What is wrong with data.
    pub findings: Vec<Finding>,
    /// The texts that the diagnostics are about.
    pub sources: Sources,
}

impl Failure {
    pub(crate) fn text(sources: Sources, diagnostics: Vec<Diagnostic>) -> Box<Self> {
        Box::new(Self { kind: FailureKind::Text, diagnostics, findings: Vec::new(), sources })
    }

    pub(crate) fn outside(findings: Vec<Finding>) -> Box<Self> {
        let (diagnostics, sources) = (Vec::new(), Sources::default());
        Box::new(Self { kind: FailureKind::Outside, diagnostics, findings, sources })
    }

    /// The same for somebody who may not see all rows: what is wrong with data is not told, since it may quote hidden ones, nor what
    /// types come of them. What a text says wrongly by itself is: how it is written, and names that nothing has.
    pub(crate) fn without_data(mut self: Box<Self>) -> Box<Self> {
        let of_text = |d: &Diagnostic| {
            d.severity == Severity::Error && (d.code.starts_with("V1") || d.code.starts_with("V2"))
        };
        let only_text = self.kind == FailureKind::Text && self.findings.is_empty();
        self.diagnostics.retain(|d| only_text && of_text(d));
        if self.diagnostics.is_empty() {
            let message = "the data cannot be read as the model needs them";
            let diagnostic = Diagnostic::error("V514", message).help(
                "what is wrong is told only to those who see all rows: run vembra check without a viewer",
            );
            self.diagnostics = vec![diagnostic];
            self.findings.clear();
            self.sources = Sources::default();
        }
        self
    }

    /// The failure as data for editors and other tools: diagnostics with file, line and column, and findings.
    pub fn json(&self) -> serde_json::Value {
        serde_json::json!({
            "diagnostics": diagnostics_json(&self.sources, &self.diagnostics),
            "findings": self.findings,
        })
    }

    /// The failure as text, with colours if asked.
    pub fn render(&self, colours: bool) -> String {
        let mut text = vembra_draw::diagnostics_text(&self.sources, &self.diagnostics, colours);
        if !text.is_empty() && !self.findings.is_empty() {
            text.push('\n');
        }
        for finding in &self.findings {
            text.push_str(&vembra_draw::tame_lines(&format!("{finding}\n  help: {}\n", finding.help)));
        }
        text
    }
}

/// Diagnostics as data: each place as file, line and column from 1, and as a range of bytes.
pub fn diagnostics_json(sources: &Sources, diagnostics: &[Diagnostic]) -> serde_json::Value {
    let place = |place: vembra_syntax::Place| {
        let (line, column) = sources.line_column(place);
        serde_json::json!({
            "file": sources.name(place.source),
            "line": line,
            "column": column,
            "start": place.start,
            "end": place.end,
        })
    };
    let each = diagnostics.iter().map(|d| {
        let labels = d.labels.iter().map(|l| serde_json::json!({ "place": place(l.place), "text": l.text }));
        let help = d.help.iter().map(|h| {
            let fix = h.fix.as_ref().map(|f| serde_json::json!({ "place": place(f.place), "text": f.text }));
            serde_json::json!({ "text": h.text, "fix": fix })
        });
        serde_json::json!({
            "code": d.code,
            "severity": d.severity,
            "message": d.message,
            "labels": labels.collect::<Vec<_>>(),
            "help": help.collect::<Vec<_>>(),
        })
    });
    each.collect()
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.render(false).trim_end())
    }
}

impl std::error::Error for Failure {}

/// Why an answer could not be written in a format.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutputError(pub(crate) String);

impl fmt::Display for OutputError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the answer cannot be written: {}", self.0)
    }
}

impl std::error::Error for OutputError {}
