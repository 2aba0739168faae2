//! Evaluation of a whole plan.

use crate::answer::{Answer, ListAnswer, Summary};
use crate::error::EngineError;
use crate::frame::{self, PackedKey, Packing};
use crate::lines::Layout;
use crate::members::{Key, Members, key};
use crate::scan::{self, Groupings};
use crate::star::Star;
use crate::vector::Rows;
use std::collections::BTreeSet;
use std::sync::Arc;
use vembra_plan::{List, Query};

/// At most so many lines are made for members without rows.
const MOST_EMPTY_LINES: u128 = 5_000_000;

/// How a plan is evaluated. Results do not depend on it, but for the last digits of floats.
#[derive(Clone, Debug)]
pub struct Options {
    /// How many rows are worked on at a time.
    pub block: usize,
    /// Into how many parts the rows are cut; by their count if not given.
    pub parts: Option<usize>,
}

impl Default for Options {
    fn default() -> Self {
        Self { block: 2048, parts: None }
    }
}

/// Answers a summary.
///
/// # Errors
/// Overflow, values that cannot be worked out, and answers too large to hold.
pub fn run_query(star: &Star, query: &Query, options: &Options) -> Result<Summary, EngineError> {
    let keys: Result<Vec<Vec<Key>>, EngineError> = query.scans.iter().map(|s| scan::keys(star, s)).collect();
    let keys = keys?;
    let homes = if query.keep_empty { home_keys(star, query)? } else { Vec::new() };
    let members: Vec<Arc<Members>> = (0..query.axes.len())
        .map(|axis| all_members(keys.iter().map(|k| &k[axis]).chain(homes.get(axis))))
        .collect();
    let packing = Packing { sizes: members.iter().map(|m| m.codes() as u128).collect() };
    packing
        .sizes
        .iter()
        .try_fold(1_u128, |product, size| product.checked_mul(*size))
        .ok_or(EngineError::TooManyLines(u128::MAX))?;
    let mut found: Vec<Groupings> = Vec::new();
    for (scan, keys) in query.scans.iter().zip(&keys) {
        let mut groupings = scan::run(star, scan, keys, options)?;
        for ((codes, key), members) in groupings.codes.iter_mut().zip(keys).zip(&members) {
            recode(codes, key, members);
        }
        found.push(groupings);
    }
    let empty = empty_keys(star, query, &homes, &members, &packing)?;
    let mut frames = Vec::new();
    for level in &query.levels {
        let axes = query.level_axes(level);
        let projected: BTreeSet<PackedKey> =
            empty.iter().map(|codes| packing.pack(&axes, |axis| codes[axis])).collect();
        let projected: Vec<PackedKey> = projected.into_iter().collect();
        frames.push(frame::build(query, axes, &packing, &found, &projected)?);
    }
    let members: Vec<Members> = members.iter().map(|m| (**m).clone()).collect();
    Layout { query, members: &members, packing: &packing, frames: &frames }.summary()
}

/// The members of an axis over all that is read.
fn all_members<'a>(keys: impl Iterator<Item = &'a Key>) -> Arc<Members> {
    keys.map(|k| k.members.clone())
        .reduce(|a, b| if Arc::ptr_eq(&a, &b) || a == b { a } else { Arc::new(a.union(&b)) })
        .unwrap_or_else(|| Arc::new(Members { values: Vec::new() }))
}

/// Turns codes among the members of a key into codes among all members.
fn recode(codes: &mut [u32], key: &Key, all: &Arc<Members>) {
    if Arc::ptr_eq(&key.members, all) {
        return;
    }
    let mut map: Vec<u32> =
        key.members.values.iter().map(|v| all.find(v).unwrap_or_else(|| all.none())).collect();
    map.extend([all.none(), all.unknown()]);
    codes.iter_mut().for_each(|code| *code = map[*code as usize]);
}

fn home_keys(star: &Star, query: &Query) -> Result<Vec<Key>, EngineError> {
    query.axes.iter().map(|axis| key(star, axis.home, &axis.member)).collect()
}

/// The codes of all members, for `keep empty`: those of one table as they stand together, others combined.
fn empty_keys(
    star: &Star,
    query: &Query,
    homes: &[Key],
    members: &[Arc<Members>],
    packing: &Packing,
) -> Result<Vec<Vec<u32>>, EngineError> {
    if !query.keep_empty || query.axes.is_empty() {
        return Ok(Vec::new());
    }
    let mut combined: Vec<Vec<u32>> = vec![vec![0; query.axes.len()]];
    let groups: BTreeSet<usize> = query.axes.iter().map(|a| a.together).collect();
    for group in groups {
        let axes: Vec<usize> = (0..query.axes.len()).filter(|a| query.axes[*a].together == group).collect();
        let tuples = member_tuples(star, query, homes, members, packing, &axes)?;
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
    star: &Star,
    query: &Query,
    homes: &[Key],
    members: &[Arc<Members>],
    packing: &Packing,
    axes: &[usize],
) -> Result<Vec<Vec<u32>>, EngineError> {
    let first = &query.axes[axes[0]];
    let filter: Result<Vec<_>, EngineError> =
        first.member_filter.iter().map(|c| crate::prepare::prepare(star, first.home, c)).collect();
    let rows = star.rows(first.home);
    let listed = scan::choose(&filter?, Rows::Range(0, rows))?;
    let rows = listed.as_ref().map_or(Rows::Range(0, rows), |list| Rows::List(list));
    let mut columns = Vec::new();
    for axis in axes {
        let mut codes = Vec::new();
        homes[*axis].read(rows, &mut codes);
        recode(&mut codes, &homes[*axis], &members[*axis]);
        columns.push(codes);
    }
    let place = |axis: usize| axes.iter().position(|a| *a == axis).unwrap_or(0);
    let distinct: BTreeSet<PackedKey> =
        (0..rows.len()).map(|at| packing.pack(axes, |axis| columns[place(axis)][at])).collect();
    Ok(distinct.into_iter().map(|key| packing.unpack(axes, key)).collect())
}

/// Answers a list.
///
/// # Errors
/// Overflow, and values that cannot be worked out.
pub fn run_list(star: &Star, list: &List, options: &Options) -> Result<ListAnswer, EngineError> {
    crate::list::run(star, list, options)
}

impl From<Summary> for Answer {
    fn from(summary: Summary) -> Self {
        Self::Summary(summary)
    }
}

impl From<ListAnswer> for Answer {
    fn from(list: ListAnswer) -> Self {
        Self::List(list)
    }
}
