//! The invariants of a plan, checked after it is made and after each rewrite.
//!
//! 1. Every path starts at the table that is read, each link starts where the one before ended, and the column
//!    belongs to the table that is reached.
//! 2. The type of every call is the one that its function gives, or a number type that holds it.
//! 3. Every filter and condition is a condition.
//! 4. Every axis has its key, and wherever a key is read its type agrees.
//! 5. Every scan, aggregate, key and node that is named exists, has the type that is expected, and stands before the
//!    node that names it.
//! 6. The first level keeps all axes, and no level occurs twice.
//! 7. What is sorted by exists.
//! 8. A looked-up figure names every key that it depends on.
//! 9. A bridge leads to the table that the rows reach, and a choice beside one looks at keys that bridges give.

use crate::expr::{Expr, KeyFrom, Leaf, RowExpr, RowLeaf};
use crate::function::{AggregateFunction, Function};
use crate::graph::{Graph, Node, NodeKind, Scan};
use crate::ids::{KeyId, NodeId, ScanId, TableId};
use crate::plan::Plan;
use crate::query::{List, Query, SortKey};
use crate::schema::Schema;
use crate::types::Type;

/// A broken invariant: a fault of the program, named by its number.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("plan invariant {number} is broken after {pass}: {what}")]
pub struct Broken {
    /// The number in the list of this module.
    pub number: u8,
    /// The pass at fault.
    pub pass: &'static str,
    /// What is wrong.
    pub what: String,
}

struct Verifier<'a> {
    schema: &'a Schema,
    graph: &'a Graph,
    pass: &'static str,
}

/// Checks a plan after `pass`.
///
/// # Errors
/// The first broken invariant.
pub fn plan(schema: &Schema, plan: &Plan, pass: &'static str) -> Result<(), Broken> {
    match plan {
        Plan::Query(query) => self::query(schema, query, pass),
        Plan::List(list) => self::list(schema, list, pass),
    }
}

fn query(schema: &Schema, query: &Query, pass: &'static str) -> Result<(), Broken> {
    let verifier = Verifier { schema, graph: &query.graph, pass };
    verifier.graph()?;
    for (at, axis) in query.axes.iter().enumerate() {
        let key = query.graph.keys.get(at);
        verifier.holds(4, key.is_some_and(|k| k.ty == axis.ty), || format!("{} has no key", axis.name))?;
        verifier.row(axis.home, &axis.member)?;
    }
    query.domain.iter().try_for_each(|scan| verifier.scan_exists(*scan))?;
    for output in &query.outputs {
        verifier.node_is(output.node, output.ty)?;
        for term in &output.terms {
            let known = term.node.index() < query.graph.nodes.len();
            verifier.holds(5, known, || format!("{} has no term {}", output.name, term.node))?;
        }
        let variants = output.subtotal.iter().chain(&output.total);
        variants.into_iter().try_for_each(|v| verifier.node_is(v.node, v.ty))?;
    }
    let column_axes = query.axes.len() - query.row_axes;
    let full = query.levels.first().is_some_and(|l| l.rows == query.row_axes && l.columns == column_axes);
    let twice = query
        .levels
        .iter()
        .enumerate()
        .any(|(at, l)| query.levels[..at].iter().any(|o| o.rows == l.rows && o.columns == l.columns));
    verifier.holds(6, full && !twice, || "the levels are not in order".to_owned())?;
    let sorted = query.sort.iter().all(|s| match s.key {
        SortKey::Axis(at) => at < query.axes.len(),
        SortKey::Output(at) => at < query.outputs.len(),
    });
    verifier.holds(7, sorted, || "a sort names nothing".to_owned())
}

fn list(schema: &Schema, list: &List, pass: &'static str) -> Result<(), Broken> {
    let verifier = Verifier { schema, graph: &list.graph, pass };
    verifier.graph()?;
    verifier.conditions(list.table, &list.filter)?;
    list.bridges.iter().try_for_each(|b| verifier.conditions(b.table, &b.filter))?;
    let shown = list.columns.iter().map(|c| &c.expr);
    shown.chain(list.sort.iter().map(|(e, _)| e)).try_for_each(|e| verifier.row(list.table, e))
}

