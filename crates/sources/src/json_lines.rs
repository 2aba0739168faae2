//! Objects as JSON: one a line, or a list of them.

use crate::fields::{Field, FieldTable};
use crate::input::{Input, Unread};
use crate::loaded::{Loaded, ReadOptions, failed, finding};
use serde_json::Value;
use vembra_plan::Finding;

/// So many faults are told; the others are counted.
const SHOWN: usize = 3;

pub(crate) fn read(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    let bytes = match input.whole(options.memory) {
        Ok(bytes) => bytes,
        Err(unread) => return failed(name, vec![unread.finding(name)]),
    };
    let text = match std::str::from_utf8(&bytes) {
        Ok(text) => text.trim_start_matches('\u{feff}'),
        Err(error) => {
            let line = bytes[..error.valid_up_to()].iter().filter(|b| **b == b'\n').count() as u64 + 1;
            let found = finding("V613", name, "the file is not in UTF-8".to_owned(), "JSON is in UTF-8");
            return failed(name, vec![Finding { line: Some(line), ..found }]);
        }
    };
    let mut table = FieldTable::default();
    let mut faults = Vec::new();
    let mut next = |line: u64, value: Result<Value, String>| match value {
        Ok(Value::Object(object)) => row(&mut table, line, &object).err(),
        Ok(other) => Some((None, format!("expected an object, found {}", kind_of(&other)))),
        Err(why) => Some((None, format!("this is no JSON: {why}"))),
    };
    let told = |line: u64, (column, message): (Option<String>, String)| {
        let help = "each line is an object: {\"sku\": \"A\", \"quantity\": 2}, with values that are no lists or objects";
        Finding { line: Some(line), column, ..finding("V639", name, message, help) }
    };
    if text.trim_start().starts_with('[') {
        match serde_json::from_str::<Vec<Value>>(text) {
            Ok(values) => {
                let rows = (1..).zip(values);
                faults.extend(rows.filter_map(|(at, value)| next(at, Ok(value)).map(|why| told(at, why))));
            }
            Err(error) => faults.push(told(error.line() as u64, (None, format!("this is no JSON: {error}")))),
        }
    } else {
        for (at, line) in (1..).zip(text.lines()).filter(|(_, line)| !line.trim().is_empty()) {
            let value = serde_json::from_str(line).map_err(|error| error.to_string());
            faults.extend(next(at, value).map(|why| told(at, why)));
        }
    }
    if faults.len() > SHOWN {
        let more = faults.len() - SHOWN;
        faults.truncate(SHOWN);
        faults[SHOWN - 1].message.push_str(&format!(" ({more} more lines are like this)"));
    }
    if let Err(unread) = input.unchanged() {
        faults.push(Unread::finding(&unread, name));
    }
    if table.names.is_empty() && faults.is_empty() {
        let help = "each line is an object: its names are those of columns";
        faults.push(finding("V611", name, "the file is empty".to_owned(), help));
    }
    table.load(name, options, faults)
}

/// Takes an object as a row. What it does not name is missing.
fn row(
    table: &mut FieldTable,
    line: u64,
    object: &serde_json::Map<String, Value>,
) -> Result<(), (Option<String>, String)> {
    for (name, value) in object {
        if matches!(value, Value::Array(_) | Value::Object(_)) {
            return Err((Some(name.clone()), format!("expected a value, found {}", kind_of(value))));
        }
    }
    for (name, value) in object {
        let at = table.place(name);
        table.columns[at].push(match value {
            Value::Null | Value::Array(_) | Value::Object(_) => Field::Nothing,
            Value::Bool(truth) => Field::Plain(truth.to_string()),
            Value::Number(number) => Field::Plain(plain(&number.to_string())),
            Value::String(text) => Field::Text(text.clone()),
        });
    }
    table.lines.push(line);
    let rows = table.lines.len();
    table.columns.iter_mut().for_each(|c| c.resize(rows, Field::Nothing));
    Ok(())
}

/// A number as tables have it: JSON may write 1.50E2, and -0.
fn plain(number: &str) -> String {
    match number {
        "-0" => "0".to_owned(),
        _ => number.to_owned(),
    }
}

fn kind_of(value: &Value) -> &'static str {
    match value {
        Value::Null => "null",
        Value::Bool(_) => "a truth value",
        Value::Number(_) => "a number",
        Value::String(_) => "a text",
        Value::Array(_) => "a list",
        Value::Object(_) => "an object",
    }
}
