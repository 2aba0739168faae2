//! Values as texts, as the language writes them.

use crate::words::Words;
use vembra_plan::civil::{MONTHS, WEEKDAYS};
use vembra_plan::{Period, Type};

/// A day, a time, a moment, a period or a number of fixed places as a text.
pub(crate) fn told(words: &dyn Words, sql: &str, from: Type) -> Option<String> {
    let text = match from {
        Type::Period(period) => period_text(words, period, sql),
        // Seconds that are zero are not written.
        Type::Time | Type::Moment => {
            let whole = words.clock_text(sql, from);
            format!(
                "(case when right({whole}, 3) = ':00' then left({whole}, char_length({whole}) - 3) else {whole} end)"
            )
        }
        _ => return None,
    };
    Some(words.text(&text))
}

fn period_text(words: &dyn Words, period: Period, number: &str) -> String {
    let part = |of: &str| format!("({} + 1)", rest(words, number, of));
    let year = |of: &str| padded(words, &words.quotient(number, of), 4);
    match period {
        Period::Year => padded(words, number, 4),
        Period::FiscalYear => format!("('FY' || {})", padded(words, number, 4)),
        Period::Quarter => format!("({} || '-Q' || {})", year("4"), digits(words, &part("4"))),
        Period::FiscalQuarter => format!("('FY' || {} || '-Q' || {})", year("4"), digits(words, &part("4"))),
        Period::Month => format!("({} || '-' || {})", year("12"), padded(words, &part("12"), 2)),
        Period::FiscalMonth => {
            format!("('FY' || {} || '-M' || {})", year("12"), padded(words, &part("12"), 2))
        }
        Period::Week => {
            // A week lies in the year of its Thursday.
            let thursday = words.days_after("date '1970-01-01'", &format!("({number} * 7)"));
            let week =
                format!("({} + 1)", words.quotient(&format!("({} - 1)", words.part("doy", &thursday)), "7"));
            format!(
                "({} || '-W' || {})",
                padded(words, &words.part("year", &thursday), 4),
                padded(words, &week, 2)
            )
        }
        Period::QuarterOfYear => format!("('Q' || {})", digits(words, number)),
        Period::MonthOfYear => named(words, &MONTHS, number),
        Period::Weekday => named(words, &WEEKDAYS, number),
        Period::DayOfMonth | Period::DayOfYear => digits(words, number),
    }
}

fn rest(words: &dyn Words, number: &str, of: &str) -> String {
    format!("({number} - {} * {of})", words.quotient(number, of))
}

fn digits(words: &dyn Words, number: &str) -> String {
    words.as_type(number, Type::Text)
}

/// A number with this many digits at least.
fn padded(words: &dyn Words, number: &str, length: u32) -> String {
    let (text, most) = (digits(words, number), 10_u32.pow(length) - 1);
    format!("(case when {number} between 0 and {most} then lpad({text}, {length}, '0') else {text} end)")
}

/// One of some names, the first being 1.
fn named(words: &dyn Words, names: &[&str], number: &str) -> String {
    let cases = names.iter().enumerate().map(|(at, name)| format!(" when {} then '{name}'", at + 1));
    format!("(case {number}{} else {} end)", cases.collect::<String>(), digits(words, number))
}
