//! Answers whose lines were worked out elsewhere: their order, their names and whether totals add up is settled here.

use crate::answer::lines::Finished;
use crate::answer::{Heading, ListAnswer, Summary};
use crate::error::EngineError;
use crate::execution::options::Options;
use crate::expression::vector::Vector;
use crate::operators::frame::{Frame, blank_of};
use crate::operators::key_encoding::KeyEncoding;
use crate::operators::members::Members;
use crate::storage::narrow::narrow;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::sync::Arc;
use vembra_plan::{LevelKind, List, Query, Scalar, Type};

/// The member of a line on an axis.
#[derive(Clone, Debug, PartialEq)]
pub enum LineMember {
    /// This value.
    Value(Scalar),
    /// Rows without a value.
    None,
    /// Rows whose key the linked table does not have.
    Unknown,
    /// The members that were not chosen.
    Rest,
}

/// A line of a level.
#[derive(Clone, Debug, PartialEq)]
pub struct LevelLine {
    /// Its member on each axis of the level.
    pub members: Vec<LineMember>,
    /// Its figures, one an output, and for details behind them the terms of figures that are sums.
    pub figures: Vec<Scalar>,
}

/// The answer to a query whose lines were worked out elsewhere, level by level.
///
/// # Errors
/// When it takes more memory than is allowed.
pub fn summary_of(
    query: &Query,
    levels: &[Vec<LevelLine>],
    options: &Options,
) -> Result<Summary, EngineError> {
    let members: Vec<Arc<Members>> =
        (0..query.axes.len()).map(|axis| Arc::new(members_of(query, levels, axis))).collect();
    let encoding = KeyEncoding::new(members.iter().map(|m| m.codes()))?;
    let frames: Vec<Frame> = levels
        .iter()
        .enumerate()
        .map(|(level, lines)| frame_of(query, level, lines, &members, &encoding))
        .collect();
    Finished { query, members: &members, memory: options.memory, frames: &frames }.summary()
}

/// A list whose rows were found elsewhere; `found` says how many there are without the limit.
pub fn list_of(list: &List, rows: Vec<Vec<Scalar>>, found: usize) -> ListAnswer {
    let heading = |c: &vembra_plan::ListColumn| Heading {
        name: c.name.clone(),
        label: c.label.clone(),
        ty: c.expr.ty(),
        format: c.format.clone(),
    };
    ListAnswer { columns: list.columns.iter().map(heading).collect(), rows, found }
}

/// The members that stand on lines.
fn members_of(query: &Query, levels: &[Vec<LevelLine>], axis: usize) -> Members {
    let mut values: Vec<Scalar> = Vec::new();
    for (level, lines) in query.levels.iter().zip(levels) {
        let Some(at) = query.level_axes(level).iter().position(|own| *own == axis) else { continue };
        values.extend(lines.iter().filter_map(|line| match &line.members[at] {
            LineMember::Value(value) => Some(value.clone()),
            _ => None,
        }));
    }
    values.sort_by(Scalar::compare);
    values.dedup_by(|a, b| a.compare(b).is_eq());
    Members { rest: query.graph.keys[axis].rest.is_some(), ..Members::of(values) }
}

fn frame_of(
    query: &Query,
    level: usize,
    lines: &[LevelLine],
    members: &[Arc<Members>],
    encoding: &KeyEncoding,
) -> Frame {
    let plan = &query.levels[level];
    let axes = query.level_axes(plan);
    let encoding = encoding.of(&axes);
    let mut keys = Vec::with_capacity(lines.len());
    let mut places: HashMap<_, u32, FixedState> = HashMap::default();
    for line in lines {
        let code = |at: usize| {
            let members = &members[axes[at]];
            match &line.members[at] {
                LineMember::Value(value) => members.find(value).unwrap_or(members.none()),
                LineMember::None => members.none(),
                LineMember::Unknown => members.unknown(),
                LineMember::Rest => members.rest(),
            }
        };
        let key = encoding.pack(code);
        places.insert(key, narrow(keys.len()));
        keys.push(key);
    }
    let column = |at: usize, ty: Type| {
        let values: Vec<Scalar> = lines.iter().map(|line| line.figures[at].clone()).collect();
        Vector::from_scalars(&values, ty)
    };
    let outputs: Vec<(Vector, Type)> =
        query.shown(plan).into_iter().enumerate().map(|(at, (_, ty))| (column(at, ty), ty)).collect();
    let mut blanks = Vec::new();
    if query.level_kind(plan) == LevelKind::Detail {
        let mut next = outputs.len();
        for (output, (values, _)) in query.outputs.iter().zip(&outputs) {
            let terms: Vec<Vector> = output
                .terms
                .iter()
                .enumerate()
                .map(|(at, term)| column(next + at, query.graph.node(term.node).ty))
                .collect();
            next += terms.len();
            blanks.push(if terms.is_empty() { None } else { blank_of(output, values, &terms, lines.len()) });
        }
    }
    Frame { axes, encoding, keys, lines: places, outputs, blanks }
}
