//! What was done for an answer, in words, and the forms that a query goes through.

use crate::error::Error;
use crate::physical_plan::{pass_text, plan_text};
use crate::query_execution::{evaluation_failure, is_refused};
use crate::reply::Reply;
use crate::session::Session;
use std::fmt::Write;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use vembra_draw::grouped;
use vembra_engine::{Options, Pass, Profiler, Step, plan_passes};
use vembra_model::{Bound, BoundQuery, BoundSummary, Model};
use vembra_plan::{NodeKind, Plan, Schema, SortKey};
use vembra_syntax::{Code, SourceId};

/// A form that a query goes through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Stage {
    /// The tree of its text.
    Tree,
    /// What its names mean.
    Model,
    /// The plan, as meaning gives it.
    Plan,
    /// The plan that is evaluated.
    Rewritten,
    /// How rows are read for it: each pass, and why it is made in this way. No row is read.
    Physical,
    /// The statements that a server is asked.
    Sql,
}

/// What a session did: each step with the time that it took itself, without the steps within it.
#[derive(Debug, Default)]
struct Clock {
    /// Per step that goes on: when it began, and how long the steps within it took.
    open: Mutex<Vec<(Instant, Duration)>>,
    steps: Mutex<Vec<(Step, Duration)>>,
}

impl Profiler for Clock {
    fn begins(&self) {
        self.open.lock().unwrap_or_else(PoisonError::into_inner).push((Instant::now(), Duration::ZERO));
    }

    fn ends(&self, step: Step) {
        let mut open = self.open.lock().unwrap_or_else(PoisonError::into_inner);
        let (began, within) = open.pop().unwrap_or_else(|| (Instant::now(), Duration::ZERO));
        let took = began.elapsed();
        if let Some((_, around)) = open.last_mut() {
            *around += took;
        }
        self.steps.lock().unwrap_or_else(PoisonError::into_inner).push((step, took.saturating_sub(within)));
    }
}

/// What was done for an answer.
struct Done {
    /// From text to plan.
    planned: Duration,
    steps: Vec<(Step, Duration)>,
    took: Duration,
}

impl Session {
    /// See [`QueryBuilder::why`](crate::QueryBuilder::why).
    pub(crate) fn ask_why(&self, query: &str, given: &[(&str, &str)]) -> Result<(Reply, String), Error> {
        let clock = Arc::new(Clock::default());
        // What is remembered would hide what was read.
        let options =
            Options { profiler: Some(clock.clone()), result_cache_limit: 0, ..self.options.clone() };
        let began = Instant::now();
        let mut asked = self.bound(query, given)?;
        let plan = self.planned(&asked.sources, &asked.meaning, &mut asked.notes)?;
        let planned = began.elapsed();
        let reply = self.answered(asked, plan, &options)?;
        let took = began.elapsed();
        let steps = clock.steps.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let words = words(&self.model, &reply.plan, &Done { planned, steps, took });
        Ok((reply, words))
    }

    /// See [`QueryBuilder::stage`](crate::QueryBuilder::stage).
    pub(crate) fn stage(&self, query: &str, given: &[(&str, &str)], stage: Stage) -> Result<String, Error> {
        if stage == Stage::Tree {
            return Ok(format!("{:#?}", vembra_syntax::parse_query(SourceId(0), query).root));
        }
        let mut asked = self.bound(query, given)?;
        if stage == Stage::Model && !is_refused(&asked.notes) {
            return Ok(meaning_text(&self.model, &asked.sources, &asked.meaning));
        }
        let mut plan = self.planned(&asked.sources, &asked.meaning, &mut asked.notes)?;
        let wrap = |e| evaluation_failure(&e, &asked.sources, asked.span());
        if matches!(stage, Stage::Rewritten | Stage::Physical | Stage::Sql) {
            self.rewrite(&mut plan).map_err(wrap)?;
        }
        if stage == Stage::Physical {
            if self.statements(&plan).map_err(wrap)?.is_some() {
                let message = "the rows are read by the server, so there is no physical plan here";
                let help = "ask for `Stage::Sql`, the statements that the server is asked";
                return Err(Error::text(
                    asked.sources.clone(),
                    vec![vembra_syntax::Diagnostic::new(Code::V608, message).help(help)],
                ));
            }
            let steps = plan_passes(&self.star, &plan, &self.options);
            let steps = steps.map_err(|error| wrap(self.told(error)))?;
            return Ok(plan_text(&self.model.schema, &plan, &steps));
        }
        if stage == Stage::Sql {
            return self.statements(&plan).map_err(wrap)?.ok_or_else(|| {
                let message = "the tables of this model are in memory, so there are no statements";
                let help = "declare where they live: server shop from env 'SHOP_URL'; fact line from shop table 'sales.lines'";
                Error::text(asked.sources.clone(), vec![vembra_syntax::Diagnostic::new(Code::V608, message).help(help)])
            });
        }
        Ok(format!("{plan}\n"))
    }
}

