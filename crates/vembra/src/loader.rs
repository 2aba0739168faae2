//! Where tables come from, and how a session is made of them: at first of all rows, then of those that a viewer sees.

use crate::failure::Failure;
use crate::files::{Files, beside, direct_path};
use crate::report::LoadReport;
use crate::session::Session;
use arrow_array::RecordBatch;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use vembra_engine::{Budget, Lines, Options, Star, Table};
use vembra_model::{Declarations, Model, TableShape, TableSource};
use vembra_plan::{Finding, Severity};
use vembra_sources::{CsvOptions, Loaded, arrow, read_csv, read_csv_bytes};
use vembra_syntax::{Diagnostic, SourceId, Sources};

/// What is needed to read a model and its tables, now and once more.
#[derive(Clone, Default)]
pub(crate) struct Loader {
    pub(crate) main: String,
    pub(crate) files: Files,
    pub(crate) tables: BTreeMap<String, Given>,
    pub(crate) memory: Budget,
}

/// A table that does not come from the model's file.
#[derive(Clone)]
pub(crate) enum Given {
    Csv(Arc<[u8]>),
    Batches(Vec<RecordBatch>),
    Table(Table),
}

impl Loader {
    /// The table of a source: all of its rows, or some by their numbers. Those that are left out might as well not be there: types
    /// are those that the others have.
    ///
    /// # Errors
    /// When a record batch has a type that is not taken.
    pub(crate) fn load(
        &self,
        source: &TableSource,
        only: Option<&Arc<[u32]>>,
    ) -> Result<Loaded, Box<Failure>> {
        let options = CsvOptions { only: only.cloned(), ..csv_options(source, self.memory) };
        let chosen = |table: &Table| match only {
            Some(rows) => Table { lines: Lines::Unknown, ..table.only(rows) },
            None => table.clone(),
        };
        let loaded = match self.tables.get(&source.name) {
            None => read_csv(&beside(Some(&source.declared_in), &source.file), &options),
            Some(Given::Csv(bytes)) => read_csv_bytes(&source.file, bytes, &options),
            Some(Given::Table(table)) => Loaded { table: chosen(table), findings: Vec::new() },
            Some(Given::Batches(batches)) => match arrow::table(&source.name, batches) {
                Ok(table) => Loaded { table: chosen(&table), findings: Vec::new() },
                Err(error) => {
                    let message = error.to_string();
                    let (code, message) = message.split_once(": ").unwrap_or(("V620", &message));
                    let diagnostic =
                        Diagnostic::error(code, message).help("convert the column before it is given");
                    return Err(Failure::text(Sources::default(), vec![diagnostic]));
                }
            },
        };
        Ok(in_days(source, loaded))
    }

    /// A session over loaded tables. Keys that stand twice and the like are not looked for yet.
    pub(crate) fn session(
        &self,
        declarations: &Declarations,
        loaded: Vec<(String, Loaded)>,
        options: Options,
    ) -> Result<Session, Box<Failure>> {
        let shapes: Vec<TableShape> = loaded.iter().map(|(name, l)| shape(name, &l.table)).collect();
        let (model, mut diagnostics) = vembra_model::resolve(declarations, &shapes);
        diagnostics.splice(0..0, declarations.diagnostics.iter().cloned());
        let findings: Vec<Finding> = loaded.iter().flat_map(|(_, l)| l.findings.clone()).collect();
        if !declarations.diagnostics.is_empty() && has_errors(&declarations.diagnostics) {
            // What could not be read makes others miss it: those messages would be follow-ups.
            return Err(Failure::text(declarations.sources.clone(), declarations.diagnostics.clone()));
        }
        let broken: Vec<Finding> =
            findings.iter().filter(|f| f.severity == Severity::Error).cloned().collect();
        if !broken.is_empty() {
            return Err(Failure::outside(broken));
        }
        if has_errors(&diagnostics) {
            // What was found in the files may be the cause: a wrong separator, one bad date among many. It is said
            // last, where one looks.
            let mut failure = Failure::text(declarations.sources.clone(), diagnostics);
            failure.findings = findings;
            return Err(failure);
        }
        let report = LoadReport::new(&loaded);
        let tables = tables_in_order(&model, loaded.into_iter().map(|(name, l)| (name, l.table)).collect());
        let star = Star::new(model.schema.clone(), tables);
        // Tables that were given in memory are not kept for nothing.
        let again = (!model.viewers.is_empty() || self.tables.is_empty())
            .then(|| Arc::new(self.with_texts_of(&model)));
        let mut session = Session::new(model, star, report, findings, diagnostics, options);
        session.loader = again;
        session.fill_derived()?;
        Ok(session)
    }

