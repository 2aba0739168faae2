//! Days, periods and clocks against a calendar that is counted day by day here, by the rules of the Gregorian calendar and of ISO 8601 alone.
#![allow(clippy::unwrap_used)] // Tests stop at the first fault.

use vembra_plan::civil::{
    MICROS_PER_DAY, day_of, first_day, format_date, format_moment, format_period, format_time, last_day,
    parse_date, parse_moment, parse_period, parse_time, parts_of, period_of,
};
use vembra_plan::{Period, TimeUnit};

/// A day as it is counted: its number, year, month, day of month, day of year, weekday from Monday, ISO year and week.
#[derive(Clone, Copy)]
struct Counted {
    number: i32,
    year: i32,
    month: i32,
    day: i32,
    of_year: i32,
    weekday: i32,
    iso: (i32, i32),
}

fn is_leap(year: i32) -> bool {
    year % 4 == 0 && (year % 100 != 0 || year % 400 == 0)
}

fn days_in(year: i32, month: i32) -> i32 {
    match month {
        4 | 6 | 9 | 11 => 30,
        2 if is_leap(year) => 29,
        2 => 28,
        _ => 31,
    }
}

/// All days of some years, counted from 1970-01-01, a Thursday.
fn counted(first: i32, last: i32) -> Vec<Counted> {
    let mut number: i32 = 0;
    for year in 1970..first {
        number += if is_leap(year) { 366 } else { 365 };
    }
    for year in first..1970 {
        number -= if is_leap(year) { 366 } else { 365 };
    }
    let mut days = Vec::new();
    for year in first..=last {
        let mut of_year = 0;
        for month in 1..=12 {
            for day in 1..=days_in(year, month) {
                of_year += 1;
                let weekday = (number + 3).rem_euclid(7) + 1;
                days.push(Counted { number, year, month, day, of_year, weekday, iso: (0, 0) });
                number += 1;
            }
        }
    }
    // A week belongs to the year of its Thursday, and is the so-manieth with one there.
    for at in 0..days.len() {
        let thursday = at as i32 + 4 - days[at].weekday;
        if let Some(thursday) = usize::try_from(thursday).ok().and_then(|t| days.get(t)) {
            days[at].iso = (thursday.year, (thursday.of_year - 1) / 7 + 1);
        }
    }
    days
}

#[test]
fn days_have_the_parts_that_counting_gives() {
    for day in counted(1895, 2105) {
        assert_eq!(parts_of(day.number), Some((day.year, day.month, day.day)));
        assert_eq!(day_of(day.year, day.month, day.day), Some(day.number));
        let text = format!("{:04}-{:02}-{:02}", day.year, day.month, day.day);
        assert_eq!(format_date(day.number), text);
        assert_eq!(parse_date(&text), Some(day.number));
        let period = |p| period_of(p, day.number, 1).unwrap();
        assert_eq!(period(Period::Year), day.year);
        assert_eq!(period(Period::MonthOfYear), day.month);
        assert_eq!(period(Period::DayOfMonth), day.day);
        assert_eq!(period(Period::DayOfYear), day.of_year);
        assert_eq!(period(Period::Weekday), day.weekday);
        assert_eq!(period(Period::QuarterOfYear), (day.month + 2) / 3);
        assert_eq!(format_period(Period::Month, period(Period::Month)), text[..7]);
    }
}

#[test]
fn days_that_are_not_there_are_refused() {
    for year in [1900, 1999, 2000, 2023, 2024, 2100] {
        for month in 0..=13 {
            for day in 0..=32 {
                let exists =
                    (1..=12).contains(&month) && (1..=days_in(year, month.clamp(1, 12))).contains(&day);
                assert_eq!(day_of(year, month, day).is_some(), exists, "{year}-{month}-{day}");
                let text = format!("{year:04}-{month:02}-{day:02}");
                assert_eq!(parse_date(&text).is_some(), exists, "{text}");
            }
        }
    }
}

#[test]
fn weeks_are_those_of_their_thursdays() {
    let days = counted(1995, 2040);
    for pair in days[7..days.len() - 7].windows(2) {
        let [day, next] = pair else { continue };
        let week = period_of(Period::Week, day.number, 1).unwrap();
        assert_eq!(format_period(Period::Week, week), format!("{:04}-W{:02}", day.iso.0, day.iso.1));
        let same = period_of(Period::Week, next.number, 1).unwrap() == week;
        assert_eq!(same, next.weekday != 1, "a week ends on a Sunday");
    }
}

#[test]
fn a_period_is_all_days_from_its_first_to_its_last() {
    for fiscal_start in [1, 2, 4, 7, 10, 12] {
        for period in Period::ALL {
            let days = counted(2019, 2026);
            for pair in days.windows(2) {
                let index = |day: &Counted| period_of(period, day.number, fiscal_start).unwrap();
                let (own, next) = (index(&pair[0]), index(&pair[1]));
                let (Some(first), Some(last)) =
                    (first_day(period, own, fiscal_start), last_day(period, own, fiscal_start))
                else {
                    assert!(!period.is_unique(), "{period:?} has no days");
                    continue;
                };
                assert!(
                    (first..=last).contains(&pair[0].number),
                    "{period:?} of {}",
                    format_date(pair[0].number)
                );
                // Numbers go up by one where a period ends.
                assert_eq!(own == next, pair[0].number != last, "{period:?} {}", format_date(pair[0].number));
                assert!(next == own || next == own + 1);
            }
        }
    }
}

