//! The fields of one column in one piece of a text, encoded while their type is found.

use crate::guess::{First, Guess, Look, Rounded, Spoiled, type_of};
use crate::loaded::ReadOptions;
use crate::number_doubts::NumberDoubts;
use crate::periods::physical;
use crate::written::{Writing, WrittenPiece};
use vembra_engine::{Column, ColumnBuilder};
use vembra_plan::forms::Forms;
use vembra_plan::{Decimal, Type, civil};

/// How the fields of a column are taken.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Mode {
    /// The type is found; this is what earlier pieces look like.
    Find(Option<Look>),
    /// The model says the type.
    Fixed(Type),
    /// The model says that it is a decimal, how many digits it has at most, and how many of them behind the point.
    Digits(u8, u8),
    /// The type is known from a first look.
    As(Type),
}

impl Mode {
    /// How a column is taken that is read for the first time.
    pub(crate) fn of(options: &ReadOptions, name: &str) -> Self {
        let column = options.column(name);
        let fixed = || column.and_then(|c| c.ty).map(Self::Fixed);
        let digits = column.and_then(|c| c.digits).map(|(digits, scale)| Self::Digits(digits, scale));
        digits.or_else(fixed).unwrap_or(Self::Find(None))
    }
}

/// A field that is no value of the column's type.
#[derive(Clone, Debug)]
pub(crate) struct Bad {
    pub(crate) record: usize,
    pub(crate) field: String,
}

/// The fields of a column while they come.
pub(crate) struct Cells<'f> {
    mode: Mode,
    /// How values are written, unless that is plainly.
    forms: Option<&'f Forms>,
    /// The same where they are plain: they say by which clocks moments are shown.
    all: &'f Forms,
    guess: Guess,
    builder: ColumnBuilder,
    /// A value made the column one of texts or floats: what is built holds no longer.
    lost: bool,
    bad: Vec<Bad>,
    rows: usize,
    last: Option<(String, i64)>,
    /// How the fields are written, where that is to be remembered.
    writing: Option<Writing>,
    doubts: NumberDoubts,
}

/// What became of them.
#[derive(Debug)]
pub(crate) struct Done {
    /// The column; none if it has to be read again as another type.
    pub(crate) column: Option<Column>,
    pub(crate) look: Option<Look>,
    pub(crate) filled: usize,
    pub(crate) first: Option<First>,
    pub(crate) spoiled: Option<Spoiled>,
    /// The first number with more digits than a decimal that is read keeps.
    pub(crate) rounded: Option<Rounded>,
    pub(crate) bad: Vec<Bad>,
    pub(crate) written: Option<WrittenPiece>,
    pub(crate) doubts: NumberDoubts,
}

/// Whether a field is as long as a moment with an offset, and begins with a year.
fn may_be_instant(field: &str) -> bool {
    let bytes = field.as_bytes();
    bytes.len() >= 17 && bytes[4] == b'-' && bytes[7] == b'-'
}

impl<'f> Cells<'f> {
    pub(crate) fn new(mode: Mode, forms: &'f Forms) -> Self {
        let ty = match mode {
            Mode::Find(look) => look.map_or(Type::Null, type_of),
            Mode::Fixed(Type::Decimal(_)) => Type::Decimal(0),
            Mode::Fixed(ty) | Mode::As(ty) => ty,
            Mode::Digits(_, scale) => Type::Decimal(scale),
        };
        let known = if let Mode::Find(look) = mode { look } else { None };
        Self {
            mode,
            forms: (!forms.is_plain()).then_some(forms),
            all: forms,
            guess: Guess::from(known),
            builder: ColumnBuilder::new(ty),
            lost: false,
            bad: Vec::new(),
            rows: 0,
            last: None,
            writing: None,
            doubts: NumberDoubts::of(mode, forms),
        }
    }

    /// The same, and how the fields are written is remembered; also of texts, if they may stand in quotes.
    pub(crate) fn remembering(self, remembers: bool, with_texts: bool) -> Self {
        Self { writing: remembers.then(|| Writing::new(with_texts)), ..self }
    }

    /// Remembers how a row was written that was just added.
    fn wrote(&mut self, field: &str, raw: &str) {
        let ty = self.builder.ty();
        let Some(writing) = &mut self.writing else { return };
        match ty {
            Type::Integer | Type::Decimal(_) => writing.number(decimals(field)),
            Type::Float | Type::Text => writing.field(field, raw, ty),
            _ => writing.other(),
        }
    }

