//! Pages: several pictures and texts under one title, as one picture, one HTML file, or text.

mod html;
mod table;

use crate::font;
use crate::locale::{Locale, Word};
use crate::palette::Paint;
use crate::picture::{Picture, View};
use crate::scene::{Anchor, Scene, Style};
use crate::svg::{Target, svg};
#[cfg(feature = "png")]
use crate::{
    palette::Theme,
    png::{PictureError, png},
};

/// Room around a page and between what stands on it.
const EDGE: f64 = 24.0;
const GAP: f64 = 16.0;
/// Room in a box around its picture.
const INSIDE: f64 = 14.0;
/// Room of the heading of a box.
const HEAD: f64 = 34.0;
/// The lowest box.
const LOWEST: f64 = 90.0;
const TITLE: f64 = 24.0;

/// Pictures and texts under one title.
#[derive(Clone, Debug, PartialEq)]
pub struct Page {
    /// The title.
    pub title: String,
    /// What it is about.
    pub about: Option<String>,
    /// How its readers write.
    pub locale: Locale,
    /// Width and height in pixels; what needs more height takes more.
    pub size: (u32, u32),
    /// What its reader may choose.
    pub switches: Vec<PageSwitch>,
    /// What stands on it, from the top.
    pub rows: Vec<PageRow>,
}

/// A choice for readers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PageSwitch {
    /// What is chosen.
    pub label: String,
    /// The choices.
    pub values: Vec<String>,
    /// The one that stands first.
    pub chosen: usize,
}

/// Things side by side.
#[derive(Clone, Debug, PartialEq)]
pub struct PageRow {
    /// How much of the height it takes, beside the other rows.
    pub share: f64,
    /// Each thing with how much of the width it takes.
    pub items: Vec<(PageItem, f64)>,
}

/// What stands on a page.
#[derive(Clone, Debug, PartialEq)]
pub enum PageItem {
    /// A picture: one that fits every choice, or several.
    Pictures(Vec<Variant>),
    /// A text of paragraphs.
    Text(Vec<String>),
}

/// A picture for some choices.
#[derive(Clone, Debug, PartialEq)]
pub struct Variant {
    /// Per switch the choice it is for; none if it is for any.
    pub when: Vec<Option<usize>>,
    /// The picture.
    pub picture: Picture,
}

impl Page {
    /// A page with one picture on it.
    pub fn of(picture: Picture, size: (u32, u32)) -> Self {
        let (title, locale) = (picture.title.clone(), picture.locale.clone());
        let item = PageItem::Pictures(vec![Variant { when: Vec::new(), picture }]);
        let rows = vec![PageRow { share: 1.0, items: vec![(item, 1.0)] }];
        Self { title, about: None, locale, size, switches: Vec::new(), rows }
    }

    /// The page as one HTML file: no network, no server, nothing else needed.
    pub fn html(&self) -> String {
        html::html(self)
    }

    /// The page as one picture, with the choices that stand first.
    pub fn scene(&self) -> Scene {
        let width = f64::from(self.size.0);
        let mut scene = Scene::new(width, f64::from(self.size.1));
        scene.title.clone_from(&self.title);
        let mut y = EDGE;
        let inner = width - 2.0 * EDGE;
        let title = Style::new(TITLE, Anchor::Start, Paint::Ink).bold();
        scene.text((EDGE, y + TITLE - 4.0), &self.title, inner, title);
        y += TITLE + 10.0;
        if let Some(about) = &self.about {
            for line in font::wrap(about, 13.0, false, inner) {
                scene.text((EDGE, y + 12.0), &line, inner, Style::new(13.0, Anchor::Start, Paint::Soft));
                y += 19.0;
            }
        }
        y += 6.0;
        let heights = self.heights(y);
        for (row, height) in self.rows.iter().zip(heights) {
            let mut boxes = Vec::new();
            for (x, width, item) in placed(row, EDGE, inner) {
                boxes.push((x, width, item_scene(item, width - 2.0 * INSIDE, height - INSIDE)));
            }
            // A row is as high as the highest thing on it.
            let needed = boxes.iter().map(|(_, _, s)| s.height + INSIDE).fold(height, f64::max);
            // A chart beside something higher fills its box.
            if needed > height {
                let items = placed(row, EDGE, inner).into_iter().map(|(.., item)| item);
                for ((_, width, scene), item) in boxes.iter_mut().zip(items).filter(|(_, item)| grows(item)) {
                    *scene = item_scene(item, *width - 2.0 * INSIDE, needed - INSIDE);
                }
            }
            for (x, width, inner) in boxes {
                frame(&mut scene, [x, y, width, needed]);
                scene.put(inner, (x + INSIDE, y + INSIDE / 2.0));
            }
            y += needed + GAP;
        }
        scene.height = scene.height.max(y - GAP + EDGE);
        scene.description = self.locale.counted(Word::PageOfRows, self.rows.len(), &[]);
        scene
    }

