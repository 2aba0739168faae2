//! Sets of days as date ranges without gaps, and the date ranges of the calendar that are worked out from them.

use crate::operators::members::{Key, Members};
use crate::storage::narrow::narrow;
use serde::Serialize;
use std::fmt;
use std::sync::Arc;
use vembra_plan::civil::{day_of, first_day, format_date, last_day, parts_of, period_of};
use vembra_plan::{DateRange, Scalar, TimeUnit};

/// Days as date ranges from a day to a day, both included; sorted, with a gap between any two.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Days(pub(crate) Vec<(i32, i32)>);

/// Days before the calendar that a date range should have: from the first, where that can be known, to the last.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Lacking {
    /// The first one. There is none to say of working days, which are known within the calendar only.
    pub first: Option<i32>,
    /// The last one, the day before the calendar begins.
    pub last: i32,
}

impl Lacking {
    /// All days that either lacks.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        let first = self.first.zip(other.first).map(|(a, b)| a.min(b));
        Self { first, last: self.last.max(other.last) }
    }
}

/// The days in words.
impl fmt::Display for Lacking {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let last = format_date(self.last);
        match self.first {
            Some(first) if first == self.last => write!(f, "{last} lies before the calendar"),
            Some(first) => write!(f, "{} to {last} lie before the calendar", format_date(first)),
            None => write!(f, "working days up to {last} lie before the calendar"),
        }
    }
}

/// What date ranges are measured by.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Measure<'a> {
    /// The first and last day of the calendar.
    pub(crate) calendar: (i32, i32),
    /// The first month of the fiscal year.
    pub(crate) fiscal_start: i32,
    /// The last day with data.
    pub(crate) last_data: Option<i32>,
    /// The working days in order, where they are asked for.
    pub(crate) working: &'a [i32],
}

impl Days {
    /// Any date ranges, put in order and joined.
    pub(crate) fn new(mut date_ranges: Vec<(i32, i32)>) -> Self {
        date_ranges.retain(|(from, to)| from <= to);
        date_ranges.sort_unstable();
        let mut joined: Vec<(i32, i32)> = Vec::with_capacity(date_ranges.len());
        for (from, to) in date_ranges {
            match joined.last_mut() {
                Some(last) if from <= last.1.saturating_add(1) => last.1 = last.1.max(to),
                _ => joined.push((from, to)),
            }
        }
        Self(joined)
    }

    pub(crate) fn first(&self) -> Option<i32> {
        self.0.first().map(|s| s.0)
    }

    pub(crate) fn last(&self) -> Option<i32> {
        self.0.last().map(|s| s.1)
    }

    pub(crate) fn intersect(&self, other: &Self) -> Self {
        let (mut a, mut b, mut both) = (0, 0, Vec::new());
        while let (Some(x), Some(y)) = (self.0.get(a), other.0.get(b)) {
            let (from, to) = (x.0.max(y.0), x.1.min(y.1));
            if from <= to {
                both.push((from, to));
            }
            if x.1 < y.1 { a += 1 } else { b += 1 }
        }
        Self(both)
    }

    /// The days of a date range; `None` where there is none to speak of, so that the cell stays empty.
    pub(crate) fn date_range(&self, date_range: DateRange, by: &Measure<'_>) -> Option<Self> {
        let found = self.wanted(date_range, by)?.intersect(&Self(vec![by.calendar]));
        // Days that the calendar does not hold are not known to have no rows.
        let moved = matches!(date_range, DateRange::Earlier { .. } | DateRange::Previous(_));
        (!moved || !found.0.is_empty()).then_some(found)
    }

    /// The days that a fixed date range lacks because they lie before the calendar.
    pub(crate) fn lacking(&self, date_range: DateRange, by: &Measure<'_>) -> Option<Lacking> {
        let unit = match date_range {
            DateRange::Earlier { unit, .. } | DateRange::Previous(unit) | DateRange::Last { unit, .. } => {
                unit
            }
            DateRange::ToDate(_) | DateRange::Whole(_) | DateRange::AllBefore => return None,
        };
        let last = by.calendar.0.checked_sub(1)?;
        if unit == TimeUnit::WorkingDay {
            return self.lacks_working_days(date_range, by.working).then_some(Lacking { first: None, last });
        }
        let first = self.wanted(date_range, by)?.first()?;
        (first <= last).then_some(Lacking { first: Some(first), last })
    }

