//! An answer with a title and a way to be drawn.

use crate::answer::text_of;
use crate::chart::{self, View};
use crate::palette::Theme;
use crate::png::{PictureError, png};
use crate::scene::Scene;
use crate::svg::{Target, svg};
use vembra_engine::Answer;
use vembra_plan::drawing::{Drawing, Form};

/// An answer with a title and a way to be drawn.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    /// The title.
    pub title: String,
    /// What it is about.
    pub about: Option<String>,
    /// The figures.
    pub answer: Answer,
    /// How they are drawn.
    pub drawing: Drawing,
    /// The currency of amounts, as an ISO 4217 code.
    pub currency: Option<String>,
    /// What the figures are made of, each with its name: the query, formulas, parameters. Pages show it when asked.
    pub origin: Vec<(String, String)>,
    /// Why the one figure of a number is what it is, step by step.
    pub explanation: Option<String>,
}

/// A picture of more points takes long to make and shows nothing.
const MOST_DRAWN: usize = 50_000;

impl Picture {
    /// The size that suits the picture: a number is small, a table as high as its lines, all else fills a screen.
    pub fn natural_size(&self) -> View {
        match self.drawing.form {
            Form::Number => View::new(480, 200),
            Form::Table => View { height: 0.0, ..View::new(1280, 0) },
            _ => View::new(1280, 800),
        }
    }

    /// Why it cannot be drawn so that anybody could read it, and what to do; none if it can.
    pub fn refusal(&self) -> Option<String> {
        let Answer::Summary(summary) = &self.answer else { return None };
        let drawn = !matches!(self.drawing.form, Form::Table | Form::Number);
        (drawn && summary.lines.len() > MOST_DRAWN).then(|| {
            format!(
                "{} points are more than a picture can show ({} are the most): choose some with top … by …, split by something coarser, or draw a table",
                crate::grouped(summary.lines.len()),
                crate::grouped(MOST_DRAWN)
            )
        })
    }

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
        let table = text_of(&self.answer, Some(&drawing), self.currency.as_deref(), false, width);
        let about = self.about.as_ref().map(|a| format!("{a}\n")).unwrap_or_default();
        format!("{}\n{about}\n{table}", crate::tame::tame(&self.title))
    }

    /// Whether there is nothing to draw.
    pub(crate) fn is_empty(&self) -> bool {
        match &self.answer {
            Answer::Summary(summary) => summary.lines.is_empty(),
            Answer::List(list) => list.rows.is_empty(),
        }
    }
}
