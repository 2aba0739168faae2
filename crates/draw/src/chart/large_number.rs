//! One figure, with what it is compared with.

use super::{Room, TEXT, nothing};
use crate::font;
use crate::locale::{Locale, Word};
use crate::palette::Paint;
use crate::picture::Picture;
use crate::scene::{Anchor, Scene, Shape, Style};
use vembra_engine::Summary;
use vembra_plan::Scalar;

/// What a number says.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct LargeNumber {
    /// The figure.
    pub(crate) text: String,
    /// What it is; empty where the title says so.
    pub(crate) label: String,
    /// What it is compared with, in a sentence.
    pub(crate) compared: String,
    /// What rules hold.
    pub(crate) meanings: Vec<String>,
}

/// What the number of an answer says; none without a line.
pub(crate) fn large_number(picture: &Picture, summary: &Summary) -> Option<LargeNumber> {
    let drawing = &picture.drawing;
    let line = summary.lines.first()?;
    let figure = (0..drawing.shown).find(|at| Some(*at) != drawing.compared).unwrap_or(0);
    let locale = &picture.locale;
    let label = &summary.measures.get(figure)?.heading.label;
    let compared = drawing.compared.map_or_else(String::new, |with| {
        let other = super::data::value_text(summary, with, line, locale);
        let name = &summary.measures[with].heading.label;
        match change(&line.cells[figure].value, &line.cells[with].value, locale) {
            Some(change) => {
                locale.say(Word::Against, &[("change", &change), ("value", &other), ("figure", name)])
            }
            None => format!("{name}: {other}"),
        }
    });
    let held = drawing.marks.iter().filter(|m| line.cells[m.figure].value.physical() == Some(1));
    Some(LargeNumber {
        text: super::data::value_text(summary, figure, line, locale),
        label: if *label == picture.title { String::new() } else { label.clone() },
        compared,
        meanings: held.map(|m| m.meaning.clone()).collect(),
    })
}

pub(super) fn draw(scene: &mut Scene, picture: &Picture, summary: &Summary, room: Room) {
    let Some(number) = large_number(picture, summary) else {
        nothing(scene, room, &picture.locale.word(Word::NoRows));
        return;
    };
    // The figure is as large as its room allows.
    let size = (room.height * 0.42).min(64.0).min(room.width / font::width(&number.text, 1.0, true).max(1.0));
    let paint = if number.meanings.is_empty() { Paint::Ink } else { Paint::Mark };
    let mut y = room.y + size;
    scene.text((room.x, y), &number.text, f64::MAX, Style::new(size, Anchor::Start, paint).bold());
    let soft = Style::new(TEXT, Anchor::Start, Paint::Soft);
    y += 10.0;
    for text in [&number.label, &number.compared] {
        for line in font::wrap(text, TEXT, false, room.width).iter().take(3) {
            y += 20.0;
            scene.text((room.x, y), line, room.width, soft);
        }
    }
    for meaning in &number.meanings {
        y += 22.0;
        scene.add(Shape::Dot { at: (room.x + 5.0, y - 4.5), radius: 4.5, fill: Paint::Mark });
        scene.text((room.x + 16.0, y), meaning, room.width - 16.0, soft);
    }
    scene.height = scene.height.max(y + 12.0);
    let said = [&number.label, &number.text, &number.compared].map(String::as_str);
    let said: Vec<&str> = said.into_iter().chain(number.meanings.iter().map(String::as_str)).collect();
    scene.description = said.into_iter().filter(|s| !s.is_empty()).collect::<Vec<_>>().join(". ");
}

/// By how much a figure is above or below another, in per cent of it.
fn change(value: &Scalar, other: &Scalar, locale: &Locale) -> Option<String> {
    let (value, other) = (value.to_f64()?, other.to_f64()?);
    if other == 0.0 {
        return None;
    }
    // Divided first: the difference of the largest floats is none.
    let part = (value / other.abs() - other.signum()) * 100.0;
    Some(match part {
        p if !p.is_finite() => return None,
        p if p.abs() < 0.05 => locale.word(Word::TheSame),
        p => {
            let sign = if p < 0.0 { "−" } else { "+" };
            let size = locale.plain(&format!("{:.1}", p.abs()));
            locale.say(Word::Percent, &[("number", &format!("{sign}{size}"))])
        }
    })
}
