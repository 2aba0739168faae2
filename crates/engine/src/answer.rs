//! What comes out of a query.

pub(crate) mod figures_down;
pub(crate) mod grid;
pub(crate) mod lines;
pub(crate) mod remote;

use crate::operators::date_ranges::Lacking;
use serde::Serialize;
use std::sync::Arc;
use vembra_plan::{FiguresPlace, LevelKind, NotAdditive, Scalar, TotalsPlace, Type};

/// The answer to a query.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Answer {
    /// Cells over axes.
    Summary(Summary),
    /// Single rows.
    List(ListAnswer),
}

/// Cells over axes.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Summary {
    /// The axes on rows.
    pub rows: Vec<Heading>,
    /// The axes on columns.
    pub columns: Vec<Heading>,
    /// What is shown.
    pub measures: Vec<MeasureHeading>,
    /// The lines in order: by their row members, then by their column members.
    pub lines: Vec<Line>,
    /// Whether a hierarchy is walked on rows: what is opened stands above its parts.
    #[serde(skip)]
    pub walked: bool,
    /// The members of all column lines, in their order.
    #[serde(skip)]
    pub column_order: Vec<Vec<Member>>,
    /// The members of each axis that stand on lines, those of the rows first, each axis in its order.
    #[serde(skip)]
    pub member_orders: Vec<Vec<Member>>,
    /// How many combinations of members have a value without being a line, since the fact has no rows there: a figure of the year before, a stock
    /// carried forward. `keep empty` shows them.
    #[serde(skip)]
    pub without_line: usize,
    /// Where the totals over rows stand.
    #[serde(skip)]
    pub totals_on_rows: Option<TotalsPlace>,
    /// Where the totals over columns stand.
    #[serde(skip)]
    pub totals_on_columns: Option<TotalsPlace>,
    /// Where the figures stand.
    #[serde(skip)]
    pub figures: FiguresPlace,
}

/// The head of an axis or of a column of a list.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Heading {
    /// The name by which the query calls it.
    pub name: String,
    /// The heading for readers.
    pub label: String,
    /// The type of its values.
    #[serde(serialize_with = "as_text")]
    pub ty: Type,
    /// The CLDR pattern, if it has one.
    pub format: Option<String>,
}

/// The head of a measure.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct MeasureHeading {
    /// Name, label, type and format.
    #[serde(flatten)]
    pub heading: Heading,
    /// Type and format of what stands on subtotals instead.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub subtotal: Option<VariantHeading>,
    /// Type and format of what stands on totals instead.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub total: Option<VariantHeading>,
    /// Why its totals need not be the sums of their lines.
    pub not_additive: Option<NotAdditive>,
    /// The axes along which its lines are the parts of one whole all the same, by their positions.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub parts_along: Vec<usize>,
    /// Whether a total of this answer is not the sum of its lines.
    pub marked: bool,
    /// Where lines have no value for want of one term.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub blank: Option<Blank>,
    /// Where lines have the value of a part of a date range only, since the calendar begins within it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub partial: Option<Partial>,
    /// Where lines of a rest have rows that also belong to a member shown.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub shared: Option<Shared>,
}

impl MeasureHeading {
    /// The type and the format of a cell on a line of a kind.
    pub fn on(&self, kind: LevelKind) -> (Type, Option<&str>) {
        let variant = match kind {
            LevelKind::Detail => None,
            LevelKind::Subtotal => self.subtotal.as_ref(),
            LevelKind::Total => self.total.as_ref(),
        };
        match variant {
            Some(variant) => (variant.ty, variant.format.as_deref()),
            None => (self.heading.ty, self.heading.format.as_deref()),
        }
    }

    /// The type of a column that holds the cells of all lines.
    pub fn common_type(&self) -> Type {
        let mut types = vec![self.heading.ty];
        types.extend(self.subtotal.iter().chain(&self.total).map(|v| v.ty));
        match types.as_slice() {
            [first, rest @ ..] if rest.iter().all(|ty| ty == first) => *first,
            _ if types.iter().all(|ty| ty.is_number()) => Type::Float,
            _ => Type::Text,
        }
    }
}

