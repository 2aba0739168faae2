//! What was done for an answer, in words, and the forms that a question goes through.

use crate::asked::{evaluation_failure, is_refused};
use crate::failure::Failure;
use crate::reply::Reply;
use crate::session::Session;
use std::collections::BTreeSet;
use std::fmt::Write;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use vembra_draw::grouped;
use vembra_engine::{Options, Pass, Watch};
use vembra_model::lower::Plan;
use vembra_model::{Bound, BoundQuery, Model, Question};
use vembra_plan::{Expr, KeyFrom, RowExpr, RowLeaf, Schema};
use vembra_syntax::SourceId;

/// A form that a question goes through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stage {
    /// The tree of its text.
    Tree,
    /// What its names mean.
    Model,
    /// The plan, as meaning gives it.
    Plan,
    /// The plan that is evaluated.
    Rewritten,
}

/// What a session did, with the time of each pass.
#[derive(Debug, Default)]
struct Clock {
    began: Mutex<Vec<Instant>>,
    passes: Mutex<Vec<(Pass, Duration)>>,
}

impl Watch for Clock {
    fn begins(&self) {
        self.began.lock().unwrap_or_else(PoisonError::into_inner).push(Instant::now());
    }

    fn ends(&self, pass: Pass) {
        let began = self.began.lock().unwrap_or_else(PoisonError::into_inner).pop();
        let took = began.map_or(Duration::ZERO, |b| b.elapsed());
        self.passes.lock().unwrap_or_else(PoisonError::into_inner).push((pass, took));
    }
}

impl Session {
    /// Answers a question, and tells in words what was done for it: what was read how often, what was shared, and how long each
    /// pass took.
    ///
    /// # Errors
    /// As [`Session::ask_given`].
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vmb", "fact sale from 'sale'\n")
    ///     .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\n")
    ///     .open()?;
    /// let (_, why) = session.ask_why("rows sale.shop show sum(amount) as total, count(rows of sale) as n", &[])?;
    /// assert!(why.contains("sale was read once"), "{why}");
    /// # Ok::<(), Box<vembra::Failure>>(())
    /// ```
    pub fn ask_why(&self, question: &str, given: &[(&str, &str)]) -> Result<(Reply, String), Box<Failure>> {
        let clock = Arc::new(Clock::default());
        let options = Options { watch: Some(clock.clone()), ..self.options.clone() };
        let began = Instant::now();
        let reply = self.ask_with(question, given, &options)?;
        let took = began.elapsed();
        let passes = clock.passes.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let words = words(&self.model, &reply.plan, &passes, took);
        Ok((reply, words))
    }

    /// A question in one of the forms that it goes through, as text.
    ///
    /// # Errors
    /// When its text is wrong.
    pub fn stage(
        &self,
        question: &str,
        given: &[(&str, &str)],
        stage: Stage,
    ) -> Result<String, Box<Failure>> {
        if stage == Stage::Tree {
            return Ok(format!("{:#?}", vembra_syntax::parse_query(SourceId(0), question).root));
        }
        let mut asked = self.bound(question, given)?;
        if stage == Stage::Model && !is_refused(&asked.notes) {
            return Ok(meaning_text(&self.model, &asked.sources, &asked.meaning));
        }
        let mut plan = self.planned(&asked.sources, &asked.meaning, &mut asked.notes)?;
        if stage == Stage::Rewritten {
            self.rewrite(&mut plan).map_err(|e| evaluation_failure(&e, &asked.sources, asked.place()))?;
        }
        Ok(match plan {
            Plan::Query(query) => format!("{query}\n"),
            Plan::List(list) => format!("{list}\n"),
        })
    }
}

/// What the names of a question mean.
fn meaning_text(model: &Model, sources: &vembra_syntax::Sources, question: &Question) -> String {
    let written = |bound: &Bound| vembra_syntax::one_line(sources.slice(bound.place));
    let mut text = String::new();
    match question {
        Question::Summary(query) => summary_meaning(model, query, &written, &mut text),
        Question::List(list) => {
            let _ = writeln!(text, "list of {}", model.schema.table(list.table).name);
            for column in &list.columns {
                let _ = writeln!(text, "  {}: {}", column.name, column.expr.ty);
            }
            list.filters.iter().for_each(|f| text.push_str(&format!("  where {}\n", written(f))));
        }
    }
    text
}

