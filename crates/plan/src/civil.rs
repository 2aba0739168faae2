//! Days, months, weeks and fiscal periods as whole numbers, and their texts.
//!
//! A day is the number of days since 1970-01-01; the calendar is the proleptic Gregorian one (ISO 8601).

use crate::types::Period;
use chrono::{Datelike, NaiveDate, NaiveTime, Timelike};

/// Microseconds in a day.
pub const MICROS_PER_DAY: i64 = 86_400_000_000;

/// The English names of the months.
pub const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// The names of the days of the week, Monday first.
pub const WEEKDAYS: [&str; 7] =
    ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

/// The number of the month with this English name, 1 to 12.
pub fn month_number(name: &str) -> Option<i32> {
    MONTHS.iter().position(|m| m.eq_ignore_ascii_case(name)).map(|i| i as i32 + 1)
}

fn date_of(day: i32) -> Option<NaiveDate> {
    NaiveDate::from_epoch_days(day)
}

/// The day of a year, month (1 to 12) and day of month; `None` if there is none.
pub fn day_of(year: i32, month: i32, day: i32) -> Option<i32> {
    NaiveDate::from_ymd_opt(year, u32::try_from(month).ok()?, u32::try_from(day).ok()?)
        .map(|d| d.to_epoch_days())
}

/// Year, month and day of month of a day.
pub fn parts_of(day: i32) -> Option<(i32, i32, i32)> {
    date_of(day).map(|d| (d.year(), d.month() as i32, d.day() as i32))
}

/// Reads `2025-03-31`.
pub fn parse_date(text: &str) -> Option<i32> {
    let bytes = text.as_bytes();
    if bytes.len() != 10 || bytes[4] != b'-' || bytes[7] != b'-' {
        return None;
    }
    day_of(digits(&bytes[..4])?, digits(&bytes[5..7])?, digits(&bytes[8..])?)
}

fn digits(bytes: &[u8]) -> Option<i32> {
    let mut number = 0;
    for byte in bytes {
        if !byte.is_ascii_digit() {
            return None;
        }
        number = number * 10 + i32::from(byte - b'0');
    }
    Some(number)
}

/// Prints a day as `2025-03-31`.
pub fn format_date(day: i32) -> String {
    date_of(day).map_or_else(|| format!("day {day}"), |d| d.format("%Y-%m-%d").to_string())
}

/// Reads `15:04`, `15:04:05` or `15:04:05.123456` as microseconds since midnight. What is finer than that is not read.
pub fn parse_time(text: &str) -> Option<i64> {
    let (clock, fraction) = match text.split_once('.') {
        Some((clock, fraction)) if clock.len() == 8 => (clock, micros(fraction)?),
        Some(_) => return None,
        None => (text, 0),
    };
    let bytes = clock.as_bytes();
    let second = match bytes.len() {
        5 => 0,
        8 if bytes[5] == b':' => digits(&bytes[6..])?,
        _ => return None,
    };
    if bytes[2] != b':' {
        return None;
    }
    let part = |number: i32| u32::try_from(number).ok();
    let (hour, minute) = (digits(&bytes[..2])?, digits(&bytes[3..5])?);
    let clock = NaiveTime::from_hms_opt(part(hour)?, part(minute)?, part(second)?)?;
    Some(i64::from(clock.num_seconds_from_midnight()) * 1_000_000 + fraction)
}

/// The microseconds of the digits behind a point.
fn micros(fraction: &str) -> Option<i64> {
    let (read, finer) = fraction.as_bytes().split_at(fraction.len().min(6));
    if fraction.is_empty() || finer.iter().any(|b| *b != b'0') {
        return None;
    }
    Some(i64::from(digits(read)?) * 10_i64.pow(6 - read.len() as u32))
}

/// Prints a time of day, without seconds or fractions that are zero.
pub fn format_time(micros: i64) -> String {
    let (seconds, fraction) = (micros / 1_000_000, micros % 1_000_000);
    let (hour, minute, second) = (seconds / 3600, seconds / 60 % 60, seconds % 60);
    if fraction != 0 {
        let text = format!("{hour:02}:{minute:02}:{second:02}.{fraction:06}");
        text.trim_end_matches('0').to_owned()
    } else if second != 0 {
        format!("{hour:02}:{minute:02}:{second:02}")
    } else {
        format!("{hour:02}:{minute:02}")
    }
}

