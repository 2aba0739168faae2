//! Reports and dashboards.

use super::{listed, near_or};
use vembra_plan::Type;
use vembra_syntax::{Code, Diagnostic, Span};

pub(crate) fn unknown_report(span: Span, name: &str, known: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(name, known.iter().copied()).map(vembra_syntax::quote_name);
    let message = Diagnostic::new(Code::V360, format!("there is no report {name}")).at(span, "");
    let others = match known {
        [] => "declare one: report by_month = rows calendar.month show revenue drawn as line".to_owned(),
        known => format!("the reports are: {}", listed(known)),
    };
    near_or(message, span, near, others)
}

pub(crate) fn option_unsuited(span: Span, option: &str, form: &str) -> Diagnostic {
    let help = match option {
        "up" => "dots and heat have a second axis; elsewhere tell members apart with colour by or panels by",
        "size by" => "only dots have a size",
        "stacked" => "areas and bars can stand on each other",
        "sideways" => "lines, areas and bars can lie on their side",
        "compared with" => "a number is compared with another figure: drawn as number compared with before",
        "small bars" | "trends" => "these belong to a table: drawn as table small bars revenue",
        _ => "leave it out, or draw the answer in another form",
    };
    Diagnostic::new(Code::V361, format!("{option} does not go with {form}")).at(span, "").help(help)
}

pub(crate) fn option_twice(span: Span, option: &str) -> Diagnostic {
    Diagnostic::new(Code::V362, format!("{option} is said twice"))
        .at(span, "a second time")
        .help("keep one of them")
}

pub(crate) fn not_an_axis_drawn(span: Span, text: &str, axes: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(text, axes.iter().copied()).map(str::to_owned);
    let message = Diagnostic::new(Code::V363, format!("the query is not split by {text}")).at(span, "");
    let help = match axes {
        [] => format!("put it on rows of the query: rows {text} show …"),
        axes => format!("it is split by: {}", listed(axes)),
    };
    near_or(message, span, near, help)
}

pub(crate) fn not_a_figure_drawn(span: Span, text: &str, figures: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(text, figures.iter().copied()).map(str::to_owned);
    let message = Diagnostic::new(Code::V364, format!("the query does not show {text}")).at(span, "");
    near_or(message, span, near, format!("it shows: {}", listed(figures)))
}

pub(crate) fn not_a_number_drawn(span: Span, ty: Type) -> Diagnostic {
    Diagnostic::new(Code::V365, format!("only numbers can be drawn, and this is {}", ty.with_article()))
        .at(span, "")
        .help("show a number, or draw the answer as a table")
}

pub(crate) fn axis_not_drawn(span: Span, name: &str, number: bool) -> Diagnostic {
    let help = if number {
        "a number shows one figure: leave the split out of the query".to_owned()
    } else {
        format!("say what tells its members apart: colour by {name}, or panels by {name}")
    };
    Diagnostic::new(Code::V366, format!("the query is split by {name}, but the drawing has no place for it"))
        .at(span, "figures of different members would lie on each other")
        .help(help)
}

pub(crate) fn axis_drawn_twice(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V367, format!("{name} is drawn in two ways"))
        .at(span, "")
        .help("let it run along, stand up, have the colours or the panels, but only one of these")
}

pub(crate) fn nothing_along(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V368, "there is nothing to draw along")
        .at(span, "")
        .help("split the query, such as rows calendar.month, or draw it as a number")
}

pub(crate) fn nothing_up(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V369, "heat needs two axes")
        .at(span, "")
        .help("split the query twice: rows calendar.month columns shipped.month show revenue")
}

pub(crate) fn list_drawn(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V370, "single rows are drawn as a plain table")
        .at(span, "")
        .help("leave out how it is drawn, or ask for a summary: rows … show …")
}

