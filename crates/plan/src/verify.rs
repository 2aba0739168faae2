//! The invariants of a plan, checked after it is made and after each rewrite. All that are broken are named, as a lint names them.
//!
//! 1. Every path starts at the table that is read, each link starts where the one before ended, and the column
//!    belongs to the table that is reached.
//! 2. The type of every call is the one that its function gives, or a number type that holds it.
//! 3. Every filter and condition is a condition.
//! 4. Every axis has its key, and wherever a key is read its type agrees.
//! 5. Every scan, aggregate, key and node that is named exists, has the type that is expected, and stands before the
//!    node that names it.
//! 6. The first level keeps all axes, no level occurs twice, and none has more axes than there are.
//! 7. What is sorted by exists.
//! 8. A looked-up figure names every key that it depends on.
//! 9. A bridge leads to the table that the rows reach, and a choice beside one looks at keys that bridges give.
//! 10. A node names its keys once each and in order, and among them all that its parts depend on but those that it fixes itself.
//! 11. A window function runs over a figure in an order of a key or a figure that is there, among keys of the line.
//! 12. Lines are chosen by a condition, or by a figure and one of their own keys, from scans that have these keys.
//! 13. Date ranges and first and last days are those of a calendar: their steps look at its rows, and the links lead to it.

use crate::date_range::{DateStep, During};
use crate::expr::{Expr, KeyFrom, Leaf, RowExpr, RowLeaf};
use crate::function::{AggregateFunction, Function};
use crate::graph::{Graph, KeptRule, Node, NodeKind, Scan, WindowCall, WindowOrder};
use crate::ids::{KeyId, LinkId, NodeId, ScanId, TableId};
use crate::plan::Plan;
use crate::query::{List, Query, SortKey};
use crate::schema::{Schema, TableKind};
use crate::types::Type;
use std::cell::RefCell;

/// A plan whose invariants are broken: a fault of the program.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("after {pass} the plan breaks {}", listed(.faults))]
pub struct Broken {
    /// The pass at fault.
    pub pass: &'static str,
    /// What is wrong, in the order in which it was found; at least one.
    pub faults: Vec<Fault>,
}

/// A broken invariant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// The number in the list of this module.
    pub number: u8,
    /// What is wrong.
    pub what: String,
}

fn listed(faults: &[Fault]) -> String {
    let each = faults.iter().map(|fault| format!("invariant {}: {}", fault.number, fault.what));
    each.collect::<Vec<_>>().join("; ")
}

struct Verifier<'a> {
    schema: &'a Schema,
    graph: &'a Graph,
    faults: RefCell<Vec<Fault>>,
}

/// Checks a plan after `pass`.
///
/// # Errors
/// All broken invariants.
pub fn plan(schema: &Schema, plan: &Plan, pass: &'static str) -> Result<(), Broken> {
    let verifier = Verifier { schema, graph: plan.graph(), faults: RefCell::default() };
    verifier.graph();
    match plan {
        Plan::Query(query) => verifier.query(query),
        Plan::List(list) => verifier.list(list),
    }
    let faults = verifier.faults.into_inner();
    if faults.is_empty() { Ok(()) } else { Err(Broken { pass, faults }) }
}

