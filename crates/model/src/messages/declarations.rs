//! What a model declares: files, tables, columns.

use super::{listed, near_or};
use vembra_plan::forms::Unclear;
use vembra_plan::{LANGUAGES, Type};
use vembra_syntax::{Code, Diagnostic, Span, quote_name};

pub(crate) fn unreadable_model(file: &str, why: &str) -> Diagnostic {
    Diagnostic::new(Code::V601, format!("the model {file} cannot be read: {why}"))
        .help("check the path; a model is a text file that ends in .vembra")
}

pub(crate) fn unreadable_include(span: Span, file: &str, why: &str) -> Diagnostic {
    Diagnostic::new(Code::V602, format!("{file} cannot be included: {why}"))
        .at(span, "")
        .help("the path is taken from the folder of the file that includes it")
}

pub(crate) fn outside(span: Option<Span>, file: &str) -> Diagnostic {
    let diagnostic = Diagnostic::new(Code::V604, format!("{file} lies outside the folder of the model"))
        .help("move it into that folder, or allow such files: `SessionBuilder::allow_outside`");
    match span {
        Some(span) => diagnostic.at(span, ""),
        None => diagnostic,
    }
}

pub(crate) fn no_such_database(span: Span, name: &str, known: &[String]) -> Diagnostic {
    let near = vembra_syntax::nearest(name, known.iter().map(String::as_str));
    let otherwise = if known.is_empty() {
        format!("declare it: database {name} from env 'SHOP_URL'; a file stands in single quotes")
    } else {
        format!("there are: {}", listed(known))
    };
    let diagnostic = Diagnostic::new(Code::V219, format!("the model has no database {name}")).at(span, "");
    near_or(diagnostic, span, near.map(quote_name), otherwise)
}

pub(crate) fn kept_outside(span: Span, folder: &str) -> Diagnostic {
    Diagnostic::new(Code::V604, format!("{folder} lies outside the folder of the model"))
        .at(span, "")
        .help("name a folder below that of the model, such as cached in 'cache'; any other is told by `SessionBuilder::cache`")
}

pub(crate) fn included_twice(span: Span, file: &str) -> Diagnostic {
    Diagnostic::new(Code::V603, format!("{file} is included twice, or includes itself"))
        .at(span, "")
        .help("leave this include out: what is declared once is known everywhere")
}

pub(crate) fn declared_twice(span: Span, first: Span, what: &str) -> Diagnostic {
    Diagnostic::new(Code::V206, format!("{what} is declared twice"))
        .at(span, "a second time")
        .at(first, "the first")
        .help("remove one of them, or give it another name")
}

pub(crate) fn name_taken(span: Span, name: &str, by: &str) -> Diagnostic {
    Diagnostic::new(Code::V207, format!("the name {name} is taken by {by}"))
        .at(span, "")
        .help(format!("give it another name, such as total_{name}"))
}

pub(crate) fn unknown_table(span: Span, name: &str, near: Option<&str>, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::new(Code::V208, format!("there is no table {name}")).at(span, "");
    near_or(message, span, near.map(quote_name), format!("the tables are: {}", listed(known)))
}

pub(crate) fn unknown_role(span: Span, name: &str, near: Option<&str>, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::new(Code::V209, format!("no link has the role {name}")).at(span, "");
    let otherwise = if known.is_empty() {
        "name a link first: link TABLE.COLUMN to calendar as ROLE".to_owned()
    } else {
        format!("the roles are: {}", listed(known))
    };
    near_or(message, span, near.map(quote_name), otherwise)
}

pub(crate) fn unknown_type(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V210, format!("there is no type {name}"))
        .at(span, "")
        .help(format!("the types are: {}", Type::NAMES.join(", ")))
}

/// A table that is given from outside and that the model does not declare.
pub fn no_such_table(name: &str, known: &[&str]) -> Diagnostic {
    let message =
        Diagnostic::new(Code::V208, format!("the model has no table {name} that is read from a file"));
    match vembra_syntax::nearest(name, known.iter().copied()) {
        Some(near) => message.help(format!("did you mean {near}?")),
        None => message.help(format!("the tables are: {}", listed(known))),
    }
}

pub(crate) fn odd_separator(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V211, "fields are separated by one character")
        .at(span, "")
        .help("write for example: separated by ';', or separated by 'tab'")
}

