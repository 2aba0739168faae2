//! Model files on disk or in memory.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::SystemTime;
use vembra_model::{FileError, ModelFiles};

/// A model of more bytes is taken for something else.
const MOST_BYTES: u64 = 64 << 20;

/// Files by name in memory, others from a folder.
#[derive(Clone, Debug, Default)]
pub(crate) struct Files {
    pub(crate) texts: BTreeMap<String, String>,
    /// Texts that are being written, instead of those on disk; paths without detours.
    pub(crate) open: BTreeMap<PathBuf, String>,
    /// The folder of the model.
    pub(crate) root: PathBuf,
    /// Whether files outside of it may be included.
    pub(crate) outside: bool,
}

impl ModelFiles for Files {
    fn read(&self, from: Option<&str>, file: &str) -> Result<(String, String), FileError> {
        if let Some(text) = self.texts.get(file) {
            return Ok((file.to_owned(), text.clone()));
        }
        let path = beside(from, file);
        let direct = direct_path(&path);
        if from.is_some()
            && !self.outside
            && direct.is_absolute()
            && !direct.starts_with(direct_path(&self.root))
        {
            return Err(FileError::Outside);
        }
        let name = match from {
            Some(_) => self.plain_name(&direct).unwrap_or_else(|| path.clone()),
            None => path.clone(),
        };
        let name = name.display().to_string();
        match self.open.get(&direct) {
            Some(text) => Ok((name, text.clone())),
            None => Ok((name, text_of(&path).map_err(FileError::Failed)?)),
        }
    }
}

impl Files {
    /// One name per file, whatever way led to it: from the folder of the model on, where it lies in it. Without one, files that
    /// include each other by ever longer ways would never end.
    fn plain_name(&self, direct: &Path) -> Option<PathBuf> {
        if !direct.is_absolute() {
            return None;
        }
        let inside = direct.strip_prefix(direct_path(&self.root)).ok().map(|inside| self.root.join(inside));
        Some(inside.unwrap_or_else(|| direct.to_owned()))
    }
}

/// The text of a file, or why there is none.
fn text_of(path: &Path) -> Result<String, String> {
    let why = |error: std::io::Error| match error.kind() {
        std::io::ErrorKind::NotFound => "there is no such file".to_owned(),
        std::io::ErrorKind::IsADirectory => "it is a folder".to_owned(),
        _ => error.to_string(),
    };
    let size = std::fs::metadata(path).map_err(why)?.len();
    if size > MOST_BYTES {
        return Err(format!("it has {} MB, and {} MB are the most", size >> 20, MOST_BYTES >> 20));
    }
    let bytes = std::fs::read(path).map_err(why)?;
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        let line = error.as_bytes()[..at].iter().filter(|b| **b == b'\n').count() + 1;
        format!("it is not in UTF-8 (line {line})")
    })
}

/// When a file was changed last, and how long it is; nothing if it is not there. While it stays the same the file need not be read
/// again.
pub type Stamp = Option<(SystemTime, u64)>;

/// The stamp of a file.
pub fn file_stamp(path: &Path) -> Stamp {
    let found = std::fs::metadata(path).ok()?;
    Some((found.modified().ok()?, found.len()))
}

/// A path without links and detours, if there is something there; else the path as it is.
pub fn direct_path(path: &Path) -> PathBuf {
    let path = if path.as_os_str().is_empty() { Path::new(".") } else { path };
    std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
}

/// The path of a file that another one names.
pub(crate) fn beside(from: Option<&str>, file: &str) -> PathBuf {
    folder(from.unwrap_or_default()).join(file)
}

/// The folder of a file.
pub(crate) fn folder(file: &str) -> PathBuf {
    Path::new(file).parent().unwrap_or_else(|| Path::new("")).to_owned()
}
