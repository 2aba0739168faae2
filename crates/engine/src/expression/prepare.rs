//! Binding of row expressions to columns in memory.
//!
//! What depends only on one linked table is worked out once for every one of its rows and looked up through the
//! link; what depends only on one text column is worked out once per different text.

mod texts;

pub(crate) use texts::call as bound_call;

use crate::error::EngineError;
use crate::execution::parallel::many;
use crate::execution::threads::{gather_of, in_pieces};
use crate::expression::eval::{Indexed, Prepared};
use crate::expression::guards::{Failed, is_guard};
use crate::expression::vector::Vector;
use crate::links::denormalised::{Denormalised, PART_OF_COLUMNS};
use crate::operators::evaluator::Evaluator;
use crate::operators::group_index::{GroupIndex, NOWHERE};
use crate::operators::members::{Key, Members, column_key};
use crate::storage::column::Column;
use crate::storage::narrow::narrow;
use crate::storage::row_id::Rows;
use crate::storage::small_ints::SmallInts;
use crate::storage::star::Star;
use std::sync::Arc;
use vembra_plan::{
    ColumnId, ColumnRef, Expr, Function, KeyFrom, KeyId, LinkId, Lookup, RowExpr, RowLeaf, Scalar, TableId,
    Type, call,
};

/// Where the cell for which rows are read stands, on the keys that it stands on.
#[derive(Clone, Default)]
pub(crate) struct Scope {
    pub(crate) keys: Vec<(KeyId, CellKey)>,
}

/// The member of a cell on a key.
#[derive(Clone)]
pub(crate) enum CellKey {
    /// That of the row: rows are grouped by the key.
    Row(Key),
    /// The same in every row.
    Fixed(u32),
}

/// Binds expressions over the rows of a table.
pub(crate) struct Preparer<'a, 'b> {
    pub(crate) evaluator: &'b Evaluator<'a>,
    pub(crate) table: TableId,
    pub(crate) scope: &'b Scope,
    /// Whether an expression around is one of texts that may grow.
    pub(crate) within_growing: bool,
}

/// Whether an expression makes texts that may be much longer than those that it is made of.
pub(crate) fn grows(expr: &RowExpr) -> bool {
    match expr {
        Expr::Call { function, args, .. } => {
            matches!(function, Function::PadLeft | Function::PadRight | Function::Replace)
                || args.iter().any(grows)
        }
        _ => false,
    }
}

impl Preparer<'_, '_> {
    pub(crate) fn all(&self, exprs: &[RowExpr]) -> Result<Vec<Prepared>, EngineError> {
        exprs.iter().map(|expr| self.prepare(expr)).collect()
    }

    /// Binds conditions all of which must hold.
    pub(crate) fn conditions(&self, exprs: &[RowExpr]) -> Result<Vec<Prepared>, EngineError> {
        let all = self.all(exprs)?;
        Ok(if self.evaluator.options.guarded { Prepared::all_of(all, false) } else { all })
    }

    /// Binds an expression.
    pub(crate) fn prepare(&self, expr: &RowExpr) -> Result<Prepared, EngineError> {
        if grows(expr) && !self.within_growing {
            let within = Self { within_growing: true, ..*self };
            let (inner, memory) = (Box::new(within.prepare(expr)?), self.evaluator.options.memory);
            return Ok(Prepared::Growing { inner, memory });
        }
        if self.evaluator.options.guarded {
            return self.prepare_guarded(expr);
        }
        // What may grow is not worked out beforehand.
        if !grows(expr)
            && let Some(plain) = plain(expr)
        {
            return prepare(self.evaluator.star, &plain);
        }
        match expr {
            Expr::Literal(value) => Ok(Prepared::Literal(value.clone(), value.ty())),
            Expr::Leaf(RowLeaf::Lookup(lookup)) => self.lookup(lookup),
            Expr::Call { function, args, ty } => Ok(texts::call(*function, self.all(args)?, *ty)),
            Expr::Leaf(_) => {
                Err(EngineError::Internal("an expression that is neither a column nor a call".to_owned()))
            }
        }
    }

