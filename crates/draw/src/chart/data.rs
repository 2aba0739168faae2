//! From an answer to what is drawn: places along the axes, series, panels and points.

use crate::locale::{Locale, Word};
use crate::palette::{self, Paint};
use crate::words::{self, member_text, why_not_additive};
use std::collections::BTreeMap;
use vembra_engine::{Line, Member, Summary};
use vembra_plan::drawing::{Colour, ColourBy, Drawing, Form, MarkRule, Run};
use vembra_plan::{LevelKind, Scalar, Type};

/// A member of an axis.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Place {
    pub(crate) label: String,
    /// Where it lies in time, in whole units of its type; none for texts and for `(none)`.
    pub(crate) physical: Option<i128>,
}

/// An axis that runs through the picture.
#[derive(Clone, Debug)]
pub(crate) struct Axis {
    pub(crate) label: String,
    pub(crate) ty: Type,
    /// Whether places are spaced as time passes.
    pub(crate) time: bool,
    pub(crate) reversed: bool,
    pub(crate) places: Vec<Place>,
}

/// Points of one colour.
#[derive(Clone, Debug)]
pub(crate) struct Series {
    pub(crate) name: String,
    pub(crate) paint: Paint,
}

/// One figure at its place.
#[derive(Clone, Debug)]
pub(crate) struct Point {
    pub(crate) panel: usize,
    pub(crate) series: usize,
    pub(crate) along: usize,
    pub(crate) up: usize,
    pub(crate) value: f64,
    pub(crate) text: String,
    /// The figure that gives the size of a dot.
    pub(crate) size: Option<f64>,
    /// The figure that gives the shade.
    pub(crate) shade: Option<f64>,
    pub(crate) marked: bool,
    pub(crate) tooltip: Vec<(String, String)>,
}

/// All that is drawn.
#[derive(Clone, Debug)]
pub(crate) struct Data {
    pub(crate) along: Axis,
    pub(crate) up: Option<Axis>,
    pub(crate) series: Vec<Series>,
    pub(crate) panels: Vec<String>,
    pub(crate) points: Vec<Point>,
    /// What the figures are called, and how they are written.
    pub(crate) figure: Figure,
    /// The figure of sizes, and that of shades.
    pub(crate) size: Option<Figure>,
    pub(crate) shade: Option<Figure>,
    /// What rules mark.
    pub(crate) meanings: Vec<String>,
    /// What readers should know.
    pub(crate) remarks: Vec<String>,
}

/// A figure's name and format.
#[derive(Clone, Debug)]
pub(crate) struct Figure {
    pub(crate) label: String,
    pub(crate) ty: Type,
    pub(crate) format: Option<String>,
    pub(crate) locale: Locale,
    /// Values are drawn divided by ten to this power: what is near the largest or the smallest float could not be added up.
    pub(crate) power: i32,
}

/// By which power of ten the values of an answer are drawn smaller, or larger.
fn power_of(summary: &Summary) -> i32 {
    let cells = summary.lines.iter().flat_map(|l| &l.cells).filter_map(|cell| cell.value.to_f64());
    let most = cells.filter(|x| x.is_finite()).map(f64::abs).fold(0.0, f64::max);
    match most {
        most if most > 1e280 => 40,
        most if most > 0.0 && most < 1e-280 => -40,
        _ => 0,
    }
}

/// A value as it is drawn.
fn drawn_value(value: f64, power: i32) -> f64 {
    if power == 0 { value } else { value * 10f64.powi(-power) }
}

impl Figure {
    /// A number as the figure writes it.
    pub(crate) fn text(&self, value: f64) -> String {
        if self.power != 0 {
            return self.locale.plain(&super::scale::in_powers(value, self.power));
        }
        self.locale.value(&Scalar::Float(value), self.pattern())
    }

    pub(crate) fn pattern(&self) -> Option<&str> {
        self.format.as_deref().or(if self.ty == Type::Integer { Some("#,##0") } else { None })
    }

    /// The smallest step between two numbers that its format distinguishes; none without a format.
    pub(crate) fn finest(&self) -> Option<f64> {
        let pattern = self.pattern()?;
        let number = pattern.split(';').next().unwrap_or(pattern);
        let decimals = number
            .split_once('.')
            .map_or(0, |(_, rest)| rest.chars().take_while(|c| "0#".contains(*c)).count());
        let percent = if number.contains('%') { 2 } else { 0 };
        Some(10f64.powi(-(decimals as i32 + percent)))
    }
}

