//! Why a figure is what it is: its conditions in words, each step with its value, the rows behind it. Worked out by the plain
//! evaluator, which shares nothing with the engine but the scalar functions, and compared with the engine's answer.

mod text;

use crate::asked::{Asked, evaluation_failure, is_refused};
use crate::error::{Error, OutputError};
use crate::session::Session;
use serde::Serialize;
use std::collections::BTreeMap;
use vembra_draw::format_value;
use vembra_engine::{Answer, Line, Lines, Member, Summary, Table};
use vembra_model::{Bound, BoundKind, BoundQuery, BoundSummary, lower};
use vembra_plan::{EvalError, LevelKind, RoleId, Scalar, TotalsPlace};
use vembra_reference::{Behind, Data, Part, ToExplain, Trace};
use vembra_syntax::{Diagnostic, Place, Sources};

/// Tables of more rows are not explained: the plain evaluator holds every value in memory.
const MOST_ROWS: usize = 2_000_000;
/// So many values at keys are told, and so many members that count more than once.
const TOLD: usize = 5;

/// Why a figure is what it is.
#[derive(Clone, Debug, Serialize)]
pub struct Explanation {
    /// The heading of the figure.
    pub figure: String,
    /// Where it stands: per axis its heading and its member.
    pub cell: Vec<(String, String)>,
    /// What parameters stand for.
    pub given: Vec<(String, String)>,
    /// Whose limits hold, in words.
    pub limits: Option<String>,
    /// The value as the answer shows it.
    pub value: String,
    /// The value as the engine shows it; none where its answer has no such line.
    pub engine: Option<String>,
    /// Whether both are the same.
    pub agrees: bool,
    /// Why it is not the sum of its lines, for a total that is none.
    pub not_a_sum: Option<String>,
    /// Its formula, step by step.
    pub step: ExplainedStep,
    /// The other figures that the query shows, where none was named.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub others: Vec<String>,
    /// Who asked: rows are numbered as he sees them.
    #[serde(skip)]
    viewer: Option<String>,
}

/// One step of a formula.
#[derive(Clone, Debug, Serialize)]
pub struct ExplainedStep {
    /// The expression as it is written, or the name of the measure.
    pub text: String,
    /// The value.
    pub value: String,
    /// The rows behind it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub behind: Option<ExplainedRows>,
    /// The values at keys.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub keys: Option<ExplainedKeys>,
    /// What it is made of.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<ExplainedStep>,
}

/// The rows behind an aggregate.
#[derive(Clone, Debug, Serialize)]
pub struct ExplainedRows {
    /// The table.
    pub table: String,
    /// The roles by which its links are followed: per table reached the role, and whether it was asked for.
    pub roles: Vec<String>,
    /// How many rows the table has.
    pub all: usize,
    /// Each test, where it comes from, and how many rows are left.
    pub tests: Vec<(String, usize)>,
    /// The test that let no row through.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub emptied_by: Option<String>,
    /// The numbers of the rows that are left, from 0.
    #[serde(skip)]
    pub rows: Vec<usize>,
    /// How many values count once though they stand on several lines, and the first of them with their lines.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub overlaps: Vec<(String, Vec<String>)>,
    /// How many there are.
    pub overlapping: usize,
    /// How many are left.
    pub left: usize,
}

/// The values at keys.
#[derive(Clone, Debug, Serialize)]
pub struct ExplainedKeys {
    /// The attributes.
    pub keys: Vec<String>,
    /// How many combinations have a value taken.
    pub count: usize,
    /// The first of them with their values.
    pub values: Vec<(String, String)>,
    /// How the first one comes about, and the condition that it passed.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub first: Vec<ExplainedStep>,
}

/// What an explanation reads from.
struct Explainer<'a> {
    session: &'a Session,
    sources: &'a Sources,
    query: &'a BoundSummary,
    source: vembra_syntax::SourceId,
}

