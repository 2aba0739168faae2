//! Periods of a date, as the whole numbers that stand for them.

use vembra_plan::Period;

/// The number of the period around a day; `start` is the fiscal year's first month.
pub fn of_day(period: Period, day: &str, start: u8) -> String {
    let part = |name: &str| format!("extract({name} from {day})::bigint");
    let months = format!("({} * 12 + {} - 1)", part("year"), part("month"));
    let shifted = format!("({months} + {})", (13 - i32::from(start)) % 12);
    match period {
        Period::Year => part("year"),
        Period::Quarter => format!("({} * 4 + {} - 1)", part("year"), part("quarter")),
        Period::Month => months,
        // No day of a calendar lies before the first Monday that is counted from.
        Period::Week => format!("floor(({day} - date '1969-12-29') / 7.0)::bigint"),
        Period::FiscalYear => format!("({shifted} / 12)"),
        Period::FiscalQuarter => format!("({shifted} / 3)"),
        Period::FiscalMonth => shifted,
        Period::QuarterOfYear => part("quarter"),
        Period::MonthOfYear => part("month"),
        Period::DayOfMonth => part("day"),
        Period::DayOfYear => part("doy"),
        Period::Weekday => part("isodow"),
    }
}

/// The first day of the period around a day, or of the one after it.
pub(crate) fn first_day(period: Period, day: &str, start: u8, after: bool) -> Option<String> {
    let more = i32::from(after);
    if period == Period::Week {
        let back = format!("({day} - (extract(isodow from {day})::integer - 1))");
        return Some(if after { format!("({back} + 7)") } else { back });
    }
    let months = match period {
        Period::Year | Period::FiscalYear => 12,
        Period::Quarter | Period::FiscalQuarter => 3,
        Period::Month | Period::FiscalMonth => 1,
        _ => return None,
    };
    let fiscal = matches!(period, Period::FiscalYear | Period::FiscalQuarter | Period::FiscalMonth);
    let shift = if fiscal { (13 - i32::from(start)) % 12 } else { 0 };
    let shifted = format!("({} + {shift})", of_day(Period::Month, day, 1));
    let first = format!("({shifted} / {months} * {months} + {} - {shift})", more * months);
    Some(format!("make_date(({first} / 12)::integer, ({first} % 12 + 1)::integer, 1)"))
}