/// Reads `2025-03-31T15:04` or `2025-03-31 15:04:05` as microseconds since 1970.
pub fn parse_moment(text: &str) -> Option<i64> {
    if text.len() < 16 || !text.is_char_boundary(10) || !text.is_char_boundary(11) {
        return None;
    }
    let day = parse_date(&text[..10])?;
    if !matches!(text.as_bytes()[10], b'T' | b' ') {
        return None;
    }
    Some(i64::from(day) * MICROS_PER_DAY + parse_time(&text[11..])?)
}

/// Prints a moment as `2025-03-31 15:04`.
pub fn format_moment(micros: i64) -> String {
    let day = micros.div_euclid(MICROS_PER_DAY) as i32;
    format!("{} {}", format_date(day), format_time(micros.rem_euclid(MICROS_PER_DAY)))
}

/// The period in which a day lies; the fiscal year starts on the first of month `fiscal_start` (1 to 12).
pub fn period_of(period: Period, day: i32, fiscal_start: i32) -> Option<i32> {
    let date = date_of(day)?;
    let (year, month) = (date.year(), date.month() as i32);
    let shifted = year * 12 + month - 1 + (13 - fiscal_start) % 12;
    Some(match period {
        Period::Year => year,
        Period::Quarter => year * 4 + (month - 1) / 3,
        Period::Month => year * 12 + month - 1,
        // 1970-01-01 was a Thursday: three days into its week.
        Period::Week => (day + 3).div_euclid(7),
        Period::FiscalYear => shifted.div_euclid(12),
        Period::FiscalQuarter => shifted.div_euclid(3),
        Period::FiscalMonth => shifted,
        Period::QuarterOfYear => (month - 1) / 3 + 1,
        Period::MonthOfYear => month,
        Period::DayOfMonth => date.day() as i32,
        Period::DayOfYear => date.ordinal() as i32,
        Period::Weekday => date.weekday().number_from_monday() as i32,
    })
}

/// The first day of a period that is unique over time; `None` for repeating ones.
pub fn first_day(period: Period, index: i32, fiscal_start: i32) -> Option<i32> {
    let month = match period {
        Period::Year => index.checked_mul(12)?,
        Period::Quarter => index.checked_mul(3)?,
        Period::Month => index,
        Period::Week => return index.checked_mul(7)?.checked_sub(3),
        Period::FiscalYear => index.checked_mul(12)? - (13 - fiscal_start) % 12,
        Period::FiscalQuarter => index.checked_mul(3)? - (13 - fiscal_start) % 12,
        Period::FiscalMonth => index - (13 - fiscal_start) % 12,
        _ => return None,
    };
    day_of(month.div_euclid(12), month.rem_euclid(12) + 1, 1)
}

/// The last day of a period that is unique over time; `None` for repeating ones.
pub fn last_day(period: Period, index: i32, fiscal_start: i32) -> Option<i32> {
    first_day(period, index.checked_add(1)?, fiscal_start)?.checked_sub(1)
}

/// Prints a period: `2025`, `2025-Q1`, `2025-03`, `2025-W10`, `FY2025`, `January`, `Monday`.
pub fn format_period(period: Period, index: i32) -> String {
    let name = |names: &[&str]| {
        usize::try_from(index - 1)
            .ok()
            .and_then(|i| names.get(i).map(|n| (*n).to_owned()))
            .unwrap_or_else(|| index.to_string())
    };
    match period {
        Period::Year => format!("{index:04}"),
        Period::Quarter => format!("{:04}-Q{}", index.div_euclid(4), index.rem_euclid(4) + 1),
        Period::Month => format!("{:04}-{:02}", index.div_euclid(12), index.rem_euclid(12) + 1),
        Period::Week => format_week(index),
        Period::FiscalYear => format!("FY{index:04}"),
        Period::FiscalQuarter => format!("FY{:04}-Q{}", index.div_euclid(4), index.rem_euclid(4) + 1),
        Period::FiscalMonth => format!("FY{:04}-M{:02}", index.div_euclid(12), index.rem_euclid(12) + 1),
        Period::QuarterOfYear => format!("Q{index}"),
        Period::MonthOfYear => name(&MONTHS),
        Period::DayOfMonth | Period::DayOfYear => index.to_string(),
        Period::Weekday => name(&WEEKDAYS),
    }
}

