//! The plain evaluator: for each cell it builds the context, walks all rows, tests every condition, and recurses.
//!
//! It judges the engine in tests. It knows meaning ([`BoundQuery`]) and values, but no plan, no codes and no
//! kernels; with the engine it shares only the scalar functions. It is slow on purpose: nothing is kept between
//! cells.
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod aggregate;
mod data;
mod walk;

use aggregate::aggregate;
pub use data::Data;
use std::collections::BTreeMap;
use vembra_engine::Member;
use vembra_model::{Bound, BoundAggregate, BoundKind, BoundQuery, Model, RoleUse};
use vembra_plan::{EvalError, Scalar, TableId, call};

/// A line: its members (all over which it totals stand as [`Member::All`]) and its values.
#[derive(Clone, Debug)]
pub struct ReferenceLine {
    /// A member for each axis.
    pub members: Vec<Member>,
    /// A value for each figure.
    pub values: Vec<Scalar>,
    /// For a total of numbers whether it is the sum of its detail lines.
    pub adds_up: Vec<Option<bool>>,
}

/// Answers a summary the plain way; the lines come in no particular order.
///
/// # Errors
/// Overflow, and values that cannot be worked out.
pub fn answer(model: &Model, data: &Data, query: &BoundQuery) -> Result<Vec<ReferenceLine>, EvalError> {
    let evaluator = Evaluator { model, data, query };
    let columns = query.axes.len() - query.row_axes;
    let counts = |most: usize, totals: bool| if totals { (0..=most).collect() } else { vec![most] };
    let mut lines = Vec::new();
    for rows in counts(query.row_axes, query.totals_on_rows.is_some()) {
        for columns in counts(columns, query.totals_on_columns.is_some()) {
            let kept: Vec<usize> = (0..rows).chain((0..columns).map(|c| query.row_axes + c)).collect();
            lines.extend(evaluator.level(&kept)?);
        }
    }
    add_up(query, &mut lines);
    Ok(lines)
}

/// Compares each total of numbers with the sum of its detail lines.
fn add_up(query: &BoundQuery, lines: &mut [ReferenceLine]) {
    let is_detail = |l: &ReferenceLine| !l.members.contains(&Member::All);
    let details: Vec<ReferenceLine> = lines.iter().filter(|l| is_detail(l)).cloned().collect();
    for line in lines.iter_mut().filter(|l| !is_detail(l)) {
        let covered: Vec<&ReferenceLine> = details
            .iter()
            .filter(|d| line.members.iter().zip(&d.members).all(|(t, m)| *t == Member::All || t == m))
            .collect();
        for (at, show) in query.shows.iter().enumerate().filter(|(_, s)| s.expr.ty.is_number()) {
            let values: Vec<&Scalar> =
                covered.iter().map(|d| &d.values[at]).filter(|v| !v.is_null()).collect();
            let total = &line.values[at];
            line.adds_up[at] = Some(match (values.first(), show.expr.ty) {
                (None, _) => total.to_f64().is_none_or(|t| t == 0.0),
                (_, vembra_plan::Type::Float) => {
                    let sum: f64 = values.iter().filter_map(|v| v.to_f64()).sum();
                    total.to_f64().is_some_and(|t| (t - sum).abs() <= 1e-9 * sum.abs().max(t.abs()))
                }
                _ => total.lane() == Some(values.iter().filter_map(|v| v.lane()).sum()),
            });
        }
    }
}

/// Where an expression is evaluated.
#[derive(Clone, Default)]
struct Context<'a> {
    /// Kept axes and the member on each.
    position: Vec<(usize, Member)>,
    roles: Vec<RoleUse>,
    conditions: Vec<&'a Bound>,
}

struct Evaluator<'a> {
    model: &'a Model,
    data: &'a Data,
    query: &'a BoundQuery,
}

