//! The built-in font: Inter, under the SIL Open Font License (`fonts/OFL.txt`). Texts are measured with it, so that a
//! layout does not depend on the fonts of a machine.

use std::sync::OnceLock;

/// The regular weight.
pub(crate) const REGULAR: &[u8] = include_bytes!("../fonts/Inter_400Regular.ttf");
/// The weight of titles.
pub(crate) const BOLD: &[u8] = include_bytes!("../fonts/Inter_600SemiBold.ttf");
/// The regular weight for pages: letters of European languages.
pub(crate) const REGULAR_WEB: &[u8] = include_bytes!("../fonts/inter-latin-400-normal.woff2");
/// The weight of titles for pages.
pub(crate) const BOLD_WEB: &[u8] = include_bytes!("../fonts/inter-latin-600-normal.woff2");

/// What stands for a letter that the font lacks, as wide as most of them are.
const UNKNOWN_WIDTH: f64 = 1.1;

struct Faces {
    regular: Option<ttf_parser::Face<'static>>,
    bold: Option<ttf_parser::Face<'static>>,
}

fn faces() -> &'static Faces {
    static FACES: OnceLock<Faces> = OnceLock::new();
    FACES.get_or_init(|| Faces {
        regular: ttf_parser::Face::parse(REGULAR, 0).ok(),
        bold: ttf_parser::Face::parse(BOLD, 0).ok(),
    })
}

fn letter(face: Option<&ttf_parser::Face<'static>>, c: char) -> f64 {
    let width = face.and_then(|face| {
        let glyph = face.glyph_index(c)?;
        Some(f64::from(face.glyph_hor_advance(glyph)?) / f64::from(face.units_per_em()))
    });
    width.unwrap_or(if c.is_control() { 0.0 } else { UNKNOWN_WIDTH })
}

/// Whether the font has a letter.
pub(crate) fn has(c: char) -> bool {
    faces().regular.as_ref().is_some_and(|f| f.glyph_index(c).is_some())
}

/// The width of a text in pixels. Digits are counted as those of a table, all of one width.
pub(crate) fn width(text: &str, size: f64, bold: bool) -> f64 {
    let face = if bold { faces().bold.as_ref() } else { faces().regular.as_ref() };
    text.chars().map(|c| letter(face, if c.is_ascii_digit() { '0' } else { c })).sum::<f64>() * size
}

/// A text cut to a width, with `…` where something is left out.
pub(crate) fn cut(text: &str, size: f64, bold: bool, most: f64) -> String {
    if width(text, size, bold) <= most {
        return text.to_owned();
    }
    let room = most - width("…", size, bold);
    let mut used = 0.0;
    let face = if bold { faces().bold.as_ref() } else { faces().regular.as_ref() };
    let kept: String = text
        .chars()
        .take_while(|c| {
            used += letter(face, *c) * size;
            used <= room
        })
        .collect();
    format!("{}…", kept.trim_end())
}

/// A text broken into lines of at most a width. A word that is longer than a line is cut.
pub(crate) fn wrap(text: &str, size: f64, bold: bool, most: f64) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        let word = cut(word, size, bold, most);
        match lines.last_mut() {
            Some(line) if width(&format!("{line} {word}"), size, bold) <= most => {
                line.push(' ');
                line.push_str(&word);
            }
            _ => lines.push(word),
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_measured_cut_and_broken() {
        assert!(width("WWW", 12.0, false) > width("iii", 12.0, false));
        assert!((width("111", 12.0, false) - width("888", 12.0, false)).abs() < 1e-9);
        let short = cut("a name that is far too long", 12.0, false, 60.0);
        assert!(short.ends_with('…') && width(&short, 12.0, false) <= 60.0, "{short}");
        assert_eq!(cut("short", 12.0, false, 60.0), "short");
        let lines = wrap("one two three four", 12.0, false, 55.0);
        assert_eq!(lines, ["one two", "three", "four"]);
        assert!(has('€') && !has('🐝'));
    }
}
