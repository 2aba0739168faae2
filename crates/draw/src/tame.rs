//! Texts that do no more than stand there: characters that would move a cursor, change colours or turn the direction of what
//! follows are shown as a mark.

/// What stands for a character that is not shown.
const MARK: char = '\u{fffd}';

/// Whether a character acts on what is shown around it: control characters, line and paragraph separators, and those that set the
/// direction of writing.
pub(crate) fn acts(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

/// A text on one line of which no character acts.
pub(crate) fn tame(text: &str) -> String {
    text.chars().map(|c| if acts(c) { MARK } else { c }).collect()
}

/// A text of several lines, of which no character but line breaks and tabs acts.
///
/// # Examples
/// ```
/// assert_eq!(vembra_draw::tame_lines("a\u{1b}[31m\nb\u{202e}"), "a\u{fffd}[31m\nb\u{fffd}");
/// ```
pub fn tame_lines(text: &str) -> String {
    text.chars().map(|c| if acts(c) && !matches!(c, '\n' | '\t') { MARK } else { c }).collect()
}
