//! Members and figures in words, as every table, chart and page has them.

use crate::number::{format_value, grouped};
use crate::table::Align;
use vembra_engine::{Heading, MeasureHeading, Member};
use vembra_plan::{LevelKind, NotAdditive, Scalar, Type};

/// The mark of a total that is not the sum of its lines.
pub(crate) const MARK: &str = " ≠";

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
