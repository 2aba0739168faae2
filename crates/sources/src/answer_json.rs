//! Answers as JSON: numbers with all their digits.

use crate::answer_names::{
    Layout, MISSING, NOTES, grid_names, has_notes, has_totals, kind_name, missing, notes, raw, totalled,
    unclear_axes,
};
use serde_json::{Map, Number, Value};
use std::str::FromStr;
use vembra_engine::{Answer, Member, Summary};
use vembra_plan::{Period, Scalar};

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
        (Answer::Summary(summary), layout) => {
            let down = summary.figures_down();
            let summary = down.as_ref().unwrap_or(summary);
            if layout == Layout::Grid {
                return grid_json(summary);
            }
            let unclear = unclear_axes(summary);
            let has_notes = has_notes(summary);
            summary.lines.iter().map(|l| tidy_json(summary, l, &unclear, has_notes)).collect()
        }
    }
}

/// The marker of a member, null where it is not missing.
fn json_marker(member: &Member) -> Value {
    Some(missing(member)).filter(|m| !m.is_empty()).map_or(Value::Null, Value::from)
}

fn tidy_json(summary: &Summary, line: &vembra_engine::Line, unclear: &[bool], has_notes: bool) -> Value {
    let mut object = Map::new();
    if has_totals(summary) {
        object.insert("line".to_owned(), kind_name(line.kind).into());
        object.insert("over".to_owned(), totalled(summary, line).into());
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
    if has_notes {
        object.insert(NOTES.to_owned(), notes(summary, line).into());
    }
    Value::Object(object)
}

fn grid_json(summary: &Summary) -> Value {
    let grid = summary.grid();
    let header = grid_names(summary, &grid.columns);
    let totals = summary.totals_on_rows.is_some();
    let unclear = unclear_axes(summary);
    let rows: Vec<Value> = grid
        .rows
        .iter()
        .map(|row| {
            let kind = totals.then(|| Value::from(kind_name(row.kind)));
            let cells = row.cells.iter().flat_map(|cells| match cells {
                Some(found) => found.cells.iter().map(|c| json(&c.value)).collect(),
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
