//! What was read is kept, as the engine has it, so that the next command need not read it again.
//!
//! A folder holds `tables/`, a folder for each table with one Arrow file a column, and `models/`, a folder for each model with what was
//! worked out of its tables. The name of a folder says what it is and what it was made of: where anything differs, there is nothing of
//! that name, and it is read from its source. Nothing is taken on trust: each part is used only if its bytes have the sum that
//! its name says. What cannot be read or written costs time, and never changes an answer.

mod hash;
mod identity;
mod list;
mod part;
mod place;
mod table;
mod worked_out;

pub use hash::Mark;
pub use list::CacheEntry;
pub use table::TableKey;
pub use worked_out::CachedModel;

use crate::loaded::Loaded;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use table::Again;
use vembra_engine::{Budget, Table};

/// What is kept is of this form; a change of what is read of a file, or how it is written, is another one.
const FORM: &str = concat!("3 ", env!("CARGO_PKG_VERSION"));
/// A table whose files have fewer bytes is read as fast as it would be found.
const SMALL: u64 = 256 << 10;
/// How many bytes are kept unless set otherwise.
const MOST: u64 = 10 << 30;

/// Where what was read is kept, and how much of it.
///
/// # Examples
/// ```
/// let folder = tempfile::tempdir()?;
/// let cache = vembra_sources::Cache::in_folder(folder.path()).most(1 << 30);
/// assert!(cache.list().is_empty());
/// # Ok::<(), std::io::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Cache {
    folder: PathBuf,
    most: u64,
    fresh: bool,
    gives_way: bool,
}

impl Cache {
    /// Kept in a folder, which is made when it is needed.
    pub fn in_folder(folder: impl AsRef<Path>) -> Self {
        Self { folder: folder.as_ref().to_owned(), most: MOST, fresh: false, gives_way: false }
    }

    /// Cache in the folder that the user's system has for what may be lost; none where it has none.
    pub fn in_user_cache() -> Option<Self> {
        Some(Self::in_folder(dirs::cache_dir()?.join("vembra")))
    }

    /// Keeps this many bytes at most; what was used longest ago goes first. 10 GB unless set.
    pub fn most(mut self, bytes: u64) -> Self {
        self.most = bytes;
        self
    }

    /// Reads everything from its source, and caches it again.
    pub fn fresh(mut self, fresh: bool) -> Self {
        self.fresh = fresh;
        self
    }

    /// Gives way to what the model says: that it is kept in a folder of its own, or nowhere.
    pub fn unless_the_model_says(mut self) -> Self {
        self.gives_way = true;
        self
    }

    /// Whether it gives way to what the model says.
    pub fn gives_way(&self) -> bool {
        self.gives_way
    }

