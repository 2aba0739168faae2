//! Delimited text with a header line, read in pieces on all cores.
//!
//! Terms: a **piece** is a part of the text that ends with a record; what columns **look** like is found in each piece, going on from
//! the first one. Columns of which pieces do not agree are read again, with the type that all of their values fit.

mod chunks;
pub(crate) mod findings;
mod piece;
mod records;

use crate::cells::{Bad, Mode};
use crate::input::{Input, Unread};
use crate::joined::Joined;
use crate::loaded::{Loaded, ReadOptions, ReadSoFar, failed};
use chunks::{Chunk, Chunks};
use findings::{
    bad_findings, form_finding, header_findings, mostly_finding, not_utf8, open_quote, ragged_finding,
    rounded_finding,
};
use piece::{NotUtf8, Piece, Plan};
use rayon::prelude::*;
use records::LineNumbers;
use std::io::Read;
use std::sync::atomic::{AtomicU64, Ordering};
use vembra_engine::{Column, Table, Written};
use vembra_plan::{Code, Finding, Severity, Type};

/// A table has at most this many columns.
const MOST_COLUMNS: usize = 50_000;
/// How many bytes are read at a time, and make about one piece.
const PIECE: usize = 4 << 20;
/// How many bytes show what separates fields.
const STARTS: u64 = 64 << 10;
/// A piece and what comes of it take about this many times its bytes.
const GROWTH: u64 = 3;

/// Reads delimited text; `name` is for messages, `open` gives the bytes from their start.
pub(crate) fn read(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    let source = Source { name, input, options, piece: PIECE };
    source.read().unwrap_or_else(|findings| failed(name, findings))
}

/// Whether every other byte is zero: letters in two bytes each, without a mark that says so.
fn is_of_two_bytes(bytes: &[u8]) -> bool {
    let start = &bytes[..bytes.len().min(256)];
    let zeros = |odd: usize| start.iter().skip(odd).step_by(2).filter(|b| **b == 0).count();
    start.len() >= 4 && (zeros(0) * 3 > start.len() || zeros(1) * 3 > start.len())
}

/// The record with which each piece starts.
fn starts(pieces: &[Piece]) -> Vec<usize> {
    let start = |rows: &mut usize, piece: &Piece| {
        let start = *rows;
        *rows += piece.lines.rows;
        Some(start)
    };
    pieces.iter().scan(0, start).collect()
}

/// A text and how it is read.
struct Source<'a> {
    name: &'a str,
    input: &'a Input<'a>,
    options: &'a ReadOptions,
    /// The size of pieces.
    piece: usize,
}

/// The first line.
struct Header {
    separator: u8,
    names: Vec<String>,
    /// What is left of the first piece.
    rest: Chunk,
}

