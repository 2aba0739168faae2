//! Texts read as values, exactly as the language writes these; any other text is an error.

use crate::periods;
use crate::words::Words;
use vembra_plan::civil::{MONTHS, WEEKDAYS};
use vembra_plan::{Period, Scalar, Type};

const YEAR: &str = "[0-9]{4}";
/// A day that there is: in months of 31 days, of 30, in February, and its 29th of years that have one.
const DATE: &str = "([0-9]{4}-((0[13578]|1[02])-(0[1-9]|[12][0-9]|3[01])|(0[469]|11)-(0[1-9]|[12][0-9]|30)|02-(0[1-9]|1[0-9]|2[0-8]))\
                    |([0-9]{2}(0[48]|[2468][048]|[13579][26])|([02468][048]|[13579][26])00)-02-29)";
const TIME: &str = "([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.][0-9]{1,6}0*)?)?";
const MONTH: &str = "(0[1-9]|1[0-2])";

/// A text read as a value of a type.
pub(crate) fn read(words: &dyn Words, sql: &str, ty: Type) -> String {
    let text = format!("btrim({sql}, {})", words.blanks());
    let unreadable = words.unreadable(&text, ty);
    let (pattern, value) = match ty {
        Type::Period(period) => (pattern_of(period), period_of(words, period, &text)),
        _ => (plain(ty), words.as_type(&text, ty)),
    };
    let matches = words.matches(&text, &format!("^({pattern})$"));
    format!(
        "(case when {sql} is null then null when {matches} then coalesce({value}, {unreadable}) else {unreadable} end)"
    )
}

/// What texts look like that servers read as the language does.
fn plain(ty: Type) -> String {
    match ty {
        Type::Integer => "[+-]?[0-9]+".to_owned(),
        Type::Decimal(0) => "[+-]?[0-9]+[.]?".to_owned(),
        Type::Decimal(scale) => format!("[+-]?([0-9]+[.]?[0-9]{{0,{scale}}}|[.][0-9]{{1,{scale}}})"),
        Type::Float => "[+-]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][+-]?[0-9]+)?".to_owned(),
        Type::Boolean => either(["true", "false"]),
        Type::Time => TIME.to_owned(),
        Type::Moment => format!("{DATE}[T ]{TIME}"),
        _ => DATE.to_owned(),
    }
}

/// What texts look like that may be a period.
fn pattern_of(period: Period) -> String {
    match period {
        Period::Year => YEAR.to_owned(),
        Period::FiscalYear => format!("(FY)?{YEAR}"),
        Period::Quarter => format!("{YEAR}-Q[1-4]"),
        Period::FiscalQuarter => format!("FY{YEAR}-Q[1-4]"),
        Period::Month => format!("{YEAR}-{MONTH}"),
        Period::FiscalMonth => format!("FY{YEAR}-M{MONTH}"),
        Period::Week => format!("{YEAR}-W(0[1-9]|[1-4][0-9]|5[0-3])"),
        Period::QuarterOfYear => "Q[1-4]".to_owned(),
        Period::MonthOfYear => either(MONTHS),
        Period::Weekday => either(WEEKDAYS),
        Period::DayOfMonth | Period::DayOfYear => "[0-9]{1,3}".to_owned(),
    }
}

/// The number of the period that a text of this look stands for; null if there is none.
fn period_of(words: &dyn Words, period: Period, text: &str) -> String {
    let number = |part: String| words.as_type(&part, Type::Integer);
    let last = |digits: u8| number(format!("right({text}, {digits})"));
    let year_from = |place: u8| number(format!("substr({text}, {place}, 4)"));
    let up_to =
        |most: u16| format!("case when {0} between 1 and {most} then {0} end", number(text.to_owned()));
    match period {
        Period::Year => number(text.to_owned()),
        Period::FiscalYear => last(4),
        Period::Quarter => format!("({} * 4 + {} - 1)", year_from(1), last(1)),
        Period::FiscalQuarter => format!("({} * 4 + {} - 1)", year_from(3), last(1)),
        Period::Month => format!("({} * 12 + {} - 1)", year_from(1), last(2)),
        Period::FiscalMonth => format!("({} * 12 + {} - 1)", year_from(3), last(2)),
        Period::Week => {
            // The fourth of January lies in the first week of a year, and the 28th of December in the last.
            let around = |month: &str, day: &str| {
                periods::around(words, period, &words.date(&year_from(1), month, day), 1)
            };
            let week = format!("({} + {} - 1)", around("1", "4"), last(2));
            format!("case when {week} <= {} then {week} end", around("12", "28"))
        }
        Period::QuarterOfYear => last(1),
        Period::MonthOfYear => place_among(MONTHS, text),
        Period::Weekday => place_among(WEEKDAYS, text),
        Period::DayOfMonth => up_to(31),
        Period::DayOfYear => up_to(366),
    }
}

/// What a server says of a text that cannot be read as a type: an expression that makes it say so.
pub(crate) fn told_unreadable(words: &dyn Words, text: &str, ty: Type) -> String {
    let before = words.literal(&Scalar::text(format!("{UNREADABLE}{ty}: ")), Type::Text);
    let behind = words.literal(&Scalar::text(END), Type::Text);
    format!("({before} || {text} || {behind})")
}

/// Whether an expression reads texts as values, so that it fails for some.
pub(crate) fn may_fail(sql: &str) -> bool {
    sql.contains(UNREADABLE)
}

/// Conditions that must all hold, each with whether it may fail, those that may behind the others: a server tests conditions in an order of its own, and branches of
/// `case` only for rows that reach them, as long as these are numbers: of booleans some servers make `and` again.
pub(crate) fn guarded(words: &dyn Words, conditions: Vec<(String, bool)>) -> Vec<String> {
    let (fallible, safe): (Vec<_>, Vec<_>) =
        conditions.into_iter().partition(|(sql, fails)| *fails || may_fail(sql));
    let mut all: Vec<String> = safe.into_iter().map(|(sql, _)| sql).collect();
    for (condition, _) in fallible {
        let guard = all.join(" and ");
        all.push(if guard.is_empty() {
            condition
        } else {
            format!("case when {guard} then {} else 0 end = 1", words.cast_to(&condition, "integer"))
        });
    }
    all
}

const UNREADABLE: &str = "unreadable as ";
/// What ends the text: no text is likely to hold it.
const END: &str = " :unreadable";

/// The text that a server says cannot be read, and as what.
pub(crate) fn unread(message: &str) -> Option<(String, Type)> {
    let (_, told) = message.split_once(UNREADABLE)?;
    let (ty, told) = told.split_once(": ")?;
    let (text, _) = told.rsplit_once(END)?;
    Some((text.to_owned(), Type::from_name(ty)?))
}

/// One of some words, in small letters or large ones.
fn either<const N: usize>(words: [&str; N]) -> String {
    let any = |word: &str| -> String {
        word.chars().map(|c| format!("[{}{}]", c.to_ascii_uppercase(), c.to_ascii_lowercase())).collect()
    };
    words.map(any).join("|")
}

/// Which of some words a text is, the first being 1.
fn place_among<const N: usize>(words: [&str; N], text: &str) -> String {
    let cases =
        words.iter().enumerate().map(|(at, word)| format!(" when '{}' then {}", word.to_lowercase(), at + 1));
    format!("case lower({text}){} end", cases.collect::<String>())
}
