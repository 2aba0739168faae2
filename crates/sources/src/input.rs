//! Where the bytes of a table come from.

use crate::loaded::{ReadOptions, over_budget};
use std::fs::File;
use std::io::{self, Cursor, Read};
use std::path::{Path, PathBuf};
use std::time::SystemTime;
use vembra_engine::{Budget, OverBudget};
use vembra_plan::{Code, Finding};

/// A line of more bytes is taken for no line of a table.
pub(crate) const LONGEST_LINE: usize = 64 << 20;
/// How many bytes of a stream are read at a time.
const STREAMED: usize = 4 << 20;

/// Bytes that can be read more than once.
pub(crate) enum Input<'b> {
    /// A file, with its length and the time of its last change.
    File(PathBuf, Stamp),
    /// What is in memory already.
    Bytes(&'b [u8]),
    /// What came through a pipe.
    Kept(Vec<u8>),
}

/// The length of a file, and the time of its last change.
pub(crate) type Stamp = (u64, Option<SystemTime>);

/// Why something was not read.
#[derive(Debug)]
pub(crate) enum Unread {
    Failed(io::Error),
    Over(OverBudget),
    Changed,
    /// A line that is too long, by its number.
    Endless(u64),
}

impl From<io::Error> for Unread {
    fn from(error: io::Error) -> Self {
        Self::Failed(error)
    }
}

impl From<OverBudget> for Unread {
    fn from(over: OverBudget) -> Self {
        Self::Over(over)
    }
}

impl Unread {
    /// The finding about it.
    pub(crate) fn finding(&self, name: &str) -> Finding {
        match self {
            Self::Failed(error)
                if matches!(
                    error.kind(),
                    io::ErrorKind::InvalidData
                        | io::ErrorKind::InvalidInput
                        | io::ErrorKind::UnexpectedEof
                        | io::ErrorKind::Other
                ) =>
            {
                let message = format!("the file cannot be read on: {error}");
                Finding::new(
                    Code::V612,
                    name,
                    message,
                    "it is damaged, or not all of it is there: fetch or write it again",
                )
            }
            Self::Failed(error) => {
                let why = match error.kind() {
                    io::ErrorKind::NotFound => "there is no such file".to_owned(),
                    io::ErrorKind::PermissionDenied => "reading it is not allowed".to_owned(),
                    io::ErrorKind::IsADirectory => "it is a folder".to_owned(),
                    _ => error.to_string(),
                };
                let help = "check the path; it is taken from the folder of the model";
                Finding::new(Code::V610, name, format!("the file cannot be read: {why}"), help)
            }
            Self::Over(over) => over_budget(name, *over),
            Self::Changed => {
                let help = "read it again when whatever writes it is done";
                Finding::new(Code::V630, name, "the file changed while it was read".to_owned(), help)
            }
            Self::Endless(line) => {
                let message = format!("the line has more than {} MB", LONGEST_LINE >> 20);
                let help = "end lines with line breaks, and leave such values out";
                Finding { line: Some(*line), ..Finding::new(Code::V631, name, message, help) }
            }
        }
    }
}

impl Input<'static> {
    /// The input of a path: what is no file, such as a pipe, can be read only once, and is kept.
    pub(crate) fn of(path: &Path, options: &ReadOptions) -> Result<Self, Unread> {
        let metadata = std::fs::metadata(path)?;
        if metadata.is_dir() {
            return Err(io::Error::from(io::ErrorKind::IsADirectory).into());
        }
        if metadata.is_file() {
            // That it may be read is known before anything is begun.
            File::open(path)?;
            return Ok(Self::File(path.to_owned(), stamp(&metadata)));
        }
        Self::stream(File::open(path)?, options.memory)
    }

    /// What comes from a stream. It may never end, so the limit on memory is looked at while it comes.
    pub(crate) fn stream(mut stream: impl Read, memory: Budget) -> Result<Self, Unread> {
        let mut bytes = Vec::new();
        loop {
            // Room for the next part, for a vector that doubles, and for the columns that come of it.
            memory.check_more((STREAMED as u64).max(bytes.len() as u64 * 2))?;
            let before = bytes.len();
            if stream.by_ref().take(STREAMED as u64).read_to_end(&mut bytes)? == 0 {
                return Ok(Self::Kept(bytes));
            }
            // Without an end of line in sight it may never end; so much of it is enough for a message.
            let is_line = bytes[before.saturating_sub(LONGEST_LINE)..].contains(&b'\n');
            if bytes.len() > LONGEST_LINE + STREAMED && !is_line {
                return Ok(Self::Kept(bytes));
            }
        }
    }
}

/// What shows whether a file has changed.
pub(crate) fn stamp(metadata: &std::fs::Metadata) -> Stamp {
    (metadata.len(), metadata.modified().ok())
}

impl Input<'_> {
    /// The bytes from the start.
    pub(crate) fn open(&self) -> io::Result<Box<dyn Read + Send + '_>> {
        Ok(match self {
            Self::File(path, _) => Box::new(File::open(path)?),
            Self::Bytes(bytes) => Box::new(Cursor::new(bytes)),
            Self::Kept(bytes) => Box::new(Cursor::new(bytes)),
        })
    }

    /// How many bytes there are.
    pub(crate) fn len(&self) -> u64 {
        match self {
            Self::File(_, (len, _)) => *len,
            Self::Bytes(bytes) => bytes.len() as u64,
            Self::Kept(bytes) => bytes.len() as u64,
        }
    }

    /// The first bytes, at most this many.
    pub(crate) fn start(&self, most: usize) -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        self.open()?.take(most as u64).read_to_end(&mut bytes)?;
        Ok(bytes)
    }

    /// All bytes in one piece.
    pub(crate) fn whole(&self, memory: Budget) -> Result<Vec<u8>, Unread> {
        memory.check_more(self.len().saturating_mul(2))?;
        let mut bytes = Vec::with_capacity(self.len() as usize);
        self.open()?.read_to_end(&mut bytes)?;
        Ok(bytes)
    }

    /// Whether a file is still as it was.
    pub(crate) fn unchanged(&self) -> Result<(), Unread> {
        match self {
            Self::File(path, before) if stamp(&std::fs::metadata(path)?) != *before => Err(Unread::Changed),
            _ => Ok(()),
        }
    }
}
