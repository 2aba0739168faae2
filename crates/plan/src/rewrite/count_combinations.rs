//! A count over combinations of keys of values that are counts themselves counts the combinations: a count is never missing, so nothing needs to
//! be counted within them.

use super::merge_scans::parts;
use crate::expr::RowExpr;
use crate::function::AggregateFunction;
use crate::graph::{Graph, NodeKind};
use crate::ids::{NodeId, ScanId};
use crate::scalar::Scalar;

pub(super) fn run(graph: &mut Graph, _: &mut [ScanId]) {
    let uses = uses(graph);
    let counts: Vec<NodeId> = graph
        .nodes
        .iter()
        .filter_map(|node| match &node.kind {
            NodeKind::Fold(fold) if fold.function == AggregateFunction::Count => Some(fold),
            _ => None,
        })
        // What stands on a further key is shown nowhere.
        .filter(|fold| graph.node(fold.value).keys.iter().any(|key| fold.over.contains(key)))
        .map(|fold| fold.value)
        .filter(|value| uses[value.index()] == 1 && is_count(graph, *value))
        .collect();
    for id in counts {
        let node = &mut graph.nodes[id.index()];
        node.kind = NodeKind::Literal(Scalar::Integer(1));
        node.keys.clear();
    }
}

/// Whether a figure is a count of rows or values wherever it stands: not where a date range may be empty.
fn is_count(graph: &Graph, id: NodeId) -> bool {
    use AggregateFunction as F;
    let NodeKind::Aggregate(scan, index) = graph.node(id).kind else { return false };
    let scan = graph.scan(scan);
    let function = scan.aggregates.get(index).map(|a| a.function);
    scan.during.is_none() && matches!(function, Some(F::CountRows | F::Count | F::CountDistinct))
}

/// How often each node is named by others, or looked up by rows.
fn uses(graph: &Graph) -> Vec<usize> {
    let mut uses = vec![0; graph.nodes.len()];
    for node in &graph.nodes {
        parts(&node.kind).into_iter().for_each(|part| uses[part.index()] += 1);
    }
    let mut exprs: Vec<&RowExpr> = Vec::new();
    graph.row_exprs(&mut |_, expr| exprs.push(expr));
    for expr in exprs {
        expr.lookups(&mut |lookup| uses[lookup.node.index()] += 1);
    }
    let choices = graph.scans.iter().flat_map(|scan| &scan.choices);
    choices.for_each(|choice| uses[choice.node.index()] += 1);
    uses
}
