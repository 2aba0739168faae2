//! Sheets of `OpenDocument` workbooks (OASIS Open Document Format, part 3: tables), read as a stream: what is repeated or empty takes no
//! memory before it is counted.

use super::sheet::{Cell, Merged, Row, Sheet};
use super::{Unreadable, room};
use crate::loaded::ReadOptions;
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::io::{BufReader, Cursor, Read};
use std::rc::Rc;
use vembra_plan::civil;
use zip::ZipArchive;

/// What the first entry of such a file says.
const MIMETYPE: &[u8] = b"application/vnd.oasis.opendocument.spreadsheet";
/// The largest sheet, in rows and columns.
const MOST: u32 = 1 << 20;
/// The largest number of blanks that one element may repeat.
const MOST_BLANKS: usize = 1_000;

/// Whether a file is one: its type stands at its start, unpacked.
pub(super) fn is_ods(bytes: &[u8]) -> bool {
    bytes.starts_with(b"PK") && bytes[..bytes.len().min(200)].windows(MIMETYPE.len()).any(|w| w == MIMETYPE)
}

fn damaged(error: impl std::fmt::Display) -> Unreadable {
    Unreadable::Damaged(error.to_string())
}

type Content<'b> = Reader<BufReader<Box<dyn Read + 'b>>>;

