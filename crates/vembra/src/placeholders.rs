//! `:name` in titles: where a parameter's value goes.

use std::ops::Range;

/// Where names stand in a text, colon included. A name goes as far as letters, digits and underscores do: `:year` is not in
/// `:year_from`.
pub(crate) fn places(text: &str) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    for (at, _) in text.match_indices(':') {
        let rest = &text[at + 1..];
        let end = rest.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(rest.len());
        if rest.starts_with(|c: char| c.is_alphabetic() || c == '_') {
            found.push(at..at + 1 + end);
        }
    }
    found
}

/// Whether a text names this parameter.
pub(crate) fn names(text: &str, param: &str) -> bool {
    places(text).into_iter().any(|span| &text[span.start + 1..span.end] == param)
}

/// The text with values in the places of names; what has no value stays as it is, and values are not looked into again.
pub(crate) fn fill(text: &str, value: impl Fn(&str) -> Option<String>) -> String {
    let mut out = String::new();
    let mut from = 0;
    for span in places(text) {
        out.push_str(&text[from..span.start]);
        match value(&text[span.start + 1..span.end]) {
            Some(value) => out.push_str(&value),
            None => out.push_str(&text[span.clone()]),
        }
        from = span.end;
    }
    out + &text[from..]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_a_whole_word() {
        assert!(names("Sales in :year", "year"));
        assert!(!names("Sales from :year_from", "year"));
        assert!(!names("Sales in year, at 12:30", "year"));
        assert!(names("Größe :größe.", "größe"));
    }

    #[test]
    fn values_are_filled_in_once() {
        let value = |name: &str| match name {
            "a" => Some(":b".to_owned()),
            "b" => Some("two".to_owned()),
            _ => None,
        };
        assert_eq!(fill(":a and :b, :c, :ab", value), ":b and two, :c, :ab");
        assert_eq!(fill("plain", value), "plain");
    }
}
