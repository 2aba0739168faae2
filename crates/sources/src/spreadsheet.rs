//! Answers as spreadsheet files (Office Open XML): real numbers and dates with formats, totals set off.

use rust_xlsxwriter::{
    DocProperties, ExcelDateTime, Format, FormatAlign, FormatBorder, Workbook, Worksheet, XlsxError,
};
use std::collections::BTreeSet;
use vembra_engine::{Answer, Heading, ListAnswer, MeasureHeading, Member, Summary};
use vembra_plan::{FiguresPlace, LevelKind, Period, Scalar, Type, civil, currency_sign};

/// How many digits of a number are kept by spreadsheets; of longer ones the nearest stands there.
const DIGITS: u32 = 15;
/// How many lines and columns fit into a sheet.
const MOST: (usize, usize) = (1_048_576, 16_384);

/// A spreadsheet file.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Spreadsheet {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// The columns in which a number has more digits than spreadsheets keep, so that the nearest one stands there.
    pub rounded: Vec<String>,
    /// The columns with dates before 1900-03-01, which spreadsheets cannot count: they stand there as texts.
    pub early: Vec<String>,
}

/// An answer that does not become a spreadsheet.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SpreadsheetError {
    /// It is too large.
    #[error(
        "a spreadsheet holds 1,048,576 lines and 16,384 columns, and the answer has {0} and {1}; filter it, or write .csv or .parquet"
    )]
    TooLarge(usize, usize),
    /// It cannot be written, which would be a fault of the program.
    #[error(transparent)]
    Unwritten(#[from] XlsxError),
}

/// An answer as a spreadsheet file, the same bytes each time.
///
/// # Errors
/// When it does not fit into a sheet: more than 1,048,576 lines or 16,384 columns.
pub fn answer_xlsx(
    answer: &Answer,
    currency: Option<&str>,
    words: &SpreadsheetWords<'_>,
) -> Result<Spreadsheet, SpreadsheetError> {
    let (lines, columns) = match answer {
        Answer::List(list) => (list.rows.len() + 1, list.columns.len()),
        Answer::Summary(summary) => {
            let grid = summary.grid();
            let heads = summary.columns.len() + 1 + summary.measures.len();
            if summary.figures.on_rows() {
                let lines = grid.rows.len() * summary.measures.len() + heads;
                (lines, summary.rows.len() + 1 + grid.columns.len())
            } else {
                let columns = summary.rows.len() + grid.columns.len() * summary.measures.len();
                (grid.rows.len() + heads, columns)
            }
        }
    };
    if lines > MOST.0 || columns > MOST.1 {
        return Err(SpreadsheetError::TooLarge(lines, columns));
    }
    let mut workbook = Workbook::new();
    // No clock: the file says no time of its making.
    let date = ExcelDateTime::from_ymd(2000, 1, 1)?;
    workbook.set_properties(&DocProperties::new().set_creation_datetime(&date));
    let sheet = workbook.add_worksheet();
    let mut writer = Writer { sheet, currency, words, long: BTreeSet::new(), early: BTreeSet::new() };
    let names: Vec<&str> = match answer {
        Answer::List(list) => {
            writer.list(list)?;
            list.columns.iter().map(|c| c.label.as_str()).collect()
        }
        Answer::Summary(summary) => {
            writer.summary(summary)?;
            let keys = summary.rows.iter().map(|h| h.label.as_str());
            let measures = summary.measures.iter().map(|m| m.heading.label.as_str());
            keys.chain(measures.cycle().take(columns - summary.rows.len())).collect()
        }
    };
    let named = |columns: &BTreeSet<u16>| {
        let mut named: Vec<String> = Vec::new();
        for name in columns.iter().filter_map(|at| names.get(usize::from(*at))) {
            if !named.iter().any(|known| known == name) {
                named.push((*name).to_owned());
            }
        }
        named
    };
    let (rounded, early) = (named(&writer.long), named(&writer.early));
    Ok(Spreadsheet { bytes: workbook.save_to_buffer()?, rounded, early })
}