/// Lines on which a sum or difference has no value because a term has none, though another one has.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Blank {
    /// The term, as it is written.
    pub term: String,
    /// On how many detail lines it is missing.
    pub lines: usize,
    /// How many detail lines there are.
    pub of: usize,
}

/// Lines on which a date range lies partly before the calendar.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Partial {
    /// On how many lines, totals among them.
    pub lines: usize,
    /// The days that one or the other of them lacks.
    pub lacking: Lacking,
}

/// Lines of the rest of a bridge whose rows also belong to a member shown.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Shared {
    /// The name of the rest.
    pub rest: String,
    /// On how many lines.
    pub lines: usize,
    /// The fewest and the most such rows of a line.
    pub rows: (usize, usize),
}

/// Type and format of another formula for totals.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct VariantHeading {
    /// The type of its values.
    #[serde(serialize_with = "as_text")]
    pub ty: Type,
    /// The CLDR pattern, if it has one.
    pub format: Option<String>,
}

/// One line: the members that name it and its cells.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Line {
    /// What it stands for.
    pub kind: LevelKind,
    /// What it stands for, whatever its columns.
    #[serde(skip)]
    pub row_kind: LevelKind,
    /// A member per axis on rows.
    pub rows: Vec<Member>,
    /// A member per axis on columns.
    pub columns: Vec<Member>,
    /// A cell per measure.
    pub cells: Vec<Cell>,
}

/// Where a line stands on an axis.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Member {
    /// At this value.
    Value(#[serde(serialize_with = "as_text")] Scalar),
    /// Where rows have no value: no key, or no attribute.
    None,
    /// Where rows have a key that the linked table does not know.
    Unknown,
    /// At all members that were not chosen, under this name.
    Rest(Arc<str>),
    /// Over all members: the line is a total.
    All,
}

/// The member as messages name it.
impl std::fmt::Display for Member {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Value(value) => value.fmt(f),
            Self::None => f.write_str("(none)"),
            Self::Unknown => f.write_str("(unknown)"),
            Self::Rest(label) => f.write_str(label),
            Self::All => f.write_str("Total"),
        }
    }
}

/// One figure.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Cell {
    /// The value; null where there is none.
    #[serde(serialize_with = "as_text")]
    pub value: Scalar,
    /// For a total of numbers: whether it is the sum of its detail lines.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub adds_up: Option<bool>,
    /// Why it could be taken for another figure; most could not.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub marked: Option<Box<Marked>>,
}

/// Why a figure could be taken for another one.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Marked {
    /// The days before the calendar that a date range behind it should have and has not: the value is that of the rest.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lacking: Option<Lacking>,
    /// On a line of the rest of a bridge: how many of its rows also belong to a member shown.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub shared: Option<usize>,
}

impl Cell {
    /// The days before the calendar that its date range lacks.
    pub fn lacking(&self) -> Option<Lacking> {
        self.marked.as_ref()?.lacking
    }

    /// How many rows of the rest of a bridge also belong to a member shown.
    pub fn shared(&self) -> Option<usize> {
        self.marked.as_ref()?.shared
    }
}

/// Single rows.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ListAnswer {
    /// The columns.
    pub columns: Vec<Heading>,
    /// The rows, with a value per column.
    #[serde(serialize_with = "as_texts")]
    pub rows: Vec<Vec<Scalar>>,
    /// How many rows there are without the limit.
    pub found: usize,
}

fn as_text<T: std::fmt::Display, S: serde::Serializer>(value: &T, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_str(value)
}

fn as_texts<S: serde::Serializer>(rows: &[Vec<Scalar>], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_seq(rows.iter().map(|row| row.iter().map(ToString::to_string).collect::<Vec<_>>()))
}