pub(crate) fn odd_number_form(span: Span, example: &str, why: Unclear) -> Diagnostic {
    let (what, help) = match why {
        Unclear::TwoWays => (
            format!("'{example}' may be a thousand and more, or a little more than one"),
            "take a number with both signs, such as '1.234,56'; or with other than three digits behind the sign",
        ),
        Unclear::Nothing => (
            format!("'{example}' is no number as files hold them"),
            "write for example: numbers like '1.234,56', numbers like '1,234.56 €', numbers like '12,5 %'",
        ),
    };
    Diagnostic::new(Code::V217, what).at(span, "").help(help)
}

pub(crate) fn odd_date_form(span: Span, example: &str, why: Unclear) -> Diagnostic {
    let (what, help) = match why {
        Unclear::TwoWays => (
            format!("'{example}' may be two dates: what is its day?"),
            "take a day above 12, such as dates like '31.12.2024'",
        ),
        Unclear::Nothing => (
            format!("'{example}' is no date as files hold them"),
            "write for example: dates like '31.12.2024', dates like '12/31/2024', dates like '31-Dec-2024'",
        ),
    };
    Diagnostic::new(Code::V217, what).at(span, "").help(help)
}

pub(crate) fn no_order_column(span: Span, name: &str, table: &str, known: &[&str]) -> Diagnostic {
    let message = format!("an order is that of another column of {table}, and {name} is none");
    let near = vembra_syntax::nearest(name, known.iter().copied());
    let diagnostic = Diagnostic::new(Code::V226, message).at(span, "");
    super::near_or(diagnostic, span, near.map(str::to_owned), format!("there are: {}", super::listed(known)))
}

pub(crate) fn odd_digits(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V217, "a decimal has at most 38 digits, and no more of them behind the point")
        .at(span, "")
        .help("write for example: decimal(18, 4)")
}

pub(crate) fn form_of_computed(span: Span) -> Diagnostic {
    Diagnostic::new(
        Code::V218,
        "a computed column is not read from a file, so nothing is said of how it is written",
    )
    .at(span, "")
    .help("say it of the columns of the file that its formula names, and how it is shown by: format '…'")
}

pub(crate) fn bad_calendar(span: Span, what: &str) -> Diagnostic {
    Diagnostic::new(Code::V212, format!("the calendar cannot be made: {what}"))
        .at(span, "")
        .help("write for example: calendar from '2023-01-01' to '2026-12-31'")
}

pub(crate) fn no_calendar(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V213, "the model has no calendar")
        .at(span, "")
        .help("declare one: calendar from '2023-01-01' to '2026-12-31'")
}

pub(crate) fn column_needs_table(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V214, "a column is declared with its table")
        .at(span, "")
        .help(format!("write column TABLE.{name}"))
}

pub(crate) fn nothing_said(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V215, format!("{name} is in no file, and no formula is given"))
        .at(span, "")
        .help(format!("give it one: column {name} = …, or fix the name"))
}

pub(crate) fn bad_property(span: Span, what: &str, help: &str) -> Diagnostic {
    Diagnostic::new(Code::V216, what).at(span, "").help(help)
}

pub(crate) fn format_unused(span: Span, ty: Type) -> Diagnostic {
    Diagnostic::new(Code::V238, format!("this format is not used: the value is {}", ty.with_article()))
        .at(span, "only numbers are written by a format")
        .help("leave it out")
}

pub(crate) fn no_locale(span: Span, tag: &str) -> Diagnostic {
    Diagnostic::new(Code::V239, format!("'{tag}' is not the tag of a locale"))
        .at(span, "")
        .help("write the language and the region with a hyphen between them, such as locale 'de-DE'")
}

pub(crate) fn no_words(span: Span, tag: &str) -> Diagnostic {
    Diagnostic::new(Code::V240, format!("there are no words in the language of '{tag}': they stay English"))
        .at(span, "numbers are written by it")
        .help(format!("languages with words are: {}", LANGUAGES.join(", ")))
}

pub(crate) fn no_time_zone(span: Span, name: &str, near: Option<&str>) -> Diagnostic {
    let diagnostic = Diagnostic::new(Code::V237, format!("there is no time zone '{name}'")).at(span, "");
    match near {
        Some(near) => diagnostic.help(format!("did you mean '{near}'?")),
        None => diagnostic.help(
            "write its name in the time zone database, a continent and a city: time zone 'Europe/Berlin'",
        ),
    }
}
