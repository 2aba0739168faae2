//! A model over loaded tables: what questions are put to.

use crate::builder::SessionBuilder;
use crate::failure::{Failure, FailureKind};
use crate::reply::Reply;
use crate::report::LoadReport;
use std::path::Path;
use vembra_engine::{Answer, EngineError, Options, Star, run_list, run_query};
use vembra_model::Model;
use vembra_model::lower::{self, KnownValues, Plan};
use vembra_plan::{ColumnId, Finding, Scalar, Severity, rewrite, verify};
use vembra_syntax::{Diagnostic, SourceId, Sources, parse_query};

/// A model over loaded tables.
pub struct Session {
    pub(crate) model: Model,
    pub(crate) star: Star,
    report: LoadReport,
    findings: Vec<Finding>,
    diagnostics: Vec<Diagnostic>,
    options: Options,
}

impl Session {
    /// Opens a model file and the files that it names.
    ///
    /// # Errors
    /// When a text is wrong or a file cannot be read.
    ///
    /// # Examples
    /// ```no_run
    /// let session = vembra::Session::open("demo/bees.vmb")?;
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
        Self { model, star, report, findings, diagnostics, options }
    }

    /// The model.
    pub fn model(&self) -> &Model {
        &self.model
    }

    /// The tables in memory.
    pub fn star(&self) -> &Star {
        &self.star
    }

    /// What was read.
    pub fn report(&self) -> &LoadReport {
        &self.report
    }

    /// Notes and warnings about the model's text.
    pub fn diagnostics(&self) -> &[Diagnostic] {
        &self.diagnostics
    }

    /// Answers a question: text, tree, meaning, plan, answer.
    ///
    /// # Errors
    /// When the question's text is wrong, or a value cannot be worked out.
    pub fn ask(&self, question: &str) -> Result<Reply, Box<Failure>> {
        let mut sources = self.model.sources.clone();
        let source = sources.add("question", question);
        let parsed = parse_query(source, question);
        if !parsed.diagnostics.is_empty() {
            return Err(Failure::text(sources, parsed.diagnostics));
        }
        let (meaning, mut notes) = vembra_model::ask(&self.model, &sources, source, &parsed.root);
        let (plan, more) = match &meaning {
            Some(meaning) => lower::plan(&self.model, &sources, meaning, &Known(&self.star)),
            None => (None, Vec::new()),
        };
        notes.extend(more);
        let Some(mut plan) = plan.filter(|_| !is_refused(&notes)) else {
            return Err(Failure::text(sources, notes));
        };
        let answer =
            self.evaluate(&mut plan).map_err(|error| evaluation_failure(&error, &sources, source))?;
        Ok(Reply { answer, notes, plan, sources, currency: self.model.currency.clone() })
    }

    fn evaluate(&self, plan: &mut Plan) -> Result<Answer, EngineError> {
        let broken = |error: verify::Broken| EngineError::Internal(error.to_string());
        match plan {
            Plan::Query(query) => {
                rewrite::run(&self.model.schema, query).map_err(broken)?;
                Ok(run_query(&self.star, query, &self.options)?.into())
            }
            Plan::List(list) => {
                verify::list(&self.model.schema, list, "planning").map_err(broken)?;
                Ok(run_list(&self.star, list, &self.options)?.into())
            }
        }
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

    /// Keys that stand twice and hierarchies that do not hold: no answer could be trusted.
    pub(crate) fn broken(&self) -> Result<Vec<Finding>, Box<Failure>> {
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

fn is_refused(notes: &[Diagnostic]) -> bool {
    notes.iter().any(|d| d.severity == vembra_syntax::Severity::Error)
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

fn evaluation_failure(error: &EngineError, sources: &Sources, source: SourceId) -> Box<Failure> {
    let end = sources.text(source).len();
    let place = vembra_syntax::Place { source, start: 0, end };
    let help = match error {
        EngineError::TooManyLines(_) => "filter the question, or split it by fewer attributes",
        EngineError::Internal(_) => {
            "this is a fault of the program: please report it with the model and the question"
        }
        _ => "turn the value into a float (cast(… as float)), or mend the data",
    };
    let diagnostic = Diagnostic::error("V511", format!("the question cannot be answered: {error}"));
    let mut failure = Failure::text(sources.clone(), vec![diagnostic.at(place, "").help(help)]);
    failure.kind = FailureKind::Outside;
    failure
}

/// The values of columns in memory.
struct Known<'a>(&'a Star);

impl KnownValues for Known<'_> {
    fn values(&self, column: ColumnId) -> Option<Vec<Scalar>> {
        self.0.members(column).ok()
    }
}
