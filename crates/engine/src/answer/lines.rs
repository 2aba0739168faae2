//! From frames to the lines of an answer: their order, their members, and whether totals add up.

use crate::answer::{Cell, Heading, Line, MeasureHeading, Member, Summary, VariantHeading};
use crate::error::EngineError;
use crate::execution::budget::Budget;
use crate::execution::threads::of_pieces;
use crate::operators::frame::Frame;
use crate::operators::members::Members;
use crate::storage::narrow::narrow;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use rayon::prelude::*;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::sync::Arc;
use vembra_plan::{Axis, LevelKind, Query, Scalar, Sort, SortKey, TotalsPlace};

/// What was worked out, to be written as lines.
pub(crate) struct Finished<'a> {
    pub(crate) query: &'a Query,
    /// The members of each axis.
    pub(crate) members: &'a [Arc<Members>],
    pub(crate) memory: Budget,
    /// One frame per level of the query.
    pub(crate) frames: &'a [Frame],
}

/// About how many bytes a line takes by itself, and each member and value in it, with what is kept while it is written.
const LINE_BYTES: usize = 160;
const VALUE_BYTES: usize = 80;
/// How many lines at least are written at a time.
const LINES_AT_ONCE: usize = 1 << 10;

/// Stands for "all members" in the order of lines.
const ALL_FIRST: u32 = 0;
const ALL_LAST: u32 = u32::MAX;

/// A line: its level, and its place there.
type At = (usize, usize);

fn heading(axis: &Axis) -> Heading {
    Heading { name: axis.name.clone(), label: axis.label.clone(), ty: axis.ty, format: axis.format.clone() }
}

