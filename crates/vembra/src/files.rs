//! Model files on disk or in memory.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use vembra_model::ModelFiles;

/// Files by name in memory, others from a folder.
#[derive(Clone, Debug, Default)]
pub(crate) struct Files {
    pub(crate) texts: BTreeMap<String, String>,
}

impl ModelFiles for Files {
    fn read(&self, from: Option<&str>, file: &str) -> Result<(String, String), String> {
        if let Some(text) = self.texts.get(file) {
            return Ok((file.to_owned(), text.clone()));
        }
        let path = beside(from, file);
        let bytes = std::fs::read(&path).map_err(|error| match error.kind() {
            std::io::ErrorKind::NotFound => "there is no such file".to_owned(),
            std::io::ErrorKind::IsADirectory => "it is a folder".to_owned(),
            _ => error.to_string(),
        })?;
        let text = String::from_utf8(bytes).map_err(|error| {
            let at = error.utf8_error().valid_up_to();
            let line = error.as_bytes()[..at].iter().filter(|b| **b == b'\n').count() + 1;
            format!("it is not in UTF-8 (line {line})")
        })?;
        Ok((path.display().to_string(), text))
    }
}

/// The path of a file that another one names.
pub(crate) fn beside(from: Option<&str>, file: &str) -> PathBuf {
    let folder = from.and_then(|f| Path::new(f).parent()).unwrap_or_else(|| Path::new(""));
    folder.join(file)
}
