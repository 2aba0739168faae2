//! Answers as CSV and JSON: raw exact values, ISO dates, nulls empty.

use serde_json::{Map, Number, Value};
use std::str::FromStr;
use vembra_engine::{Answer, Cell, Member, Summary};
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
fn raw(value: &Scalar) -> String {
    match value {
        Scalar::Period(Period::FiscalYear, year) => year.to_string(),
        Scalar::Moment(_) => value.to_string().replacen(' ', "T", 1),
        _ => value.to_string(),
    }
}

/// A key as it stands in a file: a missing one is empty, an unknown one says so, a total has none.
fn raw_member(member: &Member) -> String {
    match member {
        Member::Value(value) => raw(value),
        Member::Unknown => "(unknown)".to_owned(),
        Member::Rest(label) => label.to_string(),
        Member::None | Member::All => String::new(),
    }
}

/// Behind the name of an axis: the column that tells missing members from real ones of the same name.
const MISSING: &str = " missing";

/// Why a member is missing, as a marker column says it.
fn missing(member: &Member) -> &'static str {
    match member {
        Member::None => "none",
        Member::Unknown => "unknown",
        _ => "",
    }
}

/// Whether real members are called as missing ones are, while there are such: then a marker tells them apart.
fn is_unclear<'m>(members: impl Iterator<Item = &'m Member>) -> bool {
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
fn unclear_axes(summary: &Summary) -> Vec<bool> {
    let rows = (0..summary.rows.len()).map(|at| is_unclear(summary.lines.iter().map(|l| &l.rows[at])));
    let columns =
        (0..summary.columns.len()).map(|at| is_unclear(summary.lines.iter().map(|l| &l.columns[at])));
    rows.chain(columns).collect()
}

/// The names of axes, each with its marker if it needs one.
fn axis_names<'h>(
    headings: impl Iterator<Item = &'h vembra_engine::Heading>,
    unclear: &[bool],
) -> impl Iterator<Item = String> {
    headings.zip(unclear).flat_map(|(heading, unclear)| {
        let name = heading.name.clone();
        let marker = unclear.then(|| name.clone() + MISSING);
        std::iter::once(name).chain(marker)
    })
}

/// The members of a line, each with its marker if its axis needs one.
fn marked_members<'m>(
    members: impl Iterator<Item = &'m Member>,
    unclear: &[bool],
) -> impl Iterator<Item = String> {
    members.zip(unclear).flat_map(|(member, unclear)| {
        std::iter::once(raw_member(member)).chain(unclear.then(|| missing(member).to_owned()))
    })
}

/// A table of texts with a header: what CSV holds.
struct Records {
    header: Vec<String>,
    rows: Vec<Vec<String>>,
}

fn records(answer: &Answer, layout: Layout) -> Records {
    match (answer, layout) {
        (Answer::List(list), _) => Records {
            header: list.columns.iter().map(|c| c.name.clone()).collect(),
            rows: list.rows.iter().map(|row| row.iter().map(raw).collect()).collect(),
        },
        (Answer::Summary(summary), Layout::Tidy) => tidy(summary),
        (Answer::Summary(summary), Layout::Grid) => grid(summary),
    }
}

fn has_totals(summary: &Summary) -> bool {
    summary.totals_on_rows.is_some() || summary.totals_on_columns.is_some()
}

fn tidy(summary: &Summary) -> Records {
    let totals = has_totals(summary);
    let unclear = unclear_axes(summary);
    let keys = axis_names(summary.rows.iter().chain(&summary.columns), &unclear);
    let measures = summary.measures.iter().map(|m| m.heading.name.clone());
    let header = totals.then(|| "line".to_owned()).into_iter().chain(keys).chain(measures).collect();
    let row = |line: &vembra_engine::Line| {
        let kind = totals.then(|| kind_name(line.kind).to_owned());
        let keys = marked_members(line.rows.iter().chain(&line.columns), &unclear);
        kind.into_iter().chain(keys).chain(line.cells.iter().map(|c| raw(&c.value))).collect()
    };
    Records { header, rows: summary.lines.iter().map(row).collect() }
}

fn grid(summary: &Summary) -> Records {
    let totals = summary.totals_on_rows.is_some();
    let grid = summary.grid();
    let mut header: Vec<String> = totals.then(|| "line".to_owned()).into_iter().collect();
    let unclear = unclear_axes(summary);
    let (on_rows, on_columns) = unclear.split_at(summary.rows.len());
    header.extend(axis_names(summary.rows.iter(), on_rows));
    for column in &grid.columns {
        for measure in &summary.measures {
            let members = column.iter().zip(on_columns).map(|(m, unclear)| match m {
                Member::All => "total".to_owned(),
                Member::None | Member::Unknown if *unclear => format!("{m}{MISSING}"),
                Member::None => "(none)".to_owned(),
                other => raw_member(other),
            });
            let name = &measure.heading.name;
            let alone = summary.measures.len() == 1 && !summary.columns.is_empty();
            let parts: Vec<String> = members.chain((!alone).then(|| name.clone())).collect();
            header.push(parts.join(" "));
        }
    }
    let cells = |cells: Option<&[Cell]>| -> Vec<String> {
        match cells {
            Some(cells) => cells.iter().map(|c| raw(&c.value)).collect(),
            None => vec![String::new(); summary.measures.len()],
        }
    };
    let rows = grid.rows.iter().map(|row| {
        let kind = totals.then(|| kind_name(row.kind).to_owned());
        let members = marked_members(row.members.iter(), on_rows);
        kind.into_iter()
            .chain(members)
            .chain(row.cells.iter().flat_map(|c| cells(c.map(|(c, _)| c))))
            .collect()
    });
    Records { header, rows: rows.collect() }
}

