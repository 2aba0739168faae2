//! Panels with their axes.

use super::data::{Axis, Data};
use super::scale::{Numbers, Places, places};
use super::{Room, SMALL};
use crate::font;
use crate::locale::Word;
use crate::palette::Paint;
use crate::scene::{Anchor, Scene, Style};
use crate::words::capitalised;
use vembra_plan::Type;
use vembra_plan::drawing::{Drawing, Form};

/// The room between panels.
const GAP: f64 = 18.0;
/// The lowest height of what is drawn in a panel.
const LOWEST: f64 = 70.0;
/// The longest label that stands upright.
const UPRIGHT: f64 = 110.0;

/// What stands up from the along axis.
pub(super) enum Up {
    /// Figures.
    Numbers(Numbers),
    /// Members of a second axis, the first on top.
    Members(Places),
}

/// Labels of the along axis.
struct Labels {
    texts: Vec<(f64, String)>,
    upright: bool,
    /// How much room one has before it is cut.
    most: f64,
    size: f64,
}

/// All panels of a picture: the same axes at several places.
pub(super) struct Frame {
    pub(super) along: Places,
    pub(super) up: Up,
    /// The length of the along axis and of what stands up, in pixels.
    pub(super) length: f64,
    pub(super) height: f64,
    pub(super) sideways: bool,
    corners: Vec<(f64, f64)>,
    across: usize,
    labels: Labels,
    bottom: f64,
    room: Room,
    /// What labels of missing members say: they are never left out, since nothing else says that they are there.
    missing: [String; 2],
}

/// How much room labels take, and titles of axes.
struct Gutters {
    left: f64,
    below: f64,
    /// Room at the right for what reaches beyond the axes.
    right: f64,
    /// Room at the top for figures above bars.
    above: f64,
}

fn label_width(text: &str, size: f64) -> f64 {
    font::width(text, size, false)
}

impl Frame {
    pub(super) fn new(drawing: &Drawing, data: &Data, room: Room) -> Self {
        let count = data.panels.len().max(1);
        let wanted = drawing.panels.map_or(1, |p| p.across).clamp(1, count);
        // On a narrow page fewer panels stand side by side.
        let fitting = ((room.width / 130.0).floor() as usize).max(1);
        let across = wanted.min(fitting);
        let rows = count.div_ceil(across);
        let size = if count > 1 { 11.0 } else { SMALL };
        let title_room = if data.panels.is_empty() { 0.0 } else { 20.0 };
        let sideways = drawing.sideways;
        let guess_height = (room.height / rows as f64 - title_room - GAP).max(LOWEST);
        let mut frame = Self {
            along: Places { at: Vec::new(), room: 0.0, apart: Vec::new(), labels: Vec::new() },
            up: Up::Numbers(Numbers { least: 0.0, most: 1.0, ticks: Vec::new() }),
            length: 0.0,
            height: 0.0,
            sideways,
            corners: Vec::new(),
            across,
            labels: Labels { texts: Vec::new(), upright: false, most: 0.0, size },
            bottom: 0.0,
            room,
            missing: [Word::None, Word::Unknown].map(|word| data.figure.locale.word(word)),
        };
        // The room of labels depends on the axes, and these on the room that is left: two rounds settle it.
        let mut gutters = Gutters { left: 60.0, below: 40.0, right: 0.0, above: 0.0 };
        for _ in 0..2 {
            let width = ((room.width - gutters.left - gutters.right - GAP * (across - 1) as f64)
                / across as f64)
                .max(40.0);
            let height = ((room.height
                - gutters.below
                - gutters.above
                - (rows - 1) as f64 * (GAP + title_room)
                - title_room)
                / rows as f64)
                .max(LOWEST.min(guess_height));
            (frame.length, frame.height) = if sideways { (height, width) } else { (width, height) };
            frame.axes(drawing, data, size);
            gutters = frame.gutters(drawing, data, room);
        }
        let width = ((room.width - gutters.left - gutters.right - GAP * (across - 1) as f64) / across as f64)
            .max(40.0);
        let height = if sideways { frame.length } else { frame.height };
        (frame.length, frame.height) = if sideways { (height, width) } else { (width, height) };
        frame.axes(drawing, data, size);
        for at in 0..count {
            let (column, row) = (at % across, at / across);
            let x = room.x + gutters.left + column as f64 * (width + GAP);
            let y = room.y + gutters.above + title_room + row as f64 * (height + GAP + title_room);
            frame.corners.push((x, y));
        }
        let last = frame.corners.last().map_or(room.y, |c| c.1);
        frame.bottom = last + height + gutters.below;
        frame
    }

