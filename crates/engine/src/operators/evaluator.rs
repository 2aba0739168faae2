//! Figures of cells: each node of a graph is worked out once, for whatever cells ask for it.

mod bridge;
mod chosen;
mod classes;
mod date_range;
mod edge;
mod fold;
mod groups;
mod guarded;
mod kept;
mod member_days;
mod partial;
mod pass;
mod representatives;
mod window;

pub(crate) use bridge::NO_CLASS;
pub(crate) use pass::{as_written, predicate};

pub use member_days::{DaysByMembers, days_of_members};
pub use partial::mark_partial;

use crate::error::EngineError;
use crate::execution::options::Options;
use crate::execution::parallel::{many, numbers};
use crate::execution::profile::{Step, profiled};
use crate::execution::threads::try_in_pieces;
use crate::expression::eval::Prepared;
use crate::expression::guards::{Failed, guard, is_guard, values_or_errors};
use crate::expression::kernels::{self, Call};
use crate::expression::prepare::{
    Preparer, Scope, behind_common_link, grows, key, key_behind_link, plain, prepared_key,
};
use crate::expression::vector::Vector;
use crate::operators::cells::{Cells, Codes};
use crate::operators::group_index::{GroupIndex, Numbered, differ_on_one};
use crate::operators::groupings::Groupings;
use crate::operators::members::{Key, Members, column_key};
use crate::storage::column::Column;
use crate::storage::row_id::Rows;
use crate::storage::star::Star;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::cell::{Cell, OnceCell, RefCell};
use std::rc::Rc;
use std::sync::Arc;
use vembra_plan::{
    Determining, Expr, Function, Graph, KeyId, NodeId, NodeKind, RowExpr, RowLeaf, Scalar, Scan, ScanId,
    ScanKey, TableId, Type,
};

/// How many rows are tested together for whether their member was chosen.
const KEPT_AT_A_TIME: usize = 1 << 14;

/// The longest text, in bytes.
const LONGEST: u64 = 1 << 20;

/// The keys of one table by an expression of its rows, and where it fails.
type OwnKey = (TableId, RowExpr, Key, Arc<Failed>);

/// Works out the nodes of one graph, and keeps what it found for as long as it lives.
pub(crate) struct Evaluator<'a> {
    pub(crate) star: &'a Star,
    pub(crate) graph: &'a Graph,
    pub(crate) options: &'a Options,
    /// Whether passes over rows are planned and not made: each gives groups without rows, so that whatever comes after it is planned too.
    pub(crate) plan_only: bool,
    /// Where each key takes its members from.
    places: Vec<Vec<(TableId, &'a RowExpr)>>,
    members: Vec<OnceCell<Arc<Members>>>,
    keys: RefCell<Vec<(KeyId, TableId, RowExpr, Key)>>,
    own_keys: RefCell<Vec<OwnKey>>,
    /// Errors of values that nobody has asked for yet, by their numbers.
    errors: RefCell<Vec<EngineError>>,
    next_cells: Cell<usize>,
    values: RefCell<HashMap<(NodeId, usize), Rc<Vector>, FixedState>>,
    projections: RefCell<HashMap<(usize, Vec<KeyId>), Projection, FixedState>>,
    found: RefCell<Vec<Found>>,
}

/// Cells on fewer keys, and for every one of the cells before the number of its own.
type Projection = (Rc<Cells>, Codes);

/// What a scan gave.
struct Found {
    scan: ScanId,
    position: Vec<KeyId>,
    /// The cells on given keys that it was asked for.
    given: Option<usize>,
    groupings: Rc<Groupings>,
}

