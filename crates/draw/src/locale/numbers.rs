//! The signs of numbers of a locale, from the data of the Unicode Common Locale Data Repository.

use icu_decimal::DecimalFormatter;
use icu_decimal::input::Decimal;
use icu_decimal::options::DecimalFormatterOptions;
use icu_locale_core::Locale;
use icu_locale_core::extensions::unicode::{key, value};

/// The signs of numbers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Numbers {
    /// Between whole digits and decimals.
    pub(crate) decimal: String,
    /// Between groups of digits.
    pub(crate) group: String,
    /// Before negative numbers.
    pub(crate) minus: String,
    /// The digits of the last group and of those before it.
    sizes: (usize, usize),
    /// The least digits before the first sign between groups.
    least: usize,
}

impl Numbers {
    pub(crate) fn english() -> Self {
        Self { decimal: ".".into(), group: ",".into(), minus: "-".into(), sizes: (3, 3), least: 1 }
    }

    /// Those of a locale, read off numbers that it writes; English ones where there are no data.
    pub(super) fn of(locale: &Locale) -> Self {
        let mut locale = locale.clone();
        // The letters of pictures have no other digits than 0 to 9.
        locale.extensions.unicode.keywords.set(key!("nu"), value!("latn"));
        let formatter = DecimalFormatter::try_new((&locale).into(), DecimalFormatterOptions::default());
        let Ok(formatter) = formatter else { return Self::english() };
        let write = |number: &str| {
            number.parse::<Decimal>().map_or_else(|_| number.to_owned(), |n| formatter.format(&n).to_string())
        };
        let mut numbers = Self::english();
        let between = |text: &str| -> Vec<String> {
            let signs = text.split(|c: char| c.is_ascii_digit()).filter(|part| !part.is_empty());
            signs.map(str::to_owned).collect()
        };
        write("-1").split('1').next().unwrap_or("-").clone_into(&mut numbers.minus);
        numbers.decimal = between(&write("1.1")).first().cloned().unwrap_or_default();
        let long = write("1111111111");
        numbers.group = between(&long).first().cloned().unwrap_or_default();
        let groups: Vec<usize> = if numbers.group.is_empty() {
            Vec::new()
        } else {
            long.split(&numbers.group).map(|group| group.chars().count()).collect()
        };
        numbers.sizes = match groups.as_slice() {
            [.., before, last] => (*last, *before),
            _ => (0, 0),
        };
        numbers.least = if between(&write("1111")).is_empty() { 2 } else { 1 };
        numbers
    }

    /// Whole digits in groups; where a pattern has a size of its own, that counts.
    pub(crate) fn in_groups(&self, whole: &str, size: usize) -> String {
        let (last, before) = if size == 3 { self.sizes } else { (size, size) };
        if last == 0 || whole.len() < last + self.least {
            return whole.to_owned();
        }
        let is_edge = |left: usize| left >= last && (left - last).is_multiple_of(before.max(1));
        let mut text = String::new();
        for (at, digit) in whole.chars().enumerate() {
            if at > 0 && is_edge(whole.len() - at) {
                text.push_str(&self.group);
            }
            text.push(digit);
        }
        text
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn numbers(tag: &str) -> Numbers {
        Numbers::of(&tag.parse().unwrap())
    }

    #[test]
    fn english_is_as_the_data_have_it() {
        assert_eq!(numbers("en"), Numbers::english());
    }

    /// As the Common Locale Data Repository has them.
    #[test]
    fn groups_follow_the_locale() {
        let cases = [
            ("de-DE", "1.234", "1.234.567"),
            ("fr-FR", "1\u{202f}234", "1\u{202f}234\u{202f}567"),
            // Four digits stand together.
            ("es-ES", "1234", "1.234.567"),
            ("pl-PL", "1234", "1\u{a0}234\u{a0}567"),
            ("hi-IN", "1,234", "12,34,567"),
            ("ar-EG", "1,234", "1,234,567"),
        ];
        for (tag, short, long) in cases {
            let numbers = numbers(tag);
            assert_eq!(
                (numbers.in_groups("1234", 3), numbers.in_groups("1234567", 3)),
                (short.into(), long.into()),
                "{tag}"
            );
        }
        assert_eq!(numbers("de").decimal, ",");
        assert_eq!(numbers("sv").minus, "\u{2212}");
    }
}
