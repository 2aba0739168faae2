//! Measures with arguments.

use super::{listed, near_or};
use crate::treatment::{ArgumentKind, Treatment, TreatmentArgument};
use vembra_plan::Type;
use vembra_syntax::{Code, Diagnostic, Span};

/// Something that may stand as an argument.
fn plausible(argument: &TreatmentArgument) -> String {
    let text = match argument.kind {
        ArgumentKind::Figure => "revenue",
        ArgumentKind::Attribute => "calendar.year",
        ArgumentKind::Role => "shipped",
        ArgumentKind::Constant(Type::Integer | Type::Decimal(_) | Type::Float) => "3",
        ArgumentKind::Constant(Type::Date) => "'2025-03-31'",
        ArgumentKind::Constant(Type::Boolean) => "true",
        ArgumentKind::Constant(_) => "'…'",
    };
    text.to_owned()
}

/// How a treatment is applied, with a plausible argument in each place.
fn example(treatment: &Treatment) -> String {
    let arguments: Vec<String> = treatment.arguments.iter().map(plausible).collect();
    format!("{}({})", treatment.name, arguments.join(", "))
}

pub(crate) fn wrong_arguments(span: Span, treatment: &Treatment, found: usize) -> Diagnostic {
    let wanted = treatment.arguments.len();
    let more = if wanted == 1 { "" } else { "s" };
    let message = format!("{} takes {wanted} argument{more}, and here are {found}", treatment.signature());
    Diagnostic::new(Code::V220, message).at(span, "").help(format!("write it as {}", example(treatment)))
}

pub(crate) fn wrong_kind(
    span: Span,
    found: &str,
    treatment: &Treatment,
    wanted: &TreatmentArgument,
) -> Diagnostic {
    let message =
        format!("{} of {} is {}; {found} is none", wanted.name, treatment.name, wanted.kind.in_words());
    let help = match wanted.kind {
        ArgumentKind::Constant(_) => "write the value out, or a parameter of this type".to_owned(),
        _ => format!("write it as {}", example(treatment)),
    };
    Diagnostic::new(Code::V221, message).at(span, "").help(help)
}

pub(crate) fn treatment_without_arguments(span: Span, treatment: &Treatment) -> Diagnostic {
    let message = format!("{} is applied to something, and stands here alone", treatment.signature());
    Diagnostic::new(Code::V222, message).at(span, "").help(format!("write it as {}", example(treatment)))
}

pub(crate) fn no_treatment(span: Span, name: &str, near: Option<&str>, known: &[String]) -> Diagnostic {
    let message =
        Diagnostic::new(Code::V223, format!("no measure with arguments is called {name}")).at(span, "");
    let otherwise = match known {
        [] => "declare one in the model: measure to_date(m) = m during year to date".to_owned(),
        known => format!("there are: {}", listed(known)),
    };
    near_or(message, span, near.map(vembra_syntax::quote_name), otherwise)
}

pub(crate) fn wrong_each_also(span: Span, treatment: &Treatment) -> Diagnostic {
    let message = format!(
        "behind each also {} gets a figure as its first argument, and the others are written",
        treatment.signature()
    );
    let others: Vec<String> = treatment.arguments.iter().skip(1).map(plausible).collect();
    let help = match others.as_slice() {
        [] => format!("write it alone: each also {}", treatment.name),
        others => format!("write it as each also {}({})", treatment.name, others.join(", ")),
    };
    Diagnostic::new(Code::V220, message).at(span, "").help(help)
}

pub(crate) fn role_as_value(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V221, format!("{name} stands for a role; here a value is wanted"))
        .at(span, "")
        .help(format!("it stands behind via, or before a dot: {name}.month"))
}

pub(crate) fn no_count(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V221, format!("{name} stands for no whole number that is known here"))
        .at(span, "")
        .help(format!(
            "let {name} be an argument of the type integer, and give it as a number; in a query or report a parameter will do"
        ))
}

pub(crate) fn argument_twice(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V224, format!("two arguments are called {name}"))
        .at(span, "")
        .help("give one another name")
}

pub(crate) fn unknown_argument_kind(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V224, format!("an argument is no {name}")).at(span, "").help(
        "leave it out for a figure, or write attribute, role or a type: integer, decimal, date, text, …",
    )
}

pub(crate) fn argument_unused(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V225, format!("the formula does not name its argument {name}"))
        .at(span, "")
        .help("leave it out, or name it in the formula")
}
