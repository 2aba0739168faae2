//! Scales: round numbers along figures, and places along members and time.

use super::data::{Axis, Figure};
use crate::locale::Word;
use vembra_plan::{Period, Scalar, Type, civil};

/// A straight scale of numbers.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Numbers {
    pub(crate) least: f64,
    pub(crate) most: f64,
    /// Round numbers with their texts.
    pub(crate) ticks: Vec<(f64, String)>,
}

/// A round step: 1, 2, 2.5 or 5 times a power of ten.
fn round_step(span: f64, wanted: f64, finest: Option<f64>) -> f64 {
    let raw = span / wanted.max(1.0);
    let power = 10f64.powf(raw.log10().floor());
    let steps = [1.0, 2.0, 2.5, 5.0, 10.0].map(|s| s * power);
    // Two steps that the format shows alike are no use.
    let told = |step: f64| {
        finest.is_none_or(|f| {
            let parts = step / f;
            parts >= 0.999 && (parts - parts.round()).abs() < 1e-6 * parts
        })
    };
    steps
        .into_iter()
        .find(|s| *s >= raw * 0.999 && told(*s))
        .unwrap_or_else(|| finest.unwrap_or(steps[4]).max(steps[4]))
}

impl Numbers {
    /// The scale of values, with about `wanted` steps. Zero is on it unless all values lie close together far from it, or
    /// where `ground` asks for it.
    pub(crate) fn of(values: impl Iterator<Item = f64>, ground: bool, wanted: f64, figure: &Figure) -> Self {
        let (mut least, mut most) = (f64::INFINITY, f64::NEG_INFINITY);
        for value in values {
            (least, most) = (least.min(value), most.max(value));
        }
        if least > most {
            (least, most) = (0.0, 1.0);
        }
        let one = most - least <= 0.0;
        let close = !one && (least > 0.0 && least > 0.75 * most || most < 0.0 && most < 0.75 * least);
        if ground || !close {
            (least, most) = (least.min(0.0), most.max(0.0));
        }
        if most - least <= f64::EPSILON * most.abs().max(least.abs()) {
            let reach = if most == 0.0 { 1.0 } else { most.abs() * 0.5 };
            (least, most) = (if ground { least.min(0.0) } else { least - reach }, most + reach);
        }
        let step = round_step(most - least, wanted, figure.finest());
        let first = (least / step + 1e-9).floor();
        let last = (most / step - 1e-9).ceil();
        let count = (last - first).clamp(1.0, 50.0) as usize;
        let reach = (first * step).abs().max((last * step).abs());
        let short = (figure.format.is_none() && figure.power == 0).then(|| short_unit(reach)).flatten();
        let ticks = (0..=count).map(|at| {
            let value = (first + at as f64) * step;
            let text = match short {
                // The unit is said once, at the last one.
                Some((size, unit)) => {
                    let short = figure.locale.plain(&short_text(value / size));
                    if at == count { format!("{short} {}", figure.locale.word(unit)) } else { short }
                }
                None => tick_text(value, first * step, last * step, figure),
            };
            (value, text)
        });
        let ticks = without_needless_decimals(ticks.collect(), &figure.locale.numbers().decimal);
        Self { least: first * step, most: (first + count as f64) * step, ticks }
    }

    /// Where a value lies, from 0 to 1.
    pub(crate) fn part(&self, value: f64) -> f64 {
        ((value - self.least) / (self.most - self.least)).clamp(0.0, 1.0)
    }
}

/// The unit in which large numbers are short, where no pattern says how they are written.
fn short_unit(reach: f64) -> Option<(f64, Word)> {
    match reach {
        r if r >= 1e15 => None,
        r if r >= 1e12 => Some((1e12, Word::Trillion)),
        r if r >= 1e9 => Some((1e9, Word::Billion)),
        r if r >= 1e6 => Some((1e6, Word::Million)),
        _ => None,
    }
}

/// A number with as few decimals as it needs, at most three.
fn short_text(value: f64) -> String {
    let text = format!("{value:.3}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".to_owned() } else { text.to_owned() }
}

