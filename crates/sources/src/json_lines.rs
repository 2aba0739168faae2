//! Objects as JSON: one a line, or a list of them.

use crate::fields::{Field, FieldTable};
use crate::input::{Input, Unread};
use crate::loaded::{Loaded, ReadOptions, failed};
use serde::de::{Deserialize, Deserializer, MapAccess, SeqAccess, Visitor};
use serde_json::Value;
use std::fmt;
use vembra_plan::{Code, Finding};

/// How many faults are reported; the others are counted.
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
            let found =
                Finding::new(Code::V613, name, "the file is not in UTF-8".to_owned(), "JSON is in UTF-8");
            return failed(name, vec![Finding { line: Some(line), ..found }]);
        }
    };
    let mut table = FieldTable::default();
    let mut faults = Vec::new();
    let mut next = |line: u64, value: Result<Item, String>| match value {
        Ok(Item::Object(pairs)) => row(&mut table, line, &pairs).err(),
        Ok(Item::Other(kind)) => Some((None, format!("expected an object, found {kind}"))),
        Err(why) => Some((None, format!("this is no JSON: {why}"))),
    };
    let told = |line: u64, (column, message): (Option<String>, String)| {
        let help = "each line is an object: {\"sku\": \"A\", \"quantity\": 2}, with values that are no lists or objects";
        Finding { line: Some(line), column, ..Finding::new(Code::V639, name, message, help) }
    };
    if text.trim_start().starts_with('[') {
        match serde_json::from_str::<Vec<Item>>(text) {
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
        faults.push(Finding::new(Code::V611, name, "the file is empty".to_owned(), help));
    }
    table.load(name, options, faults)
}

/// What stands where an object is expected; of one its names and values as they stand, so that a name that stands twice is seen.
enum Item {
    Object(Vec<(String, Value)>),
    Other(&'static str),
}

/// Under this name numbers with all of their digits come.
const NUMBER: &str = "$serde_json::private::Number";

impl<'de> Deserialize<'de> for Item {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        from.deserialize_any(Items)
    }
}

struct Items;

impl<'de> Visitor<'de> for Items {
    type Value = Item;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Item, A::Error> {
        let mut pairs: Vec<(String, Value)> = Vec::new();
        while let Some(name) = map.next_key::<String>()? {
            if name == NUMBER {
                let _: String = map.next_value()?;
                return Ok(Item::Other("a number"));
            }
            pairs.push((name, map.next_value()?));
        }
        Ok(Item::Object(pairs))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Item, A::Error> {
        while list.next_element::<Value>()?.is_some() {}
        Ok(Item::Other("a list"))
    }

    fn visit_u64<E>(self, _: u64) -> Result<Item, E> {
        Ok(Item::Other("a number"))
    }

    fn visit_i64<E>(self, _: i64) -> Result<Item, E> {
        Ok(Item::Other("a number"))
    }

    fn visit_f64<E>(self, _: f64) -> Result<Item, E> {
        Ok(Item::Other("a number"))
    }

    fn visit_bool<E>(self, _: bool) -> Result<Item, E> {
        Ok(Item::Other("a boolean"))
    }

    fn visit_str<E>(self, _: &str) -> Result<Item, E> {
        Ok(Item::Other("a text"))
    }

    fn visit_unit<E>(self) -> Result<Item, E> {
        Ok(Item::Other("null"))
    }
}

/// Takes an object as a row. What it does not name is missing.
fn row(
    table: &mut FieldTable,
    line: u64,
    object: &[(String, Value)],
) -> Result<(), (Option<String>, String)> {
    for (at, (name, value)) in object.iter().enumerate() {
        if object[..at].iter().any(|(earlier, _)| earlier == name) {
            return Err((Some(name.clone()), "the name stands twice in the object".to_owned()));
        }
        if matches!(value, Value::Array(_) | Value::Object(_)) {
            return Err((Some(name.clone()), format!("expected a value, found {}", kind_of(value))));
        }
    }
    for (name, value) in object {
        let at = table.place(name);
        table.columns[at].push(match value {
            Value::Null | Value::Array(_) | Value::Object(_) => Field::Nothing,
            Value::Bool(value) => Field::Plain(value.to_string()),
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
        Value::Bool(_) => "a boolean",
        Value::Number(_) => "a number",
        Value::String(_) => "a text",
        Value::Array(_) => "a list",
        Value::Object(_) => "an object",
    }
}
