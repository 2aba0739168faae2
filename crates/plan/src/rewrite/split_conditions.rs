//! `a and b` becomes two conditions; a condition that stands twice stands once. Those on linked tables come
//! first: they are worked out once a linked row.

use crate::expr::{Expr, RowExpr};
use crate::function::Function;
use crate::graph::Graph;
use crate::ids::ScanId;

pub(super) fn run(graph: &mut Graph, _: &mut [ScanId]) {
    for scan in &mut graph.scans {
        split(&mut scan.filter);
        scan.aggregates.iter_mut().for_each(|a| split(&mut a.condition));
    }
}

fn split(conditions: &mut Vec<RowExpr>) {
    let mut parts = Vec::new();
    conditions.drain(..).for_each(|c| collect(c, &mut parts));
    // A stable sort: a guard written before a cast stays before it.
    parts.sort_by_key(|c| !is_linked(c));
    *conditions = parts;
}

fn collect(condition: RowExpr, parts: &mut Vec<RowExpr>) {
    match condition {
        Expr::Call { function: Function::And, args, .. } => {
            for arg in args {
                collect(arg, parts);
            }
        }
        condition if parts.contains(&condition) => {}
        condition => parts.push(condition),
    }
}

fn is_linked(condition: &RowExpr) -> bool {
    let mut linked = condition.is_plain();
    condition.columns(&mut |column| linked &= !column.path.is_empty());
    linked
}
