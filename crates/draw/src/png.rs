//! Scenes as PNG: the same bytes wherever they are drawn, since the font is built in and nothing of the machine is used.

use crate::font;
use crate::palette::Theme;
use crate::scene::Scene;
use crate::svg::{Target, svg};
use resvg::{tiny_skia, usvg};
use std::sync::{Arc, OnceLock};

/// Why a picture could not be drawn.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PictureError {
    /// It is too large.
    #[error("a picture of {0} by {1} pixels is too large: the sides may be up to 16000")]
    TooLarge(u32, u32),
    /// The rasteriser refused it, which would be a fault of the program.
    #[error("the picture cannot be drawn: {0}")]
    Refused(String),
}

/// The longest side of a picture in pixels.
const LONGEST: u32 = 16_000;

fn fonts() -> Arc<usvg::fontdb::Database> {
    static FONTS: OnceLock<Arc<usvg::fontdb::Database>> = OnceLock::new();
    let load = || {
        let mut database = usvg::fontdb::Database::new();
        database.load_font_data(font::REGULAR.to_vec());
        database.load_font_data(font::BOLD.to_vec());
        database.set_sans_serif_family("Inter");
        Arc::new(database)
    };
    FONTS.get_or_init(load).clone()
}

/// A scene as the bytes of a PNG file, `scale` times its size.
pub(crate) fn png(scene: &Scene, scale: f64, theme: Theme) -> Result<Vec<u8>, PictureError> {
    let text = svg(scene, Target::Raster(theme));
    let options =
        usvg::Options { fontdb: fonts(), font_family: "Inter".to_owned(), ..usvg::Options::default() };
    let refused = |error: &dyn std::fmt::Display| PictureError::Refused(error.to_string());
    let tree = usvg::Tree::from_str(&text, &options).map_err(|e| refused(&e))?;
    let side = |length: f64| (length * scale).ceil().max(1.0) as u32;
    let (width, height) = (side(scene.width), side(scene.height));
    if width > LONGEST || height > LONGEST {
        return Err(PictureError::TooLarge(width, height));
    }
    let mut pixels = tiny_skia::Pixmap::new(width, height).ok_or(PictureError::TooLarge(width, height))?;
    let transform = tiny_skia::Transform::from_scale(scale as f32, scale as f32);
    resvg::render(&tree, transform, &mut pixels.as_mut());
    pixels.encode_png().map_err(|e| refused(&e))
}
