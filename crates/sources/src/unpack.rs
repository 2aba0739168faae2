//! What is packed, or in another encoding, as plain text.

use crate::input::{Input, Unread};
use crate::loaded::ReadOptions;
use encoding_rs::{Decoder, DecoderResult, Encoding};
use std::io::{self, Read};
use vembra_plan::{Code, Finding};

/// The text of an input from its start, in UTF-8.
pub(crate) fn open<'i>(
    name: &str,
    input: &'i Input<'_>,
    options: &ReadOptions,
) -> Result<Box<dyn Read + Send + 'i>, Vec<Finding>> {
    let told = |error: io::Error| vec![Unread::from(error).finding(name)];
    let start = input.start(4).map_err(told)?;
    let bytes: Box<dyn Read + Send + 'i> = input.open().map_err(told)?;
    let (bytes, start): (Box<dyn Read + Send + 'i>, Vec<u8>) = if is_packed(&start) {
        let unpack = |bytes: Box<dyn Read + Send + 'i>| unpacked(bytes, &start);
        let mut first = Vec::new();
        unpack(bytes).map_err(told)?.take(4).read_to_end(&mut first).map_err(told)?;
        (unpack(input.open().map_err(told)?).map_err(told)?, first)
    } else {
        (bytes, start)
    };
    match encoding(name, &start, options)? {
        Some(encoding) => Ok(Box::new(Decoded::new(bytes, encoding))),
        None => Ok(bytes),
    }
}

/// Whether the first bytes are those of gzip or zstd.
pub(crate) fn is_packed(start: &[u8]) -> bool {
    start.starts_with(&[0x1f, 0x8b]) || start.starts_with(ZSTD)
}

const ZSTD: &[u8] = &[0x28, 0xb5, 0x2f, 0xfd];

fn unpacked<'i>(bytes: Box<dyn Read + Send + 'i>, start: &[u8]) -> io::Result<Box<dyn Read + Send + 'i>> {
    if start.starts_with(ZSTD) {
        let decoder = ruzstd::decoding::StreamingDecoder::new(bytes);
        return Ok(Box::new(decoder.map_err(|e| io::Error::new(io::ErrorKind::InvalidData, e.to_string()))?));
    }
    Ok(Box::new(flate2::read::MultiGzDecoder::new(bytes)))
}

/// The encoding to turn into UTF-8, if it is not that already.
fn encoding(
    name: &str,
    start: &[u8],
    options: &ReadOptions,
) -> Result<Option<&'static Encoding>, Vec<Finding>> {
    let marked = Encoding::for_bom(start).map(|(encoding, _)| encoding);
    let Some(told) = &options.encoding else {
        return Ok(marked.filter(|e| *e != encoding_rs::UTF_8));
    };
    match Encoding::for_label(told.as_bytes()) {
        Some(encoding) => Ok(Some(encoding).filter(|e| *e != encoding_rs::UTF_8)),
        None => {
            let message = format!("there is no encoding {told}");
            let help = "such as utf-8, utf-16le, windows-1252, iso-8859-15, shift_jis";
            Err(vec![Finding::new(Code::V613, name, message, help)])
        }
    }
}

/// Bytes of an encoding as bytes of UTF-8.
struct Decoded<R> {
    bytes: R,
    decoder: Decoder,
    encoding: &'static Encoding,
    read: Vec<u8>,
    at: usize,
    out: Vec<u8>,
    given: usize,
    ended: bool,
}

/// How many bytes are decoded at a time.
const AT_A_TIME: usize = 64 << 10;

impl<R: Read> Decoded<R> {
    fn new(bytes: R, encoding: &'static Encoding) -> Self {
        let decoder = encoding.new_decoder_with_bom_removal();
        Self { bytes, decoder, encoding, read: Vec::new(), at: 0, out: Vec::new(), given: 0, ended: false }
    }

    /// Decodes some more.
    fn fill(&mut self) -> io::Result<()> {
        self.out.clear();
        self.given = 0;
        if self.at == self.read.len() && !self.ended {
            self.read.clear();
            self.at = 0;
            self.ended = self.bytes.by_ref().take(AT_A_TIME as u64).read_to_end(&mut self.read)? == 0;
        }
        self.out.resize(AT_A_TIME * 4, 0);
        let (result, read, written) =
            self.decoder.decode_to_utf8_without_replacement(&self.read[self.at..], &mut self.out, self.ended);
        self.at += read;
        self.out.truncate(written);
        match result {
            DecoderResult::InputEmpty | DecoderResult::OutputFull => Ok(()),
            DecoderResult::Malformed(..) => {
                let why = format!("it holds bytes that are no {}", self.encoding.name());
                Err(io::Error::new(io::ErrorKind::InvalidData, why))
            }
        }
    }
}

impl<R: Read> Read for Decoded<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        while self.given == self.out.len() {
            if self.ended && self.at == self.read.len() {
                return Ok(0);
            }
            self.fill()?;
        }
        let length = into.len().min(self.out.len() - self.given);
        into[..length].copy_from_slice(&self.out[self.given..self.given + length]);
        self.given += length;
        Ok(length)
    }
}
