//! Figures whose date range lies partly before the calendar: the year before of all years, the first of which has none, is the value of a part.

use super::Evaluator;
use crate::answer::{Line, Member, Partial, Summary};
use crate::error::EngineError;
use crate::execution::options::Options;
use crate::operators::cells::Cells;
use crate::operators::date_ranges::Lacking;
use crate::storage::star::Star;
use std::collections::{BTreeMap, HashSet};
use std::rc::Rc;
use vembra_plan::{
    DateRange, DateStep, Determining, During, Graph, KeyId, LevelKind, NodeId, NodeKind, Query,
};

/// Keys on which a figure stands, with those that settle each.
type Settled<'a> = Vec<(KeyId, &'a [Determining])>;

/// A date range that a figure takes, and the keys on which it stands since the cell's own settle them.
struct Range<'a> {
    during: &'a During,
    settled: Settled<'a>,
}

/// Lines of one level: the axes that they stand on, and where they are in the answer.
type Level = ((LevelKind, Vec<usize>), Vec<usize>);

/// Marks the figures of an answer whose date ranges lie partly before the calendar.
///
/// # Errors
/// When a column of the calendar cannot be worked out.
pub fn mark_partial(star: &Star, query: &Query, summary: &mut Summary) -> Result<(), EngineError> {
    let kinds = [LevelKind::Detail, LevelKind::Subtotal, LevelKind::Total];
    let has_ranges =
        |at: usize| kinds.iter().any(|kind| !ranges(&query.graph, query.shown_on(at, *kind)).is_empty());
    if !(0..query.outputs.len()).any(has_ranges) {
        return Ok(());
    }
    let options = Options::default();
    let evaluator = Evaluator::new(star, &query.graph, &options, &[]);
    for ((kind, standing), lines) in levels(summary) {
        for at in 0..query.outputs.len() {
            for range in ranges(&query.graph, query.shown_on(at, kind)) {
                let found = evaluator.lacking_of_lines(&range, &standing, summary, &lines)?;
                for (line, own) in lines.iter().zip(found) {
                    let cell = &mut summary.lines[*line].cells[at];
                    if let Some(own) = own.filter(|_| !cell.value.is_null()) {
                        let lacking = &mut cell.marked.get_or_insert_default().lacking;
                        *lacking = Some(lacking.map_or(own, |all| all.and(own)));
                    }
                }
            }
        }
    }
    for (at, measure) in summary.measures.iter_mut().enumerate() {
        let lacking: Vec<Lacking> =
            summary.lines.iter().filter_map(|line| line.cells[at].lacking()).collect();
        let all = lacking.iter().copied().reduce(Lacking::and);
        measure.partial = all.map(|all| Partial { lines: lacking.len(), lacking: all });
    }
    Ok(())
}

/// The lines of each level, but those that stand on the rest of an axis: on which days its members stand is not known.
fn levels(summary: &Summary) -> Vec<Level> {
    let mut levels: BTreeMap<(bool, bool, Vec<usize>), Level> = BTreeMap::new();
    for (at, line) in summary.lines.iter().enumerate() {
        if members(line).any(|member| matches!(member, Member::Rest(_))) {
            continue;
        }
        let stands = |(axis, member): (usize, &Member)| (*member != Member::All).then_some(axis);
        let standing: Vec<usize> = members(line).enumerate().filter_map(stands).collect();
        let key = (line.kind == LevelKind::Detail, line.kind == LevelKind::Total, standing.clone());
        levels.entry(key).or_insert(((line.kind, standing), Vec::new())).1.push(at);
    }
    levels.into_values().collect()
}

fn members(line: &Line) -> impl Iterator<Item = &Member> {
    line.rows.iter().chain(&line.columns)
}

/// The fixed date ranges behind a figure of a cell. What stands in a window function is that of other lines.
fn ranges(graph: &Graph, node: NodeId) -> Vec<Range<'_>> {
    let mut found = Vec::new();
    let mut open: Vec<(NodeId, Settled<'_>)> = vec![(node, Vec::new())];
    let mut seen: HashSet<(NodeId, usize)> = HashSet::new();
    while let Some((node, settled)) = open.pop() {
        if !seen.insert((node, settled.len())) {
            continue;
        }
        match &graph.node(node).kind {
            NodeKind::Call(_, args) => open.extend(args.iter().map(|arg| (*arg, settled.clone()))),
            NodeKind::Fold(fold) => open.push((fold.value, settled)),
            NodeKind::OnlyAt(inner, _) => open.push((*inner, settled)),
            // What it is looked up by is of the cell; the figure found there is not.
            NodeKind::At { member, .. } => open.push((*member, settled)),
            NodeKind::Derive { inner, key, from, .. } => {
                open.push((*inner, settled.into_iter().chain([(*key, from.as_slice())]).collect()));
            }
            NodeKind::Aggregate(scan, _) => {
                let during = graph.scan(*scan).during.as_ref().filter(|during| is_fixed(during));
                found.extend(during.map(|during| Range { during, settled }));
            }
            NodeKind::Literal(_)
            | NodeKind::StandsOn
            | NodeKind::Member(_)
            | NodeKind::Edge { .. }
            | NodeKind::Window(_)
            | NodeKind::Kept(_) => {}
        }
    }
    found
}

/// Whether some of its days are counted back from the cell's own.
fn is_fixed(during: &During) -> bool {
    let fixed = |step: &DateStep| {
        matches!(
            step,
            DateStep::DateRange(DateRange::Earlier { .. } | DateRange::Previous(_) | DateRange::Last { .. })
        )
    };
    during.steps.iter().any(fixed)
}

impl Evaluator<'_> {
    /// What a date range lacks on each of some lines, which stand on the same axes.
    fn lacking_of_lines(
        &self,
        range: &Range<'_>,
        standing: &[usize],
        summary: &Summary,
        lines: &[usize],
    ) -> Result<Vec<Option<Lacking>>, EngineError> {
        let mut keys = Vec::new();
        let mut codes = Vec::new();
        for key in range.during.keys() {
            if standing.contains(&key.index()) {
                keys.push(key);
                codes.push(self.codes_of_lines(key, summary, lines)?);
                continue;
            }
            let mut settled = range.settled.iter().filter(|(own, _)| *own == key).flat_map(|(_, from)| *from);
            let Some(from) = settled.find(|from| standing.contains(&from.key.index())) else { continue };
            if from.table != range.during.calendar {
                // Which days are meant is only known from other tables.
                return Ok(vec![None; lines.len()]);
            }
            let map = self.derived_codes(key, from)?;
            let own = self.codes_of_lines(from.key, summary, lines)?;
            keys.push(key);
            codes.push(own.into_iter().map(|code| map[code as usize]).collect());
        }
        let everywhere = keys.is_empty();
        let cells: Rc<Cells> = self.cells(keys, codes);
        let found = self.lacking(range.during.calendar, &range.during.steps, &cells)?;
        Ok(if everywhere { vec![found.first().copied().flatten(); lines.len()] } else { found })
    }

    /// The code of the member of each line on an axis.
    fn codes_of_lines(
        &self,
        key: KeyId,
        summary: &Summary,
        lines: &[usize],
    ) -> Result<Vec<u32>, EngineError> {
        let all = self.members(key)?;
        let code = |line: &usize| match members(&summary.lines[*line]).nth(key.index()) {
            Some(Member::Value(value)) => all.find(value).unwrap_or_else(|| all.none()),
            Some(Member::Unknown) => all.unknown(),
            _ => all.none(),
        };
        Ok(lines.iter().map(code).collect())
    }
}
