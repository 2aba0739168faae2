//! Types.

use vembra_plan::Type;
use vembra_syntax::{Code, Diagnostic, Span};

pub(crate) fn unlike(span: Span, a: Type, b: Type) -> Diagnostic {
    let message = Diagnostic::new(
        Code::V301,
        format!("{} and {} cannot be put together", a.with_article(), b.with_article()),
    )
    .at(span, "");
    match (a, b) {
        (Type::Text, other) | (other, Type::Text) if other.is_number() => {
            message.help("put a code in quotes ('1024'), or turn the text into a number: cast(… as integer)")
        }
        (Type::Date, Type::Moment) | (Type::Moment, Type::Date) => {
            message.help("take the day of the moment: cast(… as date)")
        }
        _ => message.help(format!("turn one of them into the other's type: cast(… as {a})")),
    }
}

pub(crate) fn unquoted_date(span: Span, text: &str) -> Diagnostic {
    Diagnostic::new(Code::V301, format!("{text} without quotes is a calculation with numbers"))
        .at(span, "")
        .fix("a day stands in quotes", span, format!("'{text}'"))
}

pub(crate) fn unquoted_month(span: Span, text: &str) -> Diagnostic {
    Diagnostic::new(Code::V301, format!("{text} without quotes is a calculation with numbers"))
        .at(span, "")
        .fix("a month stands in quotes", span, format!("'{text}'"))
}

pub(crate) fn labels_not_negated(span: Span, text: &str, labels: &[vembra_plan::Scalar]) -> Diagnostic {
    let listed: Vec<String> = labels.iter().map(vembra_plan::Scalar::literal).collect();
    let last = listed.last().cloned().unwrap_or_default();
    Diagnostic::new(Code::V302, format!("{text} is a text with these values: {}", listed.join(", ")))
        .at(span, "not goes before a condition")
        .help(format!("say which is meant: {text} = {last}"))
}

pub(crate) fn wrong_argument(span: Span, wanted: &str, found: Type, column: Option<&str>) -> Diagnostic {
    let message =
        Diagnostic::new(Code::V302, format!("expected {wanted} here, found {}", found.with_article()))
            .at(span, "");
    match found {
        Type::Text if wanted.contains("number") => {
            let column = column.unwrap_or("TABLE.COLUMN");
            message.help(format!(
                "if it holds numbers, fix its type to see which do not fit: column {column}: decimal"
            ))
        }
        _ => message.help(format!("use a value that is {wanted}, or cast(… as …)")),
    }
}

pub(crate) fn wrong_count(span: Span, name: &str, least: usize, most: usize) -> Diagnostic {
    let count = match (least, most) {
        (least, most) if least == most => format!("{least}"),
        (least, usize::MAX) => format!("at least {least}"),
        (least, most) => format!("{least} to {most}"),
    };
    let s = if count == "1" { "" } else { "s" };
    Diagnostic::new(Code::V303, format!("{name} takes {count} value{s}"))
        .at(span, "")
        .help("see docs/reference.md for what each function takes")
}

pub(crate) fn unreadable_literal(span: Span, text: &str, ty: Type) -> Diagnostic {
    let message =
        Diagnostic::new(Code::V304, format!("'{text}' cannot be read as {}", ty.with_article())).at(span, "");
    match ty {
        Type::Date => {
            message.help("write a day as '2025-03-31'; for a month compare calendar.month = '2025-03'")
        }
        Type::Time => message.help("write a time as '15:30'"),
        Type::Moment => {
            message.help("write a moment as '2025-03-31 15:30'; for whole days compare cast(… as date)")
        }
        Type::Period(p) => message.help(format!("write it as {}", p.example())),
        _ => message.help("check the text"),
    }
}

pub(crate) fn too_many_decimals(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V305, "this product would need more than 30 decimals")
        .at(span, "")
        .help("round a factor, or turn it into a float: cast(… as float)")
}

pub(crate) fn number_too_large(span: Span, text: &str) -> Diagnostic {
    Diagnostic::new(Code::V306, format!("{text} is too large for a number of 64 bits"))
        .at(span, "")
        .help("write it with a decimal point, or as 1e20")
}