#[test]
fn a_fiscal_year_is_named_by_the_year_in_which_it_ends() {
    for start in 1..=12 {
        for day in counted(2022, 2025) {
            // The month that lies this many behind the start, and the year in which its fiscal year ends.
            let month = (day.month - start).rem_euclid(12) + 1;
            let ends = if start > 1 && day.month >= start { day.year + 1 } else { day.year };
            let told = |p| format_period(p, period_of(p, day.number, start).unwrap());
            assert_eq!(told(Period::FiscalYear), format!("FY{ends}"));
            assert_eq!(told(Period::FiscalMonth), format!("FY{ends}-M{month:02}"));
            assert_eq!(told(Period::FiscalQuarter), format!("FY{ends}-Q{}", (month + 2) / 3));
        }
    }
}

#[test]
fn each_period_reads_what_it_writes_and_nothing_near_it() {
    for period in Period::ALL {
        let mut texts: Vec<(String, i32)> = counted(2023, 2025)
            .iter()
            .map(|day| period_of(period, day.number, 10).unwrap())
            .map(|index| (format_period(period, index), index))
            .collect();
        texts.dedup();
        for (text, index) in texts {
            assert_eq!(parse_period(period, &text), Some(index), "{text}");
            // One character more, less or changed: refused, or what is read writes itself so.
            for at in 0..=text.len() {
                for mark in ['0', '+', ' ', '-', 'W', 'Q', 'F'] {
                    let mut more = text.clone();
                    more.insert(at, mark);
                    let mut other: Vec<char> = text.chars().collect();
                    if let Some(place) = other.get_mut(at) {
                        *place = mark;
                    }
                    let other: String = other.into_iter().collect();
                    for near in [more, other] {
                        let Some(read) = parse_period(period, &near) else { continue };
                        let back = format_period(period, read);
                        let plain = near.trim_start_matches('0');
                        let alike = back == near || back == plain || back.strip_prefix("FY") == Some(&near);
                        assert!(alike, "{period:?} reads {near} as {back}");
                    }
                }
            }
        }
    }
}

#[test]
fn clocks_read_what_they_write_and_nothing_near_it() {
    for micros in [0, 1, 60_000_000, 3_599_999_999, 45_296_000_000, 45_296_250_000, MICROS_PER_DAY - 1] {
        let text = format_time(micros);
        assert_eq!(parse_time(&text), Some(micros), "{text}");
        let moment = 19_812 * MICROS_PER_DAY + micros;
        let text = format_moment(moment);
        assert_eq!(parse_moment(&text), Some(moment), "{text}");
        assert_eq!(parse_moment(&text.replace(' ', "T")), Some(moment), "{text}");
    }
    for text in [
        "",
        "7:30",
        " 7:30",
        "+7:30",
        "07:3",
        "07:300",
        "24:00",
        "23:60",
        "23:59:60",
        "07:30:5",
        "07:30:05.",
        "07:30:05,5",
        "07:30 ",
        "07.30",
        "0730",
        "07:30:05.1234567x",
        "-1:30",
    ] {
        assert_eq!(parse_time(text), None, "{text}");
    }
    // Digits past a millionth are read where they say nothing.
    assert_eq!(parse_time("07:30:05.1234560"), parse_time("07:30:05.123456"));
    assert_eq!(parse_time("07:30:05.1234567"), None);
    for text in [
        "2025-03-31",
        "2025-03-31 ",
        "2025-03-31T",
        "2025-03-31  07:30",
        "2025-03-31x07:30",
        "2025-02-30 07:30",
    ] {
        assert_eq!(parse_moment(text), None, "{text}");
    }
}

#[test]
fn moments_before_1970_belong_to_their_own_day() {
    let new_year = parse_moment("1969-12-31 23:59:59.5").unwrap();
    assert!(new_year < 0);
    assert_eq!(format_moment(new_year), "1969-12-31 23:59:59.5");
    assert_eq!(parse_date("1969-12-31"), Some(-1));
}

#[test]
fn units_of_time_know_how_many_months_they_have() {
    for period in Period::IN_TIME.iter().copied() {
        let unit = TimeUnit::Of(period);
        let Some(months) = unit.months() else {
            assert!(unit.is_shorter_than_month(), "{period:?}");
            continue;
        };
        // How many months lie between the starts of one and the next.
        let index = period_of(period, parse_date("2024-05-17").unwrap(), 10).unwrap();
        let month = |index| period_of(Period::Month, first_day(period, index, 10).unwrap(), 10).unwrap();
        assert_eq!(month(index + 1) - month(index), months, "{period:?}");
    }
    assert!(TimeUnit::Day.is_shorter_than_month() && TimeUnit::WorkingDay.is_shorter_than_month());
}