impl Session {
    /// See [`QueryBuilder::explain`](crate::QueryBuilder::explain).
    pub(crate) fn explain(
        &self,
        query: &str,
        cell: &str,
        figure: Option<&str>,
        given: &[(&str, &str)],
    ) -> Result<Explanation, Error> {
        let asked = self.bound(query, given)?;
        let mut query = summary_query(&asked)?;
        let show = find_figure(&query, figure).map_err(|m| refused(&asked.sources, m))?;
        // Lines over which the cell is a total are asked for, whatever the query shows.
        if query.row_axes > 0 {
            query.totals_on_rows.get_or_insert(TotalsPlace::Last);
        }
        if query.row_axes < query.axes.len() {
            query.totals_on_columns.get_or_insert(TotalsPlace::Last);
        }
        let summary = self.summary_of(&query, &asked)?;
        let members = self.members_of(&query, cell, &summary).map_err(|m| refused(&asked.sources, m))?;
        let mut explained = self.explained(&query, &[(show, members)], &summary, &asked)?;
        let mut first = explained.swap_remove(0);
        if figure.is_none() {
            let shown = query.shows.iter().take(query.shows.len() - query.extra).skip(1);
            first.others = shown.map(|s| s.name.clone()).collect();
        }
        Ok(first)
    }

    /// See [`QueryBuilder::explain_all`](crate::QueryBuilder::explain_all).
    pub(crate) fn explain_all(&self, query: &str, given: &[(&str, &str)]) -> Result<Vec<Explanation>, Error> {
        let asked = self.bound(query, given)?;
        let query = summary_query(&asked)?;
        let summary = self.summary_of(&query, &asked)?;
        let mut cells = Vec::new();
        for line in &summary.lines {
            let members: Vec<Member> = line.rows.iter().chain(&line.columns).cloned().collect();
            cells.extend((0..query.shows.len()).map(|show| (show, members.clone())));
        }
        self.explained(&query, &cells, &summary, &asked)
    }

    pub(crate) fn explained(
        &self,
        query: &BoundSummary,
        cells: &[ToExplain],
        summary: &Summary,
        asked: &Asked,
    ) -> Result<Vec<Explanation>, Error> {
        let largest = self.model.schema.table_ids().map(|t| self.star.rows(t)).max().unwrap_or(0);
        if largest > MOST_ROWS {
            return Err(refused(&asked.sources, messages::too_many_rows(largest, MOST_ROWS)));
        }
        let kinds: Vec<LevelKind> =
            cells.iter().map(|(_, members)| kind_on(summary, members, query.row_axes)).collect();
        let traces = self
            .traces(query, cells, &kinds)
            .map_err(|error| evaluation_failure(&error.into(), &asked.sources, asked.place()))?;
        let explainer = Explainer { session: self, sources: &asked.sources, query, source: asked.source };
        let all = cells.iter().zip(&kinds).zip(&traces);
        Ok(all.map(|((cell, kind), trace)| explainer.explanation(cell, *kind, trace, summary)).collect())
    }

    /// The rows behind the aggregates of an explanation as a table of the file's own columns and the computed ones, the rows of the
    /// first aggregate that has any. None without rows, and none for what somebody else sees: his rows have other numbers.
    pub fn explained_rows(&self, explanation: &Explanation) -> Option<ExplainedTable> {
        if explanation.viewer != self.viewer {
            return None;
        }
        let behind = first_rows(&explanation.step)?;
        let table = self.model.find_table(&behind.table)?;
        let schema = &self.model.schema;
        let columns = &schema.table(table).columns;
        let lines = self.star.table(table).filter(|t| !matches!(t.lines, Lines::Unknown));
        let mut header: Vec<String> = lines.map(|_| "line".to_owned()).into_iter().collect();
        header.extend(columns.iter().map(|c| schema.column(*c).name.clone()));
        let mut rows = Vec::new();
        for row in &behind.rows {
            let line = lines.map(|t| t.line(*row).map_or(String::new(), |l| l.to_string()));
            let values = columns.iter().map(|c| {
                self.star.column(*c).map_or(String::new(), |column| column.scalar(*row).to_string())
            });
            rows.push(line.into_iter().chain(values).collect());
        }
        Some(ExplainedTable { table: behind.table.clone(), header, rows })
    }

    fn summary_of(&self, query: &BoundSummary, asked: &Asked) -> Result<Summary, Error> {
        let query = BoundQuery::Summary(Box::new(query.clone()));
        match self.answer_to(&asked.sources, &query, asked.place())? {
            Answer::Summary(summary) => Ok(summary),
            Answer::List(_) => Err(refused(&asked.sources, messages::single_rows())),
        }
    }