fn figure(summary: &Summary, at: usize, locale: &Locale) -> Figure {
    let heading = &summary.measures[at].heading;
    Figure {
        label: heading.label.clone(),
        ty: heading.ty,
        format: heading.format.clone(),
        locale: locale.clone(),
        power: power_of(summary),
    }
}

/// A figure of a line as text.
pub(crate) fn value_text(summary: &Summary, at: usize, line: &Line, locale: &Locale) -> String {
    let value = &line.cells[at].value;
    if value.is_null() {
        return locale.word(Word::NoValue);
    }
    words::figure(value, &summary.measures[at], line.kind, locale)
}

fn key(member: &Member) -> String {
    match member {
        Member::Value(value) => format!("v{}", value.literal()),
        Member::Rest(label) => format!("r{label}"),
        Member::None => "n".to_owned(),
        Member::Unknown => "u".to_owned(),
        Member::All => "a".to_owned(),
    }
}

fn physical(member: &Member) -> Option<i128> {
    match member {
        Member::Value(value) => value.physical(),
        _ => None,
    }
}

/// The members of an axis in the order in which they are drawn, with the number of each.
struct Members {
    order: Vec<Member>,
    at: BTreeMap<String, usize>,
}

impl Members {
    fn of(summary: &Summary, axis: usize, run: Option<&Run>, time: bool) -> Self {
        let known = summary.member_orders.get(axis).cloned().unwrap_or_default();
        let mut order: Vec<Member> = known.into_iter().filter(|m| *m != Member::All).collect();
        if time {
            // Those without a date stay last.
            order.sort_by_key(|m| (physical(m).is_none(), physical(m)));
        }
        if let Some(between) =
            heading(summary, axis).filter(|h| h.ty == Type::Integer).and_then(|_| gaps(&order))
        {
            order = between;
        }
        if let Some(run) = run {
            let place = |m: &Member| match m {
                Member::Value(v) => run.order.iter().position(|o| o == v).unwrap_or(usize::MAX),
                _ => usize::MAX,
            };
            order.sort_by_key(place);
        }
        let at = order.iter().enumerate().map(|(at, m)| (key(m), at)).collect();
        Self { order, at }
    }

    fn find(&self, member: &Member) -> Option<usize> {
        self.at.get(&key(member)).copied()
    }
}

/// An axis of whole numbers without gaps, so that it is evenly spaced: unless most of it would be gaps, or it is not in order.
fn gaps(order: &[Member]) -> Option<Vec<Member>> {
    let numbers: Vec<i128> = order.iter().map_while(physical).collect();
    let (first, last) = (*numbers.first()?, *numbers.last()?);
    let span = usize::try_from(last.checked_sub(first)?).ok()? + 1;
    let rising = numbers.windows(2).all(|w| w[0] < w[1]);
    if !rising || span == numbers.len() || span > 2 * numbers.len() + 4 || span > 400 {
        return None;
    }
    let all = (first..=last).map(|n| Member::Value(Scalar::from_physical(Type::Integer, n)));
    Some(all.chain(order[numbers.len()..].iter().cloned()).collect())
}

fn heading(summary: &Summary, axis: usize) -> Option<&vembra_engine::Heading> {
    summary.rows.iter().chain(&summary.columns).nth(axis)
}

fn member_at(line: &Line, axis: usize) -> Option<&Member> {
    line.rows.iter().chain(&line.columns).nth(axis)
}

fn axis_of(summary: &Summary, run: &Run, time: bool, members: &Members, locale: &Locale) -> Option<Axis> {
    let heading = heading(summary, run.axis)?;
    let place = |m: &Member| Place { label: member_text(m, heading, "", locale), physical: physical(m) };
    Some(Axis {
        label: heading.label.clone(),
        ty: heading.ty,
        time,
        reversed: run.reversed,
        places: members.order.iter().map(place).collect(),
    })
}

