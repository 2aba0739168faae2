//! The colours of charts and pages, for light and for dark surroundings.
//!
//! The eight colours of series were searched for by a program: each stands out from its background (contrast of at least 3),
//! and any two stay apart for readers with each of the three colour deficiencies. The tests below measure both.

use vembra_plan::drawing::Colour;

/// How many steps a ramp of shades has.
pub(crate) const STEPS: usize = 9;

/// What something is painted with.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Paint {
    /// Text and axes.
    Ink,
    /// Text that matters less.
    Soft,
    /// Lines behind what is drawn.
    Grid,
    /// The background.
    Ground,
    /// Something that a rule marks.
    Mark,
    /// A series.
    Series(Colour),
    /// The same, paler: a series beyond the eighth colour.
    Pale(Colour),
    /// A shade, from 0 (least) to 8 (most).
    Shade(u8),
    /// A shade for what lies above zero, where figures have both signs.
    Above(u8),
    /// A shade for what lies below zero.
    Below(u8),
    /// Text on a shade.
    OnShade(u8),
    /// Text on a shade above zero.
    OnAbove(u8),
    /// Text on a shade below zero.
    OnBelow(u8),
    /// Nothing: takes the pointer only.
    Clear,
}

/// For which surroundings.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Theme {
    /// Dark on light.
    #[default]
    Light,
    /// Light on dark.
    Dark,
}

fn series(colour: Colour, theme: Theme) -> &'static str {
    let (light, dark) = match colour {
        Colour::Blue => ("#3b5db2", "#5771b8"),
        Colour::Orange => ("#ca6a10", "#dd7118"),
        Colour::Green => ("#1f917d", "#2fc8aa"),
        Colour::Purple => ("#590687", "#ae8cfd"),
        Colour::Sky => ("#2a96ca", "#a1d9fb"),
        Colour::Red => ("#9e2225", "#cb4755"),
        Colour::Olive => ("#909957", "#ccca4f"),
        Colour::Grey => ("#545968", "#808794"),
    };
    if theme == Theme::Light { light } else { dark }
}

const SHADES: [[&str; STEPS]; 2] = [
    ["#edf3f7", "#d3e3ee", "#b4d0e3", "#8fb9d4", "#689fc3", "#4f8cb8", "#2c6794", "#1b4c76", "#0f3353"],
    ["#1d2733", "#22384c", "#274a67", "#2d5f85", "#36749f", "#5497c4", "#6caad2", "#94c5e3", "#c3e0f2"],
];
/// Teal above zero, plum below: as light as the shades of figures without a sign, and apart in hue and in yellow and blue.
const ABOVE: [[&str; STEPS]; 2] = [
    ["#e4f7f1", "#c7e9df", "#a4d8c9", "#79c4b0", "#45ac94", "#029c81", "#03735f", "#045647", "#003b2f"],
    ["#0a2d25", "#014034", "#035344", "#006a58", "#02816b", "#01a78b", "#44b99e", "#7cd1ba", "#b4e8d9"],
];
const BELOW: [[&str; STEPS]; 2] = [
    ["#fcecfc", "#f1d7f1", "#e3bde5", "#d29ed4", "#bd7cc1", "#af65b3", "#89408e", "#6b2870", "#4b174f"],
    ["#331d34", "#49274b", "#613164", "#7c3e81", "#954d9a", "#bb6dbf", "#cb84cf", "#e0a6e3", "#f3ccf4"],
];

