//! What a session worked out is kept for the next one, and taken from there.

use crate::error::Error;
use crate::loader::Loader;
use crate::session::Session;
use crate::table_cache::{Keeping, WorkedOut, again, not_kept};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, PoisonError};
use vembra_engine::{Options, Table};
use vembra_model::Derived;
use vembra_model::lower::{self, KnownValues};
use vembra_plan::{ColumnId, Scalar, TableId};
use vembra_sources::{Cache, Loaded, Mark, TableKey};

/// Plans do not depend on members; only notes on them do.
struct NoMembers;

impl KnownValues for NoMembers {
    fn values(&self, _: ColumnId) -> Option<Vec<Scalar>> {
        None
    }
}

impl Keeping {
    /// Looks for what was worked out of the same tables by the same model. Asked once the model is resolved.
    pub(crate) fn meet(&self, session: &mut Session) {
        let Some(mark) = self.mark(session) else { return };
        let cache = self.cache.model(&self.model, mark, self.memory);
        let derived = session.model.derived.iter().map(|derived| {
            let name = &session.model.schema.table(derived.table).name;
            let key = Cache::made_key(&format!("{} {name}", self.model), &mark);
            (key, AtomicBool::new(false))
        });
        let found = WorkedOut { mark, cache: cache.clone(), derived: derived.collect() };
        if self.worked_out.set(found).is_ok()
            && let Some(star) = Arc::get_mut(&mut session.star)
        {
            star.take_from(cache);
        }
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

    /// The rows of a derived table as they were cache.
    pub(crate) fn derived(&self, loader: &Loader, session: &Session, at: usize) -> Option<Table> {
        let (key, is_kept) = self.worked_out.get()?.derived.get(at)?;
        let whole = Whole {
            loader: loader.with_texts_of(&session.model),
            keys: self.tables().iter().map(|one| (one.name.clone(), one.key.clone())).collect(),
            options: session.options.clone(),
            table: session.model.derived[at].table,
        };
        let loaded = self.cache.table(key, self.memory, move || whole.again())?;
        is_kept.store(true, Ordering::Relaxed);
        Some(loaded.table)
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
            let is_done = one.is_kept && !self.cache.has_more(key, &loaded);
            if is_done || !self.cache.is_worth(key, &loaded) {
                continue;
            }
            self.cache.keep_table(key, &self.model, &one.name, &loaded)?;
            self.tables()[at].is_kept = true;
            (any, is_new) = (true, true);
        }
        let Some(found) = self.worked_out.get().filter(|_| any) else { return Ok(()) };
        if self.keep_worked_out(session, found)? || is_new {
            self.cache.tidy(&self.model, found.mark);
        }
        Ok(())
    }

    /// Whether anything was kept that was not before.
    fn keep_worked_out(&self, session: &Session, found: &WorkedOut) -> std::io::Result<bool> {
        let mut is_new = false;
        found.cache.keep_sound()?;
        for (derived, (key, is_kept)) in session.model.derived.iter().zip(&found.derived) {
            if is_kept.load(Ordering::Relaxed) {
                continue;
            }
            if let Some(table) = session.star.table(derived.table) {
                let loaded = Loaded { table: table.clone(), findings: Vec::new() };
                self.cache.keep_table(key, &self.model, &name(session, derived), &loaded)?;
                is_kept.store(true, Ordering::Relaxed);
                is_new = true;
            }
        }
        for (link, numbers) in session.star.reached().filter(|(link, _)| !found.cache.has_link(*link)) {
            found.cache.keep_link(link, numbers)?;
            is_new = true;
        }
        for (id, column) in session.star.computed().filter(|(id, _)| !found.cache.has_column(*id)) {
            found.cache.keep_column(id, column)?;
            is_new = true;
        }
        Ok(is_new)
    }
}

fn name(session: &Session, derived: &Derived) -> String {
    session.model.schema.table(derived.table).name.clone()
}

/// All that a derived table is made of.
struct Whole {
    loader: Loader,
    keys: Vec<(String, Option<TableKey>)>,
    options: Options,
    table: TableId,
}

impl Whole {
    /// The derived table made again, if its sources are what they were.
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

impl Session {
    /// Keeps what was read and worked out so far for the next session over the same files, if the builder says where
    /// ([`SessionBuilder::cache`](crate::SessionBuilder::cache)). It takes a while for large tables, so a program calls it when it has
    /// nothing else to do; what is kept already is not written again. A session of one viewer keeps nothing of its own; what was read to
    /// open it is kept before it is there.
    ///
    /// # Errors
    /// When the disk does not take it: the next session reads everything from its sources, and nothing else changes.
    pub fn keep(&self) -> Result<(), Error> {
        let Some(keeping) = &self.keeping else { return self.not_kept.clone().map_or(Ok(()), Err) };
        keeping.keep(self).map_err(|error| not_kept(&keeping.cache, &error))
    }

    /// Keeps what the session of all rows read before it is gone.
    pub(crate) fn kept_of_whole(&mut self, whole: &Self) {
        self.not_kept = whole.keep().err();
    }

    /// Where tables that were read are kept, if any are: small ones are not.
    pub fn cache(&self) -> Option<&Cache> {
        self.keeping.as_ref().filter(|keeping| keeping.is_any()).map(|keeping| keeping.cache())
    }
}
