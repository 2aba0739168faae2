//! Tables, columns and links by id: what plans refer to.

use crate::expr::RowExpr;
use crate::graph::Graph;
use crate::ids::{ColumnId, LinkId, RoleId, TableId};
use crate::types::Type;
use serde::{Deserialize, Serialize};

/// Everything that a plan may refer to.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Schema {
    /// The tables by [`TableId`].
    pub tables: Vec<TableDef>,
    /// The columns of all tables by [`ColumnId`].
    pub columns: Vec<ColumnDef>,
    /// The links by [`LinkId`].
    pub links: Vec<LinkDef>,
    /// The names of the roles by [`RoleId`].
    pub roles: Vec<String>,
}

/// A table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TableDef {
    /// Its name.
    pub name: String,
    /// Where its rows come from.
    pub kind: TableKind,
    /// Its columns in order.
    pub columns: Vec<ColumnId>,
    /// The columns that distinguish its rows; empty for a fact.
    pub key: Vec<ColumnId>,
}

/// Where the rows of a table come from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum TableKind {
    /// From outside; no column distinguishes rows.
    Fact,
    /// From outside; one row a key.
    Dimension,
    /// Made from a query over other tables.
    Derived,
    /// Made by the engine: one row a day.
    Calendar {
        /// The days.
        range: CalendarRange,
        /// The first month of the fiscal year, 1 to 12.
        fiscal_start: u8,
    },
}

impl TableKind {
    /// The word that declares such a table.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Fact => "fact",
            Self::Dimension => "dimension",
            Self::Derived => "derived",
            Self::Calendar { .. } => "calendar",
        }
    }
}

/// The days of a calendar.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum CalendarRange {
    /// From a day to a day, both included.
    Days(i32, i32),
    /// The whole years around the dates in these columns.
    Covering(Vec<ColumnId>),
    /// The days of its file, from the first to the last.
    Loaded,
}

/// A column.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ColumnDef {
    /// Its name.
    pub name: String,
    /// Its table.
    pub table: TableId,
    /// The type of its values.
    pub ty: Type,
    /// The formula of a computed column.
    pub formula: Option<Formula>,
}

/// The formula of a computed column.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Formula {
    /// The value of each row.
    pub expr: RowExpr,
    /// The figures that it looks up.
    pub graph: Graph,
    /// Whether it is a condition, and the value says for how many rows up to this one it holds.
    pub counted: bool,
}

/// A many-to-one link.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LinkDef {
    /// The columns that it starts from, all of one table.
    pub from: Vec<ColumnId>,
    /// The columns that it reaches, in the same order: the key of a dimension, or a coarser attribute.
    pub to: Vec<ColumnId>,
    /// Its role, where several links lead from one table to another.
    pub role: Option<RoleId>,
    /// Whether it is the default among these.
    pub default: bool,
    /// Whether it reaches a coarser attribute than the key.
    pub coarse: bool,
    /// Whether it is a bridge: rows of its target may have several rows of its source, by whose columns they are split and filtered.
    pub bridge: bool,
    /// Whether the last of its columns is a day, which meets the latest row that is not later.
    pub as_of: Option<AsOf>,
}

/// How long a row that is met as of a day holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct AsOf {
    /// The first day on which the row does not hold any more; without it a row holds until the next one.
    pub until: Option<ColumnId>,
}

impl Schema {
    /// The table of an id.
    pub fn table(&self, id: TableId) -> &TableDef {
        &self.tables[id.index()]
    }

    /// The column of an id.
    pub fn column(&self, id: ColumnId) -> &ColumnDef {
        &self.columns[id.index()]
    }

    /// The link of an id.
    pub fn link(&self, id: LinkId) -> &LinkDef {
        &self.links[id.index()]
    }

    /// The table that a link starts from.
    pub fn link_source(&self, id: LinkId) -> TableId {
        self.column(self.link(id).from[0]).table
    }

    /// The table that a link reaches.
    pub fn link_target(&self, id: LinkId) -> TableId {
        self.column(self.link(id).to[0]).table
    }

    /// `table.column`.
    pub fn qualified(&self, id: ColumnId) -> String {
        let column = self.column(id);
        format!("{}.{}", self.table(column.table).name, column.name)
    }

    /// All table ids in order.
    pub fn table_ids(&self) -> impl Iterator<Item = TableId> + use<> {
        (0..self.tables.len() as u32).map(TableId)
    }

    /// All link ids in order.
    pub fn link_ids(&self) -> impl Iterator<Item = LinkId> + use<> {
        (0..self.links.len() as u32).map(LinkId)
    }
}
