//! Passes in which values may fail: an error belongs to the group in which a row asks for the value, and to the aggregate that asks.
//!
//! Which rows an aggregate takes, and which of them fail, is found beforehand. Beside each aggregate another one keeps the least number of
//! an error for each group, so that errors go wherever groups go: into totals, into other days, over bridges.

use super::Evaluator;
use crate::error::EngineError;
use crate::expression::eval::Prepared;
use crate::expression::guards::{Failed, values_or_errors};
use crate::expression::prepare::{Preparer, Scope};
use crate::expression::vector::Vector;
use crate::operators::aggregate::Spec;
use crate::operators::cells::Cells;
use crate::operators::groupings::Groupings;
use crate::operators::members::Key;
use crate::operators::scan::{BoundAggregate, BoundScan, RowKeys};
use crate::storage::column::{Column, ColumnBuilder};
use crate::storage::row_id::{RowId, Rows};
use std::sync::Arc;
use vembra_plan::{AggregateFunction, Scalar, Scan, Type};

/// What keeps the least number of an error.
fn errors_spec() -> Spec {
    Spec {
        function: AggregateFunction::Min,
        value: Type::Integer,
        parameter: None,
        ty: Type::Integer,
        memory: crate::execution::budget::Budget::none(),
    }
}

impl Evaluator<'_> {
    /// A scan whose aggregates take only rows for which nothing fails; behind them stands for each of them one that keeps errors.
    pub(super) fn bind_guarded<'k>(
        &'k self,
        scan: &Scan,
        keys: Vec<&'k Key>,
        scope: &Scope,
    ) -> Result<BoundScan<'k>, EngineError> {
        let preparer = Preparer { evaluator: self, table: scan.table, scope, within_growing: false };
        let rows = self.star.rows(scan.table);
        let filter = preparer.all(&scan.filter)?;
        let (mut conditions, mut inputs) = (vec![Vec::new()], Vec::new());
        let (mut aggregates, mut errors) = (Vec::new(), Vec::new());
        for plan in &scan.aggregates {
            let own = filter.iter().cloned().chain(preparer.all(&plan.condition)?).collect();
            let bind = |expr: &Option<_>| expr.as_ref().map(|expr| preparer.prepare(expr)).transpose();
            let (value, by) = (bind(&plan.value)?, bind(&plan.by)?);
            let (takes, failed) = rows_taken(own, [value.as_ref(), by.as_ref()], rows)?;
            let condition = conditions.len();
            conditions.push(vec![Prepared::Own(Arc::new(takes))]);
            let mut place = |input: Option<Prepared>| {
                inputs.extend(input.map(|input| (condition, input)));
                inputs.len() - 1
            };
            let value = plan.value.is_some().then(|| place(value));
            let by = plan.by.is_some().then(|| place(by));
            let spec = Spec::of(plan);
            aggregates.push(BoundAggregate { spec, condition, value, by, always: false });
            errors.push(self.numbered_errors(failed, rows));
        }
        for numbers in errors {
            inputs.push((0, Prepared::Own(Arc::new(numbers))));
            let value = Some(inputs.len() - 1);
            aggregates.push(BoundAggregate {
                spec: errors_spec(),
                condition: 0,
                value,
                by: None,
                always: false,
            });
        }
        // A row for which the filter fails may be left out by the condition of each aggregate; not so one that belongs to no group.
        let mut filter = Prepared::all_of(filter, !scan.aggregates.is_empty());
        filter.extend(Prepared::all_of(self.failing_keys(scan), false));
        Ok(BoundScan {
            rows,
            listed: None,
            stop_at: None,
            filter,
            keys: RowKeys::new(keys)?,
            conditions,
            inputs,
            serving: (0..aggregates.len()).collect(),
            aggregates,
            options: self.options,
        })
    }

    /// Errors by their numbers, which are kept until a cell asks for them.
    fn numbered_errors(&self, failed: Failed, rows: usize) -> Column {
        let mut all = self.errors.borrow_mut();
        let mut numbers = ColumnBuilder::new(Type::Integer);
        for row in 0..rows {
            match failed.get(&row) {
                Some(error) => {
                    numbers.push_physical(Some(all.len() as i128));
                    all.push(error.clone());
                }
                None => numbers.push_null(),
            }
        }
        numbers.finish()
    }

    /// Fails if some cells, at their places among groups, ask for an aggregate that fails there.
    pub(super) fn ask_errors(
        &self,
        found: &Groupings,
        index: usize,
        places: &[u32],
        cells: &Cells,
    ) -> Result<(), EngineError> {
        let aggregates = found.known.accumulators.len() / 2;
        let numbers = found.known.results(aggregates + index, &errors_spec())?;
        let of_cell = |cell: usize| match places.get(cell) {
            Some(place) if (*place as usize) < found.groups => numbers.scalar(*place as usize, Type::Integer),
            _ => Scalar::Null,
        };
        let first = (0..cells.len).find_map(|cell| of_cell(cell).physical());
        match first.and_then(|number| self.errors.borrow().get(number as usize).cloned()) {
            Some(error) => Err(error),
            None => Ok(()),
        }
    }
}

/// Which rows an aggregate takes: those for which its conditions hold and its values can be worked out. Of the others those that fail.
fn rows_taken(
    conditions: Vec<Prepared>,
    values: [Option<&Prepared>; 2],
    rows: usize,
) -> Result<(Column, Failed), EngineError> {
    let all = Prepared::all_of(conditions, false).pop();
    let (holds, mut failed) = match &all {
        Some(all) => all.or_errors(rows)?,
        None => (vec![Scalar::Boolean(true); rows], Failed::new()),
    };
    let mut takes: Vec<Scalar> = holds.iter().map(|h| Scalar::Boolean(*h == Scalar::Boolean(true))).collect();
    for value in values.into_iter().flatten() {
        let taken = RowId::all(rows, |row| takes[row] == Scalar::Boolean(true));
        let (_, own) = values_or_errors(taken.len(), &|start, count| {
            value.eval(Rows::List(&taken[start..start + count]))?;
            Ok(vec![Scalar::Null; count])
        })?;
        for (at, error) in own {
            let row = taken[at].index();
            takes[row] = Scalar::Boolean(false);
            failed.insert(row, error);
        }
    }
    let takes = Column::from_vector(Type::Boolean, Vector::from_scalars(&takes, Type::Boolean), rows);
    Ok((takes, failed))
}
