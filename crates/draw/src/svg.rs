//! Scenes as SVG. Written by hand, about a page: what is drawn is few kinds of shapes, each with its class, so that one style
//! sheet turns a picture from light to dark.

use crate::font;
use crate::palette::{Paint, STEPS, Theme};
use crate::scene::{Anchor, Item, Scene, Shape};
use base64::Engine;
use std::fmt::Write;
use vembra_plan::drawing::Colour;

/// Who paints the SVG.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Target {
    /// A file of its own: light or dark as the reader's screen is, with the font inside.
    File,
    /// Part of a page, which has the style sheet and the font.
    Page,
    /// The rasteriser, which has the font and knows no variables.
    #[cfg_attr(not(feature = "png"), allow(dead_code))]
    Raster(Theme),
}

/// A text in which nothing is markup, and nothing is forbidden in XML.
pub(crate) fn escape(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => escaped.push_str("&amp;"),
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '"' => escaped.push_str("&quot;"),
            '\'' => escaped.push_str("&#39;"),
            '\n' | '\t' => escaped.push(' '),
            c if c.is_control() || matches!(c, '\u{fffe}' | '\u{ffff}') => escaped.push('\u{fffd}'),
            c => escaped.push(c),
        }
    }
    escaped
}

/// The class of a paint.
fn class(paint: Paint) -> String {
    match paint {
        Paint::Ink => "ink".to_owned(),
        Paint::Soft => "soft".to_owned(),
        Paint::Grid => "grid".to_owned(),
        Paint::Ground => "ground".to_owned(),
        Paint::Mark => "mark".to_owned(),
        Paint::Series(colour) => colour.name().to_owned(),
        Paint::Pale(colour) => format!("{} pale", colour.name()),
        Paint::Shade(step) => format!("h{step}"),
        Paint::Above(step) => format!("a{step}"),
        Paint::Below(step) => format!("b{step}"),
        Paint::OnShade(step) => format!("oh{step}"),
        Paint::OnAbove(step) => format!("oa{step}"),
        Paint::OnBelow(step) => format!("ob{step}"),
        Paint::Clear => "clear".to_owned(),
    }
}

fn paints() -> Vec<Paint> {
    let mut all = vec![Paint::Ink, Paint::Soft, Paint::Grid, Paint::Ground, Paint::Mark];
    all.extend(Colour::ALL.map(Paint::Series));
    for step in 0..STEPS as u8 {
        all.extend([Paint::Shade(step), Paint::Above(step), Paint::Below(step)]);
        all.extend([Paint::OnShade(step), Paint::OnAbove(step), Paint::OnBelow(step)]);
    }
    all
}

/// The rules of one theme: `f-…` fills, `s-…` strokes.
pub(crate) fn rules(theme: Theme) -> String {
    let mut css = String::new();
    for paint in paints() {
        let (class, colour) = (class(paint), theme.colour(paint));
        let _ = write!(css, ".f-{class}{{fill:{colour}}}");
        if !matches!(paint, Paint::OnShade(_) | Paint::OnAbove(_) | Paint::OnBelow(_)) {
            let _ = write!(css, ".s-{class}{{stroke:{colour}}}");
        }
    }
    css
}

/// The rules that no theme changes.
pub(crate) const COMMON: &str = ".chart text{font-family:Inter,system-ui,sans-serif;font-variant-numeric:tabular-nums}\
.pale{opacity:.55}.f-clear{fill:none;pointer-events:all}.crisp{shape-rendering:crispEdges}";

/// The font faces, inside the text.
pub(crate) fn faces() -> String {
    let face = |weight: u16, bytes: &[u8]| {
        let data = base64::engine::general_purpose::STANDARD.encode(bytes);
        format!(
            "@font-face{{font-family:Inter;font-weight:{weight};src:url(data:font/woff2;base64,{data}) format('woff2')}}"
        )
    };
    face(400, font::REGULAR_WEB) + &face(600, font::BOLD_WEB)
}

/// Whether two places are the same on a screen.
fn same(a: f64, b: f64) -> bool {
    (a - b).abs() < 0.05
}

/// A length without needless digits.
fn n(x: f64) -> String {
    let text = format!("{x:.1}");
    match text.strip_suffix(".0") {
        Some("-0") => "0".to_owned(),
        Some(whole) => whole.to_owned(),
        None => text,
    }
}

fn svg_classes(kind: char, paint: Paint) -> String {
    let name = class(paint);
    match name.split_once(' ') {
        Some((colour, pale)) => format!("{kind}-{colour} {pale}"),
        None => format!("{kind}-{name}"),
    }
}

/// A scene as SVG text.
pub(crate) fn svg(scene: &Scene, target: Target) -> String {
    let (w, h) = (n(scene.width), n(scene.height));
    let mut text = String::new();
    let size = match target {
        Target::Page => String::new(),
        _ => format!(" width=\"{w}\" height=\"{h}\""),
    };
    let _ = write!(
        text,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"chart\" role=\"img\" viewBox=\"0 0 {w} {h}\"{size} aria-label=\"{}\">",
        escape(&format!("{}. {}", scene.title, scene.description))
    );
    match target {
        Target::Page => {}
        Target::File => {
            let dark = rules(Theme::Dark);
            let light = rules(Theme::Light);
            let _ = write!(
                text,
                "<title>{}</title><style>{}{COMMON}{light}@media (prefers-color-scheme:dark){{{dark}}}</style>",
                escape(&scene.title),
                faces()
            );
        }
        Target::Raster(theme) => {
            let _ = write!(text, "<style>{COMMON}{}</style>", rules(theme));
        }
    }
    if target != Target::Page {
        let _ = write!(text, "<rect width=\"{w}\" height=\"{h}\" class=\"f-ground\"/>");
    }
    for item in &scene.items {
        write_item(&mut text, item, target);
    }
    text.push_str("</svg>\n");
    text
}