impl Verifier<'_> {
    fn holds(&self, number: u8, holds: bool, what: impl FnOnce() -> String) -> Result<(), Broken> {
        if holds { Ok(()) } else { Err(Broken { number, pass: self.pass, what: what() }) }
    }

    fn graph(&self) -> Result<(), Broken> {
        self.graph.scans.iter().try_for_each(|scan| self.scan(scan))?;
        self.graph.nodes.iter().enumerate().try_for_each(|(at, node)| self.node(at, node))
    }

    fn scan_exists(&self, scan: ScanId) -> Result<(), Broken> {
        self.holds(5, scan.index() < self.graph.scans.len(), || format!("there is no scan {scan}"))
    }

    fn node_is(&self, node: NodeId, ty: Type) -> Result<(), Broken> {
        let found = self.graph.nodes.get(node.index()).map(|n| n.ty);
        self.holds(5, found == Some(ty), || format!("{node} is {found:?}, not {ty}"))
    }

    fn node(&self, at: usize, node: &Node) -> Result<(), Broken> {
        let before = |id: NodeId| self.holds(5, id.index() < at, || format!("n{at} names {id}"));
        match &node.kind {
            NodeKind::Literal(_) | NodeKind::StandsOn | NodeKind::Edge { .. } => Ok(()),
            NodeKind::Member(key) => {
                self.holds(5, node.keys == [*key], || format!("n{at} depends on its key alone"))
            }
            NodeKind::Call(function, args) => {
                args.iter().try_for_each(|a| before(*a))?;
                let given: Vec<Type> = args.iter().map(|a| self.graph.node(*a).ty).collect();
                let fits = *function == Function::Cast || function.result(&given) == Ok(node.ty);
                self.holds(2, fits, || format!("n{at} is not {}", node.ty))
            }
            NodeKind::Aggregate(scan, index) => {
                self.scan_exists(*scan)?;
                let ty = self.graph.scan(*scan).aggregates.get(*index).map(|a| a.ty);
                self.holds(5, ty == Some(node.ty), || format!("{scan} has no aggregate {index}"))
            }
            NodeKind::Fold(fold) => {
                fold.domain.iter().try_for_each(|scan| self.scan_exists(*scan))?;
                std::iter::once(fold.value).chain(fold.by).chain(fold.condition).try_for_each(before)
            }
            NodeKind::Derive { inner, away, .. } => {
                before(*inner).and_then(|()| away.iter().try_for_each(|(away, _)| before(*away)))
            }
            NodeKind::OnlyAt(inner, _) => before(*inner),
            NodeKind::At { inner, member, .. } => before(*inner).and_then(|()| before(*member)),
            NodeKind::Window(window) => before(window.value),
            NodeKind::Kept(kept) => kept.domain.iter().try_for_each(|scan| self.scan_exists(*scan)),
        }
    }

    fn scan(&self, scan: &Scan) -> Result<(), Broken> {
        self.conditions(scan.table, &scan.filter)?;
        for key in &scan.keys {
            self.row(scan.table, &key.expr)?;
            let ty = self.graph.keys.get(key.key.index()).map(|k| k.ty);
            self.holds(4, ty == Some(key.expr.ty()), || format!("{} is not {ty:?}", key.expr))?;
        }
        self.bridges(scan)?;
        for aggregate in &scan.aggregates {
            self.conditions(scan.table, &aggregate.condition)?;
            for expr in aggregate.value.iter().chain(&aggregate.by) {
                self.row(scan.table, expr)?;
            }
            let value = aggregate.value.as_ref().map_or(Type::Null, Expr::ty);
            let result = aggregate.function.result(value);
            let counts = aggregate.function == AggregateFunction::CountRows;
            self.holds(2, result == Ok(aggregate.ty) && counts == aggregate.value.is_none(), || {
                aggregate.to_string()
            })?;
        }
        Ok(())
    }

    fn bridges(&self, scan: &Scan) -> Result<(), Broken> {
        for bridge in &scan.bridges {
            let mut at = scan.table;
            let chained = bridge.path.iter().all(|link| {
                let starts = self.schema.link_source(*link) == at;
                at = self.schema.link_target(*link);
                starts
            });
            let fits = chained
                && self.schema.link(bridge.link).bridge
                && self.schema.link_target(bridge.link) == at
                && self.schema.link_source(bridge.link) == bridge.table;
            self.holds(9, fits, || format!("{} is no bridge of {}", bridge.link, scan.table))?;
            self.conditions(bridge.table, &bridge.filter)?;
            for key in &bridge.keys {
                self.row(bridge.table, &key.expr)?;
                let ty = self.graph.keys.get(key.key.index()).map(|k| k.ty);
                self.holds(4, ty == Some(key.expr.ty()), || format!("{} is not {ty:?}", key.expr))?;
            }
        }
        for choice in &scan.choices {
            self.node_is(choice.node, Type::Boolean)?;
            choice.own.iter().try_for_each(|(_, expr)| self.row(scan.table, expr))?;
            let given = |key: &KeyId| scan.is_bridged(*key);
            let fits = !choice.bridged.is_empty() && choice.bridged.iter().all(given);
            self.holds(9, fits, || format!("the choice {} looks at no bridge", choice.node))?;
        }
        Ok(())
    }

    fn conditions(&self, table: TableId, conditions: &[RowExpr]) -> Result<(), Broken> {
        for condition in conditions {
            self.row(table, condition)?;
            let fits = matches!(condition.ty(), Type::Boolean | Type::Null);
            self.holds(3, fits, || format!("{condition} is no condition"))?;
        }
        Ok(())
    }

    fn row(&self, table: TableId, expr: &RowExpr) -> Result<(), Broken> {
        let mut leaves: Vec<&RowLeaf> = Vec::new();
        expr.leaves(&mut |leaf| leaves.push(leaf));
        leaves.into_iter().try_for_each(|leaf| self.leaf(table, leaf))?;
        self.types(expr)
    }

    fn leaf(&self, table: TableId, leaf: &RowLeaf) -> Result<(), Broken> {
        match leaf {
            RowLeaf::Column(leaf) => {
                let mut at = table;
                let chained = leaf.path.iter().all(|link| {
                    let starts = self.schema.link_source(*link) == at;
                    at = self.schema.link_target(*link);
                    starts
                });
                let column = self.schema.column(leaf.column);
                let fits = chained && column.table == at && column.ty == leaf.ty;
                self.holds(1, fits, || format!("{leaf} does not start at {table}"))
            }
            RowLeaf::Lookup(lookup) => {
                self.node_is(lookup.node, lookup.ty)?;
                let depends = &self.graph.node(lookup.node).keys;
                let named = depends.iter().all(|key| lookup.keys.iter().any(|k| k.key == *key));
                self.holds(8, named, || format!("{} lacks keys", lookup.node))?;
                lookup.keys.iter().try_for_each(|key| match &key.from {
                    KeyFrom::Row(expr) => self.row(table, expr),
                    KeyFrom::Cell => Ok(()),
                })
            }
        }
    }

    fn types<L: Leaf>(&self, expr: &Expr<L>) -> Result<(), Broken> {
        let Expr::Call { function, args, ty } = expr else { return Ok(()) };
        args.iter().try_for_each(|a| self.types(a))?;
        let given: Vec<Type> = args.iter().map(Expr::ty).collect();
        let fits = *function == Function::Cast || function.result(&given) == Ok(*ty);
        self.holds(2, fits, || format!("{expr} is not {ty}"))
    }
}
