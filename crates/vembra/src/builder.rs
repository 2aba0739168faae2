//! Where a session gets its model and tables from.

use crate::failure::Failure;
use crate::files::{Files, beside, folder};
use crate::report::LoadReport;
use crate::session::Session;
use arrow_array::RecordBatch;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use vembra_engine::{Budget, Options, Star, Table};
use vembra_model::{Declarations, TableShape, TableSource};
use vembra_plan::{Finding, Severity};
use vembra_sources::{CsvOptions, Loaded, arrow, read_csv, read_csv_bytes};
use vembra_syntax::{Diagnostic, Sources};

/// Told while tables are loaded.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Progress {
    /// The table that was just read.
    pub table: String,
    /// How many rows it has.
    pub rows: usize,
    /// How many tables are read.
    pub done: usize,
    /// How many there are.
    pub tables: usize,
}

type OnProgress = Box<dyn Fn(&Progress) + Sync>;

/// Collects what a session is made of; see [`Session::builder`].
#[derive(Default)]
pub struct SessionBuilder {
    main: String,
    files: Files,
    tables: BTreeMap<String, Given>,
    progress: Option<OnProgress>,
    options: Options,
    viewer: Option<String>,
}

/// A table that does not come from the model's file.
enum Given {
    Csv(Vec<u8>),
    Batches(Vec<RecordBatch>),
    Table(Table),
}

impl SessionBuilder {
    /// Takes the model from a file. Files that it names are looked for beside it.
    pub fn model_file(mut self, path: impl AsRef<Path>) -> Self {
        self.main = path.as_ref().display().to_string();
        self
    }

    /// Takes the model from a text; `name` stands in messages. Files that it names are looked for in the current
    /// folder, unless a table is given here.
    pub fn model_text(mut self, name: impl Into<String>, text: impl Into<String>) -> Self {
        self.main = name.into();
        self.files.texts.insert(self.main.clone(), text.into());
        self
    }

    /// Gives the rows of a table as CSV text, instead of the file that the model names.
    pub fn csv_text(self, table: impl Into<String>, csv: impl Into<String>) -> Self {
        self.csv_bytes(table, csv.into().into_bytes())
    }

    /// Gives the rows of a table as the bytes of a CSV file.
    pub fn csv_bytes(mut self, table: impl Into<String>, csv: Vec<u8>) -> Self {
        self.tables.insert(table.into(), Given::Csv(csv));
        self
    }

    /// Gives the rows of a table as Arrow record batches of one schema.
    pub fn record_batches(mut self, table: impl Into<String>, batches: Vec<RecordBatch>) -> Self {
        self.tables.insert(table.into(), Given::Batches(batches));
        self
    }

    /// Gives the rows of a table as columns made by a [`ColumnBuilder`](crate::ColumnBuilder).
    pub fn table(mut self, name: impl Into<String>, table: Table) -> Self {
        self.tables.insert(name.into(), Given::Table(table));
        self
    }

    /// Is told of each table that was read.
    pub fn on_progress(mut self, tell: impl Fn(&Progress) + Sync + 'static) -> Self {
        self.progress = Some(Box::new(tell));
        self
    }

    /// Shows only what a viewer of the model sees; see [`Session::seen_by`].
    pub fn viewer(mut self, name: impl Into<String>) -> Self {
        self.viewer = Some(name.into());
        self
    }

    /// Lets models include files that lie outside the folder of the main one; unless allowed, that is an error.
    pub fn allow_outside(mut self, allow: bool) -> Self {
        self.files.outside = allow;
        self
    }

    /// Stops with a message when loading or answering would take more than so many bytes of memory.
    pub fn memory(mut self, most: Option<u64>) -> Self {
        self.options.memory = most.map_or_else(Budget::none, Budget::bytes);
        self
    }

    /// How plans are evaluated. Answers do not depend on it.
    pub fn options(mut self, options: Options) -> Self {
        self.options = options;
        self
    }

