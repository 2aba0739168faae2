//! Expressions with their names resolved.

use crate::ids::{MeasureId, ParamId};
use std::collections::BTreeSet;
use vembra_plan::{
    AggregateFunction, ColumnId, DateRange, Function, RoleId, Scalar, TableId, Type, WindowFunction,
};
use vembra_syntax::Span;

/// An expression whose names, type and grain are known.
#[derive(Clone, Debug, PartialEq)]
pub struct Bound {
    /// What it is.
    pub kind: BoundKind,
    /// The type of its values.
    pub ty: Type,
    /// Where it is written.
    pub span: Span,
}

/// A role asked for by `via`, and where.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct RoleUse {
    /// The role.
    pub role: RoleId,
    /// Where it is asked for.
    pub span: Span,
}

/// The kinds of expressions.
#[derive(Clone, Debug, PartialEq)]
pub enum BoundKind {
    /// A fixed value.
    Literal(Scalar),
    /// The value of a parameter.
    Param(ParamId),
    /// A column, seen through a role if one stands before the dot.
    Column(ColumnId, Option<RoleId>),
    /// A measure.
    Measure(MeasureId),
    /// A function.
    Call(Function, Vec<Bound>),
    /// An aggregate.
    Aggregate(Box<BoundAggregate>),
    /// An expression under clauses.
    Claused(Box<Bound>, Box<Clauses>),
    /// Whether the cell has a place on something.
    StandsOn(What),
    /// The first or last day of the cell of the query.
    CellEdge {
        /// The last one.
        last: bool,
    },
    /// A window function: a figure among the lines shown.
    Window(Box<BoundWindow>),
    /// A measure with arguments, applied to some.
    Treatment(Box<BoundTreatment>),
}

/// The clauses of one expression. They are a set: roles first, then forgetting, then date ranges, conditions, keys.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Clauses {
    /// The roles asked for.
    pub via: Vec<RoleUse>,
    /// What is forgotten.
    pub forget: Vec<Forget>,
    /// Another date range.
    pub during: Option<(DateRange, Span)>,
    /// The conditions added.
    pub conditions: Vec<Bound>,
    /// The detail at which there is one value.
    pub detail: Option<Detail>,
}

/// Something that is forgotten.
#[derive(Clone, Debug, PartialEq)]
pub struct Forget {
    /// What.
    pub what: What,
    /// Also filters on it.
    pub filters: bool,
    /// Where it is written.
    pub span: Span,
}

/// Something that a cell may stand on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum What {
    /// An attribute, seen through a role if one stands before the dot.
    Attribute(ColumnId, Option<RoleId>),
    /// All attributes of a table.
    Table(TableId),
    /// All attributes seen through a role.
    Role(RoleId),
    /// Everything.
    All,
    /// Everything but these.
    AllBut(Vec<What>),
    /// Each of these.
    Several(Vec<What>),
}

/// The detail at which there is one value.
#[derive(Clone, Debug, PartialEq)]
pub enum Detail {
    /// One per combination of these.
    Per(Vec<DetailKey>),
    /// That of the cell.
    Cell,
    /// That of everything.
    Overall,
}

/// A key of a detail of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct DetailKey {
    /// The attribute.
    pub column: ColumnId,
    /// The role through which it is seen.
    pub role: Option<RoleId>,
    /// Where it is written.
    pub span: Span,
}

impl DetailKey {
    /// Whether both are the same attribute, wherever they are written.
    pub fn is(&self, other: &Self) -> bool {
        (self.column, self.role) == (other.column, other.role)
    }
}

/// An aggregate.
#[derive(Clone, Debug, PartialEq)]
pub struct BoundAggregate {
    /// The function.
    pub function: AggregateFunction,
    /// The value of each row or combination of keys; none for a count of rows.
    pub value: Option<Bound>,
    /// The key of `first` and `last`.
    pub by: Option<Bound>,
    /// The part of `percentile`, the separator of `listagg`.
    pub parameter: Option<Scalar>,
    /// What it runs over.
    pub over: Over,
    /// The aggregate's own condition.
    pub condition: Option<Bound>,
}

/// A measure with arguments, applied to some: it means what its formula means with them in it.
#[derive(Clone, Debug, PartialEq)]
pub struct BoundTreatment {
    /// How it is applied, as it is written.
    pub name: String,
    /// The formula with its arguments in their places.
    pub formula: Bound,
    /// The heading.
    pub label: Option<String>,
    /// The CLDR pattern.
    pub format: Option<String>,
}