/// Behind the keys the column of a figure under the column line of a number.
fn place(summary: &Summary, columns: usize, nth: usize, figure: usize) -> u16 {
    let at = match summary.figures {
        FiguresPlace::ColumnsFirst => figure * columns + nth,
        _ => nth * summary.measures.len() + figure,
    };
    at as u16
}

/// What a spreadsheet says beside numbers, in the language of its readers.
pub struct SpreadsheetWords<'a> {
    /// Totals, what is missing or unknown, months and weekdays by their names; none of other members, which stand as values.
    pub member: &'a dyn Fn(&Member) -> Option<String>,
    /// What is said below the answer, a line each.
    pub remarks: Vec<String>,
}

struct Writer<'a> {
    sheet: &'a mut Worksheet,
    currency: Option<&'a str>,
    words: &'a SpreadsheetWords<'a>,
    /// The columns with numbers that have more digits than are kept.
    long: BTreeSet<u16>,
    /// The columns with dates that are too early to be counted.
    early: BTreeSet<u16>,
}

fn head(right: bool) -> Format {
    let format = Format::new().set_bold().set_border_bottom(FormatBorder::Thin);
    if right { format.set_align(FormatAlign::Right) } else { format }
}

impl Writer<'_> {
    fn list(&mut self, list: &ListAnswer) -> Result<(), XlsxError> {
        for (at, column) in list.columns.iter().enumerate() {
            self.sheet.write_with_format(0, at as u16, &column.label, &head(column.ty.is_number()))?;
        }
        for (line, row) in list.rows.iter().enumerate() {
            for (at, (value, column)) in row.iter().zip(&list.columns).enumerate() {
                let format = self.format(column.format.as_deref(), value, false);
                self.value(line as u32 + 1, at as u16, value, &format)?;
            }
        }
        self.sheet.autofit();
        self.sheet.set_freeze_panes(1, 0)?;
        Ok(())
    }

    fn summary(&mut self, summary: &Summary) -> Result<(), XlsxError> {
        // Where figures are written below one another, each line has one value, and its figure among its keys.
        let down = summary.figures_down();
        let figure = match summary.figures {
            FiguresPlace::RowsFirst => Some(0),
            FiguresPlace::RowsLast => Some(summary.rows.len()),
            _ => None,
        };
        let laid = down.as_ref().unwrap_or(summary);
        let grid = laid.grid();
        let keys = laid.rows.len() as u16;
        let heads = self.heads(laid, &grid)?;
        let mut line = heads;
        for row in &grid.rows {
            let total = row.kind != LevelKind::Detail;
            let plain = if total { Format::new().set_bold() } else { Format::new() };
            let plain = plain.set_align(FormatAlign::Left);
            let own = figure.and_then(|at| self.of_figure(summary, &row.members[at]));
            let mut said = laid.walked && row.members.first().is_some_and(|m| *m != Member::All);
            for (axis, member) in row.members.iter().enumerate() {
                if let (Some(at), Some(measure)) = (figure, own)
                    && at == axis
                {
                    self.text(line, axis as u16, &measure.heading.label, &plain)?;
                    continue;
                }
                // The first member that is totalled says so.
                if *member == Member::All && std::mem::replace(&mut said, true) {
                    continue;
                }
                self.member(line, axis as u16, member, &laid.rows[axis], &plain)?;
            }
            for (nth, found) in row.cells.iter().enumerate() {
                let Some(found) = found else { continue };
                for (at, cell) in found.cells.iter().enumerate() {
                    let column = keys + place(laid, grid.columns.len(), nth, at);
                    let (_, pattern) = own.unwrap_or(&laid.measures[at]).on(found.kind);
                    let format = self.format(pattern, &cell.value, total);
                    self.value(line, column, &cell.value, &format)?;
                }
            }
            line += 1;
        }
        // Remarks are longer than columns should be.
        self.sheet.autofit();
        for remark in &self.words.remarks {
            line += 1;
            self.sheet.write(line, 0, remark)?;
        }
        self.sheet.set_freeze_panes(heads, keys)?;
        Ok(())
    }

    /// The figure that a member names.
    #[allow(clippy::unused_self)] // Reads like the others.
    fn of_figure<'s>(&self, summary: &'s Summary, member: &Member) -> Option<&'s MeasureHeading> {
        let Member::Value(Scalar::Text(name)) = member else { return None };
        summary.measures.iter().find(|m| m.heading.name == **name)
    }

    /// The heading lines; gives back how many there are.
    fn heads(&mut self, summary: &Summary, grid: &vembra_engine::Grid<'_>) -> Result<u32, XlsxError> {
        let keys = summary.rows.len() as u16;
        let named = summary.columns.is_empty() || summary.measures.len() > 1;
        let first = summary.figures == FiguresPlace::ColumnsFirst && named && !summary.columns.is_empty();
        let heads = summary.columns.len() as u32 + u32::from(named);
        for (axis, heading) in summary.rows.iter().enumerate() {
            let right = heading.ty.is_number();
            self.sheet.write_with_format(heads.max(1) - 1, axis as u16, &heading.label, &head(right))?;
        }
        let count = grid.columns.len();
        for (nth, column) in grid.columns.iter().enumerate() {
            for (at, measure) in summary.measures.iter().enumerate() {
                let to = keys + place(summary, count, nth, at);
                // What stands over several columns stands over the first of them.
                if first || at == 0 {
                    for (axis, member) in column.iter().enumerate() {
                        let line = axis as u32 + u32::from(first);
                        self.member(line, to, member, &summary.columns[axis], &head(true))?;
                    }
                }
                if named && (!first || nth == 0) {
                    let line = if first { 0 } else { heads - 1 };
                    self.sheet.write_with_format(line, to, &measure.heading.label, &head(true))?;
                }
            }
        }
        Ok(heads)
    }

    fn member(
        &mut self,
        line: u32,
        column: u16,
        member: &Member,
        heading: &Heading,
        format: &Format,
    ) -> Result<(), XlsxError> {
        match ((self.words.member)(member), member) {
            (Some(text), _) => self.text(line, column, &text, format),
            (None, Member::Value(value)) => {
                let number = self.format(heading.format.as_deref(), value, false);
                self.value(line, column, value, &number.merge(format))
            }
            (None, other) => self.text(line, column, &other.to_string(), format),
        }
    }

    fn text(&mut self, line: u32, column: u16, text: &str, format: &Format) -> Result<(), XlsxError> {
        self.sheet.write_string_with_format(line, column, text, format).map(|_| ())
    }

    fn number(&mut self, line: u32, column: u16, number: f64, format: &Format) -> Result<(), XlsxError> {
        if number.is_finite() {
            return self.sheet.write_number_with_format(line, column, number, format).map(|_| ());
        }
        self.text(line, column, &number.to_string(), format)
    }

    fn value(&mut self, line: u32, column: u16, value: &Scalar, format: &Format) -> Result<(), XlsxError> {
        if is_early(value) {
            self.early.insert(column);
            return self.text(line, column, &value.to_string(), format);
        }
        match value {
            Scalar::Null => Ok(()),
            Scalar::Boolean(b) => self.sheet.write_boolean_with_format(line, column, *b, format).map(|_| ()),
            Scalar::Float(x) => self.number(line, column, *x, format),
            Scalar::Integer(_) | Scalar::Decimal(_) => {
                let mut units = value.to_decimal().map_or(0, |d| d.units.unsigned_abs());
                while units > 0 && units.is_multiple_of(10) {
                    units /= 10;
                }
                if units >= 10u128.pow(DIGITS) {
                    self.long.insert(column);
                }
                self.number(line, column, value.to_f64().unwrap_or(0.0), format)
            }
            Scalar::Date(day) => self.number(line, column, serial(*day), format),
            Scalar::Time(micros) => self.number(line, column, *micros as f64 / DAY, format),
            Scalar::Moment(micros) => {
                let days = micros.div_euclid(DAY as i64);
                let rest = micros.rem_euclid(DAY as i64) as f64 / DAY;
                self.number(line, column, serial(i32::try_from(days).unwrap_or(0)) + rest, format)
            }
            Scalar::Period(Period::Month, index) => match civil::first_day(Period::Month, *index, 1) {
                Some(day) => self.number(line, column, serial(day), format),
                None => self.text(line, column, &value.to_string(), format),
            },
            Scalar::Period(Period::Year | Period::DayOfMonth | Period::DayOfYear, number) => {
                self.number(line, column, f64::from(*number), format)
            }
            Scalar::Text(_) | Scalar::Period(..) => self.text(line, column, &value.to_string(), format),
        }
    }

    fn format(&self, pattern: Option<&str>, value: &Scalar, bold: bool) -> Format {
        let format = if bold { Format::new().set_bold() } else { Format::new() };
        let code = match (value.ty(), pattern) {
            (Type::Date, _) => "yyyy-mm-dd".to_owned(),
            (Type::Time, _) => "hh:mm".to_owned(),
            (Type::Moment, _) => "yyyy-mm-dd hh:mm".to_owned(),
            (Type::Period(Period::Month), _) => "yyyy-mm".to_owned(),
            (ty, Some(pattern)) if ty.is_number() => number_code(pattern, self.currency),
            (Type::Integer, None) => "#,##0".to_owned(),
            (Type::Decimal(scale), None) if scale > 0 => {
                format!("0.{}", "0".repeat(usize::from(scale).min(10)))
            }
            (Type::Float, None) => "0.00".to_owned(),
            _ => return format,
        };
        format.set_num_format(code)
    }
}

