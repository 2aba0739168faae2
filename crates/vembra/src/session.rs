//! A model over loaded tables: what queries are put to.

use crate::builder::SessionBuilder;
use crate::failure::Failure;
use crate::loader::Loader;
use crate::reply::Reply;
use crate::report::LoadReport;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vembra_engine::{Answer, Budget, Column, ColumnBuilder, EngineError, Member, Options, Star, Table};
use vembra_model::Model;
use vembra_model::lower::{self, KnownValues};
use vembra_plan::{ColumnId, Finding, Scalar, Severity, TableId};
use vembra_syntax::{Diagnostic, SourceId};

/// A model over loaded tables.
pub struct Session {
    pub(crate) model: Arc<Model>,
    pub(crate) star: Star,
    /// Who looks, if not everyone.
    pub(crate) viewer: Option<String>,
    report: LoadReport,
    findings: Vec<Finding>,
    diagnostics: Vec<Diagnostic>,
    pub(crate) options: Options,
    /// How its tables are read again for a viewer, if the model has any.
    pub(crate) loader: Option<Arc<Loader>>,
}

impl Session {
    /// Opens a model file and the files that it names.
    ///
    /// # Errors
    /// When a text is wrong or a file cannot be read.
    ///
    /// # Examples
    /// ```no_run
    /// let session = vembra::Session::open("demo/bees.vembra")?;
    /// let reply = session.ask("rows calendar.year show revenue")?;
    /// println!("{}", reply.text(vembra::Layout::Grid));
    /// # Ok::<(), Box<vembra::Failure>>(())
    /// ```
    pub fn open(path: impl AsRef<Path>) -> Result<Self, Box<Failure>> {
        Self::builder().model_file(path).open()
    }

    /// Starts a session from texts, files or tables in memory.
    pub fn builder() -> SessionBuilder {
        SessionBuilder::default()
    }

    pub(crate) fn new(
        model: Model,
        star: Star,
        report: LoadReport,
        findings: Vec<Finding>,
        diagnostics: Vec<Diagnostic>,
        options: Options,
    ) -> Self {
        Self {
            model: Arc::new(model),
            star,
            viewer: None,
            report,
            findings,
            diagnostics,
            options,
            loader: None,
        }
    }

    /// The same model over only those rows that a viewer of the model sees. The tables are read once more without the others, as if these
    /// were not in the files: types, columns, links, derived tables and messages come from what is left, and rows have no line numbers.
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
    pub fn seen_by(&self, viewer: &str) -> Result<Self, Box<Failure>> {
        let Some(found) = self.model.viewers.iter().find(|v| v.name == viewer) else {
            let known: Vec<&str> = self.model.viewers.iter().map(|v| v.name.as_str()).collect();
            let near = vembra_syntax::nearest(viewer, known.iter().copied());
            let help = match (near, known.as_slice()) {
                (Some(near), _) => format!("did you mean {near}?"),
                (None, []) => "declare one: viewer NAME sees only CONDITION".to_owned(),
                (None, known) => format!("the viewers are: {}", known.join(", ")),
            };
            let diagnostic = Diagnostic::error("V352", format!("there is no viewer {viewer}")).help(help);
            return Err(Failure::text(self.model.sources.clone(), vec![diagnostic]));
        };
        let limits = lower::limits(&self.model, &self.model.sources, &found.conditions)
            .map_err(|diagnostics| Failure::text(self.model.sources.clone(), diagnostics))?;
        let Some(loader) = self.loader.as_ref().filter(|_| self.viewer.is_none()) else {
            return Err(Failure::outside(vec![column_finding(
                viewer,
                &EngineError::Internal("nothing to read again".to_owned()),
            )]));
        };
        // Why a limit cannot be worked out may lie in rows that are not seen.
        let wrap = |error: EngineError| Failure::outside(vec![column_finding(viewer, &error)]).without_data();
        let kept = self.star.seen_rows(&limits).map_err(wrap)?;
        let mut session = loader.session_of(self, &kept)?;
        session.viewer = Some(viewer.to_owned());
        session.sound()?;
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
    pub fn with_declarations(&self, text: &str) -> Result<Self, Box<Failure>> {
        let Some(loader) = &self.loader else {
            let diagnostic = Diagnostic::error("V606", "the texts of this model are not at hand any more")
                .help("open the model from a file, or give the session all of its text");
            return Err(Failure::text(self.model.sources.clone(), vec![diagnostic]));
        };
        loader.session_with(self, text)
    }

    /// Works out the derived tables, each after those that it is made from.
    pub(crate) fn fill_derived(&mut self) -> Result<(), Box<Failure>> {
        let model = self.model.clone();
        for derived in &model.derived {
            let answer = self.answer_to(&model.sources, &derived.query, derived.place)?;
            self.star.fill(derived.table, derived_rows(&model, derived.table, &answer));
        }
        Ok(())
    }

    /// The model.
    pub fn model(&self) -> &Model {
        &self.model
    }

    /// The files that the model is made of, as far as they are files: its texts, and those of its tables.
    pub fn files(&self) -> Vec<PathBuf> {
        let sources = &self.model.sources;
        let texts = (0..sources.count()).map(|at| PathBuf::from(sources.name(SourceId(at as u32))));
        let tables = self.report.tables.iter().map(|t| PathBuf::from(&t.file));
        texts.chain(tables).filter(|file| file.exists()).collect()
    }

    /// The tables in memory.
    pub fn star(&self) -> &Star {
        &self.star
    }

    /// The memory that may be taken: [`Budget::none`] unless the builder was told of a limit.
    pub fn memory(&self) -> Budget {
        self.options.memory
    }

    /// What was read.
    pub fn load_report(&self) -> &LoadReport {
        &self.report
    }

    /// Notes and warnings about the model's text.
    pub fn diagnostics(&self) -> &[Diagnostic] {
        &self.diagnostics
    }

    /// Answers a query: text, tree, meaning, plan, answer.
    ///
    /// # Errors
    /// When the query's text is wrong, or a value cannot be worked out.
    pub fn ask(&self, query: &str) -> Result<Reply, Box<Failure>> {
        self.ask_given(query, &[])
    }

    /// The same with values for parameters, each as the query's `given` would write it; a text may stand without
    /// quotes. What the query itself gives goes first.
    ///
    /// # Errors
    /// When a name or value is wrong too.
    pub fn ask_given(&self, query: &str, given: &[(&str, &str)]) -> Result<Reply, Box<Failure>> {
        self.ask_with(query, given, &self.options)
    }

    pub(crate) fn ask_with(
        &self,
        query: &str,
        given: &[(&str, &str)],
        options: &Options,
    ) -> Result<Reply, Box<Failure>> {
        let mut asked = self.bound(query, given)?;
        let plan = self.planned(&asked.sources, &asked.meaning, &mut asked.notes)?;
        self.answered(asked, plan, options)
    }

    /// What is worth knowing of the data: texts among numbers, keys that are in no row, dates outside the calendar.
    /// Works out all computed columns. What no answer could do with has kept the session from opening.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    pub fn check(&self) -> Result<Vec<Finding>, Box<Failure>> {
        let wrap = |error: EngineError| Failure::outside(vec![column_finding("", &error)]);
        let mut findings = self.findings.clone();
        for (at, column) in self.model.schema.columns.iter().enumerate().filter(|(_, c)| c.formula.is_some())
        {
            let id = ColumnId(at as u32);
            if let Err(error) = self.star.column(id) {
                let name = self.model.schema.qualified(id);
                findings.push(Finding { column: Some(column.name.clone()), ..column_finding(&name, &error) });
            }
        }
        if findings.iter().any(|f| f.severity == Severity::Error) {
            return Ok(findings);
        }
        findings.extend(self.star.findings().map_err(wrap)?);
        Ok(findings)
    }

