//! Expressions over leaves: row expressions over columns and looked-up figures.

use crate::function::Function;
use crate::ids::{ColumnId, KeyId, LinkId, NodeId};
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

/// What a row expression is made of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum RowLeaf {
    /// A column of the row, or of a row that links lead to.
    Column(ColumnRef),
    /// A figure worked out for some keys, looked up from the row.
    Lookup(Box<Lookup>),
}

/// A figure looked up from a row.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Lookup {
    /// The figure.
    pub node: NodeId,
    /// All keys that the figure depends on, and where their values come from.
    pub keys: Vec<LookupKey>,
    /// The type of its values.
    pub ty: Type,
}

/// A key of a looked-up figure.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LookupKey {
    /// The key.
    pub key: KeyId,
    /// Where its value comes from.
    pub from: KeyFrom,
}

/// Where the value of a key comes from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum KeyFrom {
    /// From the row.
    Row(Expr<RowLeaf>),
    /// From the cell for which rows are read.
    Cell,
}

/// A formula over the values of a row.
pub type RowExpr = Expr<RowLeaf>;

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

impl Leaf for RowLeaf {
    fn ty(&self) -> Type {
        match self {
            Self::Column(column) => column.ty,
            Self::Lookup(lookup) => lookup.ty,
        }
    }
}

impl RowExpr {
    /// Calls `visit` with each column of the row itself, not with those that looked-up figures are made of.
    pub fn columns<'a>(&'a self, visit: &mut impl FnMut(&'a ColumnRef)) {
        self.leaves(&mut |leaf| {
            if let RowLeaf::Column(column) = leaf {
                visit(column);
            }
        });
    }

    /// Calls `visit` with each looked-up figure, outer ones first.
    pub fn lookups<'a>(&'a self, visit: &mut dyn FnMut(&'a Lookup)) {
        let mut found: Vec<&'a Lookup> = Vec::new();
        self.leaves(&mut |leaf| {
            if let RowLeaf::Lookup(lookup) = leaf {
                found.push(lookup);
            }
        });
        for lookup in found {
            visit(lookup);
            for key in &lookup.keys {
                if let KeyFrom::Row(expr) = &key.from {
                    expr.lookups(visit);
                }
            }
        }
    }

    /// Calls `visit` with each key that a looked-up figure takes from the cell, at any depth.
    pub fn cell_keys(&self, visit: &mut dyn FnMut(KeyId)) {
        self.lookups(&mut |lookup| {
            lookup.keys.iter().filter(|k| k.from == KeyFrom::Cell).for_each(|k| visit(k.key));
        });
    }

    /// Whether a looked-up figure takes a key from the cell.
    pub fn asks_cell(&self) -> bool {
        let mut asks = false;
        self.cell_keys(&mut |_| asks = true);
        asks
    }

    /// Whether no figure is looked up.
    pub fn is_plain(&self) -> bool {
        let mut plain = true;
        self.lookups(&mut |_| plain = false);
        plain
    }
}

/// A formula. Two are equal if nobody could distinguish one from the other: `1` and `1.0` are equal numbers, but no equal formulas, since as texts
/// they differ.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub enum Expr<L> {
    /// A column or a looked-up figure.
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

impl<L: PartialEq> PartialEq for Expr<L> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Leaf(own), Self::Leaf(other)) => own == other,
            (Self::Literal(own), Self::Literal(other)) => own.is(other),
            (
                Self::Call { function, args, ty },
                Self::Call { function: other_function, args: other_args, ty: other_ty },
            ) => function == other_function && ty == other_ty && args == other_args,
            _ => false,
        }
    }
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
