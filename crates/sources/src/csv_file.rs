//! Comma-separated files with a header line.

use crate::fields::{Bad, Fields};
use crate::guess::type_of;
use rayon::prelude::*;
use std::collections::HashSet;
use std::io::Read;
use std::path::Path;
use std::sync::Arc;
use vembra_engine::{Budget, Lines, OverBudget, Table};
use vembra_plan::{Finding, Severity, Type};

/// How a file is read.
#[derive(Clone, Debug)]
pub struct CsvOptions {
    /// The character between fields.
    pub separator: u8,
    /// The types that are fixed; those of other columns are inferred over the whole file.
    pub types: Vec<(String, Type)>,
    /// Texts that stand for missing values, besides the empty field.
    pub missing: Vec<String>,
    /// How much memory may be taken.
    pub memory: Budget,
    /// The records that are read, by their number from 0, in order; the others might as well not be in the file.
    pub only: Option<Arc<[u32]>>,
}

impl Default for CsvOptions {
    fn default() -> Self {
        Self { separator: b',', types: Vec::new(), missing: Vec::new(), memory: Budget::none(), only: None }
    }
}

/// A table, and what was found while it was read.
#[derive(Clone, Debug)]
pub struct Loaded {
    /// The table.
    pub table: Table,
    /// What is wrong. Errors mean that the table must not be used.
    pub findings: Vec<Finding>,
}

/// So many bad fields of a column are shown; the others are counted.
const SHOWN: usize = 3;
/// A column whose values are nearly all numbers or dates is worth a remark from so many on.
const MOSTLY: usize = 10;

/// A table has at most so many columns.
const MOST_COLUMNS: usize = 50_000;
/// A line of more bytes is taken for no line of a table.
const LONGEST_LINE: usize = 64 << 20;
/// So many bytes of a stream are read at a time.
const STREAMED: usize = 4 << 20;
/// After so many lines the memory that is taken is looked at.
const LINES_BETWEEN_CHECKS: usize = 1 << 16;

/// Reads a file. A file that cannot be opened gives an empty table with an error, and so does one that changes meanwhile.
pub fn read_csv(path: &Path, options: &CsvOptions) -> Loaded {
    let name = path.display().to_string();
    match read_whole(path, options.memory) {
        Ok(bytes) => read_csv_bytes(&name, &bytes, options),
        Err(Unread::Failed(error)) => {
            let why = match error.kind() {
                std::io::ErrorKind::NotFound => "there is no such file".to_owned(),
                std::io::ErrorKind::PermissionDenied => "reading it is not allowed".to_owned(),
                std::io::ErrorKind::IsADirectory => "it is a folder".to_owned(),
                _ => error.to_string(),
            };
            let message = format!("the file cannot be read: {why}");
            let help = "check the path; it is taken from the folder of the model";
            failed(&name, vec![finding("V610", &name, message, help)])
        }
        Err(Unread::Over(over)) => failed(&name, vec![over_budget(&name, over)]),
        Err(Unread::Changed) => {
            let message = "the file changed while it was read".to_owned();
            let help = "read it again when whatever writes it is done";
            failed(&name, vec![finding("V630", &name, message, help)])
        }
    }
}

/// Why a file was not read.
enum Unread {
    Failed(std::io::Error),
    Over(OverBudget),
    Changed,
}

impl From<std::io::Error> for Unread {
    fn from(error: std::io::Error) -> Self {
        Self::Failed(error)
    }
}

fn read_whole(path: &Path, memory: Budget) -> Result<Vec<u8>, Unread> {
    let stamp = |m: &std::fs::Metadata| (m.len(), m.modified().ok());
    let before = std::fs::metadata(path)?;
    if !before.is_file() && !before.is_dir() {
        return read_stream(std::fs::File::open(path)?, memory);
    }
    // Its text and its columns are in memory at one time.
    memory.check_more(before.len().saturating_mul(2)).map_err(Unread::Over)?;
    let bytes = std::fs::read(path)?;
    let after = std::fs::metadata(path)?;
    // What is no file, such as a pipe, tells no length.
    if before.is_file() && (stamp(&before) != stamp(&after) || bytes.len() as u64 != before.len()) {
        return Err(Unread::Changed);
    }
    Ok(bytes)
}

