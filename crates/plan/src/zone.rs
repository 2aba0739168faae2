//! Time zones: instants as they are read on the clocks of a place.

use crate::civil::{MICROS_PER_DAY, parse_date, parse_moment};
use chrono::{DateTime, Offset, TimeZone};
use std::str::FromStr;

/// The clocks of a place, by its name in the time zone database of IANA, such as `Europe/Berlin`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Zone(chrono_tz::Tz);

impl Default for Zone {
    fn default() -> Self {
        Self(chrono_tz::Tz::UTC)
    }
}

impl Zone {
    /// The zone of a name.
    ///
    /// # Examples
    /// ```
    /// let berlin = vembra_plan::Zone::named("Europe/Berlin").unwrap();
    /// // Midnight in Greenwich, in summer.
    /// let utc = vembra_plan::civil::parse_moment("2025-07-01 00:00").unwrap();
    /// assert_eq!(vembra_plan::civil::format_moment(berlin.local(utc).unwrap()), "2025-07-01 02:00");
    /// ```
    pub fn named(name: &str) -> Option<Self> {
        chrono_tz::Tz::from_str(name).ok().map(Self)
    }

    /// All names.
    pub fn names() -> impl Iterator<Item = &'static str> {
        chrono_tz::TZ_VARIANTS.iter().map(|zone| zone.name())
    }

    /// What the clocks show at an instant; both in microseconds since 1970, the instant in UTC. Where clocks are put back, two instants an hour
    /// apart show the same.
    pub fn local(self, utc: i64) -> Option<i64> {
        let instant = DateTime::from_timestamp_micros(utc)?;
        let offset = self.0.offset_from_utc_datetime(&instant.naive_utc());
        utc.checked_add(i64::from(offset.fix().local_minus_utc()) * 1_000_000)
    }

    /// Whether it is that of UTC.
    pub fn is_utc(self) -> bool {
        self == Self::default()
    }
}

/// Reads a moment with an offset, `2025-03-31T15:04:05+02:00` or `2025-03-31 15:04Z`, as microseconds since 1970 in UTC.
pub fn parse_instant(text: &str) -> Option<i64> {
    let bytes = text.as_bytes();
    if bytes.len() < 17 || bytes[4] != b'-' || !text.is_ascii() {
        return None;
    }
    let (plain, minutes) = match bytes[bytes.len() - 1] {
        b'Z' | b'z' => (&text[..text.len() - 1], 0),
        _ => {
            let at = 16 + text[16..].rfind(['+', '-'])?;
            (&text[..at], offset(&text[at..])?)
        }
    };
    parse_date(&plain[..10])?;
    parse_moment(plain.trim_end())?.checked_sub(minutes * (MICROS_PER_DAY / 1_440))
}

/// The minutes of `+02:00`, `-0330` or `+02`.
fn offset(text: &str) -> Option<i64> {
    let sign = if text.starts_with('-') { -1 } else { 1 };
    let digits = text[1..].replace(':', "");
    let two = |part: &str| part.parse::<i64>().ok().filter(|_| part.bytes().all(|b| b.is_ascii_digit()));
    let (hours, minutes) = match digits.len() {
        2 => (two(&digits)?, 0),
        4 => (two(&digits[..2])?, two(&digits[2..])?),
        _ => return None,
    };
    (hours < 19 && minutes < 60).then_some(sign * (hours * 60 + minutes))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::civil::format_moment;

    fn shown(text: &str, zone: &str) -> String {
        let zone = Zone::named(zone).unwrap();
        parse_instant(text).and_then(|utc| zone.local(utc)).map_or("none".to_owned(), format_moment)
    }

    #[test]
    fn instants_are_shown_by_the_clocks_of_a_place() {
        for (text, zone, wanted) in [
            ("2025-03-31T15:04:05Z", "UTC", "2025-03-31 15:04:05"),
            ("2025-03-31T15:04:05+02:00", "UTC", "2025-03-31 13:04:05"),
            ("2025-03-31T15:04:05+02:00", "Europe/Berlin", "2025-03-31 15:04:05"),
            // Clocks go forward on 30 March 2025 at 1:00 UTC, and back on 26 October.
            ("2025-03-30 00:59Z", "Europe/Berlin", "2025-03-30 01:59"),
            ("2025-03-30 01:00Z", "Europe/Berlin", "2025-03-30 03:00"),
            ("2025-10-26T00:30:00.25Z", "Europe/Berlin", "2025-10-26 02:30:00.25"),
            ("2025-10-26T01:30:00.25Z", "Europe/Berlin", "2025-10-26 02:30:00.25"),
            ("2025-01-01T00:10-0330", "Asia/Kathmandu", "2025-01-01 09:25"),
            ("2025-01-01 02:00:00+05", "America/New_York", "2024-12-31 16:00"),
        ] {
            assert_eq!(shown(text, zone), wanted, "{text} in {zone}");
        }
    }

    #[test]
    fn what_is_no_instant_is_none() {
        for text in [
            "2025-03-31T15:04:05",
            "2025-03-31",
            "2025-03-31T15:04+2",
            "2025-03-31T15:04+99:00",
            "2025-13-31T15:04Z",
            "x",
            "",
        ] {
            assert_eq!(parse_instant(text), None, "{text}");
        }
        assert_eq!(Zone::named("Europe/Berln"), None);
    }
}
