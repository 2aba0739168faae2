//! `a and b` becomes two conditions; a condition that stands twice stands once. Those on linked tables come
//! first: they are worked out once a linked row.

use crate::expr::{ColumnRef, Expr};
use crate::function::Function;
use crate::query::Query;
use crate::schema::Schema;

pub(super) fn run(_: &Schema, query: &mut Query) {
    for scan in &mut query.scans {
        split(&mut scan.filter);
        scan.aggregates.iter_mut().for_each(|a| split(&mut a.condition));
    }
}

fn split(conditions: &mut Vec<Expr<ColumnRef>>) {
    let mut parts = Vec::new();
    conditions.drain(..).for_each(|c| collect(c, &mut parts));
    // A stable sort: a guard written before a cast stays before it.
    parts.sort_by_key(|c| !is_linked(c));
    *conditions = parts;
}

fn collect(condition: Expr<ColumnRef>, parts: &mut Vec<Expr<ColumnRef>>) {
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

fn is_linked(condition: &Expr<ColumnRef>) -> bool {
    let mut linked = true;
    condition.leaves(&mut |leaf: &ColumnRef| linked &= !leaf.path.is_empty());
    linked
}