/// A number on an axis; very large ones in powers of ten.
fn tick_text(value: f64, least: f64, most: f64, figure: &Figure) -> String {
    let reach = least.abs().max(most.abs());
    if reach >= 1e15 || figure.power != 0 {
        return figure.locale.plain(&in_powers(value, figure.power));
    }
    let text = figure.text(value);
    // Money on an axis needs no cents where all steps are whole.
    let cents = figure.locale.plain(".00");
    match text.strip_suffix(&cents).map(str::to_owned) {
        Some(short) if value.fract() == 0.0 && reach >= 10.0 => short,
        _ => text,
    }
}

/// A number that is drawn divided by ten to a power, as up to three digits and a power of ten.
pub(crate) fn in_powers(value: f64, drawn: i32) -> String {
    if value == 0.0 {
        return "0".to_owned();
    }
    let text = format!("{value:.2e}");
    let (digits, power) = text.split_once('e').unwrap_or((&text, "0"));
    let power = power.parse::<i32>().unwrap_or(0) + drawn;
    format!("{}e{power}", digits.trim_end_matches('0').trim_end_matches('.'))
}

/// The places of an axis in pixels.
#[derive(Clone, Debug)]
pub(crate) struct Places {
    /// The middle of each place.
    pub(crate) at: Vec<f64>,
    /// The room of one place.
    pub(crate) room: f64,
    /// Places that have no neighbours in time: `(none)` and the like.
    pub(crate) apart: Vec<bool>,
    /// Labels at their places.
    pub(crate) labels: Vec<(f64, String)>,
}

/// How many physical values one unit of a type of time is.
fn unit(ty: Type) -> f64 {
    if ty == Type::Moment { 86_400_000_000.0 } else { 1.0 }
}

/// The places of an axis over `length` pixels. `label_room` says how much room a label of this many pixels takes.
pub(crate) fn places(axis: &Axis, length: f64, bars: bool, label_room: impl Fn(&str) -> f64) -> Places {
    let mut places = if axis.time { in_time(axis, length, bars, &label_room) } else { members(axis, length) };
    if axis.reversed {
        places.at.iter_mut().for_each(|x| *x = length - *x);
        places.labels.iter_mut().for_each(|(x, _)| *x = length - *x);
    }
    places
}

fn members(axis: &Axis, length: f64) -> Places {
    let count = axis.places.len().max(1) as f64;
    let room = length / count;
    let at: Vec<f64> = (0..axis.places.len()).map(|i| (i as f64 + 0.5) * room).collect();
    let labels = at.iter().zip(&axis.places).map(|(x, p)| (*x, p.label.clone())).collect();
    Places { apart: vec![false; at.len()], at, room, labels }
}

fn in_time(axis: &Axis, length: f64, bars: bool, label_room: &impl Fn(&str) -> f64) -> Places {
    let physicals: Vec<f64> = axis.places.iter().filter_map(|p| p.physical).map(|l| l as f64).collect();
    let apart: Vec<bool> = axis.places.iter().map(|p| p.physical.is_none()).collect();
    let odd = apart.iter().filter(|a| **a).count() as f64;
    // Beside it stands the label of the last place in time.
    let widest = axis.places.iter().filter(|p| p.physical.is_none()).map(|p| label_room(&p.label) + 36.0);
    let odd_room = widest.fold(36.0, f64::max).min(length / (odd + 1.0));
    let (first, last) = (physicals.first().copied().unwrap_or(0.0), physicals.last().copied().unwrap_or(0.0));
    let step = unit(axis.ty);
    let whole = length - odd * odd_room;
    let span = (last - first) / step;
    let room = whole / (span + 1.0);
    let edge = if bars || span == 0.0 { room / 2.0 } else { (room / 2.0).min(8.0) };
    let scale = |physical: f64| {
        let part = if span > 0.0 { (physical - first) / (last - first) } else { 0.0 };
        edge + part * (whole - 2.0 * edge)
    };
    let mut odd_at = 0.0;
    let at = axis.places.iter().map(|p| match p.physical {
        Some(physical) => scale(physical as f64),
        None => {
            odd_at += 1.0;
            whole + (odd_at - 0.5) * odd_room
        }
    });
    let at: Vec<f64> = at.collect();
    let mut labels = Vec::new();
    if !physicals.is_empty() {
        labels = time_labels(axis.ty, first as i128, last as i128, |labels| {
            let widest = labels.iter().map(|(_, t)| label_room(t)).fold(0.0, f64::max);
            let apart = labels.windows(2).map(|w| scale(w[1].0 as f64) - scale(w[0].0 as f64));
            apart.fold(f64::INFINITY, f64::min) >= widest
        })
        .into_iter()
        .map(|(physical, text)| (scale(physical as f64), text))
        .collect();
    }
    labels.extend(
        at.iter().zip(&axis.places).filter(|(_, p)| p.physical.is_none()).map(|(x, p)| (*x, p.label.clone())),
    );
    Places { at, room: room.min(whole), apart, labels }
}

