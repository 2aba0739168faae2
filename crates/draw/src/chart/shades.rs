//! Shades by a figure: from pale to strong, with a colour of its own below zero and another one above where a figure has both signs.

use super::data::Data;
use crate::palette::{Paint, STEPS};

/// Few values have no outliers.
const FEW: usize = 12;
/// A value this many times larger than nearly all others does not take their shades.
const FAR: f64 = 4.0;
/// Nearly all: this part of the values.
const NEARLY_ALL: f64 = 0.95;

/// The shade of each value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Shades {
    /// The least and the largest value.
    pub(super) ends: (f64, f64),
    /// The value from which on all have the strongest shade; its distance from zero where values have both signs.
    pub(super) most: f64,
    /// Whether values lie beyond it.
    pub(super) is_cut: bool,
}

impl Shades {
    /// The shades of the values of a picture.
    pub(super) fn of(data: &Data) -> Self {
        let values: Vec<f64> = data.points.iter().filter_map(|p| p.shade).collect();
        Self::over(&values)
    }

    fn over(values: &[f64]) -> Self {
        let wider = |(low, high): (f64, f64), v: &f64| (low.min(*v), high.max(*v));
        let ends = values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), wider);
        if ends.0 > ends.1 {
            return Self { ends: (0.0, 1.0), most: 1.0, is_cut: false };
        }
        let base = if ends.0 < 0.0 { 0.0 } else { ends.0 };
        let mut sizes: Vec<f64> = values.iter().map(|v| (v - base).abs()).collect();
        sizes.sort_by(f64::total_cmp);
        let largest = sizes.last().copied().unwrap_or(0.0);
        let nearly = sizes[((sizes.len() - 1) as f64 * NEARLY_ALL) as usize];
        let is_cut = sizes.len() >= FEW && nearly > 0.0 && largest > FAR * nearly;
        Self { ends, most: base + if is_cut { nearly } else { largest }, is_cut }
    }

    /// Whether values lie on both sides of zero, or all below it.
    pub(super) fn has_signs(&self) -> bool {
        self.ends.0 < 0.0
    }

    /// The paint of a value.
    pub(super) fn paint(&self, value: f64) -> Paint {
        let step = |part: f64| (part.clamp(0.0, 1.0) * STEPS as f64).floor().min(STEPS as f64 - 1.0) as u8;
        if self.has_signs() {
            let part = if self.most > 0.0 { value.abs() / self.most } else { 0.0 };
            return if value < 0.0 { Paint::Below(step(part)) } else { Paint::Above(step(part)) };
        }
        let span = self.most - self.ends.0;
        Paint::Shade(step(if span > 0.0 { (value - self.ends.0) / span } else { 0.5 }))
    }

    /// The paints of a legend, from the least value to the largest: each sign that occurs has at least one.
    pub(super) fn steps(&self) -> Vec<Paint> {
        if !self.has_signs() {
            return (0..STEPS as u8).map(Paint::Shade).collect();
        }
        let (low, high) = (self.ends.0.abs().min(self.most), self.ends.1.clamp(0.0, self.most));
        let count = |reach: f64| {
            let part = if self.most > 0.0 { reach / self.most } else { 0.0 };
            if part > 0.0 { ((part * STEPS as f64).ceil() as u8).clamp(1, STEPS as u8) } else { 0 }
        };
        let below = (0..count(low)).rev().map(Paint::Below);
        below.chain((0..count(high)).map(Paint::Above)).collect()
    }

    /// Whether values at the low end, and at the high end, lie beyond the strongest shade.
    pub(super) fn cut_ends(&self) -> (bool, bool) {
        (self.is_cut && self.ends.0 < -self.most, self.is_cut && self.ends.1 > self.most)
    }
}

#[cfg(test)]
mod tests {
    use super::Shades;
    use crate::palette::Paint;

    #[test]
    fn shades_follow_the_value() {
        let plain = Shades::over(&[0.0, 10.0]);
        assert_eq!((plain.paint(0.0), plain.paint(10.0)), (Paint::Shade(0), Paint::Shade(8)));
        assert_eq!(Shades::over(&[3.0]).paint(3.0), Paint::Shade(4));
        let signed = Shades::over(&[-5.0, 10.0]);
        assert_eq!((signed.paint(-5.0), signed.paint(10.0)), (Paint::Below(4), Paint::Above(8)));
        assert_eq!(Shades::over(&[]).paint(0.5), Paint::Shade(4));
    }

    #[test]
    fn a_legend_has_each_sign_that_occurs() {
        let steps = Shades::over(&[-1.0, 1_000.0]).steps();
        assert_eq!(steps[0], Paint::Below(0));
        assert_eq!((steps.len(), steps[9]), (10, Paint::Above(8)));
        assert_eq!(Shades::over(&[-2.0, -1.0]).steps().len(), 9);
    }

    #[test]
    fn one_outlier_does_not_take_all_shades() {
        let mut values: Vec<f64> = (0..100).map(f64::from).collect();
        assert!(!Shades::over(&values).is_cut);
        values.push(90_000.0);
        let cut = Shades::over(&values);
        assert_eq!((cut.is_cut, cut.most, cut.cut_ends()), (true, 95.0, (false, true)));
        assert_eq!((cut.paint(90_000.0), cut.paint(50.0)), (Paint::Shade(8), Paint::Shade(4)));
        values.push(-90_000.0);
        assert_eq!(Shades::over(&values).cut_ends(), (true, true));
    }
}
