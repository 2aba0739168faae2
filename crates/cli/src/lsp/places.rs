//! Places in texts as the protocol counts them, and files as it names them.

use lsp_types::{InitializeParams, Position, PositionEncodingKind, Range, Uri};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_decode_str, utf8_percent_encode};
use std::path::{Path, PathBuf};
use std::str::FromStr;

/// What columns count.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Encoding {
    Utf8,
    Utf16,
}

impl Encoding {
    /// Bytes where the client can count them, else what every client can.
    pub(super) fn agreed(params: &InitializeParams) -> Self {
        let general = params.capabilities.general.as_ref();
        let offered = general.and_then(|g| g.position_encodings.as_ref());
        match offered {
            Some(kinds) if kinds.contains(&PositionEncodingKind::UTF8) => Self::Utf8,
            _ => Self::Utf16,
        }
    }

    fn width(self, c: char) -> usize {
        match self {
            Self::Utf8 => c.len_utf8(),
            Self::Utf16 => c.len_utf16(),
        }
    }

    /// The byte at a position; the end of the line or of the text if it lies behind that.
    pub(super) fn byte(self, text: &str, position: Position) -> usize {
        let mut start = 0;
        for _ in 0..position.line {
            match text[start..].find('\n') {
                Some(at) => start += at + 1,
                None => return text.len(),
            }
        }
        let line = text[start..].split('\n').next().unwrap_or_default();
        let mut column = 0;
        for (at, c) in line.char_indices() {
            if column >= position.character as usize {
                return start + at;
            }
            column += self.width(c);
        }
        start + line.len()
    }

    pub(super) fn range(self, text: &str, start: usize, end: usize) -> Range {
        Lines::of(text, self).range(start, end)
    }
}

/// A text of which many places are asked for.
pub(super) struct Lines<'t> {
    text: &'t str,
    starts: Vec<usize>,
    encoding: Encoding,
}

impl<'t> Lines<'t> {
    pub(super) fn of(text: &'t str, encoding: Encoding) -> Self {
        let behind = text.match_indices('\n').map(|(at, _)| at + 1);
        Self { text, starts: std::iter::once(0).chain(behind).collect(), encoding }
    }

    fn position(&self, byte: usize) -> Position {
        let byte = byte.min(self.text.len());
        let line = self.starts.partition_point(|start| *start <= byte) - 1;
        let before = &self.text[self.starts[line]..byte];
        let column: usize = before.chars().map(|c| self.encoding.width(c)).sum();
        Position { line: line as u32, character: column as u32 }
    }

    pub(super) fn range(&self, start: usize, end: usize) -> Range {
        Range { start: self.position(start), end: self.position(end) }
    }
}

/// What stands in a path as it is.
const PLAIN: &AsciiSet =
    &NON_ALPHANUMERIC.remove(b'/').remove(b'-').remove(b'_').remove(b'.').remove(b'~').remove(b'+');

/// The file that an address names; none if it names something else.
pub(super) fn path_of(uri: &Uri) -> Option<PathBuf> {
    let path = uri.as_str().strip_prefix("file://")?;
    // A host, if there is one, stands before the first slash.
    let path = &path[path.find('/')?..];
    Some(PathBuf::from(percent_decode_str(path).decode_utf8().ok()?.into_owned()))
}

pub(super) fn uri_of(path: &Path) -> Option<Uri> {
    let path = path.to_str()?;
    Uri::from_str(&format!("file://{}", utf8_percent_encode(path, PLAIN))).ok()
}