pub(crate) fn not_time(span: Span, ty: Type) -> Diagnostic {
    Diagnostic::new(Code::V371, format!("{} does not lie in time", ty.with_article()))
        .at(span, "")
        .help("dates, moments, months, quarters and years do; leave out 'as time'")
}

pub(crate) fn odd_member(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V372, "an order by hand lists members")
        .at(span, "")
        .help("write them outright: order 'Club', 'Farm'")
}

pub(crate) fn odd_across(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V373, "between 1 and 12 panels stand side by side")
        .at(span, "")
        .help("write panels by calendar.month, 3 across")
}

pub(crate) fn unknown_colour(span: Span, name: &str) -> Diagnostic {
    use vembra_plan::drawing::Colour;
    let names: Vec<&str> = Colour::ALL.iter().map(|c| c.name()).collect();
    let near = vembra_syntax::nearest(name, names.iter().copied()).map(str::to_owned);
    let message = Diagnostic::new(Code::V374, format!("there is no colour {name}")).at(span, "");
    near_or(message, span, near, format!("the colours are: {}", listed(&names)))
}

pub(crate) fn odd_page(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V375, "a page is between 320 and 20000 pixels wide and high")
        .at(span, "")
        .help("write 1280 by 800")
}

pub(crate) fn empty_page(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V376, "nothing stands on this page")
        .at(span, "")
        .help("add a row of reports: row 1: by_month, 'A text.'")
}

pub(crate) fn odd_share(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V377, "a share is a number between 0 and 1000")
        .at(span, "")
        .help("2 takes twice the room of 1")
}

pub(crate) fn unknown_switch(span: Span, name: &str, known: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(name, known.iter().copied()).map(vembra_syntax::quote_name);
    let message = Diagnostic::new(Code::V378, format!("there is no parameter {name}")).at(span, "");
    let others = match known {
        [] => format!("declare it: param {name}: one of calendar.weekday, calendar.day_of_month"),
        known => format!("the parameters are: {}", listed(known)),
    };
    near_or(message, span, near, others)
}

pub(crate) fn switch_without_values(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V379,
        format!("the switch does not say which values of {name} there are to choose from"),
    )
    .at(span, "")
    .help(format!("list two or more: switch {name} 2024, 2025"))
}

pub(crate) fn unlike_figures(
    span: Span,
    (name, kind): (&str, &str),
    (first, wanted): (&str, &str),
) -> Diagnostic {
    Diagnostic::new(
        Code::V381,
        format!("{name} is {kind} and {first} is {wanted}, but both stand on one axis"),
    )
    .at(span, "the smaller of the two will hardly be seen")
    .help("draw them in two reports, or show one of them in the tooltip only: tooltip …")
}

pub(crate) fn not_a_finding(span: Span, code: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V382,
        format!("{code} is not the code of a finding, so it cannot be accepted or treated otherwise"),
    )
    .at(span, "")
    .help("findings have codes from V501 to V599; vembra check shows them")
}

pub(crate) fn mark_on_unshown(span: Span, figure: &str, shown: &[&str]) -> Diagnostic {
    Diagnostic::new(Code::V325, format!("{figure} is not shown, so nothing can be marked on it"))
        .at(span, "")
        .help(format!("name one of the figures shown: {}", listed(shown)))
}

pub(crate) fn across_an_axis(span: Span, attribute: &str, axis: &str) -> Diagnostic {
    Diagnostic::new(Code::V234, format!("each line stands on one {attribute} already, by the axis {axis}"))
        .at(span, "members of it cannot be compared within a line")
        .help("take that axis away, or use one that repeats, such as calendar.month_of_year instead of calendar.month")
}

pub(crate) fn nothing_compared(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V235, "with says how members are compared, and none is against another")
        .at(span, "")
        .help("write for example: each across calendar.year 2025 against 2024 with growth")
}

pub(crate) fn no_comparison(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V235, format!("{name} is no way to compare two members"))
        .at(span, "")
        .help("write difference, ratio or growth, with commas between them")
}