impl Finished<'_> {
    pub(crate) fn summary(&self) -> Result<Summary, EngineError> {
        let query = self.query;
        let ranks: Vec<Vec<u32>> = (0..query.axes.len()).map(|axis| self.ranks(axis)).collect();
        let (order, columns) = self.order(&ranks)?;
        let sums: Vec<Option<DetailSums>> =
            (0..self.frames.len()).map(|level| self.detail_sums(level)).collect();
        let line = |(level, at): &At| self.line(*level, *at, sums[*level].as_ref());
        let pieces = of_pieces(order.len(), LINES_AT_ONCE, |piece| {
            order[piece].iter().map(line).collect::<Vec<Line>>()
        });
        let lines: Vec<Line> = pieces.into_iter().flatten().collect();
        let mut orders = MemberOrders::new(query, &ranks);
        for ((level, at), line) in order.into_iter().zip(&lines) {
            let frame = &self.frames[level];
            frame
                .encoding
                .take_apart(frame.keys[at], |place, code| orders.take(frame.axes[place], code, line));
        }
        let (on_rows, on_columns) = query.axes.split_at(query.row_axes);
        let column_order =
            columns.into_iter().map(|(level, line)| self.line(level, line, None).columns).collect();
        Ok(Summary {
            rows: on_rows.iter().map(heading).collect(),
            columns: on_columns.iter().map(heading).collect(),
            measures: self.measures(&lines),
            walked: self.is_walked(),
            lines,
            member_orders: orders.finish(),
            column_order,
            without_line: 0,
            totals_on_rows: query.totals_on_rows,
            totals_on_columns: query.totals_on_columns,
            figures: query.figures,
        })
    }

    /// The lines in their order, each by its level and its place there, and one line of each combination of columns.
    fn order(&self, ranks: &[Vec<u32>]) -> Result<(Vec<At>, Vec<At>), EngineError> {
        let query = self.query;
        let row_places = self.row_places(ranks)?;
        let mut lines: Vec<At> = Vec::new();
        // The places of all lines, one behind the other.
        let mut places: Vec<u32> = Vec::new();
        for (level, frame) in self.frames.iter().enumerate().filter(|(at, _)| query.levels[*at].shown) {
            for line in (0..frame.keys.len()).filter(|line| self.is_open(level, *line)) {
                self.place(level, line, ranks, &row_places, &mut places)?;
                lines.push((level, line));
            }
        }
        // A line has a member per axis and a value per figure, and is written out once more.
        let each = LINE_BYTES + (query.axes.len() + query.outputs.len()) * VALUE_BYTES;
        self.memory.check_more((lines.len() * each) as u64)?;
        let width = places.len() / lines.len().max(1);
        let place = |line: usize| &places[line * width..(line + 1) * width];
        let mut order: Vec<usize> = (0..lines.len()).collect();
        order.par_sort_unstable_by(|a, b| place(*a).cmp(place(*b)).then(a.cmp(b)));
        // The part of a place that is about columns, with a line that stands there.
        let of_columns = width.saturating_sub(query.axes.len() - query.row_axes);
        let mut column_places: BTreeMap<&[u32], At> = BTreeMap::new();
        for (line, at) in lines.iter().enumerate() {
            column_places.entry(&place(line)[of_columns..]).or_insert(*at);
        }
        let columns = column_places.into_values().collect();
        Ok((order.into_iter().map(|line| lines[line]).collect(), columns))
    }

    fn measures(&self, lines: &[Line]) -> Vec<MeasureHeading> {
        let marked = |at: usize| lines.iter().any(|l| l.cells[at].adds_up == Some(false));
        let measures = self.query.outputs.iter().enumerate().map(|(at, o)| MeasureHeading {
            heading: Heading {
                name: o.name.clone(),
                label: o.label.clone(),
                ty: o.ty,
                format: o.format.clone(),
            },
            subtotal: o.subtotal.as_ref().map(|v| VariantHeading { ty: v.ty, format: v.format.clone() }),
            total: o.total.as_ref().map(|v| VariantHeading { ty: v.ty, format: v.format.clone() }),
            not_additive: o.not_additive.clone(),
            parts_along: o.parts_along.clone(),
            marked: marked(at),
            blank: self.frames.first().and_then(|f| f.blanks.get(at)).cloned().flatten(),
            partial: None,
            shared: None,
        });
        measures.collect()
    }

    /// The place of each code of an axis: the order by hand first, then the order of the members.
    fn ranks(&self, axis: usize) -> Vec<u32> {
        let mut ranks = self.members[axis].ranks(&self.query.graph.keys[axis].order);
        let descends = |s: &Sort| s.key == SortKey::Axis(axis) && s.descending;
        if self.query.sort.iter().any(descends) {
            let members = self.members[axis].values.len();
            ranks[..members].iter_mut().for_each(|rank| *rank = narrow(members) + 1 - *rank);
        }
        ranks
    }

    /// Whether a hierarchy is walked.
    fn is_walked(&self) -> bool {
        self.query.axes.iter().any(|a| a.opened.is_some())
    }

    /// For a line of a walked hierarchy: whether all members above it are opened.
    fn is_open(&self, level: usize, line: usize) -> bool {
        if !self.is_walked() {
            return true;
        }
        let (query, frame) = (self.query, &self.frames[level]);
        let codes = frame.encoding.codes(frame.keys[line]);
        (1..query.levels[level].rows).all(|axis| self.opens(axis, codes[axis - 1]))
    }

    /// Whether a member of the axis before is opened on an axis.
    fn opens(&self, axis: usize, parent: u32) -> bool {
        let Some(opened) = &self.query.axes[axis].opened else { return true };
        self.members[axis - 1].values.get(parent as usize).is_some_and(|value| opened.holds(value))
    }

    /// What a line stands for: in a walked hierarchy, one that is not opened further is a detail.
    fn kind(&self, level: usize, line: usize) -> LevelKind {
        let (query, frame) = (self.query, &self.frames[level]);
        let plan = &query.levels[level];
        let kind = query.level_kind(plan);
        let next = query.axes[..query.row_axes].get(plan.rows);
        if plan.rows == 0 || kind == LevelKind::Detail || next.is_none_or(|a| a.opened.is_none()) {
            return kind;
        }
        let codes = frame.encoding.codes(frame.keys[line]);
        let opened = self.opens(plan.rows, codes[plan.rows - 1]);
        let columns = query.axes.len() - query.row_axes;
        match (opened, plan.columns == columns) {
            (true, _) => LevelKind::Subtotal,
            (false, true) => LevelKind::Detail,
            (false, false) => LevelKind::Total,
        }
    }

    /// Lines with subtotals are sorted among the lines of one parent; others all together.
    fn is_nested(&self) -> bool {
        (self.query.totals_on_rows.is_some() || self.is_walked()) && self.query.row_axes > 1
    }

    /// Where a sort asks for more than the order of members: the place of each row key, per count of row axes.
    fn row_places(&self, ranks: &[Vec<u32>]) -> Result<Vec<Option<Places>>, EngineError> {
        let query = self.query;
        let mut places: Vec<Option<Places>> = (0..=query.row_axes).map(|_| None).collect();
        let row_sorts = |s: &&Sort| !matches!(s.key, SortKey::Axis(at) if at >= query.row_axes);
        let sorts: Vec<&Sort> = query.sort.iter().filter(row_sorts).collect();
        let by_value = sorts.iter().any(|s| matches!(s.key, SortKey::Output(_)));
        if sorts.is_empty() || (self.is_nested() && !by_value) {
            return Ok(places);
        }
        let depths = if self.is_nested() { 1..=query.row_axes } else { query.row_axes..=query.row_axes };
        for depth in depths {
            let found = query.levels.iter().position(|l| l.rows == depth && l.columns == 0);
            let detail = query.levels.iter().position(|l| l.rows == depth);
            let level = found.or(detail.filter(|_| !by_value));
            let Some(level) = level else {
                return Err(EngineError::Internal("a sort without its level".to_owned()));
            };
            places[depth] = Some(self.sorted(&self.frames[level], depth, &sorts, ranks));
        }
        Ok(places)
    }

    /// The place of each row key of a frame.
    fn sorted(&self, frame: &Frame, depth: usize, sorts: &[&Sort], ranks: &[Vec<u32>]) -> Places {
        let nested = self.is_nested();
        let mut keys: Vec<(Vec<u32>, usize)> = Vec::new();
        let mut seen: HashMap<Vec<u32>, (), FixedState> = HashMap::default();
        for line in 0..frame.keys.len() {
            let codes = frame.encoding.codes(frame.keys[line])[..depth].to_vec();
            if seen.insert(codes.clone(), ()).is_none() {
                keys.push((codes, line));
            }
        }
        let rest: Vec<Option<u32>> = (0..depth)
            .map(|axis| {
                let members = &self.members[axis];
                members.rest.then(|| members.rest())
            })
            .collect();
        // The rest stays last whatever lines are sorted by.
        let is_rest = |codes: &[u32]| codes.iter().zip(&rest).any(|(code, rest)| Some(*code) == *rest);
        let rank = |codes: &[u32], axis: usize| ranks[axis][codes[axis] as usize];
        keys.sort_by(|(a, left), (b, right)| {
            let order = is_rest(a).cmp(&is_rest(b));
            if order != Ordering::Equal {
                return order;
            }
            for sort in sorts {
                let order = match sort.key {
                    SortKey::Axis(axis) if axis >= depth || (nested && axis + 1 != depth) => Ordering::Equal,
                    SortKey::Axis(axis) => rank(a, axis).cmp(&rank(b, axis)),
                    SortKey::Output(at) => {
                        let (vector, ty) = &frame.outputs[at];
                        let value = |line: usize| vector.scalar(line, *ty);
                        value(*left).compare_in(&value(*right), sort.descending)
                    }
                };
                if order != Ordering::Equal {
                    return order;
                }
            }
            (0..depth).map(|axis| rank(a, axis)).cmp((0..depth).map(|axis| rank(b, axis)))
        });
        let by_groups = !nested && depth > 1 && keys.iter().any(|(codes, _)| is_rest(codes));
        let keys = if by_groups { in_groups(keys, &rest) } else { keys };
        keys.into_iter().enumerate().map(|(place, (codes, _))| (codes, narrow(place) + 1)).collect()
    }

    /// Adds where a line stands, as many numbers for each line: lines are in the order of their places.
    fn place(
        &self,
        level: usize,
        line: usize,
        ranks: &[Vec<u32>],
        row_places: &[Option<Places>],
        place: &mut Vec<u32>,
    ) -> Result<(), EngineError> {
        let (query, frame) = (self.query, &self.frames[level]);
        let codes = frame.encoding.codes(frame.keys[line]);
        let rows = query.levels[level].rows;
        let all = |totals: Option<TotalsPlace>| {
            if totals == Some(TotalsPlace::First) { ALL_FIRST } else { ALL_LAST }
        };
        let lost = || EngineError::Internal("a line without its place".to_owned());
        if let Some(places) = row_places.last().and_then(Option::as_ref).filter(|_| !self.is_nested()) {
            place.push(if rows == query.row_axes {
                *places.get(&codes[..rows]).ok_or_else(lost)?
            } else {
                all(query.totals_on_rows)
            });
        } else {
            for axis in 0..query.row_axes {
                place.push(match (axis < rows, &row_places[axis + 1]) {
                    // Where a hierarchy is walked, what is opened stands above what it holds.
                    (false, _) if rows > 0 && query.axes[axis].opened.is_some() => ALL_FIRST,
                    (false, _) => all(query.totals_on_rows),
                    (true, Some(places)) => *places.get(&codes[..=axis]).ok_or_else(lost)?,
                    (true, None) => ranks[axis][codes[axis] as usize],
                });
            }
        }
        for at in 0..query.axes.len() - query.row_axes {
            place.push(match codes.get(rows + at) {
                Some(code) => ranks[query.row_axes + at][*code as usize],
                None => all(query.totals_on_columns),
            });
        }
        Ok(())
    }

    fn line(&self, level: usize, line: usize, sums: Option<&DetailSums>) -> Line {
        let (query, frame) = (self.query, &self.frames[level]);
        let codes = frame.encoding.codes(frame.keys[line]);
        let mut members = vec![Member::All; query.axes.len()];
        for (axis, code) in frame.axes.iter().zip(codes) {
            let known = &self.members[*axis];
            members[*axis] = if code == known.none() {
                Member::None
            } else if code == known.unknown() {
                Member::Unknown
            } else if code == known.rest() {
                let label = self.query.graph.keys[*axis].rest.as_deref().unwrap_or_default();
                Member::Rest(Arc::from(label))
            } else {
                Member::Value(known.values[code as usize].clone())
            };
        }
        let columns = members.split_off(query.row_axes);
        let kind = self.kind(level, line);
        let cells =
            frame.outputs.iter().zip(&query.outputs).enumerate().map(|(at, ((vector, ty), output))| {
                let value = vector.scalar(line, *ty);
                // A total with a formula of its own is not meant to be a sum.
                let own = match kind {
                    LevelKind::Detail => false,
                    LevelKind::Subtotal => output.subtotal.is_some(),
                    LevelKind::Total => output.total.is_some(),
                };
                let adds_up = sums
                    .filter(|_| ty.is_number() && !own && kind != LevelKind::Detail && !value.is_null())
                    .map(|s| s.equal(line, at, &value));
                Cell { value, adds_up, marked: None }
            });
        Line { kind, row_kind: self.row_kind(level, line), rows: members, columns, cells: cells.collect() }
    }

    /// What a line stands for, whatever its columns.
    fn row_kind(&self, level: usize, line: usize) -> LevelKind {
        let query = self.query;
        let rows = query.levels[level].rows;
        if rows == query.row_axes {
            return LevelKind::Detail;
        }
        if rows == 0 {
            return LevelKind::Total;
        }
        let frame = &self.frames[level];
        let codes = frame.encoding.codes(frame.keys[line]);
        let walked = query.axes[rows].opened.is_some();
        if walked && !self.opens(rows, codes[rows - 1]) { LevelKind::Detail } else { LevelKind::Subtotal }
    }

    /// Per line of a level of totals, the sums of its detail lines.
    fn detail_sums(&self, level: usize) -> Option<DetailSums> {
        let query = self.query;
        let plan = &query.levels[level];
        if !plan.shown || query.level_kind(plan) == LevelKind::Detail {
            return None;
        }
        let frame = &self.frames[level];
        let mut sums = vec![vec![None; query.outputs.len()]; frame.keys.len()];
        // Where a hierarchy is walked, details stand on several levels.
        let levels = if self.is_walked() { self.frames.len() } else { 1 };
        for (at_level, detail) in self.frames.iter().enumerate().take(levels) {
            if !query.levels[at_level].shown || at_level == level {
                continue;
            }
            for line in 0..detail.keys.len() {
                if self.is_walked()
                    && !(self.kind(at_level, line) == LevelKind::Detail && self.is_open(at_level, line))
                {
                    continue;
                }
                if !frame.axes.iter().all(|axis| detail.axes.contains(axis)) {
                    continue;
                }
                let codes = detail.encoding.codes(detail.keys[line]);
                let code =
                    |axis: usize| detail.axes.iter().position(|a| *a == axis).map_or(0, |at| codes[at]);
                let key = frame.encoding.pack(|at| code(frame.axes[at]));
                let Some(total) = frame.lines.get(&key) else { continue };
                for (at, (vector, ty)) in detail.outputs.iter().enumerate() {
                    add(&mut sums[*total as usize][at], &vector.scalar(line, *ty));
                }
            }
        }
        Some(DetailSums { sums })
    }
}