/// What an aggregate runs over.
#[derive(Clone, Debug, PartialEq)]
pub enum Over {
    /// The rows of a table.
    Rows(TableId),
    /// The combinations of keys that have rows.
    Keys(Vec<DetailKey>),
}

/// A window function: a figure among the lines shown.
#[derive(Clone, Debug, PartialEq)]
pub struct BoundWindow {
    /// How.
    pub function: WindowFunction,
    /// The figure.
    pub value: Bound,
    /// Which lines belong together, for ranks.
    pub among: Option<What>,
    /// In which order, for others.
    pub by: Option<WindowBy>,
}

/// The order of lines along which a figure is made.
#[derive(Clone, Debug, PartialEq)]
pub enum WindowBy {
    /// That of an axis.
    Axis(Bound),
    /// That of a figure.
    Figure(Bound, bool),
}

/// What there is one value of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Grain {
    /// One value whatever the place.
    Constant,
    /// One value per row; of these tables.
    Row(BTreeSet<TableId>),
    /// One value per combination of these keys.
    Keys(Vec<DetailKey>),
    /// One value per cell, said outright: it may stand beside rows and keys.
    Fixed,
    /// One value per cell.
    Cell,
}

impl Bound {
    /// A literal.
    pub fn literal(value: Scalar, span: Span) -> Self {
        Self { ty: value.ty(), kind: BoundKind::Literal(value), span }
    }

    /// The expressions directly in this one.
    pub fn parts(&self) -> Vec<&Bound> {
        match &self.kind {
            BoundKind::Literal(_)
            | BoundKind::Param(_)
            | BoundKind::Column(..)
            | BoundKind::Measure(_)
            | BoundKind::StandsOn(_)
            | BoundKind::CellEdge { .. } => Vec::new(),
            BoundKind::Call(_, args) => args.iter().collect(),
            BoundKind::Aggregate(aggregate) => {
                let parts = [&aggregate.value, &aggregate.by, &aggregate.condition];
                parts.into_iter().flatten().collect()
            }
            BoundKind::Claused(inner, clauses) => {
                std::iter::once(&**inner).chain(&clauses.conditions).collect()
            }
            BoundKind::Window(window) => {
                let by = window.by.as_ref().map(|by| match by {
                    WindowBy::Axis(bound) | WindowBy::Figure(bound, _) => bound,
                });
                std::iter::once(&window.value).chain(by).collect()
            }
            BoundKind::Treatment(treatment) => vec![&treatment.formula],
        }
    }

    /// The count of the rows of a table for which a condition holds, as it could be written at a place.
    pub(crate) fn count_of_rows(table: TableId, condition: Option<Self>, span: Span) -> Self {
        let count = BoundAggregate {
            function: AggregateFunction::CountRows,
            value: None,
            by: None,
            parameter: None,
            over: Over::Rows(table),
            condition,
        };
        Self { kind: BoundKind::Aggregate(Box::new(count)), ty: Type::Integer, span }
    }

    /// Calls `visit` with this expression and all that stand in it, but not with the formulas of measures.
    pub fn walk<'a>(&'a self, visit: &mut impl FnMut(&'a Bound)) {
        visit(self);
        self.parts().into_iter().for_each(|part| part.walk(visit));
    }

    /// The columns whose values a row expression takes from the row, with the roles that pin them: not those that
    /// looked-up figures are made of, but the keys by which they are looked up.
    pub fn columns(&self) -> Vec<(ColumnId, Option<RoleId>, Span)> {
        match &self.kind {
            BoundKind::Column(column, role) => vec![(*column, *role, self.span)],
            BoundKind::Call(_, args) => args.iter().flat_map(Bound::columns).collect(),
            BoundKind::Claused(inner, clauses) => match &clauses.detail {
                Some(Detail::Per(keys)) => keys.iter().map(|k| (k.column, k.role, k.span)).collect(),
                Some(Detail::Cell | Detail::Overall) => Vec::new(),
                None => inner.columns(),
            },
            _ => Vec::new(),
        }
    }

    /// Whether a figure is looked up, or the cell is asked for.
    pub fn is_plain(&self) -> bool {
        match &self.kind {
            BoundKind::Literal(_) | BoundKind::Param(_) | BoundKind::Column(..) => true,
            // What counts working days looks them up.
            BoundKind::Call(Function::WorkingDays | Function::WorkingDay, _) => false,
            BoundKind::Call(_, args) => args.iter().all(Bound::is_plain),
            _ => false,
        }
    }
}
