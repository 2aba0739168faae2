//! Sheets of the formats that calamine reads, cell by cell where the format allows it.

use super::sheet::{Cell, Merged, Sheet};
use super::{Unreadable, room};
use crate::loaded::ReadOptions;
use calamine::{DataType, ExcelDateTime, Reader, Xls, Xlsb, Xlsx};
use std::io::Cursor;
use std::rc::Rc;
use vembra_plan::civil;

type Bytes<'b> = Cursor<&'b [u8]>;

/// A workbook that is open.
pub(super) enum Book<'b> {
    Xlsx(Box<Xlsx<Bytes<'b>>>),
    Xlsb(Box<Xlsb<Bytes<'b>>>),
    Xls(Box<Xls<Bytes<'b>>>),
}

const DAY: i64 = 86_400_000;

impl<'b> Book<'b> {
    pub(super) fn open(bytes: &'b [u8]) -> Result<Self, Unreadable> {
        let why = |error: &dyn std::fmt::Display| Unreadable::Damaged(error.to_string());
        if !bytes.starts_with(b"PK") {
            return Ok(Self::Xls(Box::new(Xls::new(Cursor::new(bytes)).map_err(|e| why(&e))?)));
        }
        match Xlsx::new(Cursor::new(bytes)) {
            Ok(book) => Ok(Self::Xlsx(Box::new(book))),
            Err(error) => match Xlsb::new(Cursor::new(bytes)) {
                Ok(book) => Ok(Self::Xlsb(Box::new(book))),
                Err(_) => Err(why(&error)),
            },
        }
    }

    pub(super) fn sheets(&self) -> Vec<String> {
        match self {
            Self::Xlsx(book) => book.sheet_names(),
            Self::Xlsb(book) => book.sheet_names(),
            Self::Xls(book) => book.sheet_names(),
        }
    }

    pub(super) fn sheet(&mut self, name: &str, options: &ReadOptions) -> Result<Sheet, Unreadable> {
        let mut sheet = match self {
            Self::Xlsx(book) => {
                let mut sheet = Sheet::default();
                let merged = book.merge_cells_by_sheet_name(name).map_err(damaged)?;
                let mut reader = book.worksheet_cells_reader(name).map_err(damaged)?;
                let mut count = 0;
                while let Some(cell) = reader.next_cell_with_formula_metadata().map_err(damaged)? {
                    let found = match cell_of(&cell.value) {
                        None if cell.formula.is_some() => Some(Cell::Unstored),
                        found => found,
                    };
                    if let Some(found) = found {
                        room(&mut count, 1, options)?;
                        sheet.push(cell.pos.0, cell.pos.1, found);
                    }
                }
                let range = |d: calamine::Dimensions| Merged {
                    rows: (d.start.0, d.end.0),
                    columns: (d.start.1, d.end.1),
                };
                sheet.merged = merged.into_iter().map(range).collect();
                sheet
            }
            Self::Xlsb(book) => {
                let mut sheet = Sheet::default();
                let mut reader = book.worksheet_cells_reader(name).map_err(damaged)?;
                let mut count = 0;
                while let Some(cell) = reader.next_cell().map_err(damaged)? {
                    if let Some(found) = cell_of(cell.get_value()) {
                        room(&mut count, 1, options)?;
                        let (row, column) = cell.get_position();
                        sheet.push(row, column, found);
                    }
                }
                sheet
            }
            // Of at most 65,536 rows and 256 columns.
            Self::Xls(book) => {
                let range = book.worksheet_range(name).map_err(damaged)?;
                let (row, column) = range.start().unwrap_or_default();
                let mut sheet = Sheet::default();
                for (r, c, value) in range.used_cells() {
                    if let Some(found) = cell_of(value) {
                        sheet.push(row + r as u32, column + c as u32, found);
                    }
                }
                sheet
            }
        };
        sheet.sort();
        Ok(sheet)
    }
}

fn damaged(error: impl std::fmt::Display) -> Unreadable {
    Unreadable::Damaged(error.to_string())
}

fn text(text: &str) -> Option<Cell> {
    (!text.is_empty()).then(|| Cell::Text(Rc::from(text)))
}

/// What a cell holds, whichever of the two ways in which calamine lends it.
fn cell_of(value: &impl DataType) -> Option<Cell> {
    if let Some(number) = value.get_float() {
        return Some(Cell::Number(number));
    }
    if let Some(number) = value.get_int() {
        return Some(Cell::Number(number as f64));
    }
    if let Some(moment) = value.get_datetime() {
        return Some(moment_of(&moment));
    }
    if let Some(iso) = value.get_datetime_iso().or_else(|| value.get_duration_iso()) {
        return Some(Cell::Iso(Rc::from(iso)));
    }
    if let Some(error) = value.get_error() {
        return Some(Cell::Error(error.to_string().into()));
    }
    value.get_bool().map(Cell::Boolean).or_else(|| value.get_string().and_then(text))
}

/// A number of days and parts of days as what its format shows.
fn moment_of(moment: &ExcelDateTime) -> Cell {
    let value = moment.as_f64();
    if !value.is_finite() || value.abs() > 3e6 {
        return Cell::Number(value);
    }
    let millis = (value * DAY as f64).round() as i64;
    if moment.is_duration() {
        return Cell::Duration(millis);
    }
    if (0..DAY).contains(&millis) {
        return Cell::Time(millis);
    }
    let (year, month, day, ..) = moment.to_ymd_hms_milli();
    // The calendar of these workbooks has a 29th of February 1900, which was none.
    match civil::day_of(year.into(), month.into(), day.into()) {
        Some(day) if millis >= DAY => Cell::Moment(day, millis.rem_euclid(DAY)),
        _ => Cell::Number(value),
    }
}
