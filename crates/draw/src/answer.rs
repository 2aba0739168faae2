//! Answers as tables for people.

use crate::sheet::sheet;
use crate::sheet_text::sheet_text;
use crate::table::{Align, TextTable};
use crate::words::{Marks, align, figure, member_text, why_not_additive, why_partial, why_shared};
use vembra_engine::{Answer, Cell, Heading, Line, ListAnswer, MeasureHeading, Member, Summary};
use vembra_plan::drawing::Drawing;
use vembra_plan::{FiguresPlace, LevelKind};

/// How a table of text is laid out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[allow(clippy::struct_excessive_bools)] // Each asks for something of its own.
pub struct TextOptions {
    /// Keys on columns become columns of their own.
    pub tidy: bool,
    /// A table that is wider than so many characters is cut into several, each with the keys of its rows.
    pub width: Option<usize>,
    /// A small bar beside each figure; not in a tidy table.
    pub bars: bool,
    /// A small line through the figures of each row, over what stands on columns; not in a tidy table.
    pub trends: bool,
    /// The number of each row before it, from 1; not in a tidy table, and not where nothing stands on rows.
    pub numbered: bool,
}

/// An answer as a table, with the reasons for marks below.
pub fn answer_text(answer: &Answer, currency: Option<&str>, options: TextOptions) -> String {
    let shown = match answer {
        Answer::Summary(summary) => summary.measures.len(),
        Answer::List(_) => 0,
    };
    let drawing = Drawing {
        shown,
        small_bars: if options.bars { (0..shown).collect() } else { Vec::new() },
        trends: options.trends,
        ..Drawing::default()
    };
    match answer {
        Answer::Summary(summary) if options.numbered && !options.tidy && is_split(summary) => {
            let mut sheet = sheet(answer, Some(&drawing), currency);
            sheet.number_rows();
            with_remarks(sheet_text(&sheet, options.width), answer, Some(&drawing))
        }
        _ => text_of(answer, Some(&drawing), currency, options.tidy, options.width),
    }
}

/// Whether it has rows that can be told apart.
fn is_split(summary: &Summary) -> bool {
    !summary.rows.is_empty() && !summary.lines.is_empty()
}

/// The same with what a drawing asks of a table: only what it shows, marks, small bars and small lines.
pub(crate) fn text_of(
    answer: &Answer,
    drawing: Option<&Drawing>,
    currency: Option<&str>,
    tidy: bool,
    width: Option<usize>,
) -> String {
    let text = match answer {
        Answer::Summary(summary) if summary.lines.is_empty() => "No rows match.\n".to_owned(),
        Answer::Summary(summary) if tidy => tidy_text(summary, currency),
        _ => sheet_text(&sheet(answer, drawing, currency), width),
    };
    with_remarks(text, answer, drawing)
}

fn with_remarks(mut text: String, answer: &Answer, drawing: Option<&Drawing>) -> String {
    for remark in remarks(answer, drawing) {
        text.push('\n');
        text.push_str(&crate::tame::tame(&remark));
    }
    if !text.ends_with('\n') {
        text.push('\n');
    }
    text
}

/// Where totals can be marked, all figures of the measure keep room for the mark.
fn cell_text(cell: Option<(&Cell, LevelKind)>, measure: &MeasureHeading, currency: Option<&str>) -> String {
    let text = cell.map(|(c, kind)| figure(&c.value, measure, kind, currency)).unwrap_or_default();
    let marks = cell.map(|(c, _)| Marks::of(c)).unwrap_or_default();
    text + &marks.within(Marks::of_figure(measure))
}

fn measure_label(measure: &MeasureHeading) -> String {
    let label = &measure.heading.label;
    label.clone() + &Marks::default().within(Marks::of_figure(measure))
}