    /// The steps of each cell; totals may have formulas of their own.
    fn traces(
        &self,
        query: &BoundSummary,
        cells: &[ToExplain],
        kinds: &[LevelKind],
    ) -> Result<Vec<Trace>, EvalError> {
        let empty = Table::default();
        let tables: Vec<&Table> =
            self.model.schema.table_ids().map(|t| self.star.table(t).unwrap_or(&empty)).collect();
        let days = self.model.calendar.map_or((0, -1), |calendar| self.star.calendar_range(calendar));
        let data = Data::new(&self.model, &tables, days);
        let mut traces: Vec<Option<Trace>> = vec![None; cells.len()];
        for kind in [LevelKind::Detail, LevelKind::Subtotal, LevelKind::Total] {
            let mut query = query.clone();
            for show in &mut query.shows {
                show.expr = lower::formula_on(&self.model, &show.expr, kind);
            }
            let own: Vec<usize> = (0..cells.len()).filter(|at| kinds[*at] == kind).collect();
            let wanted: Vec<ToExplain> = own.iter().map(|at| cells[*at].clone()).collect();
            let found = vembra_reference::explain(&self.model, &data, &query, &wanted)?;
            own.into_iter().zip(found).for_each(|(at, trace)| traces[at] = Some(trace));
        }
        Ok(traces.into_iter().flatten().collect())
    }

    /// The member of each axis: those that the cell names, and all of the others.
    fn members_of(
        &self,
        query: &BoundSummary,
        cell: &str,
        summary: &Summary,
    ) -> Result<Vec<Member>, Diagnostic> {
        let mut members = vec![Member::All; query.axes.len()];
        let names: Vec<&str> = query.axes.iter().map(|a| a.name.as_str()).collect();
        for (name, wanted) in pairs(cell)? {
            let is = |a: &vembra_model::BoundAxis| {
                a.name == name || a.label == name || a.name.rsplit('.').next() == Some(name.as_str())
            };
            let Some(at) = query.axes.iter().position(is) else {
                return Err(messages::no_axis(&name, &names));
            };
            let known = summary.member_orders.get(at).cloned().unwrap_or_default();
            match known.iter().find(|m| m.to_string() == wanted) {
                Some(member) => members[at] = member.clone(),
                None => {
                    let all: Vec<String> = known.iter().map(Member::to_string).collect();
                    match self.absent(query, at, &wanted) {
                        // A member without a line still has a reason why.
                        Some(member) => members[at] = member,
                        None => return Err(messages::no_member(&name, &wanted, &all)),
                    }
                }
            }
        }
        let prefix = |from: usize, to: usize| {
            members[from..to].iter().skip_while(|m| **m != Member::All).all(|m| *m == Member::All)
        };
        if !(prefix(0, query.row_axes) && prefix(query.row_axes, query.axes.len())) {
            return Err(messages::not_from_the_first(&names));
        }
        Ok(members)
    }

    /// A member that a column has, though the answer has no line for it.
    fn absent(&self, query: &BoundSummary, axis: usize, wanted: &str) -> Option<Member> {
        let BoundKind::Column(column, _) = query.axes[axis].expr.kind else { return None };
        let values = self.star.members(column).ok()?;
        values.into_iter().find(|v| v.to_string() == wanted).map(Member::Value)
    }
}

/// Rows behind a figure.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ExplainedTable {
    /// The table.
    pub table: String,
    /// The columns: the line of the file first.
    pub header: Vec<String>,
    /// The values.
    pub rows: Vec<Vec<String>>,
}

impl ExplainedTable {
    /// The rows as CSV.
    ///
    /// # Errors
    /// When a record cannot be written, which would be a fault of the program.
    pub fn csv(&self) -> Result<String, OutputError> {
        vembra_sources::csv_text(&self.header, &self.rows).map_err(|error| OutputError(error.to_string()))
    }
}

fn first_rows(step: &ExplainedStep) -> Option<&ExplainedRows> {
    let own = step.behind.as_ref();
    let at_keys = step.keys.iter().flat_map(|k| &k.first).find_map(first_rows);
    own.or_else(|| step.steps.iter().find_map(first_rows)).or(at_keys)
}

fn refused(sources: &Sources, diagnostic: Diagnostic) -> Error {
    Error::text(sources.clone(), vec![diagnostic])
}

/// The query, if it is one of a summary that can be answered.
fn summary_query(asked: &Asked) -> Result<BoundSummary, Error> {
    match &asked.meaning {
        _ if is_refused(&asked.notes) => Err(Error::text(asked.sources.clone(), asked.notes.clone())),
        BoundQuery::Summary(query) => Ok((**query).clone()),
        BoundQuery::List(_) => Err(refused(&asked.sources, messages::single_rows())),
    }
}