    /// Binds an expression so that nothing is worked out beforehand that may fail.
    fn prepare_guarded(&self, expr: &RowExpr) -> Result<Prepared, EngineError> {
        match expr {
            Expr::Leaf(RowLeaf::Column(column)) => guarded_column(self.evaluator.star, column),
            Expr::Leaf(RowLeaf::Lookup(lookup)) => self.lookup_guarded(lookup),
            Expr::Literal(value) => Ok(Prepared::Literal(value.clone(), value.ty())),
            Expr::Call { function, args, ty } if is_guard(*function) => {
                Ok(Prepared::Guard { function: *function, args: self.all(args)?, ty: *ty })
            }
            Expr::Call { function, args, ty } => Ok(texts::call(*function, self.all(args)?, *ty)),
        }
    }

    /// A figure worked out at the cells that rows may ask for, with the errors of those where it cannot be.
    fn lookup_guarded(&self, lookup: &Lookup) -> Result<Prepared, EngineError> {
        if self.evaluator.plan_only {
            return self.lookup(lookup);
        }
        let rows = self.evaluator.star.rows(self.table);
        let mut keys: Vec<(KeyId, CellKey)> = Vec::new();
        let mut failing: Vec<Arc<Failed>> = Vec::new();
        for key in &lookup.keys {
            match &key.from {
                KeyFrom::Row(expr) if expr.is_plain() => {
                    let (own, failed) = self.evaluator.own_key(self.table, expr)?;
                    keys.push((key.key, CellKey::Row(own.among(self.evaluator.members(key.key)?))));
                    failing.push(failed);
                }
                KeyFrom::Row(expr) => {
                    let (values, failed) = self.prepare(expr)?.or_errors(rows)?;
                    let column =
                        Column::from_vector(expr.ty(), Vector::from_scalars(&values, expr.ty()), rows);
                    let own = column_key(&column).among(self.evaluator.members(key.key)?);
                    keys.push((key.key, CellKey::Row(own)));
                    failing.push(Arc::new(failed));
                }
                KeyFrom::Cell => {
                    keys.extend(self.scope.keys.iter().find(|(k, _)| *k == key.key).cloned());
                }
            }
        }
        let (numbers, codes) = self.number(&keys, rows)?;
        let cells = self.evaluator.cells(keys.iter().map(|(key, _)| *key).collect(), codes);
        let (values, failed) = self.evaluator.node_or_errors(lookup.node, &cells)?;
        let failed = Arc::new(failed);
        let found = match numbers {
            None if failed.is_empty() => Prepared::Literal(values.scalar(0, lookup.ty), lookup.ty),
            None => {
                let same = Arc::new(SmallInts::new(vec![0; rows], 1));
                Prepared::Literal(Scalar::Null, lookup.ty).failing(Some(same), failed)
            }
            Some(numbers) => {
                let own = Some(numbers.clone());
                let indexed = Indexed { numbers, values: Arc::new(values), ty: lookup.ty, linked: false };
                Prepared::Indexed(indexed).failing(own, failed)
            }
        };
        Ok(failing.into_iter().fold(found, |found, failed| found.failing(None, failed)))
    }

    /// A figure worked out at the cells that the rows ask for, and per row the number of its cell.
    fn lookup(&self, lookup: &Lookup) -> Result<Prepared, EngineError> {
        let mut keys: Vec<(KeyId, CellKey)> = Vec::new();
        for key in &lookup.keys {
            match &key.from {
                KeyFrom::Row(expr) if !expr.is_plain() => {
                    let rows = self.evaluator.star.rows(self.table);
                    let of_rows = prepared_key(self.prepare(expr)?, rows)?;
                    keys.push((key.key, CellKey::Row(of_rows.among(self.evaluator.members(key.key)?))));
                }
                KeyFrom::Row(expr) => {
                    keys.push((key.key, CellKey::Row(self.evaluator.key(key.key, self.table, expr)?)));
                }
                // A key on which the cell does not stand: the figure is a total over it.
                KeyFrom::Cell => {
                    keys.extend(self.scope.keys.iter().find(|(k, _)| *k == key.key).cloned());
                }
            }
        }
        if self.evaluator.plan_only {
            return self.planned_lookup(lookup, &keys);
        }
        if let Some((key, columns)) = self.by_one_key(&keys) {
            return self.by_entry(lookup, keys.iter().map(|(id, _)| *id).collect(), (key, &columns));
        }
        let rows = self.evaluator.star.rows(self.table);
        let (numbers, codes) = self.number(&keys, rows)?;
        let ids = keys.iter().map(|(key, _)| *key).collect();
        let cells = self.evaluator.cells(ids, codes);
        let vector = self.evaluator.node(lookup.node, &cells)?;
        let values = (*vector).clone().expand(cells.len);
        let Some(numbers) = numbers else {
            return Ok(Prepared::Literal(values.scalar(0, lookup.ty), lookup.ty));
        };
        Ok(Prepared::Indexed(Indexed { numbers, values: Arc::new(values), ty: lookup.ty, linked: false }))
    }