/// What a query means, clause by clause: all that makes two queries differ stands in it.
fn meaning_text(model: &Model, sources: &vembra_syntax::Sources, query: &BoundQuery) -> String {
    let written = |bound: &Bound| vembra_syntax::one_line(sources.slice(bound.span));
    let mut text = String::new();
    let (filters, via, params) = match query {
        BoundQuery::Summary(query) => {
            summary_meaning(model, query, &written, &mut text);
            (&query.filters, &query.via, &query.params)
        }
        BoundQuery::List(list) => {
            let _ = writeln!(text, "list of {}", model.schema.table(list.table).name);
            for column in &list.columns {
                let (name, ty, from) = (&column.name, column.expr.ty, written(&column.expr));
                let _ = writeln!(text, "  {name}: {ty}, from {from}");
            }
            for (by, descending) in &list.sort {
                let _ = writeln!(text, "sort {}{}", written(by), falling(*descending));
            }
            list.limit.iter().for_each(|n| text.push_str(&format!("limit {n}\n")));
            (&list.filters, &list.via, &list.params)
        }
    };
    filters.iter().for_each(|f| text.push_str(&format!("where {}\n", written(f))));
    via.iter().for_each(|v| text.push_str(&format!("via {}\n", model.role_name(v.role))));
    for (id, value) in params {
        let _ = writeln!(text, "given {} = {}", model.param(*id).name, value.literal());
    }
    text
}

fn falling(descending: bool) -> &'static str {
    if descending { " descending" } else { "" }
}

fn summary_meaning(
    model: &Model,
    query: &BoundSummary,
    written: &dyn Fn(&Bound) -> String,
    text: &mut String,
) {
    for (at, axis) in query.axes.iter().enumerate() {
        let side = if at < query.row_axes { "rows" } else { "columns" };
        let _ = writeln!(text, "{side} {}: {}, from {}", axis.name, axis.expr.ty, written(&axis.expr));
        if let Some(opened) = &axis.opened {
            let _ = writeln!(text, "  where {} is opened", opened.in_words());
        }
    }
    for show in &query.shows {
        let grain = model.grain_in_words(&show.expr);
        let _ = writeln!(text, "show {}: {}, {grain}, from {}", show.name, show.expr.ty, written(&show.expr));
    }
    query.having.iter().for_each(|h| text.push_str(&format!("having {}\n", written(h))));
    if let Some(top) = &query.top {
        let name = |at: &usize| query.axes[*at].name.clone();
        let (count, axis, by) = (top.count, name(&top.axis), written(&top.by));
        let _ = write!(text, "top {count} {axis} by {by}{}", if top.smallest { " ascending" } else { "" });
        let within: Vec<String> = top.within.iter().map(name).collect();
        if !within.is_empty() {
            let _ = write!(text, " within {}", within.join(", "));
        }
        let ties = if top.ties { " with ties" } else { "" };
        let rest = top.rest.as_ref().map(|r| format!(", rest as '{r}'")).unwrap_or_default();
        let _ = writeln!(text, "{ties}{rest}");
    }
    for sort in &query.sort {
        let by = match sort.key {
            SortKey::Axis(at) => query.axes[at].name.clone(),
            SortKey::Output(at) => query.shows[at].name.clone(),
        };
        let _ = writeln!(text, "sort {by}{}", falling(sort.descending));
    }
    if query.keep_empty {
        text.push_str("keep empty\n");
    }
    for (side, span) in [("rows", query.totals_on_rows), ("columns", query.totals_on_columns)] {
        span.iter().for_each(|p| text.push_str(&format!("totals on {side} {p:?}\n").to_lowercase()));
    }
}

fn times(count: usize) -> String {
    match count {
        1 => "once".to_owned(),
        2 => "twice".to_owned(),
        n => format!("{n} times"),
    }
}

fn milliseconds(took: Duration) -> String {
    format!("{:.1} ms", took.as_secs_f64() * 1e3)
}

fn words(model: &Model, plan: &Plan, done: &Done) -> String {
    let schema = &model.schema;
    let passes: Vec<(&Pass, Duration)> = done
        .steps
        .iter()
        .filter_map(|(step, took)| if let Step::Pass(pass) = step { Some((&**pass, *took)) } else { None })
        .collect();
    let mut text = String::new();
    let tables = schema.table_ids().filter(|t| passes.iter().any(|(p, _)| p.plan.scan.table == *t));
    for table in tables {
        let count = passes.iter().filter(|(p, _)| p.plan.scan.table == table).count();
        let _ = writeln!(text, "{} was read {}.", schema.table(table).name, times(count));
    }
    for (at, (pass, took)) in passes.iter().enumerate() {
        pass_words(schema, plan, (at + 1, pass, *took), &mut text);
    }
    let asked = done
        .steps
        .iter()
        .filter_map(|(step, _)| if let Step::Asked(rows) = step { Some(rows) } else { None });
    for rows in asked {
        let counts: Vec<String> = rows.iter().map(|n| grouped(*n)).collect();
        let statements = if rows.len() == 1 { "one statement" } else { "several statements" };
        let _ = writeln!(
            text,
            "The server was asked by {statements}; rows that came back: {}.",
            counts.join(", ")
        );
    }
    let on_server = done.steps.iter().any(|(step, _)| matches!(step, Step::Asked(_)));
    if let Plan::Query(query) = plan {
        let levels = query.levels.len();
        if levels > 1 && !on_server {
            let _ = writeln!(
                text,
                "\nTotals: {levels} levels of lines; those that can be added up were folded from finer groups without reading rows again."
            );
        }
        let _ = writeln!(
            text,
            "\n{} figure{} for {} column{} of the answer.",
            query.graph.nodes.len(),
            if query.graph.nodes.len() == 1 { "" } else { "s" },
            query.outputs.len(),
            if query.outputs.len() == 1 { "" } else { "s" }
        );
    }
    text.push('\n');
    text.push_str(&times_text(schema, plan, done));
    text
}