/// Reads what tells no length, such as a pipe: it may never end, so it is looked at while it comes.
fn read_stream(mut stream: impl Read, memory: Budget) -> Result<Vec<u8>, Unread> {
    let mut bytes = Vec::new();
    let mut line = 0;
    loop {
        // Room for the next part, for a vector that doubles, and for the columns that come of it.
        memory.check_more((STREAMED as u64).max(bytes.len() as u64 * 2)).map_err(Unread::Over)?;
        let before = bytes.len();
        let read = stream.by_ref().take(STREAMED as u64).read_to_end(&mut bytes)?;
        if read == 0 {
            return Ok(bytes);
        }
        line = match bytes[before..].iter().rposition(|b| *b == b'\n') {
            Some(at) => before + at + 1,
            None => line,
        };
        // A line without end is told of by its number.
        if bytes.len() - line > LONGEST_LINE {
            return Ok(bytes);
        }
    }
}

fn over_budget(name: &str, over: OverBudget) -> Finding {
    finding("V632", name, over.to_string(), "allow more with --memory, or take a part of the file")
}

/// The number of the first line that is too long.
fn endless_line(bytes: &[u8]) -> Option<usize> {
    bytes.split(|b| *b == b'\n').position(|line| line.len() > LONGEST_LINE).map(|at| at + 1)
}

fn failed(name: &str, findings: Vec<Finding>) -> Loaded {
    Loaded { table: Table { origin: name.to_owned(), ..Table::default() }, findings }
}

fn finding(code: &str, file: &str, message: String, help: &str) -> Finding {
    Finding {
        code: code.to_owned(),
        severity: Severity::Error,
        file: file.to_owned(),
        line: None,
        column: None,
        message,
        help: help.to_owned(),
    }
}

/// Reads the bytes of a file; `name` is for messages.
///
/// # Examples
/// ```
/// use vembra_sources::{read_csv_bytes, CsvOptions};
/// let loaded = read_csv_bytes("shop.csv", b"sku,price\n007,12.50\n", &CsvOptions::default());
/// assert!(loaded.findings.is_empty());
/// assert_eq!(loaded.table.columns[0].1.scalar(0).to_string(), "007");
/// ```
pub fn read_csv_bytes(name: &str, bytes: &[u8], options: &CsvOptions) -> Loaded {
    if let Some(line) = endless_line(bytes) {
        let message = format!("the line has more than {} MB", LONGEST_LINE >> 20);
        let found = finding("V631", name, message, "end lines with line breaks, and leave such values out");
        return failed(name, vec![Finding { line: Some(line as u64), ..found }]);
    }
    if let Some(what) = kind_of_file(bytes) {
        let message = format!("the file is {}, and tables are read from text in CSV", what.0);
        return failed(name, vec![finding("V633", name, message, what.1)]);
    }
    let text = match decode(name, bytes) {
        Ok(text) => text,
        Err(finding) => return failed(name, vec![*finding]),
    };
    if is_json(text) {
        let message = "the file is JSON, and tables are read from text in CSV".to_owned();
        return failed(
            name,
            vec![finding(
                "V633",
                name,
                message,
                "write it as CSV: a first line with the names of columns, then a line per row",
            )],
        );
    }
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(options.separator)
        .has_headers(false)
        .flexible(true)
        .from_reader(text.as_bytes());
    let mut record = csv::StringRecord::new();
    match reader.read_record(&mut record) {
        Ok(true) => {}
        _ => {
            let help = "the first line names the columns";
            return failed(name, vec![finding("V611", name, "the file is empty".to_owned(), help)]);
        }
    }
    let headers: Vec<String> = record.iter().map(|h| h.trim().to_owned()).collect();
    if headers.len() > MOST_COLUMNS {
        let message =
            format!("the first line names {} columns, and a table has at most {MOST_COLUMNS}", headers.len());
        let help = "keep the columns that are needed; or turn it round: a line per value, with the name of its column beside it";
        return failed(name, vec![Finding { line: Some(1), ..finding("V634", name, message, help) }]);
    }
    let mut findings = header_findings(name, &headers, options.separator);
    let mut columns: Vec<Fields> = vec![Fields::default(); headers.len()];
    let mut lines = LineNumbers::default();
    let mut ragged = Vec::new();
    let mut only = options.only.as_deref().map(Chosen::new);
    loop {
        match reader.read_record(&mut record) {
            Ok(true) => {}
            Ok(false) => break,
            Err(error) => {
                findings.push(finding(
                    "V612",
                    name,
                    format!("the file cannot be read on: {error}"),
                    "mend the file",
                ));
                break;
            }
        }
        if lines.rows % LINES_BETWEEN_CHECKS == 0
            && let Err(over) = options.memory.check()
        {
            return failed(name, vec![over_budget(name, over)]);
        }
        let line = record.position().map_or(0, csv::Position::line);
        if record.len() != headers.len() {
            ragged.push((line, record.len()));
            continue;
        }
        if only.as_mut().is_some_and(|only| !only.takes_next()) {
            continue;
        }
        lines.push(line);
        columns.iter_mut().zip(&record).for_each(|(column, field)| {
            column.push(if options.missing.iter().any(|m| m == field) { "" } else { field });
        });
    }
    findings.extend(ragged_finding(name, &ragged, &headers, options.separator));
    findings.extend(open_quote(name, text, &lines));
    if findings.iter().any(|f| f.severity == Severity::Error) {
        return failed(name, findings);
    }
    build(name, headers, &columns, lines, findings, options)
}

