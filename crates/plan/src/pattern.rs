//! What is wrong with a CLDR number pattern (Unicode Technical Standard 35, part 3), as far as such patterns are understood here:
//! digits with their separators, a sign of a currency or a per cent, texts around them, and a second part for negative numbers.

/// What is wrong with a number pattern, in words; `None` where it is understood whole.
///
/// # Examples
/// ```
/// use vembra_plan::pattern_fault;
/// assert_eq!(pattern_fault("¤#,##0.00;(¤#,##0.00)"), None);
/// assert_eq!(pattern_fault("'about' 0 EUR"), None);
/// assert_eq!(pattern_fault("0.0.0"), Some("it has two decimal points"));
/// ```
pub fn pattern_fault(pattern: &str) -> Option<&'static str> {
    let Some(parts) = parts(pattern) else { return Some("a quote in it is not closed") };
    if parts.len() > 2 {
        return Some("it has more than two parts: one for numbers, one for those below zero");
    }
    parts.iter().find_map(|part| part_fault(part))
}

/// The parts between semicolons, each a character with whether it stands in quotes; none where a quote is open at the end.
fn parts(pattern: &str) -> Option<Vec<Vec<(char, bool)>>> {
    let mut parts = vec![Vec::new()];
    let mut quoted = false;
    for c in pattern.chars() {
        match c {
            '\'' => quoted = !quoted,
            ';' if !quoted => parts.push(Vec::new()),
            _ => parts.last_mut()?.push((c, quoted)),
        }
    }
    (!quoted).then_some(parts)
}

fn part_fault(part: &[(char, bool)]) -> Option<&'static str> {
    let digit = |(c, quoted): &(char, bool)| !quoted && "#0,.".contains(*c);
    if part.iter().any(|(c, quoted)| !quoted && "‰@*".contains(*c)) {
        return Some("‰, @ and * are not understood; as texts they stand in quotes");
    }
    let number: String =
        part.iter().skip_while(|c| !digit(c)).take_while(|c| digit(c)).map(|(c, _)| *c).collect();
    if number.len() < part.iter().filter(|c| digit(c)).count() {
        return Some("its digits stand in two places; a text with such signs stands in quotes");
    }
    if !number.contains(['0', '#']) {
        return Some("it has no place for digits: # or 0");
    }
    let (whole, fraction) = number.split_once('.').unwrap_or((&number, ""));
    if fraction.contains('.') {
        return Some("it has two decimal points");
    }
    if fraction.contains(',') {
        return Some("a comma stands behind its decimal point");
    }
    if whole.ends_with(',') || whole.starts_with(',') || whole.contains(",,") {
        return Some("a comma in it separates no digits");
    }
    if whole.replace(',', "").contains("0#") || fraction.contains("#0") {
        return Some("a digit that may be missing (#) stands between some that are always shown (0)");
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_that_are_understood_have_no_fault() {
        for pattern in [
            "0",
            "#",
            "#,##0",
            "0.00",
            "#,##0.##",
            "¤#,##0.00",
            "#,##0.00 ¤",
            "0.0%",
            "#0%",
            "'#'0",
            "0 'items'",
            "+0;-0",
            "#,##0;(#,##0)",
            "0 EUR",
            "0 E",
            "-0",
            "0.0#",
            "00000",
            "#,##,##0",
            "'a;b' 0",
            "0' '",
        ] {
            assert_eq!(pattern_fault(pattern), None, "{pattern}");
        }
    }

    #[test]
    fn each_fault_is_told_apart() {
        let cases = [
            ("", "no place for digits"),
            ("EUR", "no place for digits"),
            ("¤", "no place for digits"),
            (".", "no place for digits"),
            ("'0'", "no place for digits"),
            ("0;", "no place for digits"),
            ("0;-0;0", "more than two parts"),
            ("0 'a", "not closed"),
            ("0.0.0", "two decimal points"),
            ("0.0,0", "behind its decimal point"),
            ("#,", "separates no digits"),
            (",0", "separates no digits"),
            ("#,,0", "separates no digits"),
            ("#,.0", "separates no digits"),
            ("0#", "may be missing"),
            ("0,#", "may be missing"),
            ("0.#0", "may be missing"),
            ("0 0", "two places"),
            ("0E0", "two places"),
            ("0 no. 1", "two places"),
            ("0‰", "not understood"),
            ("@@", "not understood"),
            ("* 0", "not understood"),
        ];
        for (pattern, part) in cases {
            let said = pattern_fault(pattern);
            assert!(said.is_some_and(|said| said.contains(part)), "{pattern}: {said:?}");
        }
    }
}
