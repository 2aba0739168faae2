//! Numbers, dates and booleans in the forms of a place: shown by an example, read as the plain ones.

use crate::civil;
use crate::zone::Zone;
use std::borrow::Cow;

/// The forms of a table, or of one column.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Forms {
    /// Of numbers.
    pub numbers: Option<NumberForm>,
    /// Of dates, with or without a time.
    pub dates: Option<DateForm>,
    /// What is written for true and for false.
    pub booleans: Option<(String, String)>,
    /// By which clocks moments with an offset are shown; UTC if none is said.
    pub zone: Option<Zone>,
}

impl Forms {
    /// These, and for what they leave open those of the table.
    #[must_use]
    pub fn or(&self, table: &Self) -> Self {
        Self {
            numbers: self.numbers.clone().or_else(|| table.numbers.clone()),
            dates: self.dates.clone().or_else(|| table.dates.clone()),
            booleans: self.booleans.clone().or_else(|| table.booleans.clone()),
            zone: self.zone.or(table.zone),
        }
    }

    /// Whether there is nothing to change.
    #[must_use]
    pub fn is_plain(&self) -> bool {
        self.numbers.is_none() && self.dates.is_none() && self.booleans.is_none()
    }

    /// A moment with an offset as the clocks show it, in plain form; none for other fields.
    pub fn moment(&self, field: &str) -> Option<String> {
        let local = self.zone.unwrap_or_default().local(crate::zone::parse_instant(field)?)?;
        Some(crate::civil::format_moment(local))
    }

    /// A field in plain form: as it is where no form fits.
    pub fn plain<'f>(&self, field: &'f str) -> Cow<'f, str> {
        let field_trimmed = field.trim();
        if let Some((yes, no)) = &self.booleans {
            if field_trimmed == yes {
                return Cow::Borrowed("true");
            }
            if field_trimmed == no {
                return Cow::Borrowed("false");
            }
        }
        if let Some(plain) = self.dates.as_ref().and_then(|form| form.plain(field_trimmed)) {
            return Cow::Owned(plain);
        }
        match &self.numbers {
            Some(form) => match form.plain(field_trimmed) {
                Some(plain) => Cow::Owned(plain),
                // In a form with a comma, what looks like a number with a point is none.
                None if looks_plain(field) => Cow::Owned(format!("{field}{NOT_A_NUMBER}")),
                None => Cow::Borrowed(field),
            },
            None => Cow::Borrowed(field),
        }
    }
}

/// Behind what must not be read as a number; no file holds it.
pub const NOT_A_NUMBER: char = '\u{10FFFF}';

fn looks_plain(field: &str) -> bool {
    let digits = field.strip_prefix('-').unwrap_or(field);
    digits.contains('.') && digits.bytes().all(|b| b.is_ascii_digit() || b == b'.')
}

/// How numbers are written: `1.234,56`, `1 234,56 €`, `12,5 %`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NumberForm {
    prefix: String,
    suffix: String,
    group: Option<char>,
    point: char,
    percent: bool,
}

/// Why an example shows no form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unclear {
    /// Nothing of it is a number, or a date.
    Nothing,
    /// It could be read in two ways.
    TwoWays,
}

impl NumberForm {
    /// The form of an example: it has decimals, so that the character before them is known, or two groups of digits.
    ///
    /// # Errors
    /// When the example is no number, or could be two: `1.234` may be a thousand or a little more than one.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::forms::NumberForm;
    /// let form = NumberForm::like("1.234,56 €").unwrap();
    /// assert_eq!(form.plain("-12.345,6 €").as_deref(), Some("-12345.6"));
    /// assert_eq!(form.plain("12.5"), None);
    /// ```
    pub fn like(example: &str) -> Result<Self, Unclear> {
        let first = example.find(|c: char| c.is_ascii_digit()).ok_or(Unclear::Nothing)?;
        let last = example.rfind(|c: char| c.is_ascii_digit()).ok_or(Unclear::Nothing)?;
        let (prefix, rest) = example.split_at(first);
        let (digits, suffix) = rest.split_at(last + 1 - first);
        let prefix = prefix.trim().trim_end_matches('-').trim().to_owned();
        let suffix = suffix.trim().to_owned();
        let signs: Vec<char> = digits.chars().filter(|c| !c.is_ascii_digit()).collect();
        let is_sign = |c: &char| matches!(c, '.' | ',' | '\'' | '’' | ' ' | '\u{a0}' | '\u{202f}' | '_');
        if !signs.iter().all(is_sign) {
            return Err(Unclear::Nothing);
        }
        let tail = digits.chars().rev().take_while(char::is_ascii_digit).count();
        let percent = prefix.contains('%') || suffix.contains('%');
        let form = |group, point| Self { prefix, suffix, group, point, percent };
        match signs.as_slice() {
            [] => Ok(form(None, '.')),
            // Three digits behind a lone sign may be decimals or a group; other signs than these two only group.
            [sign @ ('.' | ',')] if tail != 3 => Ok(form(None, *sign)),
            ['.' | ','] => Err(Unclear::TwoWays),
            [all @ .., last] if all.iter().all(|c| c == last) && tail == 3 => {
                Ok(form(Some(*last), if *last == '.' { ',' } else { '.' }))
            }
            [groups @ .., point @ ('.' | ',')] => match groups {
                [group, others @ ..] if group != point && others.iter().all(|c| c == group) => {
                    Ok(form(Some(*group), *point))
                }
                _ => Err(Unclear::Nothing),
            },
            _ => Err(Unclear::Nothing),
        }
    }

