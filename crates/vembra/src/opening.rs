//! How a session is made of loaded tables: at first of all rows, then of those that a viewer sees.

use crate::broken_declarations::{are_deep, left_out};
use crate::column_finding::column_finding;
use crate::error::Error;
use crate::files::direct_path;
use crate::load_report::LoadReport;
#[cfg(feature = "csv")]
use crate::loader::read_options;
use crate::loader::{Loader, shape, tables_in_order};
use crate::privacy::{plain_finding, plain_table};
use crate::server::ServerSide;
use crate::session::Session;
use crate::table_cache::Keeping;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vembra_engine::{
    Answer, ColumnBuilder, EngineError, Lines, ListAnswer, MOST_ROWS, Member, Options, RowId, Star, Table,
    TableColumn,
};
use vembra_model::lower;
use vembra_model::{Declarations, Model, TableShape, TableSource};
use vembra_plan::{ColumnId, Finding, Scalar, Severity, TableId};
use vembra_sources::Loaded;
use vembra_syntax::{Code, Diagnostic, SourceId, Sources};

impl Session {
    /// The same model over only those rows that a viewer of the model sees, as if the others were not in the files: types, columns, links, derived tables and messages come from what is left, and rows have no line numbers.
    ///
    /// # Errors
    /// When there is no such viewer, or a limit cannot be worked out.
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vembra", "fact sale from 'sale'\nviewer north sees only sale.region = 'North'\n")
    ///     .csv_text("sale", "region,amount\nNorth,1\nSouth,2\n")
    ///     .open()?;
    /// let reply = session.seen_by("north")?.ask("show sum(amount) as total")?;
    /// assert_eq!(reply.csv(vembra::Layout::Tidy)?, "total\n1\n");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn seen_by(&self, viewer: &str) -> Result<Self, Error> {
        let Some(found) = self.model.viewers.iter().find(|v| v.name == viewer) else {
            let known: Vec<&str> = self.model.viewers.iter().map(|v| v.name.as_str()).collect();
            let diagnostic = vembra_model::unknown_viewer(None, viewer, &known);
            return Err(Error::text(self.model.sources.clone(), vec![diagnostic]));
        };
        if let Some(own) = &self.viewer {
            if own == viewer {
                return Ok(self.clone());
            }
            let message =
                format!("this session has only the rows that {own} sees, so {viewer} sees nothing else");
            let diagnostic = Diagnostic::new(Code::V607, message).help("ask the session of the whole model");
            return Err(Error::text(self.model.sources.clone(), vec![diagnostic]));
        }
        let limits = lower::limits(&self.model, &self.model.sources, &found.conditions)
            .map_err(|diagnostics| Error::text(self.model.sources.clone(), diagnostics))?;
        if let Some(server) = &self.server {
            let limited = server.limited(limits);
            let mut session = self.clone();
            session.server = Some(Arc::new(limited));
            session.fetched = Arc::default();
            let mut session = session.for_viewer(viewer, self);
            session.fill_defaults()?;
            return Ok(session);
        }
        let Some(loader) = &self.loader else {
            return Err(Error::outside(vec![column_finding(
                viewer,
                &EngineError::Internal("nothing to read again".to_owned()),
            )]));
        };
        // Why a limit cannot be worked out may lie in rows that are not seen.
        let wrap = |error: EngineError| Error::outside(vec![column_finding(viewer, &error)]).without_data();
        let cache = self.star.seen_rows(&limits).map_err(wrap)?;
        let session = loader.session_of(self, &cache).map_err(Error::without_folders)?;
        let session = session.for_viewer(viewer, self);
        session.sound()?;
        Ok(session)
    }

    /// The session of a viewer, made when it is first asked for.
    pub(crate) fn of_viewer(&self, viewer: &str) -> Result<Self, Error> {
        let known = |sessions: &std::collections::BTreeMap<String, Self>| sessions.get(viewer).cloned();
        if let Some(session) = self.viewers.lock().ok().and_then(|sessions| known(&sessions)) {
            return Ok(session);
        }
        let session = self.seen_by(viewer)?;
        if let Ok(mut sessions) = self.viewers.lock() {
            sessions.insert(viewer.to_owned(), session.clone());
        }
        Ok(session)
    }

    /// The same session with more declarations behind the text of its model, such as a measure to try. Nothing is read again but
    /// texts; the files stay as they are.
    ///
    /// # Errors
    /// When the declarations are wrong.
    ///
    /// # Examples
    /// ```
    /// let folder = tempfile::tempdir()?;
    /// let model = folder.path().join("m.vembra");
    /// std::fs::write(&model, "fact sale from 'sale.csv'\n")?;
    /// std::fs::write(folder.path().join("sale.csv"), "amount\n1\n2\n")?;
    /// let session = vembra::Session::open(&model)?.with_declarations("measure total = sum(amount)")?;
    /// assert_eq!(session.ask("show total")?.csv(vembra::Layout::Tidy)?, "total\n3\n");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn with_declarations(&self, text: &str) -> Result<Self, Error> {
        let Some(loader) = &self.loader else {
            let diagnostic = Diagnostic::new(Code::V606, "the texts of this model are not at hand any more")
                .help("open the model from a file, or give the session all of its text");
            return Err(Error::text(self.model.sources.clone(), vec![diagnostic]));
        };
        let session = loader.session_with(self, text);
        match &self.viewer {
            Some(viewer) => session.map(|s| s.for_viewer(viewer, self)).map_err(Error::without_folders),
            None => session,
        }
    }

    /// Works out the derived tables, each after those that it is made from.
    fn fill_derived(&mut self, loader: &Loader) -> Result<(), Error> {
        let model = self.model.clone();
        for (at, derived) in model.derived.iter().enumerate() {
            if let Some(server) = &self.server {
                // It is worked out there, as a step of the statements that read it; here it has columns without rows.
                let mut plan = self.planned(&model.sources, &derived.query, &mut Vec::new())?;
                let wrap = |error: EngineError| Error::outside(vec![column_finding(&derived.text, &error)]);
                self.rewrite(&mut plan).map_err(wrap)?;
                self.server = Some(Arc::new(server.deriving(derived.table, plan)));
                let none = ListAnswer { columns: Vec::new(), rows: Vec::new(), found: 0 };
                self.fill(
                    derived.table,
                    &derived.text,
                    derived_rows(&model, derived.table, &Answer::List(none)),
                )?;
                continue;
            }
            let cache = self.keeping.as_ref().and_then(|keeping| keeping.derived(loader, self, at));
            let rows = match cache {
                Some(rows) => rows,
                None => {
                    let answer = self.answer_to(&model.sources, &derived.query, derived.span)?;
                    derived_rows(&model, derived.table, &answer)
                }
            };
            self.fill(derived.table, &derived.text, rows)?;
        }
        Ok(())
    }

    fn fill(&mut self, table: TableId, text: &str, rows: Table) -> Result<(), Error> {
        let Some(star) = Arc::get_mut(&mut self.star) else {
            let shared = EngineError::Internal("tables are shared before they are made".to_owned());
            return Err(Error::outside(vec![column_finding(text, &shared)]));
        };
        star.fill(table, rows);
        Ok(())
    }
}

