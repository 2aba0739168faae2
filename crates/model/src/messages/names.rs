//! Names.

use super::{listed, near_or};
use vembra_syntax::{Code, Diagnostic, Span, quote_after_dot, quote_name};

pub(crate) fn unknown_name(
    span: Span,
    name: &str,
    near: Option<&str>,
    table: bool,
    role: bool,
) -> Diagnostic {
    let message = Diagnostic::new(Code::V201, format!("nothing is called {name}")).at(span, "");
    if table {
        return Diagnostic::new(Code::V201, format!("{name} is a table; here a value is wanted"))
            .at(span, "")
            .help(format!("name one of its columns, {name}.…, or count(rows of {name})"));
    }
    if role {
        return Diagnostic::new(Code::V201, format!("{name} is a role; here a value is wanted"))
            .at(span, "")
            .help(format!("it stands before a dot ({name}.month) or after via"));
    }
    let otherwise =
        "vembra describe MODEL lists all measures and columns; a text stands in single quotes".to_owned();
    near_or(message, span, near.map(quote_name), otherwise)
}

pub(crate) fn alias_as_name(span: Span, alias: &str, formula: &str, is_figure: bool) -> Diagnostic {
    let further = if is_figure {
        format!(", or make it a measure of the model: measure {alias} = {formula}")
    } else {
        String::new()
    };
    let message = format!("{alias} is what this query calls {formula}; only sort takes such a name");
    Diagnostic::new(Code::V201, message).at(span, "").help(format!("write ({formula}) here too{further}"))
}

pub(crate) fn double_quotes(span: Span, text: &str) -> Diagnostic {
    let literal = vembra_plan::Scalar::text(text).literal();
    Diagnostic::new(Code::V201, format!("nothing is called {text}"))
        .at(span, "double quotes are for names")
        .fix(format!("a text stands in single quotes: {literal}"), span, literal)
}

/// The same where a name is nearly the one in double quotes: which of both was meant is for the reader to say.
pub(crate) fn or_single_quotes(diagnostic: Diagnostic, text: &str) -> Diagnostic {
    diagnostic.help(format!(
        "if a text is meant, it stands in single quotes: {}",
        vembra_plan::Scalar::text(text).literal()
    ))
}

pub(crate) fn unknown_qualifier(
    span: Span,
    name: &str,
    rest: &str,
    near: Option<&str>,
    known: &[&str],
) -> Diagnostic {
    let message = Diagnostic::new(Code::V202, format!("no table or role is called {name}")).at(span, "");
    near_or(
        message,
        span,
        near.map(|n| format!("{}.{}", quote_name(n), quote_after_dot(rest))),
        format!("there are: {}", listed(known)),
    )
}

pub(crate) fn unknown_column(
    span: Span,
    table: &str,
    name: &str,
    near: Option<&str>,
    known: &[&str],
) -> Diagnostic {
    let message = Diagnostic::new(Code::V203, format!("{table} has no column {name}")).at(span, "");
    near_or(
        message,
        span,
        near.map(|n| format!("{}.{}", quote_name(table), quote_after_dot(n))),
        format!("it has: {}", listed(known)),
    )
}

pub(crate) fn ambiguous(span: Span, name: &str, meanings: &[String]) -> Diagnostic {
    let first = meanings.first().map_or("", String::as_str);
    Diagnostic::new(Code::V204, format!("{name} could be {}", meanings.join(" or ")))
        .at(span, "")
        .help(format!("say which, for example {first}"))
}

pub(crate) fn unknown_function(span: Span, name: &str, near: Option<&str>) -> Diagnostic {
    let message = Diagnostic::new(Code::V205, format!("there is no function {name}")).at(span, "");
    let otherwise =
        "aggregates are sum, avg, min, max, count, median and others; see docs/reference.md".to_owned();
    near_or(message, span, near.map(str::to_owned), otherwise)
}
