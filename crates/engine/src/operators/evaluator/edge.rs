//! The days of cells: from their members on attributes of the calendar, conditions, and date ranges.

use super::Evaluator;
use crate::error::EngineError;
use crate::expression::prepare::{Preparer, Scope};
use crate::expression::vector::Vector;
use crate::operators::cells::Cells;
use crate::operators::date_ranges::{Days, Lacking, Measure};
use crate::storage::narrow::day_after;
use crate::storage::row_id::Rows;
use std::rc::Rc;
use vembra_plan::{ColumnId, DateRange, DateStep, KeyId, RowExpr, Scalar, TableId, TimeUnit, Type};

/// A step whose parts are known for every day.
enum Known {
    /// Per code of a key its days, and the code of each cell.
    Position(Vec<Days>, Rc<Vec<u32>>),
    Where(Days),
    DateRange(vembra_plan::DateRange),
}

impl Evaluator<'_> {
    /// The first or last day of each cell.
    pub(super) fn edge(
        &self,
        last: bool,
        calendar: TableId,
        steps: &[DateStep],
        cells: &Rc<Cells>,
    ) -> Result<Vector, EngineError> {
        let days = self.days_of(calendar, steps, cells, None)?;
        let edge = |days: &Option<Days>| {
            let day = days.as_ref().and_then(|d| if last { d.last() } else { d.first() });
            day.map_or(Scalar::Null, Scalar::Date)
        };
        Ok(Vector::from_scalars(&days.iter().map(edge).collect::<Vec<_>>(), Type::Date))
    }

    /// The days that steps lead to per cell; `None` where a date range cannot be taken.
    pub(super) fn days_of(
        &self,
        calendar: TableId,
        steps: &[DateStep],
        cells: &Rc<Cells>,
        last_data: Option<i32>,
    ) -> Result<Vec<Option<Days>>, EngineError> {
        let by_days = |known: &[Known], by: &Measure<'_>, cell| days_of_cell(known, cell, by);
        self.each_cell(calendar, steps, (cells, last_data), by_days)
    }

    /// The days before the calendar that date ranges among the steps lack, per cell.
    pub(super) fn lacking(
        &self,
        calendar: TableId,
        steps: &[DateStep],
        cells: &Rc<Cells>,
    ) -> Result<Vec<Option<Lacking>>, EngineError> {
        // Days that are cut off at the last one with data lie behind those that the calendar lacks.
        let last = self.star.calendar_range(calendar).1;
        let by_days = |known: &[Known], by: &Measure<'_>, cell| lacking_of_cell(known, cell, by);
        self.each_cell(calendar, steps, (cells, Some(last)), by_days)
    }

    fn each_cell<T>(
        &self,
        calendar: TableId,
        steps: &[DateStep],
        (cells, last_data): (&Rc<Cells>, Option<i32>),
        of_cell: impl Fn(&[Known], &Measure<'_>, usize) -> T,
    ) -> Result<Vec<T>, EngineError> {
        let first = self.star.calendar_start(calendar);
        let rows = self.star.rows(calendar);
        let whole = (first, day_after(first, rows) - 1);
        let working = self.working_days(calendar, steps)?;
        let fiscal_start = self.fiscal_start(calendar);
        let by = Measure { calendar: whole, fiscal_start, last_data, working: &working };
        let mut known = Vec::new();
        for step in steps {
            match step {
                DateStep::Position(keys) => {
                    for (key, expr) in keys {
                        // A cell that does not stand on the key takes all days.
                        if let Some(codes) = cells.codes_of(*key) {
                            let days = self.days_by_code(*key, calendar, expr)?;
                            known.push(Known::Position(days, codes.clone()));
                        }
                    }
                }
                DateStep::Where(conditions) => {
                    known.push(Known::Where(self.days_where(calendar, conditions)?));
                }
                DateStep::DateRange(date_range) => known.push(Known::DateRange(*date_range)),
            }
        }
        Ok((0..cells.len).map(|cell| of_cell(&known, &by, cell)).collect())
    }

    /// The working days in order, where a date range asks for them.
    fn working_days(&self, calendar: TableId, steps: &[DateStep]) -> Result<Vec<i32>, EngineError> {
        let asks = |step: &DateStep| {
            matches!(step, DateStep::DateRange(DateRange::Earlier { unit, .. } | DateRange::Previous(unit) | DateRange::Last { unit, .. })
                if *unit == TimeUnit::WorkingDay)
        };
        if !steps.iter().any(asks) {
            return Ok(Vec::new());
        }
        let schema = self.star.schema();
        let counted = |c: &ColumnId| schema.column(*c).formula.as_ref().is_some_and(|f| f.counted);
        let Some(column) = schema.table(calendar).columns.iter().copied().find(counted) else {
            return Err(EngineError::Internal("a calendar without working days".to_owned()));
        };
        let (column, first) = (self.star.column(column)?, self.star.calendar_start(calendar));
        let mut before = Some(0);
        let mut days = Vec::new();
        for row in 0..self.star.rows(calendar) {
            let count = column.scalar(row).physical();
            if count != before {
                days.push(day_after(first, row));
            }
            before = count;
        }
        Ok(days)
    }

    fn days_by_code(&self, id: KeyId, calendar: TableId, expr: &RowExpr) -> Result<Vec<Days>, EngineError> {
        let key = self.key(id, calendar, expr)?;
        let first = self.star.calendar_start(calendar);
        let mut days = vec![Vec::new(); key.members.codes()];
        for row in 0..self.star.rows(calendar) {
            let day = day_after(first, row);
            days[key.code(row) as usize].push((day, day));
        }
        Ok(days.into_iter().map(Days::new).collect())
    }

    fn days_where(&self, calendar: TableId, conditions: &[RowExpr]) -> Result<Days, EngineError> {
        let (scope, rows) = (Scope::default(), self.star.rows(calendar));
        let preparer = Preparer { evaluator: self, table: calendar, scope: &scope, within_growing: false };
        let chosen = crate::operators::scan::choose(&preparer.all(conditions)?, Rows::Range(0, rows))?;
        let first = self.star.calendar_start(calendar);
        Ok(match chosen {
            None => Days::new(vec![(first, day_after(first, rows) - 1)]),
            Some(rows) => Days::new(
                rows.iter().map(|row| day_after(first, row.index())).map(|day| (day, day)).collect(),
            ),
        })
    }
}

fn days_of_cell(known: &[Known], cell: usize, by: &Measure<'_>) -> Option<Days> {
    let whole = Days::new(vec![by.calendar]);
    known.iter().try_fold(whole, |days, step| next_days(days, step, cell, by))
}

fn next_days(days: Days, step: &Known, cell: usize, by: &Measure<'_>) -> Option<Days> {
    match step {
        Known::Position(by_code, codes) => Some(days.intersect(&by_code[codes[cell] as usize])),
        Known::Where(allowed) => Some(days.intersect(allowed)),
        Known::DateRange(date_range) => days.date_range(*date_range, by),
    }
}

/// What the date ranges of a cell lack, if it has days at all.
fn lacking_of_cell(known: &[Known], cell: usize, by: &Measure<'_>) -> Option<Lacking> {
    let mut days = Days::new(vec![by.calendar]);
    let mut all: Option<Lacking> = None;
    for step in known {
        if let Known::DateRange(date_range) = step
            && let Some(own) = days.lacking(*date_range, by)
        {
            all = Some(all.map_or(own, |all| all.and(own)));
        }
        days = next_days(days, step, cell, by)?;
    }
    all.filter(|_| !days.0.is_empty())
}
