//! The wording of every message of this crate.

use crate::code::Code;
use crate::diagnostic::Diagnostic;
use crate::source::Span;

pub(crate) fn stray(span: Span, text: &str) -> Diagnostic {
    let help = match text {
        ";" => "leave it out: nothing ends with a semicolon",
        "[" | "]" | "{" | "}" => "group with round brackets: ( )",
        "`" | "´" | "‘" | "’" => "texts stand in straight single quotes, odd names in double quotes",
        "%" => "for a remainder write mod(a, b); for a share write it as a number: 0.05",
        "&" => "join texts with ||, conditions with and",
        _ => "leave it out, or put it in quotes: 'text' or \"odd name\"",
    };
    let what = if text.chars().count() == 1 { "the character" } else { "the text" };
    let message = Diagnostic::new(Code::V101, format!("{what} {text:?} has no meaning here")).at(span, "");
    match text {
        "&&" => message.fix("conditions are joined with and", span, "and"),
        _ => message.help(help),
    }
}

pub(crate) fn unclosed_quote(span: Span, quote: char) -> Diagnostic {
    let what = if quote == '\'' { "text" } else { "name" };
    Diagnostic::new(Code::V102, format!("this {what} is never closed")).at(span, "the quote opens here").fix(
        format!("close it with {quote} where it ends; a quote inside is written twice"),
        end_of(span),
        quote.to_string(),
    )
}

fn end_of(span: Span) -> Span {
    Span { start: span.end, ..span }
}

pub(crate) fn expected(span: Span, wanted: &str, found: &str, form: Option<&str>) -> Diagnostic {
    let help = match (wanted, form) {
        ("a value", _) if found == "'*'" => "to count rows write count(rows of order_line)".to_owned(),
        ("a value", _) => {
            "a value is a column, a number, a text in 'single quotes', or a formula in brackets".to_owned()
        }
        (_, Some(form)) => format!("the whole declaration looks like: {form}"),
        (word, None) if word.starts_with('\'') => {
            format!("write {word} here; see docs/reference.md for the whole form")
        }
        (other, None) => format!("put {other} here"),
    };
    bare_expected(span, wanted, found).help(help)
}

fn bare_expected(span: Span, wanted: &str, found: &str) -> Diagnostic {
    Diagnostic::new(Code::V103, format!("expected {wanted}, found {found}"))
        .at(span, format!("{wanted} should stand here"))
}

/// A word or a name in double quotes where a text should stand.
pub(crate) fn expected_text(span: Span, wanted: &str, found: &str) -> Diagnostic {
    let text = format!("'{}'", found.trim_matches('"').replace('\'', "''"));
    let help = format!("texts stand in single quotes, names in double quotes: {text}");
    bare_expected(span, wanted, found).fix(help, span, text)
}

/// A word that starts a clause where a name should stand.
pub(crate) fn clause_for_name(span: Span, wanted: &str, word: &str) -> Diagnostic {
    bare_expected(span, wanted, word)
        .help(format!("put {wanted} here; if {word} is meant as a name, write \"{word}\""))
}

pub(crate) fn unclosed_bracket(open: Span, span: Span, found: &str) -> Diagnostic {
    Diagnostic::new(Code::V104, format!("a bracket is not closed: expected ')', found {found}"))
        .at(span, "')' should stand here or before")
        .at(open, "to close this one")
        .help("close it with ) where the group ends")
}

pub(crate) fn clause_needs_brackets(span: Span, fixed: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V105,
        "a clause binds to what stands just before it; here it needs brackets to say to what",
    )
    .at(span, "this belongs together")
    .fix(format!("write {fixed}"), span, fixed)
}

pub(crate) fn clause_behind_own_where(span: Span, word: &str) -> Diagnostic {
    Diagnostic::new(Code::V116, "a where directly inside an aggregate is the aggregate's, and it comes last")
        .at(span, format!("{word} is for the value, and stands behind it"))
        .help("put the value with its clauses into brackets: avg((revenue where … per order_no)), or the aggregate's where last: avg(revenue per order_no where …)")
}

pub(crate) fn unknown_declaration(span: Span, found: &str, near: Option<&str>, all: &str) -> Diagnostic {
    let message = Diagnostic::new(Code::V106, format!("{found} starts no declaration")).at(span, "");
    match near {
        Some(near) => message.fix(format!("write {near}"), span, near),
        None => message.help(format!("a declaration starts with one of: {all}")),
    }
}

pub(crate) fn indented_start(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V107, "a declaration starts in the first column, and this text belongs to none")
        .at(span, "indented")
        .help("move it to the first column, or start it with --")
}

pub(crate) fn too_deep(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V108, "this formula is nested or chained too deeply to be read")
        .at(span, "deeper than 120 steps")
        .help("give parts of it names of their own: column … = … or measure … = …; many equal choices fit in (…)")
}

