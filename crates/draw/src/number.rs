//! Values by CLDR number patterns (Unicode Technical Standard 35, part 3): `¤#,##0.00`, `0.0%`, `#,##0;(#,##0)`.

use crate::locale::{Locale, Word};
use vembra_plan::{Decimal, Scalar, currency_sign, decimal::power_of_ten};

/// The parts of one pattern.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Pattern {
    prefix: String,
    suffix: String,
    least_whole: usize,
    least_fraction: usize,
    most_fraction: usize,
    /// Digits between separators; none if it is zero.
    group: usize,
    percent: bool,
    /// Whether the sign of a currency stands beside it.
    amount: bool,
}

/// A value as text in English: see [`Locale::value`]. `currency` is the ISO 4217 code that `¤` stands for.
///
/// # Examples
/// ```
/// use vembra_draw::format_value;
/// use vembra_plan::Scalar;
/// assert_eq!(format_value(&Scalar::Integer(-1234567), Some("¤#,##0"), Some("EUR")), "-€1,234,567");
/// assert_eq!(format_value(&Scalar::Float(0.1234), Some("0.0%"), None), "12.3%");
/// ```
pub fn format_value(value: &Scalar, pattern: Option<&str>, currency: Option<&str>) -> String {
    Locale::default().with_currency(currency).value(value, pattern)
}

impl Locale {
    /// A value as text: numbers by the pattern if there is one, months and weekdays by their names, all else as the language of
    /// models writes it. Halves are rounded away from zero. Null is empty.
    pub fn value(&self, value: &Scalar, pattern: Option<&str>) -> String {
        match (value, pattern) {
            (Scalar::Integer(_) | Scalar::Decimal(_) | Scalar::Float(_), Some(pattern)) => {
                by_pattern(self, value, pattern)
            }
            (Scalar::Float(x), None) => self.plain(&plain_float(*x)),
            (Scalar::Integer(_) | Scalar::Decimal(_), None) => self.plain(&value.to_string()),
            _ => self.named(value).unwrap_or_else(|| value.to_string()),
        }
    }

    /// Digits with a point, as the locale has them.
    pub(crate) fn plain(&self, text: &str) -> String {
        let numbers = self.numbers();
        let text = match text.strip_prefix('-') {
            Some(size) => numbers.minus.clone() + size,
            None => text.to_owned(),
        };
        text.replace('.', &numbers.decimal)
    }
}

/// Two decimals; three digits where there would be nothing to see.
fn plain_float(x: f64) -> String {
    let size = x.abs();
    if size == 0.0 || size >= 0.01 {
        format!("{x:.2}")
    } else if size >= 1e-9 {
        format!("{x:.*}", (2.0 - size.log10().floor()) as usize)
    } else {
        format!("{x:.2e}")
    }
}

fn by_pattern(locale: &Locale, value: &Scalar, pattern: &str) -> String {
    let (positive, negative) = split(pattern);
    let parsed = parse(&positive, locale);
    let negative_value = match value {
        Scalar::Float(x) => *x < 0.0,
        other => other.to_decimal().is_some_and(|d| d.units < 0),
    };
    let (digits, zero) = digits(locale, value, &parsed);
    let minus = &locale.numbers().minus;
    let is_negative = negative_value && !zero;
    match negative.filter(|_| is_negative) {
        Some(negative) => {
            let sides = parse(&negative, locale);
            format!("{}{digits}{}", sides.prefix, sides.suffix)
        }
        None => {
            let sign = if is_negative { minus.as_str() } else { "" };
            match parsed.placed(locale, &format!("{sign}{digits}")) {
                Some(placed) => placed,
                None => format!("{sign}{}{digits}{}", parsed.prefix, parsed.suffix),
            }
        }
    }
}

impl Pattern {
    /// A number whose pattern has nothing but the sign of a currency or of per cent beside it, as the language places these.
    fn placed(&self, locale: &Locale, number: &str) -> Option<String> {
        if !locale.places_signs() {
            return None;
        }
        let beside = format!("{}{}", self.prefix, self.suffix);
        let sign = beside.trim();
        if sign == "%" {
            return Some(locale.say(Word::Percent, &[("number", number)]));
        }
        let currency = currency_sign(locale.currency());
        (self.amount && sign == currency)
            .then(|| locale.say(Word::Amount, &[("number", number), ("sign", sign)]))
    }
}

/// The pattern of positive numbers and, behind a `;`, that of negative ones.
fn split(pattern: &str) -> (String, Option<String>) {
    let mut quoted = false;
    for (at, c) in pattern.char_indices() {
        match c {
            '\'' => quoted = !quoted,
            ';' if !quoted => return (pattern[..at].to_owned(), Some(pattern[at + 1..].to_owned())),
            _ => {}
        }
    }
    (pattern.to_owned(), None)
}