impl Source<'_> {
    fn read(&self) -> Result<Loaded, Vec<Finding>> {
        let first = self.input.len().min(self.piece as u64) * GROWTH;
        let room = self.options.memory.check_more(first);
        room.map_err(|over| vec![Unread::from(over).finding(self.name)])?;
        let separator = self.separator()?;
        let mut chunks = Chunks::new(self.open()?, self.piece, separator);
        let header = self.header(&mut chunks, separator)?;
        let mut findings = header_findings(self.name, &header.names, header.separator);
        let plan = self.plan(&header, |name| Some(Mode::of(self.options, name)));
        let pieces = self.pieces(header.rest, chunks, plan)?;
        let lines = LineNumbers::of(pieces.iter().map(|p| &p.lines));
        let ragged: Vec<(u64, usize)> = pieces.iter().flat_map(|p| p.ragged.iter().copied()).collect();
        findings.extend(ragged_finding(self.name, &ragged, &header.names, header.separator));
        let odd = pieces.iter().filter(|p| p.odd_quotes).count() % 2 == 1;
        findings.extend(odd.then(|| open_quote(self.name, lines.last)));
        self.input.unchanged().map_err(|unread| vec![unread.finding(self.name)])?;
        if findings.iter().any(|f| f.severity == Severity::Error) {
            return Err(findings);
        }
        self.build(&header.names, header.separator, pieces, lines, findings)
    }

    fn open(&self) -> Result<Box<dyn Read + Send + '_>, Vec<Finding>> {
        crate::unpack::open(self.name, self.input, self.options)
    }

    /// What separates fields: as given, or as the start of the text shows.
    fn separator(&self) -> Result<u8, Vec<Finding>> {
        if let Some(told) = self.options.separator {
            return Ok(told);
        }
        let mut start = Vec::new();
        let read = self.open()?.take(STARTS).read_to_end(&mut start);
        read.map_err(|error| vec![Unread::from(error).finding(self.name)])?;
        Ok(findings::found_separator(&String::from_utf8_lossy(&start)))
    }

    /// The names of columns.
    fn header<R: Read>(&self, chunks: &mut Chunks<R>, separator: u8) -> Result<Header, Vec<Finding>> {
        let empty = || {
            let help = "the first line names the columns";
            vec![Finding::new(Code::V611, self.name, "the file is empty".to_owned(), help)]
        };
        let mut first = match chunks.next() {
            None => return Err(empty()),
            Some(chunk) => chunk.map_err(|unread| vec![unread.finding(self.name)])?,
        };
        if first.bytes.starts_with(&[0xef, 0xbb, 0xbf]) {
            first.bytes.drain(..3);
        }
        let text = piece::text_of(&first).map_err(|error| vec![not_utf8(self.name, error)])?;
        if is_of_two_bytes(&first.bytes) {
            let message = "the file is in UTF-16, without a mark that says so".to_owned();
            let help = "say which of the two: … from '…' encoding 'utf-16le', or encoding 'utf-16be'";
            return Err(vec![Finding::new(Code::V613, self.name, message, help)]);
        }
        let mut reader = piece::reader(text, separator);
        let mut record = csv::StringRecord::new();
        if !matches!(reader.read_record(&mut record), Ok(true)) {
            return Err(empty());
        }
        let names: Vec<String> = record.iter().map(|h| h.trim().to_owned()).collect();
        if names.len() > MOST_COLUMNS {
            return Err(vec![findings::too_wide(self.name, names.len(), MOST_COLUMNS)]);
        }
        let read = reader.position().byte() as usize;
        let line = reader.position().line();
        let rest = Chunk { at: 0, line, bytes: first.bytes.split_off(read) };
        Ok(Header { separator, names, rest })
    }

    fn plan(&self, header: &Header, mode: impl Fn(&str) -> Option<Mode>) -> Plan<'_> {
        let column = |name: &String| Some((mode(name)?, self.options.forms_of(name)));
        Plan {
            separator: header.separator,
            columns: header.names.iter().map(column).collect(),
            options: self.options,
        }
    }

    /// Reads all pieces: the first one alone, the others on all cores, going on from what its columns look like.
    fn pieces<R: Read + Send>(
        &self,
        first: Chunk,
        chunks: Chunks<R>,
        mut plan: Plan<'_>,
    ) -> Result<Vec<Piece>, Vec<Finding>> {
        let so_far = (AtomicU64::new(0), AtomicU64::new(0));
        let tell = |piece: &Piece| {
            let rows = so_far.0.fetch_add(piece.lines.rows as u64, Ordering::Relaxed);
            let bytes = so_far.1.fetch_add(piece.bytes, Ordering::Relaxed);
            self.options.tell.tell(ReadSoFar {
                rows: rows + piece.lines.rows as u64,
                bytes: bytes + piece.bytes,
                of: Some(self.input.len()),
            });
        };
        let not_utf8 = |error: NotUtf8| vec![not_utf8(self.name, error)];
        let first = piece::read(&first, &plan).map_err(not_utf8)?;
        tell(&first);
        for (mode, done) in plan.columns.iter_mut().zip(&first.columns) {
            if let (Some((mode @ Mode::Find(None), _)), Some(done)) = (mode, done) {
                *mode = Mode::Find(done.look);
            }
        }
        let of = |chunk: Result<Chunk, Unread>| -> Result<Chunk, (usize, Vec<Finding>)> {
            let chunk = chunk.map_err(|unread| (usize::MAX, vec![unread.finding(self.name)]))?;
            let room = self.options.memory.check_more(chunk.bytes.len() as u64 * GROWTH);
            room.map_err(|over| (chunk.at, vec![Unread::from(over).finding(self.name)]))?;
            Ok(chunk)
        };
        let take = |chunk: Result<Chunk, Unread>| {
            let chunk = of(chunk)?;
            let piece = piece::read(&chunk, &plan).map_err(|e| (chunk.at, not_utf8(e)))?;
            tell(&piece);
            Ok(piece)
        };
        let read: Vec<Result<Piece, (usize, Vec<Finding>)>> = chunks.par_bridge().map(take).collect();
        let mut pieces = vec![first];
        let mut faults = Vec::new();
        for piece in read {
            match piece {
                Ok(piece) => pieces.push(piece),
                Err(fault) => faults.push(fault),
            }
        }
        // The first fault of the file is reported.
        if let Some((_, findings)) = faults.into_iter().min_by_key(|(at, _)| *at) {
            return Err(findings);
        }
        pieces.sort_by_key(|p| p.at);
        Ok(pieces)
    }

    fn build(
        &self,
        names: &[String],
        separator: u8,
        mut pieces: Vec<Piece>,
        lines: LineNumbers,
        mut findings: Vec<Finding>,
    ) -> Result<Loaded, Vec<Finding>> {
        let starts = starts(&pieces);
        let rows = lines.rows;
        let origin = self.name.to_owned();
        let mut table = Table { rows, origin, lines: lines.finish(), ..Table::default() };
        let mut joined: Vec<Joined> = (0..names.len())
            .map(|at| {
                let done = pieces.iter_mut().filter_map(|p| p.columns[at].take());
                Joined::of(self.options.column(&names[at]).and_then(|c| c.ty), done.zip(&starts))
            })
            .collect();
        drop(pieces);
        for (name, column) in names.iter().zip(&joined) {
            let digits = self.options.column(name).and_then(|c| c.digits);
            findings.extend(bad_findings(&table, name, (column.ty, digits), &column.bad));
            findings.extend(column.spoiled.as_ref().and_then(|s| mostly_finding(&table, name, s)));
            findings.extend(column.doubts.findings(&table, name, column.ty));
            // A type that is fixed was chosen.
            let found =
                column.rounded.as_ref().filter(|_| self.options.column(name).is_none_or(|c| c.ty.is_none()));
            findings.extend(found.and_then(|r| rounded_finding(&table, name, column.ty, r)));
        }
        let types: Vec<Type> = joined.iter().map(|j| j.ty).collect();
        let is_found = |name: &String| self.options.column(name).is_none_or(|c| c.ty.is_none());
        let written = joined.iter_mut().zip(names).map(|(joined, name)| joined.written(is_found(name)));
        let mut written: Vec<Option<Written>> = written.collect();
        let mut columns: Vec<Option<Column>> =
            joined.into_par_iter().map(|j| Column::concat(j.ty, j.parts?)).collect();
        if columns.iter().any(Option::is_none) {
            let bad = self.read_again(separator, names, &types, &mut columns, &mut written)?;
            for ((name, ty), bad) in names.iter().zip(&types).zip(bad) {
                findings.extend(bad_findings(&table, name, (*ty, None), &bad));
            }
        }
        for ((name, column), ty) in names.iter().zip(columns).zip(types) {
            let Some(column) = column else {
                // What does not become a column of its type was found to fit it, so only its size is left.
                let message = format!("the values do not fit into {}", ty.with_article());
                let help = "fix the type of the column to float, or to text";
                return Err(vec![Finding {
                    column: Some(name.clone()),
                    ..Finding::new(Code::V618, self.name, message, help)
                }]);
            };
            if ty == Type::Text && self.options.column(name).is_none_or(|c| c.ty.is_none()) {
                findings.extend(form_finding(&table, name, &column));
            }
            table.columns.push((name.clone(), column.into()));
        }
        table.written = names.iter().zip(written).filter_map(|(n, w)| Some((n.clone(), w?))).collect();
        Ok(Loaded { table, findings })
    }

    /// Reads the columns that are not there yet, with their types. Gives what of each is too large for its type.
    fn read_again(
        &self,
        separator: u8,
        names: &[String],
        types: &[Type],
        columns: &mut [Option<Column>],
        written: &mut [Option<Written>],
    ) -> Result<Vec<Vec<Bad>>, Vec<Finding>> {
        let mut chunks = Chunks::new(self.open()?, self.piece, separator);
        let header = self.header(&mut chunks, separator)?;
        let wanted = |name: &str| {
            let at = names.iter().position(|n| n == name)?;
            columns[at].is_none().then_some(Mode::As(types[at]))
        };
        let plan = self.plan(&header, wanted);
        let mut pieces = self.pieces(header.rest, chunks, plan)?;
        self.input.unchanged().map_err(|unread| vec![unread.finding(self.name)])?;
        let starts = starts(&pieces);
        let mut bad = vec![Vec::new(); names.len()];
        for (at, column) in columns.iter_mut().enumerate().filter(|(_, c)| c.is_none()) {
            let done = pieces.iter_mut().filter_map(|p| p.columns[at].take());
            let mut joined = Joined::of(Some(types[at]), done.zip(&starts));
            written[at] = joined.written(true);
            bad[at] = joined.bad;
            *column = joined.parts.and_then(|parts| Column::concat(types[at], parts));
        }
        Ok(bad)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::guess::Guess;
    use vembra_engine::TableColumn;

    /// Numbers from a seed, each as good as any other.
    struct Numbers(u64);

    impl Numbers {
        fn below(&mut self, most: usize) -> usize {
            self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (self.0 >> 33) as usize % most
        }

        /// A field of one of a few kinds; now and then of another one.
        fn field(&mut self, kind: usize) -> String {
            let kind = if self.below(40) == 0 { self.below(9) } else { kind };
            let n = self.below(900);
            match kind {
                0 => n.to_string(),
                1 => format!("-{n}.{}", self.below(100)),
                2 => format!("{n}.5"),
                3 => format!("2024-0{}-1{}", 1 + self.below(9), self.below(9)),
                4 => format!("{n}e3"),
                5 => ["true", "false", "x", ""][self.below(4)].to_owned(),
                6 => ["pear", "fig", "\"a, b\"", "\"two\nlines\"", "\"say \"\"no\"\"\""][self.below(5)]
                    .to_owned(),
                7 => String::new(),
                _ => format!("00{n}"),
            }
        }

        fn text(&mut self) -> String {
            let width = 1 + self.below(4);
            let kinds: Vec<usize> = (0..width).map(|_| self.below(9)).collect();
            let end = ["\n", "\r\n"][self.below(2)];
            let mut text: String = (0..width).map(|at| format!("c{at}")).collect::<Vec<_>>().join(",") + end;
            for _ in 0..self.below(60) {
                let fields: Vec<String> = kinds.iter().map(|k| self.field(*k)).collect();
                text.push_str(&(fields.join(",") + end));
            }
            text
        }
    }

    fn read_in(text: &str, piece: usize) -> Loaded {
        let input = Input::Bytes(text.as_bytes());
        let options = ReadOptions { separator: Some(b','), ..ReadOptions::default() };
        let source = Source { name: "t.csv", input: &input, options: &options, piece };
        source.read().unwrap_or_else(|findings| failed("t.csv", findings))
    }

    fn shown(loaded: &Loaded) -> String {
        let table = &loaded.table;
        let column = |(name, column): &(String, TableColumn)| {
            let column = column.get().unwrap();
            let values: Vec<String> =
                (0..column.len()).map(|row| format!("{:?}", column.scalar(row))).collect();
            format!("{name}: {} {}\n", column.ty(), values.join(" "))
        };
        let columns: String = table.columns.iter().map(column).collect();
        let lines: Vec<Option<u64>> = (0..table.rows).map(|row| table.line(row)).collect();
        let findings: String = loaded.findings.iter().map(|f| format!("{f} {}\n", f.help)).collect();
        format!("{columns}{lines:?}\n{findings}")
    }

    /// The types that all values of each column fit, found one value after the other.
    fn types(text: &str) -> Vec<Type> {
        let mut reader = csv::ReaderBuilder::new().from_reader(text.as_bytes());
        let mut guesses = vec![Guess::default(); reader.headers().unwrap().len()];
        for (at, record) in reader.records().map(Result::unwrap).enumerate() {
            let fields = guesses.iter_mut().zip(&record).filter(|(_, f)| !f.is_empty());
            fields.for_each(|(guess, field)| guess.add(field, field, at));
        }
        guesses.iter().map(Guess::ty).collect()
    }

    #[test]
    fn a_text_says_the_same_in_pieces_of_any_size() {
        let mut numbers = Numbers(7);
        let mut kinds = std::collections::BTreeSet::new();
        for case in 0..400 {
            let text = numbers.text();
            let whole = read_in(&text, 1 << 20);
            let found: Vec<Type> = whole.table.columns.iter().map(|(_, c)| c.ty()).collect();
            if whole.findings.iter().all(|f| f.severity != Severity::Error) {
                assert_eq!(found, types(&text), "{text}");
                kinds.extend(found.iter().map(ToString::to_string));
            }
            for piece in [1, 7, 30, 100] {
                assert_eq!(shown(&read_in(&text, piece)), shown(&whole), "case {case} by {piece}: {text}");
            }
        }
        assert!(kinds.len() > 5, "{kinds:?}");
    }
}