fn find_figure(query: &BoundSummary, figure: Option<&str>) -> Result<usize, Diagnostic> {
    let Some(wanted) = figure else { return Ok(0) };
    let found = query.shows.iter().position(|s| s.name == wanted || s.label == wanted);
    let names: Vec<&str> = query.shows.iter().map(|s| s.name.as_str()).collect();
    found.ok_or_else(|| messages::no_figure(wanted, &names))
}

/// What a line at these members stands for.
fn kind_of(members: &[Member], rows: usize) -> LevelKind {
    let all = |part: &[Member]| !part.is_empty() && part.iter().all(|m| *m == Member::All);
    if !members.contains(&Member::All) {
        LevelKind::Detail
    } else if all(&members[..rows]) || all(&members[rows..]) {
        LevelKind::Total
    } else {
        LevelKind::Subtotal
    }
}

/// The names and members of a cell, such as `a.b = 'x', c.d = 5`.
fn pairs(cell: &str) -> Result<Vec<(String, String)>, Diagnostic> {
    let mut parts: Vec<String> = vec![String::new()];
    let mut quote: Option<char> = None;
    for c in cell.chars() {
        match (c, quote) {
            (',', None) => {
                parts.push(String::new());
                continue;
            }
            ('\'' | '"', None) => quote = Some(c),
            (c, Some(open)) if c == open => quote = None,
            _ => {}
        }
        if let Some(part) = parts.last_mut() {
            part.push(c);
        }
    }
    let unquoted = |text: &str, quote: char| -> String {
        let inner = text.strip_prefix(quote).and_then(|t| t.strip_suffix(quote));
        inner.map_or_else(|| text.to_owned(), |t| t.replace(&format!("{quote}{quote}"), &quote.to_string()))
    };
    let mut pairs = Vec::new();
    for part in parts.iter().map(|p| p.trim()).filter(|p| !p.is_empty()) {
        let Some((name, value)) = part.split_once('=') else { return Err(messages::no_equation(part)) };
        let name = name.trim().split('.').map(|n| unquoted(n.trim(), '"')).collect::<Vec<_>>().join(".");
        pairs.push((name, unquoted(value.trim(), '\'')));
    }
    Ok(pairs)
}

/// What the line at these members stands for; where there is none, what it would.
fn kind_on(summary: &Summary, members: &[Member], rows: usize) -> LevelKind {
    line_at(summary, members).map_or_else(|| kind_of(members, rows), |line| line.kind)
}

fn line_at<'s>(summary: &'s Summary, members: &[Member]) -> Option<&'s Line> {
    summary.lines.iter().find(|l| l.rows.iter().chain(&l.columns).eq(members.iter()))
}

/// Where a cell stands: the heading of each axis with its member.
fn named(members: &[Member], summary: &Summary) -> Vec<(String, String)> {
    let headings = summary.rows.iter().chain(&summary.columns);
    headings.zip(members).map(|(h, m)| (h.label.clone(), m.to_string())).collect()
}