impl Theme {
    fn pick(self, light: &'static str, dark: &'static str) -> &'static str {
        if self == Self::Light { light } else { dark }
    }

    /// The colour of a paint, as CSS writes it.
    pub(crate) fn colour(self, paint: Paint) -> &'static str {
        let side = usize::from(self == Self::Dark);
        let step = |shade: u8| usize::from(shade).min(STEPS - 1);
        match paint {
            Paint::Ink => self.pick("#1d2228", "#e9ecf0"),
            Paint::Soft => self.pick("#5a626d", "#a4acb8"),
            Paint::Grid => self.pick("#e2e5e9", "#2f353e"),
            Paint::Ground => self.pick("#ffffff", "#171a20"),
            Paint::Mark => self.pick("#b3160c", "#ff8d7f"),
            Paint::Series(colour) | Paint::Pale(colour) => series(colour, self),
            Paint::Shade(shade) => SHADES[side][step(shade)],
            Paint::Above(shade) => ABOVE[side][step(shade)],
            Paint::Below(shade) => BELOW[side][step(shade)],
            Paint::OnShade(shade) => on(SHADES[side][step(shade)]),
            Paint::OnAbove(shade) => on(ABOVE[side][step(shade)]),
            Paint::OnBelow(shade) => on(BELOW[side][step(shade)]),
            Paint::Clear => "none",
        }
    }
}

/// The letters that stand out most from a colour: dark or white.
fn on(colour: &str) -> &'static str {
    let dark = "#14181d";
    if contrast(dark, colour) >= contrast("#ffffff", colour) { dark } else { "#ffffff" }
}

/// Linear light of a colour that is written as `#rrggbb`.
fn light(colour: &str) -> [f64; 3] {
    let part = |at: usize| {
        let byte = colour.get(at..at + 2).and_then(|hex| u8::from_str_radix(hex, 16).ok());
        f64::from(byte.unwrap_or(0)) / 255.0
    };
    [1, 3, 5].map(part).map(|c| if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) })
}

/// Contrast as the Web Content Accessibility Guidelines 2.2 define it, from 1 to 21.
fn contrast(a: &str, b: &str) -> f64 {
    let luminance = |c: &str| {
        let [r, g, b] = light(c);
        0.2126 * r + 0.7152 * g + 0.0722 * b + 0.05
    };
    let (a, b) = (luminance(a), luminance(b));
    a.max(b) / a.min(b)
}

/// The paint of a series by its number: colours first, then paler ones.
pub(crate) fn nth(at: usize) -> Paint {
    let colour = Colour::ALL[at % Colour::ALL.len()];
    if at < Colour::ALL.len() { Paint::Series(colour) } else { Paint::Pale(colour) }
}

/// The paint of a bar beside figures that may have both signs.
pub(crate) fn bar(value: f64, has_signs: bool) -> Paint {
    match (has_signs, value < 0.0) {
        (false, _) => Paint::Series(Colour::Blue),
        (true, false) => ABOVE_ZERO,
        (true, true) => BELOW_ZERO,
    }
}

/// What lies above zero, and what lies below.
pub(crate) const ABOVE_ZERO: Paint = Paint::Above(6);
pub(crate) const BELOW_ZERO: Paint = Paint::Below(6);

#[cfg(test)]
mod tests {
    use super::*;

    type Rgb = [f64; 3];

    fn times(m: [Rgb; 3], v: Rgb) -> Rgb {
        m.map(|row| row.iter().zip(v).map(|(a, b)| a * b).sum::<f64>())
    }

    /// What readers with a full deficiency see (Machado, Oliveira and Fernandes 2009), in the Oklab space times 100.
    fn seen(colour: &str, deficiency: [Rgb; 3]) -> Rgb {
        let rgb = times(deficiency, light(colour)).map(|c| c.clamp(0.0, 1.0));
        let lms = times(
            [
                [0.412_221_47, 0.536_332_54, 0.051_445_99],
                [0.211_903_5, 0.680_699_55, 0.107_396_96],
                [0.088_302_46, 0.281_718_84, 0.629_978_7],
            ],
            rgb,
        );
        times(
            [
                [21.045_425_5, 79.361_777_8, -0.407_204_7],
                [197.799_849_5, -242.859_220_5, 45.059_371_0],
                [2.590_403_7, 78.277_176_6, -80.867_576_6],
            ],
            lms.map(f64::cbrt),
        )
    }