fn build(
    name: &str,
    headers: Vec<String>,
    columns: &[Fields],
    lines: LineNumbers,
    mut findings: Vec<Finding>,
    options: &CsvOptions,
) -> Loaded {
    let rows = lines.rows;
    // The numbers of lines would tell how many others lie between them.
    let lines = if options.only.is_some() { Lines::Unknown } else { lines.finish() };
    let fixed = |header: &str| options.types.iter().find(|(name, _)| name == header).map(|(_, ty)| *ty);
    let types: Vec<Type> = headers
        .iter()
        .zip(columns)
        .map(|(header, fields)| fixed(header).map_or_else(|| fields.guess.ty(), |ty| fields.fixed_type(ty)))
        .collect();
    let built: Vec<_> = columns.par_iter().zip(&types).map(|(fields, ty)| fields.column(*ty)).collect();
    let mut table = Table { columns: Vec::new(), rows, origin: name.to_owned(), lines };
    let mut loaded = Vec::new();
    for (((header, fields), ty), (column, bad)) in headers.into_iter().zip(columns).zip(types).zip(built) {
        findings.extend(bad_findings(&table, &header, ty, &bad));
        if fixed(&header).is_none() {
            findings.extend(mostly_finding(&table, &header, fields));
        }
        loaded.push((header, Arc::new(column)));
    }
    table.columns = loaded;
    Loaded { table, findings }
}

/// So many bytes tell whether a file is text.
const KIND_BYTES: usize = 4_096;