/// What is drawn of an answer; none if nothing runs along.
pub(crate) fn data(summary: &Summary, drawing: &Drawing, locale: &Locale) -> Option<Data> {
    let along_run = drawing.along.as_ref()?;
    let along_ty = heading(summary, along_run.axis)?.ty;
    let flows = drawing.form.traits().is_continuous;
    let time = along_run.time.unwrap_or(flows) && along_ty.lies_in_time();
    let along_members = Members::of(summary, along_run.axis, Some(along_run), time);
    let along = axis_of(summary, along_run, time, &along_members, locale)?;
    let up_members = drawing.up.as_ref().map(|run| Members::of(summary, run.axis, Some(run), false));
    let up =
        drawing.up.as_ref().zip(up_members.as_ref()).and_then(|(r, m)| axis_of(summary, r, false, m, locale));
    let colour_axis = match drawing.colour {
        Some(ColourBy::Axis(axis)) => Some(axis),
        _ => None,
    };
    let colours = colour_axis.map(|axis| Members::of(summary, axis, None, false));
    let panel_members = drawing.panels.map(|p| (p.axis, Members::of(summary, p.axis, None, false)));
    let figures = drawn_figures(drawing);
    let series = series(summary, drawing, colours.as_ref().zip(colour_axis), &figures, locale);
    let shade_at = match (drawing.colour, drawing.form) {
        (Some(ColourBy::Figure(at)), _) => Some(at),
        (_, Form::Heat) => figures.first().copied(),
        _ => None,
    };
    let panels = panel_members.as_ref().and_then(|(axis, members)| {
        let heading = heading(summary, *axis)?;
        Some(members.order.iter().map(|m| member_text(m, heading, "", locale)).collect())
    });
    let places = Places {
        along: (along_run.axis, &along_members),
        up: drawing.up.as_ref().zip(up_members.as_ref()).map(|(run, members)| (run.axis, members)),
        panel: panel_members.as_ref().map(|(axis, members)| (*axis, members)),
        colour: colour_axis.zip(colours.as_ref()),
    };
    let points = points(summary, drawing, &Drawn { places, figures: &figures, shade: shade_at, locale });
    let first = figures.first().copied().unwrap_or(0);
    let mut figure_named = figure(summary, first, locale);
    if figures.len() > 1 {
        figure_named.label = String::new();
    }
    Some(Data {
        along,
        up,
        series,
        panels: panels.unwrap_or_default(),
        points,
        figure: figure_named,
        size: drawing.size.map(|at| figure(summary, at, locale)),
        shade: shade_at.map(|at| figure(summary, at, locale)),
        meanings: drawing.marks.iter().map(|m| m.meaning.clone()).collect(),
        remarks: stack_remarks(summary, drawing, &figures, locale),
    })
}

/// An axis with the places of its members.
type Placed<'a> = (usize, &'a Members);

/// Where the members of a line stand in the picture.
struct Places<'a> {
    along: Placed<'a>,
    up: Option<Placed<'a>>,
    panel: Option<Placed<'a>>,
    colour: Option<Placed<'a>>,
}

impl Places<'_> {
    /// Along, up, panel and colour of a line; none if it is not drawn.
    fn of(&self, line: &Line) -> Option<[usize; 4]> {
        let place = |(axis, members): Placed<'_>| member_at(line, axis).and_then(|m| members.find(m));
        let up = self.up.and_then(place).unwrap_or(0);
        Some([
            place(self.along)?,
            up,
            self.panel.map_or(Some(0), place)?,
            self.colour.map_or(Some(0), place)?,
        ])
    }
}

/// What of an answer is drawn, and where.
struct Drawn<'a> {
    places: Places<'a>,
    figures: &'a [usize],
    shade: Option<usize>,
    locale: &'a Locale,
}

fn points(summary: &Summary, drawing: &Drawing, drawn: &Drawn<'_>) -> Vec<Point> {
    let Drawn { places, figures, shade, locale } = drawn;
    let mut points = Vec::new();
    let power = power_of(summary);
    for line in summary.lines.iter().filter(|l| l.kind == LevelKind::Detail) {
        let Some([along, up, panel, colour]) = places.of(line) else { continue };
        let finite = |at: usize| line.cells[at].value.to_f64().filter(|x| x.is_finite());
        let number = |at: usize| finite(at).map(|x| drawn_value(x, power));
        let holds = |m: &&MarkRule| line.cells[m.figure].value.physical() == Some(1);
        let held: Vec<&MarkRule> = drawing.marks.iter().filter(holds).collect();
        for (nth, figure) in figures.iter().enumerate() {
            let Some(value) = number(*figure) else { continue };
            points.push(Point {
                panel,
                series: colour * figures.len() + nth,
                along,
                up,
                value,
                text: value_text(summary, *figure, line, locale),
                size: drawing.size.and_then(number),
                shade: shade.and_then(number),
                marked: held.iter().any(|m| m.is_about(*figure)),
                tooltip: tooltip(summary, drawing, line, *figure, locale),
            });
        }
    }
    points
}

