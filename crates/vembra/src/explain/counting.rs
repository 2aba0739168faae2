//! How many rows each test of an aggregate leaves, as a plan of counts.

use super::asking::Asking;
use vembra_engine::Member;
use vembra_plan::{
    Aggregate, AggregateFunction, Expr, FiguresPlace, Function, Graph, KeyId, Level, Node, NodeId, NodeKind,
    Output, Plan, Query, RowExpr, Scan, ScanId, TableId, Type,
};
use vembra_reference::{Behind, Part, Trace};

/// The aggregates over rows, each with the figure that counts its rows.
pub(super) fn over_rows<'t>(asking: &Asking, trace: &'t mut Trace, found: &mut Vec<(usize, &'t mut Behind)>) {
    if let (Some(behind), Some(count)) = (&mut trace.behind, asking.count) {
        found.push((count, behind));
    }
    for (step, asking) in trace.steps.iter_mut().zip(&asking.steps) {
        over_rows(asking, step, found);
    }
}

/// The scan that a figure comes from, if it is no more than an aggregate of one.
pub(super) fn scan_of(graph: &Graph, node: NodeId) -> Option<&Scan> {
    match &graph.node(node).kind {
        NodeKind::Aggregate(scan, _) => Some(graph.scan(*scan)),
        NodeKind::OnlyAt(inner, _) => scan_of(graph, *inner),
        _ => None,
    }
}

/// The tests that can be asked one after the other, each with all conditions so far. The last test is left out: what it leaves is known.
pub(super) fn tests_asked(scan: &Scan, parts: &[&Part]) -> Vec<(usize, Vec<RowExpr>)> {
    let mut asked = Vec::new();
    if !(scan.bridges.is_empty() && scan.choices.is_empty()) || scan.filter.iter().any(RowExpr::asks_cell) {
        return asked;
    }
    let conditions = parts.iter().filter(|p| matches!(p, Part::Condition(_) | Part::Chosen(_))).count();
    let each = conditions == scan.filter.len();
    let mut so_far: Vec<RowExpr> = Vec::new();
    for (at, part) in parts.iter().enumerate().take(parts.len().saturating_sub(1)) {
        match part {
            Part::Condition(_) | Part::Chosen(_) if each => so_far.push(scan.filter[at].clone()),
            // A condition that was taken apart, or one that is there already.
            Part::Condition(_) | Part::Chosen(_) if at + 1 < conditions => continue,
            Part::Condition(_) | Part::Chosen(_) => so_far.clone_from(&scan.filter),
            Part::Axis(axis, member) => match at_member(scan, KeyId(*axis as u32), member) {
                Some(condition) => so_far.push(condition),
                None => break,
            },
            Part::Detail(..) | Part::Days(..) | Part::Own(_) => break,
        }
        asked.push((at, so_far.clone()));
    }
    asked
}

/// Whether rows stand at a member of a key.
fn at_member(scan: &Scan, key: KeyId, member: &Member) -> Option<RowExpr> {
    let own = scan.keys.iter().find(|k| k.key == key && k.kept.is_none())?;
    let call = |function, args| Expr::Call { function, args, ty: Type::Boolean };
    match member {
        Member::Value(value) => {
            Some(call(Function::Equal, vec![own.expr.clone(), Expr::Literal(value.clone())]))
        }
        _ => None,
    }
}

/// A plan of counts of rows.
pub(super) struct Counts {
    graph: Graph,
    outputs: Vec<Output>,
    scans: Vec<ScanId>,
}

impl Counts {
    /// Beside the figures of a graph.
    pub(super) fn new(graph: &Graph) -> Self {
        Self { graph: graph.clone(), outputs: Vec::new(), scans: Vec::new() }
    }

    /// Counts rows of a table under each of some lists of conditions.
    pub(super) fn add(&mut self, table: TableId, conditions: Vec<Vec<RowExpr>>) {
        let scan = ScanId(self.graph.scans.len() as u32);
        let count = |condition| Aggregate {
            function: AggregateFunction::CountRows,
            value: None,
            by: None,
            parameter: None,
            condition,
            ty: Type::Integer,
        };
        let aggregates: Vec<Aggregate> = conditions.into_iter().map(count).collect();
        for at in 0..aggregates.len() {
            let kind = NodeKind::Aggregate(scan, at);
            let node = self.graph.add(Node { kind, ty: Type::Integer, keys: Vec::new() });
            let name = format!("test {}", self.outputs.len());
            self.outputs.push(Output {
                label: name.clone(),
                name,
                node,
                ty: Type::Integer,
                format: None,
                subtotal: None,
                total: None,
                not_additive: None,
                parts_along: Vec::new(),
                terms: Vec::new(),
            });
        }
        self.graph.scans.push(Scan { aggregates, ..Scan::over(table) });
        self.scans.push(scan);
    }

    pub(super) fn plan(self) -> Plan {
        Plan::Query(Box::new(Query {
            axes: Vec::new(),
            row_axes: 0,
            graph: self.graph,
            domain: self.scans,
            outputs: self.outputs,
            levels: vec![Level { rows: 0, columns: 0, shown: true }],
            sort: Vec::new(),
            keep_empty: false,
            totals_on_rows: None,
            totals_on_columns: None,
            figures: FiguresPlace::default(),
        }))
    }
}
