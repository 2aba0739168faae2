//! Figures that have values where the fact has no rows: those of other days than the cell's own, and those that forget where it stands.

use crate::function::AggregateFunction;
use crate::graph::{Graph, NodeKind, Scan};
use crate::ids::{KeyId, NodeId, ScanId};
use crate::query::{Level, LevelKind, Query};
use crate::scalar::Scalar;
use crate::types::Type;
use std::collections::HashSet;

/// A figure that reaches beyond the rows of its cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Reaching {
    /// The figure as it is shown.
    pub node: NodeId,
    /// The type of its values.
    pub ty: Type,
    /// Whether a zero says that there is nothing, as it does where rows are only counted.
    pub zero_is_nothing: bool,
    /// Whether it takes other days than the cell's own, as a figure of the year before or a stock carried forward does.
    pub takes_days: bool,
}

impl Reaching {
    /// Whether a figure says something of a cell without rows.
    pub fn says(&self, value: &Scalar) -> bool {
        let size = value.to_f64().or(value.physical().map(|n| n as f64));
        let is_nothing = value.is_null() || self.zero_is_nothing && size == Some(0.0);
        !is_nothing
    }
}

impl AggregateFunction {
    /// Whether it says of no rows that there is nothing by a zero, or by false, and not by null.
    pub fn counts(self) -> bool {
        matches!(self, Self::CountRows | Self::Count | Self::CountDistinct | Self::Any)
    }
}

impl Query {
    /// The figures of a level that reach beyond the rows of their cells. Window functions follow the lines shown and are none.
    pub fn reaching(&self, level: &Level) -> Vec<Reaching> {
        let keys = self.level_keys(level);
        let of = |(node, ty)| {
            let mut found: Vec<(AggregateFunction, bool)> = Vec::new();
            let follows_lines = collect(&self.graph, node, &keys, &mut HashSet::new(), &mut found);
            let zero_is_nothing = found.iter().all(|(function, _)| function.counts());
            let takes_days = found.iter().any(|(_, takes_days)| *takes_days);
            (!follows_lines && !found.is_empty()).then_some(Reaching {
                node,
                ty,
                zero_is_nothing,
                takes_days,
            })
        };
        self.shown(level).into_iter().filter_map(of).collect()
    }

    /// The details, and their figures that may have values on combinations of members that are no lines, since they take other days. None where
    /// such lines are shown anyway, and where lines are chosen: those that are not are left out on purpose.
    pub fn outside_lines(&self) -> Option<(&Level, Vec<Reaching>)> {
        let chosen = self.graph.nodes.iter().any(|node| matches!(node.kind, NodeKind::Kept(_)));
        if self.keep_empty || self.axes.is_empty() || chosen {
            return None;
        }
        let details = self.levels.iter().find(|level| self.level_kind(level) == LevelKind::Detail)?;
        let figures: Vec<Reaching> =
            self.reaching(details).into_iter().filter(|figure| figure.takes_days).collect();
        (!figures.is_empty()).then_some((details, figures))
    }
}

/// Collects the functions of aggregates that reach beyond a cell on some keys, and whether each takes other days; whether there is a window function.
fn collect(
    graph: &Graph,
    node: NodeId,
    keys: &[KeyId],
    seen: &mut HashSet<NodeId>,
    found: &mut Vec<(AggregateFunction, bool)>,
) -> bool {
    if !seen.insert(node) {
        return false;
    }
    let own = graph.node(node);
    match &own.kind {
        NodeKind::Call(_, args) => {
            let mut follows_lines = false;
            for arg in args {
                follows_lines |= collect(graph, *arg, keys, seen, found);
            }
            follows_lines
        }
        NodeKind::Fold(fold) => {
            let before = found.len();
            let follows_lines = collect(graph, fold.value, keys, seen, found);
            // Combinations that are only counted have no value to look at.
            let counted = matches!(graph.node(fold.value).kind, NodeKind::Literal(_));
            let elsewhere = |scan: &ScanId| reaches(graph.scan(*scan), keys);
            if found.len() == before && counted && fold.domain.iter().any(elsewhere) {
                found.push((fold.function, false));
            }
            follows_lines
        }
        NodeKind::OnlyAt(inner, _) | NodeKind::Derive { inner, .. } => {
            collect(graph, *inner, keys, seen, found)
        }
        // What it is looked up by is of the cell; the figure found there is not.
        NodeKind::At { member, .. } => collect(graph, *member, keys, seen, found),
        NodeKind::Aggregate(scan, at) => {
            let scan = graph.scan(*scan);
            // All of nothing hold.
            let function = scan.aggregates[*at].function;
            let reaches = reaches(scan, keys) && function != AggregateFunction::Every;
            found.extend(reaches.then_some((function, scan.during.is_some())));
            false
        }
        NodeKind::Window(_) => true,
        NodeKind::Literal(_)
        | NodeKind::StandsOn
        | NodeKind::Member(_)
        | NodeKind::Edge { .. }
        | NodeKind::Kept(_) => false,
    }
}

/// Whether a scan takes other rows than those of a cell on some keys.
fn reaches(scan: &Scan, keys: &[KeyId]) -> bool {
    scan.during.is_some() || keys.iter().any(|key| !scan.key_ids().any(|own| own == *key))
}
