//! Where tables come from, and how a session is made of them: at first of all rows, then of those that a viewer sees.

use crate::error::Error;
use crate::files::{Files, folder};
#[cfg(feature = "arrow")]
use arrow_array::RecordBatch;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;
use vembra_engine::{Budget, Table};
use vembra_model::{DatabaseSource, Declarations, Model, TableShape, TableSource};
use vembra_plan::Severity;
use vembra_sources::{ColumnOptions, Loaded, ReadOptions, Tell, expand, read_bytes, read_files, read_table};
use vembra_syntax::Diagnostic;

/// What is needed to read a model and its tables, now and once more.
#[derive(Clone, Default)]
pub(crate) struct Loader {
    pub(crate) main: String,
    pub(crate) files: Files,
    pub(crate) tables: BTreeMap<String, Given>,
    pub(crate) memory: Budget,
    /// The variable of the environment that says which server has all tables, whatever the model says.
    pub(crate) server: Option<String>,
    /// Whether the rows of servers are fetched, instead of being asked for there.
    pub(crate) fetches: bool,
    /// How many rows of a table are fetched for an explanation, if that was said.
    pub(crate) most_fetched: Option<usize>,
    /// How readers write, whatever the model says.
    pub(crate) locale: Option<String>,
}

/// A table that does not come from the model's file.
#[derive(Clone)]
pub(crate) enum Given {
    Csv(Arc<[u8]>),
    File(PathBuf),
    /// What came instead of a file of the model, and cannot be read again from where it came.
    Stream(Arc<[u8]>),
    #[cfg(feature = "arrow")]
    Batches(Vec<RecordBatch>),
    Table(Table),
}

impl Loader {
    /// The declarations of the model; where a server has its tables, with these there.
    pub(crate) fn declarations(&self) -> Declarations {
        let mut declarations = vembra_model::read(&self.files, &self.main);
        if let Some(variable) = &self.server {
            let given = |name: &String| self.tables.contains_key(name);
            let there = declarations.tables.iter_mut().filter(|t| t.days.is_none() && !given(&t.name));
            for table in there {
                let name =
                    table.database.as_ref().map_or("server", |database| database.name.as_str()).to_owned();
                table.database = Some(DatabaseSource { name, variable: variable.clone(), answers: true });
                table.stored.get_or_insert_with(|| table.name.clone());
                table.files.clear();
            }
        }
        if self.fetches {
            declarations
                .tables
                .iter_mut()
                .filter_map(|t| t.database.as_mut())
                .for_each(|d| d.answers = false);
        }
        declarations
    }

    /// The table of a source.
    ///
    /// # Errors
    /// When a record batch has a type that is not taken.
    #[cfg_attr(
        not(feature = "arrow"),
        expect(clippy::unnecessary_wraps, reason = "only record batches fail")
    )]
    pub(crate) fn load(&self, source: &TableSource, tell: Tell) -> Result<Loaded, Error> {
        let options = ReadOptions { tell, ..read_options(source, self.memory) };
        let loaded = match self.tables.get(&source.name) {
            None if let Some(shape) = shape_on_server(source, self) => shape,
            None => read_source(source, &options),
            Some(Given::File(path)) => read_table(path, &options),
            Some(Given::Csv(bytes) | Given::Stream(bytes)) => {
                let name = source.files.first().unwrap_or(&source.name);
                read_bytes(name, bytes, &options)
            }
            Some(Given::Table(table)) => Loaded { table: table.clone(), findings: Vec::new() },
            #[cfg(feature = "arrow")]
            Some(Given::Batches(batches)) => {
                Loaded { table: of_batches(source, batches)?, findings: Vec::new() }
            }
        };
        Ok(in_days(source, loaded))
    }
}

#[cfg(feature = "arrow")]
fn of_batches(source: &TableSource, batches: &[RecordBatch]) -> Result<Table, Error> {
    let zone = source.forms.zone.unwrap_or_default();
    vembra_sources::arrow::table(&source.name, batches, zone).map_err(|error| {
        let diagnostic = Diagnostic::new(error.code(), error.to_string()).help(error.help());
        Error::text(vembra_syntax::Sources::default(), vec![diagnostic])
    })
}

/// Reads the files of a table, or its table in a database.
pub(crate) fn read_source(source: &TableSource, options: &ReadOptions) -> Loaded {
    if let Some(database) = &source.database {
        return vembra_sources::read_database(&database.name, &database.variable, options);
    }
    let folder = folder(&source.declared_in);
    match expand(&folder, &source.files) {
        Ok(files) => read_files(&folder, &files, options),
        Err(finding) => {
            let table = Table { origin: finding.file.clone(), ..Table::default() };
            Loaded { table, findings: vec![*finding] }
        }
    }
}

/// The table of a source as its server has it, without rows.
#[cfg(feature = "server")]
fn shape_on_server(source: &TableSource, loader: &Loader) -> Option<Loaded> {
    let database = source.database.as_ref().filter(|database| database.answers)?;
    let server = vembra_sources::Server { name: database.name.clone(), variable: database.variable.clone() };
    Some(server.shape(&read_options(source, loader.memory)).0)
}

#[cfg(not(feature = "server"))]
fn shape_on_server(_: &TableSource, _: &Loader) -> Option<Loaded> {
    None
}

/// How the file of a table is read.
pub(crate) fn read_options(source: &TableSource, memory: Budget) -> ReadOptions {
    let columns = source.columns.iter().map(|c| ColumnOptions {
        name: c.column.clone(),
        ty: c.ty,
        digits: c.digits,
        forms: c.forms.clone(),
    });
    ReadOptions {
        separator: source.separator.map(|c| c as u8),
        columns: columns.collect(),
        encoding: source.encoding.clone(),
        sheet: source.sheet.clone(),
        table: source.stored.clone(),
        forms: source.forms.clone(),
        missing: source.missing.clone(),
        memory,
        parts: source.has_viewers,
        ..ReadOptions::default()
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
