//! Sheets of workbooks. Cells are read one by one, and only those that hold something are kept.

mod books;
mod ods;
mod sheet;

use crate::fields::{Field, FieldTable};
use crate::input::Input;
use crate::loaded::{Loaded, ReadOptions, failed, over_budget};
use books::Book;
use sheet::{Cell, Merged, Row, Sheet, cell_name};
use std::collections::BTreeMap;
use vembra_engine::OverBudget;
use vembra_plan::{Code, Finding, civil};

/// Why there is no sheet.
enum Unreadable {
    Damaged(String),
    Over(OverBudget),
    /// It has more cells than these.
    TooLarge(u64),
}

/// About how many bytes a cell takes, with the field that is made of it.
const CELL_BYTES: u64 = 96;
/// How many cells are read between two checks of the memory budget.
const BETWEEN_CHECKS: u64 = 1 << 16;
/// The largest number of cells with a value in a sheet.
const MOST_CELLS: u64 = 100_000_000;

/// Counts cells, before they are taken.
fn room(count: &mut u64, more: u64, options: &ReadOptions) -> Result<(), Unreadable> {
    let before = *count / BETWEEN_CHECKS;
    *count += more;
    if *count > MOST_CELLS {
        return Err(Unreadable::TooLarge(MOST_CELLS));
    }
    if *count / BETWEEN_CHECKS > before {
        options.memory.check_more(*count * CELL_BYTES).map_err(Unreadable::Over)?;
    }
    Ok(())
}

pub(crate) fn read(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    match sheet(name, input, options) {
        Ok(sheet) => table(name, sheet, options),
        Err(finding) => failed(name, vec![*finding]),
    }
}

/// The cells of the sheet that is meant.
fn sheet(name: &str, input: &Input<'_>, options: &ReadOptions) -> Result<Sheet, Box<Finding>> {
    let bytes = input.whole(options.memory).map_err(|unread| Box::new(unread.finding(name)))?;
    let told = |unreadable: Unreadable| Box::new(told(name, unreadable));
    if ods::is_ods(&bytes) {
        let wanted = wanted(name, ods::sheets(&bytes).map_err(told)?, options)?;
        return ods::sheet(&bytes, &wanted, options).map_err(told);
    }
    let mut book = Book::open(&bytes).map_err(told)?;
    let wanted = wanted(name, book.sheets(), options)?;
    book.sheet(&wanted, options).map_err(told)
}

fn told(name: &str, unreadable: Unreadable) -> Finding {
    match unreadable {
        Unreadable::Damaged(why) => {
            let help = "it is damaged, locked by a password, or no workbook: save it again, or save the sheet as CSV";
            Finding::new(Code::V612, name, format!("the workbook cannot be read: {why}"), help)
        }
        Unreadable::Over(over) => over_budget(name, over),
        Unreadable::TooLarge(most) => {
            let message = format!("the sheet has more than {} million cells", most / 1_000_000);
            Finding::new(Code::V634, name, message, "save it as CSV or Parquet, or split it")
        }
    }
}

/// The sheet that is meant.
fn wanted(name: &str, sheets: Vec<String>, options: &ReadOptions) -> Result<String, Box<Finding>> {
    match (&options.sheet, sheets.as_slice()) {
        (Some(told), _) if sheets.contains(told) => Ok(told.clone()),
        (Some(told), _) => {
            let help = format!("the sheets are: {}", sheets.join(", "));
            let found = Finding::new(Code::V629, name, format!("there is no sheet {told}"), &help);
            Err(Box::new(Finding { subjects: sheets, ..found }))
        }
        (None, [one]) => Ok(one.clone()),
        (None, []) => Err(Box::new(told(name, Unreadable::Damaged("it has no sheets".to_owned())))),
        (None, several) => {
            let help = format!("say which one: … sheet '{}'; there are: {}", several[0], several.join(", "));
            let message = format!("the workbook has {} sheets", several.len());
            let found = Finding::new(Code::V629, name, message, &help);
            Err(Box::new(Finding { subjects: sheets, ..found }))
        }
    }
}

