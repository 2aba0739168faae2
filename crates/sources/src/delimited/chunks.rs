//! Text in pieces that end with a record.

use crate::input::{LONGEST_LINE, Unread};
use memchr::{memchr, memchr3, memrchr};
use std::io::Read;

/// A piece of a text: whole records.
#[derive(Debug)]
pub(crate) struct Chunk {
    /// Which piece it is, from 0.
    pub(crate) at: usize,
    /// The line in which it starts, from 1.
    pub(crate) line: u64,
    pub(crate) bytes: Vec<u8>,
}

/// Cuts what a reader gives into chunks.
pub(crate) struct Chunks<R> {
    reader: R,
    /// How many bytes are read at a time.
    size: usize,
    carry: Vec<u8>,
    at: usize,
    line: u64,
    ended: bool,
    scanner: Scanner,
}

impl<R: Read> Chunks<R> {
    pub(crate) fn new(reader: R, size: usize, separator: u8) -> Self {
        let scanner = Scanner::new(separator);
        Self { reader, size, carry: Vec::new(), at: 0, line: 1, ended: false, scanner }
    }

    fn read(&mut self) -> Result<Option<Chunk>, Unread> {
        let mut bytes = std::mem::take(&mut self.carry);
        while !self.ended {
            let before = bytes.len();
            bytes.reserve(self.size);
            let read = self.reader.by_ref().take(self.size as u64).read_to_end(&mut bytes)?;
            self.ended = read == 0;
            self.scanner.feed(&bytes, before);
            let line = memrchr(b'\n', &bytes).map_or(0, |at| at + 1);
            if bytes.len() - line > LONGEST_LINE {
                return Err(Unread::Endless(self.line + lines(&bytes[..line])));
            }
            if self.scanner.end > 0 && !self.ended {
                break;
            }
        }
        let end = if self.ended { bytes.len() } else { self.scanner.end };
        if bytes.is_empty() {
            return Ok(None);
        }
        self.carry = bytes.split_off(end);
        self.scanner.cut();
        let chunk = Chunk { at: self.at, line: self.line, bytes };
        self.at += 1;
        self.line += lines(&chunk.bytes);
        Ok(Some(chunk))
    }
}

/// How many lines end in some bytes.
pub(crate) fn lines(bytes: &[u8]) -> u64 {
    memchr::memchr_iter(b'\n', bytes).count() as u64
}

impl<R: Read> Iterator for Chunks<R> {
    type Item = Result<Chunk, Unread>;

    fn next(&mut self) -> Option<Self::Item> {
        let read = self.read().transpose();
        if matches!(read, Some(Err(_))) {
            // What comes after a fault is not looked at.
            self.ended = true;
            self.carry.clear();
        }
        read
    }
}

/// Where the scanner stands in a record.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum State {
    FieldStart,
    Plain,
    Quoted,
    /// Behind a quote in a quoted field: it ends the field, or the next one makes it a quote of the text.
    BehindQuote,
}

/// Finds where records end: at line ends that lie in no quotes.
#[derive(Debug)]
struct Scanner {
    separator: u8,
    state: State,
    pos: usize,
    /// Behind the last record that has ended.
    end: usize,
}

impl Scanner {
    fn new(separator: u8) -> Self {
        Self { separator, state: State::FieldStart, pos: 0, end: 0 }
    }

    /// What was found to have ended is taken away.
    fn cut(&mut self) {
        self.pos -= self.end.min(self.pos);
        self.end = 0;
    }

    /// Looks at the bytes from `before` on.
    fn feed(&mut self, bytes: &[u8], before: usize) {
        let is_quoted = matches!(self.state, State::Quoted | State::BehindQuote);
        if !is_quoted && memchr(b'"', &bytes[before..]).is_none() {
            if let Some(at) = memrchr(b'\n', &bytes[before..]) {
                self.end = before + at + 1;
            }
            self.state = match bytes.last() {
                Some(last) if *last == self.separator || b"\r\n".contains(last) => State::FieldStart,
                None => State::FieldStart,
                _ => State::Plain,
            };
            self.pos = bytes.len();
            return;
        }
        while self.pos < bytes.len() {
            self.step(bytes);
        }
    }

    fn step(&mut self, bytes: &[u8]) {
        let rest = &bytes[self.pos..];
        match self.state {
            State::Plain => match memchr3(self.separator, b'\n', b'\r', rest) {
                Some(at) => {
                    self.pos += at;
                    self.ended(bytes);
                }
                None => self.pos = bytes.len(),
            },
            State::Quoted => match memchr(b'"', rest) {
                Some(at) => {
                    self.pos += at + 1;
                    self.state = State::BehindQuote;
                }
                None => self.pos = bytes.len(),
            },
            State::FieldStart if rest[0] == b'"' => {
                self.pos += 1;
                self.state = State::Quoted;
            }
            State::BehindQuote if rest[0] == b'"' => {
                self.pos += 1;
                self.state = State::Quoted;
            }
            State::FieldStart | State::BehindQuote => self.ended(bytes),
        }
    }

    /// At a byte that may end a field or a record.
    fn ended(&mut self, bytes: &[u8]) {
        let byte = bytes[self.pos];
        self.pos += 1;
        self.state = if byte == self.separator || byte == b'\r' || byte == b'\n' {
            State::FieldStart
        } else {
            State::Plain
        };
        if byte == b'\n' {
            self.end = self.pos;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cut(text: &str, size: usize) -> Vec<(u64, String)> {
        let chunks = Chunks::new(text.as_bytes(), size, b',').map(Result::unwrap);
        chunks.map(|c| (c.line, String::from_utf8(c.bytes).unwrap())).collect()
    }

    #[test]
    fn pieces_end_with_records_whatever_their_size() {
        let texts = [
            "a,b\n1,2\n3,4\n",
            "a,b\r\n1,\"x\ny\"\r\n3,\"he said \"\"no\"\"\"\n",
            "a\n5\" pipe\n\"q\"\n",
            "a,b\n1,\"\"\"\n\"\"\",\n2,3",
            "\n\n,\n\"\"\n",
            "a\n\"x\"y\nz\"\n",
        ];
        for text in texts {
            let whole = records(text);
            for size in 1..=text.len() + 1 {
                let pieces = cut(text, size);
                let joined: String = pieces.iter().map(|(_, t)| t.as_str()).collect();
                assert_eq!(joined, text, "{size}");
                let apart: Vec<Vec<String>> = pieces.iter().flat_map(|(_, t)| records(t)).collect();
                assert_eq!(apart, whole, "{text:?} by {size}");
                let mut line = 1;
                for (first, piece) in &pieces {
                    assert_eq!(*first, line, "{text:?} by {size}");
                    line += piece.matches('\n').count() as u64;
                }
            }
        }
    }

    /// The records as the reader sees them that reads each piece.
    fn records(text: &str) -> Vec<Vec<String>> {
        let mut reader =
            csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(text.as_bytes());
        reader.records().map(|r| r.unwrap().iter().map(str::to_owned).collect()).collect()
    }
}