    /// How far two colours are from each other for a reader.
    fn apart(a: &str, b: &str, reader: [Rgb; 3]) -> f64 {
        let (x, y) = (seen(a, reader), seen(b, reader));
        x.iter().zip(y).map(|(x, y)| (x - y).powi(2)).sum::<f64>().sqrt()
    }

    const READERS: [[Rgb; 3]; 4] = [
        [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]],
        [
            [0.152_286, 1.052_583, -0.204_868],
            [0.114_503, 0.786_281, 0.099_216],
            [-0.003_882, -0.048_116, 1.051_998],
        ],
        [
            [0.367_322, 0.860_646, -0.227_968],
            [0.280_085, 0.672_501, 0.047_413],
            [-0.011_820, 0.042_940, 0.968_881],
        ],
        [
            [1.255_528, -0.076_749, -0.178_779],
            [-0.078_411, 0.930_809, 0.147_602],
            [0.004_733, 0.691_367, 0.303_900],
        ],
    ];

    #[test]
    fn colours_stand_out_and_stay_apart_for_all_readers() {
        for theme in [Theme::Light, Theme::Dark] {
            let ground = theme.colour(Paint::Ground);
            let colours = Colour::ALL.map(|c| theme.colour(Paint::Series(c)));
            for colour in colours {
                assert!(contrast(colour, ground) >= 3.0, "{theme:?} {colour}");
            }
            for reader in READERS {
                for (i, a) in colours.iter().enumerate() {
                    for (j, b) in colours.iter().enumerate().take(i) {
                        let distance = apart(a, b, reader);
                        // Two steps of lightness that are distinguished side by side lie about 2 from each other.
                        let least = if i < 4 && j < 4 { 10.0 } else { 5.5 };
                        assert!(distance >= least, "{theme:?} {a} {b} {distance:.1}");
                    }
                }
            }
        }
    }

    #[test]
    fn texts_are_legible() {
        for theme in [Theme::Light, Theme::Dark] {
            let on = |text: Paint, ground: Paint| contrast(theme.colour(text), theme.colour(ground));
            assert!(on(Paint::Ink, Paint::Ground) >= 7.0);
            assert!(on(Paint::Soft, Paint::Ground) >= 4.5);
            assert!(on(Paint::Mark, Paint::Ground) >= 4.5);
            for step in 0..STEPS as u8 {
                assert!(on(Paint::OnShade(step), Paint::Shade(step)) >= 4.5, "{theme:?} shade {step}");
                assert!(on(Paint::OnAbove(step), Paint::Above(step)) >= 4.5, "{theme:?} above {step}");
                assert!(on(Paint::OnBelow(step), Paint::Below(step)) >= 4.5, "{theme:?} below {step}");
            }
        }
    }

    #[test]
    fn series_begin_with_red_sky_and_olive() {
        assert_eq!([0, 1, 2].map(nth), [Colour::Red, Colour::Sky, Colour::Olive].map(Paint::Series));
        assert_eq!(nth(9), Paint::Pale(Colour::Sky));
    }

    #[test]
    fn above_and_below_zero_stay_apart_for_all_readers() {
        for theme in [Theme::Light, Theme::Dark] {
            let ground = theme.colour(Paint::Ground);
            for paint in [ABOVE_ZERO, BELOW_ZERO] {
                assert!(contrast(theme.colour(paint), ground) >= 3.0, "{theme:?} {paint:?}");
            }
            // The palest say of both signs that there is hardly anything.
            for step in 2..STEPS as u8 {
                let (above, below) = (theme.colour(Paint::Above(step)), theme.colour(Paint::Below(step)));
                for reader in READERS {
                    let distance = apart(above, below, reader);
                    assert!(distance >= 3.5, "{theme:?} {above} {below} {distance:.1}");
                }
            }
        }
    }
}