/// One pass: how many rows were read and groups found, and how it was planned.
fn pass_words(
    schema: &Schema,
    plan: &Plan,
    (number, pass, took): (usize, &Pass, Duration),
    text: &mut String,
) {
    let rows = if pass.read == pass.plan.rows {
        format!("{} rows", grouped(pass.plan.rows))
    } else {
        format!("{} of {} rows", grouped(pass.read), grouped(pass.plan.rows))
    };
    let groups = match (&pass.plan.grouping, pass.groups) {
        (None, 0) => String::new(),
        (_, 1) => ", 1 group".to_owned(),
        (_, groups) => format!(", {} groups", grouped(groups)),
    };
    let table = &schema.table(pass.plan.scan.table).name;
    let _ = writeln!(text, "\n{number}. {table}: {rows}{groups}, {}", milliseconds(took));
    text.push_str(&pass_text(schema, plan, &pass.plan));
}

/// What a step is called where times are added up.
fn kind(schema: &Schema, plan: &Plan, step: &Step) -> String {
    match step {
        Step::Pass(_) => "reading rows".to_owned(),
        Step::Members(table) => format!("finding members in {}", schema.table(*table).name),
        Step::Fold(..) => "folding groups to coarser ones".to_owned(),
        Step::Frame(_) => "finding lines".to_owned(),
        Step::Lines(_) => "ordering and naming lines".to_owned(),
        Step::Marks(_) => "marks and notes".to_owned(),
        Step::Rows(_) => "choosing and reading rows of the list".to_owned(),
        Step::Asked(_) => "waiting for the server".to_owned(),
        Step::Figure(node, _) => match &plan.graph().node(*node).kind {
            NodeKind::Literal(_)
            | NodeKind::Call(..)
            | NodeKind::StandsOn
            | NodeKind::Member(_)
            | NodeKind::OnlyAt(..) => "formulas of figures",
            NodeKind::Aggregate(..) => "putting groups at their cells",
            NodeKind::Fold(_) => "aggregates over values at a detail",
            NodeKind::Edge { .. } => "first and last days of cells",
            NodeKind::Derive { .. } | NodeKind::At { .. } => "looking up what cells determine",
            NodeKind::Window(_) => "ranks, shares and running figures",
            NodeKind::Kept(_) => "choosing lines",
        }
        .to_owned(),
    }
}

/// How much a step works on: cells, groups or lines.
fn amount(step: &Step) -> usize {
    match step {
        Step::Pass(pass) => pass.read,
        Step::Fold(from, _) => *from,
        Step::Figure(_, cells) => *cells,
        Step::Frame(lines) | Step::Lines(lines) | Step::Rows(lines) | Step::Marks(lines) => *lines,
        Step::Asked(rows) => rows.iter().sum(),
        Step::Members(_) => 0,
    }
}

/// The time of each kind of step, and of all.
fn times_text(schema: &Schema, plan: &Plan, done: &Done) -> String {
    let mut kinds: Vec<(String, usize, usize, Duration)> =
        vec![("from text to plan".to_owned(), 1, 0, done.planned)];
    for (step, took) in &done.steps {
        let (name, amount) = (kind(schema, plan, step), amount(step));
        match kinds.iter_mut().find(|k| k.0 == name) {
            Some(known) => {
                known.1 += 1;
                known.2 += amount;
                known.3 += *took;
            }
            None => kinds.push((name, 1, amount, *took)),
        }
    }
    let told: Duration = kinds.iter().map(|k| k.3).sum();
    kinds.push(("everything else".to_owned(), 1, 0, done.took.saturating_sub(told)));
    kinds.push(("in all".to_owned(), 1, 0, done.took));
    let widest = kinds.iter().map(|k| k.0.chars().count()).max().unwrap_or(0);
    let mut text = "Times:\n".to_owned();
    for (name, count, amount, took) in kinds {
        let share = took.as_secs_f64() / done.took.as_secs_f64().max(1e-9);
        let times = if count > 1 { format!("  {count} steps") } else { String::new() };
        let amount = if amount > 0 { format!("  over {}", grouped(amount)) } else { String::new() };
        let took = milliseconds(took);
        let _ = writeln!(text, "  {name:<widest$}  {took:>11}  {:>5.1}%{times}{amount}", share * 100.0);
    }
    text
}
