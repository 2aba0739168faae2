//! What a session read and worked out is kept for the next one.

use crate::error::Error;
use crate::files::{direct_path, folder};
use crate::loader::{Given, Loader, read_options};
use crate::session::Session;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use vembra_engine::{Budget, Options, Table};
use vembra_model::lower::{self, KnownValues};
use vembra_model::{Derived, KeptPlace, TableSource};
use vembra_plan::{ColumnId, Finding, Scalar, Severity, TableId};
use vembra_sources::{Kept, KeptModel, Loaded, Mark, TableKey, Tell};

/// What is kept of one session.
pub(crate) struct Keeping {
    kept: Kept,
    /// The model, by the path of its main file.
    model: String,
    memory: Budget,
    tables: Mutex<Vec<One>>,
    /// What was worked out, once the model is known.
    worked_out: OnceLock<WorkedOut>,
    /// One at a time writes.
    writing: Mutex<()>,
}

/// A table of the session.
#[derive(Clone)]
struct One {
    name: String,
    /// None if it cannot be told whether it is the same the next time.
    key: Option<TableKey>,
    findings: Vec<Finding>,
    is_kept: bool,
}

struct WorkedOut {
    mark: Mark,
    kept: Arc<KeptModel>,
    /// Of each derived table its key, and whether it came from what is kept.
    derived: Vec<(TableKey, AtomicBool)>,
}

/// Plans do not depend on members; only notes on them do.
struct NoMembers;

impl KnownValues for NoMembers {
    fn values(&self, _: ColumnId) -> Option<Vec<Scalar>> {
        None
    }
}

impl Keeping {
    pub(crate) fn new(kept: Kept, loader: &Loader) -> Self {
        Self {
            kept,
            model: direct_path(Path::new(&loader.main)).display().to_string(),
            memory: loader.memory,
            tables: Mutex::default(),
            worked_out: OnceLock::new(),
            writing: Mutex::default(),
        }
    }

    pub(crate) fn kept(&self) -> &Kept {
        &self.kept
    }

    /// The table of a source: as it was kept, if it is the same; else read.
    pub(crate) fn load(&self, loader: &Loader, source: &TableSource, tell: Tell) -> Result<Loaded, Error> {
        let (key, kept) = found(&self.kept, loader, source);
        let is_kept = kept.is_some();
        let grown = || key.as_ref().and_then(|key| grown(&self.kept, key, loader, source));
        let loaded = match kept.or_else(grown) {
            Some(loaded) => loaded,
            None => loader.load(source, None, tell)?,
        };
        let one = One { name: source.name.clone(), key, findings: loaded.findings.clone(), is_kept };
        self.tables().push(one);
        Ok(loaded)
    }

    fn tables(&self) -> std::sync::MutexGuard<'_, Vec<One>> {
        self.tables.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Looks for what was worked out of the same tables by the same model. Asked once the model is resolved.
    pub(crate) fn meet(&self, session: &mut Session) {
        let Some(mark) = self.mark(session) else { return };
        let kept = self.kept.model(&self.model, mark, self.memory);
        let derived = session.model.derived.iter().map(|derived| {
            let name = &session.model.schema.table(derived.table).name;
            let key = Kept::made_key(&format!("{} {name}", self.model), &mark);
            (key, AtomicBool::new(false))
        });
        let found = WorkedOut { mark, kept: kept.clone(), derived: derived.collect() };
        if self.worked_out.set(found).is_ok()
            && let Some(star) = Arc::get_mut(&mut session.star)
        {
            star.take_from(kept);
        }
    }

    /// Whether any table is, or is to be kept.
    fn is_any(&self) -> bool {
        self.tables().iter().any(|one| one.key.as_ref().is_some_and(Kept::is_large))
    }

    /// What all that is worked out depends on: the tables, their links and formulas, and the queries of derived tables.
    fn mark(&self, session: &Session) -> Option<Mark> {
        let model = &session.model;
        let mut said = vec![serde_json::to_string(&model.schema).ok()?];
        said.extend(model.hierarchies.iter().map(|h| format!("{:?} {:?}", h.table, h.levels)));
        said.extend(
            model.columns.iter().filter_map(|(c, info)| Some(format!("{c:?} by {:?}", info.order_by?))),
        );
        for derived in &model.derived {
            let (plan, _) = lower::plan(model, &model.sources, &derived.query, &NoMembers);
            said.push(format!("{:?}", plan?));
        }
        let mut tables = self.tables().clone();
        tables.sort_by(|a, b| a.name.cmp(&b.name));
        for one in &tables {
            said.push(format!("{} {}", one.name, one.key.as_ref()?.mark()));
        }
        let said: Vec<&str> = said.iter().map(String::as_str).collect();
        Some(Mark::of(&said))
    }

