//! What is wrong with the data of a session: what no answer can do with, and what is worth knowing.

use crate::column_finding::column_finding;
use crate::error::Error;
use crate::session::Session;
use vembra_engine::EngineError;
use vembra_plan::{ColumnId, Finding, Severity};
use vembra_syntax::Code;

/// What a server says is reported as it is.
fn wrap_server(error: EngineError) -> Error {
    match error {
        EngineError::Unread(finding) => Error::outside(vec![*finding]),
        other => Error::outside(vec![column_finding("", &other)]),
    }
}

impl Session {
    /// The same session with the rows and missing values of tables on a server counted, for [`Session::load_report`]; it takes a look at all of
    /// their rows there. Where tables are in memory they are counted already.
    ///
    /// # Errors
    /// When the server does not answer.
    pub fn counted(mut self) -> Result<Self, Error> {
        let Some(server) = &self.server else { return Ok(self) };
        let counts = server.counts(&self.star).map_err(wrap_server)?;
        self.report = std::sync::Arc::new(self.report.with_counts(&counts));
        Ok(self)
    }

    /// What is worth knowing of the data: texts among numbers, keys that are in no row, dates outside the calendar.
    /// Reads all columns that are not read yet, and works out all computed ones. What no answer could do with has kept the session from opening.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    pub fn check(&self) -> Result<Vec<Finding>, Error> {
        let wrap = |error: EngineError| Error::outside(vec![column_finding("", &error)]);
        let mut findings = self.findings.to_vec();
        let tables = self.model.schema.table_ids().filter_map(|table| self.star.table(table));
        for (name, column) in tables.flat_map(|table| &table.columns) {
            if let Err(error) = column.get() {
                findings.push(column_finding(name, &error));
            }
        }
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
        if let Some(server) = &self.server {
            findings.extend(server.findings(&self.model, &self.star).map_err(wrap_server)?);
            return Ok(findings);
        }
        findings.extend(self.star.findings().map_err(wrap)?);
        Ok(findings)
    }

    /// Fails where no answer could be trusted.
    pub(crate) fn sound(&self) -> Result<(), Error> {
        if self.keeping.as_ref().is_some_and(|keeping| keeping.is_sound()) {
            return Ok(());
        }
        let broken = self.broken()?;
        if broken.is_empty() { Ok(()) } else { Err(Error::outside(broken)) }
    }

    /// Keys that stand twice and hierarchies that do not hold: no answer could be trusted.
    fn broken(&self) -> Result<Vec<Finding>, Error> {
        let wrap = |error: EngineError| Error::outside(vec![column_finding("", &error)]);
        let mut findings = self.star.all_key_findings().map_err(wrap)?;
        findings.retain(|f| f.severity == Severity::Error);
        findings.extend(self.hierarchy_findings().map_err(wrap)?);
        findings.extend(self.order_findings_of().map_err(wrap)?);
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
                    line: table.and_then(|t| t.line(second)),
                    column: Some(schema.column(finer).name.clone()),
                    ..Finding::new(
                        Code::V505,
                        table.map_or_else(
                            || schema.table(hierarchy.table).name.clone(),
                            |t| t.file(second).to_owned(),
                        ),
                        format!(
                            "the hierarchy {} does not hold: {} stands with {} {} and with {}",
                            hierarchy.name,
                            value(finer, second)?,
                            schema.column(coarser).name,
                            value(coarser, first)?,
                            value(coarser, second)?
                        ),
                        "fix the data, or leave the level out of the hierarchy",
                    )
                });
            }
        }
        Ok(findings)
    }
}
