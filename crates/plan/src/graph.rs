//! Figures as a graph: scans of tables, and nodes over them. Each node is worked out once, all cells together.
//!
//! A node gives a value for every one of some cells; a cell is a combination of members of keys. A node names the keys
//! that it depends on. A cell may lack some of them: it is then a total over those, and the node is worked out for
//! all their members together.

use crate::bridge::{Bridged, Choice};
use crate::date_range::{DateStep, During};
use crate::expr::RowExpr;
use crate::function::{AggregateFunction, Function};
use crate::ids::{KeyId, NodeId, ScanId, TableId};
use crate::position_or_push;
use crate::scalar::Scalar;
use crate::types::Type;
use crate::window::WindowFunction;
use serde::{Deserialize, Serialize};

/// Keys, scans and nodes.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Graph {
    /// What distinguishes cells, by [`KeyId`].
    pub keys: Vec<Key>,
    /// What is read, by [`ScanId`].
    pub scans: Vec<Scan>,
    /// The figures, by [`NodeId`]; each after those that it is made of.
    pub nodes: Vec<Node>,
}

/// An attribute that distinguishes cells: an axis, or a key of a detail of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Key {
    /// How messages call it.
    pub name: String,
    /// The type of its members.
    pub ty: Type,
    /// Members in an order by hand; the others follow in their own order.
    pub order: Vec<Scalar>,
    /// The name of the line of the members that were not chosen, if there is one.
    pub rest: Option<String>,
    /// Whether rows without a member and rows whose key no row of its table has are one member, as rows of a detail without a key are.
    pub missing_as_one: bool,
}

/// One pass over the rows of a table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Scan {
    /// The table.
    pub table: TableId,
    /// Conditions that all must hold; null does not.
    pub filter: Vec<RowExpr>,
    /// The keys by which rows are grouped.
    pub keys: Vec<ScanKey>,
    /// The bridges that rows are grouped by, or must meet conditions on.
    pub bridges: Vec<Bridged>,
    /// The choices of lines that look at them.
    pub choices: Vec<Choice>,
    /// Keys of the cell on which conditions, values or days depend, though rows are not grouped by them.
    pub given: Vec<KeyId>,
    /// The days whose rows a cell takes, if not those where it stands.
    pub during: Option<During>,
    /// What is worked out per group.
    pub aggregates: Vec<Aggregate>,
}

/// A key of a scan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ScanKey {
    /// The key.
    pub key: KeyId,
    /// Its value for a row.
    pub expr: RowExpr,
    /// For a key with a rest: whether the row's member was chosen.
    pub kept: Option<RowExpr>,
}

/// One value per group of rows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Aggregate {
    /// The function.
    pub function: AggregateFunction,
    /// The value of each row; none for a count of rows.
    pub value: Option<RowExpr>,
    /// The key by which `first` and `last` choose.
    pub by: Option<RowExpr>,
    /// The part of `percentile` or the separator of `listagg`.
    pub parameter: Option<Scalar>,
    /// Conditions of its own, on top of those of the scan.
    pub condition: Vec<RowExpr>,
    /// The type of the result.
    pub ty: Type,
}

/// A figure.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Node {
    /// How it is worked out.
    pub kind: NodeKind,
    /// The type of its values.
    pub ty: Type,
    /// The keys that it depends on, in order.
    pub keys: Vec<KeyId>,
}

/// How a figure is worked out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum NodeKind {
    /// A fixed value.
    Literal(Scalar),
    /// A function of other figures.
    Call(Function, Vec<NodeId>),
    /// An aggregate of a scan.
    Aggregate(ScanId, usize),
    /// An aggregate over one value per combination of further keys.
    Fold(Fold),
    /// Whether the cell has a member on one of the node's keys.
    StandsOn,
    /// The member of the cell on a key; null where that is none, unknown or the rest.
    Member(KeyId),
    /// The first or last of the days that some steps lead to.
    Edge {
        /// The last one.
        last: bool,
        /// The calendar.
        calendar: TableId,
        /// From all days to those of the cell.
        steps: Vec<DateStep>,
    },
    /// Another figure, at a member that the cell's own members determine.
    Derive {
        /// The figure.
        inner: NodeId,
        /// The key that it stands on.
        key: KeyId,
        /// The figure where the cell does not stand on `key`, and the key that it stands on: on an axis with a rest a
        /// member that is determined would be the rest's.
        away: Option<(NodeId, KeyId)>,
        /// The keys of the cell that determine it; the first one on which the cell stands counts. Where it stands on
        /// `key` itself, that does.
        from: Vec<Determining>,
    },
    /// Another figure at the member of a further key that a figure of the cell says; null where it says none.
    At {
        /// The figure.
        inner: NodeId,
        /// The further key.
        key: KeyId,
        /// Its member.
        member: NodeId,
    },
    /// Another figure where the cell stands on at least one key of each list; elsewhere null.
    OnlyAt(NodeId, Vec<Vec<KeyId>>),
    /// A window function: a figure among the lines shown.
    Window(WindowCall),
    /// Whether a line was chosen.
    Kept(Kept),
}