    /// A figure that is planned and not worked out: planned for one cell, with some value in the form in which rows look up the figure.
    fn planned_lookup(&self, lookup: &Lookup, keys: &[(KeyId, CellKey)]) -> Result<Prepared, EngineError> {
        let code = |(id, key): &(KeyId, CellKey)| match key {
            CellKey::Fixed(code) => Ok(vec![*code]),
            CellKey::Row(_) => Ok(vec![self.evaluator.members(*id)?.none().saturating_sub(1)]),
        };
        let codes: Vec<Vec<u32>> = keys.iter().map(code).collect::<Result<_, EngineError>>()?;
        let cells = self.evaluator.cells(keys.iter().map(|(key, _)| *key).collect(), codes);
        self.evaluator.node(lookup.node, &cells)?;
        let value = match lookup.ty {
            Type::Text => Scalar::text(""),
            Type::Float => Scalar::Float(0.0),
            ty => Scalar::from_physical(ty, 0),
        };
        if !keys.iter().any(|(_, key)| matches!(key, CellKey::Row(_))) {
            return Ok(Prepared::Literal(value, lookup.ty));
        }
        let numbers = Arc::new(SmallInts::new(many(self.evaluator.star.rows(self.table), 0), 1));
        let values = Arc::new(Vector::from_scalars(&[value], lookup.ty));
        Ok(Prepared::Indexed(Indexed { numbers, values, ty: lookup.ty, linked: false }))
    }

    /// The key of rows that all others follow from, and per key the code of each of its entries; [`NOWHERE`] for entries that no row
    /// has. None if there is no such key.
    fn by_one_key<'k>(&self, keys: &'k [(KeyId, CellKey)]) -> Option<(&'k Key, Vec<Vec<u32>>)> {
        let of_rows =
            keys.iter().filter_map(|(_, k)| if let CellKey::Row(key) = k { Some(key) } else { None });
        let largest = of_rows.max_by_key(|key| key.members.codes())?;
        let entries = largest.entries();
        let column = |(_, key): &(KeyId, CellKey)| match key {
            CellKey::Fixed(code) => Some(vec![*code; entries.len()]),
            CellKey::Row(key) if key.is_like(largest) => Some(entries.clone()),
            CellKey::Row(key) => {
                let following = self.evaluator.star.follows.from(largest, key)?;
                Some(entries.iter().map(|code| following[*code as usize]).collect())
            }
        };
        let columns: Vec<Vec<u32>> = keys.iter().map(column).collect::<Option<_>>()?;
        let any = (0..entries.len()).any(|at| columns.iter().all(|c| c[at] != NOWHERE));
        any.then_some((largest, columns))
    }

    /// By one key that the others follow from: its entries lead to cells, so that no row need be read.
    fn by_entry(
        &self,
        lookup: &Lookup,
        ids: Vec<KeyId>,
        (key, columns): (&Key, &[Vec<u32>]),
    ) -> Result<Prepared, EngineError> {
        let asked: Vec<usize> =
            (0..key.entries().len()).filter(|at| columns.iter().all(|c| c[*at] != NOWHERE)).collect();
        let columns: Vec<Vec<u32>> =
            columns.iter().map(|column| asked.iter().map(|at| column[*at]).collect()).collect();
        let slices: Vec<&[u32]> = columns.iter().map(Vec::as_slice).collect();
        let mut group_index = self.evaluator.group_index(&ids, asked.len())?;
        let numbered = group_index.number_all(&slices, asked.len());
        let codes = columns.iter().map(|codes| numbered.pick(codes)).collect();
        // What no row asks for may be anything.
        let mut map = vec![0; key.entries().len()];
        asked.iter().zip(&numbered.of).for_each(|(entry, number)| map[*entry] = *number);
        let cells = self.evaluator.cells(ids, codes);
        let vector = self.evaluator.node(lookup.node, &cells)?;
        let values = (*vector).clone().expand(cells.len).gather(&map);
        let numbers = key.numbers.clone();
        Ok(Prepared::Indexed(Indexed { numbers, values: Arc::new(values), ty: lookup.ty, linked: false }))
    }

    /// Per row the number of its cell, and the codes of the cells. Without keys of rows there is one cell.
    #[allow(clippy::type_complexity)] // Numbers and codes, as everywhere here.
    fn number(
        &self,
        keys: &[(KeyId, CellKey)],
        rows: usize,
    ) -> Result<(Option<Arc<SmallInts>>, Vec<Vec<u32>>), EngineError> {
        let sizes: Result<Vec<usize>, EngineError> =
            keys.iter().map(|(key, _)| Ok(self.evaluator.members(*key)?.codes())).collect();
        if !keys.iter().any(|(_, k)| matches!(k, CellKey::Row(_))) {
            let fixed = |k: &CellKey| if let CellKey::Fixed(code) = k { vec![*code] } else { vec![0] };
            return Ok((None, keys.iter().map(|(_, k)| fixed(k)).collect()));
        }
        let sizes = sizes?;
        let places = sizes.iter().try_fold(1_usize, |all, size| all.checked_mul(*size));
        if let Some(places) = places.filter(|places| *places <= FEW_PLACES) {
            return Ok(by_places(keys, &sizes, places, rows));
        }
        let mut group_index = GroupIndex::new(sizes, rows)?;
        let columns: Vec<Vec<u32>> = keys
            .iter()
            .map(|(_, key)| match key {
                CellKey::Row(key) => {
                    let mut codes = many(rows, 0);
                    in_pieces(&mut codes, BLOCK, |start, own| {
                        key.combine(Rows::Range(start, own.len()), own, 0);
                    });
                    codes
                }
                CellKey::Fixed(code) => many(rows, *code),
            })
            .collect();
        let slices: Vec<&[u32]> = columns.iter().map(Vec::as_slice).collect();
        let numbered = group_index.number_all(&slices, rows);
        let codes = columns.iter().map(|codes| numbered.pick(codes)).collect();
        let bound = group_index.len().max(1);
        Ok((Some(Arc::new(SmallInts::new(numbered.of, bound))), codes))
    }
}

