//! Cells that ask for rows by bounds of their own, such as what is open at the end of each month.
//!
//! Each such condition is about one attribute of the row. Values of it for which all cells decide alike form a **class**: rows are
//! read once, grouped by their classes, and each cell takes the classes that it asks for.

use super::Evaluator;
use super::groups::joined;
use crate::error::EngineError;
use crate::expression::eval::Prepared;
use crate::expression::prepare::{Scope, bound_call};
use crate::expression::vector::Vector;
use crate::operators::aggregate::{Accumulator, NO_GROUP, regrouped};
use crate::operators::cells::{Cells, Codes};
use crate::operators::groupings::Groupings;
use crate::operators::members::{Key, Members};
use crate::operators::scan::Scanned;
use crate::storage::column::Column;
use crate::storage::narrow::narrow;
use crate::storage::row_id::Rows;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::rc::Rc;
use std::sync::Arc;
use vembra_plan::{ColumnRef, Expr, KeyFrom, KeyId, RowExpr, RowLeaf, Scalar, Scan, position_or_push};

/// The most combinations of classes that are distinguished.
const MOST_COMBINATIONS: usize = 1 << 20;

/// The classes of one condition.
struct Classes {
    /// The class of each row.
    key: Key,
    /// Per class and cell whether the condition holds.
    holds: Vec<Vec<bool>>,
}

/// The conditions of a scan that differ from cell to cell, and the scan without them.
struct Split<'s> {
    rest: Scan,
    conditions: Vec<&'s RowExpr>,
    /// Those of the filter, by their positions among the conditions.
    filter: Vec<usize>,
    /// Those of each aggregate.
    aggregates: Vec<Vec<usize>>,
}

impl Evaluator<'_> {
    /// The groups for cells on given keys from one pass over the rows; none where conditions cannot be decided by classes.
    pub(super) fn read_by_classes(
        &self,
        plan: &Scan,
        position: &[KeyId],
        given: &Rc<Cells>,
    ) -> Result<Option<Groupings>, EngineError> {
        let plain = plan.during.is_none() && plan.bridges.is_empty() && plan.choices.is_empty();
        let Some(split) = split(plan, position, given).filter(|_| plain && (given.len > 1 || self.plan_only))
        else {
            return Ok(None);
        };
        let mut classes = Vec::with_capacity(split.conditions.len());
        for condition in &split.conditions {
            let Some(found) = self.classes_of(plan, condition, given)? else { return Ok(None) };
            classes.push(found);
        }
        let combinations = classes.iter().try_fold(1_usize, |all, c| all.checked_mul(c.holds.len()));
        if combinations.is_none_or(|c| c > MOST_COMBINATIONS) {
            return Ok(None);
        }
        let keys: Vec<&Key> = classes.iter().map(|c| &c.key).collect();
        let base = match self.rows_at(&split.rest, position, &keys, &Scope::default()) {
            // A value that cannot be worked out may be one of rows that no cell takes: reading cell by cell decides.
            Err(EngineError::Value(_)) => return Ok(None),
            base => base?,
        };
        let holds: Vec<&[Vec<bool>]> = classes.iter().map(|c| &c.holds[..]).collect();
        let parts = (0..given.len).map(|cell| self.of_cell(&split, &base, position, &holds, (given, cell)));
        joined(parts.collect::<Result<_, _>>()?, position, given).map(Some)
    }

    /// The classes of a condition for some cells; none if it may fail for a value, and that has to be seen row by row.
    fn classes_of(
        &self,
        plan: &Scan,
        condition: &RowExpr,
        given: &Rc<Cells>,
    ) -> Result<Option<Classes>, EngineError> {
        let Some(column) = only_column(condition) else { return Ok(None) };
        let key = self.own_key(plan.table, &Expr::Leaf(RowLeaf::Column(column.clone())))?.0;
        let mut values = key.members.values.clone();
        if values.len() > self.star.rows(plan.table) {
            return Ok(None);
        }
        // Neither a missing value nor an unknown key has one.
        values.resize(key.members.codes(), Scalar::Null);
        let members = Column::from_vector(column.ty, Vector::from_scalars(&values, column.ty), values.len());
        let members = Arc::new(members);
        let mut signatures: Vec<Vec<bool>> = vec![Vec::with_capacity(given.len); values.len()];
        for cell in 0..given.len {
            let bound = self.bound(condition, &members, given, cell)?;
            let Ok(holds) = bound.eval(Rows::Range(0, values.len())) else { return Ok(None) };
            for (at, signature) in signatures.iter_mut().enumerate() {
                signature.push(holds.is_true(at));
            }
        }
        let mut known: HashMap<&[bool], u32, FixedState> = HashMap::default();
        let of_code: Vec<u32> = signatures
            .iter()
            .map(|signature| {
                let next = narrow(known.len());
                *known.entry(signature).or_insert(next)
            })
            .collect();
        let mut holds = vec![Vec::new(); known.len()];
        known.into_iter().for_each(|(signature, class)| holds[class as usize] = signature.to_vec());
        let map = key.entries().iter().map(|code| of_code[*code as usize]).collect();
        let classes = (0..holds.len() as i64).map(Scalar::Integer).collect();
        let members = Arc::new(Members::of(classes));
        Ok(Some(Classes { key: Key::mapped(key.numbers, map, members), holds }))
    }

    /// A condition over the members of its attribute, for one cell.
    fn bound(
        &self,
        condition: &RowExpr,
        members: &Arc<Column>,
        given: &Rc<Cells>,
        cell: usize,
    ) -> Result<Prepared, EngineError> {
        Ok(match condition {
            Expr::Leaf(RowLeaf::Column(_)) => Prepared::Own(members.clone()),
            Expr::Leaf(RowLeaf::Lookup(lookup)) => {
                let value = self.node(lookup.node, given)?.scalar(cell, lookup.ty);
                Prepared::Literal(value, lookup.ty)
            }
            Expr::Literal(value) => Prepared::Literal(value.clone(), value.ty()),
            Expr::Call { function, args, ty } => {
                let args = args.iter().map(|arg| self.bound(arg, members, given, cell));
                bound_call(*function, args.collect::<Result<_, _>>()?, *ty)
            }
        })
    }

    /// What one cell takes of the groups of all.
    fn of_cell(
        &self,
        split: &Split<'_>,
        base: &Scanned,
        position: &[KeyId],
        holds: &[&[Vec<bool>]],
        (given, cell): (&Rc<Cells>, usize),
    ) -> Result<Groupings, EngineError> {
        let (own, classes) = base.codes.split_at(position.len());
        let takes = |conditions: &[usize], group: usize| {
            conditions.iter().all(|at| holds[*at][classes[*at][group] as usize][cell])
        };
        let kept: Vec<usize> = (0..base.groups).filter(|group| takes(&split.filter, *group)).collect();
        let picked: Vec<Vec<u32>> =
            own.iter().map(|codes| kept.iter().map(|group| codes[*group]).collect()).collect();
        let slices: Vec<&[u32]> = picked.iter().map(Vec::as_slice).collect();
        let mut group_index = self.group_index(position, kept.len())?;
        let numbered = group_index.number_all(&slices, kept.len());
        let accumulators: Result<Vec<Accumulator>, EngineError> = base
            .accumulators
            .iter()
            .zip(&split.aggregates)
            .map(|(accumulator, conditions)| {
                let mut map = vec![NO_GROUP; base.groups];
                let taken = kept.iter().zip(&numbered.of).filter(|(group, _)| takes(conditions, **group));
                taken.for_each(|(group, number)| map[*group] = *number);
                let mut all = regrouped(std::slice::from_ref(accumulator), &map, group_index.len())?;
                all.pop().ok_or_else(|| EngineError::Internal("an accumulator that is lost".to_owned()))
            })
            .collect();
        let codes: Vec<Codes> = picked.iter().map(|codes| Rc::new(numbered.pick(codes))).collect();
        let of_cell = Groupings::new(position.to_vec(), codes, group_index.len(), accumulators?);
        let one = self.cells(given.keys.clone(), given.codes.iter().map(|c| vec![c[cell]]).collect());
        Ok(self.with_given(&of_cell, &one))
    }
}