    fn axes(&mut self, drawing: &Drawing, data: &Data, size: f64) {
        let bars = !drawing.form.traits().is_continuous;
        let sideways = self.sideways;
        let room_of = |text: &str| if sideways { size + 8.0 } else { label_width(text, size) + 14.0 };
        self.along = places(&data.along, self.length, bars, room_of);
        self.labels = self.label_plan(&data.along, size);
        self.up = match &data.up {
            Some(axis) => Up::Members(places(axis, self.height, true, |_| size + 4.0)),
            None => {
                let each = if self.sideways { 100.0 } else { 46.0 };
                let ground = drawing.form.traits().from_zero;
                let figure = &data.figure;
                let steps = (self.height / each).clamp(1.0, 8.0);
                Up::Numbers(Numbers::of(extent(drawing, data), ground, steps, figure))
            }
        };
    }

    /// Which labels stand at the along axis, and how.
    fn label_plan(&self, axis: &Axis, size: f64) -> Labels {
        let all = self.along.labels.clone();
        let flat = |texts: Vec<(f64, String)>, most: f64| Labels { texts, upright: false, most, size };
        let mut at: Vec<f64> = all.iter().map(|(x, _)| *x).collect();
        at.sort_by(f64::total_cmp);
        let apart = at.windows(2).map(|w| w[1] - w[0]).fold(self.length, f64::min);
        let widest = all.iter().map(|(_, t)| label_width(t, size)).fold(0.0, f64::max);
        if self.sideways {
            let texts = thinned(all, apart, size + 4.0, &self.missing);
            return flat(texts, (self.room.width * 0.3).max(60.0));
        }
        if widest + 8.0 <= apart || axis.time || all.len() <= 1 {
            return flat(all, f64::MAX);
        }
        let counted = !matches!(axis.ty, Type::Text | Type::Boolean);
        if !counted && apart >= 46.0 {
            return flat(all, apart - 6.0);
        }
        if counted {
            return flat(thinned(all, apart, widest + 10.0, &self.missing), f64::MAX);
        }
        Labels { texts: thinned(all, apart, size + 2.0, &self.missing), upright: true, most: UPRIGHT, size }
    }

    fn gutters(&self, drawing: &Drawing, data: &Data, room: Room) -> Gutters {
        let size = self.labels.size;
        let widest = |texts: &mut dyn Iterator<Item = &String>| {
            texts.map(|t| label_width(t, size)).fold(0.0, f64::max)
        };
        let along = widest(&mut self.labels.texts.iter().map(|(_, t)| t)).min(self.labels.most);
        let up = match &self.up {
            Up::Numbers(numbers) => widest(&mut numbers.ticks.iter().map(|(_, t)| t)),
            Up::Members(places) => widest(&mut places.labels.iter().map(|(_, t)| t)).min(room.width * 0.3),
        };
        let (left_title, below_title) = self.axis_titles(data);
        let title = |text: &str| if drawing.axis_titles && !text.is_empty() { 20.0 } else { 0.0 };
        let flat = size + 8.0;
        let below = match (self.sideways, self.labels.upright) {
            (true, _) => flat,
            (false, false) => flat,
            (false, true) => along + 10.0,
        };
        let left = if self.sideways { along } else { up };
        let last_tick = match &self.up {
            Up::Numbers(numbers) if self.sideways => numbers.ticks.last(),
            _ => None,
        };
        let over = last_tick.map_or(0.0, |(_, t)| label_width(t, size) / 2.0);
        let values = drawing.values && drawing.form == Form::Bars && !drawing.stacked;
        let figures =
            data.points.iter().map(|p| label_width(&p.text, 11.0) + if p.marked { 12.0 } else { 0.0 });
        let beyond = if values && self.sideways { figures.fold(0.0, f64::max) + 6.0 } else { 0.0 };
        Gutters {
            left: left + 10.0 + title(left_title),
            below: below + title(below_title),
            right: over.max(beyond),
            above: match (self.sideways, drawing.marks.is_empty() && !values) {
                (true, _) => 0.0,
                (false, false) => 16.0,
                // Half of the highest label.
                (false, true) => size * 0.5,
            },
        }
    }

