//! Evaluation of a whole plan.

use crate::answer::lines::Finished;
use crate::answer::{Answer, Summary};
use crate::error::EngineError;
use crate::execution::options::Options;
use crate::execution::profile::{Profiler, Step, profiled};
use crate::expression::guards::guarding;
use crate::expression::prepare::{Preparer, Scope};
use crate::operators::evaluator::Evaluator;
use crate::operators::frame::{self, Frame};
use crate::operators::key_encoding::{KeyEncoding, PackedKey};
use crate::operators::list;
use crate::operators::members::{Key, Members};
use crate::operators::scan::choose;
use crate::storage::narrow::narrow;
use crate::storage::row_id::Rows;
use crate::storage::star::Star;
use foldhash::fast::FixedState;
use hashbrown::HashSet;
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};
use vembra_plan::{KeyId, LevelKind, Plan, Query, Reaching};

/// How many lines at most are made for members without rows.
const MOST_EMPTY_LINES: u128 = 5_000_000;
/// Among more combinations of members those that have values without rows are not counted.
const MOST_LOOKED_AT: u128 = 200_000;

/// Evaluates a plan.
///
/// # Errors
/// Overflow, values that cannot be worked out, and answers too large to hold.
pub fn run(star: &Star, plan: &Plan, options: &Options) -> Result<Answer, EngineError> {
    guarding(options, |options| answer(star, plan, options))
}

/// The passes over rows, and the folds of their groups, by which a plan would be evaluated, in their order. No row is read: what
/// a choice needs to know of rows that pass is estimated from samples, and a condition that looks up figures is taken to leave all. Passes
/// for the note on values without a line are left out: whether they are made depends on the lines.
///
/// Members of keys, computed columns and statistics of the star are found as for an answer, and stay there.
///
/// # Errors
/// A key or a computed column that cannot be worked out.
pub fn plan_passes(star: &Star, plan: &Plan, options: &Options) -> Result<Vec<Step>, EngineError> {
    let steps = Arc::new(Steps::default());
    // What an earlier query found would hide how it is found.
    let options = Options { profiler: Some(steps.clone()), result_cache_limit: 0, ..options.clone() };
    guarding(&options, |options| {
        steps.0.lock().unwrap_or_else(PoisonError::into_inner).clear();
        match plan {
            Plan::Query(query) => frames(&evaluator_of(star, query, options).planning(), query).map(drop),
            Plan::List(list) => list::run(star, list, options, true).map(drop),
        }
    })?;
    let steps = std::mem::take(&mut *steps.0.lock().unwrap_or_else(PoisonError::into_inner));
    Ok(steps)
}

/// The passes and folds that were planned.
#[derive(Debug, Default)]
struct Steps(Mutex<Vec<Step>>);

impl Profiler for Steps {
    fn begins(&self) {}

    fn ends(&self, step: Step) {
        if matches!(step, Step::Pass(_) | Step::Fold(..)) {
            self.0.lock().unwrap_or_else(PoisonError::into_inner).push(step);
        }
    }
}

fn answer(star: &Star, plan: &Plan, options: &Options) -> Result<Answer, EngineError> {
    match plan {
        Plan::Query(query) => summary(star, query, options).map(Answer::Summary),
        Plan::List(plan) => {
            let rows = || list::run(star, plan, options, false);
            let rows = profiled(options.profiler.as_deref(), rows, |answer| Step::Rows(answer.rows.len()));
            rows.map(Answer::List)
        }
    }
}

fn summary(star: &Star, query: &Query, options: &Options) -> Result<Summary, EngineError> {
    let rows = query.graph.scans.iter().map(|scan| star.rows(scan.table) as u64);
    options.stop.will_read(rows.sum());
    let evaluator = evaluator_of(star, query, options);
    let (encoding, frames) = frames(&evaluator, query)?;
    let members: Vec<Arc<Members>> = (0..narrow(query.axes.len()))
        .map(|axis| evaluator.members(KeyId(axis)).cloned())
        .collect::<Result<_, _>>()?;
    let finished = Finished { query, members: &members, memory: options.memory, frames: &frames };
    let written = || finished.summary();
    let mut summary = profiled(options.profiler.as_deref(), written, |found| Step::Lines(found.lines.len()))?;
    summary.without_line = without_line(&evaluator, query, &encoding, &frames)?;
    Ok(summary)
}

fn evaluator_of<'a>(star: &'a Star, query: &'a Query, options: &'a Options) -> Evaluator<'a> {
    let mut evaluator = Evaluator::new(star, &query.graph, options, &[]);
    if query.keep_empty || !reaching(query).is_empty() {
        for (at, axis) in query.axes.iter().enumerate() {
            evaluator.add_place(KeyId(narrow(at)), axis.home, &axis.member);
        }
    }
    evaluator
}

/// The figures that may have a value where no line is.
fn reaching(query: &Query) -> Vec<Reaching> {
    query.outside_lines().map(|(_, figures)| figures).unwrap_or_default()
}