impl Evaluator<'_> {
    fn level(&self, kept: &[usize]) -> Result<Vec<ReferenceLine>, EvalError> {
        // A line appears where the fact behind a figure has a row.
        let mut positions: BTreeMap<String, Vec<Member>> = BTreeMap::new();
        if self.query.axes.is_empty() {
            positions.insert(String::new(), Vec::new());
        }
        for (table, roles) in self.facts() {
            for row in 0..self.data.rows(table) {
                if !self.all_hold(self.query.filters.iter(), table, row, &roles)? {
                    continue;
                }
                let mut members = vec![Member::All; self.query.axes.len()];
                for axis in kept {
                    members[*axis] = self.member(*axis, table, row, &roles)?;
                }
                positions.insert(format!("{members:?}"), members);
            }
        }
        let mut lines = Vec::new();
        for members in positions.into_values() {
            let position = kept.iter().map(|axis| (*axis, members[*axis].clone())).collect();
            let context = Context { position, roles: self.query.via.clone(), conditions: Vec::new() };
            let values: Result<Vec<Scalar>, EvalError> =
                self.query.shows.iter().map(|s| self.cell(&s.expr, &context)).collect();
            lines.push(ReferenceLine {
                members,
                values: values?,
                adds_up: vec![None; self.query.shows.len()],
            });
        }
        Ok(lines)
    }

    /// The facts behind the figures, each with the roles in force.
    fn facts(&self) -> Vec<(TableId, Vec<RoleUse>)> {
        let mut facts = Vec::new();
        for show in &self.query.shows {
            self.collect_facts(&show.expr, &self.query.via, &mut facts);
        }
        facts
    }

    fn collect_facts(&self, bound: &Bound, roles: &[RoleUse], facts: &mut Vec<(TableId, Vec<RoleUse>)>) {
        match &bound.kind {
            BoundKind::Measure(id) => self.collect_facts(&self.model.measure(*id).formula, roles, facts),
            BoundKind::Call(_, args) => args.iter().for_each(|a| self.collect_facts(a, roles, facts)),
            BoundKind::Aggregate(aggregate) => facts.push((aggregate.table, roles.to_vec())),
            BoundKind::Claused { inner, via, .. } => {
                let roles: Vec<RoleUse> = roles.iter().chain(via).copied().collect();
                self.collect_facts(inner, &roles, facts);
            }
            BoundKind::Literal(_) | BoundKind::Column(..) => {}
        }
    }

    fn cell(&self, bound: &Bound, context: &Context<'_>) -> Result<Scalar, EvalError> {
        match &bound.kind {
            BoundKind::Literal(value) => Ok(value.clone()),
            BoundKind::Column(..) => Err(EvalError::Internal("a column in a cell".to_owned())),
            BoundKind::Measure(id) => self.cell(&self.model.measure(*id).formula, context),
            BoundKind::Call(function, args) => {
                let args: Result<Vec<Scalar>, EvalError> =
                    args.iter().map(|a| self.cell(a, context)).collect();
                call::call(*function, &args?, bound.ty)
            }
            BoundKind::Claused { inner, via, conditions } => {
                let mut context = context.clone();
                context.roles.extend(via);
                context.conditions.extend(conditions);
                self.cell(inner, &context)
            }
            BoundKind::Aggregate(plan) => self.aggregate(bound, plan, context),
        }
    }

    fn aggregate(
        &self,
        bound: &Bound,
        plan: &BoundAggregate,
        context: &Context<'_>,
    ) -> Result<Scalar, EvalError> {
        let (table, roles) = (plan.table, &context.roles);
        let mut values = Vec::new();
        for row in 0..self.data.rows(table) {
            let mut here = self.all_hold(self.query.filters.iter(), table, row, roles)?;
            for (axis, member) in &context.position {
                here = here && self.member(*axis, table, row, roles)? == *member;
            }
            let conditions = context.conditions.iter().copied().chain(&plan.condition);
            if !here || !self.all_hold(conditions, table, row, roles)? {
                continue;
            }
            let eval = |e: &Option<Bound>| e.as_ref().map(|e| self.row(e, table, row, roles)).transpose();
            values.push((eval(&plan.value)?, eval(&plan.by)?));
        }
        aggregate(plan.function, &values, plan.parameter.as_ref(), bound.ty)
    }

    fn all_hold<'b>(
        &self,
        mut conditions: impl Iterator<Item = &'b Bound>,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<bool, EvalError> {
        conditions.try_fold(true, |all, c| Ok(all && self.row(c, table, row, roles)?.lane() == Some(1)))
    }

    /// Where a row stands on an axis.
    fn member(
        &self,
        axis: usize,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Member, EvalError> {
        let expr = &self.query.axes[axis].expr;
        Ok(match self.row(expr, table, row, roles)? {
            Scalar::Null if self.is_unknown(expr, table, row, roles) => Member::Unknown,
            Scalar::Null => Member::None,
            value => Member::Value(value),
        })
    }
}
