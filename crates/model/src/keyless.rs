//! Rows without a key of a detail: `avg(revenue per customer)` takes those that have no customer together as one value. Which figures of a
//! query do so, and a query that counts such rows.

use crate::bound::{Bound, BoundAggregate, BoundKind, Clauses, DetailKey, Over, RoleUse};
use crate::ids::MeasureId;
use crate::model::Model;
use crate::query::{BoundShow, BoundSummary};
use std::collections::HashSet;
use vembra_plan::{AggregateFunction, ColumnId, Function, LinkId, TableId, Type};
use vembra_syntax::Span;

/// A figure over a detail some of whose rows may have no key.
#[derive(Clone, Debug)]
pub struct Keyless {
    /// Where its aggregate is written.
    pub span: Span,
    /// The key.
    pub key: ColumnId,
    /// The table whose rows are counted.
    pub table: TableId,
    /// The links from its rows to the key.
    pub path: Vec<LinkId>,
}

/// The figures of a query over details, and the query that counts the rows without a key of each: two figures for each of them, the rows
/// without a key and, among these, those whose key no row of its table has. None where there is nothing to count.
pub fn keyless(model: &Model, query: &BoundSummary) -> (Vec<Keyless>, BoundSummary) {
    let mut finder = Finder { model, query, found: Vec::new(), counts: Vec::new(), seen: HashSet::new() };
    for show in &query.shows {
        finder.look(&show.expr, &[]);
    }
    let counting = BoundSummary {
        shows: finder.counts,
        filters: query.filters.clone(),
        via: query.via.clone(),
        params: query.params.clone(),
        ..BoundSummary::default()
    };
    (finder.found, counting)
}

struct Finder<'a> {
    model: &'a Model,
    query: &'a BoundSummary,
    found: Vec<Keyless>,
    counts: Vec<BoundShow>,
    /// The measures that were looked at, and the clauses around each: measures name measures, many times over.
    seen: HashSet<(MeasureId, Vec<*const Clauses>)>,
}

impl<'a> Finder<'a> {
    /// Looks for aggregates over details; `around` are the clauses of the expressions that they stand in, the outermost first.
    fn look(&mut self, bound: &'a Bound, around: &[&'a Clauses]) {
        match &bound.kind {
            BoundKind::Measure(id) => {
                let clauses = around.iter().map(|clauses| std::ptr::from_ref(*clauses)).collect();
                if self.seen.insert((*id, clauses)) {
                    self.look(&self.model.measure(*id).formula, around);
                }
            }
            BoundKind::Treatment(treatment) => self.look(&treatment.formula, around),
            BoundKind::Call(_, args) => args.iter().for_each(|arg| self.look(arg, around)),
            BoundKind::Window(window) => self.look(&window.value, around),
            BoundKind::Claused(inner, clauses) => {
                let around: Vec<&Clauses> = around.iter().copied().chain([&**clauses]).collect();
                self.look(inner, &around);
            }
            BoundKind::Aggregate(aggregate) => {
                if let (Over::Keys(keys), Some(value)) = (&aggregate.over, &aggregate.value)
                    && takes_each_value(aggregate.function)
                {
                    keys.iter().for_each(|key| self.note(bound.span, aggregate, value, key, around));
                }
            }
            _ => {}
        }
    }

    fn note(
        &mut self,
        span: Span,
        aggregate: &BoundAggregate,
        value: &Bound,
        key: &DetailKey,
        around: &[&'a Clauses],
    ) {
        let is_about = |condition: &Bound| condition.columns().iter().any(|(c, ..)| *c == key.column);
        let conditions = around.iter().flat_map(|clauses| &clauses.conditions);
        let own = aggregate.condition.iter().chain(conditions).chain(&self.query.filters);
        // Whoever speaks of the key has thought of rows without one; and on its own axis each value stands alone.
        let on_axis = self.query.axes.iter().any(|axis| is_about(&axis.expr));
        if on_axis || own.into_iter().any(is_about) {
            return;
        }
        let Some(table) = fact_of(self.model, value, &mut HashSet::new()) else { return };
        let roles: Vec<RoleUse> =
            self.query.via.iter().chain(around.iter().flat_map(|c| &c.via)).copied().collect();
        let Ok((column, route)) = self.model.route_to_thing(table, key.column, key.role, &roles) else {
            return;
        };
        let known = |k: &Keyless| k.key == column && k.table == table && k.span == span;
        if self.found.iter().any(known) {
            return;
        }
        let is_null = |column: ColumnId, role| {
            let ty = self.model.schema.column(column).ty;
            let leaf = Bound { kind: BoundKind::Column(column, role), ty, span };
            Bound { kind: BoundKind::Call(Function::IsNull, vec![leaf]), ty: Type::Boolean, span }
        };
        let both = |a: Bound, b: Bound| {
            let kind = BoundKind::Call(Function::And, vec![a, b]);
            Bound { kind, ty: Type::Boolean, span }
        };
        let not = |a: Bound| Bound { kind: BoundKind::Call(Function::Not, vec![a]), ty: Type::Boolean, span };
        let without = is_null(key.column, key.role);
        // A column of the rows themselves has no key to be unknown.
        let from = route.path.first().map(|link| self.model.schema.link(*link).from.clone());
        let unknown = match from {
            Some(from) => from.iter().fold(without.clone(), |all, from| both(all, not(is_null(*from, None)))),
            None => both(without.clone(), not(without.clone())),
        };
        for condition in [without, unknown] {
            let inner = Bound::count_of_rows(table, Some(condition), span);
            let expr = around.iter().rev().fold(inner, |inner, clauses| Bound {
                kind: BoundKind::Claused(Box::new(inner), Box::new((*clauses).clone())),
                ty: Type::Integer,
                span,
            });
            let name = format!("count_{}", self.counts.len());
            self.counts.push(BoundShow { label: name.clone(), name, expr });
        }
        self.found.push(Keyless { span, key: column, table, path: route.path });
    }
}

/// Whether an aggregate is another one if one more value takes part; a sum is not, whatever its values are put together by.
fn takes_each_value(function: AggregateFunction) -> bool {
    use AggregateFunction as F;
    matches!(function, F::Avg | F::Median | F::Percentile | F::Count | F::Min | F::Max | F::First | F::Last)
}

/// The table whose rows the values of a detail are made of; `seen` are measures that have none.
pub(crate) fn fact_of(model: &Model, bound: &Bound, seen: &mut HashSet<MeasureId>) -> Option<TableId> {
    match &bound.kind {
        BoundKind::Measure(id) if seen.insert(*id) => fact_of(model, &model.measure(*id).formula, seen),
        BoundKind::Treatment(treatment) => fact_of(model, &treatment.formula, seen),
        BoundKind::Call(_, args) => args.iter().find_map(|arg| fact_of(model, arg, seen)),
        BoundKind::Claused(inner, _) => fact_of(model, inner, seen),
        BoundKind::Aggregate(aggregate) => match (&aggregate.over, &aggregate.value) {
            (Over::Rows(table), _) => Some(*table),
            (Over::Keys(_), Some(value)) => fact_of(model, value, seen),
            _ => None,
        },
        _ => None,
    }
}
