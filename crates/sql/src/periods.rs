//! Periods of a date, as the whole numbers that stand for them.

use crate::dialect::Dialect;
use crate::words::Words;
use vembra_plan::Period;

/// The number of the period around a day; `start` is the fiscal year's first month.
pub fn of_day(dialect: Dialect, period: Period, day: &str, start: u8) -> String {
    around(dialect.words(), period, day, start)
}

pub(crate) fn around(words: &dyn Words, period: Period, day: &str, start: u8) -> String {
    let part = |name: &str| words.part(name, day);
    let months = format!("({} * 12 + {} - 1)", part("year"), part("month"));
    let shifted = format!("({months} + {})", (13 - i32::from(start)) % 12);
    match period {
        Period::Year => part("year"),
        Period::Quarter => format!("({} * 4 + {} - 1)", part("year"), part("quarter")),
        Period::Month => months,
        Period::Week => {
            let days = words.days_between("date '1969-12-29'", day);
            words.cast_to(&format!("floor({days} / 7.0)"), "bigint")
        }
        Period::FiscalYear => words.quotient(&shifted, "12"),
        Period::FiscalQuarter => words.quotient(&shifted, "3"),
        Period::FiscalMonth => shifted,
        Period::QuarterOfYear => part("quarter"),
        Period::MonthOfYear => part("month"),
        Period::DayOfMonth => part("day"),
        Period::DayOfYear => part("doy"),
        Period::Weekday => words.weekday(day),
    }
}

/// The first day of the period around a day, or of the one after it.
pub(crate) fn first_day(
    words: &dyn Words,
    period: Period,
    day: &str,
    (start, after): (u8, bool),
) -> Option<String> {
    let more = i32::from(after);
    if period == Period::Week {
        let days = format!("({} - {})", 1 + 7 * more, words.weekday(day));
        return Some(words.days_after(day, &days));
    }
    let months = match period {
        Period::Year | Period::FiscalYear => 12,
        Period::Quarter | Period::FiscalQuarter => 3,
        Period::Month | Period::FiscalMonth => 1,
        _ => return None,
    };
    let fiscal = matches!(period, Period::FiscalYear | Period::FiscalQuarter | Period::FiscalMonth);
    let shift = if fiscal { (13 - i32::from(start)) % 12 } else { 0 };
    let shifted = format!("({} + {shift})", around(words, Period::Month, day, 1));
    let periods = words.quotient(&shifted, &months.to_string());
    let first = format!("({periods} * {months} + {} - {shift})", more * months);
    let year = words.quotient(&first, "12");
    Some(format!(
        "make_date({}, {}, 1)",
        words.cast_to(&year, "integer"),
        words.cast_to(&format!("({first} % 12 + 1)"), "integer")
    ))
}