/// A tooltip: a title in a file, data for the script in a page.
fn tooltip(item: &Item, target: Target) -> (String, String) {
    let full = match &item.shape {
        Shape::Text { full: Some(full), .. } => Some(full.clone()),
        _ => None,
    };
    let mut lines = item.tooltip_lines();
    lines.extend(full);
    if lines.is_empty() {
        return (String::new(), String::new());
    }
    match target {
        Target::Page => {
            let tip = lines.iter().map(|l| escape(l)).collect::<Vec<_>>().join("&#10;");
            (format!(" data-tip=\"{tip}\""), String::new())
        }
        Target::File => {
            let tip = lines.iter().map(|l| escape(l)).collect::<Vec<_>>().join("&#10;");
            (String::new(), format!("<title>{tip}</title>"))
        }
        Target::Raster(_) => (String::new(), String::new()),
    }
}

fn write_item(text: &mut String, item: &Item, target: Target) {
    let raster = matches!(target, Target::Raster(_));
    let (attribute, inner) = tooltip(item, target);
    match &item.shape {
        Shape::Rect { fill: Paint::Clear, .. } if raster => {}
        Shape::Rect { at: [x, y, w, h], fill } => {
            let _ = write!(
                text,
                "<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" class=\"{} crisp\"{attribute}",
                n(*x),
                n(*y),
                n(*w),
                n(*h),
                svg_classes('f', *fill)
            );
            end(text, "rect", &inner);
        }
        Shape::Path { points, stroke, width, dashed, fill } => {
            write_path(text, points, (*stroke, *width, *dashed), *fill, &attribute);
            end(text, "path", &inner);
        }
        Shape::Dot { at: (x, y), radius, fill } => {
            let _ = write!(
                text,
                "<circle cx=\"{}\" cy=\"{}\" r=\"{}\" class=\"{}\"{attribute}",
                n(*x),
                n(*y),
                n(*radius),
                svg_classes('f', *fill)
            );
            end(text, "circle", &inner);
        }
        Shape::Text { .. } => write_text(text, &item.shape, raster, &attribute, &inner),
    }
}

/// The start of a path, up to its end; the line is its paint, width and whether it is dashed.
fn write_path(
    text: &mut String,
    points: &[(f64, f64)],
    line: (Option<Paint>, f64, bool),
    fill: Option<Paint>,
    attribute: &str,
) {
    let (stroke, width, dashed) = line;
    let straight = points.len() == 2 && (same(points[0].0, points[1].0) || same(points[0].1, points[1].1));
    let mut classes: Vec<String> = Vec::new();
    classes.extend(stroke.map(|s| svg_classes('s', s)));
    classes.extend(fill.map(|f| svg_classes('f', f)));
    if straight && width <= 1.0 {
        classes.push("crisp".to_owned());
    }
    let mut d = String::new();
    for (at, (x, y)) in points.iter().enumerate() {
        let _ = write!(d, "{}{} {}", if at == 0 { "M" } else { "L" }, n(*x), n(*y));
    }
    let closed = if fill.is_some() { "Z" } else { "" };
    let none = if fill.is_some() { "" } else { " fill=\"none\"" };
    let stroke = if stroke.is_some() {
        format!(" stroke-width=\"{}\" stroke-linejoin=\"round\"", n(width))
    } else {
        String::new()
    };
    let dash = if dashed { " stroke-dasharray=\"5 4\"" } else { "" };
    let _ = write!(
        text,
        "<path d=\"{d}{closed}\" class=\"{}\"{none}{stroke}{dash}{attribute}",
        classes.join(" ")
    );
}

fn write_text(text: &mut String, shape: &Shape, raster: bool, attribute: &str, inner: &str) {
    let Shape::Text { at: (x, y), text: shown, size, bold, anchor, upright, paint, .. } = shape else {
        return;
    };
    let anchor = match anchor {
        Anchor::Start => "",
        Anchor::Middle => " text-anchor=\"middle\"",
        Anchor::End => " text-anchor=\"end\"",
    };
    let weight = if *bold { " font-weight=\"600\"" } else { "" };
    let turn =
        if *upright { format!(" transform=\"rotate(-90 {} {})\"", n(*x), n(*y)) } else { String::new() };
    // What the font lacks cannot be rasterised: a box stands for it.
    let shown: String = if raster {
        shown.chars().map(|c| if font::has(c) { c } else { '□' }).collect()
    } else {
        shown.clone()
    };
    let _ = write!(
        text,
        "<text x=\"{}\" y=\"{}\" font-size=\"{}\"{weight}{anchor}{turn} class=\"{}\"{attribute}>{inner}{}</text>",
        n(*x),
        n(*y),
        n(*size),
        svg_classes('f', *paint),
        escape(&shown)
    );
}

fn end(text: &mut String, tag: &str, inner: &str) {
    if inner.is_empty() {
        text.push_str("/>");
    } else {
        let _ = write!(text, ">{inner}</{tag}>");
    }
}