impl Loader {
    /// A session over loaded tables, and what is kept of them. Keys that stand twice and the like are not looked for yet.
    pub(crate) fn session(
        &self,
        declarations: &Declarations,
        loaded: Vec<(String, Loaded)>,
        options: Options,
        keeping: Option<Arc<Keeping>>,
    ) -> Result<Session, Error> {
        let shapes: Vec<TableShape> = loaded.iter().map(|(name, l)| shape(name, &l.table)).collect();
        let leaves = declarations.leaves();
        let (mut model, mut diagnostics) = vembra_model::resolve(declarations, &shapes);
        if let Some(tag) = &self.locale {
            model.locale = Some(tag.clone());
        }
        diagnostics.splice(0..0, declarations.diagnostics.iter().cloned());
        let findings = loaded.iter().flat_map(|(_, l)| l.findings.clone());
        let findings: Vec<Finding> =
            findings.chain(loaded.iter().filter_map(|(_, l)| too_many_rows(&l.table))).collect();
        if are_deep(&leaves, &declarations.diagnostics) {
            // What could not be read makes others miss it: those messages would be follow-ups.
            return Err(Error::text(declarations.sources.clone(), declarations.diagnostics.clone()));
        }
        let broken: Vec<Finding> =
            findings.iter().filter(|f| f.severity == Severity::Error).cloned().collect();
        if !broken.is_empty() {
            return Err(Error::outside(told_once(broken)));
        }
        if are_deep(&leaves, &diagnostics) {
            // What needs a measure that is wrong is fixed with it.
            let is_first =
                |d: &Diagnostic| d.severity == vembra_syntax::Severity::Error && d.code != Code::V236;
            if diagnostics.iter().any(is_first) {
                diagnostics.retain(|d| d.code != Code::V236);
            }
            // What was found in the files may be the cause: a wrong separator, one bad date among many. It is said
            // last, where one looks.
            return Err(Error::text(declarations.sources.clone(), diagnostics).with_findings(findings));
        }
        let wrong = left_out(declarations, &mut model, &diagnostics);
        let report = LoadReport::new(&loaded);
        let files = files_of(&declarations.sources, &loaded);
        let mut server = ServerSide::of(declarations, &model, self)?;
        let mut loaded = loaded;
        if let Some(server) = &mut server {
            server.read_days(declarations, &model, self, &mut loaded)?;
            server.cover(&mut model)?;
            server.check_keys(&model)?;
        }
        let tables = tables_in_order(&model, loaded.into_iter().map(|(name, l)| (name, l.table)).collect());
        let mut star = Star::new(model.schema.clone(), tables);
        star.carry_from(options.denormalise_from);
        star.within(options.memory);
        // Tables that were given in memory are not kept for nothing.
        let again = (!model.viewers.is_empty() || self.tables.is_empty())
            .then(|| Arc::new(self.with_texts_of(&model)));
        let mut session = Session::new(model, star, report, (findings, diagnostics), options);
        session.files = files.into();
        session.loader = again;
        session.wrong = wrong.into();
        session.keeping = keeping.filter(|_| server.is_none());
        session.server = server.map(Arc::new);
        if let Some(keeping) = session.keeping.clone() {
            keeping.meet(&mut session);
        }
        session.fill_derived(self)?;
        session.fill_defaults()?;
        session.order_members().map_err(|error| match error {
            EngineError::Unread(finding) => Error::outside(vec![*finding]),
            other => Error::outside(vec![column_finding("", &other)]),
        })?;
        Ok(session)
    }

