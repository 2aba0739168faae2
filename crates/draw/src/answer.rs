//! Answers as tables for people.

use crate::number::format_value;
use crate::table::{Align, TextTable};
use std::fmt::Write;
use vembra_engine::{Answer, Cell, Heading, ListAnswer, MeasureHeading, Member, Summary};
use vembra_plan::{LevelKind, NotAdditive, Scalar, TotalsPlace, Type};

/// The mark of a total that is not the sum of its lines.
const MARK: &str = " ≠";

/// An answer as a table, with the reasons for marks below. `tidy` puts keys on columns into columns of their own.
pub fn answer_text(answer: &Answer, currency: Option<&str>, tidy: bool) -> String {
    match answer {
        Answer::List(list) => list_text(list, currency),
        Answer::Summary(summary) if summary.lines.is_empty() => {
            format!("No rows match.\n{}", remarks(summary))
        }
        Answer::Summary(summary) if tidy => tidy_text(summary, currency) + &remarks(summary),
        Answer::Summary(summary) => grid_text(summary, currency) + &remarks(summary),
    }
}

fn align(ty: Type) -> Align {
    if ty.is_number() { Align::Right } else { Align::Left }
}

fn member_text(member: &Member, heading: &Heading, all: &str) -> String {
    match member {
        Member::Value(value) => format_value(value, heading.format.as_deref(), None),
        Member::None => "(none)".to_owned(),
        Member::Unknown => "(unknown)".to_owned(),
        Member::Rest(label) => label.to_string(),
        Member::All => all.to_owned(),
    }
}

/// The members of a line: the first one that is totalled says so, the others stay empty. Where a hierarchy is
/// walked, only the grand total says so: what is opened stands above its parts.
fn members_text(members: &[Member], headings: &[Heading], walked: bool) -> Vec<String> {
    let mut said = walked && members.first().is_some_and(|m| *m != Member::All);
    let text = |(member, heading): (&Member, &Heading)| {
        let all = if *member == Member::All && !std::mem::replace(&mut said, true) { "Total" } else { "" };
        member_text(member, heading, all)
    };
    members.iter().zip(headings).map(text).collect()
}

/// A figure by its format; whole numbers without one get thousands separators.
fn figure(value: &Scalar, measure: &MeasureHeading, kind: LevelKind, currency: Option<&str>) -> String {
    let (ty, format) = measure.on(kind);
    let plain = match ty {
        Type::Integer => Some("#,##0"),
        _ => None,
    };
    format_value(value, format.or(plain), currency)
}

/// Where totals can be marked, all figures of the measure keep room for the mark.
fn cell_text(cell: Option<(&Cell, LevelKind)>, measure: &MeasureHeading, currency: Option<&str>) -> String {
    let text = cell.map(|(c, kind)| figure(&c.value, measure, kind, currency)).unwrap_or_default();
    let cell = cell.map(|(c, _)| c);
    let marked = cell.is_some_and(|c| c.adds_up == Some(false) && !c.value.is_null());
    match (measure.marked, marked) {
        (true, true) => text + MARK,
        (true, false) => text + "  ",
        _ => text,
    }
}

fn measure_label(measure: &MeasureHeading) -> String {
    let label = &measure.heading.label;
    if measure.marked { format!("{label}  ") } else { label.clone() }
}

fn grid_text(summary: &Summary, currency: Option<&str>) -> String {
    let grid = summary.grid();
    let measures = &summary.measures;
    let mut aligns: Vec<Align> = summary.rows.iter().map(|h| align(h.ty)).collect();
    for _ in &grid.columns {
        aligns.extend(measures.iter().map(|m| align(m.heading.ty)));
    }
    let mut table = TextTable::new(aligns);
    let named = summary.columns.is_empty() || measures.len() > 1;
    let mut before: Option<&[Member]> = None;
    for (axis, heading) in summary.columns.iter().enumerate() {
        let last = axis + 1 == summary.columns.len() && !named;
        let mut cells = row_heads(summary, last);
        for column in &grid.columns {
            let same = before.is_some_and(|b| b[..=axis] == column[..=axis]);
            let text =
                members_text(&column[..=axis], &summary.columns[..=axis], false).pop().unwrap_or_default();
            // The heading stands over the figures, not over the room for their marks.
            let room = if measures[0].marked { "  " } else { "" };
            cells.push(if same { String::new() } else { text + room });
            cells.extend(vec![String::new(); measures.len() - 1]);
            before = Some(column);
        }
        if axis == 0 && summary.rows.is_empty() && grid.columns.is_empty() {
            cells.push(heading.label.clone());
        }
        table.heading(cells);
    }
    if named {
        let mut cells = row_heads(summary, true);
        grid.columns.iter().for_each(|_| cells.extend(measures.iter().map(measure_label)));
        table.heading(cells);
    }
    let mut last: Option<&[Member]> = None;
    for (at, row) in grid.rows.iter().enumerate() {
        let grand = row.kind == LevelKind::Total && !row.members.is_empty();
        if grand && summary.totals_on_rows == Some(TotalsPlace::Last) && at > 0 {
            table.rule();
        }
        let mut cells = members_text(row.members, &summary.rows, summary.walked);
        blank_repeats(&mut cells, row.members, last);
        for column in &row.cells {
            cells.extend(
                (0..measures.len())
                    .map(|m| cell_text(column.map(|(c, kind)| (&c[m], kind)), &measures[m], currency)),
            );
        }
        table.row(cells);
        if grand && summary.totals_on_rows == Some(TotalsPlace::First) {
            table.rule();
        }
        last = Some(row.members);
    }
    title(summary) + &table.to_string()
}