/// The figures that are drawn at places: those that only give sizes and shades are not.
fn drawn_figures(drawing: &Drawing) -> Vec<usize> {
    let shade = match drawing.colour {
        Some(ColourBy::Figure(at)) => Some(at),
        _ => None,
    };
    let all = 0..drawing.shown;
    match drawing.form {
        Form::Heat => vec![shade.unwrap_or(0)],
        Form::Dots if drawing.up.is_some() => vec![drawing.size.or(shade).unwrap_or(0)],
        Form::Dots => {
            let kept: Vec<usize> =
                all.clone().filter(|at| Some(*at) != drawing.size && Some(*at) != shade).collect();
            if kept.is_empty() { all.take(1).collect() } else { kept }
        }
        _ => all.collect(),
    }
}

fn series(
    summary: &Summary,
    drawing: &Drawing,
    colours: Option<(&Members, usize)>,
    figures: &[usize],
    locale: &Locale,
) -> Vec<Series> {
    let label = |figure: usize| summary.measures[figure].heading.label.clone();
    let by_hand =
        |name: &str| drawing.colours.iter().find(|(m, _)| m == name).map(|(_, c)| Paint::Series(*c));
    let names = |locale: &Locale| -> Vec<String> {
        let Some((members, axis)) = colours else { return figures.iter().map(|f| label(*f)).collect() };
        let member =
            |m: &Member| heading(summary, axis).map_or_else(String::new, |h| member_text(m, h, "", locale));
        let each = members.order.iter().flat_map(|m| {
            figures.iter().map(move |f| match figures.len() {
                1 => member(m),
                _ => format!("{}, {}", member(m), label(*f)),
            })
        });
        each.collect()
    };
    // Colours are chosen for members as models write them.
    let written = names(&Locale::default());
    // Colours that were chosen by hand are not given to others.
    let taken: Vec<Paint> = written.iter().filter_map(|n| by_hand(n)).collect();
    let mut free = (0..).map(palette::nth).filter(|p| !taken.contains(p));
    let paint = |name: &str, free: &mut dyn Iterator<Item = Paint>| {
        by_hand(name).or_else(|| free.next()).unwrap_or(Paint::Ink)
    };
    let shown = names(locale);
    if let ([written], [shown]) = (written.as_slice(), shown.as_slice()) {
        let paint = by_hand(written).unwrap_or(Paint::Series(Colour::Blue));
        return vec![Series { paint, name: shown.clone() }];
    }
    let both = written.iter().zip(shown);
    both.map(|(written, name)| Series { paint: paint(written, &mut free), name }).collect()
}

/// What a tooltip shows: where the figure stands, the figure, and what else was asked for.
fn tooltip(
    summary: &Summary,
    drawing: &Drawing,
    line: &Line,
    figure: usize,
    locale: &Locale,
) -> Vec<(String, String)> {
    let headings = summary.rows.iter().chain(&summary.columns);
    let members = line.rows.iter().chain(&line.columns);
    let mut lines: Vec<(String, String)> =
        headings.zip(members).map(|(h, m)| (h.label.clone(), member_text(m, h, "", locale))).collect();
    let mut shown = vec![figure];
    let shade = match drawing.colour {
        Some(ColourBy::Figure(at)) => Some(at),
        _ => None,
    };
    shown.extend(drawing.size.into_iter().chain(shade).filter(|at| *at != figure));
    shown.extend(&drawing.tooltip);
    for at in shown {
        lines.push((summary.measures[at].heading.label.clone(), value_text(summary, at, line, locale)));
    }
    let holds = |m: &&MarkRule| m.is_about(figure) && line.cells[m.figure].value.physical() == Some(1);
    let held = drawing.marks.iter().filter(holds);
    lines.extend(held.map(|m| (String::new(), m.meaning.clone())));
    lines
}

/// Parts that stand on each other look like a sum: where they are none, that is said.
fn stack_remarks(summary: &Summary, drawing: &Drawing, figures: &[usize], locale: &Locale) -> Vec<String> {
    if !drawing.stacked {
        return Vec::new();
    }
    let told = figures.iter().filter_map(|at| {
        let measure = &summary.measures[*at];
        measure.not_additive.as_ref()?;
        let apart = match drawing.colour {
            Some(ColourBy::Axis(axis)) => !measure.parts_along.contains(&axis),
            _ => true,
        };
        apart.then_some(())?;
        let (figure, why) = (&measure.heading.label, why_not_additive(measure, locale));
        Some(locale.say(Word::RemarkStacked, &[("figure", figure), ("why", &why)]))
    });
    told.collect()
}
