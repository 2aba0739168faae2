//! Exact numbers: whole units of a power of ten, in 128 bits. Every operation is checked.

use serde::{Deserialize, Serialize};
use std::cmp::Ordering;
use std::fmt;

/// The most decimals that a type may have.
pub const MAX_SCALE: u8 = 30;

/// `units / 10^scale`.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct Decimal {
    /// The number in units of its last decimal.
    pub units: i128,
    /// How many decimals there are.
    pub scale: u8,
}

/// `10^scale`, or `None` past the range of 128 bits.
pub fn power_of_ten(scale: u8) -> Option<i128> {
    10_i128.checked_pow(u32::from(scale))
}

impl Decimal {
    /// The same number with another count of decimals.
    ///
    /// Widening may overflow (`None`); narrowing rounds halves away from zero.
    pub fn rescale(self, scale: u8) -> Option<Self> {
        let units = match scale.cmp(&self.scale) {
            Ordering::Equal => self.units,
            Ordering::Greater => self.units.checked_mul(power_of_ten(scale - self.scale)?)?,
            Ordering::Less => round_div(self.units, power_of_ten(self.scale - scale)?)?,
        };
        Some(Self { units, scale })
    }

    /// Reads digits with an optional sign and point, such as `-12.50`. `None` when it is no such number or too long.
    pub fn parse(text: &str) -> Option<Self> {
        let (negative, digits) = match text.as_bytes().first()? {
            b'-' => (true, &text[1..]),
            b'+' => (false, &text[1..]),
            _ => (false, text),
        };
        let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
        if whole.is_empty() && fraction.is_empty() {
            return None;
        }
        let scale = u8::try_from(fraction.len()).ok().filter(|s| *s <= MAX_SCALE)?;
        let mut units: i128 = 0;
        for byte in whole.bytes().chain(fraction.bytes()) {
            let digit = byte.is_ascii_digit().then(|| i128::from(byte - b'0'))?;
            units = units.checked_mul(10)?.checked_add(digit)?;
        }
        Some(Self { units: if negative { -units } else { units }, scale })
    }

    /// The nearest binary float.
    pub fn to_f64(self) -> f64 {
        physical_to_f64(self.units, self.scale)
    }
}

/// The nearest float of `units / 10^scale`.
pub fn physical_to_f64(units: i128, scale: u8) -> f64 {
    if scale == 0 { units as f64 } else { units as f64 / 10_f64.powi(i32::from(scale)) }
}

/// Division that rounds halves away from zero; `None` for a zero divisor.
pub fn round_div(units: i128, divisor: i128) -> Option<i128> {
    let quotient = units.checked_div(divisor)?;
    let rest = units.checked_rem(divisor)?;
    if rest.unsigned_abs() >= divisor.unsigned_abs() - rest.unsigned_abs() {
        quotient.checked_add(if (units < 0) == (divisor < 0) { 1 } else { -1 })
    } else {
        Some(quotient)
    }
}

impl Ord for Decimal {
    fn cmp(&self, other: &Self) -> Ordering {
        if self.scale == other.scale {
            return self.units.cmp(&other.units);
        }
        let scale = self.scale.max(other.scale);
        match (self.rescale(scale), other.rescale(scale)) {
            (Some(a), Some(b)) => a.units.cmp(&b.units),
            // A number that cannot be widened is larger in size than any that can.
            (None, _) => self.units.cmp(&0),
            (_, None) => 0.cmp(&other.units),
        }
    }
}

impl PartialOrd for Decimal {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Decimal {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Decimal {}

impl fmt::Display for Decimal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let sign = if self.units < 0 { "-" } else { "" };
        let digits = self.units.unsigned_abs().to_string();
        let scale = usize::from(self.scale);
        if scale == 0 {
            return write!(f, "{sign}{digits}");
        }
        let padded = format!("{digits:0>width$}", width = scale + 1);
        let (whole, fraction) = padded.split_at(padded.len() - scale);
        write!(f, "{sign}{whole}.{fraction}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reads_and_prints_exactly() {
        for text in ["0", "12.50", "-0.05", "99999999999999999999.01"] {
            assert_eq!(Decimal::parse(text).unwrap().to_string(), text);
        }
        for text in ["", ".", "1e5", "1,5", "--1", "12.5.0"] {
            assert!(Decimal::parse(text).is_none(), "{text}");
        }
    }

    #[test]
    fn rounds_halves_away_from_zero() {
        for (units, divisor, want) in [(5, 10, 1), (-5, 10, -1), (4, 10, 0), (15, 10, 2), (-14, 10, -1)] {
            assert_eq!(round_div(units, divisor), Some(want));
        }
    }

    #[test]
    fn compares_across_scales() {
        let a = Decimal::parse("1.50").unwrap();
        assert_eq!(a, Decimal::parse("1.5").unwrap());
        assert!(a < Decimal::parse("1.500001").unwrap());
    }
}
