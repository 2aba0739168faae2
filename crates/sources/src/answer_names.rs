//! How answers stand in files: raw exact values, ISO dates, nulls empty, and what distinguishes a missing member from a real one of its
//! name.

use vembra_engine::{Line, Member, Summary};
use vembra_plan::{LevelKind, Period, Scalar};

/// How a summary is laid out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// One column per column line and measure.
    Grid,
    /// One column per key and measure, one line per combination.
    Tidy,
}

pub(crate) fn kind_name(kind: LevelKind) -> &'static str {
    match kind {
        LevelKind::Detail => "detail",
        LevelKind::Subtotal => "subtotal",
        LevelKind::Total => "total",
    }
}

/// A value as it stands in a file. A repeating year or day is a number, other periods are texts.
pub(crate) fn raw(value: &Scalar) -> String {
    match value {
        Scalar::Period(Period::FiscalYear, year) => year.to_string(),
        // All digits of the very large and the very small would be read as a code.
        Scalar::Float(x) if *x != 0.0 && !(1e-18..9.2e18).contains(&x.abs()) => format!("{x:e}"),
        Scalar::Moment(_) => value.to_string().replacen(' ', "T", 1),
        _ => value.to_string(),
    }
}

/// A key as it stands in a file: a missing one is empty, an unknown one says so, a total has none.
pub(crate) fn raw_member(member: &Member) -> String {
    match member {
        Member::Value(value) => raw(value),
        Member::Unknown => "(unknown)".to_owned(),
        Member::Rest(label) => label.to_string(),
        Member::None | Member::All => String::new(),
    }
}

/// Behind the name of an axis: the column that distinguishes missing members from real ones of the same name.
pub(crate) const MISSING: &str = " missing";

/// Why a member is missing, as a marker column says it.
pub(crate) fn missing(member: &Member) -> &'static str {
    match member {
        Member::None => "none",
        Member::Unknown => "unknown",
        _ => "",
    }
}

/// Whether real members are called as missing ones are, while there are such: then a marker distinguishes them.
pub(crate) fn is_unclear<'m>(members: impl Iterator<Item = &'m Member>) -> bool {
    let (mut named, mut missing) = ([false; 2], [false; 2]);
    for member in members {
        match member {
            Member::Value(Scalar::Text(text)) => {
                named[0] |= &**text == "(none)";
                named[1] |= &**text == "(unknown)";
            }
            Member::None => missing[0] = true,
            Member::Unknown => missing[1] = true,
            _ => {}
        }
    }
    (0..2).any(|at| named[at] && missing[at])
}

/// Per axis, rows first, whether it needs a marker.
pub(crate) fn unclear_axes(summary: &Summary) -> Vec<bool> {
    let rows = (0..summary.rows.len()).map(|at| is_unclear(summary.lines.iter().map(|l| &l.rows[at])));
    let columns =
        (0..summary.columns.len()).map(|at| is_unclear(summary.lines.iter().map(|l| &l.columns[at])));
    rows.chain(columns).collect()
}

/// The names of axes, each with its marker if it needs one.
pub(crate) fn axis_names<'h>(
    headings: impl Iterator<Item = &'h vembra_engine::Heading>,
    unclear: &[bool],
) -> impl Iterator<Item = String> {
    headings.zip(unclear).flat_map(|(heading, unclear)| {
        let name = heading.name.clone();
        let marker = unclear.then(|| name.clone() + MISSING);
        std::iter::once(name).chain(marker)
    })
}

pub(crate) fn has_totals(summary: &Summary) -> bool {
    summary.totals_on_rows.is_some() || summary.totals_on_columns.is_some()
}

/// What a line is a total over: the names of the axes on which it does not stand, empty for a detail.
pub(crate) fn totalled(summary: &Summary, line: &Line) -> String {
    if line.kind == LevelKind::Detail {
        return String::new();
    }
    let members = summary.rows.iter().zip(&line.rows).chain(summary.columns.iter().zip(&line.columns));
    let over =
        members.filter(|(_, member)| **member == Member::All).map(|(heading, _)| heading.name.as_str());
    over.collect::<Vec<_>>().join(", ")
}

/// The name of the column of notes in tidy output.
pub(crate) const NOTES: &str = "notes";

/// Whether figures could be taken for others, so that a column says why.
pub(crate) fn has_notes(summary: &Summary) -> bool {
    summary
        .lines
        .iter()
        .flat_map(|line| &line.cells)
        .any(|cell| cell.lacking().is_some() || cell.shared().is_some())
}

/// Why figures of a line could be taken for others, each by its name; empty where none could.
pub(crate) fn notes(summary: &Summary, line: &Line) -> String {
    let own = summary.measures.iter().zip(&line.cells);
    let notes = own.flat_map(|(measure, cell)| {
        let name = &measure.heading.name;
        let lacking = cell.lacking().map(|l| format!("{name}: of a part of its date range only, {l}"));
        let shared = cell.shared().map(|n| match n {
            1 => format!("{name}: 1 row also belongs to a member shown"),
            n => format!("{name}: {n} rows also belong to a member shown"),
        });
        lacking.into_iter().chain(shared)
    });
    notes.collect::<Vec<_>>().join("; ")
}

/// The names of the columns of a grid.
pub(crate) fn grid_names(summary: &Summary, columns: &[&[Member]]) -> Vec<String> {
    let mut header: Vec<String> =
        summary.totals_on_rows.is_some().then(|| "line".to_owned()).into_iter().collect();
    let unclear = unclear_axes(summary);
    let (on_rows, on_columns) = unclear.split_at(summary.rows.len());
    header.extend(axis_names(summary.rows.iter(), on_rows));
    let alone = summary.measures.len() == 1 && !summary.columns.is_empty();
    for column in columns {
        for measure in &summary.measures {
            let members = column.iter().zip(on_columns).map(|(m, unclear)| match m {
                Member::All => "total".to_owned(),
                Member::None | Member::Unknown if *unclear => format!("{m}{MISSING}"),
                Member::None => "(none)".to_owned(),
                other => raw_member(other),
            });
            let name = &measure.heading.name;
            let parts: Vec<String> = members.chain((!alone).then(|| name.clone())).collect();
            header.push(parts.join(" "));
        }
    }
    header
}