    /// What stands beside the left axis, and below the lower one.
    fn axis_titles<'d>(&self, data: &'d Data) -> (&'d str, &'d str) {
        let along = data.along.label.as_str();
        let up = data.up.as_ref().map_or(data.figure.label.as_str(), |u| u.label.as_str());
        if self.sideways { (along, up) } else { (up, along) }
    }

    pub(super) fn panels(&self) -> usize {
        self.corners.len()
    }

    /// Where the axes with their labels end.
    pub(super) fn bottom(&self) -> f64 {
        self.bottom
    }

    /// A point of a panel: along the axis in pixels, and up from 0 to 1.
    pub(super) fn point(&self, panel: usize, along: f64, up: f64) -> (f64, f64) {
        let (x, y) = self.corners[panel];
        if self.sideways {
            (x + up * self.height, y + along)
        } else {
            (x + along, y + (1.0 - up) * self.height)
        }
    }

    /// A rectangle of a panel, between two places along and two heights.
    pub(super) fn rect(&self, panel: usize, along: (f64, f64), up: (f64, f64)) -> [f64; 4] {
        let (a, b) = (self.point(panel, along.0, up.0), self.point(panel, along.1, up.1));
        let (x, y) = (a.0.min(b.0), a.1.min(b.1));
        [x, y, (a.0 - b.0).abs(), (a.1 - b.1).abs()]
    }

    /// How high a value stands.
    pub(super) fn part(&self, value: f64) -> f64 {
        match &self.up {
            Up::Numbers(numbers) => numbers.part(value),
            Up::Members(_) => 0.0,
        }
    }

    /// How high a member of the second axis stands, and the room that it has, in parts of the height.
    pub(super) fn member(&self, at: usize) -> (f64, f64) {
        match &self.up {
            Up::Members(places) => {
                let y = places.at.get(at).copied().unwrap_or(0.0);
                (1.0 - y / self.height, places.room / self.height)
            }
            Up::Numbers(_) => (0.5, 1.0),
        }
    }

    /// The grid, the axes, their labels and titles.
    pub(super) fn draw(&self, scene: &mut Scene, drawing: &Drawing, data: &Data) {
        for panel in 0..self.panels() {
            self.panel_title(scene, data, panel);
            self.grid(scene, drawing, panel);
            if panel % self.across == 0 {
                self.left_labels(scene, panel);
            }
            if panel + self.across >= self.panels() {
                self.lower_labels(scene, panel);
            }
        }
        if drawing.axis_titles {
            self.titles(scene, data);
        }
    }

    fn size(&self) -> (f64, f64) {
        if self.sideways { (self.height, self.length) } else { (self.length, self.height) }
    }

    fn panel_title(&self, scene: &mut Scene, data: &Data, panel: usize) {
        if let Some(title) = data.panels.get(panel) {
            let (x, y) = self.corners[panel];
            let style = Style::new(SMALL, Anchor::Start, Paint::Ink).bold();
            scene.text((x, y - 7.0), title, self.size().0, style);
        }
    }

    fn grid(&self, scene: &mut Scene, drawing: &Drawing, panel: usize) {
        let ends = (0.0, self.length);
        if let Up::Numbers(numbers) = &self.up {
            for (value, _) in &numbers.ticks {
                let part = numbers.part(*value);
                let paint = if *value == 0.0 && numbers.least < 0.0 { Paint::Soft } else { Paint::Grid };
                scene.line(self.point(panel, ends.0, part), self.point(panel, ends.1, part), paint);
            }
            let base = numbers.part(0.0_f64.clamp(numbers.least, numbers.most));
            scene.line(self.point(panel, ends.0, base), self.point(panel, ends.1, base), Paint::Soft);
        } else if drawing.form == Form::Dots
            && let Up::Members(places) = &self.up
        {
            for y in &places.at {
                let part = 1.0 - y / self.height;
                scene.line(self.point(panel, ends.0, part), self.point(panel, ends.1, part), Paint::Grid);
            }
        }
    }

    fn left_labels(&self, scene: &mut Scene, panel: usize) {
        let (x, y) = self.corners[panel];
        let size = self.labels.size;
        let style = Style::new(size, Anchor::End, Paint::Soft);
        let most = self.room.width * 0.3;
        let mut label = |at: f64, text: &str| scene.text((x - 8.0, at + size * 0.36), text, most, style);
        if self.sideways {
            self.labels.texts.iter().for_each(|(at, text)| label(y + at, text));
            return;
        }
        match &self.up {
            Up::Numbers(numbers) => {
                for (value, text) in &numbers.ticks {
                    label(y + (1.0 - numbers.part(*value)) * self.height, text);
                }
            }
            Up::Members(places) => {
                let room = size + 2.0;
                let shown = thinned(places.labels.clone(), places.room, room, &self.missing);
                shown.iter().for_each(|(at, text)| label(y + at, text));
            }
        }
    }

    fn lower_labels(&self, scene: &mut Scene, panel: usize) {
        let (x, y) = self.corners[panel];
        let size = self.labels.size;
        let below = y + self.size().1 + size + 5.0;
        let style = Style::new(size, Anchor::Middle, Paint::Soft);
        if self.sideways {
            if let Up::Numbers(numbers) = &self.up {
                // Where there is no room for all, zero and the ends stay.
                let last = numbers.ticks.len().saturating_sub(1);
                let mut ticks: Vec<(usize, &(f64, String))> = numbers.ticks.iter().enumerate().collect();
                ticks.sort_by_key(|(at, (value, _))| (*value != 0.0, *at != last, *at != 0, *at));
                for (_, (value, text)) in ticks {
                    scene.text_where_free((x + numbers.part(*value) * self.height, below), text, style);
                }
            }
            return;
        }
        if self.labels.upright {
            let style = Style::new(size, Anchor::End, Paint::Soft);
            for (at, text) in &self.labels.texts {
                let at = (x + at + size * 0.36, y + self.height + 6.0);
                scene.upright_text(at, text, self.labels.most, style);
            }
            return;
        }
        for (middle, text) in self.flat_labels(x) {
            scene.text((middle, below), text, self.labels.most, style);
        }
    }

    /// The labels below a panel with their middles. The outermost ones do not leave the picture, nor reach into the next panel; one
    /// that would then lie on its neighbour is left out.
    fn flat_labels(&self, x: f64) -> Vec<(f64, &str)> {
        let half = |text: &str| label_width(text, self.labels.size).min(self.labels.most) / 2.0;
        let (mut left, mut right) = (self.room.x, self.room.x + self.room.width);
        let reach = GAP / 2.0 - 2.0;
        if x > self.corners[0].0 {
            left = x - reach;
        }
        if self.corners.iter().any(|(other, _)| *other > x) {
            right = x + self.length + reach;
        }
        let inside = |at: f64, text: &str| (x + at).min(right - half(text)).max(left + half(text));
        let mut labels: Vec<(f64, &str)> =
            self.labels.texts.iter().map(|(at, text)| (inside(*at, text), text.as_str())).collect();
        let is_missing = |text: &str| self.missing.iter().any(|missing| missing == text);
        labels.sort_by(|a, b| is_missing(b.1).cmp(&is_missing(a.1)).then(a.0.total_cmp(&b.0)));
        let mut shown: Vec<(f64, &str)> = Vec::new();
        for (middle, text) in labels {
            let free = shown.iter().all(|(m, t)| (m - middle).abs() >= half(t) + half(text) + 4.0);
            if free {
                shown.push((middle, text));
            }
        }
        shown.sort_by(|a, b| a.0.total_cmp(&b.0));
        shown
    }

    fn titles(&self, scene: &mut Scene, data: &Data) {
        let (left, below) = self.axis_titles(data);
        let style = Style::new(SMALL, Anchor::Middle, Paint::Ink);
        let (first, last) = (self.corners[0], self.corners[self.corners.len() - 1]);
        let (width, height) = self.size();
        let columns = self.across as f64;
        let whole = columns * width + (columns - 1.0) * GAP;
        if !left.is_empty() {
            let middle = f64::midpoint(first.1, last.1 + height);
            let most = last.1 + height - first.1;
            scene.upright_text((self.room.x + 11.0, middle), &capitalised(left), most, style);
        }
        if !below.is_empty() {
            scene.text((first.0 + whole / 2.0, self.bottom - 3.0), &capitalised(below), whole, style);
        }
    }
}

