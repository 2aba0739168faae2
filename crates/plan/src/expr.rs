//! Expressions over leaves: row expressions over columns, cell expressions over aggregates.

use crate::function::Function;
use crate::ids::{ColumnId, LinkId, ScanId};
use crate::scalar::Scalar;
use crate::types::Type;
use serde::{Deserialize, Serialize};
use std::fmt;

/// A column seen from a row: the links to follow, then the column of the table that they reach.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct ColumnRef {
    /// The links, first one first; empty for the row's own table.
    pub path: Vec<LinkId>,
    /// The column.
    pub column: ColumnId,
    /// Its type.
    pub ty: Type,
}

/// An aggregate of a scan, seen from a cell.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct AggregateRef {
    /// The scan.
    pub scan: ScanId,
    /// The position among its aggregates.
    pub index: usize,
    /// The type of its result.
    pub ty: Type,
}

/// What stands at the end of the branches of an [`Expr`].
pub trait Leaf: fmt::Display {
    /// The type of its values.
    fn ty(&self) -> Type;
}

impl Leaf for ColumnRef {
    fn ty(&self) -> Type {
        self.ty
    }
}

impl Leaf for AggregateRef {
    fn ty(&self) -> Type {
        self.ty
    }
}

/// A formula.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Expr<L> {
    /// A column or an aggregate.
    Leaf(L),
    /// A fixed value.
    Literal(Scalar),
    /// A function of other formulas.
    Call {
        /// The function.
        function: Function,
        /// Its arguments.
        args: Vec<Expr<L>>,
        /// The type of the result.
        ty: Type,
    },
}

impl<L: Leaf> Expr<L> {
    /// The type of the values.
    pub fn ty(&self) -> Type {
        match self {
            Self::Leaf(leaf) => leaf.ty(),
            Self::Literal(value) => value.ty(),
            Self::Call { ty, .. } => *ty,
        }
    }

    /// Calls `visit` with each leaf, from left to right.
    pub fn leaves<'a>(&'a self, visit: &mut impl FnMut(&'a L)) {
        match self {
            Self::Leaf(leaf) => visit(leaf),
            Self::Literal(_) => {}
            Self::Call { args, .. } => args.iter().for_each(|a| a.leaves(visit)),
        }
    }

    /// The same formula with every leaf replaced.
    pub fn map_leaves<M>(&self, replace: &mut impl FnMut(&L) -> M) -> Expr<M> {
        match self {
            Self::Leaf(leaf) => Expr::Leaf(replace(leaf)),
            Self::Literal(value) => Expr::Literal(value.clone()),
            Self::Call { function, args, ty } => Expr::Call {
                function: *function,
                args: args.iter().map(|a| a.map_leaves(replace)).collect(),
                ty: *ty,
            },
        }
    }
}
