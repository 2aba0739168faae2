//! The type that all values of a column fit.

use vembra_plan::{Period, Type, civil};

/// What one field looks like; the order is that in which they are tried.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum Look {
    Boolean,
    Integer,
    /// With this many decimals.
    Decimal(u8),
    Float,
    Date,
    Time,
    Moment,
    Month,
    Quarter,
    Week,
    Text,
}

/// What a field that is not empty looks like.
pub(crate) fn look(field: &str) -> Look {
    let Some(first) = field.bytes().next() else { return Look::Text };
    match first {
        b'0'..=b'9' | b'-' | b'+' | b'.' => number_or_date(field),
        b't' | b'f' | b'T' | b'F' if is_boolean(field) => Look::Boolean,
        _ => Look::Text,
    }
}

fn is_boolean(field: &str) -> bool {
    matches!(field, "true" | "false" | "True" | "False" | "TRUE" | "FALSE")
}

fn number_or_date(field: &str) -> Look {
    let digits = field.strip_prefix(['-', '+']).unwrap_or(field);
    let mut point = None;
    for (at, byte) in digits.bytes().enumerate() {
        match byte {
            b'0'..=b'9' => {}
            b'.' if point.is_none() => point = Some(at),
            _ => return date_or_float(field),
        }
    }
    let whole = point.unwrap_or(digits.len());
    // A leading zero, or a plus, makes a code: 007 is not 7.
    let code = (whole > 1 && digits.starts_with('0')) || field.starts_with('+') || whole == 0;
    match point {
        _ if code || digits.is_empty() => Look::Text,
        None if digits.len() <= 18 || field.parse::<i64>().is_ok() => Look::Integer,
        // Longer numbers are account numbers and the like: nothing is gained by counting with them.
        None => Look::Text,
        Some(at) => match u8::try_from(digits.len() - at - 1) {
            Ok(scale @ 1..=18) if digits.len() <= 36 => Look::Decimal(scale),
            Ok(0) | Err(_) => Look::Text,
            Ok(_) => Look::Float,
        },
    }
}

fn date_or_float(field: &str) -> Look {
    let bytes = field.as_bytes();
    if bytes.len() == 10 && bytes[4] == b'-' && civil::parse_date(field).is_some() {
        return Look::Date;
    }
    if (5..=15).contains(&bytes.len()) && bytes[2] == b':' && civil::parse_time(field).is_some() {
        return Look::Time;
    }
    if bytes.len() >= 16 && civil::parse_moment(field).is_some() {
        return Look::Moment;
    }
    let period = |p| civil::parse_period(p, field).is_some();
    match bytes.len() {
        7 if bytes[4] == b'-' && bytes[5] == b'Q' && period(Period::Quarter) => Look::Quarter,
        8 if bytes[4] == b'-' && bytes[5] == b'W' && period(Period::Week) => Look::Week,
        7 if bytes[4] == b'-' && period(Period::Month) => Look::Month,
        _ => {
            let exponent = bytes.iter().any(|b| matches!(b, b'e' | b'E'));
            let plain =
                bytes.iter().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b'-' | b'+' | b'e' | b'E'));
            let float = exponent && plain && field.parse::<f64>().is_ok_and(f64::is_finite);
            if float { Look::Float } else { Look::Text }
        }
    }
}

/// The guess for a column: what its fields look like together.
#[derive(Clone, Debug, Default)]
pub(crate) struct Guess {
    look: Option<Look>,
    /// How many fields are not empty.
    pub(crate) filled: usize,
    /// The first field that is not empty.
    pub(crate) first: Option<First>,
    /// What the fields looked like before the first one that made the column a text, how many there were, and
    /// where that one stands among the records.
    pub(crate) spoiled: Option<Spoiled>,
    /// The first number with more digits than a decimal that is read keeps.
    pub(crate) rounded: Option<Rounded>,
}

/// A number that is read as a float, since it has too many digits, and where it stands among the records.
#[derive(Clone, Debug)]
pub(crate) struct Rounded {
    pub(crate) record: usize,
    pub(crate) field: String,
}

/// The first field of a column that is not empty, and where it stands among the records.
#[derive(Clone, Debug)]
pub(crate) struct First {
    pub(crate) look: Look,
    pub(crate) record: usize,
    pub(crate) field: String,
}

