//! Measures of measures: a formula that is applied to others, such as `measure to_date(m) = m during year to date`.

use vembra_plan::Type;
use vembra_syntax::{KeptNode, SourceId, Span};

/// A measure with arguments: a treatment that is written once and applied to any figure.
#[derive(Clone, Debug)]
pub struct Treatment {
    /// The name.
    pub name: String,
    /// What it is applied to.
    pub arguments: Vec<TreatmentArgument>,
    /// The formula as it is written.
    pub text: String,
    /// The heading; `{m}` stands for that of an argument.
    pub label: Option<String>,
    /// The CLDR pattern; that of the first figure unless it has one.
    pub format: Option<String>,
    /// The description.
    pub about: Option<String>,
    /// Where it is declared.
    pub span: Span,
    pub(crate) source: SourceId,
    pub(crate) formula: KeptNode,
}

impl Treatment {
    /// How it is written: `growth_of(m)`.
    pub fn signature(&self) -> String {
        let arguments: Vec<String> = self.arguments.iter().map(TreatmentArgument::written).collect();
        format!("{}({})", self.name, arguments.join(", "))
    }
}

/// An argument of a treatment.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TreatmentArgument {
    /// The name.
    pub name: String,
    /// What it stands for.
    pub kind: ArgumentKind,
}

impl TreatmentArgument {
    /// How it is written: `m`, `a: attribute`.
    pub fn written(&self) -> String {
        match self.kind {
            ArgumentKind::Figure => self.name.clone(),
            ArgumentKind::Attribute => format!("{}: attribute", self.name),
            ArgumentKind::Role => format!("{}: role", self.name),
            ArgumentKind::Constant(ty) => format!("{}: {ty}", self.name),
        }
    }
}

/// What an argument stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ArgumentKind {
    /// A figure.
    Figure,
    /// An attribute.
    Attribute,
    /// A role.
    Role,
    /// A value that is written out, or a parameter.
    Constant(Type),
}

impl ArgumentKind {
    /// In words, with an article.
    pub fn in_words(self) -> String {
        match self {
            Self::Figure => "a figure".to_owned(),
            Self::Attribute => "an attribute".to_owned(),
            Self::Role => "a role".to_owned(),
            Self::Constant(ty) => ty.with_article(),
        }
    }
}
