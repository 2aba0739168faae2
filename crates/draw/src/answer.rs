//! Answers as tables for people.

use crate::number::{format_value, grouped};
use crate::sheet::sheet;
use crate::sheet_text::sheet_text;
use crate::table::{Align, TextTable};
use vembra_engine::{Answer, Cell, Heading, ListAnswer, MeasureHeading, Member, Summary};
use vembra_plan::drawing::Drawing;
use vembra_plan::{LevelKind, NotAdditive, Scalar, Type};

/// The mark of a total that is not the sum of its lines.
pub(crate) const MARK: &str = " ≠";

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

pub(crate) fn align(ty: Type) -> Align {
    if ty.is_number() { Align::Right } else { Align::Left }
}

pub(crate) fn member_text(member: &Member, heading: &Heading, all: &str) -> String {
    match member {
        Member::Value(value) => format_value(value, heading.format.as_deref(), None),
        Member::All => all.to_owned(),
        other => other.to_string(),
    }
}

/// The members of a line: the first one that is totalled says so, the others stay empty. Where a hierarchy is
/// walked, only the grand total says so: what is opened stands above its parts.
pub(crate) fn members_text(members: &[Member], headings: &[Heading], walked: bool) -> Vec<String> {
    let mut said = walked && members.first().is_some_and(|m| *m != Member::All);
    let text = |(member, heading): (&Member, &Heading)| {
        let all = if *member == Member::All && !std::mem::replace(&mut said, true) { "Total" } else { "" };
        member_text(member, heading, all)
    };
    members.iter().zip(headings).map(text).collect()
}

/// A figure by its format; whole numbers without one get thousands separators.
pub(crate) fn figure(
    value: &Scalar,
    measure: &MeasureHeading,
    kind: LevelKind,
    currency: Option<&str>,
) -> String {
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

/// Why a total is not the sum of its lines.
pub fn why_not_additive(measure: &MeasureHeading) -> String {
    if let (None, Some(blank)) = (&measure.not_additive, &measure.blank) {
        let lines = if blank.lines == 1 {
            "1 line has".to_owned()
        } else {
            format!("{} lines have", grouped(blank.lines))
        };
        return format!(
            "{lines} no value there, since {} has none; the total has what they lack.",
            blank.term
        );
    }
    match &measure.not_additive {
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
        Some(NotAdditive::Formula) => "the formula is worked out from the totals of its parts.".to_owned(),
        Some(NotAdditive::Stretch) => {
            "each line takes days of other lines too, or days of its own only in part.".to_owned()
        }
        Some(NotAdditive::Forgotten) => {
            "each line reaches beyond its own rows, so the lines do not add up to the total.".to_owned()
        }
        Some(NotAdditive::Window) => "the figure follows the lines shown.".to_owned(),
        Some(NotAdditive::Variant) => "totals have a formula of their own.".to_owned(),
        None => "some of its rows stand on no line.".to_owned(),
    }
}

fn summary_remarks(summary: &Summary, drawing: Option<&Drawing>) -> Vec<String> {
    let shown = drawing.map_or(usize::MAX, |d| if d.shown == 0 { usize::MAX } else { d.shown });
    let mut remarks: Vec<String> =
        drawing.iter().flat_map(|d| &d.marks).map(|mark| format!("● {}", mark.meaning)).collect();
    for measure in summary.measures.iter().take(shown).filter(|m| m.marked) {
        let (label, why) = (&measure.heading.label, why_not_additive(measure));
        remarks.push(format!("≠ {label}: not the sum of the lines; {why}"));
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