/// What the first bytes of a file say that it is, if that is no text, and what to do. Letters alone say nothing: a table may have a
/// column ORCHARD.
fn kind_of_file(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
    const UNPACK: &str = "unpack it first";
    const EXPORT: &str = "export the table as CSV";
    let kinds: [(&[u8], &str, &str); 14] = [
        (&[0x1f, 0x8b], "compressed with gzip", "unpack it first: gunzip"),
        (&[0x28, 0xb5, 0x2f, 0xfd], "compressed with zstd", "unpack it first: unzstd"),
        (b"BZh", "compressed with bzip2", UNPACK),
        (&[0xfd, b'7', b'z', b'X', b'Z', 0], "compressed with xz", UNPACK),
        (b"7z\xbc\xaf\x27\x1c", "an archive", UNPACK),
        (b"PAR1", "a Parquet file", EXPORT),
        (b"ARROW1", "an Arrow file", EXPORT),
        (b"Obj\x01", "an Avro file", EXPORT),
        (b"ORC", "an ORC file", EXPORT),
        (b"SQLite format 3\0", "a SQLite database", EXPORT),
        (
            b"PK\x03\x04",
            "a spreadsheet or another zip archive",
            "save the sheet as CSV, or unpack the archive",
        ),
        (&[0xd0, 0xcf, 0x11, 0xe0], "a spreadsheet of an old kind", "save the sheet as CSV"),
        (b"%PDF-", "a PDF", EXPORT),
        (&[0x89, b'P', b'N', b'G'], "a picture", EXPORT),
    ];
    let is_text = std::str::from_utf8(bytes.get(..KIND_BYTES).unwrap_or(bytes))
        .map_or_else(|e| e.error_len().is_none(), |_| true)
        && !bytes.iter().take(KIND_BYTES).any(|b| *b < b' ' && !b"\t\r\n".contains(b));
    let found =
        kinds.iter().find(|(start, what, _)| bytes.starts_with(start) && (!is_text || *what == "a PDF"));
    found.map(|(_, what, help)| (*what, *help))
}

/// Whether a text is JSON: an object a line, or a list of them.
fn is_json(text: &str) -> bool {
    let text = text.trim_start();
    let behind = |start: char| text.strip_prefix(start).map(str::trim_start);
    behind('{').is_some_and(|t| t.starts_with(['"', '}']))
        || behind('[').is_some_and(|t| t.starts_with(['{', '[', ']']))
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

fn header_findings(name: &str, headers: &[String], separator: u8) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut seen = HashSet::new();
    for (at, header) in headers.iter().enumerate() {
        let message = if header.is_empty() {
            format!("column {} has no name", at + 1)
        } else if !seen.insert(header) {
            format!("the column {header} stands twice")
        } else {
            continue;
        };
        let help = "the first line names each column once";
        findings.push(Finding { line: Some(1), ..finding("V614", name, message, help) });
    }
    if let ([only], Some(other)) = (headers, other_separator(headers, separator)) {
        let message = format!("there is only one column, {only}");
        let help = separated_by(name, other);
        let found = finding("V615", name, message, &help);
        findings.push(Finding { severity: Severity::Warning, line: Some(1), ..found });
    }
    findings
}

/// The character that separates the names of a header that seems to have only one.
fn other_separator(headers: &[String], separator: u8) -> Option<char> {
    let [only] = headers else { return None };
    [';', '\t', ',', '|'].into_iter().find(|c| *c as u8 != separator && only.contains(*c))
}

fn separated_by(name: &str, other: char) -> String {
    let shown = if other == '\t' { "tab".to_owned() } else { other.to_string() };
    let file = Path::new(name).file_name().map_or_else(|| name.into(), |f| f.to_string_lossy());
    format!("if {shown} separates its fields, say so behind the file: from '{file}' separated by '{shown}'")
}

fn ragged_finding(name: &str, ragged: &[(u64, usize)], headers: &[String], separator: u8) -> Option<Finding> {
    let wanted = headers.len();
    let (line, count) = ragged.first()?;
    let others = match ragged.len() {
        1 => String::new(),
        n => format!(" ({n} lines are like this)"),
    };
    let many = |count: usize, what: &str| format!("{count} {what}{}", if count == 1 { "" } else { "s" });
    let (has, named) = (many(*count, "field"), many(wanted, "column"));
    let message = format!("the line has {has}, the first line names {named}{others}");
    let help = match other_separator(headers, separator) {
        Some(other) => separated_by(name, other),
        None => "put fields that hold a separator or a quote in double quotes; or name the right separator"
            .to_owned(),
    };
    Some(Finding { line: Some(*line), ..finding("V616", name, message, &help) })
}