/// Takes the conditions out of a scan that differ from cell to cell; none if anything else does, or they depend on where rows stand too.
fn split<'s>(plan: &'s Scan, position: &[KeyId], given: &Cells) -> Option<Split<'s>> {
    let differs = |expr: &RowExpr| {
        let mut differs = false;
        expr.cell_keys(&mut |key| differs |= given.keys.contains(&key));
        differs
    };
    let mut split = Split {
        rest: plan.clone(),
        conditions: Vec::new(),
        filter: Vec::new(),
        aggregates: Vec::with_capacity(plan.aggregates.len()),
    };
    let mut take = |conditions: &'s [RowExpr]| -> Option<Vec<usize>> {
        let mut places = Vec::new();
        for condition in conditions.iter().filter(|c| differs(c)) {
            if !is_of_cell(condition, position) {
                return None;
            }
            places.push(position_or_push(&mut split.conditions, condition));
        }
        Some(places)
    };
    split.filter = take(&plan.filter)?;
    for aggregate in &plan.aggregates {
        let places = take(&aggregate.condition)?;
        split.aggregates.push(places);
    }
    split.rest.filter.retain(|c| !differs(c));
    split.rest.aggregates.iter_mut().for_each(|a| a.condition.retain(|c| !differs(c)));
    let mut others = false;
    split.rest.row_exprs(&mut |_, expr| others |= differs(expr));
    (!others && !split.conditions.is_empty()).then_some(split)
}

/// Whether all figures that a condition looks up are those of the cell alone.
fn is_of_cell(condition: &RowExpr, position: &[KeyId]) -> bool {
    let mut of_cell = true;
    condition.lookups(&mut |lookup| {
        of_cell &= lookup.keys.iter().all(|k| k.from == KeyFrom::Cell && !position.contains(&k.key));
    });
    of_cell
}

/// The one column that an expression reads.
fn only_column(expr: &RowExpr) -> Option<&ColumnRef> {
    let mut columns: Vec<&ColumnRef> = Vec::new();
    expr.columns(&mut |column| columns.push(column));
    let first = columns.first().copied()?;
    columns.iter().all(|c| *c == first).then_some(first)
}
