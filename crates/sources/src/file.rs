//! The bytes of files and of pipes.

use std::io::Read;
use std::path::Path;
use vembra_engine::{Budget, OverBudget};

/// A line of more bytes is taken for no line of a table.
pub(crate) const LONGEST_LINE: usize = 64 << 20;
/// So many bytes of a stream are read at a time.
const STREAMED: usize = 4 << 20;

/// Why a file was not read.
pub(crate) enum Unread {
    Failed(std::io::Error),
    Over(OverBudget),
    Changed,
}

impl From<std::io::Error> for Unread {
    fn from(error: std::io::Error) -> Self {
        Self::Failed(error)
    }
}

pub(crate) fn read_whole(path: &Path, memory: Budget) -> Result<Vec<u8>, Unread> {
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