/// How many combinations at most of codes are numbered by their places.
const FEW_PLACES: usize = 1 << 16;
/// How many rows are numbered at a time.
const BLOCK: usize = 1 << 14;
/// How many blocks are a part.
const BLOCKS: usize = 1 << 4;

/// Numbers for rows by the places of their combinations: blocks of rows on all threads, then one number for each place that is taken.
fn by_places(
    keys: &[(KeyId, CellKey)],
    sizes: &[usize],
    places: usize,
    rows: usize,
) -> (Option<Arc<SmallInts>>, Vec<Vec<u32>>) {
    let mut placed = many(rows, 0_u32);
    // Which places are taken is kept apart for a few parts only.
    let parts: Vec<(usize, &mut [u32])> = placed.chunks_mut(BLOCKS * BLOCK).enumerate().collect();
    let taken: Vec<Vec<bool>> = gather_of(parts, |(part, own)| {
        let mut taken = vec![false; places];
        for (block, own) in own.chunks_mut(BLOCK).enumerate() {
            let start = (part * BLOCKS + block) * BLOCK;
            for ((_, key), size) in keys.iter().zip(sizes) {
                let size = narrow(*size);
                match key {
                    CellKey::Row(key) => key.combine(Rows::Range(start, own.len()), own, size),
                    CellKey::Fixed(code) => own.iter_mut().for_each(|place| *place = *place * size + code),
                }
            }
            own.iter().for_each(|place| taken[*place as usize] = true);
        }
        taken
    });
    let is_taken = |place: &u32| taken.iter().any(|taken| taken[*place as usize]);
    let listed: Vec<u32> = (0..narrow(places)).filter(is_taken).collect();
    let mut number_of = vec![0_u32; places];
    listed.iter().enumerate().for_each(|(number, place)| number_of[*place as usize] = narrow(number));
    in_pieces(&mut placed, BLOCK, |_, own| {
        own.iter_mut().for_each(|place| *place = number_of[*place as usize]);
    });
    let mut codes = vec![vec![0; listed.len()]; sizes.len()];
    for (number, place) in listed.iter().enumerate() {
        let mut rest = *place as usize;
        for (codes, size) in codes.iter_mut().zip(sizes).rev() {
            codes[number] = narrow(rest % size);
            rest /= size;
        }
    }
    (Some(Arc::new(SmallInts::new(placed, listed.len().max(1)))), codes)
}

