//! Why a figure is what it is: its conditions in words, each step with its value, the rows behind it. Worked out by the plain
//! evaluator, which shares nothing with the engine but the scalar functions, and compared with the engine's answer.

mod asking;
mod at_server;
mod counting;
mod messages;
mod parts;
mod steps;
mod text;

pub use parts::{ExplainedKeys, ExplainedRows, ExplainedStep, ExplainedTable, Explanation, SecondWay};

use crate::error::Error;
use crate::query_execution::{Asked, evaluation_failure, is_refused};
use crate::row_location::RowsHere;
use crate::session::Session;
use std::collections::BTreeMap;
use vembra_engine::{Answer, EngineError, Line, Lines, Member, Summary, Table};
use vembra_model::{BoundKind, BoundQuery, BoundSummary, lower};
use vembra_plan::{LevelKind, LinkId, TotalsPlace};
use vembra_reference::{Data, ToExplain, Trace};
use vembra_syntax::{Diagnostic, Sources};

/// Tables of more rows are not explained: the plain evaluator holds every value in memory.
const MOST_ROWS: usize = 2_000_000;
/// How many values at keys are reported, and this many members that count more than once.
const TOLD: usize = 5;

/// Per way to the calendar the last day on which rows stand that are not here.
pub(crate) type LastDays = BTreeMap<Vec<LinkId>, Option<i32>>;

/// What an explanation reads from.
struct Explainer<'a> {
    session: &'a Session,
    sources: &'a Sources,
    query: &'a BoundSummary,
    source: vembra_syntax::SourceId,
}

/// Lines over which a cell is a total are asked for, whatever the query shows.
fn with_totals(query: &mut BoundSummary) {
    if query.row_axes > 0 {
        query.totals_on_rows.get_or_insert(TotalsPlace::Last);
    }
    if query.row_axes < query.axes.len() {
        query.totals_on_columns.get_or_insert(TotalsPlace::Last);
    }
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
        // A server answers, and its rows are fetched to see whether it is right, if they are not too many.
        let rows = self.rows_here()?;
        let here = rows.session().unwrap_or(self);
        let asked = here.bound(query, given)?;
        let mut bound = summary_query(&asked)?;
        let show = find_figure(&bound, figure).map_err(|m| refused(&asked.sources, m))?;
        with_totals(&mut bound);
        let summary = self.summary_to(query, given, with_totals)?;
        let query = bound;
        let members = here.members_of(&query, cell, &summary).map_err(|m| refused(&asked.sources, m))?;
        let mut explained = here.explained_by(&rows, &query, &[(show, members)], (&summary, &asked))?;
        let mut first = explained.swap_remove(0);
        if figure.is_none() {
            let shown = query.shows.iter().take(query.shows.len() - query.extra).skip(1);
            first.others = shown.map(|s| s.name.clone()).collect();
        }
        Ok(first)
    }

    /// See [`QueryBuilder::explain_all`](crate::QueryBuilder::explain_all).
    pub(crate) fn explain_all(&self, query: &str, given: &[(&str, &str)]) -> Result<Vec<Explanation>, Error> {
        let rows = self.rows_here()?;
        let here = rows.session().unwrap_or(self);
        let summary = self.summary_to(query, given, |_| ())?;
        let asked = here.bound(query, given)?;
        let query = summary_query(&asked)?;
        let mut cells = Vec::new();
        for line in &summary.lines {
            let members: Vec<Member> = line.rows.iter().chain(&line.columns).cloned().collect();
            cells.extend((0..query.shows.len()).map(|show| (show, members.clone())));
        }
        here.explained_by(&rows, &query, &cells, (&summary, &asked))
    }

    fn explained_by(
        &self,
        rows: &RowsHere,
        query: &BoundSummary,
        cells: &[ToExplain],
        (summary, asked): (&Summary, &Asked),
    ) -> Result<Vec<Explanation>, Error> {
        match rows {
            RowsHere::Stay => self.explained_there(query, cells, summary, asked),
            _ => self.explained(query, cells, summary, asked),
        }
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
        let kinds = kinds_of(cells, summary, query);
        let traces = self
            .traces(query, cells, &kinds, LastDays::new())
            .map_err(|error| evaluation_failure(&error, &asked.sources, asked.span()))?;
        let explainer = Explainer { session: self, sources: &asked.sources, query, source: asked.source };
        let all = cells.iter().zip(&kinds).zip(&traces);
        Ok(all.map(|((cell, kind), trace)| explainer.explanation(cell, *kind, trace, summary)).collect())
    }

    /// The rows behind the aggregates of an explanation as a table of the file's own columns and the computed ones, the rows of the
    /// first aggregate that has any. None without rows, and none for what somebody else sees: his rows have other numbers.
    pub fn explained_rows(&self, explanation: &Explanation) -> Option<ExplainedTable> {
        if let Some(fetched) = self.fetched.lock().ok().and_then(|fetched| fetched.clone()) {
            return fetched.explained_rows(explanation);
        }
        if explanation.viewer != self.viewer {
            return None;
        }
        if explanation.second_way != SecondWay::RowByRow {
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

    /// The answer to a query whose lines may be added to.
    fn summary_to(
        &self,
        query: &str,
        given: &[(&str, &str)],
        add: impl FnOnce(&mut BoundSummary),
    ) -> Result<Summary, Error> {
        let asked = self.bound(query, given)?;
        let mut query = summary_query(&asked)?;
        add(&mut query);
        let query = BoundQuery::Summary(Box::new(query));
        match self.answer_to(&asked.sources, &query, asked.span())? {
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
        last_days: LastDays,
    ) -> Result<Vec<Trace>, EngineError> {
        let empty = Table::default();
        let tables: Vec<&Table> =
            self.model.schema.table_ids().map(|t| self.star.table(t).unwrap_or(&empty)).collect();
        let days = self.model.calendar.map_or((0, -1), |calendar| self.star.calendar_range(calendar));
        let data = Data::new(&self.model, &tables, days)?.with_last_days(last_days);
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
                        // What members there are besides, a server was not asked.
                        None if self.server.is_some() => {
                            return Err(messages::no_line_at(&name, &wanted, &all));
                        }
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

/// What the line of each cell stands for; where there is none, what it would.
fn kinds_of(cells: &[ToExplain], summary: &Summary, query: &BoundSummary) -> Vec<LevelKind> {
    let kind = |members: &[Member]| {
        line_at(summary, members).map_or_else(|| kind_of(members, query.row_axes), |line| line.kind)
    };
    cells.iter().map(|(_, members)| kind(members)).collect()
}

fn line_at<'s>(summary: &'s Summary, members: &[Member]) -> Option<&'s Line> {
    summary.lines.iter().find(|l| l.rows.iter().chain(&l.columns).eq(members.iter()))
}

/// Where a cell stands: the heading of each axis with its member. Below a level of a hierarchy that is not opened nothing is said.
fn named(members: &[Member], summary: &Summary) -> Vec<(String, String)> {
    let headings = summary.rows.iter().chain(&summary.columns);
    let is_open = |(h, m): &(&vembra_engine::Heading, &Member)| {
        let below = summary.walked && summary.rows.iter().skip(1).any(|row| row.name == h.name);
        !(below && **m == Member::All)
    };
    headings.zip(members).filter(is_open).map(|(h, m)| (h.label.clone(), m.to_string())).collect()
}