impl Verifier<'_> {
    fn query(&self, query: &Query) {
        for (at, axis) in query.axes.iter().enumerate() {
            let key = query.graph.keys.get(at);
            self.holds(4, key.is_some_and(|k| k.ty == axis.ty), || format!("{} has no key", axis.name));
            self.row(axis.home, &axis.member);
        }
        let axes: Vec<KeyId> = (0..query.axes.len() as u32).map(KeyId).collect();
        self.domain(5, &query.domain, &axes);
        for output in &query.outputs {
            self.node_is(output.node, output.ty);
            for term in &output.terms {
                let known = term.node.index() < query.graph.nodes.len();
                self.holds(5, known, || format!("{} has no term {}", output.name, term.node));
            }
            output.subtotal.iter().chain(&output.total).for_each(|v| self.node_is(v.node, v.ty));
        }
        let column_axes = query.axes.len() - query.row_axes;
        let full = query.levels.first().is_some_and(|l| l.rows == query.row_axes && l.columns == column_axes);
        let fits = query.levels.iter().all(|l| l.rows <= query.row_axes && l.columns <= column_axes);
        let twice = query
            .levels
            .iter()
            .enumerate()
            .any(|(at, l)| query.levels[..at].iter().any(|o| o.rows == l.rows && o.columns == l.columns));
        self.holds(6, full && fits && !twice, || "the levels are not in order".to_owned());
        let sorted = query.sort.iter().all(|s| match s.key {
            SortKey::Axis(at) => at < query.axes.len(),
            SortKey::Output(at) => at < query.outputs.len(),
        });
        self.holds(7, sorted, || "a sort names nothing".to_owned());
    }

    fn list(&self, list: &List) {
        self.conditions(list.table, &list.filter);
        list.bridges.iter().for_each(|b| self.conditions(b.table, &b.filter));
        let shown = list.columns.iter().map(|c| &c.expr);
        shown.chain(list.sort.iter().map(|(e, _)| e)).for_each(|e| self.row(list.table, e));
    }

    /// Notes a fault where something does not hold; whether it does.
    fn holds(&self, number: u8, holds: bool, what: impl FnOnce() -> String) -> bool {
        if !holds {
            self.faults.borrow_mut().push(Fault { number, what: what() });
        }
        holds
    }

    fn graph(&self) {
        self.graph.scans.iter().for_each(|scan| self.scan(scan));
        self.graph.nodes.iter().enumerate().for_each(|(at, node)| self.node(at, node));
    }

    fn scan_exists(&self, scan: ScanId) -> bool {
        self.holds(5, scan.index() < self.graph.scans.len(), || format!("there is no scan {scan}"))
    }

    fn key_exists(&self, number: u8, key: KeyId) {
        self.holds(number, key.index() < self.graph.keys.len(), || format!("there is no key {key}"));
    }

    fn node_is(&self, node: NodeId, ty: Type) {
        let found = self.graph.nodes.get(node.index()).map(|n| n.ty);
        self.holds(5, found == Some(ty), || format!("{node} is {found:?}, not {ty}"));
    }

    /// Scans that say which cells have rows: they must group by the keys of the cells.
    fn domain(&self, number: u8, domain: &[ScanId], keys: &[KeyId]) {
        for scan in domain.iter().filter(|scan| self.scan_exists(**scan)) {
            let own: Vec<KeyId> = self.graph.scan(*scan).key_ids().collect();
            let lacks = keys.iter().find(|key| !own.contains(key));
            self.holds(number, lacks.is_none(), || format!("{scan} does not give {lacks:?}"));
        }
    }

    fn node(&self, at: usize, node: &Node) {
        node.keys.iter().for_each(|key| self.key_exists(10, *key));
        self.holds(10, node.keys.is_sorted_by(|a, b| a < b), || format!("n{at} has its keys out of order"));
        let parts = crate::rewrite::parts(&node.kind);
        let before = |id: &NodeId| self.holds(5, id.index() < at, || format!("n{at} names {id}"));
        if parts.iter().filter(|part| !before(part)).count() > 0 {
            return;
        }
        match &node.kind {
            NodeKind::Literal(_) | NodeKind::StandsOn => {}
            NodeKind::Member(key) => {
                self.holds(5, node.keys == [*key], || format!("n{at} depends on its key alone"));
            }
            NodeKind::Edge { calendar, steps, .. } => {
                self.days(*calendar, steps);
                self.depends(at, node, &crate::date_range::step_keys(steps));
            }
            NodeKind::Call(function, args) => {
                let given: Vec<Type> = args.iter().map(|a| self.graph.node(*a).ty).collect();
                let fits = *function == Function::Cast || function.result(&given) == Ok(node.ty);
                self.holds(2, fits, || format!("n{at} is not {}", node.ty));
                args.iter().for_each(|arg| self.depends(at, node, &self.graph.node(*arg).keys));
            }
            NodeKind::Aggregate(scan, index) => self.aggregate(at, node, (*scan, *index)),
            NodeKind::Fold(fold) => {
                fold.over.iter().for_each(|key| self.key_exists(5, *key));
                self.domain(5, &fold.domain, &fold.over);
                for part in parts {
                    let free = self.graph.node(part).keys.iter().filter(|key| !fold.over.contains(key));
                    self.depends(at, node, &free.copied().collect::<Vec<_>>());
                }
            }
            NodeKind::Derive { inner, key, away, from } => {
                let free = self.graph.node(*inner).keys.iter().copied().filter(|own| own != key);
                self.depends(at, node, &free.collect::<Vec<_>>());
                let from: Vec<KeyId> = from.iter().map(|from| from.key).collect();
                self.depends(at, node, &from);
                if let Some((other, key)) = away {
                    let free = self.graph.node(*other).keys.iter().copied().filter(|own| own != key);
                    self.depends(at, node, &free.collect::<Vec<_>>());
                }
            }
            NodeKind::OnlyAt(inner, lists) => {
                self.depends(at, node, &self.graph.node(*inner).keys);
                lists.iter().for_each(|list| self.depends(at, node, list));
            }
            NodeKind::At { inner, key, member } => {
                let free = self.graph.node(*inner).keys.iter().copied().filter(|own| own != key);
                self.depends(at, node, &free.collect::<Vec<_>>());
                self.depends(at, node, &self.graph.node(*member).keys);
            }
            NodeKind::Window(window) => self.window(at, node, window),
            NodeKind::Kept(kept) => {
                self.holds(12, node.ty == Type::Boolean, || format!("n{at} is no choice"));
                self.domain(12, &kept.domain, &node.keys);
                match &kept.rule {
                    KeptRule::Having(condition) => self.node_is(*condition, Type::Boolean),
                    KeptRule::Top { key, .. } => {
                        self.holds(12, node.keys.contains(key), || format!("n{at} chooses by {key}"));
                    }
                }
            }
        }
    }

    /// Whether a node names some keys among its own.
    fn depends(&self, at: usize, node: &Node, keys: &[KeyId]) {
        for key in keys {
            self.holds(10, node.keys.contains(key), || format!("n{at} depends on {key} without naming it"));
        }
    }

    fn aggregate(&self, at: usize, node: &Node, (scan, index): (ScanId, usize)) {
        if !self.scan_exists(scan) {
            return;
        }
        let own = self.graph.scan(scan);
        let ty = own.aggregates.get(index).map(|a| a.ty);
        self.holds(5, ty == Some(node.ty), || format!("{scan} has no aggregate {index}"));
        let keys: Vec<KeyId> = own.key_ids().chain(own.given.iter().copied()).collect();
        self.depends(at, node, &keys);
    }

    fn window(&self, at: usize, node: &Node, window: &WindowCall) {
        window.among.iter().for_each(|key| {
            self.holds(11, node.keys.contains(key), || {
                format!("n{at} runs among {key}, which is no key of it")
            });
        });
        match window.order {
            WindowOrder::Key(key) => {
                self.holds(11, node.keys.contains(&key), || {
                    format!("n{at} goes by {key}, which is no key of it")
                });
            }
            // That it stands before was looked at with the other parts.
            WindowOrder::Figure { .. } => {}
        }
    }

    fn scan(&self, scan: &Scan) {
        self.conditions(scan.table, &scan.filter);
        for key in &scan.keys {
            self.row(scan.table, &key.expr);
            self.key_is(key.key, &key.expr);
        }
        self.bridges(scan);
        scan.during.iter().for_each(|during| self.during(scan.table, during));
        for aggregate in &scan.aggregates {
            self.conditions(scan.table, &aggregate.condition);
            aggregate.value.iter().chain(&aggregate.by).for_each(|expr| self.row(scan.table, expr));
            let value = aggregate.value.as_ref().map_or(Type::Null, Expr::ty);
            let result = aggregate.function.result(value);
            let counts = aggregate.function == AggregateFunction::CountRows;
            let fits = result == Ok(aggregate.ty) && counts == aggregate.value.is_none();
            self.holds(2, fits, || aggregate.to_string());
        }
    }

    fn key_is(&self, key: KeyId, expr: &RowExpr) {
        let ty = self.graph.keys.get(key.index()).map(|k| k.ty);
        self.holds(4, ty == Some(expr.ty()), || format!("{expr} is not {ty:?}"));
    }

    /// The days that rows of a table are read for.
    fn during(&self, table: TableId, during: &During) {
        for way in during.ways() {
            let end = self.end_of(table, &way.path);
            let fits = end == Some(during.calendar) && !way.path.is_empty();
            self.holds(13, fits, || format!("{:?} does not lead to {}", way.path, during.calendar));
        }
        self.days(during.calendar, &during.steps);
    }

    fn days(&self, calendar: TableId, steps: &[DateStep]) {
        let is_calendar = matches!(self.schema.table(calendar).kind, TableKind::Calendar { .. });
        self.holds(13, is_calendar, || format!("{calendar} is no calendar"));
        for step in steps {
            match step {
                DateStep::Position(keys) => keys.iter().for_each(|(key, expr)| {
                    self.row(calendar, expr);
                    self.key_is(*key, expr);
                }),
                DateStep::Where(conditions) => self.conditions(calendar, conditions),
                DateStep::DateRange(_) => {}
            }
        }
    }

    /// The table that links lead to, each from where the one before ended.
    fn end_of(&self, table: TableId, path: &[LinkId]) -> Option<TableId> {
        path.iter().try_fold(table, |at, link| {
            (self.schema.link_source(*link) == at).then(|| self.schema.link_target(*link))
        })
    }

    fn bridges(&self, scan: &Scan) {
        for bridge in &scan.bridges {
            let fits = self.schema.link(bridge.link).bridge
                && Some(self.schema.link_target(bridge.link)) == self.end_of(scan.table, &bridge.path)
                && self.schema.link_source(bridge.link) == bridge.table;
            self.holds(9, fits, || format!("{} is no bridge of {}", bridge.link, scan.table));
            self.conditions(bridge.table, &bridge.filter);
            for key in &bridge.keys {
                self.row(bridge.table, &key.expr);
                self.key_is(key.key, &key.expr);
            }
        }
        for choice in &scan.choices {
            self.node_is(choice.node, Type::Boolean);
            choice.own.iter().for_each(|(_, expr)| self.row(scan.table, expr));
            let given = |key: &KeyId| scan.is_bridged(*key);
            let fits = !choice.bridged.is_empty() && choice.bridged.iter().all(given);
            self.holds(9, fits, || format!("the choice {} looks at no bridge", choice.node));
        }
    }

    fn conditions(&self, table: TableId, conditions: &[RowExpr]) {
        for condition in conditions {
            self.row(table, condition);
            let fits = matches!(condition.ty(), Type::Boolean | Type::Null);
            self.holds(3, fits, || format!("{condition} is no condition"));
        }
    }

    fn row(&self, table: TableId, expr: &RowExpr) {
        let mut leaves: Vec<&RowLeaf> = Vec::new();
        expr.leaves(&mut |leaf| leaves.push(leaf));
        leaves.into_iter().for_each(|leaf| self.leaf(table, leaf));
        self.types(expr);
    }

    fn leaf(&self, table: TableId, leaf: &RowLeaf) {
        match leaf {
            RowLeaf::Column(leaf) => {
                let column = self.schema.column(leaf.column);
                let fits = self.end_of(table, &leaf.path) == Some(column.table) && column.ty == leaf.ty;
                self.holds(1, fits, || format!("{leaf} does not start at {table}"));
            }
            RowLeaf::Lookup(lookup) => {
                self.node_is(lookup.node, lookup.ty);
                let Some(node) = self.graph.nodes.get(lookup.node.index()) else { return };
                let named = node.keys.iter().all(|key| lookup.keys.iter().any(|k| k.key == *key));
                self.holds(8, named, || format!("{} lacks keys", lookup.node));
                for key in &lookup.keys {
                    if let KeyFrom::Row(expr) = &key.from {
                        self.row(table, expr);
                    }
                }
            }
        }
    }

    fn types<L: Leaf>(&self, expr: &Expr<L>) {
        let Expr::Call { function, args, ty } = expr else { return };
        args.iter().for_each(|a| self.types(a));
        let given: Vec<Type> = args.iter().map(Expr::ty).collect();
        let fits = *function == Function::Cast || function.result(&given) == Ok(*ty);
        self.holds(2, fits, || format!("{expr} is not {ty}"));
    }
}
