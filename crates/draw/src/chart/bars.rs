//! Bars: side by side or stacked, upright or on their side.

use super::data::{Data, Point};
use super::frame::Frame;
use crate::font;
use crate::palette::Paint;
use crate::scene::{Anchor, Scene, Shape, Style};
use std::collections::BTreeMap;
use vembra_plan::drawing::Drawing;

/// How much of its room a place fills.
const FILLED: f64 = 0.76;

pub(super) fn draw(scene: &mut Scene, frame: &Frame, drawing: &Drawing, data: &Data, panel: usize) {
    let side_by_side = if drawing.stacked { 1 } else { data.series.len().max(1) };
    let group = (frame.along.room * FILLED).min(90.0 * side_by_side as f64);
    let width = group / side_by_side as f64;
    let mut stacks: BTreeMap<usize, (f64, f64)> = BTreeMap::new();
    let mut own: Vec<&Point> = data.points.iter().filter(|p| p.panel == panel).collect();
    own.sort_by_key(|p| (p.along, p.series));
    let written = drawing.values && !drawing.stacked && values_fit(frame, data, width);
    for point in own {
        let middle = frame.along.at[point.along];
        let nth = if drawing.stacked { 0 } else { point.series };
        let from = middle - group / 2.0 + nth as f64 * width;
        let (base, top) = if drawing.stacked {
            let stack = stacks.entry(point.along).or_default();
            let side = if point.value < 0.0 { &mut stack.0 } else { &mut stack.1 };
            let base = *side;
            *side += point.value;
            (base, *side)
        } else {
            (0.0, point.value)
        };
        // A hair between neighbours, as far as there is room.
        let hair = if width >= 4.0 && side_by_side > 1 { 0.5 } else { 0.0 };
        let rect = frame.rect(panel, (from + hair, from + width - hair), (frame.part(base), frame.part(top)));
        let paint = data.series.get(point.series).map_or(Paint::Ink, |s| s.paint);
        scene
            .add_with(Shape::Rect { at: at_least(rect, frame.sideways), fill: paint }, point.tooltip.clone());
        if point.marked {
            let (along, up) = (from + width / 2.0, frame.part(top));
            let (x, y) = frame.point(panel, along, up);
            let off = if point.value < 0.0 { -9.0 } else { 9.0 };
            let at = if frame.sideways { (x + off, y) } else { (x, y - off) };
            scene.add_with(Shape::Dot { at, radius: 4.0, fill: Paint::Mark }, point.tooltip.clone());
        }
        if written {
            value(scene, frame, panel, point, from + width / 2.0);
        }
        if drawing.values && drawing.stacked && fits_inside(rect, &point.text) {
            let at = (rect[0] + rect[2] / 2.0, rect[1] + rect[3] / 2.0 + VALUE * 0.36);
            let ink = if matches!(paint, Paint::Pale(_)) { Paint::Ink } else { Paint::Ground };
            scene.text(at, &point.text, f64::MAX, Style::new(VALUE, Anchor::Middle, ink));
        }
    }
}

/// Whether a figure can stand in its part of a stack.
fn fits_inside([_, _, width, height]: [f64; 4], text: &str) -> bool {
    font::width(text, VALUE, false) + 4.0 <= width && height >= VALUE + 2.0
}

/// A bar of something is never thinner than a hair.
fn at_least([x, y, w, h]: [f64; 4], sideways: bool) -> [f64; 4] {
    if sideways { [x, y, w, h.max(0.6)] } else { [x, y, w.max(0.6), h] }
}

/// The size of figures at bars.
const VALUE: f64 = 11.0;

/// Figures are written at all bars or at none: some alone would be read as the ones that matter.
fn values_fit(frame: &Frame, data: &Data, width: f64) -> bool {
    let widest = data.points.iter().map(|p| font::width(&p.text, VALUE, false)).fold(0.0, f64::max);
    if frame.sideways { width >= VALUE } else { widest <= width + 4.0 }
}

fn value(scene: &mut Scene, frame: &Frame, panel: usize, point: &Point, middle: f64) {
    // Beside a bar below zero lie the labels of the axis: its figure stands on the other side, where nothing is.
    let (x, y) = frame.point(panel, middle, frame.part(point.value.max(0.0)));
    let mark = if point.marked && point.value >= 0.0 { 12.0 } else { 0.0 };
    let (at, anchor) = if frame.sideways {
        ((x + 5.0 + mark, y + VALUE * 0.36), Anchor::Start)
    } else {
        ((x, y - 5.0 - mark), Anchor::Middle)
    };
    scene.text(at, &point.text, f64::MAX, Style::new(VALUE, anchor, Paint::Ink));
}
