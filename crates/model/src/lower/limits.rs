//! A viewer's limits as conditions on the rows of tables.

use super::{Lowering, conjuncts, messages};
use crate::bound::{Bound, BoundKind};
use crate::model::Model;
use std::collections::BTreeSet;
use vembra_plan::{Formula, RoleId, Scalar, TableId, TableKind};
use vembra_syntax::{Diagnostic, Sources};

/// Conditions on rows that a viewer's limits come to, each with the table whose rows it is about.
///
/// A condition on shared attributes is about the rows of the table that has them: all that leads there, by whatever role, is limited with
/// it. A condition on attributes pinned to roles is about the rows from which the links of these roles start, and those alone:
/// a row is seen if it holds for what just these links reach.
///
/// # Errors
/// What is wrong with them.
pub fn limits(
    model: &Model,
    sources: &Sources,
    conditions: &[Bound],
) -> Result<Vec<(TableId, Formula)>, Vec<Diagnostic>> {
    let mut limits = Vec::new();
    for condition in conditions.iter().flat_map(conjuncts) {
        let roles: BTreeSet<RoleId> = condition.columns().iter().filter_map(|(_, role, _)| *role).collect();
        if roles.is_empty() {
            limits.push(shared(model, sources, condition)?);
        } else {
            limits.extend(by_roles(model, sources, condition, &roles)?);
        }
    }
    Ok(limits)
}

/// A limit on the rows of the table whose attributes a condition names.
fn shared(
    model: &Model,
    sources: &Sources,
    condition: &Bound,
) -> Result<(TableId, Formula), Vec<Diagnostic>> {
    let mut lowering = Lowering::new(model, sources);
    let (home, _) = lowering.home(condition);
    let table = if condition.columns().is_empty() { None } else { Some(home) };
    if let Some(derived) = table.filter(|t| model.schema.table(*t).kind == TableKind::Derived) {
        let name = &model.schema.table(derived).name;
        return Err(vec![messages::limit_on_derived(condition.span, name)]);
    }
    let expr = table.and_then(|t| lowering.column_formula(condition, t));
    match (table, expr) {
        (Some(table), Some(formula)) => Ok((table, formula)),
        _ if lowering.diagnostics.is_empty() => Err(vec![messages::odd_limit(condition.span)]),
        _ => Err(lowering.diagnostics),
    }
}

/// Limits on the rows from which the links of some roles start.
fn by_roles(
    model: &Model,
    sources: &Sources,
    condition: &Bound,
    roles: &BTreeSet<RoleId>,
) -> Result<Vec<(TableId, Formula)>, Vec<Diagnostic>> {
    // What is not pinned means every role; beside one role it could mean either.
    if let Some((_, _, span)) = condition.columns().iter().find(|(_, role, _)| role.is_none()) {
        return Err(vec![messages::limit_half_pinned(*span)]);
    }
    let starts = |table: &TableId, role: RoleId| {
        model
            .schema
            .link_ids()
            .any(|l| model.schema.link(l).role == Some(role) && model.schema.link_source(l) == *table)
    };
    let is_derived = |t: &TableId| model.schema.table(*t).kind == TableKind::Derived;
    let tables = model.schema.table_ids().filter(|t| !is_derived(t));
    let mut limits = Vec::new();
    for table in tables.filter(|t| roles.iter().any(|role| starts(t, *role))) {
        let own = only_roles(condition, &|role| starts(&table, role));
        let mut lowering = Lowering::new(model, sources);
        match lowering.column_formula(&own, table) {
            Some(formula) => limits.push((table, formula)),
            None => return Err(lowering.diagnostics),
        }
    }
    if limits.is_empty() { Err(vec![messages::odd_limit(condition.span)]) } else { Ok(limits) }
}

/// A condition for rows that have only some of its roles: by the others they reach nothing.
fn only_roles(bound: &Bound, has: &impl Fn(RoleId) -> bool) -> Bound {
    let kind = match &bound.kind {
        BoundKind::Column(_, Some(role)) if !has(*role) => BoundKind::Literal(Scalar::Null),
        BoundKind::Call(function, args) => {
            BoundKind::Call(*function, args.iter().map(|a| only_roles(a, has)).collect())
        }
        other => other.clone(),
    };
    Bound { kind, ty: bound.ty, span: bound.span }
}
