//! Expressions with their names resolved.

use crate::model::MeasureId;
use std::collections::BTreeSet;
use vembra_plan::{AggregateFunction, ColumnId, Function, RoleId, Scalar, TableId, Type};
use vembra_syntax::Place;

/// An expression whose names, type and grain are known.
#[derive(Clone, Debug)]
pub struct Bound {
    /// What it is.
    pub kind: BoundKind,
    /// The type of its values.
    pub ty: Type,
    /// Where it is written.
    pub place: Place,
}

/// A role asked for by `via`, and where.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct RoleUse {
    /// The role.
    pub role: RoleId,
    /// Where it is asked for.
    pub place: Place,
}

/// The kinds of expressions.
#[derive(Clone, Debug)]
pub enum BoundKind {
    /// A fixed value.
    Literal(Scalar),
    /// A column, seen through a role if one stands before the dot.
    Column(ColumnId, Option<RoleId>),
    /// A measure.
    Measure(MeasureId),
    /// A function.
    Call(Function, Vec<Bound>),
    /// An aggregate.
    Aggregate(Box<BoundAggregate>),
    /// An expression under clauses: roles first, then conditions.
    Claused {
        /// The expression.
        inner: Box<Bound>,
        /// The roles asked for.
        via: Vec<RoleUse>,
        /// The conditions added.
        conditions: Vec<Bound>,
    },
}

/// An aggregate over the rows of a table.
#[derive(Clone, Debug)]
pub struct BoundAggregate {
    /// The function.
    pub function: AggregateFunction,
    /// The value of each row; none for a count of rows.
    pub value: Option<Bound>,
    /// The key of `first` and `last`.
    pub by: Option<Bound>,
    /// The part of `percentile`, the separator of `listagg`.
    pub parameter: Option<Scalar>,
    /// The table whose rows are taken.
    pub table: TableId,
    /// The aggregate's own condition.
    pub condition: Option<Bound>,
}

/// What there is one value of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Grain {
    /// One value whatever the place.
    Constant,
    /// One value for each row; of these tables.
    Row(BTreeSet<TableId>),
    /// One value for each cell.
    Cell,
}

impl Bound {
    /// A literal.
    pub fn literal(value: Scalar, place: Place) -> Self {
        Self { ty: value.ty(), kind: BoundKind::Literal(value), place }
    }

    /// Calls `visit` with this expression and all that stand in it, but not with the formulas of measures.
    pub fn walk<'a>(&'a self, visit: &mut impl FnMut(&'a Bound)) {
        visit(self);
        match &self.kind {
            BoundKind::Literal(_) | BoundKind::Column(..) | BoundKind::Measure(_) => {}
            BoundKind::Call(_, args) => args.iter().for_each(|a| a.walk(visit)),
            BoundKind::Aggregate(aggregate) => {
                let parts = [&aggregate.value, &aggregate.by, &aggregate.condition];
                parts.into_iter().flatten().for_each(|p| p.walk(visit));
            }
            BoundKind::Claused { inner, conditions, .. } => {
                inner.walk(visit);
                conditions.iter().for_each(|c| c.walk(visit));
            }
        }
    }

    /// The columns in a row expression, with the roles that pin them.
    pub fn columns(&self) -> Vec<(ColumnId, Option<RoleId>, Place)> {
        let mut columns = Vec::new();
        self.walk(&mut |bound| {
            if let BoundKind::Column(column, role) = bound.kind {
                columns.push((column, role, bound.place));
            }
        });
        columns
    }
}
