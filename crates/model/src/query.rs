//! Queries with their names resolved, as data.

use crate::bound::{Bound, RoleUse};
use crate::ids::ParamId;
use std::collections::BTreeMap;
use vembra_plan::{Opened, Scalar, SortKey, TableId, TotalsPlace};
use vembra_syntax::Span;

/// A query.
#[derive(Clone, Debug)]
pub enum BoundQuery {
    /// Cells over axes.
    Summary(Box<BoundSummary>),
    /// Single rows.
    List(Box<BoundList>),
}

impl BoundQuery {
    /// All expressions in it.
    pub fn expressions(&self) -> Vec<&Bound> {
        match self {
            Self::Summary(query) => {
                let axes = query.axes.iter().map(|a| &a.expr);
                let shows = query.shows.iter().map(|s| &s.expr);
                let chosen = query.having.iter().chain(query.top.iter().map(|t| &t.by));
                axes.chain(shows).chain(&query.filters).chain(chosen).collect()
            }
            Self::List(list) => {
                let columns = list.columns.iter().map(|c| &c.expr);
                columns.chain(&list.filters).chain(list.sort.iter().map(|(e, _)| e)).collect()
            }
        }
    }
}

/// A query that summarises.
#[derive(Clone, Debug, Default)]
pub struct BoundSummary {
    /// The axes, those of the rows first.
    pub axes: Vec<BoundAxis>,
    /// How many stand on rows.
    pub row_axes: usize,
    /// What is shown.
    pub shows: Vec<BoundShow>,
    /// How many of these, the last ones, only serve a drawing: no line appears for their sake.
    pub extra: usize,
    /// The hierarchy that is walked on rows.
    pub walk: Option<Walk>,
    /// Conditions that all must hold.
    pub filters: Vec<Bound>,
    /// Roles of the measures that have none of their own.
    pub via: Vec<RoleUse>,
    /// The order.
    pub sort: Vec<BoundSort>,
    /// Whether members without rows are shown.
    pub keep_empty: bool,
    /// Totals over rows.
    pub totals_on_rows: Option<TotalsPlace>,
    /// Totals over columns.
    pub totals_on_columns: Option<TotalsPlace>,
    /// Where the figures stand.
    pub figures: vembra_plan::FiguresPlace,
    /// Which lines are shown.
    pub having: Option<Bound>,
    /// The first ones by a figure.
    pub top: Option<BoundTop>,
    /// The values of parameters.
    pub params: Params,
}

/// The values of parameters that have one.
pub type Params = BTreeMap<ParamId, Scalar>;

/// The first lines by a figure.
#[derive(Clone, Debug)]
pub struct BoundTop {
    /// How many.
    pub count: usize,
    /// The axis whose members are chosen.
    pub axis: usize,
    /// By which figure.
    pub by: Bound,
    /// The smallest ones.
    pub smallest: bool,
    /// Again for every combination of these axes.
    pub within: Vec<usize>,
    /// Whether those that equal the last one stay.
    pub ties: bool,
    /// The name of a line for the others.
    pub rest: Option<String>,
}

/// A hierarchy that is walked.
#[derive(Clone, Debug, PartialEq)]
pub struct Walk {
    /// The names of its levels, the coarsest first.
    pub levels: Vec<String>,
    /// How many of them, from the first, are axes of the query.
    pub shown: usize,
    /// The members that the query opens.
    pub named: Vec<NamedMember>,
}

/// A member that a query opens.
#[derive(Clone, Debug, PartialEq)]
pub struct NamedMember {
    /// Where it is written.
    pub span: Span,
    /// The levels of the hierarchy on which such a value may be, with the value there.
    pub values: Vec<(usize, Scalar)>,
}

/// An axis.
#[derive(Clone, Debug)]
pub struct BoundAxis {
    /// The name in the answer.
    pub name: String,
    /// The heading.
    pub label: String,
    /// The attribute.
    pub expr: Bound,
    /// Where a hierarchy is walked: which members of the axis before are opened on this one.
    pub opened: Option<Opened>,
}

/// A figure that is shown, or a column of a list.
#[derive(Clone, Debug)]
pub struct BoundShow {
    /// The name in the answer.
    pub name: String,
    /// The heading.
    pub label: String,
    /// The expression.
    pub expr: Bound,
}

/// One step of the order of a summary.
#[derive(Clone, Copy, Debug)]
pub struct BoundSort {
    /// By what.
    pub key: SortKey,
    /// Largest first.
    pub descending: bool,
}

/// A query for single rows.
#[derive(Clone, Debug)]
pub struct BoundList {
    /// The table.
    pub table: TableId,
    /// What is shown of each row.
    pub columns: Vec<BoundShow>,
    /// Conditions that all must hold.
    pub filters: Vec<Bound>,
    /// Roles for columns of linked tables.
    pub via: Vec<RoleUse>,
    /// The order, and whether it is descending.
    pub sort: Vec<(Bound, bool)>,
    /// How many rows at most.
    pub limit: Option<usize>,
    /// The values of parameters.
    pub params: Params,
}
