//! The logical plan of a query.

use crate::bridge::Bridged;
use crate::expr::RowExpr;
use crate::graph::Graph;
use crate::ids::{KeyId, NodeId, ScanId, TableId};
use crate::scalar::Scalar;
use crate::types::Type;
use serde::{Deserialize, Serialize};

/// A summary: cells over axes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Query {
    /// The axes, those of the rows first.
    pub axes: Vec<Axis>,
    /// How many of them stand on rows.
    pub row_axes: usize,
    /// The figures. Its first keys are those of the axes.
    pub graph: Graph,
    /// A line appears where one of these has rows.
    pub domain: Vec<ScanId>,
    /// What is shown, one column each.
    pub outputs: Vec<Output>,
    /// The kinds of lines, the details first.
    pub levels: Vec<Level>,
    /// The order of the lines; what it leaves open is settled by the order of the axes.
    pub sort: Vec<Sort>,
    /// Whether members without rows are shown; then each axis has its member source.
    pub keep_empty: bool,
    /// Where the totals over rows stand.
    pub totals_on_rows: Option<TotalsPlace>,
    /// Where the totals over columns stand.
    pub totals_on_columns: Option<TotalsPlace>,
    /// Where the figures stand.
    pub figures: FiguresPlace,
}

/// One attribute that lines are split by.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Axis {
    /// The name in the answer.
    pub name: String,
    /// The heading.
    pub label: String,
    /// The type of its members.
    pub ty: Type,
    /// The members in an order by hand; the others follow in their own order.
    pub order: Vec<Scalar>,
    /// The CLDR pattern of its members, if numbers.
    pub format: Option<String>,
    /// The table whose rows hold all members, for `keep empty`.
    pub home: TableId,
    /// The attribute seen from that table.
    pub member: RowExpr,
    /// Conditions of the query that choose members, seen from that table.
    pub member_filter: Vec<RowExpr>,
    /// Whether its members, where they are not opened, stay closed: how a hierarchy is walked.
    pub opened: Option<Opened>,
    /// Axes with the same number take their members from the same row; others are combined freely.
    pub together: usize,
}

/// Which members of the axis before are opened on this one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Opened {
    /// All.
    All,
    /// These; lines belong to no other.
    These(Vec<Scalar>),
}

impl Opened {
    /// Whether a member has lines below it.
    pub fn holds(&self, member: &Scalar) -> bool {
        match self {
            Self::All => true,
            Self::These(members) => members.contains(member),
        }
    }

    /// The members in words.
    pub fn in_words(&self) -> String {
        match self {
            Self::All => "every member".to_owned(),
            Self::These(members) => members.iter().map(Scalar::literal).collect::<Vec<_>>().join(", "),
        }
    }
}

/// A column of the answer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Output {
    /// The name in the answer.
    pub name: String,
    /// The heading.
    pub label: String,
    /// The figure.
    pub node: NodeId,
    /// The type of its values.
    pub ty: Type,
    /// The CLDR pattern.
    pub format: Option<String>,
    /// What stands on subtotals instead.
    pub subtotal: Option<Variant>,
    /// What stands on totals instead.
    pub total: Option<Variant>,
    /// Why a total need not be the sum of its lines.
    pub not_additive: Option<NotAdditive>,
    /// The axes along which its lines are the parts of one whole all the same, by their positions: those that a share looks along.
    pub parts_along: Vec<usize>,
    /// Where it is a sum or difference of figures, these: where one has no value there is none at all.
    pub terms: Vec<Term>,
}

impl Output {
    /// The figure that it shows on lines of a kind, with its type.
    fn on(&self, kind: LevelKind) -> (NodeId, Type) {
        let variant = match kind {
            LevelKind::Detail => None,
            LevelKind::Subtotal => self.subtotal.as_ref(),
            LevelKind::Total => self.total.as_ref(),
        };
        variant.map_or((self.node, self.ty), |v| (v.node, v.ty))
    }
}

/// A figure in a sum or difference.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Term {
    /// The figure.
    pub node: NodeId,
    /// How it is written.
    pub text: String,
}

/// Another formula for totals.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Variant {
    /// The figure.
    pub node: NodeId,
    /// The type of its values.
    pub ty: Type,
    /// The CLDR pattern.
    pub format: Option<String>,
}