/// In a sound file quotes come in pairs.
fn open_quote(name: &str, text: &str, lines: &LineNumbers) -> Option<Finding> {
    let odd = text.bytes().filter(|b| *b == b'"').count() % 2 == 1;
    odd.then(|| {
        let message = "a quote is opened and never closed in or before the last record".to_owned();
        let help = "close it; a quote inside a quoted field is written twice";
        Finding { line: lines.last, ..finding("V617", name, message, help) }
    })
}

/// What to do about a value that does not fit its type.
fn mended(ty: Type, field: &str) -> &'static str {
    let has_comma = || {
        let parts = field.split_once(',').filter(|(whole, part)| !whole.is_empty() && !part.is_empty());
        let digits = |text: &str| text.bytes().all(|b| b.is_ascii_digit());
        parts.is_some_and(|(whole, part)| digits(whole.trim_start_matches('-')) && digits(part))
    };
    match ty {
        Type::Decimal(_) | Type::Float if has_comma() => {
            "decimals stand behind a point: 4.50, not 4,50; export the table with points, or change the commas of this column"
        }
        _ => "mend the value, leave the field empty, or let the column be a text",
    }
}

fn bad_findings(table: &Table, header: &str, ty: Type, bad: &[Bad]) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (at, field) in bad.iter().take(SHOWN).enumerate() {
        let more = if at + 1 == SHOWN && bad.len() > SHOWN {
            format!(" ({} more like it in this column)", bad.len() - SHOWN)
        } else {
            String::new()
        };
        findings.push(Finding {
            line: table.line(field.record),
            column: Some(header.to_owned()),
            ..finding(
                "V618",
                &table.origin,
                format!("expected {}, found '{}'{more}", ty.with_article(), field.field),
                mended(ty, &field.field),
            )
        });
    }
    findings
}

/// A column of numbers or dates that a few other texts have turned into texts.
fn mostly_finding(table: &Table, header: &str, fields: &Fields) -> Option<Finding> {
    let spoiled = fields.guess.spoiled.as_ref().filter(|s| s.after >= MOSTLY)?;
    if spoiled.field.bytes().all(|b| b.is_ascii_digit()) {
        // A number with leading zeros: the column holds codes.
        return None;
    }
    let wanted = type_of(spoiled.before);
    let message = format!(
        "the column is read as text: '{}' is not {}, as the {} values before it are",
        spoiled.field,
        wanted.with_article(),
        spoiled.after
    );
    let found = finding(
        "V619",
        &table.origin,
        message,
        &format!(
            "mend the value; or say that it stands for a missing one: … from '…' missing '{}'; or fix the type to see \
             every such line: column TABLE.{header}: {wanted}",
            spoiled.field
        ),
    );
    Some(Finding {
        severity: Severity::Warning,
        line: table.line(spoiled.record),
        column: Some(header.to_owned()),
        ..found
    })
}

/// Records by their numbers, asked for one after the other.
struct Chosen<'a> {
    left: &'a [u32],
    next: u32,
}

impl<'a> Chosen<'a> {
    fn new(left: &'a [u32]) -> Self {
        Self { left, next: 0 }
    }

    fn takes_next(&mut self) -> bool {
        let takes = self.left.first() == Some(&self.next);
        self.next += 1;
        if takes {
            self.left = &self.left[1..];
        }
        takes
    }
}

/// The line of each record; one number is enough as long as records take one line each.
#[derive(Debug, Default)]
struct LineNumbers {
    rows: usize,
    listed: Option<Vec<u64>>,
    first: u64,
    last: Option<u64>,
}

impl LineNumbers {
    fn push(&mut self, line: u64) {
        if self.rows == 0 {
            self.first = line;
        }
        let expected = self.first + self.rows as u64;
        if line != expected && self.listed.is_none() {
            self.listed = Some((0..self.rows as u64).map(|at| self.first + at).collect());
        }
        if let Some(listed) = &mut self.listed {
            listed.push(line);
        }
        self.rows += 1;
        self.last = Some(line);
    }

    fn finish(self) -> Lines {
        match self.listed {
            Some(lines) => Lines::Listed(lines),
            None => Lines::From(self.first),
        }
    }
}