    /// Fails where no answer could be trusted.
    pub(crate) fn sound(&self) -> Result<(), Box<Failure>> {
        let broken = self.broken()?;
        if broken.is_empty() { Ok(()) } else { Err(Failure::outside(broken)) }
    }

    /// Keys that stand twice and hierarchies that do not hold: no answer could be trusted.
    fn broken(&self) -> Result<Vec<Finding>, Box<Failure>> {
        let wrap = |error: EngineError| Failure::outside(vec![column_finding("", &error)]);
        let mut findings = self.star.all_key_findings().map_err(wrap)?;
        findings.retain(|f| f.severity == Severity::Error);
        findings.extend(self.hierarchy_findings().map_err(wrap)?);
        Ok(findings)
    }

    fn hierarchy_findings(&self) -> Result<Vec<Finding>, EngineError> {
        let mut findings = Vec::new();
        for hierarchy in &self.model.hierarchies {
            for pair in hierarchy.levels.windows(2) {
                let (coarser, finer) = (pair[0], pair[1]);
                let Some((first, second)) = self.star.undetermined(finer, coarser)? else { continue };
                let table = self.star.table(hierarchy.table);
                let value = |column: ColumnId, row| self.star.column(column).map(|c| c.scalar(row).literal());
                let schema = &self.model.schema;
                findings.push(Finding {
                    code: "V505".to_owned(),
                    severity: Severity::Error,
                    file: table
                        .map_or_else(|| schema.table(hierarchy.table).name.clone(), |t| t.origin.clone()),
                    line: table.and_then(|t| t.line(second)),
                    column: Some(schema.column(finer).name.clone()),
                    message: format!(
                        "the hierarchy {} does not hold: {} stands with {} {} and with {}",
                        hierarchy.name,
                        value(finer, second)?,
                        schema.column(coarser).name,
                        value(coarser, first)?,
                        value(coarser, second)?
                    ),
                    help: "mend the data, or leave the level out of the hierarchy".to_owned(),
                });
            }
        }
        Ok(findings)
    }
}

fn column_finding(name: &str, error: &EngineError) -> Finding {
    Finding {
        code: "V510".to_owned(),
        severity: Severity::Error,
        file: name.to_owned(),
        line: None,
        column: None,
        message: format!("the column cannot be worked out: {error}"),
        help: "change its formula, or the values that it is made of".to_owned(),
    }
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
        .map(|(c, builder)| (model.schema.column(*c).name.clone(), Arc::<Column>::new(builder.finish())));
    Table {
        columns: named.collect(),
        rows,
        origin: model.schema.table(table).name.clone(),
        ..Table::default()
    }
}

/// The values of columns in memory.
pub(crate) struct Known<'a>(pub(crate) &'a Star);

impl KnownValues for Known<'_> {
    fn values(&self, column: ColumnId) -> Option<Vec<Scalar>> {
        self.0.members(column).ok()
    }
}
