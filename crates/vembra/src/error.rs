//! What went wrong, as data and as text.

use crate::privacy::{plain_finding, plain_sources};
use std::error::Error as StdError;
use std::fmt;
use std::sync::Arc;
use vembra_plan::Finding;
use vembra_syntax::{Code, Diagnostic, Severity, Sources};

/// Whose fault it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum ErrorKind {
    /// The text of the model or of the query is wrong.
    Text,
    /// The outside failed: a file is missing or holds what it must not, or a value cannot be worked out from it.
    Outside,
    /// It was stopped by who asked.
    Stopped,
}

/// Why there is no session or no answer. As large as a pointer; displays all of it, as the command line does without colours.
///
/// # Examples
/// ```
/// use vembra::{ErrorKind, Session};
/// let session = Session::builder()
///     .model_text("m.vembra", "fact sale from 'sale'\nmeasure total = sum(amount)\n")
///     .csv_text("sale", "amount\n1\n")
///     .open()?;
/// let error = session.ask("show totel").unwrap_err();
/// assert_eq!(error.kind(), ErrorKind::Text);
/// assert_eq!(error.diagnostics()[0].code, "V201");
/// assert!(error.to_string().contains("did you mean total?"));
/// # Ok::<(), vembra::Error>(())
/// ```
#[derive(Clone)]
pub struct Error(Box<Parts>);

#[derive(Clone)]
struct Parts {
    kind: ErrorKind,
    diagnostics: Vec<Diagnostic>,
    findings: Vec<Finding>,
    sources: Sources,
    source: Option<Arc<dyn StdError + Send + Sync>>,
}

impl Error {
    pub(crate) fn text(sources: Sources, diagnostics: Vec<Diagnostic>) -> Self {
        Self::new(ErrorKind::Text, diagnostics, Vec::new(), sources)
    }

    pub(crate) fn outside(findings: Vec<Finding>) -> Self {
        Self::new(ErrorKind::Outside, Vec::new(), findings, Sources::default())
    }

    fn new(kind: ErrorKind, diagnostics: Vec<Diagnostic>, findings: Vec<Finding>, sources: Sources) -> Self {
        Self(Box::new(Parts { kind, diagnostics, findings, sources, source: None }))
    }

    /// The same of another kind, with what lies under it.
    pub(crate) fn caused(mut self, kind: ErrorKind, source: impl StdError + Send + Sync + 'static) -> Self {
        self.0.kind = kind;
        self.0.source = Some(Arc::new(source));
        self
    }

    /// The same with what was found in the data, which may be the cause.
    pub(crate) fn with_findings(mut self, findings: Vec<Finding>) -> Self {
        self.0.findings = findings;
        self
    }

    /// Whose fault it is.
    pub fn kind(&self) -> ErrorKind {
        self.0.kind
    }

    /// What is wrong with texts.
    pub fn diagnostics(&self) -> &[Diagnostic] {
        &self.0.diagnostics
    }

    /// What is wrong with data.
    pub fn findings(&self) -> &[Finding] {
        &self.0.findings
    }

    /// The texts that the diagnostics are about.
    pub fn sources(&self) -> &Sources {
        &self.0.sources
    }

    /// The same for somebody who may not see all rows: what is wrong with data is not reported, since it may quote hidden ones, nor what
    /// types come of them. What a text says wrongly by itself is: how it is written, and names that nothing has.
    pub(crate) fn without_data(mut self) -> Self {
        let of_text = |d: &Diagnostic| d.severity == Severity::Error && d.code.is_of_text();
        let only_text = self.0.kind == ErrorKind::Text && self.0.findings.is_empty();
        self.0.diagnostics.retain(|d| only_text && of_text(d));
        if self.0.diagnostics.is_empty() {
            let message = "the data cannot be read as the model needs them";
            let diagnostic = Diagnostic::new(Code::V514, message).help(
                "what is wrong is told only to those who see all rows: run vembra check without a viewer",
            );
            self.0.diagnostics = vec![diagnostic];
            self.0.findings.clear();
            self.0.sources = Sources::default();
        }
        self
    }

    /// The same for somebody who learns nothing of the machine: no file has a folder.
    pub(crate) fn without_folders(mut self) -> Self {
        self.0.sources = plain_sources(&self.0.sources);
        self.0.findings = self.0.findings.iter().map(plain_finding).collect();
        self
    }

    /// The error as data for editors and other tools: diagnostics with file, line and column, and findings.
    pub fn json(&self) -> serde_json::Value {
        serde_json::json!({
            "diagnostics": diagnostics_json(&self.0.sources, &self.0.diagnostics),
            "findings": self.0.findings,
        })
    }

    /// The error as text, with colours if asked.
    pub fn render(&self, colours: bool) -> String {
        let mut text = vembra_draw::diagnostics_text(&self.0.sources, &self.0.diagnostics, colours);
        if !text.is_empty() && !self.0.findings.is_empty() {
            text.push('\n');
        }
        for finding in &self.0.findings {
            text.push_str(&vembra_draw::tame_lines(&format!("{finding}\n  help: {}\n", finding.help)));
        }
        text
    }
}

/// Diagnostics as data: each place as file, line and column from 1, and as a range of bytes.
pub fn diagnostics_json(sources: &Sources, diagnostics: &[Diagnostic]) -> serde_json::Value {
    let span = |span: vembra_syntax::Span| {
        let (line, column) = sources.line_column(span);
        serde_json::json!({
            "file": sources.name(span.source),
            "line": line,
            "column": column,
            "start": span.start,
            "end": span.end,
        })
    };
    let each = diagnostics.iter().map(|d| {
        let labels = d.labels.iter().map(|l| serde_json::json!({ "place": span(l.span), "text": l.text }));
        let help = d.help.iter().map(|h| {
            let fix = h.fix.as_ref().map(|f| serde_json::json!({ "place": span(f.span), "text": f.text }));
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

impl fmt::Debug for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Parts { kind, diagnostics, findings, source, .. } = &*self.0;
        let mut parts = f.debug_struct("Error");
        parts.field("kind", kind).field("diagnostics", diagnostics).field("findings", findings);
        parts.field("source", source).finish_non_exhaustive()
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.render(false).trim_end())
    }
}

impl StdError for Error {
    fn source(&self) -> Option<&(dyn StdError + 'static)> {
        self.0.source.as_deref().map(|source| source as &(dyn StdError + 'static))
    }
}

/// Why an answer could not be written in a format.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutputError(pub(crate) String);

impl fmt::Display for OutputError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the answer cannot be written: {}", self.0)
    }
}

impl StdError for OutputError {}