    /// Whether numbers with a sign of percent are hundredths.
    pub fn is_percent(&self) -> bool {
        self.percent
    }

    /// A number of this form as digits with a point; none if it is none. Of a form with a sign of percent those that have it are divided by a
    /// hundred.
    pub fn plain(&self, field: &str) -> Option<String> {
        // Behind a whole file stands the form of all its columns: a number without the sign is no percentage.
        let has_sign = field.contains('%');
        let (minus, field) = signed(field);
        let field = field.strip_prefix(&self.prefix).unwrap_or(field).trim_start();
        let (after, field) = signed(field);
        let field = field.strip_suffix(&self.suffix).unwrap_or(field).trim_end();
        let (whole, part) = match field.split_once(self.point) {
            Some((whole, part)) if !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit()) => {
                (whole, part)
            }
            Some(_) => return None,
            None => (field, ""),
        };
        let whole = self.ungrouped(whole)?;
        let text = format!("{}{whole}", if minus == after { "" } else { "-" });
        let text = if part.is_empty() { text } else { format!("{text}.{part}") };
        Some(if self.percent && has_sign { hundredth(&text) } else { text })
    }

    /// The digits before the point, without what groups them: groups of three, but for the first.
    fn ungrouped(&self, whole: &str) -> Option<String> {
        let is_digits = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
        let Some(group) = self.group else { return is_digits(whole).then(|| whole.to_owned()) };
        // Spaces of all widths group alike.
        let same = |c: char| c == group || (group.is_whitespace() && c.is_whitespace());
        let mut parts = whole.split(same);
        let first = parts.next().filter(|t| is_digits(t))?;
        let mut digits = first.to_owned();
        let mut grouped = false;
        for part in parts {
            grouped = true;
            if part.len() != 3 || !is_digits(part) {
                return None;
            }
            digits.push_str(part);
        }
        (!grouped || first.len() <= 3).then_some(digits)
    }
}

fn signed(field: &str) -> (bool, &str) {
    match field.strip_prefix(['-', '\u{2212}']) {
        Some(rest) => (true, rest.trim_start()),
        None => (false, field),
    }
}

/// A number divided by a hundred, digit by digit.
fn hundredth(number: &str) -> String {
    let (sign, digits) = number.strip_prefix('-').map_or(("", number), |d| ("-", d));
    let (whole, part) = digits.split_once('.').unwrap_or((digits, ""));
    let padded = format!("{whole:0>3}");
    let (whole, cents) = padded.split_at(padded.len() - 2);
    let whole = whole.trim_start_matches('0');
    format!("{sign}{}.{cents}{part}", if whole.is_empty() { "0" } else { whole })
}

/// How dates are written: `31.12.2024`, `12/31/2024`, `31-Dec-2024`, `20241231`, each also with a time behind it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DateForm {
    /// Year, month and day, in the order in which they stand.
    order: [Part; 3],
    /// What stands between them; empty where nothing does.
    between: [String; 2],
    /// The year has two digits: from 1970 to 2069.
    short_year: bool,
    /// The month is a name.
    named: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Part {
    Year,
    Month,
    Day,
}

