//! Members and figures in words, as every table, chart and page has them.

use crate::locale::{Locale, Word};
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
    pub(crate) fn meaning(self, locale: &Locale) -> String {
        let meanings = [
            (self.off_sum, Word::MarkOffSum),
            (self.partial, Word::MarkPartial),
            (self.shared, Word::MarkShared),
        ];
        let own = meanings.into_iter().filter(|(has, _)| *has).map(|(_, meaning)| locale.word(meaning));
        own.collect::<Vec<_>>().join(", ")
    }
}

pub(crate) fn align(ty: Type) -> Align {
    if ty.is_number() { Align::Right } else { Align::Left }
}

/// A member; `all` stands for that of a total.
pub(crate) fn member_text(member: &Member, heading: &Heading, all: &str, locale: &Locale) -> String {
    match member {
        Member::Value(value) => locale.value(value, heading.format.as_deref()),
        Member::All => all.to_owned(),
        other => locale.member(other).unwrap_or_else(|| other.to_string()),
    }
}

/// The members of a line: the first one that is totalled says so, the others stay empty. Where a hierarchy is
/// walked, only the grand total says so: what is opened stands above its parts.
pub(crate) fn members_text(
    members: &[Member],
    headings: &[Heading],
    walked: bool,
    locale: &Locale,
) -> Vec<String> {
    let mut said = walked && members.first().is_some_and(|m| *m != Member::All);
    let total = locale.word(Word::Total);
    let text = |(member, heading): (&Member, &Heading)| {
        let all = if *member == Member::All && !std::mem::replace(&mut said, true) { &total } else { "" };
        member_text(member, heading, all, locale)
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
pub(crate) fn figure(value: &Scalar, measure: &MeasureHeading, kind: LevelKind, locale: &Locale) -> String {
    let (ty, format) = measure.on(kind);
    let plain = match ty {
        Type::Integer => Some("#,##0"),
        _ => None,
    };
    locale.value(value, format.or(plain))
}

/// Why figures are those of a part of a date range.
pub(crate) fn why_partial(measure: &MeasureHeading, locale: &Locale) -> Option<String> {
    let partial = measure.partial.as_ref()?;
    let (first, last) = (partial.lacking.first, partial.lacking.last);
    let day = |day: i32| Scalar::Date(day).to_string();
    let lacking = match first {
        Some(first) if first == last => locale.say(Word::LackingDay, &[("last", &day(last))]),
        Some(first) => locale.say(Word::LackingDays, &[("first", &day(first)), ("last", &day(last))]),
        None => locale.say(Word::LackingWorkingDays, &[("last", &day(last))]),
    };
    let gaps = [("figure", measure.heading.label.as_str()), ("lacking", &lacking)];
    Some(locale.counted(Word::RemarkPartial, partial.lines, &gaps))
}

/// Which rows of a rest belong to a member shown as well.
pub(crate) fn why_shared(measure: &MeasureHeading, locale: &Locale) -> Option<String> {
    let shared = measure.shared.as_ref()?;
    let rows = match shared.rows {
        (few, many) if few == many => locale.counted(Word::SharedRows, many, &[]),
        (few, many) => {
            let gaps = [("few", locale.count(few)), ("many", locale.count(many))];
            locale.say(Word::SharedRowsBetween, &gaps.each_ref().map(|(name, text)| (*name, text.as_str())))
        }
    };
    let word = if shared.lines == 1 { Word::RemarkShared } else { Word::RemarkSharedLines };
    let gaps = [("figure", measure.heading.label.as_str()), ("rest", &shared.rest), ("rows", &rows)];
    Some(locale.counted(word, shared.lines, &gaps))
}

/// Why a total is not the sum of its lines, in English.
pub fn why_not_a_sum(measure: &MeasureHeading) -> String {
    why_not_additive(measure, &Locale::default())
}

/// Why a total is not the sum of its lines.
pub(crate) fn why_not_additive(measure: &MeasureHeading, locale: &Locale) -> String {
    if let (None, Some(blank)) = (&measure.not_additive, &measure.blank) {
        return locale.counted(Word::WhyBlank, blank.lines, &[("term", &blank.term)]);
    }
    let of = |word: Word, of: &str| locale.say(word, &[("of", of)]);
    match &measure.not_additive {
        Some(NotAdditive::Distinct(counted)) => of(Word::WhyDistinct, counted),
        Some(NotAdditive::Average(over)) if over == "rows" => locale.word(Word::WhyAverageOfRows),
        Some(NotAdditive::Average(over)) => of(Word::WhyAverage, over),
        Some(NotAdditive::Extreme(_)) => locale.word(Word::WhyExtreme),
        Some(NotAdditive::Formula) => locale.word(Word::WhyFormula),
        Some(NotAdditive::DateRange) => locale.word(Word::WhyDateRange),
        Some(NotAdditive::Forgotten) => locale.word(Word::WhyForgotten),
        Some(NotAdditive::Window) => locale.word(Word::WhyWindow),
        Some(NotAdditive::Bridge(over)) => of(Word::WhyBridge, over),
        Some(NotAdditive::Variant) => locale.word(Word::WhyVariant),
        None => locale.word(Word::WhyElsewhere),
    }
}
