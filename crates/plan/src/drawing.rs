//! How an answer is drawn, as data: which axis runs where, and which figure is what.
//!
//! Axes and figures are numbers into the answer: axes those of the rows first, figures in the order shown.

mod form;

pub use form::{Form, FormTraits};

use crate::scalar::Scalar;
use serde::{Deserialize, Serialize};

/// An axis of the answer along which things are drawn.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Run {
    /// The axis of the answer.
    pub axis: usize,
    /// Whether it runs the other way round.
    pub reversed: bool,
    /// Whether places are spaced as time passes (true) or one after the other (false); left open where the form decides.
    pub time: Option<bool>,
    /// Members that come first, in this order.
    pub order: Vec<Scalar>,
}

/// What colours distinguish.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum ColourBy {
    /// The members of an axis.
    Axis(usize),
    /// The size of a figure.
    Figure(usize),
}

/// A grid of small panels, one a member.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Panels {
    /// The axis of the answer.
    pub axis: usize,
    /// How many stand side by side.
    pub across: usize,
}

/// A rule that marks what it holds for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct MarkRule {
    /// The figure that says whether it holds.
    pub figure: usize,
    /// The figure that is marked; none if the line is.
    pub on: Option<usize>,
    /// What it means.
    pub meaning: String,
}

impl MarkRule {
    /// Whether it is about a figure: its own, or any of the line's.
    pub fn is_about(&self, figure: usize) -> bool {
        self.on.is_none_or(|on| on == figure)
    }
}

/// A colour of the palette.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs)] // Each is the colour of its name.
pub enum Colour {
    Red,
    Sky,
    Olive,
    Purple,
    Blue,
    Orange,
    Green,
    Grey,
}

impl Colour {
    /// All colours, in the order in which series take them.
    pub const ALL: [Self; 8] =
        [Self::Red, Self::Sky, Self::Olive, Self::Purple, Self::Blue, Self::Orange, Self::Green, Self::Grey];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Blue => "blue",
            Self::Orange => "orange",
            Self::Green => "green",
            Self::Purple => "purple",
            Self::Sky => "sky",
            Self::Red => "red",
            Self::Olive => "olive",
            Self::Grey => "grey",
        }
    }

    /// The colour of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|c| c.name().eq_ignore_ascii_case(name))
    }
}

/// How an answer is drawn.
///
/// # Examples
/// ```
/// use vembra_plan::drawing::{Drawing, Form};
/// let plain = Drawing::new(Form::Bars, 2, 1);
/// assert_eq!(plain.along.map(|run| run.axis), Some(0));
/// ```
#[derive(Clone, Debug, PartialEq, Default, Serialize, Deserialize)]
#[allow(clippy::struct_excessive_bools)] // Each is an option of its own.
pub struct Drawing {
    /// The form.
    pub form: Form,
    /// The axis along which it runs.
    pub along: Option<Run>,
    /// The axis that stands across it, for dots and heat.
    pub up: Option<Run>,
    /// What colours distinguish; figures do if this is left open and there are several.
    pub colour: Option<ColourBy>,
    /// The figure that says how large dots are.
    pub size: Option<usize>,
    /// Small panels.
    pub panels: Option<Panels>,
    /// Whether series stand on each other.
    pub stacked: bool,
    /// Whether the axis stands upright and runs downwards.
    pub sideways: bool,
    /// Whether axes say what they are.
    pub axis_titles: bool,
    /// Whether figures are written beside what is drawn.
    pub values: bool,
    /// Colours of members by hand.
    pub colours: Vec<(String, Colour)>,
    /// Rules that mark what they hold for.
    pub marks: Vec<MarkRule>,
    /// Figures that only a tooltip shows.
    pub tooltip: Vec<usize>,
    /// For a number: what the figure is compared with.
    pub compared: Option<usize>,
    /// For a table: figures with a small bar.
    pub small_bars: Vec<usize>,
    /// For a table: a small line through the figures of each row.
    pub trends: bool,
    /// How many figures are shown; those behind them are there for marks and for the tooltip.
    pub shown: usize,
}

impl Drawing {
    /// A drawing of an answer with this many axes and figures, with nothing said but the form: the first axis runs along,
    /// and the second stands up or has the colours.
    pub fn new(form: Form, axes: usize, shown: usize) -> Self {
        let mut drawing = Self { form, shown, axis_titles: true, ..Self::default() };
        drawing.complete(axes);
        drawing
    }

    /// Settles what was left open.
    pub fn complete(&mut self, axes: usize) {
        if !self.form.traits().is_chart {
            return;
        }
        let run = |axis| Run { axis, reversed: false, time: None, order: Vec::new() };
        let panels = self.panels.map(|p| p.axis);
        let coloured = match self.colour {
            Some(ColourBy::Axis(axis)) => Some(axis),
            _ => None,
        };
        let taken = |axis: &usize, more: Option<usize>| {
            Some(*axis) != panels && Some(*axis) != coloured && Some(*axis) != more
        };
        if self.along.is_none() {
            let up = self.up.as_ref().map(|r| r.axis);
            self.along = (0..axes).find(|a| taken(a, up)).map(run);
        }
        let along = self.along.as_ref().map(|r| r.axis);
        match self.form {
            form if form.traits().up => {
                if self.up.is_none() {
                    self.up = (0..axes).find(|a| taken(a, along)).map(run);
                }
                let up = self.up.as_ref().map(|r| r.axis);
                if self.form == Form::Dots && self.colour.is_none() {
                    self.colour = (0..axes).find(|a| taken(a, along) && Some(*a) != up).map(ColourBy::Axis);
                }
            }
            form if form.traits().is_chart && self.colour.is_none() => {
                self.colour = (0..axes).find(|a| taken(a, along)).map(ColourBy::Axis);
            }
            _ => {}
        }
    }

    /// The axes of the answer that the drawing uses.
    pub fn axes(&self) -> Vec<usize> {
        let runs = self.along.iter().chain(&self.up).map(|r| r.axis);
        let colour = match self.colour {
            Some(ColourBy::Axis(axis)) => Some(axis),
            _ => None,
        };
        runs.chain(colour).chain(self.panels.map(|p| p.axis)).collect()
    }
}