/// The lines of each level with their figures, and how the codes of all axes are combined.
fn frames(evaluator: &Evaluator<'_>, query: &Query) -> Result<(KeyEncoding, Vec<Frame>), EngineError> {
    let mut sizes = Vec::with_capacity(query.axes.len());
    for axis in 0..narrow(query.axes.len()) {
        sizes.push(evaluator.members(KeyId(axis))?.codes());
    }
    let encoding = KeyEncoding::new(sizes)?;
    let empty = if query.keep_empty {
        empty_keys(evaluator, query, &encoding, MOST_EMPTY_LINES)?
    } else {
        Vec::new()
    };
    let mut frames = Vec::new();
    for level in &query.levels {
        evaluator.options.check()?;
        let axes = query.level_axes(level);
        let own = encoding.of(&axes);
        let projected: BTreeSet<PackedKey> =
            empty.iter().map(|codes| own.pack(|at| codes[axes[at]])).collect();
        let projected: Vec<PackedKey> = projected.into_iter().collect();
        let build = || frame::build(evaluator, query, level, own.clone(), &projected);
        let watch = evaluator.options.profiler.as_deref();
        frames.push(profiled(watch, build, |frame| Step::Frame(frame.keys.len()))?);
    }
    Ok((encoding, frames))
}

/// How many combinations of members are no lines and have a value all the same. Very many are not looked at.
fn without_line(
    evaluator: &Evaluator<'_>,
    query: &Query,
    encoding: &KeyEncoding,
    frames: &[Frame],
) -> Result<usize, EngineError> {
    let reaching = reaching(query);
    let details = query.levels.iter().position(|level| query.level_kind(level) == LevelKind::Detail);
    let Some(frame) = details.and_then(|at| frames.get(at)).filter(|_| !reaching.is_empty()) else {
        return Ok(0);
    };
    // A note is no reason to fail: these lines are not shown.
    let Ok(all) = empty_keys(evaluator, query, encoding, MOST_LOOKED_AT) else { return Ok(0) };
    let keys = all.iter().map(|codes| frame.encoding.pack(|at| codes[frame.axes[at]]));
    let keys: BTreeSet<PackedKey> = keys.filter(|key| !frame.lines.contains_key(key)).collect();
    let keys = keys.into_iter().collect();
    match frame::with_values(evaluator, &frame.axes, &frame.encoding, keys, &reaching) {
        Ok(found) => Ok(found.len()),
        Err(EngineError::Stopped) => Err(EngineError::Stopped),
        Err(_) => Ok(0),
    }
}

/// The codes of all members, as `keep empty` shows them, up to `most` of them: those of one table as they stand together, others combined.
fn empty_keys(
    evaluator: &Evaluator<'_>,
    query: &Query,
    encoding: &KeyEncoding,
    most: u128,
) -> Result<Vec<Vec<u32>>, EngineError> {
    if query.axes.is_empty() {
        return Ok(Vec::new());
    }
    let mut combined: Vec<Vec<u32>> = vec![vec![0; query.axes.len()]];
    let groups: BTreeSet<usize> = query.axes.iter().map(|a| a.together).collect();
    for group in groups {
        let axes: Vec<usize> = (0..query.axes.len()).filter(|a| query.axes[*a].together == group).collect();
        let tuples = member_tuples(evaluator, query, encoding, &axes)?;
        let lines = combined.len() as u128 * tuples.len() as u128;
        if lines > most {
            return Err(EngineError::TooManyLines(lines));
        }
        let mut next = Vec::with_capacity(lines as usize);
        for line in &combined {
            for tuple in &tuples {
                let mut line = line.clone();
                axes.iter().zip(tuple).for_each(|(axis, code)| line[*axis] = *code);
                next.push(line);
            }
        }
        combined = next;
    }
    Ok(combined)
}

/// The different codes that stand together on axes of one table, in rows that pass the conditions on it.
fn member_tuples(
    evaluator: &Evaluator<'_>,
    query: &Query,
    encoding: &KeyEncoding,
    axes: &[usize],
) -> Result<Vec<Vec<u32>>, EngineError> {
    let first = &query.axes[axes[0]];
    let scope = Scope::default();
    let preparer = Preparer { evaluator, table: first.home, scope: &scope, within_growing: false };
    let rows = evaluator.star.rows(first.home);
    let listed = choose(&preparer.conditions(&first.member_filter)?, Rows::Range(0, rows))?;
    let rows = listed.as_ref().map_or(Rows::Range(0, rows), |list| Rows::List(list));
    let mut columns = Vec::new();
    for axis in axes {
        let home: Key = evaluator.key(KeyId(narrow(*axis)), first.home, &query.axes[*axis].member)?;
        let mut codes = Vec::new();
        home.read(rows, &mut codes);
        columns.push(codes);
    }
    let encoding = encoding.of(axes);
    let keys = (0..rows.len()).map(|row| encoding.pack(|at| columns[at][row]));
    let distinct: HashSet<PackedKey, FixedState> = keys.collect();
    let mut distinct: Vec<PackedKey> = distinct.into_iter().collect();
    distinct.sort_unstable();
    Ok(distinct.into_iter().map(|key| encoding.codes(key)).collect())
}
