//! What colours, shades, sizes and marks mean.

use super::data::Data;
use super::shades::Shades;
use super::{Room, SMALL};
use crate::font;
use crate::locale::Word;
use crate::palette::Paint;
use crate::scene::{Anchor, Scene, Shape, Style};
use vembra_plan::drawing::{Drawing, Form};

const ROW: f64 = 20.0;
/// More rows of names would leave no room for the picture.
const MOST_ROWS: usize = 3;

/// Where the next entry stands.
struct Pen {
    x: f64,
    row: usize,
}

pub(super) fn draw(scene: &mut Scene, drawing: &Drawing, data: &Data, room: &mut Room) {
    let mut pen = Pen { x: room.x, row: 0 };
    let shaded = data.shade.is_some();
    if data.series.len() > 1 && !shaded {
        names(scene, drawing, data, *room, &mut pen);
    }
    if shaded {
        ramp(scene, data, *room, &mut pen);
    }
    if let Some(figure) = &data.size {
        let most = data.points.iter().filter_map(|p| p.size).fold(f64::NEG_INFINITY, f64::max);
        if most.is_finite() {
            let gaps = [("figure", figure.label.as_str()), ("most", &figure.text(most))];
            let text = figure.locale.say(Word::LargestSize, &gaps);
            note(scene, *room, &mut pen, &text);
        }
    }
    for meaning in &data.meanings {
        let width = 16.0 + font::width(meaning, SMALL, false);
        let at = place(&mut pen, *room, width);
        scene.add(Shape::Dot { at: (at.0 + 5.0, at.1 - 4.0), radius: 4.0, fill: Paint::Mark });
        scene.text((at.0 + 14.0, at.1), meaning, room.width, Style::new(SMALL, Anchor::Start, Paint::Soft));
    }
    if pen.x > room.x || pen.row > 0 {
        let used = (pen.row + 1) as f64 * ROW + 8.0;
        room.y += used;
        room.height -= used;
    }
}

/// The place of an entry, on the next row if this one is full.
fn place(pen: &mut Pen, room: Room, width: f64) -> (f64, f64) {
    if pen.x > room.x && pen.x + width > room.x + room.width {
        pen.x = room.x;
        pen.row += 1;
    }
    let at = (pen.x, room.y + pen.row as f64 * ROW + 12.0);
    pen.x += width + 18.0;
    at
}

fn names(scene: &mut Scene, drawing: &Drawing, data: &Data, room: Room, pen: &mut Pen) {
    let style = Style::new(SMALL, Anchor::Start, Paint::Ink);
    for (nth, series) in data.series.iter().enumerate() {
        let width = 18.0 + font::width(&series.name, SMALL, false).min(220.0);
        let last_row = pen.row + 1 == MOST_ROWS && pen.x + width + 110.0 > room.x + room.width;
        if last_row && nth + 1 < data.series.len() {
            let text = data.figure.locale.counted(Word::AndMore, data.series.len() - nth, &[]);
            note(scene, room, pen, &text);
            return;
        }
        let (x, y) = place(pen, room, width);
        if drawing.form == Form::Line {
            let points = vec![(x, y - 4.0), (x + 13.0, y - 4.0)];
            let dashed = matches!(series.paint, Paint::Pale(_));
            scene.add(Shape::Path { points, stroke: Some(series.paint), width: 3.0, dashed, fill: None });
        } else {
            scene.rect([x, y - 10.0, 12.0, 12.0], series.paint);
        }
        scene.text((x + 18.0, y), &series.name, 220.0, style);
    }
}

fn note(scene: &mut Scene, room: Room, pen: &mut Pen, text: &str) {
    let at = place(pen, room, font::width(text, SMALL, false));
    scene.text(at, text, room.width, Style::new(SMALL, Anchor::Start, Paint::Soft));
}

/// The shades from the least to the largest figure.
fn ramp(scene: &mut Scene, data: &Data, room: Room, pen: &mut Pen) {
    let Some(figure) = &data.shade else { return };
    let shades = Shades::of(data);
    let steps = shades.steps();
    let wide = steps.len() as f64;
    let end = |value: f64, is_cut: bool, sign: f64| {
        let text = figure.text(value);
        let cut = figure.text(sign * shades.most);
        if is_cut { figure.locale.say(Word::AndBeyond, &[("cut", &cut), ("most", &text)]) } else { text }
    };
    let (low, high) = shades.cut_ends();
    let ends = [end(shades.ends.0, low, -1.0), end(shades.ends.1, high, 1.0)];
    let label = format!("{}: {}", figure.label, ends[0]);
    let style = Style::new(SMALL, Anchor::Start, Paint::Soft);
    let behind = 8.0 + font::width(&ends[1], SMALL, false);
    let mut before = font::width(&label, SMALL, false) + 8.0;
    let mut cell = 14.0;
    // A narrow picture has the shades on a row of their own, and narrower ones if need be.
    let apart = before + cell * wide + behind > room.width;
    if apart {
        note(scene, room, pen, &label);
        before = 0.0;
        cell = ((room.width - behind) / wide).clamp(2.0, cell);
    }
    let (x, y) = place(pen, room, before + cell * wide + behind);
    if !apart {
        scene.text((x, y), &label, room.width, style);
    }
    for (step, paint) in steps.into_iter().enumerate() {
        scene.rect([x + before + step as f64 * cell, y - 10.0, cell, 12.0], paint);
    }
    scene.text((x + before + cell * wide + 8.0, y), &ends[1], room.width, style);
}
