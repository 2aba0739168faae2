//! What is wrong with a text, as data; renderers stand apart.

use crate::code::Code;
use crate::source::Span;
use serde::{Deserialize, Serialize};
use std::fmt;

/// How much a diagnostic about a text, or a finding about data, matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Good to know; nothing is wrong.
    Note,
    /// The answer is right but may not be what was meant.
    Warning,
    /// Nothing can be answered until it is fixed.
    Error,
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        })
    }
}

/// One thing that is wrong, or worth knowing.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Diagnostic {
    /// Its code, which does not change.
    pub code: Code,
    /// How much it matters.
    pub severity: Severity,
    /// What is wrong, in one sentence.
    pub message: String,
    /// Names and values that the message is about, for those who go on from them; mostly none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub subjects: Vec<String>,
    /// Where; the first label is the span at fault.
    pub labels: Vec<Label>,
    /// What to write instead.
    pub help: Vec<Help>,
}

/// A span with a remark.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Label {
    /// Where.
    pub span: Span,
    /// The remark; may be empty.
    pub text: String,
}

/// A way out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Help {
    /// In words, with what to write in them.
    pub text: String,
    /// The change that does it, if it is a plain one.
    pub fix: Option<Fix>,
}

/// A change of the text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fix {
    /// What is replaced.
    pub span: Span,
    /// By what.
    pub text: String,
}

impl Fix {
    /// What is replaced, in bytes of the text.
    pub fn range(&self) -> std::ops::Range<usize> {
        self.span.start..self.span.end
    }
}

impl Diagnostic {
    /// A message of a code, as severe as the code says.
    pub fn new(code: Code, message: impl Into<String>) -> Self {
        Self {
            code,
            severity: code.severity(),
            message: message.into(),
            subjects: Vec::new(),
            labels: Vec::new(),
            help: Vec::new(),
        }
    }

    /// Adds a name or a value that the message is about.
    pub fn about(mut self, subject: impl Into<String>) -> Self {
        self.subjects.push(subject.into());
        self
    }

    /// Adds a span with a remark. The first one is the span at fault.
    pub fn at(mut self, span: Span, text: impl Into<String>) -> Self {
        self.labels.push(Label { span, text: text.into() });
        self
    }

    /// Adds a way out in words.
    pub fn help(mut self, text: impl Into<String>) -> Self {
        self.help.push(Help { text: text.into(), fix: None });
        self
    }

    /// Adds a way out that can be applied.
    pub fn fix(mut self, text: impl Into<String>, span: Span, replacement: impl Into<String>) -> Self {
        self.help.push(Help { text: text.into(), fix: Some(Fix { span, text: replacement.into() }) });
        self
    }
}
