//! What is known of expressions without data: their formats, the order of their members, why their totals need not add up, and which
//! measures and parameters they name.

use crate::bound::{Bound, BoundAggregate, BoundKind, Over, What};
use crate::ids::{MeasureId, ParamId};
use crate::model::Model;
use crate::query::BoundAxis;
use std::collections::{BTreeSet, VecDeque};
use vembra_plan::{AggregateFunction, ColumnId, Function, NotAdditive, RoleId, Scalar, Type, call};
use vembra_syntax::Sources;

/// The CLDR pattern that an expression inherits from the measure or column that it shows.
pub fn format_of(model: &Model, bound: &Bound) -> Option<String> {
    match &bound.kind {
        BoundKind::Measure(id) => model.measure(*id).format.clone(),
        BoundKind::Treatment(treatment) => treatment.format.clone(),
        BoundKind::Column(column, _) => model.column_info(*column).format,
        BoundKind::Claused(inner, _) => format_of(model, inner),
        BoundKind::Window(window) if window.function.is_ordered() => format_of(model, &window.value),
        BoundKind::Call(Function::Add | Function::Subtract, args) => {
            let formats: Vec<Option<String>> = args.iter().map(|a| format_of(model, a)).collect();
            let first = formats.first().cloned().flatten();
            first.filter(|f| formats.iter().all(|other| other.as_ref() == Some(f)))
        }
        BoundKind::Call(Function::Divide, args) if is_share(args) => Some("0.0%".to_owned()),
        BoundKind::Call(Function::Negate | Function::Round | Function::Coalesce | Function::NullIf, args) => {
            args.first().and_then(|a| format_of(model, a))
        }
        BoundKind::Aggregate(aggregate) => {
            let counts = matches!(
                aggregate.function,
                AggregateFunction::Count | AggregateFunction::CountRows | AggregateFunction::CountDistinct
            );
            let value = aggregate.value.as_ref().filter(|_| !counts);
            // The middle of whole numbers is one of them, or half way between two.
            let is_middle =
                |v: &Bound| aggregate.function == AggregateFunction::Median && v.ty == Type::Integer;
            value.and_then(|v| format_of(model, v).or_else(|| is_middle(v).then(|| "#,##0.#".to_owned())))
        }
        _ => None,
    }
}

/// Whether a quotient was written as `share(…)`: the same text over itself.
fn is_share(args: &[Bound]) -> bool {
    match args {
        [part, Bound { kind: BoundKind::Claused(whole, clauses), .. }] => {
            part.span == whole.span && !clauses.forget.is_empty()
        }
        _ => false,
    }
}

/// The axes, by their positions, along which lines are the parts of one whole though they are not along all: those that a share
/// forgets, and those that have nothing to do with the calendar where another date range of it is taken.
pub(crate) fn parts_along(model: &Model, sources: &Sources, bound: &Bound, axes: &[BoundAxis]) -> Vec<usize> {
    match &bound.kind {
        BoundKind::Measure(id) => parts_along(model, sources, &model.measure(*id).formula, axes),
        BoundKind::Treatment(treatment) => parts_along(model, sources, &treatment.formula, axes),
        BoundKind::Call(Function::Divide, args) if is_share(args) => {
            let [part, Bound { kind: BoundKind::Claused(_, clauses), .. }] = args.as_slice() else {
                return Vec::new();
            };
            if not_additive(model, sources, part).is_some() {
                return Vec::new();
            }
            let forgotten = |axis: &BoundAxis| {
                let covers =
                    |column, role| clauses.forget.iter().any(|f| covers(model, &f.what, column, role));
                axis.expr.columns().into_iter().all(|(column, role, _)| covers(column, role))
            };
            axes.iter().enumerate().filter(|(_, axis)| forgotten(axis)).map(|(at, _)| at).collect()
        }
        BoundKind::Claused(inner, clauses) => {
            let only_date_range = clauses.forget.is_empty() && clauses.detail.is_none();
            if !only_date_range || not_additive(model, sources, inner).is_some() {
                return Vec::new();
            }
            let in_time = |axis: &BoundAxis| {
                let columns = axis.expr.columns();
                columns.iter().any(|(c, ..)| Some(model.schema.column(*c).table) == model.calendar)
            };
            axes.iter().enumerate().filter(|(_, axis)| !in_time(axis)).map(|(at, _)| at).collect()
        }
        _ => Vec::new(),
    }
}

/// Whether what is forgotten names an attribute, alone or with others.
fn covers(model: &Model, what: &What, column: ColumnId, role: Option<RoleId>) -> bool {
    let any = |inside: &[What]| inside.iter().any(|w| covers(model, w, column, role));
    match what {
        What::All => true,
        What::Attribute(other, by) => (*other, *by) == (column, role),
        What::Table(table) => model.schema.column(column).table == *table,
        What::Role(by) => role == Some(*by),
        What::Several(inside) => any(inside),
        What::AllBut(inside) => !any(inside),
    }
}