/// Sorted lines of which some are the rest of a group, whose axes are those without a rest: groups in the order of their first lines, each
/// with its rest behind the others.
fn in_groups(sorted: Vec<(Vec<u32>, usize)>, rest: &[Option<u32>]) -> Vec<(Vec<u32>, usize)> {
    let group_of = |codes: &[u32]| -> Vec<u32> {
        codes.iter().zip(rest).filter(|(_, rest)| rest.is_none()).map(|(code, _)| *code).collect()
    };
    let mut place: HashMap<Vec<u32>, usize, FixedState> = HashMap::default();
    let mut groups: Vec<Vec<(Vec<u32>, usize)>> = Vec::new();
    // The rest stands behind all others already.
    for (codes, line) in sorted {
        let at = *place.entry(group_of(&codes)).or_insert(groups.len());
        if at == groups.len() {
            groups.push(Vec::new());
        }
        groups[at].push((codes, line));
    }
    groups.into_iter().flatten().collect()
}

/// The members of each axis that stand on lines: in the order of the axis, or, on rows that are sorted by a figure,
/// in the order in which they come.
struct MemberOrders<'a> {
    /// The place of each code of each axis.
    ranks: &'a [Vec<u32>],
    /// How many axes are on rows.
    row_axes: usize,
    found: Vec<Vec<(u32, Member)>>,
    seen: Vec<Vec<bool>>,
    /// How many axes, from the first, are in the order in which their members come.
    as_they_come: usize,
}