    /// With the texts of a model in memory, so that reading again finds them as they were.
    fn with_texts_of(&self, model: &Model) -> Self {
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
    pub(crate) fn session_with(&self, whole: &Session, more: &str) -> Result<Session, Box<Failure>> {
        let mut loader = self.clone();
        let main = direct_path(Path::new(&loader.main));
        let text = loader.files.texts.get(&loader.main).or_else(|| loader.files.open.get(&main)).cloned();
        let text = format!("{}\n{more}\n", text.unwrap_or_default());
        if loader.files.texts.contains_key(&loader.main) {
            loader.files.texts.insert(loader.main.clone(), text);
        } else {
            loader.files.open.insert(main, text);
        }
        let declarations = vembra_model::read(&loader.files, &loader.main);
        let schema = &whole.model.schema;
        let table = |name: &str| schema.table_ids().find(|t| schema.table(*t).name == name);
        let loaded = declarations.tables.iter().map(|source| {
            let table = table(&source.name).and_then(|t| whole.star.table(t)).cloned().unwrap_or_default();
            (source.name.clone(), Loaded { table, findings: Vec::new() })
        });
        let loaded = loaded.collect();
        let mut session = loader.session(&declarations, loaded, whole.options.clone())?;
        // What is tried is no part of the model: reading again starts from the model itself.
        session.loader = Some(Arc::new(self.clone()));
        session.viewer.clone_from(&whole.viewer);
        Ok(session)
    }

    /// The same model over some rows of its tables, by table: `None` where all are taken.
    ///
    /// # Errors
    /// When the model does not fit what is left, or a file has changed meanwhile.
    pub(crate) fn session_of(
        &self,
        whole: &Session,
        kept: &[Option<Vec<u32>>],
    ) -> Result<Session, Box<Failure>> {
        let declarations = vembra_model::read(&self.files, &self.main);
        let mut loaded = Vec::new();
        for source in &declarations.tables {
            let id =
                whole.model.schema.table_ids().find(|t| whole.model.schema.table(*t).name == source.name);
            let rows = id.and_then(|t| kept.get(t.index())?.as_ref());
            let before = id.and_then(|t| whole.star.table(t));
            let table = match (rows, before) {
                (None, Some(table)) => Loaded { table: table.clone(), findings: Vec::new() },
                _ => {
                    let only: Option<Arc<[u32]>> = rows.map(|rows| rows.as_slice().into());
                    let read = self.load(source, only.as_ref())?;
                    if rows.is_some_and(|rows| rows.len() != read.table.rows && read.findings.is_empty()) {
                        return Err(Failure::outside(vec![changed(&read.table.origin)]));
                    }
                    read
                }
            };
            loaded.push((source.name.clone(), table));
        }
        self.session(&declarations, loaded, whole.options.clone())
    }
}

fn changed(file: &str) -> Finding {
    Finding {
        code: "V630".to_owned(),
        severity: Severity::Error,
        file: file.to_owned(),
        line: None,
        column: None,
        message: "the file changed while it was read".to_owned(),
        help: "read it again when whatever writes it is done".to_owned(),
    }
}

/// How the file of a table is read.
pub(crate) fn csv_options(source: &TableSource, memory: Budget) -> CsvOptions {
    let types = source.types.iter().map(|t| (t.column.clone(), t.ty)).collect();
    CsvOptions {
        separator: source.separator as u8,
        types,
        missing: source.missing.clone(),
        memory,
        ..CsvOptions::default()
    }
}

/// The file of a calendar has a row per day.
pub(crate) fn in_days(source: &TableSource, loaded: Loaded) -> Loaded {
    match &source.days {
        Some(days) => crate::calendar_file::every_day(loaded, days),
        None => loaded,
    }
}

pub(crate) fn has_errors(diagnostics: &[Diagnostic]) -> bool {
    diagnostics.iter().any(|d| d.severity == Severity::Error)
}

pub(crate) fn shape(name: &str, table: &Table) -> TableShape {
    let columns = table.columns.iter().map(|(name, column)| (name.clone(), column.ty()));
    TableShape { name: name.to_owned(), columns: columns.collect() }
}

/// The tables in the order of the schema; that of the calendar is empty.
pub(crate) fn tables_in_order(model: &Model, mut loaded: BTreeMap<String, Table>) -> Vec<Table> {
    model.schema.tables.iter().map(|t| loaded.remove(&t.name).unwrap_or_default()).collect()
}
