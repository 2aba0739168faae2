//! Checks of data and model beyond keys and links: empty and constant columns, dates in the wrong order, members that look
//! alike, measures that nobody names, parameters that nothing reads. What a model accepts or treats otherwise stands in it.

use crate::column_finding::column_finding;
use crate::error::Error;
use crate::placeholders;
use crate::session::Session;
use std::collections::{BTreeMap, BTreeSet};
use vembra_model::{Bound, BoundKind, BoundQuery, MeasureId, ParamId, ParamValue, bind_report};
use vembra_plan::{ColumnId, Finding, LinkId, Scalar, Severity, TableId, TableKind, Type};
use vembra_syntax::Code;

/// What a check found.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Checked {
    /// What matters.
    pub findings: Vec<Finding>,
    /// What the model accepts, each with the reason that it gives.
    pub accepted: Vec<(Finding, String)>,
}

/// How many names are reported.
const TOLD: usize = 5;

impl Session {
    /// Checks data and model: [`Session::check`] and more, apart from what the model accepts.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vembra", "fact t from 't'\naccept V521 on t.b because 'the pilot has one shop'\n")
    ///     .csv_text("t", "a,b\n1,x\n2,x\n")
    ///     .open()?;
    /// let checked = session.check_all()?;
    /// assert!(checked.findings.is_empty());
    /// assert_eq!(checked.accepted[0].1, "the pilot has one shop");
    /// # Ok::<(), vembra::Error>(())
    /// ```
    pub fn check_all(&self) -> Result<Checked, Error> {
        let mut all = self.check()?;
        // What stands on broken keys or columns would only repeat them.
        if !all.iter().any(|f| f.severity == Severity::Error) {
            for table in self.model.schema.table_ids() {
                self.columns_findings(table, &mut all);
                self.order_findings(table, &mut all);
                self.total_findings(table, &mut all);
            }
            let wrap = |error| Error::outside(vec![column_finding("", &error)]);
            all.extend(self.link_findings().map_err(wrap)?);
            self.unused_findings(&mut all);
        }
        let mut checked = Checked { findings: Vec::new(), accepted: Vec::new() };
        for mut finding in all {
            if let Some(treated) = self.model.treated.iter().rev().find(|t| t.code == finding.code) {
                finding.severity = treated.severity;
            }
            let accepts = |a: &&vembra_model::Accepted| {
                a.code == finding.code
                    && a.table.is_none_or(|t| self.is_about(&finding, t))
                    && a.column.is_none_or(|c| {
                        finding.column.as_deref() == Some(self.model.schema.column(c).name.as_str())
                    })
            };
            match self.model.accepted.iter().find(accepts) {
                Some(accepted) => checked.accepted.push((finding, accepted.reason.clone())),
                None => checked.findings.push(finding),
            }
        }
        Ok(checked)
    }

    fn is_about(&self, finding: &Finding, table: TableId) -> bool {
        finding.file == self.model.schema.table(table).name
            || self.star.table(table).is_some_and(|t| t.comes_from(&finding.file))
    }

    pub(crate) fn found(&self, code: Code, column: ColumnId, message: String, help: &str) -> Finding {
        let def = self.model.schema.column(column);
        let origin = self.star.table(def.table).map(|t| t.origin.clone());
        Finding {
            column: Some(def.name.clone()),
            ..Finding::new(
                code,
                origin.unwrap_or_else(|| self.model.schema.table(def.table).name.clone()),
                message,
                help,
            )
        }
    }

    /// Columns of files that say nothing, and members that differ only in case or blanks.
    fn columns_findings(&self, table: TableId, findings: &mut Vec<Finding>) {
        let def = self.model.schema.table(table);
        let rows = self.star.rows(table);
        if rows < 2 || !matches!(def.kind, TableKind::Fact | TableKind::Dimension) {
            return;
        }
        for id in def.columns.iter().copied() {
            if self.model.schema.column(id).formula.is_some() {
                continue;
            }
            let (Ok(members), Ok(column)) = (self.star.members(id), self.star.column(id)) else { continue };
            if members.is_empty() {
                let help = "leave the column out of the file, or fix how it is filled";
                let message = "no row has a value".to_owned();
                findings.push(self.found(Code::V520, id, message, help));
            } else if members.len() == 1 && column.missing() == 0 {
                let message = format!("every row has the value {}", members[0].literal());
                let help =
                    "it distinguishes nothing; if that is meant, accept it: accept V521 on … because '…'";
                findings.push(self.found(Code::V521, id, message, help));
            }
            if self.model.schema.column(id).ty == Type::Text {
                findings.extend(self.alike_finding(id, &members));
            }
        }
    }

    fn alike_finding(&self, id: ColumnId, members: &[Scalar]) -> Option<Finding> {
        let mut alike: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for member in members {
            let text = member.to_string();
            let plain = vembra_syntax::one_line(&text).to_lowercase();
            alike.entry(plain).or_default().push(member.literal());
        }
        let pairs: Vec<String> =
            alike.into_values().filter(|m| m.len() > 1).map(|m| m.join(" and ")).collect();
        let (first, more) = (pairs.first()?, pairs.len() - 1);
        let more = if more == 0 { String::new() } else { format!(" (and {more} more like these)") };
        let message = format!("{first} differ only in case or blanks{more}");
        Some(self.found(Code::V523, id, message, "write them alike in the file, or they are counted apart"))
    }