    /// The rows of a derived table as they were kept.
    pub(crate) fn derived(&self, loader: &Loader, session: &Session, at: usize) -> Option<Table> {
        let (key, is_kept) = self.worked_out.get()?.derived.get(at)?;
        let whole = Whole {
            loader: loader.with_texts_of(&session.model),
            keys: self.tables().iter().map(|one| (one.name.clone(), one.key.clone())).collect(),
            options: session.options.clone(),
            table: session.model.derived[at].table,
        };
        let loaded = self.kept.table(key, self.memory, move || whole.again())?;
        is_kept.store(true, Ordering::Relaxed);
        Some(loaded.table)
    }

    /// Whether keys and hierarchies were found to hold before.
    pub(crate) fn is_sound(&self) -> bool {
        self.worked_out.get().is_some_and(|found| found.kept.is_sound())
    }

    fn keep(&self, session: &Session) -> std::io::Result<()> {
        let _one_at_a_time = self.writing.lock().unwrap_or_else(PoisonError::into_inner);
        let (mut any, mut is_new) = (false, false);
        let count = self.tables().len();
        for at in 0..count {
            let one = self.tables()[at].clone();
            let Some(key) = &one.key else { continue };
            any |= one.is_kept;
            let Some(table) = session.model.find_table(&one.name).and_then(|t| session.star.table(t)) else {
                continue;
            };
            let loaded = Loaded { table: table.clone(), findings: one.findings.clone() };
            let is_done = one.is_kept && !self.kept.has_more(key, &loaded);
            if is_done || !self.kept.is_worth(key, &loaded) {
                continue;
            }
            self.kept.keep_table(key, &self.model, &one.name, &loaded)?;
            self.tables()[at].is_kept = true;
            (any, is_new) = (true, true);
        }
        let Some(found) = self.worked_out.get().filter(|_| any) else { return Ok(()) };
        if self.keep_worked_out(session, found)? || is_new {
            self.kept.tidy(&self.model, found.mark);
        }
        Ok(())
    }

    /// Whether anything was kept that was not before.
    fn keep_worked_out(&self, session: &Session, found: &WorkedOut) -> std::io::Result<bool> {
        let mut is_new = false;
        found.kept.keep_sound()?;
        for (derived, (key, is_kept)) in session.model.derived.iter().zip(&found.derived) {
            if is_kept.load(Ordering::Relaxed) {
                continue;
            }
            if let Some(table) = session.star.table(derived.table) {
                let loaded = Loaded { table: table.clone(), findings: Vec::new() };
                self.kept.keep_table(key, &self.model, &name(session, derived), &loaded)?;
                is_kept.store(true, Ordering::Relaxed);
                is_new = true;
            }
        }
        for (link, numbers) in session.star.reached().filter(|(link, _)| !found.kept.has_link(*link)) {
            found.kept.keep_link(link, numbers)?;
            is_new = true;
        }
        for (id, column) in session.star.computed().filter(|(id, _)| !found.kept.has_column(*id)) {
            found.kept.keep_column(id, column)?;
            is_new = true;
        }
        Ok(is_new)
    }
}

fn name(session: &Session, derived: &Derived) -> String {
    session.model.schema.table(derived.table).name.clone()
}

/// The key of a table, and the table as it was kept.
fn found(kept: &Kept, loader: &Loader, source: &TableSource) -> (Option<TableKey>, Option<Loaded>) {
    let Some(key) = key(loader, source) else { return (None, None) };
    let (owned, from, own) = (loader.clone(), source.clone(), key.clone());
    let table = kept.table(&key, loader.memory, move || again(&owned, &from, &own));
    (Some(key), table)
}

/// A table whose file has got more lines since it was kept.
#[cfg(feature = "csv")]
fn grown(kept: &Kept, key: &TableKey, loader: &Loader, source: &TableSource) -> Option<Loaded> {
    let (before, bytes) = kept.before_growth(key, loader.memory).filter(|_| source.days.is_none())?;
    let options = read_options(source, loader.memory);
    let loaded = vembra_sources::read_grown(key.file()?, bytes, &before, &options)?;
    // It may have grown on meanwhile.
    (self::key(loader, source).as_ref() == Some(key)).then_some(loaded)
}

#[cfg(not(feature = "csv"))]
fn grown(_: &Kept, _: &TableKey, _: &Loader, _: &TableSource) -> Option<Loaded> {
    None
}

/// What tells whether a table is the same: its files, and all that the model says of how they are read.
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
    Kept::key(&what, &files)
}

/// A table read from its source, if that is what it was.
fn again(loader: &Loader, source: &TableSource, own: &TableKey) -> Result<Table, String> {
    if key(loader, source).as_ref() != Some(own) {
        return Err(format!("{} was changed", source.files.join(", ")));
    }
    let loaded = loader.load(source, None, Tell::default()).map_err(|error| error.to_string())?;
    match loaded.findings.iter().find(|f| f.severity == Severity::Error) {
        Some(error) => Err(error.to_string()),
        None => Ok(loaded.table),
    }
}

