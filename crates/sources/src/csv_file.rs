//! Delimited text with a header line.

use crate::csv_findings::{bad_findings, header_findings, mostly_finding, open_quote, ragged_finding};
use crate::fields::Fields;
use crate::file::LONGEST_LINE;
use crate::kind::{is_json, kind_of_file};
use crate::loaded::{Loaded, ReadOptions, failed, finding, over_budget};
use crate::records::{Chosen, LineNumbers};
use rayon::prelude::*;
use std::sync::Arc;
use vembra_engine::{Lines, Table};
use vembra_plan::{Finding, Severity, Type};

/// A table has at most so many columns.
const MOST_COLUMNS: usize = 50_000;
/// After so many lines the memory that is taken is looked at.
const LINES_BETWEEN_CHECKS: usize = 1 << 16;

/// What is read of the records: the fields of each column, their lines, and those that have too few fields or too many.
#[derive(Default)]
struct Read {
    columns: Vec<Fields>,
    lines: LineNumbers,
    ragged: Vec<(u64, usize)>,
}

/// Reads the bytes of a file; `name` is for messages.
pub(crate) fn read(name: &str, bytes: &[u8], options: &ReadOptions) -> Loaded {
    match read_all(name, bytes, options) {
        Ok(loaded) => loaded,
        Err(findings) => failed(name, findings),
    }
}

fn read_all(name: &str, bytes: &[u8], options: &ReadOptions) -> Result<Loaded, Vec<Finding>> {
    let text = text_of(name, bytes)?;
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(options.separator)
        .has_headers(false)
        .flexible(true)
        .from_reader(text.as_bytes());
    let headers = headers(name, &mut reader)?;
    let mut findings = header_findings(name, &headers, options.separator);
    let read = records(name, &mut reader, headers.len(), options, &mut findings)?;
    findings.extend(ragged_finding(name, &read.ragged, &headers, options.separator));
    findings.extend(open_quote(name, text, &read.lines));
    if findings.iter().any(|f| f.severity == Severity::Error) {
        return Err(findings);
    }
    Ok(build(name, headers, read, findings, options))
}

/// The text of a file, if it is one.
fn text_of<'b>(name: &str, bytes: &'b [u8]) -> Result<&'b str, Vec<Finding>> {
    if let Some(line) = endless_line(bytes) {
        let message = format!("the line has more than {} MB", LONGEST_LINE >> 20);
        let found = finding("V631", name, message, "end lines with line breaks, and leave such values out");
        return Err(vec![Finding { line: Some(line as u64), ..found }]);
    }
    if let Some((what, help)) = kind_of_file(bytes) {
        let message = format!("the file is {what}, and tables are read from text in CSV");
        return Err(vec![finding("V633", name, message, help)]);
    }
    let text = decode(name, bytes).map_err(|finding| vec![*finding])?;
    if is_json(text) {
        let message = "the file is JSON, and tables are read from text in CSV".to_owned();
        let help = "write it as CSV: a first line with the names of columns, then a line per row";
        return Err(vec![finding("V633", name, message, help)]);
    }
    Ok(text)
}

/// The names of columns, from the first line.
fn headers(name: &str, reader: &mut csv::Reader<&[u8]>) -> Result<Vec<String>, Vec<Finding>> {
    let mut record = csv::StringRecord::new();
    if !matches!(reader.read_record(&mut record), Ok(true)) {
        let help = "the first line names the columns";
        return Err(vec![finding("V611", name, "the file is empty".to_owned(), help)]);
    }
    let headers: Vec<String> = record.iter().map(|h| h.trim().to_owned()).collect();
    if headers.len() > MOST_COLUMNS {
        let message =
            format!("the first line names {} columns, and a table has at most {MOST_COLUMNS}", headers.len());
        let help = "keep the columns that are needed; or turn it round: a line per value, with the name of its column beside it";
        return Err(vec![Finding { line: Some(1), ..finding("V634", name, message, help) }]);
    }
    Ok(headers)
}