fn tidy_text(summary: &Summary, currency: Option<&str>) -> String {
    if summary.figures.on_rows() {
        return tidy_down(summary, currency);
    }
    let headings: Vec<Heading> = summary.rows.iter().chain(&summary.columns).cloned().collect();
    let measures = &summary.measures;
    let mut aligns: Vec<Align> = headings.iter().map(|h| align(h.ty)).collect();
    aligns.extend(measures.iter().map(|m| align(m.heading.ty)));
    let mut table = TextTable::new(aligns);
    let labels = headings.iter().map(|h| h.label.clone());
    table.heading(labels.chain(measures.iter().map(measure_label)).collect());
    for line in &summary.lines {
        let mut cells = members_of(line, &headings);
        let cell = |(c, m)| cell_text(Some((c, line.kind)), m, currency);
        cells.extend(line.cells.iter().zip(measures).map(cell));
        table.row(cells);
    }
    table.to_string()
}

/// A line for every figure, which stands in a column of its own.
fn tidy_down(summary: &Summary, currency: Option<&str>) -> String {
    let headings: Vec<Heading> = summary.rows.iter().chain(&summary.columns).cloned().collect();
    let measures = &summary.measures;
    let right = measures.iter().any(|m| m.heading.ty.is_number());
    let mut aligns: Vec<Align> = headings.iter().map(|h| align(h.ty)).collect();
    aligns.extend([Align::Left, if right { Align::Right } else { Align::Left }]);
    let mut table = TextTable::new(aligns);
    let labels = headings.iter().map(|h| h.label.clone());
    table.heading(labels.chain(["Figure".to_owned(), "Value".to_owned()]).collect());
    let mut row = |line: &Line, at: usize| {
        let mut cells = members_of(line, &headings);
        cells.push(measures[at].heading.label.clone());
        cells.push(cell_text(Some((&line.cells[at], line.kind)), &measures[at], currency));
        table.row(cells);
    };
    if summary.figures == FiguresPlace::RowsFirst {
        (0..measures.len()).for_each(|at| summary.lines.iter().for_each(|line| row(line, at)));
    } else {
        summary.lines.iter().for_each(|line| (0..measures.len()).for_each(|at| row(line, at)));
    }
    table.to_string()
}

fn members_of(line: &Line, headings: &[Heading]) -> Vec<String> {
    let members = line.rows.iter().chain(&line.columns).zip(headings);
    members.map(|(member, heading)| member_text(member, heading, "Total")).collect()
}

/// How many rows a list shows.
fn list_count(list: &ListAnswer) -> String {
    let rows = |n: usize| if n == 1 { "1 row".to_owned() } else { format!("{n} rows") };
    match (list.rows.len(), list.found) {
        (_, 0) => "No rows match.".to_owned(),
        (shown, found) if shown < found => format!("{shown} of {}", rows(found)),
        (_, found) => rows(found),
    }
}

/// What stands below an answer: why totals are marked, what (none) and (unknown) mean, how many rows there are.
pub(crate) fn remarks(answer: &Answer, drawing: Option<&Drawing>) -> Vec<String> {
    match answer {
        Answer::List(list) => vec![list_count(list)],
        Answer::Summary(summary) => summary_remarks(summary, drawing),
    }
}

fn summary_remarks(summary: &Summary, drawing: Option<&Drawing>) -> Vec<String> {
    let shown = drawing.map_or(usize::MAX, |d| if d.shown == 0 { usize::MAX } else { d.shown });
    let mut remarks: Vec<String> =
        drawing.iter().flat_map(|d| &d.marks).map(|mark| format!("● {}", mark.meaning)).collect();
    for measure in summary.measures.iter().take(shown) {
        if measure.marked {
            let (label, why) = (&measure.heading.label, why_not_additive(measure));
            remarks.push(format!("≠ {label}: not the sum of the lines; {why}"));
        }
        remarks.extend(why_partial(measure));
        remarks.extend(why_shared(measure));
    }
    let members = || summary.lines.iter().flat_map(|l| l.rows.iter().chain(&l.columns));
    if members().any(|m| *m == Member::None) {
        remarks.push("(none): rows that have no value there.".to_owned());
    }
    if members().any(|m| *m == Member::Unknown) {
        remarks.push("(unknown): rows whose key is in no row of the linked table.".to_owned());
    }
    remarks
}
