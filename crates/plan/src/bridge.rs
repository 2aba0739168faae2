//! Bridges: tables of which a row that is read may have several rows.
//!
//! A scan reads a bridge against its direction. A row belongs to a cell if one of its rows of the bridge meets, all together, the conditions
//! on the bridge, the place of the cell there, and the choices of lines that look at it. So it may belong to several
//! members, and counts once in every total. A row that has none is treated as if it had one without any value.

use crate::expr::RowExpr;
use crate::ids::{KeyId, LinkId, NodeId, TableId};
use serde::{Deserialize, Serialize};

/// A bridge as the rows of a scan reach it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Bridged {
    /// The links from the rows that are read to the table that the bridge leads to; empty if it is that table itself.
    pub path: Vec<LinkId>,
    /// The bridge.
    pub link: LinkId,
    /// The table that it starts from, whose rows are the several.
    pub table: TableId,
    /// Conditions on its rows.
    pub filter: Vec<RowExpr>,
    /// Keys that its rows give.
    pub keys: Vec<BridgeKey>,
}

/// A key that the rows of a bridge give.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BridgeKey {
    /// The key.
    pub key: KeyId,
    /// Its value for a row of the bridge's table.
    pub expr: RowExpr,
    /// Whether it distinguishes cells; else only choices look at it.
    pub splits: bool,
}

/// A choice of lines by keys of which bridges give at least one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Choice {
    /// Whether a line was chosen.
    pub node: NodeId,
    /// The keys that rows give themselves.
    pub own: Vec<(KeyId, RowExpr)>,
    /// The keys that bridges give.
    pub bridged: Vec<KeyId>,
    /// The key on which what was not chosen is the rest; without one it is left out.
    pub rest: Option<KeyId>,
}