/// What stands on columns is named above the table.
fn title(summary: &Summary) -> String {
    if summary.columns.is_empty() {
        return String::new();
    }
    let columns: Vec<&str> = summary.columns.iter().map(|h| h.label.as_str()).collect();
    match summary.measures.as_slice() {
        [only] => format!("{} by {} (columns)\n\n", only.heading.label, columns.join(", ")),
        _ => format!("{} on columns\n\n", columns.join(", ")),
    }
}

fn row_heads(summary: &Summary, named: bool) -> Vec<String> {
    summary.rows.iter().map(|h| if named { h.label.clone() } else { String::new() }).collect()
}

/// Leaves out outer members that are those of the line above.
fn blank_repeats(cells: &mut [String], members: &[Member], above: Option<&[Member]>) {
    let Some(above) = above else { return };
    for at in 0..members.len().saturating_sub(1) {
        if members[..=at] != above[..=at] {
            return;
        }
        cells[at].clear();
    }
}

fn tidy_text(summary: &Summary, currency: Option<&str>) -> String {
    let headings: Vec<Heading> = summary.rows.iter().chain(&summary.columns).cloned().collect();
    let measures = &summary.measures;
    let mut aligns: Vec<Align> = headings.iter().map(|h| align(h.ty)).collect();
    aligns.extend(measures.iter().map(|m| align(m.heading.ty)));
    let mut table = TextTable::new(aligns);
    let labels = headings.iter().map(|h| h.label.clone());
    table.heading(labels.chain(measures.iter().map(measure_label)).collect());
    for line in &summary.lines {
        let mut cells: Vec<String> = line
            .rows
            .iter()
            .chain(&line.columns)
            .zip(&headings)
            .map(|(member, heading)| member_text(member, heading, "Total"))
            .collect();
        let cell = |(c, m)| cell_text(Some((c, line.kind)), m, currency);
        cells.extend(line.cells.iter().zip(measures).map(cell));
        table.row(cells);
    }
    table.to_string()
}

fn list_text(list: &ListAnswer, currency: Option<&str>) -> String {
    let mut table = TextTable::new(list.columns.iter().map(|c| align(c.ty)).collect());
    table.heading(list.columns.iter().map(|c| c.label.clone()).collect());
    for row in &list.rows {
        let cells = row.iter().zip(&list.columns);
        table.row(cells.map(|(v, c)| format_value(v, c.format.as_deref(), currency)).collect());
    }
    let mut text = table.to_string();
    let rows = |n: usize| if n == 1 { "1 row".to_owned() } else { format!("{n} rows") };
    let count = match (list.rows.len(), list.found) {
        (_, 0) => "No rows match.".to_owned(),
        (shown, found) if shown < found => format!("{shown} of {}", rows(found)),
        (_, found) => rows(found),
    };
    let _ = writeln!(text, "\n{count}");
    text
}

/// Why totals are marked, and what (unknown) means.
fn remarks(summary: &Summary) -> String {
    let mut text = String::new();
    for measure in summary.measures.iter().filter(|m| m.marked) {
        let why = match &measure.not_additive {
            Some(NotAdditive::Distinct(of)) => {
                format!("each {of} counts once in the total, on however many lines it stands.")
            }
            Some(NotAdditive::Average(of)) if of == "rows" => {
                "the total is worked out over all rows behind it.".to_owned()
            }
            Some(NotAdditive::Average(of)) => {
                format!("the total is worked out over every {of} behind it, each once.")
            }
            Some(NotAdditive::Extreme(_)) => "the total is chosen among all rows behind it.".to_owned(),
            Some(NotAdditive::Formula) => {
                "the formula is worked out from the totals of its parts.".to_owned()
            }
            Some(NotAdditive::Stretch) => {
                "each line takes days of other lines too, or days of its own only in part.".to_owned()
            }
            Some(NotAdditive::Forgotten) => {
                "the figure forgets where its lines stand, so the total is no sum of them.".to_owned()
            }
            Some(NotAdditive::Along) => "the figure follows the lines shown.".to_owned(),
            Some(NotAdditive::Variant) => "totals have a formula of their own.".to_owned(),
            None => "some of its rows stand on no line.".to_owned(),
        };
        let _ = write!(text, "\n≠ {}: not the sum of the lines; {why}", measure.heading.label);
    }
    let members = || summary.lines.iter().flat_map(|l| l.rows.iter().chain(&l.columns));
    if members().any(|m| *m == Member::None) {
        text.push_str("\n(none): rows that have no value there.");
    }
    if members().any(|m| *m == Member::Unknown) {
        text.push_str("\n(unknown): rows whose key is in no row of the linked table.");
    }
    if !text.is_empty() {
        text.push('\n');
    }
    text
}
