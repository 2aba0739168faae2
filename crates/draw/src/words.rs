//! Members and figures in words, as every table, chart and page has them.

use crate::number::{format_value, grouped};
use crate::table::Align;
use vembra_engine::{Cell, Heading, MeasureHeading, Member};
use vembra_plan::{LevelKind, NotAdditive, Scalar, Type};

/// The marks of figures that could be taken for others.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Marks {
    /// A total that is not the sum of its lines.
    pub(crate) off_sum: bool,
    /// The value of a part of a date range.
    pub(crate) partial: bool,
    /// The rest of a bridge, some of whose rows belong to a member shown as well.
    pub(crate) shared: bool,
}

impl Marks {
    /// Those of a cell.
    pub(crate) fn of(cell: &Cell) -> Self {
        let known = !cell.value.is_null();
        Self {
            off_sum: known && cell.adds_up == Some(false),
            partial: known && cell.lacking().is_some(),
            shared: known && cell.shared().is_some(),
        }
    }

    /// All that cells of a figure may have.
    pub(crate) fn of_figure(measure: &MeasureHeading) -> Self {
        Self { off_sum: measure.marked, partial: measure.partial.is_some(), shared: measure.shared.is_some() }
    }

    pub(crate) fn or(self, other: Self) -> Self {
        Self {
            off_sum: self.off_sum || other.off_sum,
            partial: self.partial || other.partial,
            shared: self.shared || other.shared,
        }
    }

    #[cfg_attr(not(feature = "charts"), allow(dead_code))]
    pub(crate) fn is_empty(self) -> bool {
        self == Self::default()
    }

    /// The marks behind a figure.
    pub(crate) fn text(self) -> String {
        let signs = [(self.off_sum, '≠'), (self.partial, '†'), (self.shared, '‡')];
        let signs: String = signs.into_iter().filter(|(has, _)| *has).map(|(_, sign)| sign).collect();
        if signs.is_empty() { signs } else { format!(" {signs}") }
    }

    /// The marks in the room that all marks of a column take.
    pub(crate) fn within(self, all: Self) -> String {
        let (own, room) = (self.text(), all.text().chars().count());
        let blank = room.saturating_sub(own.chars().count());
        own + &" ".repeat(blank)
    }

    /// What they say to those who point at them.
    #[cfg_attr(not(feature = "charts"), allow(dead_code))]
    pub(crate) fn meaning(self) -> String {
        let meanings = [
            (self.off_sum, "not the sum of its lines"),
            (self.partial, "of a part of the date range only"),
            (self.shared, "with rows that also belong to a member shown"),
        ];
        let own: Vec<&str> =
            meanings.into_iter().filter(|(has, _)| *has).map(|(_, meaning)| meaning).collect();
        own.join(", ")
    }
}

pub(crate) fn align(ty: Type) -> Align {
    if ty.is_number() { Align::Right } else { Align::Left }
}

pub(crate) fn member_text(member: &Member, heading: &Heading, all: &str) -> String {
    match member {
        Member::Value(value) => format_value(value, heading.format.as_deref(), None),
        Member::All => all.to_owned(),
        other => other.to_string(),
    }
}

/// The members of a line: the first one that is totalled says so, the others stay empty. Where a hierarchy is
/// walked, only the grand total says so: what is opened stands above its parts.
pub(crate) fn members_text(members: &[Member], headings: &[Heading], walked: bool) -> Vec<String> {
    let mut said = walked && members.first().is_some_and(|m| *m != Member::All);
    let text = |(member, heading): (&Member, &Heading)| {
        let all = if *member == Member::All && !std::mem::replace(&mut said, true) { "Total" } else { "" };
        member_text(member, heading, all)
    };
    members.iter().zip(headings).map(text).collect()
}

/// A title with a capital, also where it is a name of the model or of the query.
///
/// # Examples
/// ```
/// assert_eq!(vembra_draw::capitalised("hour"), "Hour");
/// assert_eq!(vembra_draw::capitalised(""), "");
/// ```
pub fn capitalised(title: &str) -> String {
    let mut letters = title.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

/// A figure by its format; whole numbers without one get thousands separators.
pub(crate) fn figure(
    value: &Scalar,
    measure: &MeasureHeading,
    kind: LevelKind,
    currency: Option<&str>,
) -> String {
    let (ty, format) = measure.on(kind);
    let plain = match ty {
        Type::Integer => Some("#,##0"),
        _ => None,
    };
    format_value(value, format.or(plain), currency)
}

/// Why figures are those of a part of a date range.
pub(crate) fn why_partial(measure: &MeasureHeading) -> Option<String> {
    let partial = measure.partial.as_ref()?;
    let lines =
        if partial.lines == 1 { "1 line".to_owned() } else { format!("{} lines", grouped(partial.lines)) };
    let label = &measure.heading.label;
    Some(format!("† {label}: of a part of its date range only; {} ({lines}).", partial.lacking))
}

/// Which rows of a rest belong to a member shown as well.
pub(crate) fn why_shared(measure: &MeasureHeading) -> Option<String> {
    let shared = measure.shared.as_ref()?;
    let lines = if shared.lines == 1 { String::new() } else { format!(" ({} lines)", grouped(shared.lines)) };
    Some(format!("‡ {}: {}{lines}.", measure.heading.label, shared.in_words(grouped)))
}

/// Why a total is not the sum of its lines.
pub fn why_not_additive(measure: &MeasureHeading) -> String {
    if let (None, Some(blank)) = (&measure.not_additive, &measure.blank) {
        let lines = if blank.lines == 1 {
            "1 line has".to_owned()
        } else {
            format!("{} lines have", grouped(blank.lines))
        };
        return format!(
            "{lines} no value there, since {} has none; the total has what they lack.",
            blank.term
        );
    }
    match &measure.not_additive {
        Some(NotAdditive::Distinct(of)) => {
            format!("each {of} counts once in the total, on however many lines it stands.")
        }
        Some(NotAdditive::Average(of)) if of == "rows" => {
            "the total is worked out over all rows behind it.".to_owned()
        }
        Some(NotAdditive::Average(of)) => {
            format!("the total is worked out over every {of} behind it, each once.")
        }
        Some(NotAdditive::Extreme(_)) => "the total is chosen among all rows behind it.".to_owned(),
        Some(NotAdditive::Formula) => "the formula is worked out from the totals of its parts.".to_owned(),
        Some(NotAdditive::Stretch) => {
            "each line takes days of other lines too, or days of its own only in part.".to_owned()
        }
        Some(NotAdditive::Forgotten) => {
            "each line reaches beyond its own rows, so the lines do not add up to the total.".to_owned()
        }
        Some(NotAdditive::Window) => "the figure follows the lines shown.".to_owned(),
        Some(NotAdditive::Bridge(of)) => {
            format!("what has several rows of {of} stands on several lines, and once in the total.")
        }
        Some(NotAdditive::Variant) => "totals have a formula of their own.".to_owned(),
        None => "some of its rows stand on no line.".to_owned(),
    }
}