/// The expression over columns alone, if no figure is looked up.
pub(crate) fn plain(expr: &RowExpr) -> Option<Expr<ColumnRef>> {
    match expr {
        Expr::Leaf(RowLeaf::Column(column)) => Some(Expr::Leaf(column.clone())),
        Expr::Leaf(RowLeaf::Lookup(_)) => None,
        Expr::Literal(value) => Some(Expr::Literal(value.clone())),
        Expr::Call { function, args, ty } => {
            let args: Option<Vec<Expr<ColumnRef>>> = args.iter().map(plain).collect();
            Some(Expr::Call { function: *function, args: args?, ty: *ty })
        }
    }
}

/// Binds an expression over columns of the rows of one table.
pub(crate) fn prepare(star: &Star, expr: &Expr<ColumnRef>) -> Result<Prepared, EngineError> {
    if let Expr::Literal(value) = expr {
        return Ok(Prepared::Literal(value.clone(), value.ty()));
    }
    if let Some(link) = common_link(expr) {
        return linked(star, link, expr).map(Prepared::Indexed);
    }
    if let Expr::Leaf(leaf) = expr {
        return Ok(Prepared::Own(star.column(leaf.column)?.clone()));
    }
    if let Some(column) = only_text_column(expr) {
        return by_text(star, column, expr).map(Prepared::Indexed);
    }
    let Expr::Call { function, args, ty } = expr else {
        return Err(EngineError::Internal("an expression that is neither a column nor a call".to_owned()));
    };
    let args: Result<Vec<Prepared>, EngineError> = args.iter().map(|a| prepare(star, a)).collect();
    Ok(texts::call(*function, args?, *ty))
}

/// A column by its route, with the errors of rows of a computed one that cannot be worked out.
fn guarded_column(star: &Star, column: &ColumnRef) -> Result<Prepared, EngineError> {
    let Some((link, rest)) = column.path.split_first() else {
        return match star.column(column.column) {
            Ok(values) => Ok(Prepared::Own(values.clone())),
            Err(error) if error.is_of_value() => {
                let guarded = star.guarded_column(column.column)?;
                Ok(Prepared::Own(guarded.column.clone()).failing(None, guarded.failed.clone()))
            }
            Err(error) => Err(error),
        };
    };
    let tail = ColumnRef { path: rest.to_vec(), ..column.clone() };
    let entries = star.rows(star.schema().link_target(*link));
    let (values, failed) = guarded_column(star, &tail)?.or_errors(entries)?;
    let values = Vector::from_scalars(&values, column.ty);
    let numbers = star.link_rows(*link)?;
    let indexed = behind_link(numbers, values, &Expr::Leaf(tail), star.is_complete(*link)?)?;
    Ok(Prepared::Indexed(indexed).failing(Some(numbers.clone()), Arc::new(failed)))
}

/// The link that all columns of an expression are reached by first.
fn common_link(expr: &Expr<ColumnRef>) -> Option<LinkId> {
    let mut first: Option<Option<LinkId>> = None;
    let mut same = true;
    expr.leaves(&mut |leaf: &ColumnRef| {
        let link = leaf.path.first().copied();
        same &= first.is_none_or(|f| f == link);
        first = Some(link);
    });
    first.flatten().filter(|_| same)
}

/// The link by which all columns of an expression are reached first, and the expression behind it.
pub(crate) fn behind_common_link(expr: &Expr<ColumnRef>) -> Option<(LinkId, Expr<ColumnRef>)> {
    let link = common_link(expr)?;
    let tail = |leaf: &ColumnRef| ColumnRef { path: leaf.path[1..].to_vec(), ..leaf.clone() };
    Some((link, expr.map_leaves(&mut |leaf| tail(leaf))))
}

