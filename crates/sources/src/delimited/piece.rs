//! One piece of a delimited text, read into columns.

use super::chunks::Chunk;
use super::records::LineNumbers;
use crate::cells::{Cells, Done, Mode};
use crate::loaded::ReadOptions;
use memchr::{memchr, memchr_iter};
use vembra_plan::forms::Forms;

/// What is read of each column: none of those that are not wanted.
pub(crate) struct Plan<'o> {
    pub(crate) separator: u8,
    pub(crate) columns: Vec<Option<(Mode, Forms)>>,
    pub(crate) options: &'o ReadOptions,
}

/// What a piece holds.
pub(crate) struct Piece {
    pub(crate) at: usize,
    /// How many bytes it had.
    pub(crate) bytes: u64,
    pub(crate) lines: LineNumbers,
    /// Records with too few fields or too many: their lines, and how many fields they have.
    pub(crate) ragged: Vec<(u64, usize)>,
    pub(crate) columns: Vec<Option<Done>>,
    /// Whether a quote has no partner.
    pub(crate) odd_quotes: bool,
}

/// Where a text is not in UTF-8: its line, the byte of the line from 1, and that byte.
#[derive(Clone, Copy, Debug)]
pub(crate) struct NotUtf8 {
    pub(crate) line: u64,
    pub(crate) byte: usize,
    pub(crate) found: u8,
}

/// The text of a piece.
pub(crate) fn text_of(chunk: &Chunk) -> Result<&str, NotUtf8> {
    std::str::from_utf8(&chunk.bytes).map_err(|error| {
        let at = error.valid_up_to();
        let before = &chunk.bytes[..at];
        let start = before.iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
        let line = chunk.line + super::chunks::lines(before);
        NotUtf8 { line, byte: at - start + 1, found: chunk.bytes[at] }
    })
}

/// Reads a piece.
pub(crate) fn read(chunk: &Chunk, plan: &Plan<'_>) -> Result<Piece, NotUtf8> {
    let text = text_of(chunk)?;
    let mut piece = Piece {
        at: chunk.at,
        bytes: chunk.bytes.len() as u64,
        lines: LineNumbers::default(),
        ragged: Vec::new(),
        columns: Vec::new(),
        odd_quotes: memchr_iter(b'"', text.as_bytes()).count() % 2 == 1,
    };
    let wanted: Vec<Option<(Mode, &Forms)>> =
        plan.columns.iter().map(|c| c.as_ref().map(|(mode, forms)| (*mode, forms))).collect();
    piece.columns = columns((text, chunk.line), plan, &wanted, &mut piece);
    // What was taken for something else at first is read again.
    let again = |done: &Done| match done.look {
        Some(look) if done.column.is_none() => Some(Mode::As(crate::guess::type_of(look))),
        _ => None,
    };
    let lost: Vec<Option<(Mode, &Forms)>> = piece
        .columns
        .iter()
        .zip(&wanted)
        .map(|(done, wanted)| Some((done.as_ref().and_then(again)?, wanted.as_ref()?.1)))
        .collect();
    if lost.iter().any(Option::is_some) {
        let mut unused =
            Piece { ragged: Vec::new(), columns: Vec::new(), lines: LineNumbers::default(), ..piece };
        let found = columns((text, chunk.line), plan, &lost, &mut unused);
        for (done, again) in piece.columns.iter_mut().zip(found) {
            if let (Some(done), Some(again)) = (done, again) {
                done.column = again.column;
                done.bad.extend(again.bad);
                done.written = again.written;
            }
        }
    }
    Ok(piece)
}

fn columns(
    (text, first_line): (&str, u64),
    plan: &Plan<'_>,
    wanted: &[Option<(Mode, &Forms)>],
    piece: &mut Piece,
) -> Vec<Option<Done>> {
    let cells = |mode, forms| Cells::new(mode, forms).remembering(plan.options.parts, false);
    let mut columns: Vec<Option<Cells<'_>>> =
        wanted.iter().map(|w| w.map(|(mode, forms)| cells(mode, forms))).collect();
    let width = columns.len();
    let mut take = |line: u64, fields: &[&str]| {
        if fields.len() != width {
            piece.ragged.push((line, fields.len()));
            return;
        }
        piece.lines.push(line);
        for (column, field) in columns.iter_mut().zip(fields) {
            if let Some(column) = column {
                column.push(if plan.options.is_missing(field) { "" } else { field });
            }
        }
    };
    records(text, first_line, plan.separator, &mut take);
    columns.into_iter().map(|c| c.map(Cells::finish)).collect()
}

/// Goes through the records of a text, each with its line.
pub(crate) fn records(text: &str, first_line: u64, separator: u8, take: &mut dyn FnMut(u64, &[&str])) {
    let bytes = text.as_bytes();
    let lone_return =
        || memchr_iter(b'\r', bytes).any(|at| bytes.get(at + 1).is_none_or(|next| *next != b'\n'));
    if memchr(b'"', bytes).is_none() && !lone_return() {
        plain_records(text, first_line, separator, take);
    } else {
        quoted_records(text, first_line, separator, take);
    }
}

/// Without quotes, a record is a line.
fn plain_records(text: &str, first_line: u64, separator: u8, take: &mut dyn FnMut(u64, &[&str])) {
    let bytes = text.as_bytes();
    let mut fields: Vec<&str> = Vec::new();
    let mut start = 0;
    let mut number = first_line;
    while start < bytes.len() {
        let end = memchr(b'\n', &bytes[start..]).map_or(bytes.len(), |at| start + at);
        let line = text[start..end].strip_suffix('\r').unwrap_or(&text[start..end]);
        if !line.is_empty() {
            fields.clear();
            let mut from = 0;
            for at in memchr_iter(separator, line.as_bytes()) {
                fields.push(&line[from..at]);
                from = at + 1;
            }
            fields.push(&line[from..]);
            take(number, &fields);
        }
        start = end + 1;
        number += 1;
    }
}

/// A reader of records that may have quotes.
pub(crate) fn reader(text: &str, separator: u8) -> csv::Reader<&[u8]> {
    csv::ReaderBuilder::new()
        .delimiter(separator)
        .has_headers(false)
        .flexible(true)
        .from_reader(text.as_bytes())
}

fn quoted_records(text: &str, first_line: u64, separator: u8, take: &mut dyn FnMut(u64, &[&str])) {
    let bytes = text.as_bytes();
    let mut reader = reader(text, separator);
    let mut record = csv::StringRecord::new();
    // The text is valid, so that reading it can only end.
    while let Ok(true) = reader.read_record(&mut record) {
        let Some(position) = record.position() else { continue };
        // The reader stands before the line ends that it skips: empty lines, and the second half of the last one.
        let skipped = bytes[position.byte() as usize..].iter().take_while(|b| b"\r\n".contains(b));
        let line = first_line + position.line() - 1 + skipped.filter(|b| **b == b'\n').count() as u64;
        let fields: Vec<&str> = record.iter().collect();
        take(line, &fields);
    }
}