impl<'a> Evaluator<'a> {
    /// `roots` are row expressions outside of the graph that look up its nodes, or that its keys have members from.
    pub(crate) fn new(
        star: &'a Star,
        graph: &'a Graph,
        options: &'a Options,
        roots: &[(TableId, &'a RowExpr)],
    ) -> Self {
        Self {
            star,
            graph,
            options,
            plan_only: false,
            places: graph.key_places(roots),
            members: graph.keys.iter().map(|_| OnceCell::new()).collect(),
            keys: RefCell::default(),
            own_keys: RefCell::default(),
            errors: RefCell::default(),
            next_cells: Cell::new(0),
            values: RefCell::default(),
            projections: RefCell::default(),
            found: RefCell::default(),
        }
    }

    /// The same, to plan passes over rows and make none.
    pub(crate) fn planning(self) -> Self {
        Self { plan_only: true, ..self }
    }

    /// Lets a key take members from a further place. Must be said before they are asked for.
    pub(crate) fn add_place(&mut self, key: KeyId, table: TableId, expr: &'a RowExpr) {
        self.places[key.index()].push((table, expr));
    }

    /// The members of a key over all places where it is read.
    pub(crate) fn members(&self, id: KeyId) -> Result<&Arc<Members>, EngineError> {
        let cell = &self.members[id.index()];
        if let Some(members) = cell.get() {
            return Ok(members);
        }
        let mut all: Option<Arc<Members>> = None;
        for (table, expr) in &self.places[id.index()] {
            let members = self.own_key(*table, expr)?.0.members;
            all = Some(match all {
                None => members,
                Some(all) if Arc::ptr_eq(&all, &members) || *all == *members => all,
                Some(all) => Arc::new(all.union(&members)),
            });
        }
        let mut all = all.unwrap_or_else(|| Arc::new(Members::of(Vec::new())));
        if self.graph.keys[id.index()].rest.is_some() {
            all = Arc::new(Members { values: all.values.clone(), rest: true, ..*all });
        }
        if self.has_unknown_to_join(id)? {
            all = Arc::new(Members { values: all.values.clone(), missing_as_one: true, ..*all });
        }
        Ok(cell.get_or_init(|| all))
    }

    /// Whether the unknown keys of a key are to have the place of none, and there may be some: where all links find their rows, the codes
    /// stay as columns hold them.
    fn has_unknown_to_join(&self, id: KeyId) -> Result<bool, EngineError> {
        if !self.graph.keys[id.index()].missing_as_one {
            return Ok(false);
        }
        // Rows may lead to nothing that a bridge could come from.
        if self.graph.scans.iter().any(|scan| scan.is_bridged(id)) {
            return Ok(true);
        }
        for (_, expr) in &self.places[id.index()] {
            let Expr::Leaf(RowLeaf::Column(column)) = expr else { return Ok(true) };
            for link in &column.path {
                if !self.star.is_complete(*link)? {
                    return Ok(true);
                }
            }
        }
        Ok(false)
    }

    /// A key over the rows of a table, with codes among its own members, and with guards the rows for which it cannot be worked out: they
    /// have the code of none.
    pub(crate) fn own_key(&self, table: TableId, expr: &RowExpr) -> Result<(Key, Arc<Failed>), EngineError> {
        let known = |(t, e, ..): &&(TableId, RowExpr, Key, Arc<Failed>)| *t == table && e == expr;
        if let Some((.., key, failed)) = self.own_keys.borrow().iter().find(known) {
            return Ok((key.clone(), failed.clone()));
        }
        let make = || match self.make_key(table, expr) {
            Err(error) if self.options.guarded && error.is_of_value() => self.guarded_key(table, expr),
            key => Ok((key?, Arc::default())),
        };
        let (key, failed) = profiled(self.options.profiler.as_deref(), make, |_| Step::Members(table))?;
        self.own_keys.borrow_mut().push((table, expr.clone(), key.clone(), failed.clone()));
        Ok((key, failed))
    }

    fn guarded_key(&self, table: TableId, expr: &RowExpr) -> Result<(Key, Arc<Failed>), EngineError> {
        let (rows, ty) = (self.star.rows(table), expr.ty());
        if let Some(key) = self.linked_guarded_key(expr)? {
            return Ok(key);
        }
        let prepared = Preparer { evaluator: self, table, scope: &Scope::default(), within_growing: false }
            .prepare(expr)?;
        let (values, failed) = prepared.or_errors(rows)?;
        let column = Column::from_vector(ty, Vector::from_scalars(&values, ty), rows);
        Ok((column_key(&column), Arc::new(failed)))
    }

    /// The same of an expression all of whose columns are reached by one link first: rows that it leads nowhere from are unknown, or have none.
    fn linked_guarded_key(&self, expr: &RowExpr) -> Result<Option<(Key, Arc<Failed>)>, EngineError> {
        let Some(plain) = plain(expr) else { return Ok(None) };
        let Some((link, tail)) = behind_common_link(&plain) else { return Ok(None) };
        let target = self.star.schema().link_target(link);
        let tail_of_rows = tail.map_leaves(&mut |column| RowLeaf::Column(column.clone()));
        let (own, failed) = self.own_key(target, &tail_of_rows)?;
        let numbers = self.star.link_rows(link)?;
        let failed = (0..numbers.len()).filter_map(|row| Some((row, failed.get(&numbers.get(row))?.clone())));
        let failed: Failed = failed.collect();
        Ok(Some((key_behind_link(numbers, &own, &tail)?, Arc::new(failed))))
    }

    /// Conditions that fail for rows on whose keys a scan cannot group.
    fn failing_keys(&self, scan: &Scan) -> Vec<Prepared> {
        let own_keys = self.own_keys.borrow();
        let failed = scan.keys.iter().filter_map(|key| {
            let known = own_keys.iter().find(|(t, e, ..)| *t == scan.table && *e == key.expr);
            known.map(|(.., failed)| failed.clone()).filter(|failed| !failed.is_empty())
        });
        let holds = || Prepared::Literal(Scalar::Boolean(true), Type::Boolean);
        failed.map(|failed| holds().failing(None, failed)).collect()
    }

    fn make_key(&self, table: TableId, expr: &RowExpr) -> Result<Key, EngineError> {
        if !grows(expr)
            && let Some(plain) = plain(expr)
        {
            return key(self.star, table, &plain);
        }
        let prepared = Preparer { evaluator: self, table, scope: &Scope::default(), within_growing: false }
            .prepare(expr)?;
        prepared_key(prepared, self.star.rows(table))
    }

    /// A key over the rows of a table, with codes among all its members.
    pub(crate) fn key(&self, id: KeyId, table: TableId, expr: &RowExpr) -> Result<Key, EngineError> {
        self.key_of(id, table, expr, false)
    }

    fn key_of(&self, id: KeyId, table: TableId, expr: &RowExpr, of_pass: bool) -> Result<Key, EngineError> {
        let known = |(k, t, e, _): &&(KeyId, TableId, RowExpr, Key)| *k == id && *t == table && e == expr;
        if let Some((.., key)) = self.keys.borrow().iter().find(known).filter(|_| !self.options.guarded) {
            return Ok(key.clone());
        }
        let (own, failed) = self.own_key(table, expr)?;
        // Only a pass over rows asks whether it needs one of these.
        if let (false, Some(error)) = (of_pass, failed.values().next()) {
            return Err(error.clone());
        }
        let key = own.among(self.members(id)?);
        self.keys.borrow_mut().push((id, table, expr.clone(), key.clone()));
        Ok(key)
    }

    /// The key of a scan; members that were not chosen are the rest.
    pub(crate) fn scan_key(&self, table: TableId, scan_key: &ScanKey) -> Result<Key, EngineError> {
        let key = self.key_of(scan_key.key, table, &scan_key.expr, true)?;
        let Some(kept) = &scan_key.kept else { return Ok(key) };
        let rows = self.star.rows(table);
        let kept = Preparer { evaluator: self, table, scope: &Scope::default(), within_growing: false }
            .prepare(kept)?;
        let rest = key.members.rest();
        let mut codes = vec![0; rows];
        try_in_pieces(&mut codes, KEPT_AT_A_TIME, |start, own| {
            let rows = Rows::Range(start, own.len());
            let kept = kept.eval(rows)?;
            key.combine(rows, own, 0);
            let left_out = own.iter_mut().enumerate().filter(|(at, _)| !kept.is_true(*at));
            left_out.for_each(|(_, code)| *code = rest);
            Ok::<(), EngineError>(())
        })?;
        let numbers = crate::storage::small_ints::SmallInts::new(codes, key.members.codes());
        Ok(Key { numbers: Arc::new(numbers), map: None, members: key.members })
    }

    /// Numbers combinations of codes of some keys, about as many as `expected`.
    pub(crate) fn group_index(&self, keys: &[KeyId], expected: usize) -> Result<GroupIndex, EngineError> {
        let sizes: Result<Vec<usize>, EngineError> =
            keys.iter().map(|k| Ok(self.members(*k)?.codes())).collect();
        GroupIndex::new(sizes?, expected)
    }

    /// Cells from the codes of each key; without keys there is one cell.
    pub(crate) fn cells(&self, keys: Vec<KeyId>, codes: Vec<Vec<u32>>) -> Rc<Cells> {
        self.shared_cells(keys, codes.into_iter().map(Rc::new).collect())
    }

    pub(crate) fn shared_cells(&self, keys: Vec<KeyId>, codes: Vec<Codes>) -> Rc<Cells> {
        let id = self.next_cells.get();
        self.next_cells.set(id + 1);
        let len = codes.first().map_or(1, |c| c.len());
        Rc::new(Cells { keys, codes, len, id })
    }

    /// The different cells on fewer keys.
    pub(crate) fn project(&self, cells: &Rc<Cells>, keys: &[KeyId]) -> Result<Projection, EngineError> {
        let keys: Vec<KeyId> = cells.keys.iter().copied().filter(|k| keys.contains(k)).collect();
        let name = (cells.id, keys);
        if let Some(known) = self.projections.borrow().get(&name) {
            return Ok(known.clone());
        }
        let (projected, map) = if name.1.len() == cells.keys.len() {
            (cells.clone(), numbers(cells.len))
        } else if name.1.is_empty() {
            // All cells are one; no cells stay none.
            let one = self.cells(Vec::new(), Vec::new());
            let len = cells.len.min(1);
            (Rc::new(Cells { keys: Vec::new(), codes: Vec::new(), len, id: one.id }), many(cells.len, 0))
        } else {
            let columns: Vec<Codes> = name.1.iter().filter_map(|k| cells.codes_of(*k)).cloned().collect();
            self.distinct(name.1.clone(), &columns, cells.len)?
        };
        let projection = (projected, Rc::new(map));
        self.projections.borrow_mut().insert(name, projection.clone());
        Ok(projection)
    }

    /// Whether combinations of codes of some keys surely all differ.
    pub(crate) fn all_differ(
        &self,
        keys: &[KeyId],
        columns: &[Codes],
        len: usize,
    ) -> Result<bool, EngineError> {
        let sizes: Vec<usize> =
            keys.iter().map(|k| Ok(self.members(*k)?.codes())).collect::<Result<_, EngineError>>()?;
        Ok(differ_on_one(columns.iter().map(|codes| codes.as_slice()).zip(sizes), len))
    }

    /// The different ones among cells.
    fn distinct(
        &self,
        keys: Vec<KeyId>,
        columns: &[Codes],
        len: usize,
    ) -> Result<(Rc<Cells>, Vec<u32>), EngineError> {
        if self.all_differ(&keys, columns, len)? {
            return Ok((self.shared_cells(keys, columns.to_vec()), numbers(len)));
        }
        let mut group_index = self.group_index(&keys, len)?;
        let numbered = group_index.number_all(&slices(columns), len);
        Ok((self.shared_cells(keys, picked(&numbered, columns)), numbered.of))
    }

    /// The values of a node for some cells.
    pub(crate) fn node(&self, id: NodeId, cells: &Rc<Cells>) -> Result<Rc<Vector>, EngineError> {
        let node = self.graph.node(id);
        if cells.len == 0 {
            return Ok(Rc::new(Vector::from_scalars(&[], node.ty)));
        }
        // Most stand on all keys of their cells.
        let whole = cells.keys.iter().all(|k| node.keys.contains(k));
        let (own, map) = if whole {
            (cells.clone(), None)
        } else {
            let (own, map) = self.project(cells, &node.keys)?;
            (own, Some(map))
        };
        let known = self.values.borrow().get(&(id, own.id)).cloned();
        let values = match known {
            Some(values) => values,
            None => {
                let work = || self.work_out(id, &own);
                let step = |_: &Rc<Vector>| Step::Figure(id, own.len);
                let values = profiled(self.options.profiler.as_deref(), work, step)?;
                self.values.borrow_mut().insert((id, own.id), values.clone());
                values
            }
        };
        match map {
            Some(map) if !values.constant && own.len > 1 => Ok(Rc::new(values.gather(&map))),
            // The same in all cells.
            Some(_) if !values.constant => Ok(Rc::new(Vector { constant: true, ..(*values).clone() })),
            _ => Ok(values),
        }
    }

    /// The values of a node for some cells, and the cells for which it has none.
    pub(crate) fn node_or_errors(
        &self,
        id: NodeId,
        cells: &Rc<Cells>,
    ) -> Result<(Vector, Failed), EngineError> {
        let ty = self.graph.node(id).ty;
        let (values, failed) = values_or_errors(cells.len, &|start, count| {
            let some: Vec<usize> = (start..start + count).collect();
            self.scalars_at(id, cells, &some)
        })?;
        Ok((Vector::from_scalars(&values, ty), failed))
    }

    /// The values of a node for some of some cells.
    fn scalars_at(&self, id: NodeId, cells: &Rc<Cells>, some: &[usize]) -> Result<Vec<Scalar>, EngineError> {
        let ty = self.graph.node(id).ty;
        let values = self.node(id, &self.some_cells(cells, some))?;
        Ok((0..some.len()).map(|at| values.scalar(at, ty)).collect())
    }

    /// Whether there is memory for texts of cells that may grow: those of `rpad` by the lengths that are asked for.
    fn check_growth(&self, function: Function, args: &[Rc<Vector>], cells: usize) -> Result<(), EngineError> {
        if !matches!(function, Function::PadLeft | Function::PadRight | Function::Replace) {
            return Ok(());
        }
        let bytes = |cell: usize| -> u64 {
            args.iter()
                .map(|arg| arg.scalar(cell, Type::Text))
                .map(|value| value.to_string().len() as u64)
                .sum()
        };
        let length = |cell: usize| -> u64 {
            let asked = args.get(1).map(|arg| arg.scalar(cell, Type::Integer));
            match (function, asked) {
                (Function::Replace, _) => bytes(cell).saturating_mul(bytes(cell)).min(LONGEST),
                (_, Some(Scalar::Integer(length))) => u64::try_from(length).unwrap_or(0).min(LONGEST),
                _ => 0,
            }
        };
        Ok(self.options.memory.check_more((0..cells).map(length).sum())?)
    }

    /// Some of some cells.
    fn some_cells(&self, cells: &Rc<Cells>, some: &[usize]) -> Rc<Cells> {
        let pick = |codes: &Codes| some.iter().map(|at| codes[*at]).collect();
        let codes: Vec<Vec<u32>> = cells.codes.iter().map(pick).collect();
        let mut picked = self.cells(cells.keys.clone(), codes);
        if cells.keys.is_empty() {
            let (id, len) = (picked.id, some.len());
            picked = Rc::new(Cells { keys: Vec::new(), codes: Vec::new(), len, id });
        }
        picked
    }

    fn work_out(&self, id: NodeId, cells: &Rc<Cells>) -> Result<Rc<Vector>, EngineError> {
        self.options.stop.check()?;
        let node = self.graph.node(id);
        let worked_out = match &node.kind {
            NodeKind::Literal(value) => Vector::constant(value, node.ty),
            NodeKind::Call(function, args) if self.options.guarded && is_guard(*function) => {
                guard(*function, args.len(), node.ty, cells.len, &|arg, some| {
                    self.scalars_at(args[arg], cells, some)
                })?
            }
            NodeKind::Call(function, args) => {
                let vectors: Vec<Rc<Vector>> =
                    args.iter().map(|arg| self.node(*arg, cells)).collect::<Result<_, _>>()?;
                let args_of: Vec<&Vector> = vectors.iter().map(|vector| &**vector).collect();
                let types: Vec<_> = args.iter().map(|a| self.graph.node(*a).ty).collect();
                self.check_growth(*function, &vectors, cells.len)?;
                let call =
                    Call { function: *function, args: &args_of, types: &types, ty: node.ty, rows: cells.len };
                kernels::run(&call)?
            }
            NodeKind::Aggregate(scan, index) => return self.aggregate(*scan, *index, cells),
            NodeKind::Fold(fold) => self.fold(fold, node.ty, cells)?,
            NodeKind::StandsOn => {
                let stands = Scalar::Boolean(!cells.keys.is_empty());
                Vector::constant(&stands, node.ty)
            }
            NodeKind::Member(key) => {
                let members = self.members(*key)?;
                let value = |code: &u32| members.values.get(*code as usize).cloned().unwrap_or(Scalar::Null);
                let codes = cells.codes_of(*key).map(|codes| codes.as_slice()).unwrap_or_default();
                Vector::from_scalars(&codes.iter().map(value).collect::<Vec<_>>(), node.ty)
            }
            NodeKind::Edge { last, calendar, steps } => self.edge(*last, *calendar, steps, cells)?,
            NodeKind::Derive { inner, key, away, from } => {
                let stands = cells.codes_of(*key).is_some();
                let (inner, key) = match away.as_ref().filter(|_| !stands) {
                    Some((node, key)) => (node, key),
                    None => (inner, key),
                };
                let from = from.iter().filter(|_| !stands).find(|from| cells.codes_of(from.key).is_some());
                let Some(from) = from else { return self.node(*inner, cells) };
                let map = self.derived_codes(*key, from)?;
                let derived: Vec<u32> = cells
                    .codes_of(from.key)
                    .map(|codes| codes.iter().map(|code| map[*code as usize]).collect())
                    .unwrap_or_default();
                let keys = cells.keys.iter().copied().chain([*key]).collect();
                let columns: Vec<Codes> = cells.codes.iter().cloned().chain([Rc::new(derived)]).collect();
                let (moved, map) = self.distinct(keys, &columns, cells.len)?;
                (*self.node(*inner, &moved)?).clone().expand(moved.len).gather(&map)
            }
            NodeKind::At { inner, key, member } => {
                let (said, ty) = (self.node(*member, cells)?, self.graph.node(*member).ty);
                let members = self.members(*key)?;
                let code = |cell| members.find(&said.scalar(cell, ty)).unwrap_or(members.none());
                let codes: Vec<u32> = (0..cells.len).map(code).collect();
                let keys = cells.keys.iter().copied().chain([*key]).collect();
                let columns: Vec<Codes> = cells.codes.iter().cloned().chain([Rc::new(codes)]).collect();
                let (moved, map) = self.distinct(keys, &columns, cells.len)?;
                (*self.node(*inner, &moved)?).clone().expand(moved.len).gather(&map)
            }
            NodeKind::OnlyAt(inner, lists) => {
                let stands = lists.iter().all(|list| list.iter().any(|key| cells.keys.contains(key)));
                if stands {
                    return self.node(*inner, cells);
                }
                Vector::constant(&Scalar::Null, node.ty)
            }
            NodeKind::Window(window) => self.window(window, node.ty, cells)?,
            NodeKind::Kept(kept) => self.kept(kept, cells)?,
        };
        Ok(Rc::new(worked_out))
    }

    /// Per code of a key the code of another one that it determines.
    fn derived_codes(&self, key: KeyId, from: &Determining) -> Result<Vec<u32>, EngineError> {
        let table = from.table;
        let (to, own) = (self.key(key, table, &from.determined)?, self.key(from.key, table, &from.own)?);
        let members = self.members(from.key)?;
        let mut map = vec![to.members.none(); members.codes()];
        for row in 0..self.star.rows(table) {
            map[own.code(row) as usize] = to.code(row);
        }
        map[members.none() as usize] = to.members.none();
        map[members.unknown() as usize] = to.members.unknown();
        Ok(map)
    }
}

/// Codes as they are numbered.
fn slices(columns: &[Codes]) -> Vec<&[u32]> {
    columns.iter().map(|codes| codes.as_slice()).collect()
}

/// Per key the codes of the combinations that were not met before: those of all where all are new.
fn picked(numbered: &Numbered, columns: &[Codes]) -> Vec<Codes> {
    if numbered.all_new() {
        return columns.to_vec();
    }
    columns.iter().map(|codes| Rc::new(numbered.pick(codes))).collect()
}