/// A field that turned a column of numbers or dates into texts.
#[derive(Clone, Debug)]
pub(crate) struct Spoiled {
    pub(crate) before: Look,
    pub(crate) after: usize,
    pub(crate) record: usize,
    pub(crate) field: String,
}

impl Guess {
    /// A guess that goes on from what fields elsewhere look like.
    pub(crate) fn from(look: Option<Look>) -> Self {
        Self { look, ..Self::default() }
    }

    pub(crate) fn look(&self) -> Option<Look> {
        self.look
    }

    /// Takes a field in plain form, which stands as `raw` in the file.
    pub(crate) fn add(&mut self, field: &str, raw: &str, record: usize) {
        self.filled += 1;
        if self.look == Some(Look::Text) && self.first.is_some() {
            return;
        }
        let seen = look(field);
        if seen == Look::Float && self.rounded.is_none() && !field.bytes().any(|b| matches!(b, b'e' | b'E')) {
            self.rounded = Some(Rounded { record, field: raw.chars().take(SHOWN).collect() });
        }
        let start = || raw.chars().take(SHOWN).collect();
        self.first.get_or_insert_with(|| First { look: seen, record, field: start() });
        if self.look == Some(Look::Text) {
            return;
        }
        let joined = match self.look {
            None => seen,
            Some(before) => join(before, seen),
        };
        if joined == Look::Text
            && let Some(before) = self.look
        {
            self.spoiled = Some(Spoiled { before, after: self.filled - 1, record, field: start() });
        }
        self.look = Some(joined);
    }

    /// The type; a column without any value fits anywhere.
    pub(crate) fn ty(&self) -> Type {
        self.look.map_or(Type::Null, type_of)
    }
}

/// How many characters of a field are shown.
const SHOWN: usize = 40;

pub(crate) fn join(a: Look, b: Look) -> Look {
    use Look::{Decimal, Float, Integer};
    match (a, b) {
        (x, y) if x == y => x,
        (Decimal(x), Decimal(y)) => Decimal(x.max(y)),
        (Decimal(x), Integer) | (Integer, Decimal(x)) => Decimal(x),
        (Float, Integer | Decimal(_)) | (Integer | Decimal(_), Float) => Float,
        _ => Look::Text,
    }
}

pub(crate) fn type_of(look: Look) -> Type {
    match look {
        Look::Boolean => Type::Boolean,
        Look::Integer => Type::Integer,
        Look::Decimal(scale) => Type::Decimal(scale),
        Look::Float => Type::Float,
        Look::Date => Type::Date,
        Look::Time => Type::Time,
        Look::Moment => Type::Moment,
        Look::Month => Type::Period(Period::Month),
        Look::Quarter => Type::Period(Period::Quarter),
        Look::Week => Type::Period(Period::Week),
        Look::Text => Type::Text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn looks_are_told_apart() {
        let cases = [
            ("12", Look::Integer),
            ("-3", Look::Integer),
            ("0", Look::Integer),
            ("007", Look::Text),
            ("0.5", Look::Decimal(1)),
            ("12.50", Look::Decimal(2)),
            ("12.", Look::Text),
            ("1e6", Look::Float),
            ("true", Look::Boolean),
            ("2025-03-31", Look::Date),
            ("2025-02-30", Look::Text),
            ("15:04", Look::Time),
            ("2025-03-31T15:04", Look::Moment),
            ("2025-03", Look::Month),
            ("2025-Q1", Look::Quarter),
            ("2025-W10", Look::Week),
            ("inf", Look::Text),
            ("-", Look::Text),
            ("99999999999999999999", Look::Text),
            ("1-2", Look::Text),
        ];
        for (field, want) in cases {
            assert_eq!(look(field), want, "{field}");
        }
    }

    #[test]
    fn a_column_takes_the_type_that_all_its_values_fit() {
        let guess = |fields: &[&str]| {
            let mut guess = Guess::default();
            fields.iter().enumerate().for_each(|(at, f)| guess.add(f, f, at));
            guess
        };
        assert_eq!(guess(&["1", "2.5", "3.25"]).ty(), Type::Decimal(2));
        assert_eq!(guess(&["1", "1e3"]).ty(), Type::Float);
        let spoiled = guess(&["1", "2", "n/a"]);
        assert_eq!(spoiled.ty(), Type::Text);
        assert_eq!(spoiled.spoiled.map(|s| (s.after, s.field)), Some((2, "n/a".to_owned())));
    }
}
