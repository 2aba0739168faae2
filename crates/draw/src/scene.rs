//! A picture as data: shapes and texts at their places, before any file format.
//!
//! Lengths are pixels at scale 1, from the top left corner.

use crate::palette::Paint;

/// Where a text stands relative to its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Anchor {
    /// It starts there.
    Start,
    /// Its middle is there.
    Middle,
    /// It ends there.
    End,
}

/// One thing that is drawn.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// A rectangle.
    Rect {
        /// Left, top, width, height.
        at: [f64; 4],
        /// Its filling.
        fill: Paint,
    },
    /// A line through points, or, filled, a surface.
    Path {
        /// The points.
        points: Vec<(f64, f64)>,
        /// The line's paint.
        stroke: Option<Paint>,
        /// The line's width.
        width: f64,
        /// Whether it is dashed.
        dashed: bool,
        /// The filling between the points.
        fill: Option<Paint>,
    },
    /// A disc.
    Dot {
        /// The middle.
        at: (f64, f64),
        /// The radius.
        radius: f64,
        /// Its filling.
        fill: Paint,
    },
    /// A text.
    Text {
        /// The place.
        at: (f64, f64),
        /// What is shown.
        text: String,
        /// The whole text, where it is cut.
        full: Option<String>,
        /// The size of letters.
        size: f64,
        /// Whether it is bold.
        bold: bool,
        /// How it stands at its place.
        anchor: Anchor,
        /// Whether it is turned by a quarter, reading upwards.
        upright: bool,
        /// Its colour.
        paint: Paint,
    },
}

/// A shape, and what a tooltip shows on it.
#[derive(Clone, Debug, PartialEq)]
pub struct Item {
    /// The shape.
    pub shape: Shape,
    /// Lines of a name and a value.
    pub tooltip: Vec<(String, String)>,
}

/// A whole picture.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Scene {
    /// The width.
    pub width: f64,
    /// The height.
    pub height: f64,
    /// The title, for readers who do not see it.
    pub title: String,
    /// What the picture shows, in a sentence.
    pub description: String,
    /// What is drawn, the first below the others.
    pub items: Vec<Item>,
}

/// How a text looks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Style {
    pub(crate) size: f64,
    pub(crate) bold: bool,
    pub(crate) anchor: Anchor,
    pub(crate) paint: Paint,
}

impl Style {
    pub(crate) fn new(size: f64, anchor: Anchor, paint: Paint) -> Self {
        Self { size, bold: false, anchor, paint }
    }

    pub(crate) fn bold(self) -> Self {
        Self { bold: true, ..self }
    }
}

impl Item {
    /// What a tooltip shows, line by line.
    pub fn tooltip_lines(&self) -> Vec<String> {
        let line = |(name, value): &(String, String)| {
            if name.is_empty() { value.clone() } else { format!("{name}: {value}") }
        };
        self.tooltip.iter().map(line).collect()
    }
}

/// Left, top, right and bottom of a text, with a hair around it.
fn text_box(at: (f64, f64), text: &str, size: f64, bold: bool, anchor: Anchor) -> [f64; 4] {
    let width = crate::font::width(text, size, bold);
    let left = match anchor {
        Anchor::Start => at.0,
        Anchor::Middle => at.0 - width / 2.0,
        Anchor::End => at.0 - width,
    };
    [left - 2.0, at.1 - size * 0.8, left + width + 2.0, at.1 + size * 0.2]
}

impl Scene {
    pub(crate) fn new(width: f64, height: f64) -> Self {
        Self { width, height, ..Self::default() }
    }

    pub(crate) fn add(&mut self, shape: Shape) {
        self.items.push(Item { shape, tooltip: Vec::new() });
    }

    pub(crate) fn add_with(&mut self, shape: Shape, tooltip: Vec<(String, String)>) {
        self.items.push(Item { shape, tooltip });
    }

    pub(crate) fn rect(&mut self, at: [f64; 4], fill: Paint) {
        self.add(Shape::Rect { at, fill });
    }

    pub(crate) fn line(&mut self, from: (f64, f64), to: (f64, f64), stroke: Paint) {
        self.add(Shape::Path {
            points: vec![from, to],
            stroke: Some(stroke),
            width: 1.0,
            dashed: false,
            fill: None,
        });
    }