/// A key whose member determines that of another one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Determining {
    /// The key.
    pub key: KeyId,
    /// The table whose rows hold its members.
    pub table: TableId,
    /// Its member for a row.
    pub own: RowExpr,
    /// The member of the other key for the same row.
    pub determined: RowExpr,
}

/// An aggregate over one value per combination of further keys.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Fold {
    /// The function.
    pub function: AggregateFunction,
    /// The value of each combination.
    pub value: NodeId,
    /// The key by which `first` and `last` choose.
    pub by: Option<NodeId>,
    /// The part of `percentile` or the separator of `listagg`.
    pub parameter: Option<Scalar>,
    /// Which combinations are taken, if not all.
    pub condition: Option<NodeId>,
    /// The further keys.
    pub over: Vec<KeyId>,
    /// The combinations are those that have rows in these.
    pub domain: Vec<ScanId>,
}

/// A window function: a figure among the lines shown.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct WindowCall {
    /// How.
    pub function: WindowFunction,
    /// The figure.
    pub value: NodeId,
    /// Lines that differ only in these keys belong together. Where a line stands on none of them, it has no value.
    pub among: Vec<KeyId>,
    /// In which order, but for ranks.
    pub order: WindowOrder,
}

/// The order of lines along which a figure is made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum WindowOrder {
    /// That of the members of a key.
    Key(KeyId),
    /// That of another figure; equal ones in the order of their members.
    Figure {
        /// The figure.
        node: NodeId,
        /// Largest first.
        descending: bool,
    },
}

/// A choice of lines.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Kept {
    /// The lines to choose from are those that have rows in these.
    pub domain: Vec<ScanId>,
    /// How they are chosen.
    pub rule: KeptRule,
}

/// How lines are chosen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum KeptRule {
    /// Where a condition holds.
    Having(NodeId),
    /// The first ones by a figure; lines without a value are never chosen.
    Top {
        /// How many.
        count: usize,
        /// The figure.
        by: NodeId,
        /// The smallest instead of the largest.
        smallest: bool,
        /// The key whose members are chosen; again for every combination of the others.
        key: KeyId,
        /// All that equal the last one.
        ties: bool,
    },
}

