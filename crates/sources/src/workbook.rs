//! Sheets of workbooks.

use crate::fields::{Field, FieldTable};
use crate::input::Input;
use crate::loaded::{Loaded, ReadOptions, failed, finding};
use calamine::{Data, DataType, Range, Reader, open_workbook_auto_from_rs};
use std::io::Cursor;
use vembra_plan::{Finding, civil};

pub(crate) fn read(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    match sheet(name, input, options) {
        Ok((range, first_row)) => table(name, &range, first_row, options),
        Err(finding) => failed(name, vec![*finding]),
    }
}

/// The cells of the sheet, and the number of its first row from 1.
fn sheet(name: &str, input: &Input<'_>, options: &ReadOptions) -> Result<(Range<Data>, u64), Box<Finding>> {
    let bytes = input.whole(options.memory).map_err(|unread| Box::new(unread.finding(name)))?;
    let damaged = |why: String| {
        let help =
            "it is damaged, locked by a password, or no workbook: save it again, or save the sheet as CSV";
        Box::new(finding("V612", name, format!("the workbook cannot be read: {why}"), help))
    };
    let mut book = open_workbook_auto_from_rs(Cursor::new(bytes)).map_err(|e| damaged(e.to_string()))?;
    let sheets = book.sheet_names();
    let wanted = match &options.sheet {
        Some(told) if sheets.contains(told) => told.clone(),
        Some(told) => {
            let help = format!("the sheets are: {}", sheets.join(", "));
            return Err(Box::new(finding("V640", name, format!("there is no sheet {told}"), &help)));
        }
        None => match sheets.as_slice() {
            [one] => one.clone(),
            [] => return Err(damaged("it has no sheets".to_owned())),
            several => {
                let help =
                    format!("say which one: … sheet '{}'; there are: {}", several[0], several.join(", "));
                let message = format!("the workbook has {} sheets", several.len());
                return Err(Box::new(finding("V640", name, message, &help)));
            }
        },
    };
    let range = book.worksheet_range(&wanted).map_err(|e| damaged(e.to_string()))?;
    let first = range.start().map_or(1, |(row, _)| u64::from(row) + 1);
    Ok((range, first))
}

/// The header is the first row all of whose cells are texts, with at least as many of them as the sheet has columns with something
/// below: titles above a table are left out.
fn header_row(range: &Range<Data>) -> usize {
    let filled = |row: &[Data]| row.iter().filter(|c| !c.is_empty()).count();
    let widest = range.rows().map(filled).max().unwrap_or(0);
    let is_header = |row: &[Data]| filled(row) == widest && row.iter().all(|c| c.is_empty() || c.is_string());
    range.rows().position(is_header).or_else(|| range.rows().position(|r| filled(r) == widest)).unwrap_or(0)
}

fn table(name: &str, range: &Range<Data>, first_row: u64, options: &ReadOptions) -> Loaded {
    let header = header_row(range);
    let Some(names) = range.rows().nth(header) else {
        let help = "the first row of the sheet names the columns";
        return failed(name, vec![finding("V611", name, "the sheet is empty".to_owned(), help)]);
    };
    // Columns without a name and without a value are the room around a table.
    let is_used = |at: usize| range.rows().skip(header).any(|row| row.get(at).is_some_and(|c| !c.is_empty()));
    let used: Vec<usize> = (0..names.len()).filter(|at| is_used(*at)).collect();
    let mut table = FieldTable::new(used.iter().map(|at| names[*at].to_string().trim().to_owned()).collect());
    let mut findings = Vec::new();
    for (at, row) in range.rows().enumerate().skip(header + 1) {
        if row.iter().all(DataType::is_empty) {
            continue;
        }
        let line = first_row + at as u64;
        for (column, from) in used.iter().enumerate() {
            let field = match field(&row[*from]) {
                Ok(field) => field,
                Err(why) => {
                    let help = "mend the formula, or leave the cell empty";
                    findings.push(Finding {
                        line: Some(line),
                        column: Some(table.names[column].clone()),
                        ..finding("V618", name, format!("the cell holds an error: {why}"), help)
                    });
                    Field::Nothing
                }
            };
            table.columns[column].push(field);
        }
        table.lines.push(line);
    }
    table.load(name, options, findings)
}

fn field(cell: &Data) -> Result<Field, String> {
    Ok(match cell {
        Data::Empty => Field::Nothing,
        Data::String(text) if text.is_empty() => Field::Nothing,
        Data::String(text) => Field::Text(text.clone()),
        Data::Float(number) => Field::Plain(number_text(*number)),
        Data::Int(number) => Field::Plain(number.to_string()),
        Data::Bool(truth) => Field::Plain(truth.to_string()),
        Data::DateTime(moment) => Field::Plain(moment_text(moment)),
        Data::DateTimeIso(text) | Data::DurationIso(text) => Field::Text(text.clone()),
        Data::Error(error) => return Err(error.to_string()),
    })
}

/// Sheets keep 15 digits of a number: the shortest that is it, written out.
fn number_text(number: f64) -> String {
    let text = format!("{number}");
    if text.parse::<f64>().is_ok_and(|n| n == 0.0) { "0".to_owned() } else { text }
}

/// A day, a moment or a time of day, in ISO form.
fn moment_text(moment: &calamine::ExcelDateTime) -> String {
    const DAY: i64 = 86_400_000;
    let (year, month, day, hour, minute, second, milli) = moment.to_ymd_hms_milli();
    let time = || {
        let seconds = format!("{hour:02}:{minute:02}:{second:02}");
        if milli == 0 { seconds } else { format!("{seconds}.{milli:03}") }
    };
    let day = civil::day_of(year.into(), month.into(), day.into()).map(civil::format_date);
    let within = (moment.as_f64() * DAY as f64).round() as i64 % DAY;
    match day {
        Some(day) if moment.as_f64() >= 1.0 && within == 0 => day,
        Some(day) if moment.as_f64() >= 1.0 => format!("{day}T{}", time()),
        _ => time(),
    }
}