    /// The same in another folder.
    pub fn moved_to(mut self, folder: impl AsRef<Path>) -> Self {
        folder.as_ref().clone_into(&mut self.folder);
        self
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// How many bytes are kept at most.
    pub fn limit(&self) -> u64 {
        self.most
    }

    fn tables(&self) -> PathBuf {
        self.folder.join("tables")
    }

    fn models(&self) -> PathBuf {
        self.folder.join("models")
    }

    /// The key of a table that is made of files in a way that `what` says: it has it as long as the files and the way are the same. None
    /// if that cannot be known for sure.
    pub fn key(what: &str, files: &[PathBuf]) -> Option<TableKey> {
        // What cannot be looked at is reported by its reader.
        let identity = identity::identity(files).ok()??;
        Some(TableKey {
            what: Mark::of(&[FORM, what]),
            mark: Mark::of(&[FORM, what, &identity.mark.to_string()]),
            identity: identity.mark,
            files: files.to_owned(),
            bytes: identity.bytes,
        })
    }

    /// The key of a table that is made of others.
    pub fn made_key(what: &str, of: &Mark) -> TableKey {
        let mark = Mark::of(&[FORM, what, &of.to_string()]);
        TableKey { what: Mark::of(&[FORM, what]), mark, identity: mark, files: Vec::new(), bytes: 0 }
    }

    /// The table of a key as it was kept; its columns are fetched when they are needed, and should one be damaged by then, the table is
    /// made `again`. None if it is not cache.
    pub fn table(
        &self,
        key: &TableKey,
        memory: Budget,
        again: impl Fn() -> Result<Table, String> + Send + Sync + 'static,
    ) -> Option<Loaded> {
        if self.fresh {
            return None;
        }
        let again: Again = Box::new(again);
        table::open(&self.tables().join(key.folder()), &key.files, memory, again)
    }

    /// What was kept of the only file of a table before lines were added to it, and how many bytes it had. None if it is not the same up to
    /// there, byte by byte.
    pub fn before_growth(&self, key: &TableKey, memory: Budget) -> Option<(Loaded, u64)> {
        let ([file], false) = (key.files.as_slice(), self.fresh) else { return None };
        let of_it = format!("{}-", key.what);
        for entry in std::fs::read_dir(self.tables()).ok()?.flatten() {
            if !entry.file_name().to_string_lossy().starts_with(&of_it) {
                continue;
            }
            let Some(bytes) = table::grown_from(&entry.path(), file) else { continue };
            // A part that is damaged cannot be had in another way: what it was made of is no more.
            let gone: Again = Box::new(|| Err("it has grown".to_owned()));
            if let Some(loaded) = table::open(&entry.path(), &key.files, memory, gone) {
                return Some((loaded, bytes));
            }
        }
        None
    }

    /// Whether the files of a table are large enough to keep what was read of them.
    pub fn is_large(key: &TableKey) -> bool {
        key.bytes >= SMALL
    }

    /// Whether a table is worth to be kept, and may be.
    pub fn is_worth(&self, key: &TableKey, loaded: &Loaded) -> bool {
        Self::is_large(key) && table::may_be_kept(loaded)
    }

    /// Keeps a table; what was kept of it in another state goes. Columns that lie in its files, and were not needed, stay there.
    ///
    /// # Errors
    /// When the disk does not take it.
    pub fn keep_table(&self, key: &TableKey, model: &str, name: &str, loaded: &Loaded) -> io::Result<()> {
        let (tables, own) = (self.tables(), key.folder());
        place::make_folder(&tables)?;
        place::sweep(&tables);
        table::keep(&tables.join(&own), model, name, key, loaded)?;
        drop_others(&tables, key.what, &own);
        Ok(())
    }

    /// Whether a table was asked for more columns than are kept of it.
    pub fn has_more(&self, key: &TableKey, loaded: &Loaded) -> bool {
        table::has_grown(&self.tables().join(key.folder()), loaded)
    }

    /// What was worked out of a model whose tables, columns and links have a mark.
    pub fn model(&self, model: &str, mark: Mark, memory: Budget) -> Arc<CachedModel> {
        let folder = self.models().join(format!("{}-{mark}", Mark::of(&[FORM, model])));
        Arc::new(CachedModel::open(folder, model, self.fresh, memory))
    }

    /// Takes away what a model had worked out of other tables, and what is over the limit: what was used longest ago first.
    pub fn tidy(&self, model: &str, mark: Mark) {
        let what = Mark::of(&[FORM, model]);
        drop_others(&self.models(), what, &format!("{what}-{mark}"));
        place::sweep(&self.models());
        list::shrink(self);
    }
}

/// What was kept of the same thing in another state.
fn drop_others(parent: &Path, what: Mark, own: &str) {
    let of_it = format!("{what}-");
    for entry in std::fs::read_dir(parent).into_iter().flatten().flatten() {
        let name = entry.file_name();
        let name = name.to_string_lossy();
        if name.starts_with(&of_it) && name != own {
            // Somebody else may do the same; what stays is taken away when there is too much.
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}
