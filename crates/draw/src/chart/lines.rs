//! Lines and areas.

use super::data::{Data, Point};
use super::frame::Frame;
use crate::palette::Paint;
use crate::scene::{Anchor, Scene, Shape, Style};
use std::collections::BTreeMap;
use vembra_plan::drawing::{Drawing, Form};

/// A run of points without a gap: their places along, their heights, and what they stand on.
type Run<'d> = Vec<(f64, f64, f64, Option<&'d Point>)>;

/// One panel, and what is drawn in it.
struct Panel<'a> {
    frame: &'a Frame,
    drawing: &'a Drawing,
    data: &'a Data,
    at: usize,
}

pub(super) fn draw(scene: &mut Scene, frame: &Frame, drawing: &Drawing, data: &Data, panel: usize) {
    let mut stacks: BTreeMap<usize, (f64, f64)> = BTreeMap::new();
    let single = data.along.places.len() <= 60 && frame.length / data.along.places.len().max(1) as f64 >= 9.0;
    let own = Panel { frame, drawing, data, at: panel };
    for (at, series) in data.series.iter().enumerate() {
        let runs = own.runs(at, &mut stacks);
        for run in &runs {
            if drawing.form == Form::Area {
                own.area(scene, run, series.paint);
            }
            // The edge of a stack would cover what is thin.
            if !drawing.stacked {
                own.line(scene, run, series.paint, single && drawing.form == Form::Line);
            }
        }
        for (x, top, _, point) in runs.iter().flatten() {
            if let Some(point) = point.filter(|p| p.marked) {
                let at = own.point(*x, *top);
                scene.add_with(Shape::Dot { at, radius: 5.0, fill: Paint::Mark }, point.tooltip.clone());
            }
        }
        if drawing.values && single {
            own.values(scene, &runs);
        }
    }
    strips(scene, frame, data, panel);
}

impl<'a> Panel<'a> {
    fn point(&self, x: f64, value: f64) -> (f64, f64) {
        self.frame.point(self.at, x, self.frame.part(value))
    }

    /// The points of a series in runs: a place where other series have a figure and this one has none is a gap.
    fn runs(&self, series: usize, stacks: &mut BTreeMap<usize, (f64, f64)>) -> Vec<Run<'a>> {
        let points = || self.data.points.iter().filter(|p| p.panel == self.at);
        let own: BTreeMap<usize, &'a Point> =
            points().filter(|p| p.series == series).map(|p| (p.along, p)).collect();
        let mut present = vec![false; self.data.along.places.len()];
        points().for_each(|p| present[p.along] = true);
        let mut runs: Vec<Run<'a>> = Vec::new();
        let mut open = false;
        for (at, x) in self.frame.along.at.iter().enumerate() {
            let apart = self.frame.along.apart[at];
            // In a stack, who has no figure where others have one takes no room.
            let absent = self.drawing.stacked && present[at];
            let point = own.get(&at).copied();
            if point.is_none() && !absent {
                open = open && !present[at];
                continue;
            }
            let value = point.map_or(0.0, |p| p.value);
            let (base, top) = if self.drawing.stacked {
                let stack = stacks.entry(at).or_default();
                let side = if value < 0.0 { &mut stack.0 } else { &mut stack.1 };
                let base = *side;
                *side += value;
                (base, *side)
            } else {
                (0.0, value)
            };
            if !open || apart {
                runs.push(Vec::new());
            }
            if let Some(run) = runs.last_mut() {
                run.push((*x, top, base, point));
            }
            open = !apart;
        }
        runs
    }

    fn area(&self, scene: &mut Scene, run: &Run<'_>, paint: Paint) {
        let upper = run.iter().map(|(x, top, _, _)| self.point(*x, *top));
        let lower = run.iter().rev().map(|(x, _, base, _)| self.point(*x, *base));
        let full = self.drawing.stacked || self.data.series.len() == 1;
        let fill = match paint {
            Paint::Series(colour) if !full => Paint::Pale(colour),
            other => other,
        };
        scene.add(Shape::Path {
            points: upper.chain(lower).collect(),
            stroke: None,
            width: 0.0,
            dashed: false,
            fill: Some(fill),
        });
    }

    fn line(&self, scene: &mut Scene, run: &Run<'_>, paint: Paint, dots: bool) {
        let points: Vec<(f64, f64)> = run.iter().map(|(x, top, _, _)| self.point(*x, *top)).collect();
        let alone = points.len() == 1;
        if alone || dots {
            let radius = if alone { 4.0 } else { 2.5 };
            points.iter().for_each(|at| scene.add(Shape::Dot { at: *at, radius, fill: paint }));
        }
        if !alone {
            let dashed = matches!(paint, Paint::Pale(_));
            scene.add(Shape::Path { points, stroke: Some(paint), width: 2.0, dashed, fill: None });
        }
    }

    fn values(&self, scene: &mut Scene, runs: &[Run<'_>]) {
        for (x, top, _, point) in runs.iter().flatten() {
            let Some(point) = point else { continue };
            let at = self.point(*x, *top);
            let style = Style::new(11.0, Anchor::Middle, Paint::Ink);
            scene.text_where_free((at.0, at.1 - 8.0), &point.text, style);
        }
    }
}

/// A column per place takes the pointer, and shows all figures there.
fn strips(scene: &mut Scene, frame: &Frame, data: &Data, panel: usize) {
    let mut tips: BTreeMap<usize, Vec<(String, String)>> = BTreeMap::new();
    for point in data.points.iter().filter(|p| p.panel == panel) {
        let tip = tips.entry(point.along).or_default();
        let said: Vec<(String, String)> =
            point.tooltip.iter().filter(|l| !tip.contains(l)).cloned().collect();
        tip.extend(said);
    }
    let mut order: Vec<(f64, Vec<(String, String)>)> =
        tips.into_iter().map(|(at, tip)| (frame.along.at[at], tip)).collect();
    order.sort_by(|a, b| a.0.total_cmp(&b.0));
    let middles: Vec<f64> = order.windows(2).map(|w| f64::midpoint(w[0].0, w[1].0)).collect();
    for (at, (_, tip)) in order.into_iter().enumerate() {
        let from = if at == 0 { 0.0 } else { middles[at - 1] };
        let to = middles.get(at).copied().unwrap_or(frame.length);
        let rect = frame.rect(panel, (from, to), (0.0, 1.0));
        scene.add_with(Shape::Rect { at: rect, fill: Paint::Clear }, tip);
    }
}