/// Opens the content and does something with it.
fn with_content<T>(
    bytes: &[u8],
    work: impl FnOnce(&mut Content<'_>) -> Result<T, Unreadable>,
) -> Result<T, Unreadable> {
    let mut archive = ZipArchive::new(Cursor::new(bytes)).map_err(damaged)?;
    let content = archive.by_name("content.xml").map_err(damaged)?;
    let mut reader = Reader::from_reader(BufReader::new(Box::new(content) as Box<dyn Read + '_>));
    reader.config_mut().expand_empty_elements = true;
    work(&mut reader)
}

/// The names of the sheets.
pub(super) fn sheets(bytes: &[u8]) -> Result<Vec<String>, Unreadable> {
    with_content(bytes, |reader| {
        let (mut names, mut buffer) = (Vec::new(), Vec::new());
        loop {
            match reader.read_event_into(&mut buffer).map_err(damaged)? {
                Event::Start(start) if is(&start, "table:table") => {
                    names.push(attribute(&start, "table:name")?.unwrap_or_default());
                }
                Event::Eof => return Ok(names),
                _ => {}
            }
            buffer.clear();
        }
    })
}

/// The cells of a sheet.
pub(super) fn sheet(bytes: &[u8], name: &str, options: &ReadOptions) -> Result<Sheet, Unreadable> {
    with_content(bytes, |reader| {
        let mut buffer = Vec::new();
        loop {
            match reader.read_event_into(&mut buffer).map_err(damaged)? {
                Event::Start(start)
                    if is(&start, "table:table")
                        && attribute(&start, "table:name")?.as_deref() == Some(name) =>
                {
                    return rows(reader, options);
                }
                Event::Eof => return Err(Unreadable::Damaged(format!("the sheet {name} is not there"))),
                _ => {}
            }
            buffer.clear();
        }
    })
}

fn rows(reader: &mut Content<'_>, options: &ReadOptions) -> Result<Sheet, Unreadable> {
    let mut sheet = Sheet::default();
    let (mut buffer, mut row, mut count) = (Vec::new(), 0_u32, 0);
    loop {
        match reader.read_event_into(&mut buffer).map_err(damaged)? {
            Event::Start(start) if is(&start, "table:table-row") => {
                let times = repeated(&start, "table:number-rows-repeated")?;
                let cells = Rc::new(cells(reader, row, &mut sheet.merged, &mut count, options)?);
                if !cells.is_empty() {
                    // A row that is repeated is one of the table as often as it says.
                    let times = times.min(MOST - row);
                    room(&mut count, u64::from(times - 1) * cells.len() as u64, options)?;
                    let row_at = |at| Row { number: row + at, cells: cells.clone() };
                    sheet.rows.extend((0..times).map(row_at));
                }
                row = row.saturating_add(times).min(MOST);
            }
            Event::End(end) if end.name().0 == "table:table" => return Ok(sheet),
            Event::Eof => return Err(Unreadable::Damaged("the sheet has no end".to_owned())),
            _ => {}
        }
        buffer.clear();
    }
}

fn cells(
    reader: &mut Content<'_>,
    row: u32,
    merged: &mut Vec<Merged>,
    count: &mut u64,
    options: &ReadOptions,
) -> Result<Vec<(u32, Cell)>, Unreadable> {
    let (mut found, mut column, mut buffer) = (Vec::new(), 0_u32, Vec::new());
    loop {
        match reader.read_event_into(&mut buffer).map_err(damaged)? {
            Event::Start(start)
                if is(&start, "table:table-cell") || is(&start, "table:covered-table-cell") =>
            {
                let times = repeated(&start, "table:number-columns-repeated")?;
                let over = (
                    repeated(&start, "table:number-rows-spanned")?,
                    repeated(&start, "table:number-columns-spanned")?,
                );
                let start = start.into_owned();
                let text = paragraphs(reader, start.name().0)?;
                if let Some(cell) = cell(&start, &text)? {
                    let times = times.min(MOST - column);
                    room(count, times.into(), options)?;
                    found.extend((0..times).map(|at| (column + at, cell.clone())));
                    if over != (1, 1) {
                        let to = |from: u32, over: u32| from.saturating_add(over - 1).min(MOST);
                        let (rows, columns) = ((row, to(row, over.0)), (column, to(column, over.1)));
                        merged.push(Merged { rows, columns });
                    }
                }
                column = column.saturating_add(times).min(MOST);
            }
            Event::End(end) if end.name().0 == "table:table-row" => return Ok(found),
            Event::Eof => return Err(Unreadable::Damaged("a row has no end".to_owned())),
            _ => {}
        }
        buffer.clear();
    }
}

/// The text of the paragraphs of a cell, up to its end; notes beside it are none of it.
fn paragraphs(reader: &mut Content<'_>, cell: &str) -> Result<String, Unreadable> {
    let (mut text, mut buffer, mut within, mut notes) = (String::new(), Vec::new(), 0_usize, 0_usize);
    loop {
        match reader.read_event_into(&mut buffer).map_err(damaged)? {
            Event::Start(start) => match start.name().0 {
                "office:annotation" => notes += 1,
                "text:p" if notes == 0 => {
                    if within == 0 && !text.is_empty() {
                        text.push('\n');
                    }
                    within += 1;
                }
                "text:s" if notes == 0 => {
                    let blanks = repeated(&start, "text:c")? as usize;
                    text.extend(std::iter::repeat_n(' ', blanks.min(MOST_BLANKS)));
                }
                "text:tab" if notes == 0 => text.push('\t'),
                "text:line-break" if notes == 0 => text.push('\n'),
                _ => {}
            },
            Event::Text(own) if within > 0 && notes == 0 => {
                text.push_str(&own.xml10_content());
            }
            Event::GeneralRef(own) if within > 0 && notes == 0 => text.push_str(&entity(&own)?),
            Event::CData(own) if within > 0 && notes == 0 => {
                text.push_str(&own.xml10_content());
            }
            Event::End(end) => match end.name().0 {
                "office:annotation" => notes = notes.saturating_sub(1),
                "text:p" if notes == 0 => within = within.saturating_sub(1),
                name if name == cell => return Ok(text),
                _ => {}
            },
            Event::Eof => return Err(Unreadable::Damaged("a cell has no end".to_owned())),
            _ => {}
        }
        buffer.clear();
    }
}

fn entity(own: &quick_xml::events::BytesRef<'_>) -> Result<String, Unreadable> {
    if let Some(letter) = own.resolve_char_ref().map_err(damaged)? {
        return Ok(letter.to_string());
    }
    let name: &str = own;
    Ok(quick_xml::escape::resolve_predefined_entity(name).unwrap_or_default().to_owned())
}

/// What a cell holds, by the attributes that say its type and value.
fn cell(start: &BytesStart<'_>, text: &str) -> Result<Option<Cell>, Unreadable> {
    let value = |name: &str| attribute(start, name);
    let is_formula = value("table:formula")?.is_some();
    // Programs say that a formula failed by a type of their own, and its text begins with a mark.
    let failed = is_formula && (text.starts_with('#') || text.starts_with("Err:"));
    if failed {
        return Ok(Some(Cell::Error(text.into())));
    }
    let number = |text: Option<String>| text.and_then(|t| t.trim().parse::<f64>().ok());
    let found = match value("office:value-type")?.as_deref() {
        Some("float" | "percentage" | "currency") => number(value("office:value")?).map(Cell::Number),
        Some("boolean") => value("office:boolean-value")?.map(|value| Cell::Boolean(value == "true")),
        Some("date") => value("office:date-value")?.map(|date| date_of(&date)),
        Some("time") => value("office:time-value")?.map(|time| time_of(&time)),
        Some("string") => {
            let own = value("office:string-value")?.unwrap_or_else(|| text.to_owned());
            (!own.is_empty()).then(|| Cell::Text(own.into()))
        }
        _ => (!text.is_empty()).then(|| Cell::Text(text.into())),
    };
    Ok(found.or(is_formula.then_some(Cell::Unstored)))
}

/// A date, or a moment, in ISO form.
fn date_of(text: &str) -> Cell {
    let (date, time) = text.split_once('T').unwrap_or((text, ""));
    let day = civil::parse_date(date);
    let within = if time.is_empty() { Some(0) } else { civil::parse_time(time).map(|micros| micros / 1_000) };
    match (day, within) {
        (Some(day), Some(within)) => Cell::Moment(day, within),
        _ => Cell::Iso(text.into()),
    }
}

/// A time of day or a length of time as a duration of ISO 8601: `PT15H30M00S`. Up to a day it is a time of day.
fn time_of(text: &str) -> Cell {
    const DAY: i64 = 86_400_000;
    match millis(text) {
        Some(millis) if (0..DAY).contains(&millis) => Cell::Time(millis),
        Some(millis) => Cell::Duration(millis),
        None => Cell::Iso(text.into()),
    }
}

fn millis(text: &str) -> Option<i64> {
    let (negative, text) = text.strip_prefix('-').map_or((false, text), |rest| (true, rest));
    let mut rest = text.strip_prefix('P')?;
    let (mut total, mut in_time) = (0.0_f64, false);
    while !rest.is_empty() {
        if let Some(time) = rest.strip_prefix('T') {
            (in_time, rest) = (true, time);
            continue;
        }
        let end = rest.find(|c: char| !c.is_ascii_digit() && c != '.')?;
        let number: f64 = rest[..end].parse().ok()?;
        let unit = match (&rest[end..=end], in_time) {
            ("D", false) => 86_400.0,
            ("H", true) => 3_600.0,
            ("M", true) => 60.0,
            ("S", true) => 1.0,
            _ => return None,
        };
        total += number * unit;
        rest = &rest[end + 1..];
    }
    let millis = (total * 1_000.0).round();
    (millis < 9e15).then_some(if negative { -(millis as i64) } else { millis as i64 })
}

fn is(start: &BytesStart<'_>, name: &str) -> bool {
    start.name().0 == name
}

fn repeated(start: &BytesStart<'_>, name: &str) -> Result<u32, Unreadable> {
    let times = attribute(start, name)?.map(|times| times.trim().parse::<u64>());
    match times {
        None => Ok(1),
        Some(Ok(times)) => Ok(u32::try_from(times).unwrap_or(u32::MAX).max(1)),
        Some(Err(error)) => Err(damaged(error)),
    }
}

fn attribute(start: &BytesStart<'_>, name: &str) -> Result<Option<String>, Unreadable> {
    for attribute in start.attributes() {
        let attribute = attribute.map_err(damaged)?;
        if attribute.key.0 == name {
            let value = attribute.normalized_value(quick_xml::XmlVersion::Implicit1_0).map_err(damaged)?;
            return Ok(Some(value.into_owned()));
        }
    }
    Ok(None)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_told_from_lengths_of_time() {
        assert_eq!(time_of("PT15H30M00S"), Cell::Time(55_800_000));
        assert_eq!(time_of("PT26H30M"), Cell::Duration(95_400_000));
        assert_eq!(time_of("P1DT2H"), Cell::Duration(93_600_000));
        assert_eq!(time_of("-PT1H"), Cell::Duration(-3_600_000));
        assert_eq!(time_of("PT0H0M1.5S"), Cell::Time(1_500));
        assert_eq!(time_of("soon"), Cell::Iso("soon".into()));
    }
}