    pub(crate) fn push(&mut self, field: &str) {
        let record = self.rows;
        self.rows += 1;
        if field.is_empty() {
            self.builder.push_null();
            if let Some(writing) = &mut self.writing {
                writing.other();
            }
        } else if let Some(forms) = self.forms {
            let plain = forms.plain(field);
            self.doubts.see_percent(&plain, field, record);
            self.take(&plain, field, record);
        } else {
            self.doubts.see_separator(field, record);
            self.take(field, field, record);
        }
    }

    /// Takes a field that is in plain form whatever the forms of the file are.
    pub(crate) fn push_plain(&mut self, field: &str) {
        self.push_as(field, field);
    }

    /// The same of a value that was read from a file without a form of numbers.
    pub(crate) fn push_again(&mut self, field: &str) {
        self.doubts.see_separator(field, self.rows);
        self.push_plain(field);
    }

    /// Takes a field in plain form, which stands as `raw` in the file. An empty text is a text.
    pub(crate) fn push_as(&mut self, field: &str, raw: &str) {
        let record = self.rows;
        self.rows += 1;
        self.take(field, raw, record);
    }

    /// Takes a field in plain form, which stands as `raw` in the file.
    fn take(&mut self, field: &str, raw: &str, record: usize) {
        if may_be_instant(field)
            && let Some(moment) = self.all.moment(field.trim())
        {
            return self.take_plain(&moment, raw, record);
        }
        self.take_plain(field, raw, record);
    }

    fn take_plain(&mut self, field: &str, raw: &str, record: usize) {
        match self.mode {
            Mode::Find(_) => self.find(field, raw, record),
            Mode::As(Type::Text) | Mode::Fixed(Type::Text) => {
                self.builder.push_text(Some(raw));
                self.wrote(field, raw);
            }
            Mode::As(ty) | Mode::Fixed(ty) => {
                if !self.read(field, ty) {
                    self.is_bad(raw, record);
                }
                self.wrote(field, raw);
            }
            Mode::Digits(digits, scale) => {
                let fits = |d: Decimal| d.units.unsigned_abs() < 10_u128.pow(digits.into());
                let value =
                    Decimal::parse(field.trim()).and_then(|d| short(d).rescale(scale)).filter(|d| fits(*d));
                self.builder.push_physical(value.map(|d| d.units));
                if value.is_none() {
                    self.is_bad(raw, record);
                }
            }
        }
    }

    fn is_bad(&mut self, field: &str, record: usize) {
        self.bad.push(Bad { record, field: field.chars().take(40).collect() });
    }

    /// Takes a field as a value of a type; false, and nothing is added but a null, if it is none.
    fn read(&mut self, field: &str, ty: Type) -> bool {
        match ty {
            Type::Float => {
                let value = field.trim().parse().ok().filter(|x: &f64| x.is_finite());
                self.builder.push_float(value);
                value.is_some()
            }
            Type::Decimal(_) => self.decimal(field.trim(), matches!(self.mode, Mode::Fixed(_))),
            _ => {
                let value = quick(field, ty).map(i128::from).or_else(|| physical(field.trim(), ty));
                // A day among moments is its midnight.
                let midnight = || {
                    civil::parse_date(field.trim()).map(|day| i128::from(day) * i128::from(MICROS_PER_DAY))
                };
                let value = if ty == Type::Moment { value.or_else(midnight) } else { value };
                self.builder.push_physical(value);
                value.is_some()
            }
        }
    }

    /// Takes a decimal. The column gets the decimals that it needs where it `grows`.
    fn decimal(&mut self, field: &str, grows: bool) -> bool {
        let Some(value) = Decimal::parse(field) else {
            self.builder.push_null();
            return false;
        };
        let scale = self.scale();
        if value.scale > scale && (!grows || !self.builder.rescale(value.scale)) {
            self.builder.push_null();
            return false;
        }
        let physical = value.rescale(self.scale()).map(|d| d.units);
        self.builder.push_physical(physical);
        physical.is_some()
    }

    fn scale(&self) -> u8 {
        if let Type::Decimal(scale) = self.builder.ty() { scale } else { 0 }
    }