fn format_week(index: i32) -> String {
    match index.checked_mul(7).and_then(|d| date_of(d - 3)) {
        Some(monday) => {
            let week = monday.iso_week();
            format!("{:04}-W{:02}", week.year(), week.week())
        }
        None => format!("week {index}"),
    }
}

/// Reads the text of a period, as [`format_period`] prints it.
pub fn parse_period(period: Period, text: &str) -> Option<i32> {
    let two = |separator: &str, most: i32| -> Option<(i32, i32)> {
        let (year, part) = text.split_once(separator)?;
        let year = year.strip_prefix("FY").unwrap_or(year);
        let length = if most < 10 { 1 } else { 2 };
        let part = (part.len() == length).then(|| digits(part.as_bytes()))??;
        let year = four_digits(year)?;
        (1..=most).contains(&part).then_some((year, part))
    };
    let up_to = |text: &str, most: i32| {
        let number = (1..=3).contains(&text.len()).then(|| digits(text.as_bytes()))??;
        (1..=most).contains(&number).then_some(number)
    };
    match period {
        Period::Year => four_digits(text),
        Period::FiscalYear => four_digits(text.strip_prefix("FY").unwrap_or(text)),
        Period::Quarter => two("-Q", 4).filter(|_| !text.starts_with("FY")).map(|(y, q)| y * 4 + q - 1),
        Period::FiscalQuarter => text.starts_with("FY").then(|| two("-Q", 4))?.map(|(y, q)| y * 4 + q - 1),
        Period::Month => {
            (text.len() == 7 && !text.starts_with("FY")).then(|| two("-", 12))?.map(|(y, m)| y * 12 + m - 1)
        }
        Period::FiscalMonth => text.starts_with("FY").then(|| two("-M", 12))?.map(|(y, m)| y * 12 + m - 1),
        Period::Week => {
            let (year, week) = two("-W", 53).filter(|_| !text.starts_with("FY"))?;
            let monday = NaiveDate::from_isoywd_opt(year, week as u32, chrono::Weekday::Mon)?;
            Some((monday.to_epoch_days() + 3).div_euclid(7))
        }
        Period::QuarterOfYear => text.strip_prefix('Q').filter(|q| q.len() == 1).and_then(|q| up_to(q, 4)),
        Period::MonthOfYear => month_number(text),
        Period::Weekday => WEEKDAYS.iter().position(|d| d.eq_ignore_ascii_case(text)).map(|i| i as i32 + 1),
        Period::DayOfMonth => up_to(text, 31),
        Period::DayOfYear => up_to(text, 366),
    }
}

fn four_digits(text: &str) -> Option<i32> {
    (text.len() == 4).then(|| digits(text.as_bytes()))?
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn periods_print_and_parse_back() {
        let day = parse_date("2024-12-30").unwrap();
        let shown: Vec<String> = Period::ALL
            .iter()
            .map(|p| {
                let index = period_of(*p, day, 10).unwrap();
                let text = format_period(*p, index);
                assert_eq!(parse_period(*p, &text), Some(index), "{text}");
                text
            })
            .collect();
        assert_eq!(
            shown.join(" "),
            "2024 2024-Q4 2024-12 2025-W01 FY2025 FY2025-Q1 FY2025-M03 Q4 December 30 365 Monday"
        );
    }

    #[test]
    fn periods_know_their_first_and_last_day() {
        let span = |p, text| {
            let index = parse_period(p, text).unwrap();
            let ends = [first_day(p, index, 10), last_day(p, index, 10)];
            ends.map(|d| format_date(d.unwrap())).join("..")
        };
        assert_eq!(span(Period::FiscalYear, "FY2025"), "2024-10-01..2025-09-30");
        assert_eq!(span(Period::FiscalQuarter, "FY2025-Q2"), "2025-01-01..2025-03-31");
        assert_eq!(span(Period::Month, "2024-02"), "2024-02-01..2024-02-29");
        assert_eq!(span(Period::Week, "2020-W53"), "2020-12-28..2021-01-03");
    }

    #[test]
    fn refuses_what_is_no_date_or_time() {
        for text in ["2025-02-29", "2025-2-03", "25-02-03", "2025/02/03", "2025-13-01"] {
            assert_eq!(parse_date(text), None, "{text}");
        }
        for text in ["24:00", "7:30", "12:60", "12-30"] {
            assert_eq!(parse_time(text), None, "{text}");
        }
        assert_eq!(format_time(parse_time("07:30:05.25").unwrap()), "07:30:05.25");
    }
}