/// The key of what stands behind a link, given the key of the rows there; `tail` says what a row has that reaches none of them.
pub(crate) fn key_behind_link(
    numbers: &Arc<SmallInts>,
    own: &Key,
    tail: &Expr<ColumnRef>,
) -> Result<Key, EngineError> {
    let nothing = of_nulls(tail)?;
    let code = own.members.find(&nothing);
    let mut map: Vec<u32> = (0..own.numbers.len()).map(|row| own.code(row)).collect();
    // A value that the expression gives for an unknown key (such as a label) stands.
    if let (None, false) = (code, nothing.is_null()) {
        let mut values = own.members.values.clone();
        let at = values.partition_point(|v| v.compare(&nothing).is_lt());
        values.insert(at, nothing);
        let all = Arc::new(Members { values, ..*own.members });
        let moved = own.clone().among(&all);
        return key_behind_link(numbers, &moved, tail);
    }
    map.extend([code.unwrap_or(own.members.none()), code.unwrap_or(own.members.unknown())]);
    Ok(Key::mapped(numbers.clone(), map, own.members.clone()))
}

fn linked(star: &Star, link: LinkId, expr: &Expr<ColumnRef>) -> Result<Indexed, EngineError> {
    let target = star.schema().link_target(link);
    let rows = star.rows(target);
    let tail = expr.map_leaves(&mut |leaf: &ColumnRef| ColumnRef {
        path: leaf.path[1..].to_vec(),
        column: leaf.column,
        ty: leaf.ty,
    });
    if let Some(carried) = carried_attribute(star, link, expr)?
        && let Some(indexed) = by_member(star, &carried, &tail)?
    {
        return Ok(indexed);
    }
    let values = prepare(star, &tail)?.eval(Rows::Range(0, rows))?.expand(rows);
    behind_link(star.link_rows(link)?, values, &tail, star.is_complete(link)?)
}

/// Values that rows look up by the numbers of a link, with what those get that reach none of them; `complete` if there are no such rows.
fn behind_link(
    numbers: &Arc<SmallInts>,
    values: Vector,
    tail: &Expr<ColumnRef>,
    complete: bool,
) -> Result<Indexed, EngineError> {
    let entries = values.len();
    let values = if entries > 0 && complete {
        // No row asks for what stands behind the last one, so nothing need be null for its sake.
        values.padded(2)
    } else {
        let null = of_nulls(tail)?;
        values.extended(entries, &[null.clone(), null], tail.ty())
    };
    Ok(Indexed { numbers: numbers.clone(), values: Arc::new(values), ty: tail.ty(), linked: true })
}

/// The column that is the only one of an expression.
fn only_column(expr: &Expr<ColumnRef>) -> Option<&ColumnRef> {
    let mut only: Option<&ColumnRef> = None;
    let mut same = true;
    expr.leaves(&mut |leaf| {
        same &= only.is_none_or(|only| only == leaf);
        only = Some(leaf);
    });
    only.filter(|_| same)
}

/// The attribute that is the only column of an expression, if it is carried to the rows.
fn carried_attribute(
    star: &Star,
    link: LinkId,
    expr: &Expr<ColumnRef>,
) -> Result<Option<Arc<Denormalised>>, EngineError> {
    let Some(attribute) = only_column(expr).filter(|column| column.path.len() == 1) else { return Ok(None) };
    // Values other than texts have no codes yet: they get them where rows are grouped by them.
    if attribute.ty == Type::Text {
        attribute_key(star, attribute, link, &[])?;
    }
    Ok(star.attributes.carried(attribute))
}

/// An expression over an attribute that is carried to the rows: worked out once for each member. None if it cannot be worked out for one
/// of them.
fn by_member(
    star: &Star,
    carried: &Denormalised,
    tail: &Expr<ColumnRef>,
) -> Result<Option<Indexed>, EngineError> {
    // The first of all rows that fails is reported by those who read them all.
    let Ok(values) = prepare(star, tail)?.eval(Rows::List(&carried.firsts)) else { return Ok(None) };
    let values = values.expand(carried.firsts.len());
    behind_link(&carried.key.numbers, values, tail, carried.complete).map(Some)
}

/// The text column that is the only column of an expression.
fn only_text_column(expr: &Expr<ColumnRef>) -> Option<ColumnId> {
    let own = only_column(expr).filter(|column| column.path.is_empty() && column.ty == Type::Text);
    own.map(|column| column.column)
}