    /// With the texts of a model in memory, so that reading again finds them as they were.
    pub(crate) fn with_texts_of(&self, model: &Model) -> Self {
        let mut again = self.clone();
        for at in 0..model.sources.count() {
            let source = SourceId(at as u32);
            let path = direct_path(Path::new(model.sources.name(source)));
            again.files.open.insert(path, model.sources.text(source).to_owned());
        }
        again
    }

    /// The model of a session with more declarations behind its main text, over the tables that are in memory.
    ///
    /// # Errors
    /// When the declarations are wrong.
    pub(crate) fn session_with(&self, whole: &Session, more: &str) -> Result<Session, Error> {
        let mut loader = self.clone();
        let main = direct_path(Path::new(&loader.main));
        let text = loader.files.texts.get(&loader.main).or_else(|| loader.files.open.get(&main)).cloned();
        let text = format!("{}\n{more}\n", text.unwrap_or_default());
        if loader.files.texts.contains_key(&loader.main) {
            loader.files.texts.insert(loader.main.clone(), text);
        } else {
            loader.files.open.insert(main, text);
        }
        let declarations = loader.declarations();
        let schema = &whole.model.schema;
        let table = |name: &str| schema.table_ids().find(|t| schema.table(*t).name == name);
        let loaded = declarations.tables.iter().map(|source| {
            let table = table(&source.name).and_then(|t| whole.star.table(t)).cloned().unwrap_or_default();
            (source.name.clone(), Loaded { table, findings: Vec::new() })
        });
        let loaded = loaded.collect();
        let mut session = loader.session(&declarations, loaded, whole.options.clone(), None)?;
        // What is declared here has to be right, whatever in the model is not.
        if session.wrong.len() > whole.wrong.len() {
            return Err(Error::text(session.model.sources.clone(), session.diagnostics().to_vec()));
        }
        // What is tried is no part of the model: reading again starts from the model itself.
        session.loader = Some(Arc::new(self.clone()));
        Ok(session)
    }