    /// A text cut to a width; the whole text is shown by a tooltip.
    pub(crate) fn text(&mut self, at: (f64, f64), text: &str, most: f64, style: Style) {
        let shown = crate::font::cut(text, style.size, style.bold, most);
        let full = (shown != text).then(|| text.to_owned());
        self.add(Shape::Text {
            at,
            text: shown,
            full,
            size: style.size,
            bold: style.bold,
            anchor: style.anchor,
            upright: false,
            paint: style.paint,
        });
    }

    /// A text that is moved where it would run out of the picture, and left out where it would lie on another one.
    pub(crate) fn text_where_free(&mut self, (x, y): (f64, f64), text: &str, style: Style) {
        let [left, _, right, _] = text_box((x, y), text, style.size, style.bold, style.anchor);
        let at = (x - (right - self.width).max(0.0) - left.min(0.0), y);
        let own = text_box(at, text, style.size, style.bold, style.anchor);
        let meets = |item: &Item| match &item.shape {
            Shape::Text { at, text, size, bold, anchor, upright: false, .. } => {
                let other = text_box(*at, text, *size, *bold, *anchor);
                own[0] < other[2] && other[0] < own[2] && own[1] < other[3] && other[1] < own[3]
            }
            _ => false,
        };
        if !self.items.iter().any(meets) {
            self.text(at, text, f64::MAX, style);
        }
    }

    /// The same, reading upwards.
    pub(crate) fn upright_text(&mut self, at: (f64, f64), text: &str, most: f64, style: Style) {
        self.text(at, text, most, style);
        if let Some(Item { shape: Shape::Text { upright, .. }, .. }) = self.items.last_mut() {
            *upright = true;
        }
    }

    /// Puts another picture into this one.
    pub(crate) fn put(&mut self, other: Self, (dx, dy): (f64, f64)) {
        for mut item in other.items {
            match &mut item.shape {
                Shape::Rect { at, .. } => {
                    at[0] += dx;
                    at[1] += dy;
                }
                Shape::Path { points, .. } => points.iter_mut().for_each(|p| *p = (p.0 + dx, p.1 + dy)),
                Shape::Dot { at, .. } | Shape::Text { at, .. } => *at = (at.0 + dx, at.1 + dy),
            }
            self.items.push(item);
        }
    }

    /// The picture as lines of text, one a shape: for tests and for a look.
    ///
    /// # Examples
    /// ```
    /// assert_eq!(vembra_draw::Scene::default().to_text(), "0 x 0\n");
    /// ```
    pub fn to_text(&self) -> String {
        let mut text = format!("{:.0} x {:.0}\n", self.width, self.height);
        let point = |(x, y): &(f64, f64)| format!("{x:.0},{y:.0}");
        for item in &self.items {
            let line = match &item.shape {
                Shape::Rect { at: [x, y, w, h], fill } => {
                    format!("rect {x:.0},{y:.0} {w:.0} x {h:.0} {fill:?}")
                }
                Shape::Path { points, stroke, fill, dashed, .. } => {
                    let points: Vec<String> = points.iter().map(point).collect();
                    let dashed = if *dashed { " dashed" } else { "" };
                    let paint = |p: &Option<Paint>| p.map(|p| format!("{p:?}")).unwrap_or_default();
                    format!("path {} {}{}{dashed}", points.join(" "), paint(stroke), paint(fill))
                }
                Shape::Dot { at, radius, fill } => format!("dot {} r {radius:.1} {fill:?}", point(at)),
                Shape::Text { at, text, full, anchor, upright, size, bold, .. } => {
                    let full = full.as_ref().map(|f| format!(" ({f})")).unwrap_or_default();
                    let turned = if *upright { " upright" } else { "" };
                    let bold = if *bold { " bold" } else { "" };
                    format!("text {} {anchor:?} {size}{bold}{turned} {text}{full}", point(at))
                }
            };
            text.push_str(line.trim_end());
            let tooltip = item.tooltip_lines();
            if !tooltip.is_empty() {
                text.push_str(&format!(" | {}", tooltip.join("; ")));
            }
            text.push('\n');
        }
        text
    }
}