    /// Dates of other roles that lie before those of the default one: shipped before it was ordered.
    fn order_findings(&self, table: TableId, findings: &mut Vec<Finding>) {
        let schema = &self.model.schema;
        let date_of = |link: &LinkId| {
            let def = schema.link(*link);
            let dated = matches!(schema.column(*def.from.first()?).ty, Type::Date | Type::Moment);
            let fact = schema.link_source(*link) == table && schema.table(table).kind == TableKind::Fact;
            (fact && dated && Some(schema.link_target(*link)) == self.model.calendar).then_some(def.from[0])
        };
        let links: Vec<LinkId> = schema.link_ids().filter(|l| date_of(l).is_some()).collect();
        let default = links.iter().find(|l| schema.link(**l).default).and_then(date_of);
        let Some(Ok(first)) = default.map(|c| self.star.column(c)) else { return };
        for later in links.iter().filter_map(date_of).filter(|c| Some(*c) != default) {
            let Ok(column) = self.star.column(later) else { continue };
            let before = |row: &usize| {
                let (a, b) = (first.scalar(*row), column.scalar(*row));
                !a.is_null() && !b.is_null() && b.compare(&a).is_lt()
            };
            let wrong: Vec<usize> = (0..self.star.rows(table)).filter(before).collect();
            let Some(row) = wrong.first() else { continue };
            let name = default.map_or("", |c| schema.column(c).name.as_str());
            let others = match wrong.len() - 1 {
                0 => String::new(),
                1 => " (and in 1 other row)".to_owned(),
                more => format!(" (and in {more} other rows)"),
            };
            let message =
                format!("{} lies before {name}, {}{others}", column.scalar(*row), first.scalar(*row));
            let mut finding =
                self.found(Code::V522, later, message, "fix the dates, or the roles of the links");
            finding.line = self.star.table(table).and_then(|t| t.line(*row));
            findings.push(finding);
        }
    }

    /// Measures that nobody names, and parameters that nothing reads.
    fn unused_findings(&self, findings: &mut Vec<Finding>) {
        let used = self.used();
        self.idle_measures(&used, findings);
        self.idle_params(&used, findings);
    }

    /// What the model's own texts name.
    fn used(&self) -> Used {
        let mut used = Used::default();
        for measure in &self.model.measures {
            used.add(&measure.formula);
            measure.subtotal.iter().chain(&measure.total).for_each(|v| used.add(&v.formula));
        }
        self.model.column_formulas.values().for_each(|formula| used.add(formula));
        for assertion in &self.model.assertions {
            match &assertion.check {
                vembra_model::AssertionCheck::Holds { query, .. } => used.query(query),
                vembra_model::AssertionCheck::Matches(a, b) => {
                    used.query(a);
                    used.query(b);
                }
            }
        }
        self.model.derived.iter().for_each(|d| used.query(&d.query));
        for report in &self.model.reports {
            let (bound, _) = bind_report(&self.model, &self.model.sources, report, &BTreeMap::new());
            bound.iter().for_each(|b| used.query(&b.query));
        }
        used
    }

    fn idle_measures(&self, used: &Used, findings: &mut Vec<Finding>) {
        let idle = |at: &usize| !used.measures.contains(&MeasureId(*at as u32));
        let idle: Vec<&str> = (0..self.model.measures.len())
            .filter(idle)
            .map(|at| self.model.measures[at].name.as_str())
            .collect();
        // Measures are there to be asked for: that nothing names one is reported only to who wants to know.
        let wanted = self.model.treated.iter().any(|t| t.code == Code::V524);
        if !idle.is_empty() && wanted {
            let more =
                if idle.len() > TOLD { format!(" and {} more", idle.len() - TOLD) } else { String::new() };
            findings.push(Finding::new(
                Code::V524,
                self.model.sources.name(self.model.measures[0].span.source),
                format!(
                    "no measure, report or assertion names {}{more}",
                    idle.iter().take(TOLD).copied().collect::<Vec<_>>().join(", ")
                ),
                "they can still be asked for; remove those that nobody needs",
            ));
        }
    }

    fn idle_params(&self, used: &Used, findings: &mut Vec<Finding>) {
        for (at, param) in self.model.params.iter().enumerate() {
            let reads = |text: &str| placeholders::names(text, &param.name);
            let in_text = self.model.reports.iter().any(|r| reads(&r.title) || reads(&r.text))
                || self.model.dashboards.iter().any(|d| reads(&d.title));
            let chosen = matches!(param.default, Some(ParamValue::Choice(_))) && in_text;
            if !used.params.contains(&ParamId(at as u32)) && !chosen && !in_text {
                let (line, _) = self.model.sources.line_column(param.span);
                findings.push(Finding {
                    line: Some(line as u64),
                    ..Finding::new(
                        Code::V525,
                        self.model.sources.name(param.span.source),
                        format!("nothing in the model reads the parameter {}", param.name),
                        format!("use it as :{}, or remove it", param.name),
                    )
                });
            }
        }
    }
}

/// What expressions name.
#[derive(Default)]
struct Used {
    measures: BTreeSet<MeasureId>,
    params: BTreeSet<ParamId>,
}

impl Used {
    fn add(&mut self, bound: &Bound) {
        bound.walk(&mut |b| match &b.kind {
            BoundKind::Measure(id) => drop(self.measures.insert(*id)),
            BoundKind::Param(id) => drop(self.params.insert(*id)),
            _ => {}
        });
    }

    fn query(&mut self, query: &BoundQuery) {
        query.expressions().into_iter().for_each(|e| self.add(e));
    }
}