/// All that a derived table is made of.
struct Whole {
    loader: Loader,
    keys: Vec<(String, Option<TableKey>)>,
    options: Options,
    table: TableId,
}

impl Whole {
    /// The derived table made anew, if its sources are what they were.
    fn again(&self) -> Result<Table, String> {
        let declarations = self.loader.declarations();
        let mut loaded = Vec::new();
        for source in &declarations.tables {
            let own = self.keys.iter().find(|(name, _)| *name == source.name);
            let own = own.and_then(|(_, key)| key.as_ref()).ok_or("a table was changed")?;
            let table = again(&self.loader, source, own)?;
            loaded.push((source.name.clone(), Loaded { table, findings: Vec::new() }));
        }
        let session = self.loader.session(&declarations, loaded, self.options.clone(), None);
        let session = session.map_err(|error| error.to_string())?;
        session.star.table(self.table).cloned().ok_or_else(|| "a table is gone".to_owned())
    }
}

/// The tables that a draft has read and that are to be kept.
#[derive(Debug)]
pub(crate) struct DraftTables {
    told: Kept,
    /// Where they are kept, as the model says it now.
    place: Option<Kept>,
    unkept: Vec<(TableKey, String, Loaded)>,
}

impl DraftTables {
    pub(crate) fn new(told: Kept) -> Self {
        Self { told, place: None, unkept: Vec::new() }
    }

    /// Takes what the model says now.
    pub(crate) fn said(&mut self, said: Option<&KeptPlace>) {
        self.place = place(&self.told, said);
    }

    /// The table of a source: as it was kept, or read.
    pub(crate) fn load(
        &mut self,
        loader: &Loader,
        source: &TableSource,
        read: impl FnOnce() -> Loaded,
    ) -> Loaded {
        let Some(place) = &self.place else { return read() };
        let (key, kept) = found(place, loader, source);
        if let Some(kept) = kept {
            return kept;
        }
        let loaded = read();
        if let Some(key) = key.filter(|key| place.is_worth(key, &loaded)) {
            self.unkept.push((key, source.name.clone(), loaded.clone()));
        }
        loaded
    }

    /// What keeps those that were read since this was asked last.
    pub(crate) fn unkept(&mut self, main: &Path) -> Option<ToKeep> {
        if self.unkept.is_empty() {
            return None;
        }
        let (kept, unkept) = (self.place.clone()?, std::mem::take(&mut self.unkept));
        let model = direct_path(main).display().to_string();
        Some(Box::new(move || {
            let mut tables = unkept.iter();
            let written =
                tables.try_for_each(|(key, name, loaded)| kept.keep_table(key, &model, name, loaded));
            written.map_err(|error| not_kept(&kept, &error))
        }))
    }
}

/// Where what is read is kept: the place that was told, or what the model says, where that goes first.
pub(crate) fn place(told: &Kept, said: Option<&KeptPlace>) -> Option<Kept> {
    match said {
        Some(KeptPlace::Nowhere) if told.gives_way() => None,
        Some(KeptPlace::In(folder)) if told.gives_way() => Some(told.clone().moved_to(folder)),
        _ => Some(told.clone()),
    }
}

/// What keeps tables, to be run beside other things.
pub type ToKeep = Box<dyn FnOnce() -> Result<(), Error> + Send>;

fn not_kept(kept: &Kept, error: &std::io::Error) -> Error {
    Error::outside(vec![Finding {
        code: "V645".to_owned(),
        severity: Severity::Note,
        file: kept.folder().display().to_string(),
        line: None,
        column: None,
        message: format!("what was read cannot be kept for the next time: {error}"),
        help: "keep it in another folder, or nothing, by `SessionBuilder::kept`".to_owned(),
    }])
}

impl Session {
    /// Keeps what was read and worked out so far for the next session over the same files, if the builder was told where
    /// ([`SessionBuilder::kept`](crate::SessionBuilder::kept)). It takes a while for large tables, so a program calls it when it has
    /// nothing else to do; what is kept already is not written again. A session of one viewer keeps nothing of its own; what was read to
    /// open it is kept before it is there.
    ///
    /// # Errors
    /// When the disk does not take it: the next session reads everything from its sources, and nothing else changes.
    pub fn keep(&self) -> Result<(), Error> {
        let Some(keeping) = &self.keeping else { return self.not_kept.clone().map_or(Ok(()), Err) };
        keeping.keep(self).map_err(|error| not_kept(&keeping.kept, &error))
    }

    /// Keeps what the session of all rows read before it is gone.
    pub(crate) fn kept_of_whole(&mut self, whole: &Self) {
        self.not_kept = whole.keep().err();
    }

    /// Where tables that were read are kept, if any are: small ones are not.
    pub fn kept(&self) -> Option<&Kept> {
        self.keeping.as_ref().filter(|keeping| keeping.is_any()).map(|keeping| keeping.kept())
    }
}
