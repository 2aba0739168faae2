//! Figures whose rows stay on a server, explained: the values of steps and the counts of rows are asked for beside the figure itself, and
//! the second working-out is a statement of the plan as it was before any rewrite.

use super::asking::{Asking, Beside};
use super::counting::{Counts, over_rows, scan_of, tests_asked};
use super::{Explainer, Explanation, LastDays, SecondWay, kinds_of, line_at, messages, refused};
use crate::error::Error;
use crate::query_execution::{Asked, evaluation_failure};
use crate::session::Session;
use std::collections::BTreeMap;
use vembra_engine::{Answer, EngineError, Line, Summary};
use vembra_model::{BoundQuery, BoundSummary, lower};
use vembra_plan::{During, Graph, LevelKind, Plan, Scalar};
use vembra_reference::{KeyValues, ToExplain, Trace};

impl Session {
    /// Explains cells of an answer over tables of which too many rows would have to be fetched.
    pub(super) fn explained_there(
        &self,
        query: &BoundSummary,
        cells: &[ToExplain],
        summary: &Summary,
        asked: &Asked,
    ) -> Result<Vec<Explanation>, Error> {
        let wrap = |error: EngineError| evaluation_failure(&error, &asked.sources, asked.span());
        let plain = self.plainly(query, asked)?;
        let kinds = kinds_of(cells, summary, query);
        let mut beside = Beside::new(&self.model);
        // The steps of a figure are the same on all lines of a kind.
        let mut asking: BTreeMap<(usize, LevelKind), Asking> = BTreeMap::new();
        for ((show, _), kind) in cells.iter().zip(&kinds) {
            let formula = || lower::formula_on(&self.model, &query.shows[*show].expr, *kind);
            asking.entry((*show, *kind)).or_insert_with(|| beside.figure(&formula()));
        }
        let mut all = query.clone();
        let first = all.shows.len();
        all.extra += beside.shows.len();
        all.shows.append(&mut beside.shows);
        let all = BoundQuery::Summary(Box::new(all));
        let plan = self.planned(&asked.sources, &all, &mut Vec::new())?;
        // Over no rows the plain evaluator says what the steps are.
        let last_days = self.last_days(plan.graph()).map_err(wrap)?;
        let mut traces = self.traces(query, cells, &kinds, last_days).map_err(wrap)?;
        let Answer::Summary(steps) = self.evaluate(&mut plan.clone(), &self.options).map_err(wrap)? else {
            return Err(refused(&asked.sources, messages::single_rows()));
        };
        let explainer = Explainer { session: self, sources: &asked.sources, query, source: asked.source };
        let mut explained = Vec::new();
        for (at, (show, members)) in cells.iter().enumerate() {
            let (Some(line), Some(again)) = (line_at(&steps, members), line_at(&plain, members)) else {
                return Err(refused(&asked.sources, messages::no_line_there()));
            };
            let known = KnownSteps { first, line };
            let asking = &asking[&(*show, kinds[at])];
            known.fill(&mut traces[at], asking);
            // Many cells at once are not worth a statement for the tests of each.
            if cells.len() == 1 {
                self.count_tests(&plan, first, (asking, &mut traces[at])).map_err(wrap)?;
            }
            traces[at].value = again.cells[*show].value.clone();
            let own = explainer.explanation(&cells[at], kinds[at], &traces[at], summary);
            explained.push(Explanation { second_way: SecondWay::PlainStatement, ..own });
        }
        Ok(explained)
    }

    /// The last days on which rows stand that date ranges of the calendar look at.
    fn last_days(&self, graph: &Graph) -> Result<LastDays, EngineError> {
        let Some(side) = &self.server else { return Ok(LastDays::new()) };
        let during = graph.scans.iter().filter_map(|scan| scan.during.as_ref());
        let known = |way: During| {
            let last = side.last_data(&self.star, &way, &self.options)?;
            Ok((way.path, last))
        };
        during.flat_map(During::ways).map(known).collect()
    }

