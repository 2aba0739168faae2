//! A summary as a grid: one row a row line, one column a column line and measure.

use crate::answer::{Cell, Member, Summary};
use vembra_plan::LevelKind;

/// A summary laid out over two axes.
#[derive(Clone, Debug)]
pub struct Grid<'a> {
    /// The members of each column line, in order; one without members if nothing stands on columns.
    pub columns: Vec<&'a [Member]>,
    /// The rows in order.
    pub rows: Vec<GridRow<'a>>,
}

/// One row of a grid.
#[derive(Clone, Debug)]
pub struct GridRow<'a> {
    /// What the row stands for, whatever its columns.
    pub kind: LevelKind,
    /// A member per axis on rows.
    pub members: &'a [Member],
    /// Per column line the cells of the measures; none where there is no such line.
    pub cells: Vec<Option<GridCell<'a>>>,
}

/// The cells of a row at a column.
#[derive(Clone, Copy, Debug)]
pub struct GridCell<'a> {
    /// Which line of the summary they are.
    pub line: usize,
    /// What this line stands for.
    pub kind: LevelKind,
    /// A cell per measure.
    pub cells: &'a [Cell],
}

impl Summary {
    /// The summary as a grid.
    pub fn grid(&self) -> Grid<'_> {
        let columns: Vec<&[Member]> = self.column_order.iter().map(Vec::as_slice).collect();
        let mut rows: Vec<GridRow<'_>> = Vec::new();
        let mut next = 0;
        for (at, line) in self.lines.iter().enumerate() {
            if rows.last().is_none_or(|row| row.members != line.rows.as_slice()) {
                rows.push(GridRow {
                    kind: line.row_kind,
                    members: &line.rows,
                    cells: vec![None; columns.len()],
                });
                next = 0;
            }
            // The lines of one row come in the order of the columns.
            let found = columns[next..].iter().position(|c| *c == line.columns.as_slice());
            if let (Some(row), Some(found)) = (rows.last_mut(), found) {
                row.cells[next + found] = Some(GridCell { line: at, kind: line.kind, cells: &line.cells });
                next += found;
            }
        }
        Grid { columns, rows }
    }
}