/// The header is the first row all of whose cells are texts, with at least as many of them as the sheet has columns with something
/// below: titles above a table are left out.
fn header_row(rows: &[Row]) -> usize {
    let widest = rows.iter().map(|row| row.cells.len()).max().unwrap_or(0);
    let is_header = |row: &Row| {
        row.cells.len() == widest && row.cells.iter().all(|(_, cell)| matches!(cell, Cell::Text(_)))
    };
    let header = rows.iter().position(is_header);
    header.or_else(|| rows.iter().position(|row| row.cells.len() == widest)).unwrap_or(0)
}

fn table(name: &str, mut sheet: Sheet, options: &ReadOptions) -> Loaded {
    let header = header_row(&sheet.rows);
    let Some(names) = sheet.rows.get(header).cloned() else {
        let help = "the first row of the sheet names the columns";
        return failed(name, vec![Finding::new(Code::V611, name, "the sheet is empty".to_owned(), help)]);
    };
    let filled = sheet.fill_merged(names.number + 1);
    let mut findings: Vec<Finding> = merged_finding(name, &filled).into_iter().collect();
    // Columns without a name and without a value are the room around a table.
    let mut used: BTreeMap<u32, usize> = BTreeMap::new();
    for row in &sheet.rows[header..] {
        used.extend(row.cells.iter().map(|(column, _)| (*column, 0)));
    }
    used.values_mut().enumerate().for_each(|(at, place)| *place = at);
    let heading = |column: &u32| names.cell(*column).map(shown).unwrap_or_default().trim().to_owned();
    let unnamed = unnamed(name, &sheet.rows[header..], &used, &heading);
    if !unnamed.is_empty() {
        return failed(name, unnamed);
    }
    let mut table = FieldTable::new(used.keys().map(heading).collect());
    let mut columns: Vec<Vec<Option<Cell>>> = vec![Vec::new(); used.len()];
    for row in &sheet.rows[header + 1..] {
        table.lines.push(u64::from(row.number) + 1);
        columns.iter_mut().for_each(|column| column.push(None));
        for (column, cell) in row.cells.iter() {
            if let (Some(place), Some(last)) = (used.get(column), table.lines.len().checked_sub(1)) {
                columns[*place][last] = Some(cell.clone());
            }
        }
    }
    for (at, cells) in columns.into_iter().enumerate() {
        let (fields, found) = fields(name, &table, at, cells);
        table.columns[at] = fields;
        findings.extend(found);
    }
    table.load(name, options, findings)
}

/// The first cell of each column that has no name.
fn unnamed(
    name: &str,
    rows: &[Row],
    used: &BTreeMap<u32, usize>,
    heading: &impl Fn(&u32) -> String,
) -> Vec<Finding> {
    let first = |column: &u32| rows.iter().find_map(|row| Some((row.number, row.cell(*column)?)));
    let found = used.keys().filter(|column| heading(column).is_empty()).filter_map(|column| {
        let (row, cell) = first(column)?;
        let cell_name = cell_name(row, *column);
        let message = format!("the cell {cell_name} holds {}, in a column without a name", shown(cell));
        let help = "name the column above its values, or empty the cell";
        Some(Finding { line: Some(u64::from(row) + 1), ..Finding::new(Code::V614, name, message, help) })
    });
    few(found.collect())
}