impl DateForm {
    /// The form of an example, whose day is above 12 where it could be taken for the month.
    ///
    /// # Errors
    /// When the example is no date, or could be two: `01.02.2024`.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::forms::{DateForm, Unclear};
    /// let form = DateForm::like("12/31/2024").unwrap();
    /// assert_eq!(form.plain("2/1/2025").as_deref(), Some("2025-02-01"));
    /// assert_eq!(DateForm::like("01.02.2024"), Err(Unclear::TwoWays));
    /// ```
    pub fn like(example: &str) -> Result<Self, Unclear> {
        let example = example.trim();
        let (date, _) = split_time(example);
        if date.len() == 8 && date.bytes().all(|b| b.is_ascii_digit()) {
            let order = [Part::Year, Part::Month, Part::Day];
            let form =
                Self { order, between: [String::new(), String::new()], short_year: false, named: false };
            return form.plain(example).map(|_| form).ok_or(Unclear::Nothing);
        }
        let (parts, between) = pieces(date).ok_or(Unclear::Nothing)?;
        let is_name = |t: &str| month_named(t).is_some();
        let named = parts.iter().any(|p| is_name(p));
        let years: Vec<usize> = (0..3).filter(|at| parts[*at].len() == 4 && !is_name(parts[*at])).collect();
        let number = |at: usize| parts[at].parse::<i32>().unwrap_or(0);
        let orders = [
            [Part::Year, Part::Month, Part::Day],
            [Part::Day, Part::Month, Part::Year],
            [Part::Month, Part::Day, Part::Year],
        ];
        let fits = |order: &&[Part; 3]| {
            order.iter().enumerate().all(|(at, part)| match part {
                // A year of two digits stands last.
                Part::Year => years == [at] || (years.is_empty() && at == 2 && parts[at].len() == 2),
                Part::Month if named => is_name(parts[at]),
                Part::Month => (1..=12).contains(&number(at)),
                Part::Day => (1..=31).contains(&number(at)) && parts[at].len() <= 2,
            })
        };
        let found: Vec<&[Part; 3]> = orders.iter().filter(fits).collect();
        match found.as_slice() {
            [order] => {
                let between = between.map(str::to_owned);
                let form = Self { order: **order, between, short_year: years.is_empty(), named };
                form.plain(example).map(|_| form).ok_or(Unclear::Nothing)
            }
            [] => Err(Unclear::Nothing),
            _ => Err(Unclear::TwoWays),
        }
    }

    /// A date of this form in ISO form, with its time if it has one; none if it is none.
    pub fn plain(&self, field: &str) -> Option<String> {
        let (date, time) = split_time(field);
        let (parts, between) = if self.between[0].is_empty() {
            if date.len() != 8 || !date.bytes().all(|b| b.is_ascii_digit()) {
                return None;
            }
            ([&date[..4], &date[4..6], &date[6..]], ["", ""])
        } else {
            pieces(date)?
        };
        if between != [self.between[0].as_str(), self.between[1].as_str()] {
            return None;
        }
        let part = |wanted: Part| self.order.iter().position(|p| *p == wanted).map(|at| parts[at]);
        let (year, month, day) = (part(Part::Year)?, part(Part::Month)?, part(Part::Day)?);
        let year = match (self.short_year, year.len()) {
            (false, 4) => year.parse().ok()?,
            (true, 2) => year.parse().map(|y: i32| if y < 70 { 2000 + y } else { 1900 + y }).ok()?,
            _ => return None,
        };
        let month = if self.named { month_named(month)? } else { month.parse().ok()? };
        let day = civil::day_of(year, month, day.parse().ok().filter(|_| day.len() <= 2)?)?;
        let date = civil::format_date(day);
        match time {
            Some(time) => civil::parse_time(&padded(time)).map(|_| format!("{date}T{}", padded(time))),
            None => Some(date),
        }
    }
}

/// `9:05` as `09:05`.
fn padded(time: &str) -> String {
    if time.as_bytes().get(1) == Some(&b':') { format!("0{time}") } else { time.to_owned() }
}

fn split_time(text: &str) -> (&str, Option<&str>) {
    let behind = text.find([' ', 'T']).filter(|at| text[at + 1..].contains(':'));
    match behind {
        Some(at) => (text[..at].trim_end_matches(','), Some(text[at + 1..].trim())),
        None => (text, None),
    }
}

