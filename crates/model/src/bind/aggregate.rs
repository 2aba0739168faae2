//! Aggregates: their function, their value, and the table whose rows are taken.

use super::{Binder, type_message};
use crate::bound::{Bound, BoundAggregate, BoundKind, Grain, Over};
use crate::messages;
use vembra_plan::{AggregateFunction, ColumnId, RoleId, Scalar, TableId, Type};
use vembra_syntax::ast::{self, View};
use vembra_syntax::{Diagnostic, Span};

impl Binder<'_> {
    pub(super) fn aggregate(&mut self, node: &ast::Aggregate) -> Option<Bound> {
        let span = self.span(node);
        let name = node.name()?.name().to_ascii_lowercase();
        let from = match node.from() {
            Some(table) => Some(self.table(&table)?),
            None => None,
        };
        let parts = self.within(self.scope.aggregated(from), |b| b.aggregate_parts(node))?;
        let function = self.function(node, &name)?;
        let over = match (node.rows_of(), self.keys_of(&parts, from)) {
            (Some(rows_of), _) => Over::Rows(rows_of.table().and_then(|t| self.table(&t))?),
            (None, Some(keys)) => Over::Keys(keys),
            (None, None) => Over::Rows(self.table_of(&parts, from, span)?),
        };
        match &over {
            Over::Rows(table) => self.check_condition_table(&parts, *table, from)?,
            Over::Keys(keys) => self.check_condition_keys(&parts, keys)?,
        }
        let parameter = self.parameter(node, function)?;
        let argument = parts.value.as_ref().map_or(Type::Null, |v| v.ty);
        let ty = match function.result(argument) {
            Ok(ty) => ty,
            Err(error) => {
                let args: Vec<Bound> = parts.value.into_iter().collect();
                let message = type_message(self.model, &error, &name, &args, span);
                return self.fail(message);
            }
        };
        let aggregate = BoundAggregate {
            function,
            value: parts.value,
            by: parts.by,
            parameter,
            over,
            condition: parts.condition,
        };
        Some(Bound { kind: BoundKind::Aggregate(Box::new(aggregate)), ty, span })
    }

    fn aggregate_parts(&mut self, node: &ast::Aggregate) -> Option<Parts> {
        let value = match node.value() {
            Some(value) => Some(self.expr(&value)),
            None if node.rows_of().is_some() => None,
            None => return None,
        };
        let by = node.by().and_then(|b| b.key()).map(|key| self.expr(&key));
        let condition = node.condition().map(|c| self.condition(&c));
        // Each part that is written must be bound.
        let parts = Parts { value: settled(value)?, by: settled(by)?, condition: settled(condition)? };
        for part in parts.value.iter().chain(&parts.by) {
            if let Some(part) = self.model.bare_figure(part) {
                let name = node.name().map(|n| n.name()).unwrap_or_default();
                let message = messages::sum_of_measure(node.span(self.source), &name, &part_text(self, part));
                return self.fail(message);
            }
        }
        Some(parts)
    }

    fn function(&mut self, node: &ast::Aggregate, name: &str) -> Option<AggregateFunction> {
        let span = self.span(node);
        let descending = node.by().is_some_and(|b| b.is_descending());
        let function = match AggregateFunction::from_name(name)? {
            AggregateFunction::Count if node.rows_of().is_some() => AggregateFunction::CountRows,
            AggregateFunction::Count if node.is_distinct() => AggregateFunction::CountDistinct,
            AggregateFunction::ListAgg if node.is_distinct() => AggregateFunction::ListAggDistinct,
            AggregateFunction::First if descending => AggregateFunction::Last,
            AggregateFunction::Last if descending => AggregateFunction::First,
            function => function,
        };
        let wants_by = matches!(function, AggregateFunction::First | AggregateFunction::Last);
        if wants_by != node.by().is_some() {
            let what = if wants_by { "says by what rows are ordered" } else { "takes no by" };
            return self.fail(messages::bad_parameter(
                span,
                &format!("{name} {what}"),
                "last(on_hand by counted_on)",
            ));
        }
        let counts =
            matches!(function, AggregateFunction::CountDistinct | AggregateFunction::ListAggDistinct);
        if node.is_distinct() && !counts {
            let what = format!("distinct stands only in count and listagg, not in {name}");
            return self.fail(messages::bad_parameter(span, &what, "count(distinct COLUMN)"));
        }
        if node.rows_of().is_some() && function != AggregateFunction::CountRows {
            let what = format!("rows of stands only in count, not in {name}");
            return self.fail(messages::bad_parameter(span, &what, "count(rows of TABLE)"));
        }
        Some(function)
    }

    /// The keys of the combinations that an aggregate runs over, if it runs over any.
    fn keys_of(&self, parts: &Parts, from: Option<TableId>) -> Option<Vec<crate::bound::DetailKey>> {
        if from.is_some() {
            return None;
        }
        match self.model.grain(parts.value.as_ref()?) {
            Grain::Keys(keys) => Some(keys),
            _ => None,
        }
    }

    /// What stands beside a value of keys must be known for these keys.
    fn check_condition_keys(&mut self, parts: &Parts, keys: &[crate::bound::DetailKey]) -> Option<()> {
        for part in parts.condition.iter().chain(&parts.by) {
            match self.model.grain(part) {
                Grain::Keys(own) if !self.model.holds_keys(keys, &own) => {
                    let value = parts.value.as_ref().map_or(part.span, |v| v.span);
                    return self.fail(messages::keys_apart(part.span, value));
                }
                // A key of the detail has one value for each of its combinations.
                Grain::Row(_) if is_of_keys(part, keys) => {}
                Grain::Row(tables) => {
                    let table = tables.iter().next().map(|t| self.model.schema.table(*t).name.clone());
                    return self.fail(messages::row_beside_keys(part.span, &table.unwrap_or_default()));
                }
                _ => {}
            }
        }
        Some(())
    }

    /// The table that the value names: the finest, from which links lead to all others.
    fn table_of(&mut self, parts: &Parts, from: Option<TableId>, span: Span) -> Option<TableId> {
        let named: Vec<&Bound> = parts.value.iter().chain(&parts.by).collect();
        let columns: Vec<_> = named.iter().flat_map(|b| b.columns()).collect();
        let mut tables: Vec<TableId> = Vec::new();
        for (column, _, _) in &columns {
            let table = self.model.schema.column(*column).table;
            if !tables.contains(&table) {
                tables.push(table);
            }
        }
        let candidates = from.map_or_else(|| tables.clone(), |table| vec![table]);
        let all = |table: &TableId| columns.iter().all(|(c, role, _)| self.model.reaches(*table, *c, *role));
        match candidates.iter().find(|t| all(t)) {
            Some(table) => Some(*table),
            None if candidates.is_empty() => self.fail(messages::no_rows_named(span)),
            None => {
                if let Some(message) = self.behind_bridge(&candidates, &columns) {
                    return self.fail(message);
                }
                tables.extend(from.filter(|f| !tables.contains(f)));
                let names: Vec<String> =
                    tables.iter().map(|t| self.model.schema.table(*t).name.clone()).collect();
                self.fail(messages::no_finest(span, &names))
            }
        }
    }

    /// A value that lies behind a bridge of one of some tables.
    fn behind_bridge(
        &self,
        tables: &[TableId],
        columns: &[(ColumnId, Option<RoleId>, Span)],
    ) -> Option<Diagnostic> {
        let model = self.model;
        tables.iter().find_map(|table| {
            columns.iter().find_map(|(column, role, span)| {
                let crossing = model.bridged(*table, *column, *role, &[]).ok()??;
                Some(model.several_rows(*span, *table, *column, &crossing))
            })
        })
    }

    /// A condition on finer rows than those of the value needs `from`.
    fn check_condition_table(&mut self, parts: &Parts, table: TableId, from: Option<TableId>) -> Option<()> {
        let Some(condition) = &parts.condition else { return Some(()) };
        for (column, role, span) in condition.columns() {
            let crosses = |model: &crate::Model| !matches!(model.bridged(table, column, role, &[]), Ok(None));
            if self.model.reaches(table, column, role) || crosses(self.model) {
                continue;
            }
            let finer = self.model.schema.column(column).table;
            let names = [finer, table].map(|t| self.model.schema.table(t).name.clone());
            let leads_back = self.model.reachable_tables(finer).contains(&table);
            let message = if leads_back && from.is_none() {
                messages::from_needed(span, &names[0], &names[1])
            } else {
                messages::no_finest(span, &names)
            };
            return self.fail(message);
        }
        Some(())
    }

    /// What stands behind the comma: `Some(None)` if nothing does.
    #[allow(clippy::option_option)] // The outer one says whether it could be bound.
    fn parameter(&mut self, node: &ast::Aggregate, function: AggregateFunction) -> Option<Option<Scalar>> {
        let span = self.span(node);
        let written = match node.parameter() {
            Some(expr) => Some(self.expr(&expr)?),
            None => None,
        };
        let value = written
            .as_ref()
            .map(|b| if let BoundKind::Literal(v) = &b.kind { v.clone() } else { Scalar::Null });
        match (function, value) {
            (AggregateFunction::Percentile, Some(v))
                if v.to_f64().is_some_and(|p| (0.0..=1.0).contains(&p)) =>
            {
                Some(Some(v))
            }
            (AggregateFunction::Percentile, _) => self.fail(messages::bad_parameter(
                span,
                "percentile takes a value and a part between 0 and 1",
                "percentile(net, 0.9)",
            )),
            (AggregateFunction::ListAgg | AggregateFunction::ListAggDistinct, Some(v @ Scalar::Text(_))) => {
                Some(Some(v))
            }
            (AggregateFunction::ListAgg | AggregateFunction::ListAggDistinct, Some(_)) => self.fail(
                messages::bad_parameter(span, "the separator of listagg is a text", "listagg(name, ', ')"),
            ),
            (_, None) => Some(None),
            _ => self.fail(messages::bad_parameter(span, "this aggregate takes one value", "sum(net)")),
        }
    }
}

/// Whether all columns that an expression names are keys of a detail.
fn is_of_keys(part: &Bound, keys: &[crate::bound::DetailKey]) -> bool {
    let columns = part.columns();
    columns.iter().all(|(column, role, _)| keys.iter().any(|key| (key.column, key.role) == (*column, *role)))
}

struct Parts {
    value: Option<Bound>,
    by: Option<Bound>,
    condition: Option<Bound>,
}

/// What is written but not bound makes the whole fail.
#[allow(clippy::option_option)] // The outer one says whether it is written, then whether it could be bound.
fn settled(part: Option<Option<Bound>>) -> Option<Option<Bound>> {
    match part {
        None => Some(None),
        Some(bound) => bound.map(Some),
    }
}

fn part_text(binder: &Binder<'_>, part: &Bound) -> String {
    match part.kind {
        BoundKind::Measure(id) => binder.model.measure(id).name.clone(),
        _ => binder.sources.slice(part.span).to_owned(),
    }
}