    /// Takes a field whose type is not known beforehand.
    fn find(&mut self, field: &str, raw: &str, record: usize) {
        if self.guess.first.is_some() && !self.lost && self.known(field, raw) {
            self.guess.filled += 1;
            self.wrote(field, raw);
            return;
        }
        let before = self.guess.look();
        self.guess.add(field, raw, record);
        if self.lost {
            return;
        }
        let now = self.guess.look();
        if before == now || self.widened(before, now) {
            if !self.add(field, raw) {
                self.is_bad(raw, record);
            }
            self.wrote(field, raw);
        } else {
            self.lost = true;
        }
    }

    /// Whether the field looks like those before it, and was added.
    fn known(&mut self, field: &str, raw: &str) -> bool {
        match self.guess.look() {
            Some(Look::Text) => self.builder.push_text(Some(raw)),
            Some(Look::Integer) => match plain_number(field) {
                Some((units, 0)) => self.builder.push_narrow(units),
                _ => return false,
            },
            Some(Look::Decimal(scale)) => match plain_number(field) {
                Some((units, decimals)) if decimals <= scale && scale - decimals < 10 => {
                    match units.checked_mul(10_i64.pow((scale - decimals).into())) {
                        Some(units) => self.builder.push_narrow(units),
                        None => return false,
                    }
                }
                _ => return false,
            },
            Some(Look::Date) => match self.day(field) {
                Some(day) => self.builder.push_narrow(day),
                None => return false,
            },
            Some(Look::Moment) => match plain_moment(field) {
                Some((day, micros)) => match self.day(day) {
                    Some(day) => self.builder.push_narrow(day * MICROS_PER_DAY + micros),
                    None => return false,
                },
                None => return false,
            },
            Some(Look::Time) => match plain_time(field.as_bytes()) {
                Some(micros) => self.builder.push_narrow(micros),
                None => return false,
            },
            _ => return false,
        }
        true
    }

    /// The day of a date. Dates of a file come in runs.
    fn day(&mut self, field: &str) -> Option<i64> {
        if let Some((last, day)) = &self.last
            && last == field
        {
            return Some(*day);
        }
        let day = i64::from(civil::parse_date(field)?);
        match &mut self.last {
            Some((last, known)) => {
                last.clear();
                last.push_str(field);
                *known = day;
            }
            None => self.last = Some((field.to_owned(), day)),
        }
        Some(day)
    }

    /// Whether what is built can go on as another type.
    fn widened(&mut self, before: Option<Look>, now: Option<Look>) -> bool {
        match (before, now) {
            (None, Some(now)) => {
                let mut builder = ColumnBuilder::new(type_of(now));
                (0..self.builder.len()).for_each(|_| builder.push_null());
                self.builder = builder;
                true
            }
            (Some(Look::Integer | Look::Decimal(_)), Some(Look::Decimal(scale))) => {
                self.builder.rescale(scale)
            }
            _ => false,
        }
    }

    /// Adds a field as a value of the type found; false, and only a null is added, if it is too large for it.
    fn add(&mut self, field: &str, raw: &str) -> bool {
        match self.guess.ty() {
            Type::Text => {
                self.builder.push_text(Some(raw));
                true
            }
            Type::Float => {
                let value = field.parse().ok();
                self.builder.push_float(value);
                value.is_some()
            }
            ty => {
                let value = physical(field, ty);
                self.builder.push_physical(value);
                value.is_some()
            }
        }
    }

    pub(crate) fn finish(self) -> Done {
        Done {
            column: (!self.lost).then(|| self.builder.finish()),
            look: self.guess.look(),
            filled: self.guess.filled,
            first: self.guess.first,
            spoiled: self.guess.spoiled,
            rounded: self.guess.rounded,
            bad: self.bad,
            written: self.writing.map(Writing::finish),
            doubts: self.doubts,
        }
    }
}

/// How many decimals a number in plain form has.
fn decimals(field: &str) -> u8 {
    let field = field.trim_end();
    memchr::memrchr(b'.', field.as_bytes()).map_or(0, |at| (field.len() - at - 1) as u8)
}

/// A decimal without the zeros that it ends with.
fn short(mut decimal: Decimal) -> Decimal {
    while decimal.scale > 0 && decimal.units % 10 == 0 {
        decimal = Decimal { units: decimal.units / 10, scale: decimal.scale - 1 };
    }
    decimal
}

