//! Dots, by size and by colour, and fields of shades.

use super::data::{Data, Point};
use super::frame::Frame;
use super::shades::Shades;
use crate::font;
use crate::palette::Paint;
use crate::scene::{Anchor, Scene, Shape, Style};
use vembra_plan::drawing::Drawing;

/// The largest radius of a dot.
fn largest(frame: &Frame, data: &Data) -> f64 {
    let along = frame.along.room / 2.0;
    match data.up {
        Some(_) => along.min(frame.member(0).1 * frame.height / 2.0).clamp(1.5, 22.0),
        None => 12.0,
    }
}

pub(super) fn draw(scene: &mut Scene, frame: &Frame, drawing: &Drawing, data: &Data, panel: usize) {
    let most_size = data.points.iter().filter_map(|p| p.size).map(f64::abs).fold(0.0, f64::max);
    let shades = Shades::of(data);
    let largest = largest(frame, data);
    for point in data.points.iter().filter(|p| p.panel == panel) {
        let up = if data.up.is_some() { frame.member(point.up).0 } else { frame.part(point.value) };
        let at = frame.point(panel, frame.along.at[point.along], up);
        // The area of a dot follows the figure, so that twice as much looks like twice as much.
        let radius = match point.size {
            Some(size) if most_size > 0.0 => (largest * (size.abs() / most_size).sqrt()).max(0.8),
            Some(_) => 0.8,
            None => largest.min(5.0),
        };
        let fill = match point.shade {
            Some(value) => stronger(shades.paint(value)),
            None => data.series.get(point.series).map_or(Paint::Ink, |s| s.paint),
        };
        scene.add_with(Shape::Dot { at, radius, fill }, point.tooltip.clone());
        if point.marked {
            let at = (at.0 + radius * 0.7, at.1 - radius * 0.7);
            scene.add_with(Shape::Dot { at, radius: 3.5, fill: Paint::Mark }, point.tooltip.clone());
        }
        if drawing.values {
            let style = Style::new(11.0, Anchor::Middle, Paint::Ink);
            scene.text_where_free((at.0, at.1 - radius - 4.0), &point.text, style);
        }
    }
}

/// The palest shades would not be seen as dots.
fn stronger(paint: Paint) -> Paint {
    match paint {
        Paint::Shade(step) => Paint::Shade(2 + step * 6 / 8),
        Paint::Above(step) => Paint::Above(2 + step * 6 / 8),
        Paint::Below(step) => Paint::Below(2 + step * 6 / 8),
        other => other,
    }
}

pub(super) fn heat(scene: &mut Scene, frame: &Frame, drawing: &Drawing, data: &Data, panel: usize) {
    let shades = Shades::of(data);
    let own = || data.points.iter().filter(|p| p.panel == panel);
    let width = frame.along.room;
    let fits = |p: &Point| font::width(&p.text, 11.0, false) + 4.0 <= width;
    let written = drawing.values && own().all(fits) && frame.member(0).1 * frame.height >= 14.0;
    let gap = if width > 6.0 { 0.75 } else { 0.0 };
    for point in own() {
        let (middle, part) = frame.member(point.up);
        let x = frame.along.at[point.along];
        let up_gap = gap / frame.height;
        let rect = frame.rect(
            panel,
            (x - width / 2.0 + gap, x + width / 2.0 - gap),
            (middle - part / 2.0 + up_gap, middle + part / 2.0 - up_gap),
        );
        let fill = shades.paint(point.value);
        scene.add_with(Shape::Rect { at: rect, fill }, point.tooltip.clone());
        let at = frame.point(panel, x, middle);
        if written {
            let paint = match fill {
                Paint::Above(step) => Paint::OnAbove(step),
                Paint::Below(step) => Paint::OnBelow(step),
                Paint::Shade(step) => Paint::OnShade(step),
                other => other,
            };
            let style = Style::new(11.0, Anchor::Middle, paint);
            scene.text((at.0, at.1 + 4.0), &point.text, f64::MAX, style);
        }
        if point.marked {
            let at = (rect[0] + rect[2] - 5.0, rect[1] + 5.0);
            scene.add_with(Shape::Dot { at, radius: 3.0, fill: Paint::Mark }, point.tooltip.clone());
        }
    }
}
