//! What a session read is kept for the next one: its tables, and where they are.

use crate::error::Error;
use crate::files::{direct_path, folder};
use crate::loader::{Given, Loader, read_options};
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use vembra_engine::{Budget, Table};
use vembra_model::{CachePlace, TableSource};
use vembra_plan::{Finding, Severity};
use vembra_sources::{Cache, CachedModel, Loaded, Mark, TableKey, Tell};
use vembra_syntax::Code;

/// What is kept of one session.
pub(crate) struct Keeping {
    pub(crate) cache: Cache,
    /// The model, by the path of its main file.
    pub(crate) model: String,
    pub(crate) memory: Budget,
    tables: Mutex<Vec<One>>,
    /// What was worked out, once the model is known.
    pub(crate) worked_out: OnceLock<WorkedOut>,
    /// One at a time writes.
    pub(crate) writing: Mutex<()>,
}

/// A table of the session.
#[derive(Clone)]
pub(crate) struct One {
    pub(crate) name: String,
    /// None if it cannot be known whether it is the same the next time.
    pub(crate) key: Option<TableKey>,
    pub(crate) findings: Vec<Finding>,
    pub(crate) is_kept: bool,
}

pub(crate) struct WorkedOut {
    pub(crate) mark: Mark,
    pub(crate) cache: Arc<CachedModel>,
    /// Of each derived table its key, and whether it came from what is cache.
    pub(crate) derived: Vec<(TableKey, AtomicBool)>,
}

impl Keeping {
    pub(crate) fn new(cache: Cache, loader: &Loader) -> Self {
        Self {
            cache,
            model: direct_path(Path::new(&loader.main)).display().to_string(),
            memory: loader.memory,
            tables: Mutex::default(),
            worked_out: OnceLock::new(),
            writing: Mutex::default(),
        }
    }

    pub(crate) fn cache(&self) -> &Cache {
        &self.cache
    }

    /// The table of a source: as it was kept, if it is the same; else read.
    pub(crate) fn load(&self, loader: &Loader, source: &TableSource, tell: Tell) -> Result<Loaded, Error> {
        let (key, cache) = found(&self.cache, loader, source);
        let is_kept = cache.is_some();
        let grown = || key.as_ref().and_then(|key| grown(&self.cache, key, loader, source));
        let loaded = match cache.or_else(grown) {
            Some(loaded) => loaded,
            None => loader.load(source, tell)?,
        };
        let one = One { name: source.name.clone(), key, findings: loaded.findings.clone(), is_kept };
        self.tables().push(one);
        Ok(loaded)
    }

    pub(crate) fn tables(&self) -> std::sync::MutexGuard<'_, Vec<One>> {
        self.tables.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Whether any table is, or is to be cache.
    pub(crate) fn is_any(&self) -> bool {
        self.tables().iter().any(|one| one.key.as_ref().is_some_and(Cache::is_large))
    }

    /// Whether keys and hierarchies were found to hold before.
    pub(crate) fn is_sound(&self) -> bool {
        self.worked_out.get().is_some_and(|found| found.cache.is_sound())
    }
}

/// The key of a table, and the table as it was cache.
fn found(cache: &Cache, loader: &Loader, source: &TableSource) -> (Option<TableKey>, Option<Loaded>) {
    let Some(key) = key(loader, source) else { return (None, None) };
    let (owned, from, own) = (loader.clone(), source.clone(), key.clone());
    let table = cache.table(&key, loader.memory, move || again(&owned, &from, &own));
    (Some(key), table)
}

/// A table whose file has got more lines since it was cache.
#[cfg(feature = "csv")]
fn grown(cache: &Cache, key: &TableKey, loader: &Loader, source: &TableSource) -> Option<Loaded> {
    let (before, bytes) = cache.before_growth(key, loader.memory).filter(|_| source.days.is_none())?;
    let options = read_options(source, loader.memory);
    let loaded = vembra_sources::read_grown(key.file()?, bytes, &before, &options)?;
    // It may have grown on meanwhile.
    (self::key(loader, source).as_ref() == Some(key)).then_some(loaded)
}

#[cfg(not(feature = "csv"))]
fn grown(_: &Cache, _: &TableKey, _: &Loader, _: &TableSource) -> Option<Loaded> {
    None
}