fn records(
    name: &str,
    reader: &mut csv::Reader<&[u8]>,
    width: usize,
    options: &ReadOptions,
    findings: &mut Vec<Finding>,
) -> Result<Read, Vec<Finding>> {
    let mut read = Read { columns: vec![Fields::default(); width], ..Read::default() };
    let mut only = options.only.as_deref().map(Chosen::new);
    let mut record = csv::StringRecord::new();
    loop {
        match reader.read_record(&mut record) {
            Ok(true) => {}
            Ok(false) => return Ok(read),
            Err(error) => {
                let message = format!("the file cannot be read on: {error}");
                findings.push(finding("V612", name, message, "mend the file"));
                return Ok(read);
            }
        }
        if read.lines.rows.is_multiple_of(LINES_BETWEEN_CHECKS)
            && let Err(over) = options.memory.check()
        {
            return Err(vec![over_budget(name, over)]);
        }
        let line = record.position().map_or(0, csv::Position::line);
        if record.len() != width {
            read.ragged.push((line, record.len()));
            continue;
        }
        if only.as_mut().is_some_and(|only| !only.takes_next()) {
            continue;
        }
        read.lines.push(line);
        read.columns.iter_mut().zip(&record).for_each(|(column, field)| {
            column.push(if options.missing.iter().any(|m| m == field) { "" } else { field });
        });
    }
}

/// The number of the first line that is too long.
fn endless_line(bytes: &[u8]) -> Option<usize> {
    bytes.split(|b| *b == b'\n').position(|line| line.len() > LONGEST_LINE).map(|at| at + 1)
}

fn build(
    name: &str,
    headers: Vec<String>,
    read: Read,
    mut findings: Vec<Finding>,
    options: &ReadOptions,
) -> Loaded {
    let Read { columns, lines, .. } = read;
    let rows = lines.rows;
    // The numbers of lines would tell how many others lie between them.
    let lines = if options.only.is_some() { Lines::Unknown } else { lines.finish() };
    let fixed = |header: &str| options.types.iter().find(|(name, _)| name == header).map(|(_, ty)| *ty);
    let types: Vec<Type> = headers
        .iter()
        .zip(&columns)
        .map(|(header, fields)| fixed(header).map_or_else(|| fields.guess.ty(), |ty| fields.fixed_type(ty)))
        .collect();
    let built: Vec<_> = columns.par_iter().zip(&types).map(|(fields, ty)| fields.column(*ty)).collect();
    let mut table = Table { columns: Vec::new(), rows, origin: name.to_owned(), lines };
    let mut loaded = Vec::new();
    for (((header, fields), ty), (column, bad)) in headers.into_iter().zip(&columns).zip(types).zip(built) {
        findings.extend(bad_findings(&table, &header, ty, &bad));
        if fixed(&header).is_none() {
            findings.extend(mostly_finding(&table, &header, fields));
        }
        loaded.push((header, Arc::new(column)));
    }
    table.columns = loaded;
    Loaded { table, findings }
}

/// Text in UTF-8, without its byte order mark.
fn decode<'a>(name: &str, bytes: &'a [u8]) -> Result<&'a str, Box<Finding>> {
    let help = "save the file as UTF-8";
    if bytes.starts_with(&[0xff, 0xfe]) || bytes.starts_with(&[0xfe, 0xff]) {
        let message = "the file is in UTF-16; it has to be in UTF-8".to_owned();
        return Err(Box::new(finding("V613", name, message, help)));
    }
    // Every other byte is zero: letters in two bytes each.
    let start = &bytes[..bytes.len().min(256)];
    let zeros = |odd: usize| start.iter().skip(odd).step_by(2).filter(|b| **b == 0).count();
    if start.len() >= 4 && (zeros(0) * 3 > start.len() || zeros(1) * 3 > start.len()) {
        let message = "the file is in UTF-16, without a mark that says so; it has to be in UTF-8".to_owned();
        return Err(Box::new(finding("V613", name, message, help)));
    }
    let bytes = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(bytes);
    std::str::from_utf8(bytes).map_err(|error| {
        let before = &bytes[..error.valid_up_to()];
        let line = before.iter().filter(|b| **b == b'\n').count() as u64 + 1;
        let start = before.iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
        let message = format!(
            "the file is not in UTF-8: byte {} of the line is 0x{:02X}",
            before.len() - start + 1,
            bytes[error.valid_up_to()]
        );
        Box::new(Finding { line: Some(line), ..finding("V613", name, message, help) })
    })
}
