//! What is wrong with what is to be explained.

use vembra_syntax::{Code, Diagnostic};

fn near(wanted: &str, known: &[&str]) -> Option<String> {
    vembra_syntax::nearest(wanted, known.iter().copied()).map(|n| format!("did you mean {n}?"))
}

pub(super) fn single_rows() -> Diagnostic {
    Diagnostic::new(Code::V390, "single rows explain themselves: only figures of a summary are explained")
        .help("ask for a summary: rows … show …")
}

pub(super) fn no_figure(wanted: &str, known: &[&str]) -> Diagnostic {
    Diagnostic::new(Code::V391, format!("the query does not show {wanted}"))
        .help(near(wanted, known).unwrap_or_else(|| format!("it shows: {}", known.join(", "))))
}

pub(super) fn no_axis(wanted: &str, known: &[&str]) -> Diagnostic {
    let others = match known {
        [] => "it is not split at all: leave the cell out".to_owned(),
        known => format!("it is split by: {}", known.join(", ")),
    };
    Diagnostic::new(Code::V392, format!("the query is not split by {wanted}"))
        .help(near(wanted, known).unwrap_or(others))
}

pub(super) fn no_member(axis: &str, wanted: &str, known: &[String]) -> Diagnostic {
    let names: Vec<&str> = known.iter().map(String::as_str).collect();
    let some = names.iter().take(12).copied().collect::<Vec<_>>().join(", ");
    let more = if names.len() > 12 { ", …" } else { "" };
    Diagnostic::new(Code::V393, format!("{axis} has no member {wanted}"))
        .help(near(wanted, &names).unwrap_or_else(|| format!("its members are: {some}{more}")))
}

pub(super) fn not_from_the_first(axes: &[&str]) -> Diagnostic {
    Diagnostic::new(
        Code::V394,
        "a total leaves out the last axes of its rows or columns, not one before them",
    )
    .help(format!("name the axes from the first on: {}", axes.join(", ")))
}

pub(super) fn too_many_rows(rows: usize, most: usize) -> Diagnostic {
    Diagnostic::new(
        Code::V396,
        format!("a table of {rows} rows is too large to be explained: {most} are the most"),
    )
    .help("explain the same cell on a part of the file, such as one year of it")
}

/// Of a server only the lines of the answer are known.
pub(super) fn no_line_at(axis: &str, wanted: &str, shown: &[String]) -> Diagnostic {
    let some = shown.iter().take(12).cloned().collect::<Vec<_>>().join(", ");
    let more = if shown.len() > 12 { ", …" } else { "" };
    Diagnostic::new(
        Code::V397,
        format!("the answer has no line at {axis} {wanted}, and the rows stay on the server"),
    )
    .help(format!("explain a cell that the answer shows: {axis} is there {some}{more}"))
}

pub(super) fn no_line_there() -> Diagnostic {
    Diagnostic::new(Code::V397, "the answer has no line for that cell, and the rows stay on the server")
        .help("explain a cell that the answer shows")
}

pub(super) fn no_equation(part: &str) -> Diagnostic {
    Diagnostic::new(Code::V395, format!("{part} does not say where the cell stands"))
        .help("write an axis and its member: calendar.month = '2025-04', customer.region = 'Dunlow'")
}
