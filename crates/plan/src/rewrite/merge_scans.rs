//! Scans of one table with equal conditions and keys become one; equal aggregates are worked out once.

use crate::expr::AggregateRef;
use crate::ids::ScanId;
use crate::query::{Aggregate, Query, Scan};
use crate::schema::Schema;

pub(super) fn run(_: &Schema, query: &mut Query) {
    let mut merged: Vec<Scan> = Vec::new();
    // Where each aggregate of each old scan went.
    let mut moved: Vec<(usize, Vec<usize>)> = Vec::new();
    for scan in query.scans.drain(..) {
        let same = |m: &Scan| m.table == scan.table && m.filter == scan.filter && m.keys == scan.keys;
        let at = merged.iter().position(same).unwrap_or_else(|| {
            merged.push(Scan { aggregates: Vec::new(), ..scan.clone() });
            merged.len() - 1
        });
        let target = &mut merged[at].aggregates;
        moved.push((at, scan.aggregates.into_iter().map(|a| place(target, a)).collect()));
    }
    query.scans = merged;
    for output in &mut query.outputs {
        output.expr = output.expr.map_leaves(&mut |leaf| {
            let (scan, indices) = &moved[leaf.scan.index()];
            AggregateRef { scan: ScanId(*scan as u32), index: indices[leaf.index], ty: leaf.ty }
        });
    }
}

fn place(target: &mut Vec<Aggregate>, aggregate: Aggregate) -> usize {
    target.iter().position(|a| *a == aggregate).unwrap_or_else(|| {
        target.push(aggregate);
        target.len() - 1
    })
}