/// Labels in time at round places: the closest ones that fit.
fn time_labels(
    ty: Type,
    first: i128,
    last: i128,
    fits: impl Fn(&[(i128, String)]) -> bool,
) -> Vec<(i128, String)> {
    let text = |physical: i128| Scalar::from_physical(ty, physical).to_string();
    let multiples = |step: i128| -> Vec<(i128, String)> {
        let from = first.div_euclid(step) * step;
        (0..)
            .map(|i| from + i * step)
            .skip_while(|l| *l < first)
            .take_while(|l| *l <= last)
            .take(400)
            .map(|l| (l, text(l)))
            .collect()
    };
    let steps: &[i128] = match ty {
        Type::Period(Period::Quarter | Period::FiscalQuarter) => &[1, 2, 4, 8, 20, 40, 80, 200, 400],
        Type::Period(Period::Month | Period::FiscalMonth) => &[1, 2, 3, 6, 12, 24, 60, 120, 240, 600, 1200],
        Type::Period(Period::Week) => &[1, 2, 4, 13, 26, 52, 104, 260, 520],
        Type::Period(_) => &[1, 2, 5, 10, 20, 50, 100, 200, 500, 1000],
        _ => &[],
    };
    let mut sparse = Vec::new();
    for step in steps {
        if (last - first) / step > 300 {
            continue;
        }
        let labels = multiples(*step);
        if !labels.is_empty() && fits(&labels) {
            return labels;
        }
        sparse = labels;
    }
    if matches!(ty, Type::Date | Type::Moment) {
        for labels in day_labels(ty, first, last) {
            if !labels.is_empty() && fits(&labels) {
                return labels;
            }
        }
        return vec![(first, text(first))];
    }
    sparse.truncate(1);
    if sparse.is_empty() { vec![(first, text(first))] } else { sparse }
}

/// Labels of days: each day, Mondays, first days of months, quarters and years; closest first.
fn day_labels(ty: Type, first: i128, last: i128) -> Vec<Vec<(i128, String)>> {
    let per_day = unit(ty) as i128;
    let (from, to) = (first.div_euclid(per_day), last.div_euclid(per_day));
    let day = |d: i128| i32::try_from(d).unwrap_or(0);
    let named = |d: i128| (d * per_day, Scalar::Date(day(d)).to_string());
    let mut all = Vec::new();
    for step in [1, 2] {
        if to - from <= 120 {
            all.push((from..=to).step_by(step).map(named).collect());
        }
    }
    if to - from <= 1200 {
        // 1969-12-29 was a Monday.
        all.push((from..=to).filter(|d| (d + 3).rem_euclid(7) == 0).map(named).collect());
    }
    let month = |d: i128| civil::period_of(Period::Month, day(d), 1).map_or(0, i128::from);
    let (first_month, last_month) = (month(from), month(to));
    for step in [1, 3, 6, 12, 24, 60, 120, 240, 600, 1200] {
        let months = (first_month..=last_month).filter(|m| m.rem_euclid(step) == 0).take(400);
        let label = |m: i128| {
            let index = i32::try_from(m).unwrap_or(0);
            let start = civil::first_day(Period::Month, index, 1).map_or(from, i128::from);
            let text = if step >= 12 {
                (index.div_euclid(12)).to_string()
            } else {
                Scalar::Period(Period::Month, index).to_string()
            };
            (start * per_day, text)
        };
        all.push(months.map(label).filter(|(physical, _)| (first..=last).contains(physical)).collect());
    }
    all.into_iter()
        .map(|labels: Vec<(i128, String)>| labels.into_iter().filter(|(l, _)| *l >= first).collect())
        .collect()
}