    /// Reads the model, loads its tables, and resolves the one over the other.
    ///
    /// # Errors
    /// When the model's text is wrong, or a table cannot be read as the model needs it.
    pub fn open(mut self) -> Result<Session, Box<Failure>> {
        self.files.root = folder(&self.main);
        let declarations = vembra_model::read(&self.files, &self.main);
        let loaded = self.load_all(&declarations)?;
        let shapes: Vec<TableShape> = loaded.iter().map(|(name, l)| shape(name, &l.table)).collect();
        let (model, mut diagnostics) = vembra_model::resolve(&declarations, &shapes);
        diagnostics.splice(0..0, declarations.diagnostics.iter().cloned());
        let findings: Vec<Finding> = loaded.iter().flat_map(|(_, l)| l.findings.clone()).collect();
        if !declarations.diagnostics.is_empty() && has_errors(&declarations.diagnostics) {
            // What could not be read makes others miss it: those messages would be follow-ups.
            return Err(Failure::text(declarations.sources, declarations.diagnostics));
        }
        let broken: Vec<Finding> =
            findings.iter().filter(|f| f.severity == Severity::Error).cloned().collect();
        if !broken.is_empty() {
            return Err(Failure::outside(broken));
        }
        if has_errors(&diagnostics) {
            // What was found in the files may be the cause: a wrong separator, one bad date among many. It is said
            // last, where one looks.
            let mut failure = Failure::text(declarations.sources, diagnostics);
            failure.findings = findings;
            return Err(failure);
        }
        let report = LoadReport::new(&loaded);
        let tables = in_order(&model, loaded);
        let star = Star::new(model.schema.clone(), tables);
        let mut session = Session::new(model, star, report, findings, diagnostics, self.options);
        session.fill_derived()?;
        let broken = session.broken()?;
        if !broken.is_empty() {
            return Err(Failure::outside(broken));
        }
        match &self.viewer {
            Some(viewer) => session.seen_by(viewer),
            None => Ok(session),
        }
    }

    fn load_all(&self, declarations: &Declarations) -> Result<Vec<(String, Loaded)>, Box<Failure>> {
        use rayon::prelude::*;
        let done = AtomicUsize::new(0);
        let sources = &declarations.tables;
        let loaded: Result<Vec<_>, Box<Failure>> = sources
            .par_iter()
            .map(|source| {
                let loaded = in_days(source, self.load(source)?);
                if let Some(tell) = &self.progress {
                    tell(&Progress {
                        table: source.name.clone(),
                        rows: loaded.table.rows,
                        done: done.fetch_add(1, Ordering::Relaxed) + 1,
                        tables: sources.len(),
                    });
                }
                Ok((source.name.clone(), loaded))
            })
            .collect();
        loaded
    }

    fn load(&self, source: &TableSource) -> Result<Loaded, Box<Failure>> {
        let options = csv_options(source, self.options.memory);
        Ok(match self.tables.get(&source.name) {
            None => read_csv(&beside(Some(&source.declared_in), &source.file), &options),
            Some(Given::Csv(bytes)) => read_csv_bytes(&source.file, bytes, &options),
            Some(Given::Table(table)) => Loaded { table: table.clone(), findings: Vec::new() },
            Some(Given::Batches(batches)) => match arrow::table(&source.name, batches) {
                Ok(table) => Loaded { table, findings: Vec::new() },
                Err(error) => {
                    let message = error.to_string();
                    let (code, message) = message.split_once(": ").unwrap_or(("V620", &message));
                    let diagnostic =
                        Diagnostic::error(code, message).help("convert the column before it is given");
                    return Err(Failure::text(Sources::default(), vec![diagnostic]));
                }
            },
        })
    }
}

/// How the file of a table is read.
pub(crate) fn csv_options(source: &TableSource, memory: Budget) -> CsvOptions {
    let types = source.types.iter().map(|t| (t.column.clone(), t.ty)).collect();
    CsvOptions { separator: source.separator as u8, types, missing: source.missing.clone(), memory }
}

/// The file of a calendar has a row for each day.
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
fn in_order(model: &vembra_model::Model, loaded: Vec<(String, Loaded)>) -> Vec<Table> {
    let loaded = loaded.into_iter().map(|(name, l)| (name, l.table)).collect();
    tables_in_order(model, loaded)
}

pub(crate) fn tables_in_order(
    model: &vembra_model::Model,
    mut loaded: BTreeMap<String, Table>,
) -> Vec<Table> {
    model.schema.tables.iter().map(|t| loaded.remove(&t.name).unwrap_or_default()).collect()
}
