//! Evaluation of a whole plan.

use crate::answer::{Answer, Summary};
use crate::codec::{KeyCodec, PackedKey};
use crate::error::EngineError;
use crate::evaluator::Evaluator;
use crate::frame;
use crate::guarded::guarding;
use crate::lines::Finished;
use crate::list;
use crate::members::{Key, Members};
use crate::options::Options;
use crate::prepare::{Preparer, Scope};
use crate::scan::choose;
use crate::star::Star;
use crate::vector::Rows;
use crate::watch::{Step, watched};
use foldhash::fast::FixedState;
use hashbrown::HashSet;
use std::collections::BTreeSet;
use std::sync::Arc;
use vembra_plan::{KeyId, Plan, Query};

/// At most so many lines are made for members without rows.
const MOST_EMPTY_LINES: u128 = 5_000_000;

/// Evaluates a plan.
///
/// # Errors
/// Overflow, values that cannot be worked out, and answers too large to hold.
pub fn run(star: &Star, plan: &Plan, options: &Options) -> Result<Answer, EngineError> {
    guarding(options, |options| answer(star, plan, options))
}

fn answer(star: &Star, plan: &Plan, options: &Options) -> Result<Answer, EngineError> {
    match plan {
        Plan::Query(query) => summary(star, query, options).map(Answer::Summary),
        Plan::List(plan) => {
            let rows = || list::run(star, plan, options);
            let rows = watched(options.watch.as_deref(), rows, |answer| Step::Rows(answer.rows.len()));
            rows.map(Answer::List)
        }
    }
}

fn summary(star: &Star, query: &Query, options: &Options) -> Result<Summary, EngineError> {
    let rows = query.graph.scans.iter().map(|scan| star.rows(scan.table) as u64);
    options.stop.will_read(rows.sum());
    let mut evaluator = Evaluator::new(star, &query.graph, options, &[]);
    if query.keep_empty {
        for (at, axis) in query.axes.iter().enumerate() {
            evaluator.add_place(KeyId(at as u32), axis.home, &axis.member);
        }
    }
    let mut sizes = Vec::with_capacity(query.axes.len());
    for axis in 0..query.axes.len() as u32 {
        sizes.push(evaluator.members(KeyId(axis))?.codes());
    }
    let codec = KeyCodec::new(sizes)?;
    let empty = empty_keys(&evaluator, query, &codec)?;
    let mut frames = Vec::new();
    for level in &query.levels {
        options.check()?;
        let axes = query.level_axes(level);
        let own = codec.of(&axes);
        let projected: BTreeSet<PackedKey> =
            empty.iter().map(|codes| own.pack(|at| codes[axes[at]])).collect();
        let projected: Vec<PackedKey> = projected.into_iter().collect();
        let build = || frame::build(&evaluator, query, level, own.clone(), &projected);
        frames.push(watched(options.watch.as_deref(), build, |frame| Step::Frame(frame.keys.len()))?);
    }
    let members: Vec<Arc<Members>> = (0..query.axes.len() as u32)
        .map(|axis| evaluator.members(KeyId(axis)).cloned())
        .collect::<Result<_, _>>()?;
    let finished = Finished { query, members: &members, memory: options.memory, frames: &frames };
    watched(options.watch.as_deref(), || finished.summary(), |found| Step::Lines(found.lines.len()))
}

/// The codes of all members, for `keep empty`: those of one table as they stand together, others combined.
fn empty_keys(
    evaluator: &Evaluator<'_>,
    query: &Query,
    codec: &KeyCodec,
) -> Result<Vec<Vec<u32>>, EngineError> {
    if !query.keep_empty || query.axes.is_empty() {
        return Ok(Vec::new());
    }
    let mut combined: Vec<Vec<u32>> = vec![vec![0; query.axes.len()]];
    let groups: BTreeSet<usize> = query.axes.iter().map(|a| a.together).collect();
    for group in groups {
        let axes: Vec<usize> = (0..query.axes.len()).filter(|a| query.axes[*a].together == group).collect();
        let tuples = member_tuples(evaluator, query, codec, &axes)?;
        let lines = combined.len() as u128 * tuples.len() as u128;
        if lines > MOST_EMPTY_LINES {
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
    codec: &KeyCodec,
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
        let home: Key = evaluator.key(KeyId(*axis as u32), first.home, &query.axes[*axis].member)?;
        let mut codes = Vec::new();
        home.read(rows, &mut codes);
        columns.push(codes);
    }
    let codec = codec.of(axes);
    let keys = (0..rows.len()).map(|row| codec.pack(|at| columns[at][row]));
    let distinct: HashSet<PackedKey, FixedState> = keys.collect();
    let mut distinct: Vec<PackedKey> = distinct.into_iter().collect();
    distinct.sort_unstable();
    Ok(distinct.into_iter().map(|key| codec.codes(key)).collect())
}
