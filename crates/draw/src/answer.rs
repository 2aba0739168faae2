//! Answers as tables for people.

use crate::locale::{Locale, Word};
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
    /// A table that is wider than this many characters is cut into several, each with the keys of its rows.
    pub width: Option<usize>,
    /// A small bar beside each figure; not in a tidy table.
    pub bars: bool,
    /// A small line through the figures of each row, over what stands on columns; not in a tidy table.
    pub trends: bool,
    /// The number of each row before it, from 1; not in a tidy table, and not where nothing stands on rows.
    pub numbered: bool,
}

/// An answer as a table, with the reasons for marks below.
pub fn answer_text(answer: &Answer, locale: &Locale, options: TextOptions) -> String {
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
            let mut sheet = sheet(answer, Some(&drawing), locale);
            sheet.number_rows();
            with_remarks(sheet_text(&sheet, options.width, locale), answer, Some(&drawing), locale)
        }
        _ => text_of(answer, Some(&drawing), locale, options.tidy, options.width),
    }
}

/// Whether it has rows that can be distinguished.
fn is_split(summary: &Summary) -> bool {
    !summary.rows.is_empty() && !summary.lines.is_empty()
}

/// The same with what a drawing asks of a table: only what it shows, marks, small bars and small lines.
pub(crate) fn text_of(
    answer: &Answer,
    drawing: Option<&Drawing>,
    locale: &Locale,
    tidy: bool,
    width: Option<usize>,
) -> String {
    let text = match answer {
        Answer::Summary(summary) if summary.lines.is_empty() => locale.word(Word::NoRows) + "\n",
        Answer::Summary(summary) if tidy => tidy_text(summary, locale),
        _ => sheet_text(&sheet(answer, drawing, locale), width, locale),
    };
    with_remarks(text, answer, drawing, locale)
}

fn with_remarks(mut text: String, answer: &Answer, drawing: Option<&Drawing>, locale: &Locale) -> String {
    for remark in remarks(answer, drawing, locale) {
        text.push('\n');
        text.push_str(&crate::tame::tame(&remark));
    }
    if !text.ends_with('\n') {
        text.push('\n');
    }
    text
}

/// Where totals can be marked, all figures of the measure keep room for the mark.
fn cell_text(cell: Option<(&Cell, LevelKind)>, measure: &MeasureHeading, locale: &Locale) -> String {
    let text = cell.map(|(c, kind)| figure(&c.value, measure, kind, locale)).unwrap_or_default();
    let marks = cell.map(|(c, _)| Marks::of(c)).unwrap_or_default();
    text + &marks.within(Marks::of_figure(measure))
}

fn measure_label(measure: &MeasureHeading) -> String {
    let label = &measure.heading.label;
    label.clone() + &Marks::default().within(Marks::of_figure(measure))
}

fn tidy_text(summary: &Summary, locale: &Locale) -> String {
    if summary.figures.on_rows() {
        return tidy_down(summary, locale);
    }
    let headings: Vec<Heading> = summary.rows.iter().chain(&summary.columns).cloned().collect();
    let measures = &summary.measures;
    let mut aligns: Vec<Align> = headings.iter().map(|h| align(h.ty)).collect();
    aligns.extend(measures.iter().map(|m| align(m.heading.ty)));
    let mut table = TextTable::new(aligns);
    let labels = headings.iter().map(|h| h.label.clone());
    table.heading(labels.chain(measures.iter().map(measure_label)).collect());
    for line in &summary.lines {
        let mut cells = members_of(line, &headings, locale);
        let cell = |(c, m)| cell_text(Some((c, line.kind)), m, locale);
        cells.extend(line.cells.iter().zip(measures).map(cell));
        table.row(cells);
    }
    table.to_string()
}

/// A line for every figure, which stands in a column of its own.
fn tidy_down(summary: &Summary, locale: &Locale) -> String {
    let headings: Vec<Heading> = summary.rows.iter().chain(&summary.columns).cloned().collect();
    let measures = &summary.measures;
    let right = measures.iter().any(|m| m.heading.ty.is_number());
    let mut aligns: Vec<Align> = headings.iter().map(|h| align(h.ty)).collect();
    aligns.extend([Align::Left, if right { Align::Right } else { Align::Left }]);
    let mut table = TextTable::new(aligns);
    let labels = headings.iter().map(|h| h.label.clone());
    table.heading(labels.chain([Word::Figure, Word::Value].map(|word| locale.word(word))).collect());
    let mut row = |line: &Line, at: usize| {
        let mut cells = members_of(line, &headings, locale);
        cells.push(measures[at].heading.label.clone());
        cells.push(cell_text(Some((&line.cells[at], line.kind)), &measures[at], locale));
        table.row(cells);
    };
    if summary.figures == FiguresPlace::RowsFirst {
        (0..measures.len()).for_each(|at| summary.lines.iter().for_each(|line| row(line, at)));
    } else {
        summary.lines.iter().for_each(|line| (0..measures.len()).for_each(|at| row(line, at)));
    }
    table.to_string()
}

fn members_of(line: &Line, headings: &[Heading], locale: &Locale) -> Vec<String> {
    let members = line.rows.iter().chain(&line.columns).zip(headings);
    let total = locale.word(Word::Total);
    members.map(|(member, heading)| member_text(member, heading, &total, locale)).collect()
}

/// How many rows a list shows.
fn list_count(list: &ListAnswer, locale: &Locale) -> String {
    match (list.rows.len(), list.found) {
        (_, 0) => locale.word(Word::NoRows),
        (shown, found) if shown < found => {
            locale.counted(Word::RowsOf, found, &[("shown", &locale.count(shown))])
        }
        (_, found) => locale.counted(Word::Rows, found, &[]),
    }
}

/// What stands below an answer: why totals are marked, what (none) and (unknown) mean, how many rows there are.
pub fn answer_remarks(answer: &Answer, locale: &Locale) -> Vec<String> {
    remarks(answer, None, locale)
}

/// The same of what is drawn of it: why totals are marked, what (none) and (unknown) mean, how many rows there are.
pub(crate) fn remarks(answer: &Answer, drawing: Option<&Drawing>, locale: &Locale) -> Vec<String> {
    match answer {
        Answer::List(list) => vec![list_count(list, locale)],
        Answer::Summary(summary) => summary_remarks(summary, drawing, locale),
    }
}

fn summary_remarks(summary: &Summary, drawing: Option<&Drawing>, locale: &Locale) -> Vec<String> {
    let shown = drawing.map_or(usize::MAX, |d| if d.shown == 0 { usize::MAX } else { d.shown });
    let mut remarks: Vec<String> =
        drawing.iter().flat_map(|d| &d.marks).map(|mark| format!("● {}", mark.meaning)).collect();
    for measure in summary.measures.iter().take(shown) {
        if measure.marked {
            let (figure, why) = (&measure.heading.label, why_not_additive(measure, locale));
            remarks.push(locale.say(Word::RemarkOffSum, &[("figure", figure), ("why", &why)]));
        }
        remarks.extend(why_partial(measure, locale));
        remarks.extend(why_shared(measure, locale));
    }
    let members = || summary.lines.iter().flat_map(|l| l.rows.iter().chain(&l.columns));
    if members().any(|m| *m == Member::None) {
        remarks.push(locale.word(Word::RemarkNone));
    }
    if members().any(|m| *m == Member::Unknown) {
        remarks.push(locale.word(Word::RemarkUnknown));
    }
    remarks
}
