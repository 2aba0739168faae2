//! A sheet as it is read: the cells that hold something, row by row. What is empty around them takes no memory.

use std::rc::Rc;

/// What a cell holds.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Cell {
    Text(Rc<str>),
    Number(f64),
    Boolean(bool),
    /// A day since 1970-01-01, and milliseconds since its midnight.
    Moment(i32, i64),
    /// Milliseconds since midnight.
    Time(i64),
    /// A length of time in milliseconds.
    Duration(i64),
    /// A date or moment as a text in ISO form.
    Iso(Rc<str>),
    Error(Rc<str>),
    /// A formula whose value the file does not hold.
    Unstored,
}

/// A row with something in it.
#[derive(Clone, Debug)]
pub(super) struct Row {
    /// Its number from 0.
    pub(super) number: u32,
    /// Its cells, each with the number of its column, in order. Rows that are repeated share them.
    pub(super) cells: Rc<Vec<(u32, Cell)>>,
}

/// Cells that were merged: the first and the last row and column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Merged {
    pub(super) rows: (u32, u32),
    pub(super) columns: (u32, u32),
}

/// A sheet.
#[derive(Debug, Default)]
pub(super) struct Sheet {
    pub(super) rows: Vec<Row>,
    pub(super) merged: Vec<Merged>,
}

/// The largest number of rows filled from one merged range.
const MOST_ROWS: u32 = 1 << 20;

impl Row {
    pub(super) fn cell(&self, column: u32) -> Option<&Cell> {
        let at = self.cells.binary_search_by_key(&column, |(at, _)| *at).ok()?;
        Some(&self.cells[at].1)
    }
}

impl Sheet {
    /// Adds a cell; cells come row by row and from left to right.
    pub(super) fn push(&mut self, row: u32, column: u32, cell: Cell) {
        if self.rows.last().is_none_or(|last| last.number != row) {
            self.rows.push(Row { number: row, cells: Rc::default() });
        }
        if let Some(last) = self.rows.last_mut() {
            Rc::make_mut(&mut last.cells).push((column, cell));
        }
    }

    /// Puts rows and cells in order, where a file does not have them so; of cells that stand twice the last one counts.
    pub(super) fn sort(&mut self) {
        let in_order = self.rows.is_sorted_by(|a, b| a.number < b.number)
            && self.rows.iter().all(|row| row.cells.is_sorted_by(|a, b| a.0 < b.0));
        if in_order {
            return;
        }
        let mut all: std::collections::BTreeMap<u32, std::collections::BTreeMap<u32, Cell>> =
            std::collections::BTreeMap::new();
        for row in &self.rows {
            all.entry(row.number).or_default().extend(row.cells.iter().cloned());
        }
        let row = |(number, cells): (u32, std::collections::BTreeMap<u32, Cell>)| Row {
            number,
            cells: Rc::new(cells.into_iter().collect()),
        };
        self.rows = all.into_iter().map(row).collect();
    }

    /// Gives the value of the first cell of merged ones to those below it that have none, in rows from `first` on. Says which ranges were
    /// filled.
    pub(super) fn fill_merged(&mut self, first: u32) -> Vec<Merged> {
        let mut filled = Vec::new();
        let merged = std::mem::take(&mut self.merged);
        for range in merged {
            let (from, to) =
                (range.rows.0.max(first), range.rows.1.min(range.rows.0.saturating_add(MOST_ROWS)));
            let place = |rows: &[Row], number: u32| rows.binary_search_by_key(&number, |row| row.number);
            let Ok(at) = place(&self.rows, range.rows.0) else { continue };
            let Some(cell) = self.rows[at].cell(range.columns.0).cloned() else { continue };
            let mut any = false;
            for number in from..=to {
                // A row in which nothing else stands is none of the table.
                let Ok(at) = place(&self.rows, number) else { continue };
                for column in range.columns.0..=range.columns.1 {
                    let cells = Rc::make_mut(&mut self.rows[at].cells);
                    if let Err(place) = cells.binary_search_by_key(&column, |(at, _)| *at) {
                        cells.insert(place, (column, cell.clone()));
                        any = true;
                    }
                }
            }
            filled.extend(any.then_some(range));
        }
        filled
    }
}

/// The name of a cell, such as B7.
pub(super) fn cell_name(row: u32, column: u32) -> String {
    let mut letters = Vec::new();
    let mut rest = column;
    loop {
        letters.push((b'A' + (rest % 26) as u8) as char);
        rest = match (rest / 26).checked_sub(1) {
            Some(rest) => rest,
            None => break,
        };
    }
    letters.iter().rev().chain((u64::from(row) + 1).to_string().chars().collect::<Vec<_>>().iter()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_have_the_names_that_programs_show() {
        let names =
            [(0, 0, "A1"), (6, 1, "B7"), (0, 25, "Z1"), (0, 26, "AA1"), (1_048_575, 16_383, "XFD1048576")];
        for (row, column, name) in names {
            assert_eq!(cell_name(row, column), name);
        }
    }

    #[test]
    fn merged_cells_are_filled_where_a_row_has_something_else() {
        let text = |t: &str| Cell::Text(t.into());
        let mut sheet = Sheet::default();
        for (row, column, value) in
            [(0, 0, "region"), (0, 1, "n"), (1, 0, "East"), (1, 1, "1"), (2, 1, "2"), (4, 1, "3")]
        {
            sheet.push(row, column, text(value));
        }
        sheet.merged.push(Merged { rows: (1, 3), columns: (0, 0) });
        assert_eq!(sheet.fill_merged(1).len(), 1);
        let found: Vec<Option<Cell>> = sheet.rows.iter().map(|row| row.cell(0).cloned()).collect();
        assert_eq!(found, [Some(text("region")), Some(text("East")), Some(text("East")), None]);
    }
}