/// Why a total need not be the sum of its lines.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum NotAdditive {
    /// Different values of this column are counted: one that stands on several lines counts once.
    Distinct(String),
    /// The mean, median or spread over all of these: rows, or values of keys.
    Average(String),
    /// The smallest, largest, first or last over all rows.
    Extreme(String),
    /// The formula is worked out from the totals of its parts.
    Formula,
    /// Each line takes another date range than its own; these may overlap.
    DateRange,
    /// The figure forgets where its lines stand.
    Forgotten,
    /// It follows the lines shown.
    Window,
    /// Totals have a formula of their own.
    Variant,
    /// Rows may have several rows of this table, and belong to each of them.
    Bridge(String),
}

/// One kind of line: which axes distinguish its lines.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Level {
    /// How many of the row axes, from the first.
    pub rows: usize,
    /// How many of the column axes, from the first.
    pub columns: usize,
    /// Whether its lines are shown, or only needed to sort others.
    pub shown: bool,
}

/// What a line stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum LevelKind {
    /// A line at all axes.
    Detail,
    /// A total over some axes.
    Subtotal,
    /// The total over all rows, or all columns, or both.
    Total,
}

impl Query {
    /// The axes that distinguish the lines of a level, by position.
    pub fn level_axes(&self, level: &Level) -> Vec<usize> {
        (0..level.rows).chain((0..level.columns).map(|c| self.row_axes + c)).collect()
    }

    /// The keys that distinguish the lines of a level.
    pub fn level_keys(&self, level: &Level) -> Vec<KeyId> {
        self.level_axes(level).into_iter().map(|axis| KeyId(axis as u32)).collect()
    }

    /// The figure that each output shows on the lines of a level, with its type: totals may have formulas of their own.
    pub fn shown(&self, level: &Level) -> Vec<(NodeId, Type)> {
        let kind = self.level_kind(level);
        self.outputs.iter().map(|output| output.on(kind)).collect()
    }

    /// The figure that an output shows on lines of a kind.
    pub fn shown_on(&self, output: usize, kind: LevelKind) -> NodeId {
        self.outputs[output].on(kind).0
    }

    /// What the lines of a level stand for.
    pub fn level_kind(&self, level: &Level) -> LevelKind {
        let column_axes = self.axes.len() - self.row_axes;
        if level.rows == self.row_axes && level.columns == column_axes {
            LevelKind::Detail
        } else if (self.row_axes > 0 && level.rows == 0) || (column_axes > 0 && level.columns == 0) {
            LevelKind::Total
        } else {
            LevelKind::Subtotal
        }
    }
}

/// Where the figures of a summary stand when it is laid out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum FiguresPlace {
    /// Side by side under each member on columns.
    #[default]
    ColumnsLast,
    /// Side by side, each over all members on columns.
    ColumnsFirst,
    /// Under one another within each row.
    RowsLast,
    /// Under one another, each over all rows.
    RowsFirst,
}

impl FiguresPlace {
    /// Whether they stand down the side.
    pub fn on_rows(self) -> bool {
        matches!(self, Self::RowsLast | Self::RowsFirst)
    }
}

/// Where totals stand among the lines that they cover.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum TotalsPlace {
    /// Before them.
    First,
    /// After them.
    Last,
}

/// What lines are sorted by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum SortKey {
    /// The members of an axis.
    Axis(usize),
    /// The values of an output.
    Output(usize),
}

/// One step of the order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Sort {
    /// By what.
    pub key: SortKey,
    /// Largest first. Nulls stay last.
    pub descending: bool,
}

/// Single rows of a table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct List {
    /// The table.
    pub table: TableId,
    /// The figures that are looked up.
    pub graph: Graph,
    /// What is shown of each row.
    pub columns: Vec<ListColumn>,
    /// Conditions that all must hold.
    pub filter: Vec<RowExpr>,
    /// Bridges, on whose rows there are conditions.
    pub bridges: Vec<Bridged>,
    /// The order, and whether it is descending; what it leaves open is the order of the file.
    pub sort: Vec<(RowExpr, bool)>,
    /// How many rows at most.
    pub limit: Option<usize>,
}

/// A column of a list.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ListColumn {
    /// The name in the answer.
    pub name: String,
    /// The heading.
    pub label: String,
    /// The value.
    pub expr: RowExpr,
    /// The CLDR pattern.
    pub format: Option<String>,
}