pub(crate) fn clause_twice(span: Span, first: Span, word: &str) -> Diagnostic {
    Diagnostic::new(Code::V109, format!("the clause {word} stands twice"))
        .at(span, "a second time")
        .at(first, "the first")
        .help(match word {
            "where" => "join the conditions: where … and …".to_owned(),
            "rows" | "columns" | "show" | "sort" | "totals" | "given" | "list" => {
                format!("keep one {word} and list the items with commas")
            }
            _ => "keep one of them".to_owned(),
        })
}

pub(crate) fn reserved(span: Span, word: &str) -> Diagnostic {
    Diagnostic::new(Code::V110, format!("{word} is a word of the language and cannot stand as a name here"))
        .at(span, "")
        .fix(format!("if it is a name, write \"{word}\""), span, format!("\"{word}\""))
}

pub(crate) fn odd_number(span: Span, text: &str) -> Diagnostic {
    Diagnostic::new(Code::V111, format!("{text} is not a number"))
        .at(span, "")
        .help("numbers look like 12, 0.5 or 1e6; a name cannot start with a digit unless it stands in double quotes")
}

pub(crate) fn not_a_query(span: Span, found: &str, near: Option<&str>) -> Diagnostic {
    let message = Diagnostic::new(Code::V112, format!("{found} starts no clause of a query")).at(span, "");
    if let Some(near) = near {
        return message.fix(format!("did you mean {near}?"), span, near);
    }
    message.help("a query looks like: rows calendar.year show revenue where customer.region = 'Dunlow'")
}

/// A word or sign of another language.
pub(crate) fn brought(span: Span, found: &str, ours: &str) -> Diagnostic {
    Diagnostic::new(Code::V119, format!("{found} is written {ours} here")).at(span, "").fix(
        format!("write {ours}"),
        span,
        ours,
    )
}

pub(crate) fn no_offset(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V120, "offset does not belong here: lines are not left out by their number")
        .at(span, "")
        .help("choose lines by a condition (having, where), or the first ones with top 5 product.name by revenue, or in a list with limit 5")
}

/// A word near to one that starts a clause.
pub(crate) fn near_clause(span: Span, found: &str, near: &str) -> Diagnostic {
    Diagnostic::new(Code::V120, format!("{found} does not belong here")).at(span, "").fix(
        format!("did you mean {near}?"),
        span,
        near,
    )
}

/// What stands behind a clause that is complete.
pub(crate) fn left_over(span: Span, found: &str, clause: &str, joins: bool) -> Diagnostic {
    let help = if joins {
        "conditions are joined with and: where a = 1 and b = 2".to_owned()
    } else {
        "leave it out, put a comma before it if it is one more item, or start a clause with one of its words: where, having, top, sort, totals on rows".to_owned()
    };
    Diagnostic::new(Code::V120, format!("{found} does not belong here"))
        .at(span, format!("the clause {clause} is complete before this"))
        .help(help)
}

pub(crate) fn nothing_shown(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V113, "the query shows nothing")
        .at(span, "")
        .help("say what is wanted: show revenue, or for single rows: list order_no from order_line")
}

pub(crate) fn not_in_this_query(span: Span, word: &str, list: bool) -> Diagnostic {
    let (kind, words) = if list {
        ("list", "list, from, where, via, sort and limit")
    } else {
        ("summary", "rows, columns, show, where, via, having, top, sort, keep empty, totals and given")
    };
    let message = Diagnostic::new(Code::V114, format!("a {kind} has no clause {word}")).at(span, "");
    if word == "limit" {
        return message.help(
            "choose the first lines with top and the figure that orders them: top 5 product.name by revenue",
        );
    }
    message.help(format!("a {kind} takes {words}"))
}

pub(crate) fn text_after(span: Span, found: &str, form: Option<&str>) -> Diagnostic {
    let form = form.map(|form| format!("; the whole looks like: {form}")).unwrap_or_default();
    Diagnostic::new(Code::V115, format!("{found} does not belong here"))
        .at(span, "the declaration is complete before this")
        .help(format!("leave it out; the next declaration starts in the first column{form}"))
}

/// What stands behind the value that is given to a parameter beside a query.
pub(crate) fn behind_value(span: Span, found: &str) -> Diagnostic {
    Diagnostic::new(Code::V115, format!("{found} does not belong here"))
        .at(span, "the value is complete before this")
        .help("give each parameter one value by itself; clauses stand in the query")
}

pub(crate) fn no_drawing_option(span: Span, found: &str, near: Option<&str>) -> Diagnostic {
    let message = Diagnostic::new(Code::V117, format!("{found} is not an option of a drawing")).at(span, "");
    match near {
        Some(near) => message.fix(format!("did you mean {near}?"), span, near),
        None => message.help(
            "behind the query a report says how it is drawn: drawn as line along calendar.month colour by customer.region",
        ),
    }
}

pub(crate) fn no_form(span: Span, found: &str, near: Option<&str>, forms: &str) -> Diagnostic {
    let message =
        Diagnostic::new(Code::V118, format!("{found} is not a form to draw an answer in")).at(span, "");
    match near {
        Some(near) => message.fix(format!("did you mean {near}?"), span, near),
        None => message.help(format!("answers are drawn as one of: {forms}")),
    }
}
