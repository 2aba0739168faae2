//! Date ranges of the calendar, against a statement for every one that is tried day by day: for every day and every month of ten years, each
//! unit and each date range. The engine is asked about all of them, the plain evaluator, which explains figures, for some.
//!
//! One row stands on each day, with its number: the smallest, the largest and the count of numbers say which days were taken.

use std::collections::BTreeMap;
use vembra::{Answer, Member, Period, Scalar, Session, Type};

/// 2015-01-01, counted from 1970-01-01, and the number of days up to the end of 2024.
const FIRST: i32 = 16_436;
const DAYS: i32 = 3_653;

/// Year, month and day of a day, counted on from the first one.
fn dates() -> Vec<(i32, i32, i32)> {
    let (mut year, mut month, mut day) = (2015, 1, 1);
    let mut dates = Vec::new();
    for _ in 0..DAYS {
        dates.push((year, month, day));
        day += 1;
        if day > length(year, month) {
            (month, day) = (month + 1, 1);
        }
        if month > 12 {
            (year, month) = (year + 1, 1);
        }
    }
    dates
}

fn length(year: i32, month: i32) -> i32 {
    let leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    match month {
        2 if leap => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Unit {
    Day,
    Week,
    Month,
    Quarter,
    Year,
    FiscalYear,
}

/// The calendar of the test: which unit each day belongs to, and where it lands some months later.
struct Calendar {
    dates: Vec<(i32, i32, i32)>,
    of_date: BTreeMap<(i32, i32, i32), i32>,
}

impl Calendar {
    fn new() -> Self {
        let dates = dates();
        let of_date = dates.iter().enumerate().map(|(at, date)| (*date, at as i32)).collect();
        Self { dates, of_date }
    }

    fn unit(&self, unit: Unit, at: i32) -> i32 {
        let (year, month, _) = self.dates[at as usize];
        match unit {
            Unit::Day => at,
            // 2015-01-01 was a Thursday: three days into its week.
            Unit::Week => (at + 3) / 7,
            Unit::Month => year * 12 + month,
            Unit::Quarter => year * 4 + (month - 1) / 3,
            Unit::Year => year,
            Unit::FiscalYear => year + i32::from(month >= 10),
        }
    }

    /// The date some months later or earlier, at most the last day of its month.
    fn moved(date: (i32, i32, i32), months: i32) -> (i32, i32, i32) {
        let index = date.0 * 12 + date.1 - 1 + months;
        let (year, month) = (index.div_euclid(12), index.rem_euclid(12) + 1);
        (year, month, date.2.min(length(year, month)))
    }

    /// The days of a date range of a cell that stands on some days; none where the cell stays empty. Each line is the statement that a day
    /// belongs if …
    fn days(&self, date_range: &str, cell: &[i32]) -> Option<Vec<i32>> {
        let (first, last) = (*cell.first()?, *cell.last()?);
        let all = 0..DAYS;
        let chosen =
            |belongs: &dyn Fn(i32) -> bool| Some(all.clone().filter(|d| belongs(*d)).collect::<Vec<i32>>());
        let words: Vec<&str> = date_range.split(' ').collect();
        match words.as_slice() {
            ["all", "to", "date"] => chosen(&|d| d <= last),
            ["all", "before"] => chosen(&|d| d < first),
            [unit @ .., "to", "date"] => {
                let unit = unit_of(&unit.join(" "));
                chosen(&|d| d <= last && self.unit(unit, d) == self.unit(unit, last))
            }
            ["whole", unit @ ..] => {
                let unit = unit_of(&unit.join(" "));
                chosen(&|d| cell.iter().any(|c| self.unit(unit, *c) == self.unit(unit, d)))
            }
            ["previous", unit @ ..] => {
                let unit = unit_of(&unit.join(" "));
                let days = chosen(&|d| self.unit(unit, d) == self.unit(unit, first) - 1)?;
                Some(days).filter(|days| !days.is_empty())
            }
            ["last", count, unit @ ..] => {
                let (count, unit) = (count.parse::<i32>().unwrap(), unit_of(&unit.join(" ")));
                let later = |d: i32| match months(unit) {
                    None if unit == Unit::Day => self.dates.get((d + count) as usize).copied(),
                    None => self.dates.get((d + 7 * count) as usize).copied(),
                    Some(months) => Some(Self::moved(self.dates[d as usize], count * months)),
                };
                chosen(&|d| d <= last && later(d).is_none_or(|l| l > self.dates[last as usize]))
            }
            [count, unit @ .., "earlier"] => {
                let (count, unit) = (count.parse::<i32>().unwrap(), unit_of(&unit.join(" ")));
                let Some(months) = months(unit) else {
                    let back = if unit == Unit::Day { count } else { 7 * count };
                    let days = chosen(&|d| cell.binary_search(&(d + back)).is_ok())?;
                    return Some(days).filter(|days| !days.is_empty());
                };
                let mut found = std::collections::BTreeSet::new();
                for at in cell {
                    let (year, month, day) = self.dates[*at as usize];
                    let in_cell = |d: i32| {
                        self.of_date.get(&(year, month, d)).is_some_and(|at| cell.binary_search(at).is_ok())
                    };
                    // Whole months stay whole, other days fall on the same day of the month.
                    if (1..=length(year, month)).all(in_cell) {
                        let (year, month, _) = Self::moved((year, month, 1), -count * months);
                        found.extend(
                            (1..=length(year, month)).filter_map(|d| self.of_date.get(&(year, month, d))),
                        );
                    } else {
                        found.extend(self.of_date.get(&Self::moved((year, month, day), -count * months)));
                    }
                }
                Some(found.into_iter().copied().collect()).filter(|days: &Vec<i32>| !days.is_empty())
            }
            other => panic!("{other:?}"),
        }
    }
}

fn unit_of(word: &str) -> Unit {
    match word.trim_end_matches('s') {
        "day" => Unit::Day,
        "week" => Unit::Week,
        "month" => Unit::Month,
        "quarter" => Unit::Quarter,
        "year" => Unit::Year,
        "fiscal year" => Unit::FiscalYear,
        other => panic!("{other}"),
    }
}

fn months(unit: Unit) -> Option<i32> {
    match unit {
        Unit::Day | Unit::Week => None,
        Unit::Month => Some(1),
        Unit::Quarter => Some(3),
        Unit::Year | Unit::FiscalYear => Some(12),
    }
}

fn date_ranges() -> Vec<String> {
    let mut date_ranges = vec!["all to date".to_owned(), "all before".to_owned()];
    for unit in ["week", "month", "quarter", "year", "fiscal year"] {
        date_ranges.push(format!("{unit} to date"));
        date_ranges.push(format!("whole {unit}"));
        date_ranges.push(format!("previous {unit}"));
    }
    for unit in ["days", "weeks", "months", "quarters", "years"] {
        for count in [1, 2, 5] {
            date_ranges.push(format!("last {count} {unit}"));
            date_ranges.push(format!("{count} {unit} earlier"));
        }
    }
    date_ranges
}

fn session() -> Session {
    let rows: String =
        dates().iter().enumerate().map(|(at, (y, m, d))| format!("{y}-{m:02}-{d:02},{at}\n")).collect();
    Session::builder()
        .model_text(
            "m.vembra",
            "calendar from '2015-01-01' to '2024-12-31'\n    fiscal year starts october\nfact t from 't'\nlink t.day to calendar\n",
        )
        .csv_text("t", format!("day,n\n{rows}"))
        .open()
        .unwrap()
}

/// The days of each cell of an axis.
fn cells(calendar: &Calendar, axis: &str) -> BTreeMap<CellNumber, Vec<i32>> {
    let mut cells: BTreeMap<CellNumber, Vec<i32>> = BTreeMap::new();
    for at in 0..DAYS {
        let key = match axis {
            "date" => FIRST + at,
            "week" => calendar.unit(Unit::Week, at),
            "month" => calendar.unit(Unit::Month, at),
            "quarter" => calendar.unit(Unit::Quarter, at),
            _ => calendar.unit(Unit::Year, at),
        };
        cells.entry(CellNumber(key)).or_default().push(at);
    }
    cells
}

/// The number of a cell in the order of time.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct CellNumber(i32);

/// Compares every cell of every axis for some date ranges; gives how many.
fn compare(session: &Session, calendar: &Calendar, date_ranges: &[String]) -> usize {
    let mut compared = 0;
    for axis in ["date", "week", "month", "quarter", "year"] {
        let cells: Vec<Vec<i32>> = cells(calendar, axis).into_values().collect();
        for date_range in date_ranges {
            let query = format!(
                "rows calendar.{axis} show (min(n) during {date_range}) as low, (max(n) during {date_range}) as high, (count(n) during {date_range}) as days, sum(n) as own"
            );
            let reply = session.ask(&query).unwrap();
            let Answer::Summary(summary) = reply.answer else { panic!("a summary") };
            // One line per cell, in the order of time: every day has a row.
            assert_eq!(summary.lines.len(), cells.len(), "{query}");
            for (line, cell) in summary.lines.iter().zip(&cells) {
                let days = calendar.days(date_range, cell);
                let wanted = days.map_or([None, None, None], |days| {
                    [days.first().copied(), days.last().copied(), Some(days.len() as i32)]
                });
                let found: Vec<Option<i32>> =
                    line.cells[..3].iter().map(|c| c.value.physical().map(|l| l as i32)).collect();
                assert_eq!(found, wanted, "{date_range} at {:?} of {axis}", line.rows);
                compared += 1;
            }
        }
    }
    compared
}

#[test]
fn each_date_range_takes_the_days_that_its_statement_says() {
    let (session, calendar, date_ranges) = (session(), Calendar::new(), date_ranges());
    let (first, second) = date_ranges.split_at(date_ranges.len() / 2);
    let compared = std::thread::scope(|scope| {
        let other = scope.spawn(|| compare(&session, &calendar, second));
        compare(&session, &calendar, first) + other.join().unwrap()
    });
    assert!(compared > 150_000, "{compared}");
}

#[test]
fn explanations_take_the_same_days() {
    let session = session();
    for date_range in date_ranges() {
        let query = format!(
            "rows calendar.month show (count(n) during {date_range}) as days, (sum(n) during {date_range}) as s"
        );
        for month in ["2015-01", "2016-02", "2020-03", "2023-04", "2024-12"] {
            for figure in ["days", "s"] {
                let why = session.query(&query).explain(&format!("month = '{month}'"), Some(figure)).unwrap();
                assert!(why.agrees, "{query} at {month}: {}", why.text());
            }
        }
    }
    let day = Scalar::from_physical(Type::Period(Period::Month), 24_292);
    assert_eq!(Member::Value(day).to_string(), "2024-05");
}
