//! Date ranges of the calendar, day by day: each day is asked whether it belongs.

use crate::Evaluator;
use crate::context::{DayStep, Key};
use crate::data::Reached;
use std::collections::BTreeSet;
use std::rc::Rc;
use vembra_engine::Member;
use vembra_model::{Bound, RoleUse};
use vembra_plan::civil::{day_of, last_day, parts_of, period_of};
use vembra_plan::{
    ColumnId, DateRange, EvalError, Function, LinkId, Period, Scalar, TableId, TimeUnit, Type, call,
};

/// What a key of the calendar takes of a day.
enum OfDay {
    Attribute(Bound),
    Column(ColumnId),
}

impl<'a> Evaluator<'a> {
    /// The days that steps lead to; `None` where a date range cannot be taken. The last day with data is the latest by any of the `ways`, the
    /// roles by which rows reach the calendar.
    pub(crate) fn days(
        &self,
        steps: &[DayStep<'a>],
        table: TableId,
        ways: &[Vec<RoleUse>],
    ) -> Result<Option<Vec<i32>>, EvalError> {
        let mut last_data = None;
        for roles in ways {
            last_data = last_data.max(self.last_data(table, roles)?);
        }
        self.days_by(steps, last_data)
    }

    /// For days to date that are none, since the cell begins after the last day with data: that day, and the links by which rows reach the calendar.
    pub(crate) fn ended(
        &self,
        steps: &[DayStep<'a>],
        table: TableId,
        ways: &[Vec<RoleUse>],
    ) -> Result<Option<(i32, Vec<LinkId>)>, EvalError> {
        let to_date = |step: &DayStep<'_>| matches!(step, DayStep::Take(DateRange::ToDate(_)));
        let Some(at) = steps.iter().position(to_date) else { return Ok(None) };
        let mut last_data = None;
        for roles in ways {
            last_data = last_data.max(self.last_data(table, roles)?);
        }
        let begins = self.days_by(&steps[..at], last_data)?.and_then(|days| days.first().copied());
        let (Some(last), Some(begins)) = (last_data, begins) else { return Ok(None) };
        let mut links = Vec::new();
        for roles in ways {
            links.extend(self.way_to_days(table, roles)?.and_then(|(_, path)| path.last().copied()));
        }
        Ok((begins > last).then_some((last, links)))
    }

    pub(crate) fn days_by(
        &self,
        steps: &[DayStep<'a>],
        last_data: Option<i32>,
    ) -> Result<Option<Vec<i32>>, EvalError> {
        let Some(calendar) = self.model.calendar else { return Ok(None) };
        let all = self.calendar_days()?;
        let mut days = all.to_vec();
        for step in steps {
            let mut left = Vec::new();
            match step {
                DayStep::Take(date_range) => {
                    match self.take(*date_range, &days, (&all, &self.working_days()?), last_data) {
                        Some(taken) => left = taken,
                        None => return Ok(None),
                    }
                }
                DayStep::At(key, member) => {
                    let own = match key {
                        Key::Axis(at) => OfDay::Attribute(crate::walk::unpinned(self.axis(*at))),
                        Key::Detail(column, _) | Key::Settled(column, _) => OfDay::Column(*column),
                    };
                    for day in days {
                        let row = (day - all[0]) as usize;
                        if self.day_member(&own, calendar, row)? == *member {
                            left.push(day);
                        }
                    }
                }
                DayStep::Where(condition) => {
                    let unpinned = crate::walk::unpinned(condition);
                    for day in days {
                        let row = (day - all[0]) as usize;
                        let holds = self.plain_row(&unpinned, calendar, row, &[])?;
                        if holds.physical() == Some(1) {
                            left.push(day);
                        }
                    }
                }
            }
            days = left;
        }
        Ok(Some(days))
    }

    /// Where a day stands on a key of the calendar.
    fn day_member(&self, own: &OfDay, calendar: TableId, row: usize) -> Result<Member, EvalError> {
        let value = match own {
            OfDay::Attribute(own) => self.plain_row(own, calendar, row, &[])?,
            OfDay::Column(column) => self.value(*column, row)?,
        };
        Ok(if value.is_null() { Member::None } else { Member::Value(value) })
    }

    pub(crate) fn calendar_days(&self) -> Result<Rc<Vec<i32>>, EvalError> {
        if let Some(known) = self.days_known.get() {
            return Ok(known.clone());
        }
        let days = Rc::new(self.all_days()?);
        Ok(self.days_known.get_or_init(|| days).clone())
    }

    fn all_days(&self) -> Result<Vec<i32>, EvalError> {
        let Some(date) = self.date() else { return Ok(Vec::new()) };
        let table = self.model.schema.column(date).table;
        (0..self.data.rows(table))
            .map(|row| match self.value(date, row)? {
                Scalar::Date(day) => Ok(day),
                _ => Err(EvalError::Internal("a calendar without days".to_owned())),
            })
            .collect()
    }

    /// The column of the calendar that holds its days.
    fn date(&self) -> Option<ColumnId> {
        self.model.schema.table(self.model.calendar?).key.first().copied()
    }

    /// That column, and the links by which the rows of a table reach it.
    fn way_to_days(
        &self,
        table: TableId,
        roles: &[RoleUse],
    ) -> Result<Option<(ColumnId, Vec<vembra_plan::LinkId>)>, EvalError> {
        let Some(date) = self.date() else { return Ok(None) };
        let (_, path) = self.path(table, date, None, roles)?;
        Ok(Some((date, path)))
    }

    /// The day of the calendar that a row reaches.
    pub(crate) fn day_of_row(
        &self,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Option<(i32, Vec<vembra_plan::LinkId>)>, EvalError> {
        let Some((date, path)) = self.way_to_days(table, roles)? else { return Ok(None) };
        match self.reach(&path, row)? {
            Reached::Row(at) => match self.value(date, at)? {
                Scalar::Date(day) => Ok(Some((day, path))),
                _ => Ok(None),
            },
            _ => Ok(None),
        }
    }

    /// The last day on which any row of a table stands; a row that stands on a month stands on all of its days.
    fn last_data(&self, table: TableId, roles: &[RoleUse]) -> Result<Option<i32>, EvalError> {
        let key = (table, roles.iter().map(|used| used.role).collect::<Vec<_>>());
        if let Some(known) = self.last_days.borrow().get(&key) {
            return Ok(*known);
        }
        let last = self.last_day_of(table, roles)?;
        self.last_days.borrow_mut().insert(key, last);
        Ok(last)
    }

    fn last_day_of(&self, table: TableId, roles: &[RoleUse]) -> Result<Option<i32>, EvalError> {
        let Some((_, path)) = self.way_to_days(table, roles)? else { return Ok(None) };
        if let Some(known) = self.data.last_day_by(&path) {
            return Ok(*known);
        }
        let days = self.calendar_days()?;
        let mut last = None;
        for row in 0..self.data.rows(table) {
            let Some((mut day, path)) = self.day_of_row(table, row, roles)? else { continue };
            let link = path.last().map(|l| self.model.schema.link(*l)).filter(|l| l.coarse);
            if let Some(link) = link {
                let value = |day: i32| self.value(link.to[0], (day - days[0]) as usize);
                let own = value(day)?;
                while days.contains(&(day + 1)) && value(day + 1)? == own {
                    day += 1;
                }
            }
            last = last.max(Some(day));
        }
        Ok(last)
    }

    /// The value of a call; working days are counted one by one.
    pub(crate) fn called(&self, function: Function, args: &[Scalar], ty: Type) -> Result<Scalar, EvalError> {
        match (function, args) {
            (Function::WorkingDays, [Scalar::Date(a), Scalar::Date(b)]) => {
                let all = self.calendar_days()?;
                if all.binary_search(a).is_err() || all.binary_search(b).is_err() {
                    return Ok(Scalar::Null);
                }
                let working = self.working_days()?;
                let within = |from: i32, to: i32| working.iter().filter(|d| from < **d && **d <= to).count();
                Ok(Scalar::Integer(within(*a, *b) as i64 - within(*b, *a) as i64))
            }
            (Function::WorkingDay, [Scalar::Date(day), Scalar::Integer(count)]) => {
                if *count == 0 {
                    return Ok(Scalar::Date(*day));
                }
                if self.calendar_days()?.binary_search(day).is_err() {
                    return Ok(Scalar::Null);
                }
                let working = self.working_days()?;
                let nth = usize::try_from(count.unsigned_abs() - 1).unwrap_or(usize::MAX);
                let found = if *count > 0 {
                    working.iter().filter(|d| *d > day).nth(nth)
                } else {
                    working.iter().rev().filter(|d| *d < day).nth(nth)
                };
                Ok(found.map_or(Scalar::Null, |d| Scalar::Date(*d)))
            }
            (Function::WorkingDays | Function::WorkingDay, _) => Ok(Scalar::Null),
            _ => call::call(function, args, ty),
        }
    }

    /// The number of the unit of time in which a day lies.
    pub(crate) fn unit_of(&self, unit: TimeUnit, day: i32) -> Option<i32> {
        match unit {
            TimeUnit::Day | TimeUnit::WorkingDay => Some(day),
            TimeUnit::Of(period) => period_of(period, day, i32::from(self.model.fiscal_start)),
        }
    }

    /// The working days in order.
    pub(crate) fn working_days(&self) -> Result<Rc<Vec<i32>>, EvalError> {
        if let Some(known) = self.working_known.get() {
            return Ok(known.clone());
        }
        let days = Rc::new(self.all_working_days()?);
        Ok(self.working_known.get_or_init(|| days).clone())
    }

    fn all_working_days(&self) -> Result<Vec<i32>, EvalError> {
        let column = self.model.calendar.and_then(|c| self.model.find_column(c, "working"));
        let Some(column) = column else { return Ok(Vec::new()) };
        let mut working = Vec::new();
        for (row, day) in self.calendar_days()?.iter().copied().enumerate() {
            if self.value(column, row)?.physical() == Some(1) {
                working.push(day);
            }
        }
        Ok(working)
    }

    /// Of days those between the working days this many before the first and the last of each run of them.
    fn moved_by_work(days: &[i32], count: i32, working: &[i32]) -> Option<BTreeSet<i32>> {
        let mut moved = BTreeSet::new();
        for run in days.chunk_by(|a, b| *b == a + 1) {
            let own: Vec<usize> = (0..working.len()).filter(|at| run.contains(&working[*at])).collect();
            let (Some(first), Some(last)) = (own.first(), own.last()) else { continue };
            let Some(last) = last.checked_sub(count as usize) else { continue };
            moved.extend(working[first.saturating_sub(count as usize)]..=working[last]);
        }
        (!moved.is_empty()).then_some(moved)
    }

    fn take(
        &self,
        date_range: DateRange,
        days: &[i32],
        (all, working): (&[i32], &[i32]),
        last_data: Option<i32>,
    ) -> Option<Vec<i32>> {
        let (first, last) = (*days.first()?, *days.last()?);
        let unit_of = |unit: TimeUnit, day: i32| self.unit_of(unit, day);
        let chosen = |belongs: &dyn Fn(i32) -> bool| all.iter().copied().filter(|d| belongs(*d)).collect();
        let taken: Vec<i32> = match date_range {
            DateRange::ToDate(unit) => {
                let end = last.min(last_data?);
                let gaps = days.windows(2).any(|d| d[1] != d[0] + 1);
                if gaps || first > end {
                    return None;
                }
                match unit {
                    None => chosen(&|d| d <= end),
                    Some(unit) => chosen(&|d| d <= end && unit_of(unit, d) == unit_of(unit, end)),
                }
            }
            DateRange::Whole(unit) => {
                let units: BTreeSet<Option<i32>> = days.iter().map(|d| unit_of(unit, *d)).collect();
                chosen(&|d| units.contains(&unit_of(unit, d)))
            }
            DateRange::Previous(TimeUnit::WorkingDay) => vec![*working.iter().rfind(|d| **d < first)?],
            DateRange::Last { count, unit: TimeUnit::WorkingDay } => {
                let up_to: Vec<i32> = working.iter().copied().filter(|d| *d <= last).collect();
                let start = up_to.len().checked_sub(count as usize).map(|at| up_to[at]);
                chosen(&|d| d <= last && start.is_none_or(|start| d >= start))
            }
            DateRange::Previous(unit) => {
                let before = unit_of(unit, first)? - 1;
                chosen(&|d| unit_of(unit, d) == Some(before))
            }
            DateRange::AllBefore => chosen(&|d| d < first),
            // A day belongs to the last three months that end on a day if three months later it is past that day.
            DateRange::Last { count, unit } => {
                let later = |d: i32| match unit.months() {
                    None if unit == TimeUnit::Day => Some(d + count),
                    None => Some(d + 7 * count),
                    Some(months) => back(d, -count * months),
                };
                chosen(&|d| d <= last && later(d).is_some_and(|l| l > last))
            }
            DateRange::Earlier { count, unit, matched } => {
                let days: Vec<i32> = match (matched, last_data) {
                    (true, None) => return None,
                    (true, Some(last)) => days.iter().copied().filter(|d| *d <= last).collect(),
                    _ => days.to_vec(),
                };
                if days.is_empty() {
                    return None;
                }
                let moved: BTreeSet<i32> = match unit.months() {
                    None if unit == TimeUnit::WorkingDay => Self::moved_by_work(&days, count, working)?,
                    None => {
                        let by = if unit == TimeUnit::Day { count } else { 7 * count };
                        days.iter().map(|d| d - by).collect()
                    }
                    Some(months) => moved(&days, count * months)?,
                };
                chosen(&|d| moved.contains(&d))
            }
        };
        let outside =
            taken.is_empty() && matches!(date_range, DateRange::Earlier { .. } | DateRange::Previous(_));
        (!outside).then_some(taken)
    }
}

/// A day this many months back; at most that month's last day.
pub(crate) fn back(day: i32, months: i32) -> Option<i32> {
    let (year, month, of_month) = parts_of(day)?;
    let index = year * 12 + month - 1 - months;
    (28..=of_month.max(28))
        .rev()
        .map(|d| d.min(of_month))
        .find_map(|d| day_of(index.div_euclid(12), index.rem_euclid(12) + 1, d))
}

/// Whole months stay whole, other days fall on the same day of the month.
pub(crate) fn moved(days: &[i32], months: i32) -> Option<BTreeSet<i32>> {
    let own: BTreeSet<i32> = days.iter().copied().collect();
    let mut moved = BTreeSet::new();
    for day in days {
        let month = period_of(Period::Month, *day, 1)?;
        let first = vembra_plan::civil::first_day(Period::Month, month, 1)?;
        let whole = (first..=last_day(Period::Month, month, 1)?).all(|d| own.contains(&d));
        if whole {
            let target = month - months;
            moved.extend(
                vembra_plan::civil::first_day(Period::Month, target, 1)?
                    ..=last_day(Period::Month, target, 1)?,
            );
        } else {
            moved.insert(back(*day, months)?);
        }
    }
    Some(moved)
}