    /// The same model over some rows of its tables, by table: `None` where all are taken. No file is read for it.
    ///
    /// # Errors
    /// When the model does not fit what is left, or a column that lies outside is not to be had any more.
    pub(crate) fn session_of(&self, whole: &Session, cache: &[Option<Vec<RowId>>]) -> Result<Session, Error> {
        let declarations = self.declarations();
        let mut loaded = Vec::new();
        for source in &declarations.tables {
            let id =
                whole.model.schema.table_ids().find(|t| whole.model.schema.table(*t).name == source.name);
            let Some(table) = id.and_then(|t| whole.star.table(t)) else { continue };
            let part = match id.and_then(|t| cache.get(t.index())?.as_ref()) {
                None => Loaded { table: plain_table(table.clone()), findings: Vec::new() },
                Some(rows) => {
                    let wrap =
                        |error| Error::outside(vec![plain_finding(&column_finding(&source.name, &error))]);
                    self.part(source, &plain_table(table.clone()), rows).map_err(wrap)?
                }
            };
            loaded.push((source.name.clone(), part));
        }
        self.session(&declarations, loaded, whole.options.clone(), None)
    }

    #[cfg(feature = "csv")]
    fn part(&self, source: &TableSource, table: &Table, rows: &[RowId]) -> Result<Loaded, EngineError> {
        vembra_sources::part_of(table, rows, &read_options(source, self.memory))
    }

    /// The types of all formats that are read here are said by the file.
    #[cfg(not(feature = "csv"))]
    #[allow(clippy::unused_self)] // As it is with the feature.
    fn part(&self, _: &TableSource, table: &Table, rows: &[RowId]) -> Result<Loaded, EngineError> {
        let part = Table { lines: Lines::Unknown, ..table.only(rows)? };
        Ok(Loaded { table: part, findings: Vec::new() })
    }
}

/// What is wrong with a table of more rows than can be numbered.
fn too_many_rows(table: &Table) -> Option<Finding> {
    (table.rows > MOST_ROWS).then(|| {
        Finding::new(
            Code::V628,
            table.origin.clone(),
            format!(
                "the table has {} rows, and {} are the most",
                vembra_draw::grouped(table.rows),
                vembra_draw::grouped(MOST_ROWS)
            ),
            "take a part of it, or let a server answer: server … in the place of the file",
        )
    })
}

/// The files of texts and tables.
fn files_of(sources: &Sources, loaded: &[(String, Loaded)]) -> Vec<PathBuf> {
    let texts = (0..sources.count()).map(|at| PathBuf::from(sources.name(SourceId(at as u32))));
    let tables = loaded.iter().flat_map(|(_, loaded)| match &loaded.table.lines {
        Lines::Files(files) => files.iter().map(|file| PathBuf::from(&file.file)).collect(),
        _ => vec![PathBuf::from(&loaded.table.origin)],
    });
    texts.chain(tables).collect()
}

/// What is wrong with the way to a server is said once, not for each of its tables.
fn told_once(mut findings: Vec<Finding>) -> Vec<Finding> {
    let mut told: Vec<String> = Vec::new();
    findings.retain(|finding| {
        let again = [Code::V641, Code::V646].contains(&finding.code) && told.contains(&finding.message);
        told.push(finding.message.clone());
        !again
    });
    findings
}

/// The rows of a derived table: the lines of an answer, its keys before its figures.
fn derived_rows(model: &Model, table: TableId, answer: &Answer) -> Table {
    let columns = &model.schema.table(table).columns;
    let made: Vec<ColumnId> =
        columns.iter().copied().filter(|c| model.schema.column(*c).formula.is_none()).collect();
    let mut builders: Vec<ColumnBuilder> =
        made.iter().map(|c| ColumnBuilder::new(model.schema.column(*c).ty)).collect();
    let mut push = |row: &mut dyn Iterator<Item = Scalar>| {
        builders.iter_mut().zip(row).for_each(|(builder, value)| builder.push(&value));
    };
    let rows = match answer {
        Answer::List(list) => {
            list.rows.iter().for_each(|row| push(&mut row.iter().cloned()));
            list.rows.len()
        }
        Answer::Summary(summary) => {
            let key = |member: &Member| match member {
                Member::Value(value) => value.clone(),
                Member::Rest(label) => Scalar::Text(label.clone()),
                _ => Scalar::Null,
            };
            for line in &summary.lines {
                let keys = line.rows.iter().chain(&line.columns).map(key);
                push(&mut keys.chain(line.cells.iter().map(|c| c.value.clone())));
            }
            summary.lines.len()
        }
    };
    let named = made
        .iter()
        .zip(builders)
        .map(|(c, builder)| (model.schema.column(*c).name.clone(), TableColumn::from(builder.finish())));
    Table {
        columns: named.collect(),
        rows,
        origin: model.schema.table(table).name.clone(),
        ..Table::default()
    }
}