    /// Whether a date range of working days would begin before the first one of the calendar.
    fn lacks_working_days(&self, date_range: DateRange, working: &[i32]) -> bool {
        let (Some(first), Some(last)) = (self.first(), self.last()) else { return false };
        match date_range {
            DateRange::Earlier { count, .. } => {
                let before = working.partition_point(|day| *day < first);
                usize::try_from(count).is_ok_and(|count| before < count)
            }
            DateRange::Last { count, .. } => {
                let up_to = working.partition_point(|day| *day <= last);
                usize::try_from(count).is_ok_and(|count| up_to < count)
            }
            _ => false,
        }
    }

    /// The days of a date range, whether the calendar holds them or not.
    fn wanted(&self, date_range: DateRange, by: &Measure<'_>) -> Option<Self> {
        let (first, last) = (self.first()?, self.last()?);
        let found = match date_range {
            DateRange::ToDate(unit) => {
                let end = last.min(by.last_data?);
                if self.0.len() > 1 || first > end {
                    return None;
                }
                let start = unit.map_or(Some(by.calendar.0), |unit| by.start_of(unit, end))?;
                vec![(start, end)]
            }
            DateRange::Whole(unit) => {
                let whole =
                    |(from, to): &(i32, i32)| Some((by.start_of(unit, *from)?, by.end_of(unit, *to)?));
                self.0.iter().map(whole).collect::<Option<_>>()?
            }
            DateRange::Earlier { count, unit, matched } => {
                let days = if matched {
                    self.intersect(&Self(vec![(i32::MIN, by.last_data?)]))
                } else {
                    self.clone()
                };
                days.first()?;
                match unit {
                    TimeUnit::WorkingDay => days.moved_by_work(count, by.working)?,
                    _ => days.moved(count, unit)?,
                }
            }
            DateRange::Previous(TimeUnit::WorkingDay) => {
                let before = by.working.partition_point(|day| *day < first).checked_sub(1)?;
                vec![(by.working[before], by.working[before])]
            }
            DateRange::Previous(unit) => {
                let before = by.start_of(unit, first)?.checked_sub(1)?;
                vec![(by.start_of(unit, before)?, before)]
            }
            DateRange::AllBefore => vec![(by.calendar.0, first.checked_sub(1)?)],
            DateRange::Last { count, unit: TimeUnit::WorkingDay } => {
                let up_to = by.working.partition_point(|day| *day <= last);
                let first = up_to.checked_sub(usize::try_from(count).ok()?);
                vec![(first.map_or(by.calendar.0, |at| by.working[at]), last)]
            }
            DateRange::Last { count, unit } => vec![(Measure::start_of_last(count, unit, last)?, last)],
        };
        Some(Self::new(found))
    }

    /// Moved back by working days: the first and the last of each date range go to that many before them, and all days between
    /// come along.
    fn moved_by_work(&self, count: i32, working: &[i32]) -> Option<Vec<(i32, i32)>> {
        let count = usize::try_from(count).ok()?;
        let mut found = Vec::new();
        for (from, to) in &self.0 {
            let first = working.partition_point(|day| day < from);
            let behind = working.partition_point(|day| day <= to);
            // Of what begins before the calendar the part is taken that it holds.
            if let Some(last) = behind.checked_sub(count + 1).filter(|_| first < behind) {
                found.push((working[first.saturating_sub(count)], working[last]));
            }
        }
        (!found.is_empty()).then_some(found)
    }

    /// Moved back: by days for days and weeks; else month by month, where whole months stay whole, and days past a
    /// shorter month's end fall back to it.
    fn moved(&self, count: i32, unit: TimeUnit) -> Option<Vec<(i32, i32)>> {
        let Some(months) = unit.months() else {
            let days = if unit == TimeUnit::Day { count } else { count.checked_mul(7)? };
            return self.0.iter().map(|(a, b)| Some((a.checked_sub(days)?, b.checked_sub(days)?))).collect();
        };
        let back = count.checked_mul(months)?;
        let mut found = Vec::new();
        for (from, to) in &self.0 {
            let mut day = *from;
            while day <= *to {
                let month = Month::of(day)?;
                let until = month.last_day()?.min(*to);
                let target = Month(month.0.checked_sub(back)?);
                let whole = day == month.first_day()? && until == month.last_day()?;
                found.push(if whole {
                    (target.first_day()?, target.last_day()?)
                } else {
                    (target.day(parts_of(day)?.2)?, target.day(parts_of(until)?.2)?)
                });
                day = until.checked_add(1)?;
            }
        }
        Some(found)
    }
}