/// An answer as CSV.
///
/// # Errors
/// When a record cannot be written, which would be a fault of the program.
pub fn answer_csv(answer: &Answer, layout: Layout) -> Result<String, csv::Error> {
    let records = records(answer, layout);
    csv_text(&records.header, &records.rows)
}

/// A table of texts as CSV.
///
/// # Errors
/// When a record cannot be written, which would be a fault of the program.
pub fn csv_text(header: &[String], rows: &[Vec<String>]) -> Result<String, csv::Error> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(header)?;
    for row in rows {
        writer.write_record(row)?;
    }
    let bytes = writer.into_inner().map_err(|error| csv::Error::from(error.into_error()))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// A value in JSON: numbers with all their digits, dates and periods as texts.
fn json(value: &Scalar) -> Value {
    match value {
        Scalar::Null => Value::Null,
        Scalar::Boolean(b) => Value::Bool(*b),
        Scalar::Integer(_) | Scalar::Decimal(_) | Scalar::Float(_) => number(&value.to_string()),
        Scalar::Period(Period::Year | Period::FiscalYear | Period::DayOfMonth | Period::DayOfYear, i) => {
            number(&i.to_string())
        }
        other => Value::String(raw(other)),
    }
}

fn number(text: &str) -> Value {
    Number::from_str(text).map_or_else(|_| Value::String(text.to_owned()), Value::Number)
}

fn json_member(member: &Member) -> Value {
    match member {
        Member::Value(value) => json(value),
        Member::Unknown => Value::String("(unknown)".to_owned()),
        Member::Rest(label) => Value::String(label.to_string()),
        Member::None | Member::All => Value::Null,
    }
}

/// An answer as JSON: tidy as a list of objects, a grid as a header and rows.
pub fn answer_json(answer: &Answer, layout: Layout) -> Value {
    match (answer, layout) {
        (Answer::List(list), _) => {
            let object = |row: &Vec<Scalar>| -> Value {
                list.columns
                    .iter()
                    .zip(row)
                    .map(|(c, v)| (c.name.clone(), json(v)))
                    .collect::<Map<_, _>>()
                    .into()
            };
            list.rows.iter().map(object).collect()
        }
        (Answer::Summary(summary), Layout::Tidy) => {
            let unclear = unclear_axes(summary);
            summary.lines.iter().map(|l| tidy_json(summary, l, &unclear)).collect()
        }
        (Answer::Summary(summary), Layout::Grid) => grid_json(summary),
    }
}

/// The marker of a member, null where it is not missing.
fn json_marker(member: &Member) -> Value {
    Some(missing(member)).filter(|m| !m.is_empty()).map_or(Value::Null, Value::from)
}

fn tidy_json(summary: &Summary, line: &vembra_engine::Line, unclear: &[bool]) -> Value {
    let mut object = Map::new();
    if has_totals(summary) {
        object.insert("line".to_owned(), kind_name(line.kind).into());
    }
    let keys = summary.rows.iter().zip(&line.rows).chain(summary.columns.iter().zip(&line.columns));
    for ((heading, member), unclear) in keys.zip(unclear) {
        object.insert(heading.name.clone(), json_member(member));
        if *unclear {
            object.insert(heading.name.clone() + MISSING, json_marker(member));
        }
    }
    let cells = summary.measures.iter().zip(&line.cells);
    object.extend(cells.map(|(measure, cell)| (measure.heading.name.clone(), json(&cell.value))));
    Value::Object(object)
}

fn grid_json(summary: &Summary) -> Value {
    let header = grid(summary).header;
    let grid = summary.grid();
    let totals = summary.totals_on_rows.is_some();
    let unclear = unclear_axes(summary);
    let rows: Vec<Value> = grid
        .rows
        .iter()
        .map(|row| {
            let kind = totals.then(|| Value::from(kind_name(row.kind)));
            let cells = row.cells.iter().flat_map(|cells| match cells {
                Some((cells, _)) => cells.iter().map(|c| json(&c.value)).collect(),
                None => vec![Value::Null; summary.measures.len()],
            });
            let members = row.members.iter().zip(&unclear).flat_map(|(member, unclear)| {
                std::iter::once(json_member(member)).chain(unclear.then(|| json_marker(member)))
            });
            kind.into_iter().chain(members).chain(cells).collect()
        })
        .collect();
    serde_json::json!({ "header": header, "rows": rows })
}
