//! The steps of a figure as figures of their own, to be asked for beside it.

use std::collections::BTreeMap;
use vembra_model::{Bound, BoundAggregate, BoundKind, BoundShow, Clauses, Detail, DetailKey, Model, Over};
use vembra_plan::{AggregateFunction, TableId, Type};
use vembra_syntax::Span;

/// How many steps of a figure are asked for: nobody reads on.
const MOST_STEPS: usize = 200;

/// A step of a formula: which of the figures asked for is its value.
pub(super) struct Asking {
    pub(super) value: usize,
    /// How many rows, or values at keys, stand behind it.
    pub(super) count: Option<usize>,
    /// How many rows the table has.
    pub(super) all: Option<usize>,
    pub(super) keys: Vec<DetailKey>,
    /// Whether it says only of the step before if both have one value: a detail that the cell does not settle has none.
    pub(super) if_equal: bool,
    pub(super) steps: Vec<Asking>,
}

/// What is asked for beside the figures of a query.
pub(super) struct Beside<'m> {
    model: &'m Model,
    /// Which of the figures counts all rows of a table.
    all: BTreeMap<TableId, usize>,
    pub(super) shows: Vec<BoundShow>,
    /// How many may be asked for before the steps of a figure are reported without their own.
    most: usize,
}

impl<'m> Beside<'m> {
    pub(super) fn new(model: &'m Model) -> Self {
        Self { model, all: BTreeMap::new(), shows: Vec::new(), most: 0 }
    }

    fn add(&mut self, bound: &Bound, around: &[Clauses]) -> usize {
        let expr = around.iter().rev().fold(self.opened(bound), |inner, clauses| Bound {
            ty: inner.ty,
            span: inner.span,
            kind: BoundKind::Claused(Box::new(inner), Box::new(clauses.clone())),
        });
        let name = format!("step {}", self.shows.len());
        self.shows.push(BoundShow { label: name.clone(), name, expr });
        self.shows.len() - 1
    }

    /// The formula instead of the measure: on totals a measure that is shown may have another one than within a formula.
    fn opened(&self, bound: &Bound) -> Bound {
        match &bound.kind {
            BoundKind::Measure(id) => self.opened(&self.model.measure(*id).formula),
            BoundKind::Claused(inner, clauses) => {
                let kind = BoundKind::Claused(Box::new(self.opened(inner)), clauses.clone());
                Bound { kind, ..bound.clone() }
            }
            _ => bound.clone(),
        }
    }

    /// The steps of a figure, in the order in which the plain evaluator gives them.
    pub(super) fn figure(&mut self, bound: &Bound) -> Asking {
        self.most = self.shows.len() + MOST_STEPS;
        self.step(bound, &[])
    }

    fn step(&mut self, bound: &Bound, around: &[Clauses]) -> Asking {
        let steps = match &bound.kind {
            _ if self.shows.len() > self.most => Vec::new(),
            BoundKind::Measure(id) => {
                let model = self.model;
                vec![self.step(&model.measure(*id).formula, around)]
            }
            BoundKind::Treatment(treatment) => vec![self.step(&treatment.formula, around)],
            BoundKind::Call(_, args) => {
                let told = args.iter().filter(|a| !matches!(a.kind, BoundKind::Literal(_)));
                told.map(|arg| self.step(arg, around)).collect()
            }
            BoundKind::Window(window) => vec![self.step(&window.value, around)],
            BoundKind::Claused(inner, clauses) => {
                let mut own = Clauses::clone(clauses);
                own.detail = own.detail.filter(|detail| matches!(detail, Detail::Overall));
                let around: Vec<Clauses> = around.iter().cloned().chain([own]).collect();
                vec![Asking { if_equal: true, ..self.step(inner, &around) }]
            }
            _ => Vec::new(),
        };
        let value = self.add(bound, around);
        let mut asking = Asking { value, count: None, all: None, keys: Vec::new(), if_equal: false, steps };
        let BoundKind::Aggregate(aggregate) = &bound.kind else { return asking };
        match &aggregate.over {
            Over::Rows(table) => {
                let rows = self.add(&count_of(aggregate, bound.span), around);
                (asking.count, asking.all) = (Some(rows), Some(self.all_rows(*table, bound.span)));
            }
            Over::Keys(keys) => {
                asking.keys.clone_from(keys);
                asking.count = Some(self.add(&count_of(aggregate, bound.span), around));
            }
        }
        asking
    }

    /// All rows of a table, whatever the query filters.
    fn all_rows(&mut self, table: TableId, span: Span) -> usize {
        if let Some(known) = self.all.get(&table) {
            return *known;
        }
        let rows = BoundAggregate {
            function: AggregateFunction::CountRows,
            value: None,
            by: None,
            parameter: None,
            over: Over::Rows(table),
            condition: None,
        };
        let overall = Clauses { detail: Some(Detail::Overall), ..Clauses::default() };
        let at = self.add(&count_of(&rows, span), &[overall]);
        self.all.insert(table, at);
        at
    }
}

/// How many rows, or values at keys, an aggregate takes.
fn count_of(aggregate: &BoundAggregate, span: Span) -> Bound {
    let (function, value) = match &aggregate.over {
        Over::Rows(_) => (AggregateFunction::CountRows, None),
        Over::Keys(_) => (AggregateFunction::Count, aggregate.value.clone()),
    };
    let count = BoundAggregate { function, value, by: None, parameter: None, ..aggregate.clone() };
    Bound { kind: BoundKind::Aggregate(Box::new(count)), ty: Type::Integer, span }
}