/// Why a total of an expression need not be the sum of its lines; none if it always is.
pub(crate) fn not_additive(model: &Model, sources: &Sources, bound: &Bound) -> Option<NotAdditive> {
    match &bound.kind {
        BoundKind::Literal(_) | BoundKind::Param(_) | BoundKind::StandsOn(_) | BoundKind::CellEdge { .. } => {
            Some(NotAdditive::Formula)
        }
        BoundKind::Column(..) => None,
        BoundKind::Window(_) => Some(NotAdditive::Window),
        BoundKind::Measure(id) => model.measure(*id).known.not_additive.clone(),
        BoundKind::Treatment(treatment) => not_additive(model, sources, &treatment.formula),
        BoundKind::Claused(inner, clauses) => {
            if clauses.during.is_some() {
                Some(NotAdditive::DateRange)
            } else if !clauses.forget.is_empty() || clauses.detail.is_some() {
                Some(NotAdditive::Forgotten)
            } else {
                not_additive(model, sources, inner)
            }
        }
        BoundKind::Call(function, args) => {
            let fixed = |a: &&Bound| matches!(a.kind, BoundKind::Literal(_) | BoundKind::Param(_));
            let why = args.iter().filter(|a| !fixed(a)).find_map(|a| not_additive(model, sources, a));
            let additive = match function {
                Function::Add | Function::Subtract | Function::Negate => {
                    why.is_none() && !args.iter().any(|a| fixed(&a))
                }
                Function::Multiply => args.iter().filter(fixed).count() + 1 == args.len() && why.is_none(),
                _ => false,
            };
            // What stands in the formula says more than that it is one.
            let telling =
                matches!(why, Some(NotAdditive::DateRange | NotAdditive::Forgotten | NotAdditive::Window));
            (!additive).then(|| why.filter(|_| telling).unwrap_or(NotAdditive::Formula))
        }
        BoundKind::Aggregate(aggregate) => of_aggregate(model, sources, aggregate),
    }
}

fn of_aggregate(model: &Model, sources: &Sources, aggregate: &BoundAggregate) -> Option<NotAdditive> {
    let text = || {
        let span = aggregate.value.as_ref().map(|v| v.span);
        span.map(|p| sources.slice(p).to_owned()).unwrap_or_default()
    };
    if let Over::Keys(keys) = &aggregate.over {
        let names: Vec<&str> = keys.iter().map(|k| model.schema.column(k.column).name.as_str()).collect();
        let names = names.join(", ");
        return match aggregate.function {
            // A key that stands on several lines has a value on each; their sum may be another than that of all.
            AggregateFunction::Sum | AggregateFunction::Count => Some(NotAdditive::Distinct(names)),
            AggregateFunction::Min | AggregateFunction::Max => Some(NotAdditive::Extreme(names)),
            _ => Some(NotAdditive::Average(names)),
        };
    }
    match aggregate.function {
        AggregateFunction::Sum | AggregateFunction::Count | AggregateFunction::CountRows => None,
        AggregateFunction::CountDistinct => Some(NotAdditive::Distinct(text())),
        AggregateFunction::Avg
        | AggregateFunction::Median
        | AggregateFunction::Percentile
        | AggregateFunction::StdDev
        | AggregateFunction::Variance => Some(NotAdditive::Average("rows".to_owned())),
        _ => Some(NotAdditive::Extreme(text())),
    }
}

impl Model {
    /// The measures that expressions name, directly or by other measures, each once, in the order in which they are met.
    pub fn measures_in<'b>(&'b self, bounds: impl IntoIterator<Item = &'b Bound>) -> Vec<MeasureId> {
        let mut open: VecDeque<&Bound> = bounds.into_iter().collect();
        let mut found: Vec<MeasureId> = Vec::new();
        while let Some(bound) = open.pop_front() {
            bound.walk(&mut |b| match b.kind {
                BoundKind::Measure(id) if !found.contains(&id) => {
                    found.push(id);
                    open.push_back(&self.measure(id).formula);
                }
                _ => {}
            });
        }
        found
    }

    /// The columns that expressions read, those of the measures in them, and those that computed columns are made of: the nearest first.
    pub fn columns_in<'b>(&'b self, bounds: impl IntoIterator<Item = &'b Bound>) -> Vec<ColumnId> {
        let bounds: Vec<&Bound> = bounds.into_iter().collect();
        let measures = self.measures_in(bounds.iter().copied());
        let formulas = measures.into_iter().map(|id| &self.measure(id).formula);
        let mut open: VecDeque<&Bound> = bounds.iter().copied().chain(formulas).collect();
        let mut found: Vec<ColumnId> = Vec::new();
        while let Some(bound) = open.pop_front() {
            bound.walk(&mut |b| match b.kind {
                BoundKind::Column(id, _) if !found.contains(&id) => {
                    found.push(id);
                    open.extend(self.column_formulas.get(&id));
                }
                _ => {}
            });
        }
        found
    }

    /// The parameters of which expressions, and the measures in them, read the value.
    pub fn params_in(&self, bounds: &[&Bound]) -> BTreeSet<ParamId> {
        let measures = self.measures_in(bounds.iter().copied());
        let formulas = measures.iter().map(|id| &self.measure(*id).formula);
        let mut used = BTreeSet::new();
        for bound in bounds.iter().copied().chain(formulas) {
            bound.walk(&mut |b| {
                if let BoundKind::Param(id) = &b.kind {
                    used.insert(*id);
                }
            });
        }
        used
    }

    /// Whether an expression, or a measure that it names, has a window function: it looks along the lines shown.
    pub fn has_window(&self, bound: &Bound) -> bool {
        match &bound.kind {
            BoundKind::Window(_) => true,
            BoundKind::Measure(id) => self.measure(*id).known.has_window,
            _ => bound.parts().into_iter().any(|part| self.has_window(part)),
        }
    }

    /// The order of members by hand that an axis over an expression has: that of its column, or of its bands.
    pub fn order_of(&self, bound: &Bound) -> Vec<Scalar> {
        match &bound.kind {
            BoundKind::Column(column, _) => self.column_info(*column).order,
            BoundKind::Call(Function::Band, args) => {
                let bounds: Vec<Scalar> = args[1..]
                    .iter()
                    .filter_map(|a| if let BoundKind::Literal(v) = &a.kind { Some(v.clone()) } else { None })
                    .collect();
                call::band_labels(&bounds).into_iter().map(Scalar::text).collect()
            }
            _ => Vec::new(),
        }
    }
}