const DAY: f64 = 86_400_000_000.0;

/// A day as spreadsheets count them: 25569 days lie before 1970-01-01.
fn serial(day: i32) -> f64 {
    f64::from(day) + 25_569.0
}

/// Whether a date lies before 1900-03-01: spreadsheets count a 29th of February 1900, which was none, and nothing before that year.
fn is_early(value: &Scalar) -> bool {
    const FIRST: i32 = -25_508;
    match value {
        Scalar::Date(day) => *day < FIRST,
        Scalar::Moment(micros) => micros.div_euclid(DAY as i64) < i64::from(FIRST),
        Scalar::Period(Period::Month, index) => {
            civil::first_day(Period::Month, *index, 1).is_some_and(|day| day < FIRST)
        }
        _ => false,
    }
}

/// A CLDR pattern as a number format of a spreadsheet: quotes are double there, and a currency is a quoted sign.
fn number_code(pattern: &str, currency: Option<&str>) -> String {
    let sign = currency_sign(currency);
    let mut code = String::new();
    let mut quoted = false;
    for c in pattern.chars() {
        match c {
            '\'' => {
                quoted = !quoted;
                code.push('"');
            }
            '¤' if !quoted => code.push_str(&format!("\"{sign}\"")),
            '"' => {}
            '#' | '0' | ',' | '.' | '%' | ';' | '-' | '(' | ')' | ' ' => code.push(c),
            c if quoted => code.push(c),
            c => code.push_str(&format!("\"{c}\"")),
        }
    }
    if quoted {
        code.push('"');
    }
    code
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_become_number_formats() {
        assert_eq!(number_code("¤#,##0.00", Some("EUR")), "\"€\"#,##0.00");
        assert_eq!(number_code("0.0%", None), "0.0%");
        assert_eq!(number_code("#,##0;(#,##0)", None), "#,##0;(#,##0)");
        assert_eq!(number_code("0 'pcs'", None), "0 \"pcs\"");
        assert_eq!(number_code("0 kg", Some("SEK")), "0 \"k\"\"g\"");
    }

    #[test]
    fn days_count_as_in_spreadsheets() {
        // 2025-03-01 is day 45717 there.
        assert!((serial(civil::day_of(2025, 3, 1).unwrap()) - 45_717.0).abs() < 1e-9);
    }
}