/// The quick way for the commonest fields.
fn quick(field: &str, ty: Type) -> Option<i64> {
    match ty {
        Type::Integer => plain_number(field).filter(|(_, decimals)| *decimals == 0).map(|(units, _)| units),
        Type::Date => civil::parse_date(field).map(i64::from),
        _ => None,
    }
}

const MICROS_PER_DAY: i64 = 86_400_000_000;

/// `2025-03-31T15:04` or with a space or seconds: the date, and the microseconds since midnight.
fn plain_moment(field: &str) -> Option<(&str, i64)> {
    let (date, time) = field.split_at_checked(10)?;
    let time = time.as_bytes().strip_prefix(b"T").or_else(|| time.as_bytes().strip_prefix(b" "))?;
    Some((date, plain_time(time)?))
}

/// `15:04` or `15:04:05` as microseconds since midnight.
fn plain_time(time: &[u8]) -> Option<i64> {
    let two = |at: usize, below: u8| {
        let digits = time.get(at..at + 2).filter(|d| d.iter().all(u8::is_ascii_digit))?;
        let number = (digits[0] - b'0') * 10 + digits[1] - b'0';
        (number < below).then_some(i64::from(number))
    };
    let seconds = match (time.len(), time.get(2), time.get(5)) {
        (5, Some(b':'), None) => 0,
        (8, Some(b':'), Some(b':')) => two(6, 60)?,
        _ => return None,
    };
    Some((two(0, 24)? * 3600 + two(3, 60)? * 60 + seconds) * 1_000_000)
}

/// Digits, at most 17 of them and not a code that begins with a zero, with a point between them or not: the number in units of its last
/// decimal, and how many decimals there are.
fn plain_number(field: &str) -> Option<(i64, u8)> {
    let bytes = field.as_bytes();
    let (minus, digits) = match bytes.split_first()? {
        (b'-', rest) => (true, rest),
        _ => (false, bytes),
    };
    if digits.len() > 17 || digits.is_empty() {
        return None;
    }
    let (mut units, mut point) = (0_i64, None);
    for (at, byte) in digits.iter().enumerate() {
        match byte {
            b'0'..=b'9' => units = units * 10 + i64::from(byte - b'0'),
            b'.' if point.is_none() && at > 0 => point = Some(at),
            _ => return None,
        }
    }
    let whole = point.unwrap_or(digits.len());
    let decimals = digits.len() - point.map_or(digits.len(), |at| at + 1);
    if (whole > 1 && digits[0] == b'0') || (point.is_some() && decimals == 0) {
        return None;
    }
    Some((if minus { -units } else { units }, decimals as u8))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::guess::look;

    #[test]
    fn the_quick_way_reads_what_the_slow_one_reads() {
        let fields = [
            "0",
            "7",
            "-3",
            "12.50",
            "-0.5",
            "007",
            "00",
            ".5",
            "5.",
            "-",
            "",
            "1.2.3",
            "1e5",
            "+1",
            "-0",
            "0.0",
            "12345678901234567",
            "123456789012345678",
            "1234567890.1234567",
            "1 000",
            "x",
        ];
        for field in fields {
            let Some((units, decimals)) = plain_number(field) else { continue };
            let slow = Decimal::parse(field).unwrap();
            assert_eq!((i128::from(units), decimals), (slow.units, slow.scale), "{field}");
            let wanted = if decimals == 0 { Look::Integer } else { Look::Decimal(decimals) };
            assert_eq!(look(field), wanted, "{field}");
        }
        for field in ["12.50", "-3", "0", "12345678901234567"] {
            assert!(plain_number(field).is_some(), "{field}");
        }
        let times = [
            "00:00",
            "23:59",
            "15:04:05",
            "24:00",
            "15:60",
            "15:04:60",
            "1:04",
            "15:04:05.5",
            "15-04",
            "aa:bb",
        ];
        for time in times {
            let Some(micros) = plain_time(time.as_bytes()) else { continue };
            assert_eq!(Some(micros), civil::parse_time(time), "{time}");
            let moment = format!("2024-02-29T{time}");
            let (day, within) = plain_moment(&moment).unwrap();
            let physical = i64::from(civil::parse_date(day).unwrap()) * MICROS_PER_DAY + within;
            assert_eq!(Some(physical), civil::parse_moment(&moment), "{moment}");
        }
        assert!(plain_time(b"15:04:05").is_some() && plain_moment("2024-02-29 15:04").is_some());
    }
}