    /// The height that the page needs as a picture, where that is more than what its size says.
    pub fn needs_height(&self) -> Option<u32> {
        let needed = self.scene().height.ceil();
        (needed > f64::from(self.size.1)).then_some(needed as u32)
    }

    /// How high each row is, below a heading that ends at `top`.
    fn heights(&self, top: f64) -> Vec<f64> {
        let gaps = GAP * self.rows.len().saturating_sub(1) as f64;
        let room = f64::from(self.size.1) - top - EDGE - gaps;
        let whole: f64 = self.rows.iter().map(|s| s.share).sum();
        self.rows.iter().map(|s| (room * s.share / whole.max(1e-9)).max(LOWEST)).collect()
    }

    /// The page as an SVG file.
    pub fn svg(&self) -> String {
        svg(&self.scene(), Target::File)
    }

    /// The page as a PNG file, `scale` times as large.
    ///
    /// # Errors
    /// When it would be too large.
    #[cfg(feature = "png")]
    pub fn png(&self, scale: f64, theme: Theme) -> Result<Vec<u8>, PictureError> {
        png(&self.scene(), scale, theme)
    }

    /// The page as text: its texts and tables one below the other.
    pub fn text(&self, width: Option<usize>) -> String {
        let mut text = format!(
            "{}\n{}\n",
            self.title,
            "=".repeat(unicode_width::UnicodeWidthStr::width(self.title.as_str()))
        );
        if let Some(about) = &self.about {
            text.push_str(&format!("{about}\n"));
        }
        for (item, _) in self.rows.iter().flat_map(|s| &s.items) {
            text.push('\n');
            match item {
                PageItem::Text(paragraphs) => {
                    paragraphs.iter().for_each(|p| text.push_str(&format!("{p}\n")));
                }
                PageItem::Pictures(variants) => {
                    let first = variants.first().map(|v| v.picture.text(width));
                    text.push_str(&first.unwrap_or_default());
                }
            }
        }
        text
    }
}

/// The things on a row with their left edges and widths.
fn placed(row: &PageRow, left: f64, width: f64) -> Vec<(f64, f64, &PageItem)> {
    let gaps = GAP * row.items.len().saturating_sub(1) as f64;
    let whole: f64 = row.items.iter().map(|(_, share)| share).sum();
    let mut x = left;
    let mut placed = Vec::new();
    for (item, share) in &row.items {
        let own = ((width - gaps) * share / whole.max(1e-9)).max(60.0);
        placed.push((x, own, item));
        x += own + GAP;
    }
    placed
}

/// A line around a box.
fn frame(scene: &mut Scene, [x, y, w, h]: [f64; 4]) {
    for (from, to) in [
        ((x, y), (x + w, y)),
        ((x, y + h), (x + w, y + h)),
        ((x, y), (x, y + h)),
        ((x + w, y), (x + w, y + h)),
    ] {
        scene.line(from, to, Paint::Grid);
    }
}

/// Whether something is drawn to the height that it is given: charts are, tables and texts are as high as their lines.
fn grows(item: &PageItem) -> bool {
    let PageItem::Pictures(variants) = item else { return false };
    variants.first().is_some_and(|v| {
        matches!(v.picture.answer, vembra_engine::Answer::Summary(_))
            && v.picture.drawing.form.traits().is_chart
    })
}

fn item_scene(item: &PageItem, width: f64, height: f64) -> Scene {
    match item {
        PageItem::Text(paragraphs) => text_scene(paragraphs, width),
        PageItem::Pictures(variants) => {
            let Some(variant) = variants.first() else { return Scene::new(width, height) };
            let mut scene = Scene::new(width, height);
            let style = Style::new(15.0, Anchor::Start, Paint::Ink).bold();
            scene.text((0.0, 20.0), &variant.picture.title, width, style);
            let view = View { width, height: (height - HEAD).max(40.0), titled: false };
            let inner = variant.picture.scene(view);
            scene.height = scene.height.max(inner.height + HEAD);
            scene.put(inner, (0.0, HEAD));
            scene
        }
    }
}

fn text_scene(paragraphs: &[String], width: f64) -> Scene {
    let mut scene = Scene::new(width, 0.0);
    let mut y = 4.0;
    for paragraph in paragraphs {
        for line in font::wrap(paragraph, 13.0, false, width) {
            y += 19.0;
            scene.text((0.0, y), &line, width, Style::new(13.0, Anchor::Start, Paint::Ink));
        }
        y += 8.0;
    }
    scene.height = y + 4.0;
    scene
}