/// A month by its number since year 0.
#[derive(Clone, Copy)]
struct Month(i32);

impl Month {
    fn of(day: i32) -> Option<Self> {
        parts_of(day).map(|(year, month, _)| Self(year * 12 + month - 1))
    }

    fn first_day(self) -> Option<i32> {
        day_of(self.0.div_euclid(12), self.0.rem_euclid(12) + 1, 1)
    }

    fn last_day(self) -> Option<i32> {
        Self(self.0.checked_add(1)?).first_day()?.checked_sub(1)
    }

    /// A day of the month, at most its last one.
    fn day(self, day: i32) -> Option<i32> {
        Some((self.first_day()? + day - 1).min(self.last_day()?))
    }
}

impl Measure<'_> {
    fn start_of(&self, unit: TimeUnit, day: i32) -> Option<i32> {
        match unit {
            TimeUnit::Day | TimeUnit::WorkingDay => Some(day),
            TimeUnit::Of(period) => {
                first_day(period, period_of(period, day, self.fiscal_start)?, self.fiscal_start)
            }
        }
    }

    fn end_of(&self, unit: TimeUnit, day: i32) -> Option<i32> {
        match unit {
            TimeUnit::Day | TimeUnit::WorkingDay => Some(day),
            TimeUnit::Of(period) => {
                last_day(period, period_of(period, day, self.fiscal_start)?, self.fiscal_start)
            }
        }
    }

    /// The first day of `count` units that end on a day. Quarters and years are this many months: where the day ends a month,
    /// these are whole ones.
    fn start_of_last(count: i32, unit: TimeUnit, last: i32) -> Option<i32> {
        let Some(months) = unit.months() else {
            let days = if unit == TimeUnit::Day { count } else { count.checked_mul(7)? };
            return last.checked_sub(days)?.checked_add(1);
        };
        let month = Month::of(last)?;
        let before = Month(month.0.checked_sub(count.checked_mul(months)?)?);
        let end =
            if month.last_day()? == last { before.last_day()? } else { before.day(parts_of(last)?.2)? };
        end.checked_add(1)
    }
}

/// The calendar cut at every edge of some date ranges: the days between two edges belong together, whatever date range takes them.
pub(crate) struct DayBuckets {
    /// The first day of each bucket but the first, which holds the days before.
    edges: Vec<i32>,
}