impl Graph {
    /// The node of an id.
    pub fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.index()]
    }

    /// The scan of an id.
    pub fn scan(&self, id: ScanId) -> &Scan {
        &self.scans[id.index()]
    }

    /// The id of a node; an equal one that is there already serves again.
    pub fn add(&mut self, node: Node) -> NodeId {
        NodeId(position_or_push(&mut self.nodes, node) as u32)
    }

    /// Calls `visit` with each row expression of the scans and nodes, and the table whose rows it is about.
    pub fn row_exprs<'a>(&'a self, visit: &mut dyn FnMut(TableId, &'a RowExpr)) {
        for scan in &self.scans {
            scan.row_exprs(visit);
        }
        for node in &self.nodes {
            match &node.kind {
                NodeKind::Edge { calendar, steps, .. } => step_exprs(*calendar, steps, visit),
                NodeKind::Derive { from, .. } => {
                    for key in from {
                        visit(key.table, &key.determined);
                        visit(key.table, &key.own);
                    }
                }
                _ => {}
            }
        }
    }

    /// Where each key takes its members from: a table, and the key's value for its rows.
    pub fn key_places<'a>(&'a self, more: &[(TableId, &'a RowExpr)]) -> Vec<Vec<(TableId, &'a RowExpr)>> {
        let mut places: Vec<Vec<(TableId, &'a RowExpr)>> = vec![Vec::new(); self.keys.len()];
        let mut add = |key: KeyId, table: TableId, expr: &'a RowExpr| {
            let list = &mut places[key.index()];
            if !list.contains(&(table, expr)) {
                list.push((table, expr));
            }
        };
        for scan in &self.scans {
            scan.keys.iter().for_each(|k| add(k.key, scan.table, &k.expr));
            for bridge in &scan.bridges {
                bridge.keys.iter().for_each(|k| add(k.key, bridge.table, &k.expr));
            }
            for choice in &scan.choices {
                choice.own.iter().for_each(|(key, expr)| add(*key, scan.table, expr));
            }
            if let Some(during) = &scan.during {
                step_places(during.calendar, &during.steps, &mut add);
            }
        }
        for node in &self.nodes {
            match &node.kind {
                NodeKind::Edge { calendar, steps, .. } => step_places(*calendar, steps, &mut add),
                NodeKind::Derive { key, away, from, .. } => {
                    for finer in from {
                        add(*key, finer.table, &finer.determined);
                        away.iter().for_each(|(_, key)| add(*key, finer.table, &finer.determined));
                        add(finer.key, finer.table, &finer.own);
                    }
                }
                _ => {}
            }
        }
        let mut exprs: Vec<(TableId, &'a RowExpr)> = more.to_vec();
        self.row_exprs(&mut |table, expr| exprs.push((table, expr)));
        for (table, expr) in exprs {
            expr.lookups(&mut |lookup| {
                for key in &lookup.keys {
                    // One that is made of figures has its members from where the figure that it leads to has them: only these can be found.
                    if let crate::KeyFrom::Row(expr) = &key.from
                        && expr.is_plain()
                    {
                        add(key.key, table, expr);
                    }
                }
            });
        }
        places
    }

    /// The tables that are read, and the columns that their rows are read for: all that the graph needs.
    pub fn needs(&self) -> (Vec<TableId>, Vec<&crate::ColumnRef>) {
        let mut columns = Vec::new();
        self.row_exprs(&mut |_, expr| {
            expr.columns(&mut |c| columns.push(c));
            expr.lookups(&mut |lookup| {
                for key in &lookup.keys {
                    if let crate::KeyFrom::Row(expr) = &key.from {
                        expr.columns(&mut |c| columns.push(c));
                    }
                }
            });
        });
        (self.scans.iter().map(|s| s.table).collect(), columns)
    }
}

impl Scan {
    /// A pass over all rows of a table, of which nothing is worked out yet.
    pub fn over(table: TableId) -> Self {
        Self {
            table,
            filter: Vec::new(),
            keys: Vec::new(),
            bridges: Vec::new(),
            choices: Vec::new(),
            given: Vec::new(),
            during: None,
            aggregates: Vec::new(),
        }
    }

    /// Calls `visit` with each row expression, and the table whose rows it is about.
    pub fn row_exprs<'a>(&'a self, visit: &mut dyn FnMut(TableId, &'a RowExpr)) {
        let mut own = |expr: &'a RowExpr| visit(self.table, expr);
        self.filter.iter().for_each(&mut own);
        for key in &self.keys {
            own(&key.expr);
            key.kept.iter().for_each(&mut own);
        }
        for aggregate in &self.aggregates {
            aggregate.value.iter().chain(&aggregate.by).chain(&aggregate.condition).for_each(&mut own);
        }
        self.choices.iter().flat_map(|c| &c.own).for_each(|(_, expr)| own(expr));
        for bridge in &self.bridges {
            bridge.filter.iter().for_each(|expr| visit(bridge.table, expr));
            bridge.keys.iter().for_each(|key| visit(bridge.table, &key.expr));
        }
        if let Some(during) = &self.during {
            step_exprs(during.calendar, &during.steps, visit);
        }
    }

    /// The keys by which rows belong to cells, those of bridges behind their own.
    pub fn key_ids(&self) -> impl Iterator<Item = KeyId> + '_ {
        let bridged = self.bridges.iter().flat_map(|b| &b.keys).filter(|k| k.splits);
        self.keys.iter().map(|k| k.key).chain(bridged.map(|k| k.key))
    }

    /// Whether the rows of a bridge give a key.
    pub fn is_bridged(&self, key: KeyId) -> bool {
        self.bridges.iter().flat_map(|b| &b.keys).any(|k| k.key == key)
    }

    /// Whether a row may have several members of a key: a bridge gives it, or a choice that looks at one makes some of its members the rest.
    pub fn is_several(&self, key: KeyId) -> bool {
        self.is_bridged(key) || self.choices.iter().any(|c| c.rest == Some(key))
    }

    /// The keys of the cell that looked-up figures depend on.
    pub fn looked_up(&self) -> Vec<KeyId> {
        let mut keys = Vec::new();
        self.row_exprs(&mut |_, expr| {
            expr.cell_keys(&mut |key| keys.push(key));
        });
        keys
    }

    /// Whether what is worked out for a cell depends on the cell by more than the rows that belong to it.
    pub fn depends_on_cell(&self) -> bool {
        let mut depends = self.during.is_some();
        self.row_exprs(&mut |_, expr| {
            depends |= expr.asks_cell();
        });
        depends
    }
}

fn step_places<'a>(
    calendar: TableId,
    steps: &'a [DateStep],
    add: &mut impl FnMut(KeyId, TableId, &'a RowExpr),
) {
    for step in steps {
        if let DateStep::Position(keys) = step {
            keys.iter().for_each(|(key, expr)| add(*key, calendar, expr));
        }
    }
}

fn step_exprs<'a>(calendar: TableId, steps: &'a [DateStep], visit: &mut dyn FnMut(TableId, &'a RowExpr)) {
    for step in steps {
        match step {
            DateStep::Position(keys) => keys.iter().for_each(|(_, expr)| visit(calendar, expr)),
            DateStep::Where(conditions) => conditions.iter().for_each(|c| visit(calendar, c)),
            DateStep::DateRange(_) => {}
        }
    }
}