impl<'a> MemberOrders<'a> {
    fn new(query: &Query, ranks: &'a [Vec<u32>]) -> Self {
        let by_figure = query.sort.iter().any(|s| matches!(s.key, SortKey::Output(_)));
        Self {
            ranks,
            row_axes: query.row_axes,
            found: vec![Vec::new(); query.axes.len()],
            seen: ranks.iter().map(|ranks| vec![false; ranks.len()]).collect(),
            as_they_come: if by_figure { query.row_axes } else { 0 },
        }
    }

    /// Takes the member of a line on an axis.
    fn take(&mut self, axis: usize, code: u32, line: &Line) {
        if std::mem::replace(&mut self.seen[axis][code as usize], true) {
            return;
        }
        let members =
            if axis < self.row_axes { &line.rows[axis] } else { &line.columns[axis - self.row_axes] };
        self.found[axis].push((self.ranks[axis][code as usize], members.clone()));
    }

    fn finish(mut self) -> Vec<Vec<Member>> {
        self.found[self.as_they_come..].iter_mut().for_each(|found| found.sort_by_key(|(rank, _)| *rank));
        self.found.into_iter().map(|found| found.into_iter().map(|(_, member)| member).collect()).collect()
    }
}

/// The place of each row key.
type Places = HashMap<Vec<u32>, u32, FixedState>;