fn summary_meaning(model: &Model, query: &BoundQuery, written: &dyn Fn(&Bound) -> String, text: &mut String) {
    for (at, axis) in query.axes.iter().enumerate() {
        let side = if at < query.row_axes { "rows" } else { "columns" };
        let _ = writeln!(text, "{side} {}: {}", axis.name, axis.expr.ty);
    }
    for show in &query.shows {
        let grain = model.grain_in_words(&show.expr);
        let _ = writeln!(text, "show {}: {}, {grain}, from {}", show.name, show.expr.ty, written(&show.expr));
    }
    query.filters.iter().for_each(|f| text.push_str(&format!("where {}\n", written(f))));
    query.via.iter().for_each(|v| text.push_str(&format!("via {}\n", model.role_name(v.role))));
    query.having.iter().for_each(|h| text.push_str(&format!("having {}\n", written(h))));
    for (id, value) in &query.params {
        let _ = writeln!(text, "given {} = {}", model.param(*id).name, value.literal());
    }
}

/// The names in a row expression.
fn names(schema: &Schema, expr: &RowExpr) -> Vec<String> {
    let mut names = Vec::new();
    expr.leaves(&mut |leaf| match leaf {
        RowLeaf::Column(column) => names.push(schema.column(column.column).name.clone()),
        RowLeaf::Lookup(lookup) => {
            let keys = lookup.keys.iter().filter(|k| matches!(k.from, KeyFrom::Row(_))).count();
            let each = if keys == 0 { "for the cell" } else { "at its own keys" };
            names.push(format!("a figure looked up {each}"));
        }
    });
    let mut seen = BTreeSet::new();
    names.retain(|n| seen.insert(n.clone()));
    names
}

fn written(schema: &Schema, expr: &RowExpr) -> String {
    match expr {
        Expr::Leaf(RowLeaf::Column(column)) => schema.column(column.column).name.clone(),
        other => format!("a formula of {}", names(schema, other).join(", ")),
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

fn words(model: &Model, plan: &Plan, passes: &[(Pass, Duration)], took: Duration) -> String {
    let schema = &model.schema;
    let mut text = String::new();
    let tables: Vec<_> =
        schema.table_ids().filter(|t| passes.iter().any(|(p, _)| p.scan.table == *t)).collect();
    for table in tables {
        let count = passes.iter().filter(|(p, _)| p.scan.table == table).count();
        let _ = writeln!(text, "{} was read {}.", schema.table(table).name, times(count));
    }
    let key_name = |id: &vembra_plan::KeyId| match plan {
        Plan::Query(query) => query.graph.keys[id.0 as usize].name.clone(),
        Plan::List(list) => list.graph.keys[id.0 as usize].name.clone(),
    };
    for (at, (pass, took)) in passes.iter().enumerate() {
        let keys: Vec<String> = pass.keys.iter().map(key_name).collect();
        let apart =
            if keys.is_empty() { "all together".to_owned() } else { format!("by {}", keys.join(", ")) };
        let _ = writeln!(
            text,
            "\n{}. {}: {} rows, {apart}, {} group{}, {}",
            at + 1,
            schema.table(pass.scan.table).name,
            grouped(pass.rows),
            grouped(pass.groups),
            if pass.groups == 1 { "" } else { "s" },
            milliseconds(*took)
        );
        for condition in &pass.scan.filter {
            let _ =
                writeln!(text, "   only rows under a condition on {}", names(schema, condition).join(", "));
        }
        if pass.scan.window.is_some() {
            text.push_str("   rows by days of another stretch of the calendar\n");
        }
        for aggregate in &pass.scan.aggregates {
            let value = aggregate.value.as_ref().map_or_else(|| "rows".to_owned(), |v| written(schema, v));
            let own = match aggregate.condition.len() {
                0 => "",
                _ => ", under a condition of its own",
            };
            let called = match aggregate.function.name() {
                "count_distinct" => format!("count(distinct {value})"),
                name => format!("{name}({value})"),
            };
            let _ = writeln!(text, "   {called}{own}");
        }
        if pass.scan.aggregates.len() > 1 {
            let _ = writeln!(text, "   {} aggregates shared this pass", pass.scan.aggregates.len());
        }
    }
    if let Plan::Query(query) = plan {
        let levels = query.levels.len();
        if levels > 1 {
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
    let _ = writeln!(text, "In all {}.", milliseconds(took));
    text
}
