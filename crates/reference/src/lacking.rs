//! Days before the calendar that date ranges should have and have not, day by day.

use crate::Evaluator;
use crate::context::{Context, DayStep, Step};
use crate::days::{back, moved};
use vembra_model::{Bound, BoundKind, Detail, Over, What};
use vembra_plan::{DateRange, EvalError, TimeUnit};

/// The first day that is lacking, where it can be known.
type Lacking = Option<Option<i32>>;

impl<'a> Evaluator<'a> {
    /// What the date ranges of a figure of a cell lack. Window functions look at other lines.
    pub(crate) fn lacking(&self, bound: &'a Bound, context: &Context<'a>) -> Result<Lacking, EvalError> {
        let mut all = None;
        match &bound.kind {
            BoundKind::Measure(id) => all = self.lacking(&self.model.measure(*id).formula, context)?,
            BoundKind::Treatment(treatment) => all = self.lacking(&treatment.formula, context)?,
            BoundKind::Call(_, args) => {
                for arg in args {
                    all = both(all, self.lacking(arg, context)?);
                }
            }
            BoundKind::Claused(inner, clauses) => {
                let inside = self.inside(clauses, context);
                all = match &clauses.detail {
                    Some(Detail::Overall) => {
                        self.lacking(inner, &inside.and(Step::Forget(&What::All, true)))?
                    }
                    _ => self.lacking(inner, &inside)?,
                };
            }
            BoundKind::Aggregate(plan) => match (&plan.over, &plan.value) {
                (Over::Rows(table), _) => {
                    if let Some(steps) = &self.seen(context, *table)?.during {
                        all = self.lacking_days(steps)?;
                    }
                }
                (Over::Keys(_), Some(value)) => all = self.lacking(value, context)?,
                _ => {}
            },
            _ => {}
        }
        Ok(all)
    }

    fn lacking_days(&self, steps: &[DayStep<'a>]) -> Result<Lacking, EvalError> {
        let calendar = self.calendar_days()?;
        let (Some(start), last) = (calendar.first(), calendar.last().copied()) else { return Ok(None) };
        let mut all = None;
        for (at, step) in steps.iter().enumerate() {
            let DayStep::Take(date_range) = step else { continue };
            let Some(days) = self.days_by(&steps[..at], last)? else { return Ok(None) };
            let (Some(first), Some(end)) = (days.first(), days.last()) else { return Ok(None) };
            let own = match *date_range {
                DateRange::Earlier { count, unit: TimeUnit::WorkingDay, .. } => {
                    (self.working_days()?.iter().filter(|day| *day < first).count() < count as usize)
                        .then_some(None)
                }
                DateRange::Last { count, unit: TimeUnit::WorkingDay } => {
                    (self.working_days()?.iter().filter(|day| *day <= end).count() < count as usize)
                        .then_some(None)
                }
                DateRange::Earlier { count, unit, .. } => {
                    let wanted = match unit.months() {
                        Some(months) => moved(&days, count * months).and_then(|days| days.first().copied()),
                        None => Some(first - if unit == TimeUnit::Day { count } else { 7 * count }),
                    };
                    wanted.filter(|day| day < start).map(Some)
                }
                DateRange::Previous(unit) if unit != TimeUnit::WorkingDay => {
                    let before = self.unit_of(unit, *first).map(|unit| unit - 1);
                    self.before(*start, |day| self.unit_of(unit, day) == before)
                }
                DateRange::Last { count, unit } => {
                    let later = |day: i32| match unit.months() {
                        None if unit == TimeUnit::Day => Some(day + count),
                        None => Some(day + 7 * count),
                        Some(months) => back(day, -count * months),
                    };
                    self.before(*start, |day| later(day).is_some_and(|later| later > *end))
                }
                _ => None,
            };
            all = both(all, own);
        }
        // What has no days in the end has no value.
        Ok(all.filter(|_| matches!(self.days_by(steps, last), Ok(Some(days)) if !days.is_empty())))
    }

    /// The first of the days up to that before the calendar for which something holds; most of them are looked at until it holds no more.
    #[allow(clippy::unused_self)] // Reads like the others.
    fn before(&self, start: i32, holds: impl Fn(i32) -> bool) -> Lacking {
        let days = (1..=MOST_DAYS).map(|back| start - back).filter(|day| holds(*day));
        days.last().map(Some)
    }
}

/// Date ranges of tests and of people are not longer.
const MOST_DAYS: i32 = 3_700;

fn both(one: Lacking, other: Lacking) -> Lacking {
    match (one, other) {
        (Some(a), Some(b)) => Some(a.zip(b).map(|(a, b)| a.min(b))),
        (one, other) => one.or(other),
    }
}
