//! What is kept: a list for people, and what goes when it is too much.

use super::place::{last_used, size};
use super::{Cache, table, worked_out};
use std::io;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// Something that is kept: a table, or what was worked out of the tables of a model.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct CacheEntry {
    /// The model that it was kept for.
    pub model: String,
    /// The table; none for what was worked out of the model's tables.
    pub table: Option<String>,
    /// The files that the table came from.
    pub files: Vec<String>,
    /// How many rows it has.
    pub rows: usize,
    /// How many bytes it takes.
    pub bytes: u64,
    /// When it was used last.
    pub used: Option<SystemTime>,
    folder: PathBuf,
}

impl Cache {
    /// What is kept, by model and table.
    pub fn list(&self) -> Vec<CacheEntry> {
        let mut entries: Vec<CacheEntry> = folders(&self.tables()).filter_map(of_table).collect();
        entries.extend(folders(&self.models()).filter_map(of_model));
        entries.sort_by(|a, b| {
            (&a.model, a.table.is_none(), &a.table).cmp(&(&b.model, b.table.is_none(), &b.table))
        });
        entries
    }

    /// Takes away what is kept for a model, or all of it; says how much that was.
    ///
    /// # Errors
    /// When something cannot be taken away.
    pub fn remove(&self, model: Option<&str>) -> io::Result<Vec<CacheEntry>> {
        let mut gone = Vec::new();
        for entry in self.list() {
            if model.is_none_or(|model| model == entry.model) {
                std::fs::remove_dir_all(&entry.folder)?;
                gone.push(entry);
            }
        }
        if model.is_none() {
            // What is damaged is on no list.
            for folder in [self.tables(), self.models()] {
                if folder.exists() {
                    std::fs::remove_dir_all(folder)?;
                }
            }
        }
        Ok(gone)
    }
}

fn folders(parent: &Path) -> impl Iterator<Item = PathBuf> {
    let entries = std::fs::read_dir(parent).into_iter().flatten().flatten();
    entries.map(|entry| entry.path()).filter(|path| path.is_dir())
}

fn of_table(folder: PathBuf) -> Option<CacheEntry> {
    let about = table::about(&folder)?;
    Some(CacheEntry {
        model: about.model,
        table: Some(about.name),
        files: about.files,
        rows: about.rows,
        bytes: size(&folder),
        used: last_used(&folder.join(table::ABOUT)),
        folder,
    })
}

fn of_model(folder: PathBuf) -> Option<CacheEntry> {
    let about = super::place::read_told(&folder.join(worked_out::ABOUT))?;
    let about: worked_out::About = serde_json::from_str(&about).ok()?;
    Some(CacheEntry {
        model: about.model,
        table: None,
        files: Vec::new(),
        rows: 0,
        bytes: size(&folder),
        used: last_used(&folder.join(worked_out::ABOUT)),
        folder,
    })
}

/// Takes away what was used longest ago, until no more is kept than may be. What is damaged goes in any case.
pub(super) fn shrink(cache: &Cache) {
    let mut entries = cache.list();
    for folder in folders(&cache.tables()).chain(folders(&cache.models())) {
        let is_aside = folder.file_name().is_some_and(|n| n.to_string_lossy().starts_with("part-"));
        if !is_aside && entries.iter().all(|e| e.folder != folder) {
            // Somebody else may do the same.
            let _ = std::fs::remove_dir_all(folder);
        }
    }
    entries.sort_by_key(|entry| entry.used);
    let mut bytes: u64 = entries.iter().map(|e| e.bytes).sum();
    for entry in entries {
        if bytes <= cache.most {
            return;
        }
        if std::fs::remove_dir_all(&entry.folder).is_ok() {
            bytes -= entry.bytes;
        }
    }
}