/// Labels at equal steps, so that they do not touch, and all of missing members.
fn thinned(labels: Vec<(f64, String)>, apart: f64, room: f64, missing: &[String; 2]) -> Vec<(f64, String)> {
    if labels.len() < 2 || apart >= room {
        return labels;
    }
    let every = (room / apart.max(1e-9)).ceil().max(1.0) as usize;
    let (missing, named): (Vec<_>, Vec<_>) = labels.into_iter().partition(|(_, text)| missing.contains(text));
    let free = |at: f64| missing.iter().all(|(m, _)| (m - at).abs() >= room);
    let mut shown: Vec<(f64, String)> =
        named.into_iter().step_by(every).filter(|(at, _)| free(*at)).collect();
    shown.extend(missing);
    shown
}

/// The values that the scale of figures must hold: for stacks, their heights.
fn extent<'d>(drawing: &'d Drawing, data: &'d Data) -> Box<dyn Iterator<Item = f64> + 'd> {
    if !drawing.stacked {
        return Box::new(data.points.iter().map(|p| p.value));
    }
    let mut stacks: std::collections::BTreeMap<(usize, usize), (f64, f64)> =
        std::collections::BTreeMap::new();
    for point in &data.points {
        let stack = stacks.entry((point.panel, point.along)).or_default();
        if point.value < 0.0 { stack.0 += point.value } else { stack.1 += point.value }
    }
    Box::new(stacks.into_values().flat_map(|(low, high)| [low, high]))
}
