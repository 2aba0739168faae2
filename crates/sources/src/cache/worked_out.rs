//! What was worked out of the tables of a model: computed columns and links, a part each in the folder of the model.

use super::part::{drop_part, part_name, read_column, read_numbers, write_column, write_numbers};
use super::place::{aside, make_folder, put, read_told, used, write_told};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use vembra_engine::{Budget, Column, Numbers, WorkedOut};
use vembra_plan::{ColumnId, LinkId};

/// The file of a model's folder that says what it is for.
pub(super) const ABOUT: &str = "model.json";
/// The file that is there once keys and hierarchies were found to hold.
const SOUND: &str = "sound";

/// What the text of a model's folder says.
#[derive(Serialize, Deserialize)]
pub(super) struct About {
    pub(super) model: String,
}

/// The kept columns and links of a model over certain tables.
#[derive(Debug)]
pub struct CachedModel {
    folder: PathBuf,
    model: String,
    fresh: bool,
    memory: Budget,
    /// The file of each part.
    parts: Mutex<HashMap<String, String>>,
}

impl CachedModel {
    pub(super) fn open(folder: PathBuf, model: &str, fresh: bool, memory: Budget) -> Self {
        let cache = Self { folder, model: model.to_owned(), fresh, memory, parts: Mutex::default() };
        if !fresh && read_told(&cache.folder.join(ABOUT)).is_some() {
            used(&cache.folder.join(ABOUT));
            *cache.parts() = cache.listed();
        }
        cache
    }

    fn listed(&self) -> HashMap<String, String> {
        let entries = std::fs::read_dir(&self.folder).into_iter().flatten().flatten();
        let names = entries.filter_map(|entry| entry.file_name().into_string().ok());
        names.filter_map(|file| Some((part_name(&file)?.to_owned(), file))).collect()
    }

    fn parts(&self) -> std::sync::MutexGuard<'_, HashMap<String, String>> {
        self.parts.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn read<T>(&self, name: &str, read: impl Fn(&Path) -> Option<T>) -> Option<T> {
        let file = self.folder.join(self.parts().get(name)?);
        let bytes = std::fs::metadata(&file).ok()?.len();
        // Working it out takes more memory, and says so.
        self.memory.check_more(bytes.saturating_mul(2)).ok()?;
        let part = read(&file);
        if part.is_none() {
            drop_part(&file);
            self.parts().remove(name);
        }
        part
    }

    /// Whether keys and hierarchies were found to hold.
    pub fn is_sound(&self) -> bool {
        !self.fresh && read_told(&self.folder.join(SOUND)).is_some()
    }

    /// Makes the folder, if it is not there yet, and notes that keys and hierarchies hold.
    ///
    /// # Errors
    /// When the disk does not take it.
    pub fn keep_sound(&self) -> io::Result<()> {
        if self.fresh && self.folder.exists() {
            // Before anything is kept, what was there goes.
            if self.parts().is_empty() {
                std::fs::remove_dir_all(&self.folder)?;
            }
        }
        if read_told(&self.folder.join(ABOUT)).is_none() {
            let parent = self.folder.parent().unwrap_or(&self.folder);
            make_folder(parent)?;
            let aside = aside(parent)?;
            let about = serde_json::to_string(&About { model: self.model.clone() })?;
            write_told(&aside.join(ABOUT), &about)?;
            put(&aside, &self.folder)?;
        }
        let sound = self.folder.join(SOUND);
        if read_told(&sound).is_none() {
            // One that is damaged would stay.
            drop_part(&sound);
            return there(write_told(&sound, "keys and hierarchies hold"));
        }
        Ok(())
    }

    /// Whether a computed column is cache.
    pub fn has_column(&self, id: ColumnId) -> bool {
        self.parts().contains_key(&column_part(id))
    }

    /// Whether a link is cache.
    pub fn has_link(&self, id: LinkId) -> bool {
        self.parts().contains_key(&link_part(id))
    }

    /// Keeps a computed column that is not kept yet.
    ///
    /// # Errors
    /// When the disk does not take it.
    pub fn keep_column(&self, id: ColumnId, column: &Column) -> io::Result<()> {
        self.keep(&column_part(id), |folder, name| write_column(folder, name, column))
    }

    /// Keeps a link that is not kept yet.
    ///
    /// # Errors
    /// When the disk does not take it.
    pub fn keep_link(&self, id: LinkId, numbers: Numbers<'_>) -> io::Result<()> {
        self.keep(&link_part(id), |folder, name| write_numbers(folder, name, numbers))
    }

    fn keep(
        &self,
        name: &str,
        write: impl FnOnce(&Path, &str) -> io::Result<(String, u64)>,
    ) -> io::Result<()> {
        if self.parts().contains_key(name) {
            return Ok(());
        }
        let aside = aside(&self.folder)?;
        let moved = write(&aside, name).and_then(|(file, _)| {
            std::fs::rename(aside.join(&file), self.folder.join(&file))?;
            Ok(file)
        });
        // It is empty now, or of no use.
        let _ = std::fs::remove_dir_all(&aside);
        self.parts().insert(name.to_owned(), moved?);
        Ok(())
    }
}

fn column_part(id: ColumnId) -> String {
    format!("column-{}", id.0)
}

fn link_part(id: LinkId) -> String {
    format!("link-{}", id.0)
}

/// What is there already need not be written.
fn there(written: io::Result<()>) -> io::Result<()> {
    match written {
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Ok(()),
        other => other,
    }
}

impl WorkedOut for CachedModel {
    fn column(&self, id: ColumnId) -> Option<Column> {
        self.read(&column_part(id), read_column)
    }

    fn link(&self, id: LinkId) -> Option<Numbers<'static>> {
        self.read(&link_part(id), read_numbers)
    }
}
