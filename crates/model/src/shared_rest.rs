//! The rest of a bridge: rows belong to several members of an axis, so some of the rest belong to a member shown as well. Queries
//! that count them.

use crate::bound::Bound;
use crate::keyless::fact_of;
use crate::model::Model;
use crate::query::{BoundShow, BoundSummary, BoundTop};
use std::collections::HashSet;
use vembra_plan::{TableId, TotalsPlace};
use vembra_syntax::Span;

/// The table whose rows each figure of a query is made of, where it is one.
pub fn facts_of(model: &Model, query: &BoundSummary) -> Vec<Option<TableId>> {
    query.shows.iter().map(|show| fact_of(model, &show.expr, &mut HashSet::new())).collect()
}

/// A query that counts the rows of tables on the lines of some axes, that with the rest last, and on their totals over it; with the rest as a
/// line, or with the chosen members only.
pub fn counting_rest(
    query: &BoundSummary,
    top: &BoundTop,
    axes: &[usize],
    tables: &[TableId],
    rest: Option<String>,
) -> BoundSummary {
    let span = |axis: &usize| axes.iter().position(|own| own == axis).unwrap_or(0);
    let show = |(at, table): (usize, &TableId)| {
        let name = format!("count_{at}");
        let expr = Bound::count_of_rows(*table, None, Span::default());
        BoundShow { label: name.clone(), name, expr }
    };
    BoundSummary {
        axes: axes.iter().map(|axis| query.axes[*axis].clone()).collect(),
        row_axes: axes.len(),
        shows: tables.iter().enumerate().map(show).collect(),
        filters: query.filters.clone(),
        via: query.via.clone(),
        params: query.params.clone(),
        totals_on_rows: Some(TotalsPlace::Last),
        top: Some(BoundTop {
            axis: span(&top.axis),
            within: top.within.iter().map(span).collect(),
            rest,
            ..top.clone()
        }),
        ..BoundSummary::default()
    }
}