fn parse(pattern: &str, locale: &Locale) -> Pattern {
    let mut parsed = Pattern::default();
    let (mut number, mut quoted) = (String::new(), false);
    for c in pattern.chars() {
        if c == '\'' {
            quoted = !quoted;
        } else if !quoted && "#0,.".contains(c) {
            number.push(c);
        } else {
            let side = if number.is_empty() { &mut parsed.prefix } else { &mut parsed.suffix };
            match c {
                '¤' if !quoted => {
                    side.push_str(&symbol(locale.currency()));
                    parsed.amount = true;
                }
                _ => {
                    parsed.percent |= c == '%' && !quoted;
                    side.push(c);
                }
            }
        }
    }
    let (whole, fraction) = number.split_once('.').unwrap_or((&number, ""));
    parsed.group = whole.rsplit_once(',').map_or(0, |(_, last)| last.len());
    parsed.least_whole = whole.matches('0').count();
    parsed.least_fraction = fraction.matches('0').count();
    parsed.most_fraction = fraction.chars().filter(|c| "0#".contains(*c)).count();
    parsed
}

/// A sign stands next to the number, a code a blank away.
fn symbol(currency: Option<&str>) -> String {
    let sign = currency_sign(currency);
    if currency == Some(sign) { format!("{sign}\u{a0}") } else { sign.to_owned() }
}

/// A whole number as English texts write it.
///
/// # Examples
/// ```
/// assert_eq!(vembra_draw::grouped(1234567), "1,234,567");
/// ```
pub fn grouped(count: usize) -> String {
    Locale::default().count(count)
}

/// The digits of a number without its sign, and whether all of them are zero.
fn digits(locale: &Locale, value: &Scalar, pattern: &Pattern) -> (String, bool) {
    let plain = match value {
        Scalar::Float(x) => {
            let x = if pattern.percent { x * 100.0 } else { *x };
            format!("{:.*}", pattern.most_fraction, x.abs())
        }
        other => exact_digits(other.to_decimal(), pattern).unwrap_or_else(|| value.to_string()),
    };
    let zero = plain.bytes().all(|b| !b.is_ascii_digit() || b == b'0');
    let (whole, fraction) = plain.split_once('.').unwrap_or((&plain, ""));
    let kept = fraction.trim_end_matches('0').len().max(pattern.least_fraction).min(fraction.len());
    let numbers = locale.numbers();
    let mut text = in_groups(locale, whole, pattern);
    if kept > 0 {
        text.push_str(&numbers.decimal);
        text.push_str(&fraction[..kept]);
    }
    (text, zero)
}

fn exact_digits(value: Option<Decimal>, pattern: &Pattern) -> Option<String> {
    let mut value = value?;
    if pattern.percent {
        value.units = value.units.checked_mul(power_of_ten(2)?)?;
    }
    let scale = u8::try_from(pattern.most_fraction).ok()?;
    let rounded = value.rescale(scale)?;
    Some(rounded.to_string().trim_start_matches('-').to_owned())
}

fn in_groups(locale: &Locale, whole: &str, pattern: &Pattern) -> String {
    let mut padded = format!("{whole:0>width$}", width = pattern.least_whole);
    if pattern.least_whole == 0 && padded == "0" {
        padded.clear();
    }
    match pattern.group {
        0 => padded,
        size => locale.numbers().in_groups(&padded, size),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_shape_numbers() {
        let money = Scalar::Decimal(Decimal::parse("-1234.565").unwrap());
        let cases = [
            (money.clone(), "#,##0.00", "-1,234.57"),
            (money.clone(), "#,##0.00;(#,##0.00)", "(1,234.57)"),
            (money.clone(), "#,##0.## ¤", "-1,234.57 €"),
            (money, "0", "-1235"),
            (Scalar::Integer(7), "000", "007"),
            (Scalar::Integer(0), "#,##0.00", "0.00"),
            (Scalar::Decimal(Decimal::parse("0.125").unwrap()), "0.0%", "12.5%"),
            (Scalar::Float(-0.001), "0.0", "0.0"),
            (Scalar::Integer(5), "0 'pcs'", "5 pcs"),
        ];
        for (value, pattern, want) in cases {
            assert_eq!(format_value(&value, Some(pattern), Some("EUR")), want, "{pattern}");
        }
        assert_eq!(format_value(&Scalar::Null, Some("0"), None), "");
        let plain = [1234.5, 0.0, 0.001_645, -2e-12].map(|x| format_value(&Scalar::Float(x), None, None));
        assert_eq!(plain.join(" "), "1234.50 0.00 0.00164 -2.00e-12");
        assert_eq!(format_value(&Scalar::Integer(5), Some("¤0"), Some("SEK")), "SEK\u{a0}5");
    }
}