/// What is said of merged cells.
fn merged_finding(name: &str, filled: &[Merged]) -> Option<Finding> {
    let first = filled.first()?;
    let range =
        |m: &Merged| format!("{}:{}", cell_name(m.rows.0, m.columns.0), cell_name(m.rows.1, m.columns.1));
    let more = match filled.len() - 1 {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    let message =
        format!("cells are merged ({}{more}): each row that they span has their value", range(first));
    let help = "if it is the value of the first row only, split the cells";
    let found = Finding::new(Code::V624, name, message, help);
    Some(Finding { line: Some(u64::from(first.rows.0) + 1), ..found })
}

/// The fields of a column, and what is to be said of them.
fn fields(name: &str, table: &FieldTable, at: usize, cells: Vec<Option<Cell>>) -> (Vec<Field>, Vec<Finding>) {
    let place = |found: Finding, row: usize| Finding {
        line: table.lines.get(row).copied(),
        column: Some(table.names[at].clone()),
        ..found
    };
    let mut findings = Vec::new();
    let has = |which: fn(&Cell) -> bool| cells.iter().flatten().any(which);
    // Where some moments have a time of day, midnight is one too.
    let with_time = has(|cell| matches!(cell, Cell::Moment(_, within) if *within != 0));
    let as_seconds = has(|cell| matches!(cell, Cell::Duration(_)));
    if as_seconds {
        let row = cells.iter().position(|cell| matches!(cell, Some(Cell::Duration(_)))).unwrap_or(0);
        let message = "the column holds lengths of time: they are read as seconds".to_owned();
        let help = format!("divide by 3600 for hours: column TABLE.hours = \"{}\" / 3600", table.names[at]);
        let found = Finding::new(Code::V623, name, message, &help);
        findings.push(place(found, row));
    }
    let mut fields = Vec::with_capacity(cells.len());
    for (row, cell) in cells.into_iter().enumerate() {
        fields.push(match cell {
            None => Field::Nothing,
            Some(Cell::Text(text) | Cell::Iso(text)) => Field::Text(text.to_string()),
            Some(Cell::Number(number)) => Field::Plain(number_text(number)),
            Some(Cell::Boolean(value)) => Field::Plain(value.to_string()),
            Some(Cell::Time(millis) | Cell::Duration(millis)) if as_seconds => Field::Plain(seconds(millis)),
            Some(Cell::Time(millis) | Cell::Duration(millis)) => Field::Plain(time_text(millis)),
            Some(Cell::Moment(day, within)) => {
                let day = civil::format_date(day);
                Field::Plain(if with_time { format!("{day}T{}", time_text(within)) } else { day })
            }
            Some(Cell::Error(why)) => {
                let help = "correct the formula, or leave the cell empty";
                let message = format!("the cell holds an error: {why}");
                findings.push(place(Finding::new(Code::V618, name, message, help), row));
                Field::Nothing
            }
            Some(Cell::Unstored) => {
                let message = "the cell holds a formula, and the file does not hold its value".to_owned();
                let help = "open the workbook in a program that works formulas out, and save it";
                findings.push(place(Finding::new(Code::V625, name, message, help), row));
                Field::Nothing
            }
        });
    }
    (fields, few(findings))
}

/// How many faults of one kind are listed for each column; the others are counted.
const SHOWN: usize = 3;

fn few(findings: Vec<Finding>) -> Vec<Finding> {
    let mut shown: Vec<Finding> = Vec::new();
    let mut left: BTreeMap<Code, usize> = BTreeMap::new();
    for finding in findings {
        if shown.iter().filter(|s| s.code == finding.code).count() < SHOWN {
            shown.push(finding);
        } else {
            *left.entry(finding.code).or_default() += 1;
        }
    }
    for (code, more) in left {
        if let Some(last) = shown.iter_mut().rfind(|s| s.code == code) {
            last.message.push_str(&format!(" ({more} more like it in this column)"));
        }
    }
    shown
}

/// A cell as the name of a column.
fn shown(cell: &Cell) -> String {
    match cell {
        Cell::Text(text) | Cell::Iso(text) | Cell::Error(text) => text.to_string(),
        Cell::Number(number) => number_text(*number),
        Cell::Boolean(value) => value.to_string(),
        Cell::Moment(day, 0) => civil::format_date(*day),
        Cell::Moment(day, within) => format!("{}T{}", civil::format_date(*day), time_text(*within)),
        Cell::Time(millis) | Cell::Duration(millis) => time_text(*millis),
        Cell::Unstored => String::new(),
    }
}

/// Sheets keep 15 digits of a number: the shortest that is it, written out.
fn number_text(number: f64) -> String {
    let text = format!("{number}");
    if text.parse::<f64>().is_ok_and(|n| n == 0.0) { "0".to_owned() } else { text }
}

fn time_text(millis: i64) -> String {
    let (seconds, rest) = (millis.div_euclid(1_000), millis.rem_euclid(1_000));
    let text = format!("{:02}:{:02}:{:02}", seconds / 3_600, seconds / 60 % 60, seconds % 60);
    if rest == 0 { text } else { format!("{text}.{rest:03}") }
}

/// A number of milliseconds as one of seconds.
fn seconds(millis: i64) -> String {
    let (sign, millis) = (if millis < 0 { "-" } else { "" }, millis.unsigned_abs());
    match millis % 1_000 {
        0 => format!("{sign}{}", millis / 1_000),
        rest => format!("{sign}{}.{rest:03}", millis / 1_000),
    }
}
