//! Scans of one table with equal conditions, keys and date ranges become one; equal aggregates are worked out once.

use crate::expr::RowExpr;
use crate::graph::{Graph, KeptRule, NodeKind, Scan};
use crate::ids::{NodeId, ScanId};
use crate::position_or_push::position_or_push;

pub(super) fn run(graph: &mut Graph, outside: &mut [ScanId]) {
    let depths = Depths::of(graph);
    let named: Vec<(ScanId, usize)> = graph
        .nodes
        .iter()
        .filter_map(
            |node| if let NodeKind::Aggregate(scan, at) = node.kind { Some((scan, at)) } else { None },
        )
        .collect();
    let mut merged: Vec<(usize, Scan)> = Vec::new();
    // Where each aggregate of each old scan went.
    let mut moved: Vec<(usize, Vec<usize>)> = Vec::new();
    for (old, mut scan) in graph.scans.drain(..).enumerate() {
        let depth = depths.scans[old];
        let same = |(d, m): &(usize, Scan)| {
            *d == depth
                && m.table == scan.table
                && m.filter == scan.filter
                && m.keys == scan.keys
                && m.bridges == scan.bridges
                && m.choices == scan.choices
                && m.during == scan.during
                && m.given == scan.given
        };
        let aggregates = std::mem::take(&mut scan.aggregates);
        let at = merged.iter().position(same).unwrap_or_else(|| {
            merged.push((depth, scan));
            merged.len() - 1
        });
        let target = &mut merged[at].1.aggregates;
        // What no figure names is not worked out; nobody asks where it went.
        let own = aggregates.into_iter().enumerate();
        let kept = own.map(|(number, a)| {
            let is_named = named.contains(&(ScanId(old as u32), number));
            if is_named { position_or_push(target, a) } else { usize::MAX }
        });
        moved.push((at, kept.collect()));
    }
    graph.scans = merged.into_iter().map(|(_, scan)| scan).collect();
    let scan_at = |scan: &mut ScanId| *scan = ScanId(moved[scan.index()].0 as u32);
    for node in &mut graph.nodes {
        match &mut node.kind {
            NodeKind::Aggregate(scan, index) => {
                *index = moved[scan.index()].1[*index];
                scan_at(scan);
            }
            NodeKind::Fold(fold) => fold.domain.iter_mut().for_each(scan_at),
            NodeKind::Kept(kept) => kept.domain.iter_mut().for_each(scan_at),
            _ => {}
        }
    }
    outside.iter_mut().for_each(scan_at);
}

/// How many scans must be read one after the other before a scan or node is known. Only scans of one depth are
/// merged: none of them waits for another.
struct Depths {
    scans: Vec<usize>,
    nodes: Vec<Option<usize>>,
}

impl Depths {
    fn of(graph: &Graph) -> Self {
        let mut depths = Self { scans: Vec::new(), nodes: vec![None; graph.nodes.len()] };
        let mut scans = Vec::new();
        for scan in &graph.scans {
            scans.push(depths.scan(graph, scan));
        }
        depths.scans = scans;
        depths
    }

    fn scan(&mut self, graph: &Graph, scan: &Scan) -> usize {
        let mut exprs: Vec<&RowExpr> = Vec::new();
        scan.row_exprs(&mut |_, expr| exprs.push(expr));
        let mut nodes = Vec::new();
        for expr in exprs {
            expr.lookups(&mut |lookup| nodes.push(lookup.node));
        }
        nodes.extend(scan.choices.iter().map(|c| c.node));
        nodes.into_iter().map(|node| self.node(graph, node) + 1).max().unwrap_or(0)
    }

    fn node(&mut self, graph: &Graph, id: NodeId) -> usize {
        if let Some(depth) = self.nodes[id.index()] {
            return depth;
        }
        let kind = &graph.node(id).kind;
        let mut scans: Vec<ScanId> = Vec::new();
        let mut nodes: Vec<NodeId> = parts(kind);
        match kind {
            NodeKind::Aggregate(scan, _) => scans.push(*scan),
            NodeKind::Fold(fold) => scans.extend(&fold.domain),
            NodeKind::Kept(kept) => scans.extend(&kept.domain),
            NodeKind::Edge { .. } => {
                let mut found = Vec::new();
                let own = Graph { nodes: vec![graph.node(id).clone()], ..Graph::default() };
                own.row_exprs(&mut |_, expr| expr.lookups(&mut |lookup| found.push(lookup.node)));
                nodes.extend(found);
            }
            _ => {}
        }
        let of_scans: Vec<usize> = scans.iter().map(|s| self.scan(graph, graph.scan(*s))).collect();
        let of_nodes: Vec<usize> = nodes.iter().map(|n| self.node(graph, *n)).collect();
        let depth = of_scans.into_iter().chain(of_nodes).max().unwrap_or(0);
        self.nodes[id.index()] = Some(depth);
        depth
    }
}

/// The nodes that a node is made of.
pub(crate) fn parts(kind: &NodeKind) -> Vec<NodeId> {
    match kind {
        NodeKind::Call(_, args) => args.clone(),
        NodeKind::Fold(fold) => std::iter::once(fold.value).chain(fold.by).chain(fold.condition).collect(),
        NodeKind::Derive { inner, away, .. } => {
            std::iter::once(*inner).chain(away.iter().map(|(node, _)| *node)).collect()
        }
        NodeKind::OnlyAt(inner, _) => vec![*inner],
        NodeKind::At { inner, member, .. } => vec![*inner, *member],
        NodeKind::Window(window) => match window.order {
            crate::WindowOrder::Figure { node, .. } => vec![window.value, node],
            crate::WindowOrder::Key(_) => vec![window.value],
        },
        NodeKind::Kept(kept) => match kept.rule {
            KeptRule::Having(node) | KeptRule::Top { by: node, .. } => vec![node],
        },
        _ => Vec::new(),
    }
}