impl Explainer<'_> {
    fn explanation(
        &self,
        (show, members): &ToExplain,
        kind: LevelKind,
        trace: &Trace,
        summary: &Summary,
    ) -> Explanation {
        let model = &self.session.model;
        let measure = &summary.measures[*show];
        let cell = line_at(summary, members).map(|line| &line.cells[*show]);
        let (_, format) = measure.on(kind);
        let written = |value: &Scalar| match value {
            Scalar::Null => "no value".to_owned(),
            value => format_value(value, format, model.currency.as_deref()),
        };
        let viewer = |name: &String| model.viewers.iter().find(|v| v.name == *name);
        let limits = self.session.viewer.as_ref().and_then(viewer);
        Explanation {
            others: Vec::new(),
            viewer: self.session.viewer.clone(),
            figure: measure.heading.label.clone(),
            cell: named(members, summary),
            given: self.given(*show),
            limits: limits.map(|v| format!("{} sees only {}", v.name, v.text)),
            value: written(&trace.value),
            engine: cell.map(|c| written(&c.value)),
            agrees: cell.is_none_or(|c| c.value.alike(&trace.value)),
            not_a_sum: cell.filter(|c| c.adds_up == Some(false)).map(|_| vembra_draw::why_not_a_sum(measure)),
            step: self.step(trace, summary),
        }
    }

    /// The parameters that the figure and the query look at, with their values.
    fn given(&self, show: usize) -> Vec<(String, String)> {
        let params = &self.session.model.params;
        let mut bounds: Vec<&Bound> = vec![&self.query.shows[show].expr];
        bounds.extend(self.query.filters.iter().chain(&self.query.having));
        let used = self.session.model.params_in(&bounds);
        let named = self.query.params.iter().filter(|(id, _)| used.contains(id));
        named.map(|(id, value)| (params[id.0 as usize].name.clone(), value.to_string())).collect()
    }

    /// The text at a place on one line.
    fn written(&self, place: Place) -> String {
        vembra_syntax::one_line(self.sources.slice(place))
    }

    /// Where a text stands: in the query, or in a file.
    fn origin(&self, place: Place) -> String {
        if place.source == self.source {
            "the query".to_owned()
        } else {
            let (line, _) = self.sources.line_column(place);
            format!("{}, line {line}", self.sources.name(place.source))
        }
    }

    fn step(&self, trace: &Trace, summary: &Summary) -> ExplainedStep {
        let value = if trace.value.is_null() { "no value".to_owned() } else { trace.value.to_string() };
        let mut steps: Vec<ExplainedStep> = trace.steps.iter().map(|s| self.step(s, summary)).collect();
        let mut text = self.written(trace.place);
        if let Some(name) = &trace.measure {
            text.clone_from(name);
            // The measure and its formula are one step to its readers.
            if let [only] = steps.as_mut_slice() {
                let formula = std::mem::take(&mut only.text);
                let (behind, keys) = (only.behind.take(), only.keys.take());
                let steps = std::mem::take(&mut only.steps);
                return ExplainedStep { text: format!("{name} = {formula}"), value, behind, keys, steps };
            }
        }
        ExplainedStep {
            text,
            value,
            behind: trace.behind.as_ref().map(|b| self.behind(b, summary)),
            keys: trace.keys.as_ref().map(|k| ExplainedKeys {
                keys: k.keys.iter().map(|(column, role)| self.attribute(*column, *role)).collect(),
                count: k.values.len(),
                values: k
                    .values
                    .iter()
                    .take(TOLD)
                    .map(|(members, value)| {
                        let names: Vec<String> = members.iter().map(Member::to_string).collect();
                        (
                            names.join(", "),
                            if value.is_null() { "no value".to_owned() } else { value.to_string() },
                        )
                    })
                    .collect(),
                first: k.first.iter().map(|first| self.step(first, summary)).collect(),
            }),
            steps,
        }
    }

    fn attribute(&self, column: vembra_plan::ColumnId, role: Option<RoleId>) -> String {
        let schema = &self.session.model.schema;
        match role {
            Some(role) => format!("{}.{}", self.session.model.role_name(role), schema.column(column).name),
            None => schema.qualified(column),
        }
    }

    fn behind(&self, behind: &Behind, summary: &Summary) -> ExplainedRows {
        let model = &self.session.model;
        let mut tests: Vec<(String, usize)> = Vec::new();
        let mut before = behind.all;
        let mut emptied_by = None;
        for sieve in &behind.sieve {
            let text = self.part(&sieve.part, summary);
            if before > 0 && sieve.left == 0 {
                emptied_by = Some(text.clone());
            }
            before = sieve.left;
            tests.push((text, sieve.left));
        }
        let line =
            |members: &Vec<Member>| members.iter().map(Member::to_string).collect::<Vec<_>>().join(", ");
        ExplainedRows {
            table: model.schema.table(behind.table).name.clone(),
            roles: self.roles(behind),
            all: behind.all,
            tests,
            emptied_by,
            rows: behind.rows.clone(),
            overlaps: behind
                .overlaps
                .iter()
                .take(TOLD)
                .map(|o| (o.value.to_string(), o.lines.iter().map(line).collect()))
                .collect(),
            overlapping: behind.overlaps.len(),
            left: behind.rows.len(),
        }
    }

    /// The role of each link with roles from a table: the one asked for, or the default.
    fn roles(&self, behind: &Behind) -> Vec<String> {
        let model = &self.session.model;
        let schema = &model.schema;
        let mut told: BTreeMap<String, String> = BTreeMap::new();
        for link in schema.link_ids().filter(|l| schema.link_source(*l) == behind.table) {
            let target = schema.link_target(link);
            let Some(role) = schema.link(link).role else { continue };
            let asked = behind.roles.iter().rev().find(|r| model.role_target(**r) == Some(target));
            let name = schema.table(target).name.clone();
            if asked == Some(&role) {
                told.insert(name.clone(), format!("{name} by {} (asked for)", model.role_name(role)));
            } else if asked.is_none() && schema.link(link).default {
                told.insert(name.clone(), format!("{name} by {} (the default)", model.role_name(role)));
            }
        }
        told.into_values().collect()
    }

    fn part(&self, part: &Part, summary: &Summary) -> String {
        match part {
            Part::Axis(at, member) => {
                let label =
                    summary.rows.iter().chain(&summary.columns).nth(*at).map_or("", |h| h.label.as_str());
                format!("{label} is {member} (the cell)")
            }
            Part::Detail(column, role, member) => {
                format!("{} is {} (its own detail)", self.attribute(*column, *role), member)
            }
            Part::Condition(place) => format!("{} ({})", self.written(*place), self.origin(*place)),
            Part::Chosen(0) => "among the lines that 'having' chose (the query)".to_owned(),
            Part::Chosen(_) => "among the members that 'top' chose (the query)".to_owned(),
            Part::Days(days, from) => {
                let from: Vec<String> = from.iter().map(|p| self.part(p, summary)).collect();
                let from =
                    if from.is_empty() { String::new() } else { format!(", from {}", from.join(" and ")) };
                match days {
                    None => format!("no days: the stretch cannot be taken{from}"),
                    Some((first, last, count)) => {
                        let (first, last) = (Scalar::Date(*first), Scalar::Date(*last));
                        let days = if *count == 1 { "day" } else { "days" };
                        format!("{count} {days} from {first} to {last} (a stretch of the calendar{from})")
                    }
                }
            }
            Part::Own(place) => format!("{} (the aggregate's own condition)", self.written(*place)),
        }
    }
}

