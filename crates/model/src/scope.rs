//! Where an expression stands, as far as its names and its grain depend on it.

use vembra_plan::TableId;

/// Where an expression stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(clippy::struct_excessive_bools)] // Each says something else of the place.
pub(crate) struct BindScope {
    /// Whether measures may be named.
    pub(crate) measures: bool,
    /// The table whose columns come first.
    pub(crate) prefer: Option<TableId>,
    /// Whether names stand for values of rows that are aggregated.
    pub(crate) rows: bool,
    /// Whether every row needs a value: a figure must say for which detail it is.
    pub(crate) row_values: bool,
    /// Whether there is a cell: not in the formulas of columns.
    pub(crate) cell: bool,
}

impl BindScope {
    /// The formula of a measure, or an expression of a query.
    pub(crate) const FIGURE: Self =
        Self { measures: true, prefer: None, rows: false, row_values: false, cell: true };

    /// A value that is written outright, or an attribute.
    pub(crate) const VALUE: Self = Self { measures: false, ..Self::FIGURE };

    /// A condition on rows that no cell is looked at for.
    pub(crate) const LIMIT: Self = Self { cell: false, ..Self::VALUE };

    /// The formula of a column of a table.
    pub(crate) fn column(table: TableId) -> Self {
        Self { prefer: Some(table), row_values: true, cell: false, ..Self::FIGURE }
    }

    /// What is listed of the rows of a table, if it is known.
    pub(crate) fn listed(table: Option<TableId>) -> Self {
        Self { prefer: table, row_values: true, cell: false, ..Self::FIGURE }
    }

    /// Inside an aggregate, over the rows of a table if one is named.
    pub(crate) fn aggregated(self, from: Option<TableId>) -> Self {
        Self { prefer: from.or(self.prefer), rows: true, row_values: true, ..self }
    }

    /// Where every row needs a value.
    pub(crate) fn of_rows(self) -> Self {
        Self { row_values: true, ..self }
    }

    /// Where a detail is said, so that a figure may stand.
    pub(crate) fn detailed(self) -> Self {
        Self { rows: false, row_values: false, ..self }
    }

    /// Where no rows are aggregated.
    pub(crate) fn outside_rows(self) -> Self {
        Self { rows: false, ..self }
    }
}
