//! Pictures as scenes, files and text.

use crate::answer::text_of;
use crate::chart;
use crate::picture::{Picture, View};
use crate::scene::Scene;
use crate::svg::{Target, svg};
#[cfg(feature = "png")]
use crate::{
    palette::Theme,
    png::{PictureError, png},
};
use vembra_plan::drawing::Form;

impl Picture {
    /// The picture as data: shapes and texts at their places.
    pub fn scene(&self, view: View) -> Scene {
        chart::scene(self, view)
    }

    /// The picture as an SVG file: light or dark as the reader's screen is, its font inside.
    pub fn svg(&self, view: View) -> String {
        svg(&self.scene(view), Target::File)
    }

    /// The picture as a PNG file, `scale` times as large.
    ///
    /// # Errors
    /// When it would be too large.
    #[cfg(feature = "png")]
    pub fn png(&self, view: View, scale: f64, theme: Theme) -> Result<Vec<u8>, PictureError> {
        png(&self.scene(view), scale, theme)
    }

    /// The picture as text: its title and its figures, in parts of at most `width` characters.
    pub fn text(&self, width: Option<usize>) -> String {
        let mut drawing = self.drawing.clone();
        // Where a picture has bars, so has the text.
        if drawing.small_bars.is_empty() && !drawing.trends && drawing.form != Form::Table {
            drawing.small_bars = (0..drawing.shown.min(1)).collect();
        }
        let table = text_of(&self.answer, Some(&drawing), &self.locale, false, width);
        let about = self.about.as_ref().map(|a| format!("{a}\n")).unwrap_or_default();
        format!("{}\n{about}\n{table}", crate::tame::tame(&self.title))
    }
}