/// What is wrong with what is to be explained.
mod messages {
    use vembra_syntax::Diagnostic;

    fn near(wanted: &str, known: &[&str]) -> Option<String> {
        vembra_syntax::nearest(wanted, known.iter().copied()).map(|n| format!("did you mean {n}?"))
    }

    pub(super) fn single_rows() -> Diagnostic {
        Diagnostic::error("V390", "single rows explain themselves: only figures of a summary are explained")
            .help("ask for a summary: rows … show …")
    }

    pub(super) fn no_figure(wanted: &str, known: &[&str]) -> Diagnostic {
        Diagnostic::error("V391", format!("the query does not show {wanted}"))
            .help(near(wanted, known).unwrap_or_else(|| format!("it shows: {}", known.join(", "))))
    }

    pub(super) fn no_axis(wanted: &str, known: &[&str]) -> Diagnostic {
        let others = match known {
            [] => "it is not split at all: leave the cell out".to_owned(),
            known => format!("it is split by: {}", known.join(", ")),
        };
        Diagnostic::error("V392", format!("the query is not split by {wanted}"))
            .help(near(wanted, known).unwrap_or(others))
    }

    pub(super) fn no_member(axis: &str, wanted: &str, known: &[String]) -> Diagnostic {
        let names: Vec<&str> = known.iter().map(String::as_str).collect();
        let some = names.iter().take(12).copied().collect::<Vec<_>>().join(", ");
        let more = if names.len() > 12 { ", …" } else { "" };
        Diagnostic::error("V393", format!("{axis} has no member {wanted}"))
            .help(near(wanted, &names).unwrap_or_else(|| format!("its members are: {some}{more}")))
    }

    pub(super) fn not_from_the_first(axes: &[&str]) -> Diagnostic {
        Diagnostic::error(
            "V394",
            "a total leaves out the last axes of its rows or columns, not one before them",
        )
        .help(format!("name the axes from the first on: {}", axes.join(", ")))
    }

    pub(super) fn too_many_rows(rows: usize, most: usize) -> Diagnostic {
        Diagnostic::error(
            "V396",
            format!("a table of {rows} rows is too large to be explained: {most} are the most"),
        )
        .help("explain the same cell on a part of the file, such as one year of it")
    }

    pub(super) fn no_equation(part: &str) -> Diagnostic {
        Diagnostic::error("V395", format!("{part} does not say where the cell stands"))
            .help("write an axis and its member: calendar.month = '2025-04', customer.region = 'Westholt'")
    }
}