/// Three runs of letters or digits, and what stands between them.
fn pieces(text: &str) -> Option<([&str; 3], [&str; 2])> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    for (at, c) in text.char_indices() {
        if c.is_alphanumeric() {
            match runs.last_mut() {
                Some((_, end)) if *end == at => *end = at + c.len_utf8(),
                _ => runs.push((at, at + c.len_utf8())),
            }
        }
    }
    let [first, second, third] = runs.as_slice() else { return None };
    let run = |(start, end): &(usize, usize)| &text[*start..*end];
    let between = [&text[first.1..second.0], &text[second.1..third.0]];
    (first.0 == 0 && third.1 == text.len()).then(|| ([run(first), run(second), run(third)], between))
}

/// The number of a month by its English name, or by the first three letters of it.
fn month_named(text: &str) -> Option<i32> {
    let is = |name: &str| {
        text.eq_ignore_ascii_case(name) || (text.len() == 3 && text.eq_ignore_ascii_case(&name[..3]))
    };
    civil::MONTHS.iter().position(|name| is(name)).map(|at| at as i32 + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_read_as_the_example_says() {
        let cases = [
            ("1.234,56", "1.234,56", Some("1234.56")),
            ("1.234,56", "0,5", Some("0.5")),
            ("1.234,56", "-1234,5", Some("-1234.5")),
            ("1.234,56", "1.234.567", Some("1234567")),
            ("1.234,56", "1.5", None),
            ("1.234,56", "12.34,5", None),
            ("1.234,56", "1,2,3", None),
            ("1.234,56", "", None),
            ("1.234,56", "abc", None),
            ("1,234.56", "1,234.56", Some("1234.56")),
            ("12,50", "1234,5", Some("1234.5")),
            ("12,50", "1.234,5", None),
            ("1 234,56", "12\u{a0}345,6", Some("12345.6")),
            ("1'234.56", "1'000'000.00", Some("1000000.00")),
            ("1,234,567", "1,234", Some("1234")),
            ("1.234,56 €", "-5,00 €", Some("-5.00")),
            ("1.234,56 €", "5,00", Some("5.00")),
            ("€1.234,56", "€ -5,00", Some("-5.00")),
            ("$1,234.56", "-$5.00", Some("-5.00")),
            ("12,5 %", "12,5 %", Some("0.125")),
            ("12,5 %", "100 %", Some("1.00")),
            ("12,5 %", "-0,25%", Some("-0.0025")),
        ];
        for (example, field, wanted) in cases {
            let form = NumberForm::like(example).unwrap();
            assert_eq!(form.plain(field).as_deref(), wanted, "{field} like {example}");
        }
        assert_eq!(NumberForm::like("1.234"), Err(Unclear::TwoWays));
        for nothing in ["", "abc", "1-2", "1.2,3.4", "1.234;5"] {
            assert_eq!(NumberForm::like(nothing), Err(Unclear::Nothing), "{nothing}");
        }
    }

    #[test]
    fn dates_are_read_as_the_example_says() {
        let cases = [
            ("31.12.2024", "01.02.2025", Some("2025-02-01")),
            ("31.12.2024", "1.2.2025", Some("2025-02-01")),
            ("31.12.2024", "31.02.2025", None),
            ("31.12.2024", "2025-02-01", None),
            ("31.12.2024", "01/02/2025", None),
            ("31.12.2024", "01.02.25", None),
            ("31.12.2024", "01.02.2025 9:05", Some("2025-02-01T09:05")),
            ("31.12.2024 14:05", "01.02.2025", Some("2025-02-01")),
            ("12/31/2024", "2/1/2025", Some("2025-02-01")),
            ("31/12/24", "01/02/69", Some("2069-02-01")),
            ("31/12/24", "01/02/70", Some("1970-02-01")),
            ("31-Dec-2024", "1-feb-2025", Some("2025-02-01")),
            ("20241231", "20250201", Some("2025-02-01")),
            ("2024/12/31", "2025/02/01", Some("2025-02-01")),
            ("December 31, 2024", "February 1, 2025", Some("2025-02-01")),
        ];
        for (example, field, wanted) in cases {
            let form = DateForm::like(example).unwrap();
            assert_eq!(form.plain(field).as_deref(), wanted, "{field} like {example}");
        }
        assert_eq!(DateForm::like("01.02.2024"), Err(Unclear::TwoWays));
        assert_eq!(DateForm::like("10/11/12"), Err(Unclear::TwoWays));
        for nothing in ["", "x", "31.12", "45.45.2024", "2024"] {
            assert_eq!(DateForm::like(nothing), Err(Unclear::Nothing), "{nothing}");
        }
    }
}