impl DayBuckets {
    pub(crate) fn of<'d>(date_ranges: impl Iterator<Item = &'d Days>) -> Self {
        let mut edges: Vec<i32> =
            date_ranges.flat_map(|days| days.0.iter().flat_map(|(from, to)| [*from, *to + 1])).collect();
        edges.sort_unstable();
        edges.dedup();
        Self { edges }
    }

    /// The bucket of a day.
    fn bucket(&self, day: i32) -> u32 {
        narrow(self.edges.partition_point(|edge| *edge <= day))
    }

    /// Per bucket whether its days are among some, which must be of the date ranges that the buckets were made of.
    pub(crate) fn within(&self, days: &Days) -> Vec<bool> {
        let inside = |edge: &i32| days.0.iter().any(|(from, to)| from <= edge && edge <= to);
        std::iter::once(false).chain(self.edges.iter().map(inside)).collect()
    }

    /// A key that distinguishes rows by their buckets, from one whose codes are rows of a calendar that starts on a day and has this many.
    /// Rows outside the calendar are outside of every date range.
    pub(crate) fn key(&self, days: Key, first: i32, rows: usize) -> Key {
        let bucket = |row: &u32| if (*row as usize) < rows { self.bucket(first + *row as i32) } else { 0 };
        let map = days.entries().iter().map(bucket).collect();
        let values = (0..self.edges.len() as i64).map(Scalar::Integer).collect();
        Key::mapped(days.numbers, map, Arc::new(Members::of(values)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use vembra_plan::Period;
    use vembra_plan::civil::parse_date;

    fn day(text: &str) -> i32 {
        parse_date(text).unwrap()
    }

    fn shown(from: &str, to: &str, date_range: DateRange) -> String {
        let by = Measure {
            calendar: (day("2022-01-01"), day("2026-12-31")),
            fiscal_start: 10,
            last_data: Some(day("2025-11-20")),
            working: &[],
        };
        match Days(vec![(day(from), day(to))]).date_range(date_range, &by) {
            None => "none".to_owned(),
            Some(days) => {
                let one = |(a, b): &(i32, i32)| format!("{}..{}", format_date(*a), format_date(*b));
                days.0.iter().map(one).collect::<Vec<_>>().join(" ")
            }
        }
    }

    const MONTH: TimeUnit = TimeUnit::Of(Period::Month);
    const YEAR: TimeUnit = TimeUnit::Of(Period::Year);

    fn earlier(count: i32, unit: TimeUnit) -> DateRange {
        DateRange::Earlier { count, unit, matched: false }
    }

    #[test]
    fn days_move_month_by_month() {
        assert_eq!(shown("2025-03-31", "2025-03-31", earlier(1, MONTH)), "2025-02-28..2025-02-28");
        assert_eq!(shown("2024-02-29", "2024-02-29", earlier(1, YEAR)), "2023-02-28..2023-02-28");
        assert_eq!(shown("2025-02-01", "2025-02-28", earlier(1, YEAR)), "2024-02-01..2024-02-29");
        assert_eq!(shown("2025-02-01", "2025-02-27", earlier(1, MONTH)), "2025-01-01..2025-01-27");
        assert_eq!(shown("2024-12-30", "2025-01-05", earlier(1, TimeUnit::Day)), "2024-12-29..2025-01-04");
        let matched = DateRange::Earlier { count: 1, unit: YEAR, matched: true };
        assert_eq!(shown("2025-11-01", "2025-11-30", matched), "2024-11-01..2024-11-20");
        assert_eq!(shown("2025-12-01", "2025-12-31", matched), "none");
    }

    #[test]
    fn to_date_ends_with_the_data() {
        let year = DateRange::ToDate(Some(YEAR));
        assert_eq!(shown("2025-11-01", "2025-11-30", year), "2025-01-01..2025-11-20");
        assert_eq!(shown("2025-12-01", "2025-12-31", year), "none");
        assert_eq!(shown("2024-02-29", "2024-02-29", year), "2024-01-01..2024-02-29");
        let fiscal = DateRange::ToDate(Some(TimeUnit::Of(Period::FiscalYear)));
        assert_eq!(shown("2024-10-01", "2024-10-31", fiscal), "2024-10-01..2024-10-31");
        assert_eq!(shown("2024-09-01", "2024-09-30", fiscal), "2023-10-01..2024-09-30");
        assert_eq!(shown("2024-03-05", "2024-03-05", DateRange::ToDate(None)), "2022-01-01..2024-03-05");
    }

    #[test]
    fn whole_previous_and_last() {
        assert_eq!(shown("2024-05-07", "2024-05-07", DateRange::Whole(YEAR)), "2024-01-01..2024-12-31");
        assert_eq!(shown("2024-01-01", "2024-03-31", DateRange::Previous(MONTH)), "2023-12-01..2023-12-31");
        assert_eq!(shown("2022-01-01", "2022-01-31", DateRange::Previous(MONTH)), "none");
        let last = |count| DateRange::Last { count, unit: MONTH };
        assert_eq!(shown("2025-02-01", "2025-02-28", last(3)), "2024-12-01..2025-02-28");
        assert_eq!(shown("2025-03-15", "2025-03-15", last(1)), "2025-02-16..2025-03-15");
        let quarter = DateRange::Last { count: 1, unit: TimeUnit::Of(Period::Quarter) };
        assert_eq!(shown("2024-04-01", "2024-04-30", quarter), "2024-02-01..2024-04-30");
        assert_eq!(shown("2025-03-15", "2025-03-15", DateRange::AllBefore), "2022-01-01..2025-03-14");
    }
}