    /// The answer by the plan as meaning gives it.
    fn plainly(&self, query: &BoundSummary, asked: &Asked) -> Result<Summary, Error> {
        let query = BoundQuery::Summary(Box::new(query.clone()));
        let plan = self.planned(&asked.sources, &query, &mut Vec::new())?;
        let side = self.server.as_ref();
        let nothing = || Err(EngineError::Internal("no server answers".to_owned()));
        match side.map_or_else(nothing, |side| side.answer(&self.star, &plan, &self.options)) {
            Ok(Answer::Summary(summary)) => Ok(summary),
            Ok(Answer::List(_)) => Err(refused(&asked.sources, messages::single_rows())),
            Err(error) => Err(evaluation_failure(&error, &asked.sources, asked.span())),
        }
    }

    /// Asks how many rows each test leaves, of all aggregates over rows by one statement.
    fn count_tests(
        &self,
        plan: &Plan,
        first: usize,
        (asking, trace): (&Asking, &mut Trace),
    ) -> Result<(), EngineError> {
        let (Plan::Query(query), Some(side)) = (plan, &self.server) else { return Ok(()) };
        let mut behind = Vec::new();
        over_rows(asking, trace, &mut behind);
        let mut counts = Counts::new(&query.graph);
        let mut places: Vec<(usize, usize)> = Vec::new();
        for (at, (count, behind)) in behind.iter().enumerate() {
            let node = query.outputs[first + count].node;
            let Some(scan) = scan_of(&query.graph, node) else { continue };
            let so_far = tests_asked(scan, &behind.sieve.iter().map(|s| &s.part).collect::<Vec<_>>());
            places.extend(so_far.iter().map(|(test, _)| (at, *test)));
            counts.add(scan.table, so_far.into_iter().map(|(_, conditions)| conditions).collect());
        }
        if places.is_empty() {
            return Ok(());
        }
        let Answer::Summary(found) = side.answer(&self.star, &counts.plan(), &self.options)? else {
            return Ok(());
        };
        let cells = found.lines.first().map(|line| line.cells.as_slice()).unwrap_or_default();
        for ((at, test), cell) in places.into_iter().zip(cells) {
            behind[at].1.sieve[test].left = counted(&cell.value);
        }
        Ok(())
    }
}

/// What is known of the steps of a cell.
struct KnownSteps<'a> {
    /// The first of the figures that were asked for beside those of the query.
    first: usize,
    line: &'a Line,
}

impl KnownSteps<'_> {
    fn value(&self, at: usize) -> &Scalar {
        &self.line.cells[self.first + at].value
    }

    /// Puts what came back in its places.
    fn fill(&self, trace: &mut Trace, asking: &Asking) {
        trace.value = self.value(asking.value).clone();
        if let (Some(behind), Some(count)) = (&mut trace.behind, asking.count) {
            behind.all = asking.all.and_then(|all| counted(self.value(all))).unwrap_or(0);
            behind.left = counted(self.value(count)).unwrap_or(0);
            let last = behind.sieve.len().saturating_sub(1);
            for (at, sieve) in behind.sieve.iter_mut().enumerate() {
                sieve.left = (at == last).then_some(behind.left);
            }
        }
        if let (Some(_), Some(count)) = (&trace.keys, asking.count) {
            trace.keys = Some(KeyValues {
                keys: asking.keys.iter().map(|key| (key.column, key.role)).collect(),
                count: counted(self.value(count)).unwrap_or(0),
                values: Vec::new(),
                first: Vec::new(),
            });
        }
        for (step, asking) in trace.steps.iter_mut().zip(&asking.steps) {
            self.fill(step, asking);
        }
        let of = trace.value.clone();
        let told = |at: usize, step: &Trace| {
            asking.steps.get(at).is_some_and(|own| !own.if_equal || step.value.alike(&of))
        };
        let mut at = 0..;
        trace.steps.retain(|step| at.next().is_some_and(|at| told(at, step)));
    }
}

fn counted(value: &Scalar) -> Option<usize> {
    value.physical().and_then(|count| usize::try_from(count).ok())
}
