//! Numbers by their formats, against digits that are put together here one by one.
#![allow(clippy::unwrap_used)] // Tests stop at the first fault.

use vembra_draw::{format_value, grouped};
use vembra_plan::{Decimal, Scalar, currency_sign, pattern_fault};
use vembra_testing::Random;

/// What a pattern says, as it is made.
struct Made {
    grouped: bool,
    least_whole: usize,
    least: usize,
    most: usize,
    percent: bool,
    prefix: &'static str,
    suffix: &'static str,
}

impl Made {
    fn any(random: &mut Random) -> Self {
        let least = random.below(4) as usize;
        let percent = random.below(4) == 0;
        Self {
            grouped: random.below(2) == 0,
            least_whole: random.below(3) as usize,
            least,
            most: least + random.below(3) as usize,
            percent,
            prefix: ["", "¤", "about ", "'#'"][random.below(4) as usize],
            suffix: if percent { "%" } else { ["", " ¤", " items", "' no. 1'"][random.below(4) as usize] },
        }
    }

    fn pattern(&self) -> String {
        let zeros = "0".repeat(self.least_whole);
        let whole = match (self.grouped, self.least_whole) {
            (true, 0) => "#,###".to_owned(),
            (true, n) => format!("#,{}{zeros}", "#".repeat(3_usize.saturating_sub(n))),
            (false, 0) => "#".to_owned(),
            (false, _) => zeros,
        };
        let fraction = format!("{}{}", "0".repeat(self.least), "#".repeat(self.most - self.least));
        let point = if fraction.is_empty() { "" } else { "." };
        format!("{}{whole}{point}{fraction}{}", self.prefix, self.suffix)
    }

    /// What a number of units of a power of ten looks like by it.
    fn shown(&self, units: i128, scale: u32) -> String {
        let units = if self.percent { units * 100 } else { units };
        // Digits behind the last one that is shown: half of it goes away from zero.
        let (size, drop) = (units.unsigned_abs(), scale.saturating_sub(self.most as u32));
        let unit = 10_u128.pow(drop);
        let kept = (size + unit / 2 * u128::from(drop > 0)) / unit;
        let shown_scale = (scale - drop) as usize;
        let digits = format!("{kept:0>width$}", width = shown_scale + 1);
        let (whole, fraction) = digits.split_at(digits.len() - shown_scale);
        let mut fraction = fraction.to_owned();
        while fraction.len() > self.least && fraction.ends_with('0') {
            fraction.pop();
        }
        while fraction.len() < self.least {
            fraction.push('0');
        }
        let mut whole = whole.to_owned();
        while whole.len() < self.least_whole {
            whole.insert(0, '0');
        }
        if self.least_whole == 0 && whole == "0" {
            whole.clear();
        }
        if self.grouped {
            let mut at = whole.len();
            while at > 3 {
                at -= 3;
                whole.insert(at, ',');
            }
        }
        let point = if fraction.is_empty() { "" } else { "." };
        let zero = kept == 0;
        let sign = if units < 0 && !zero { "-" } else { "" };
        let text = |part: &str| part.replace('¤', "€").replace('\'', "");
        format!("{sign}{}{whole}{point}{fraction}{}", text(self.prefix), text(self.suffix))
    }
}

#[test]
fn exact_numbers_look_as_their_pattern_says() {
    let mut random = Random(5);
    for _ in 0..20_000 {
        let made = Made::any(&mut random);
        let pattern = made.pattern();
        assert_eq!(pattern_fault(&pattern), None, "{pattern}");
        let scale = random.below(6) as u8;
        let size = 10_u64.pow(random.below(13) as u32);
        let units = random.below(size) as i128 * if random.below(3) == 0 { -1 } else { 1 };
        let value = Scalar::Decimal(Decimal { units, scale });
        let shown = format_value(&value, Some(&pattern), Some("EUR"));
        assert_eq!(shown, made.shown(units, scale.into()), "{value} by {pattern}");
    }
}

#[test]
fn whole_numbers_and_floats_look_like_the_decimal_of_their_value() {
    let mut random = Random(6);
    for _ in 0..3_000 {
        let made = Made::any(&mut random);
        let pattern = made.pattern();
        let whole = random.below(1_000_000) as i64 - 500_000;
        let show = |value: Scalar| format_value(&value, Some(&pattern), Some("EUR"));
        assert_eq!(show(Scalar::Integer(whole)), made.shown(whole.into(), 0), "{whole} by {pattern}");
        // Quarters are exact in both.
        let quarters = Decimal { units: i128::from(whole) * 25, scale: 2 };
        if made.most >= 2 || made.percent {
            assert_eq!(
                show(Scalar::Float(whole as f64 / 4.0)),
                show(Scalar::Decimal(quarters)),
                "{quarters} by {pattern}"
            );
        }
    }
}

#[test]
fn by_hand() {
    let decimal = |text: &str| Scalar::Decimal(Decimal::parse(text).unwrap());
    for (value, pattern, currency, want) in [
        (decimal("1234.5"), "#,##0.00", None, "1,234.50"),
        (decimal("-1234.5"), "¤#,##0", Some("EUR"), "-€1,235"),
        (decimal("-1234.5"), "¤#,##0;(¤#,##0)", Some("USD"), "($1,235)"),
        (decimal("-0.4"), "0", None, "0"),
        (decimal("-0.5"), "0", None, "-1"),
        (decimal("0.125"), "0.0%", None, "12.5%"),
        (decimal("0.1255"), "0.0%", None, "12.6%"),
        (decimal("0.5"), "#.##", None, ".5"),
        (decimal("7"), "000", None, "007"),
        (decimal("1234567"), "#,##0 ¤", Some("SEK"), "1,234,567 SEK\u{a0}"),
        (decimal("5"), "+0;-0", None, "+5"),
        (decimal("-5"), "+0;-0", None, "-5"),
        (decimal("12"), "0 'pcs; each'", None, "12 pcs; each"),
        (Scalar::Float(1e15), "#,##0", None, "1,000,000,000,000,000"),
        (Scalar::text("plain"), "0.0", None, "plain"),
        (Scalar::Boolean(true), "0.0", None, "true"),
        (Scalar::Null, "0.0", None, ""),
    ] {
        assert_eq!(format_value(&value, Some(pattern), currency), want, "{value} by {pattern}");
    }
}

#[test]
fn floats_without_a_format_have_digits_where_there_is_something_to_see() {
    for (value, want) in [
        (0.0, "0.00"),
        (1.0, "1.00"),
        (-1.005, "-1.00"),
        (1234.567, "1234.57"),
        (0.012_34, "0.01"),
        (0.001_234, "0.00123"),
        (-0.000_012_345, "-0.0000123"),
        (1.5e-12, "1.50e-12"),
        (2e20, "200000000000000000000.00"),
    ] {
        assert_eq!(format_value(&Scalar::Float(value), None, None), want, "{value}");
    }
}

#[test]
fn counts_and_currencies() {
    for (count, want) in [(0, "0"), (999, "999"), (1_000, "1,000"), (1_234_567, "1,234,567")] {
        assert_eq!(grouped(count), want);
    }
    for (code, sign) in [
        (Some("EUR"), "€"),
        (Some("USD"), "$"),
        (Some("GBP"), "£"),
        (Some("JPY"), "¥"),
        (Some("CHF"), "CHF"),
        (None, "¤"),
    ] {
        assert_eq!(currency_sign(code), sign);
    }
}