fn by_text(star: &Star, column: ColumnId, expr: &Expr<ColumnRef>) -> Result<Indexed, EngineError> {
    let column = star.column(column)?.clone();
    let Some((codes, dictionary)) = column.texts() else {
        return Err(EngineError::Internal("a text column without texts".to_owned()));
    };
    let values = match texts::found(expr, &dictionary.texts) {
        Some(holds) => holds,
        None => {
            let mut values = Vec::with_capacity(dictionary.texts.len() + 1);
            for text in &dictionary.texts {
                values.push(scalar(expr, &mut |_| Scalar::Text(text.clone()))?);
            }
            values.push(of_nulls(expr)?);
            Vector::from_scalars(&values, expr.ty())
        }
    };
    Ok(Indexed { numbers: codes.clone(), values: Arc::new(values), ty: expr.ty(), linked: false })
}

/// The value where every column is null.
fn of_nulls(expr: &Expr<ColumnRef>) -> Result<Scalar, EngineError> {
    scalar(expr, &mut |_| Scalar::Null)
}

/// One value, with branches of `case` worked out only when reached.
pub(crate) fn scalar<L>(expr: &Expr<L>, leaf: &mut impl FnMut(&L) -> Scalar) -> Result<Scalar, EngineError> {
    match expr {
        Expr::Leaf(l) => Ok(leaf(l)),
        Expr::Literal(value) => Ok(value.clone()),
        Expr::Call { function: vembra_plan::Function::Case, args, ty } => {
            for pair in args.chunks(2) {
                let value = match pair {
                    [condition, value] if scalar(condition, leaf)?.physical() == Some(1) => value,
                    [_, _] => continue,
                    rest => &rest[0],
                };
                return Ok(call::convert(scalar(value, leaf)?, *ty)?);
            }
            Ok(Scalar::Null)
        }
        Expr::Call { function, args, ty } => {
            let args: Result<Vec<Scalar>, EngineError> = args.iter().map(|a| scalar(a, leaf)).collect();
            Ok(call::call(*function, &args?, *ty)?)
        }
    }
}

/// Binds a group key over the rows of `table`.
pub(crate) fn key(star: &Star, table: TableId, expr: &Expr<ColumnRef>) -> Result<Key, EngineError> {
    if let Expr::Leaf(leaf) = expr {
        match leaf.path.as_slice() {
            [] => return star.column_key(leaf.column),
            [link, rest @ ..] => return attribute_key(star, leaf, *link, rest),
        }
    }
    star.expression_key(table, expr)
}

/// The key of an attribute behind a link. The codes of the linked table serve every role and every fact.
fn attribute_key(
    star: &Star,
    attribute: &ColumnRef,
    link: LinkId,
    rest: &[LinkId],
) -> Result<Key, EngineError> {
    let make = || {
        let tail = ColumnRef { path: rest.to_vec(), ..attribute.clone() };
        let own = key(star, star.schema().link_target(link), &Expr::Leaf(tail))?;
        let mut map: Vec<u32> = (0..own.numbers.len()).map(|row| own.code(row)).collect();
        map.extend([own.members.none(), own.members.unknown()]);
        let linked = Key::mapped(star.link_rows(link)?.clone(), map, own.members.clone());
        Ok((own, linked))
    };
    star.attributes.key(attribute, || star.bytes() / PART_OF_COLUMNS, make)
}

/// The key of an expression that is bound already.
pub(crate) fn prepared_key(prepared: Prepared, rows: usize) -> Result<Key, EngineError> {
    let ty = prepared.ty();
    match prepared {
        Prepared::Indexed(indexed) => Ok(indexed_key(indexed)),
        prepared => {
            let vector = prepared.eval(Rows::Range(0, rows))?;
            Ok(column_key(&Column::from_vector(ty, vector, rows)))
        }
    }
}

fn indexed_key(indexed: Indexed) -> Key {
    let entries = indexed.values.len();
    let column = Column::from_vector(indexed.ty, (*indexed.values).clone(), entries);
    let coded = column_key(&column);
    let mut map: Vec<u32> = (0..entries).map(|entry| coded.code(entry)).collect();
    // A value that the expression gives for an unknown key (such as a label) stands.
    if indexed.linked && map[entries - 1] == coded.members.none() {
        map[entries - 1] = coded.members.unknown();
    }
    Key::mapped(indexed.numbers, map, coded.members)
}