/// A sum of cells: exact, or of floats.
#[derive(Clone, Copy, Debug)]
enum CellSum {
    Exact(i128),
    Float(f64),
}

struct DetailSums {
    sums: Vec<Vec<Option<CellSum>>>,
}

fn add(sum: &mut Option<CellSum>, value: &Scalar) {
    let next = match (&*sum, value) {
        (_, Scalar::Null) => return,
        (None, Scalar::Float(x)) => CellSum::Float(*x),
        (Some(CellSum::Float(s)), Scalar::Float(x)) => CellSum::Float(s + x),
        (Some(CellSum::Exact(s)), value) => CellSum::Exact(s.saturating_add(value.physical().unwrap_or(0))),
        (_, value) => CellSum::Exact(value.physical().unwrap_or(0)),
    };
    *sum = Some(next);
}

impl DetailSums {
    /// Whether a total is the sum of its detail lines.
    fn equal(&self, line: usize, output: usize, total: &Scalar) -> bool {
        match (self.sums[line][output], total) {
            (None, total) => total.is_null() || total.to_f64() == Some(0.0),
            (Some(CellSum::Float(s)), Scalar::Float(x)) => (s - x).abs() <= 1e-9 * s.abs().max(x.abs()),
            (Some(CellSum::Exact(s)), total) => total.physical() == Some(s),
            _ => false,
        }
    }
}