/// Ticks without their decimals, if all of these are zeros: a scale is no table.
fn without_needless_decimals(ticks: Vec<(f64, String)>, sign: &str) -> Vec<(f64, String)> {
    let shorter = |text: &String| {
        let (whole, rest) = text.split_once(sign)?;
        let decimals = rest.find(|c: char| !c.is_ascii_digit()).unwrap_or(rest.len());
        let are_zeros = decimals > 0 && rest[..decimals].bytes().all(|digit| digit == b'0');
        are_zeros.then(|| format!("{whole}{}", &rest[decimals..]))
    };
    let found: Option<Vec<String>> = ticks.iter().map(|(_, text)| shorter(text)).collect();
    match found {
        Some(texts) => ticks.into_iter().zip(texts).map(|((value, _), text)| (value, text)).collect(),
        None => ticks,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::locale::Locale;

    fn figure(format: &str) -> Figure {
        Figure {
            label: String::new(),
            ty: Type::Float,
            format: Some(format.to_owned()),
            locale: Locale::default(),
            power: 0,
        }
    }

    fn ticks(values: &[f64], format: &str) -> Vec<String> {
        let scale = Numbers::of(values.iter().copied(), false, 5.0, &figure(format));
        scale.ticks.into_iter().map(|(_, t)| t).collect()
    }

    #[test]
    fn numbers_get_round_steps_that_their_format_tells_apart() {
        assert_eq!(ticks(&[0.0, 93.0], "0"), ["0", "20", "40", "60", "80", "100"]);
        assert_eq!(ticks(&[1.0, 3.0], "0"), ["0", "1", "2", "3"]);
        assert_eq!(ticks(&[0.0, 0.031], "0%"), ["0%", "1%", "2%", "3%", "4%"]);
        assert_eq!(ticks(&[-40.0, 100.0], "#,##0"), ["-50", "0", "50", "100"]);
        assert_eq!(ticks(&[980.0, 1000.0], "#,##0"), ["980", "985", "990", "995", "1,000"]);
        assert_eq!(ticks(&[], "0.0"), ["0.0", "0.2", "0.4", "0.6", "0.8", "1.0"]);
        // All are whole: nothing is lost without decimals.
        assert_eq!(ticks(&[0.0, 1.0], "0.0%"), ["0%", "20%", "40%", "60%", "80%", "100%"]);
        assert_eq!(ticks(&[0.0, 93.0], "0.00")[..2], ["0", "20"]);
        assert_eq!(ticks(&[5.0], "0"), ["0", "1", "2", "3", "4", "5"]);
        assert!(ticks(&[1e30, -3e29], "#,##0").iter().all(|t| t.len() < 12));
    }

    #[test]
    fn large_numbers_without_a_pattern_are_short_and_say_their_unit_once() {
        let open = Figure { format: None, ..figure("") };
        let scale = Numbers::of([0.0, 28_000_000.0].into_iter(), true, 4.0, &open);
        let texts: Vec<&str> = scale.ticks.iter().map(|(_, t)| t.as_str()).collect();
        assert_eq!(texts, ["0", "10", "20", "30 M"]);
        assert_eq!(ticks(&[0.0, 28_000_000.0], "#,##0")[1], "10,000,000");
    }

    #[test]
    fn labels_in_time_are_thinned_to_round_places() {
        let months = |most: usize| {
            let labels =
                time_labels(Type::Period(Period::Month), 2023 * 12, 2025 * 12 + 11, |l| l.len() <= most);
            labels.into_iter().map(|(_, t)| t).collect::<Vec<_>>()
        };
        assert_eq!(months(4), ["2023-01", "2024-01", "2025-01"]);
        assert_eq!(months(6).len(), 6);
        let first = civil::day_of(2025, 1, 15).unwrap();
        let days = time_labels(Type::Date, first.into(), i128::from(first) + 100, |l| l.len() <= 4);
        assert_eq!(
            days.iter().map(|(_, t)| t.as_str()).collect::<Vec<_>>(),
            ["2025-02", "2025-03", "2025-04"]
        );
    }
}