/// What shows whether a table is the same: its files, and all that the model says of how they are read.
fn key(loader: &Loader, source: &TableSource) -> Option<TableKey> {
    let (folder, files) = match loader.tables.get(&source.name) {
        // What a database holds is not known without asking it.
        None if source.database.is_some() => return None,
        None => {
            let folder = folder(&source.declared_in);
            let files = vembra_sources::expand(&folder, &source.files).ok()?;
            (folder, files)
        }
        Some(Given::File(path)) => (PathBuf::new(), vec![path.clone()]),
        Some(_) => return None,
    };
    let options = read_options(source, Budget::none());
    let is_given = loader.tables.contains_key(&source.name);
    let names = if is_given { &[][..] } else { &source.files[..] };
    let folder = direct_path(&folder);
    let what = format!("{} {names:?} {is_given} {:?} {options:?}", folder.display(), source.days);
    Cache::key(&what, &files)
}

/// A table read from its source, if that is what it was.
pub(crate) fn again(loader: &Loader, source: &TableSource, own: &TableKey) -> Result<Table, String> {
    if key(loader, source).as_ref() != Some(own) {
        return Err(format!("{} was changed", source.files.join(", ")));
    }
    let loaded = loader.load(source, Tell::default()).map_err(|error| error.to_string())?;
    match loaded.findings.iter().find(|f| f.severity == Severity::Error) {
        Some(error) => Err(error.to_string()),
        None => Ok(loaded.table),
    }
}

/// The tables that a draft has read and that are to be cache.
#[derive(Debug)]
pub(crate) struct DraftTables {
    told: Cache,
    /// Where they are kept, as the model says it now.
    span: Option<Cache>,
    unkept: Vec<(TableKey, String, Loaded)>,
}

impl DraftTables {
    pub(crate) fn new(told: Cache) -> Self {
        Self { told, span: None, unkept: Vec::new() }
    }

    /// Takes what the model says now.
    pub(crate) fn said(&mut self, said: Option<&CachePlace>) {
        self.span = span(&self.told, said);
    }

    /// The table of a source: as it was kept, or read.
    pub(crate) fn load(
        &mut self,
        loader: &Loader,
        source: &TableSource,
        read: impl FnOnce() -> Loaded,
    ) -> Loaded {
        let Some(span) = &self.span else { return read() };
        let (key, cache) = found(span, loader, source);
        if let Some(cache) = cache {
            return cache;
        }
        let loaded = read();
        if let Some(key) = key.filter(|key| span.is_worth(key, &loaded)) {
            self.unkept.push((key, source.name.clone(), loaded.clone()));
        }
        loaded
    }

    /// What keeps those that were read since this was asked last.
    pub(crate) fn unkept(&mut self, main: &Path) -> Option<ToKeep> {
        if self.unkept.is_empty() {
            return None;
        }
        let (cache, unkept) = (self.span.clone()?, std::mem::take(&mut self.unkept));
        let model = direct_path(main).display().to_string();
        Some(Box::new(move || {
            let mut tables = unkept.iter();
            let written =
                tables.try_for_each(|(key, name, loaded)| cache.keep_table(key, &model, name, loaded));
            written.map_err(|error| not_kept(&cache, &error))
        }))
    }
}

/// Where what is read is kept: the place that was given, or what the model says, where that goes first.
pub(crate) fn span(told: &Cache, said: Option<&CachePlace>) -> Option<Cache> {
    match said {
        Some(CachePlace::Nowhere) if told.gives_way() => None,
        Some(CachePlace::In(folder)) if told.gives_way() => Some(told.clone().moved_to(folder)),
        _ => Some(told.clone()),
    }
}

/// What keeps tables, to be run beside other things.
pub type ToKeep = Box<dyn FnOnce() -> Result<(), Error> + Send>;

pub(crate) fn not_kept(cache: &Cache, error: &std::io::Error) -> Error {
    Error::outside(vec![Finding::new(
        Code::V645,
        cache.folder().display().to_string(),
        format!("what was read cannot be kept for the next time: {error}"),
        "keep it in another folder, or nothing, by `SessionBuilder::cache`",
    )])
}
