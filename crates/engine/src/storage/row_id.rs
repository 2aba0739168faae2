//! Row ids, and which rows of a table are read.

use crate::storage::narrow::narrow;
use std::ops::Range;

/// The number of a row in its table, from 0.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[repr(transparent)]
pub struct RowId(u32);

impl RowId {
    /// The row at a position of a table with at most [`MOST_ROWS`](crate::MOST_ROWS) rows.
    ///
    /// # Panics
    /// When the position does not fit 32 bits.
    ///
    /// ```
    /// # use vembra_engine::RowId;
    /// assert_eq!(RowId::new(7).index(), 7);
    /// ```
    #[inline]
    pub fn new(row: usize) -> Self {
        Self(narrow(row))
    }

    /// Its position.
    #[inline]
    pub const fn index(self) -> usize {
        self.0 as usize
    }

    /// The rows of a range, in their order.
    pub(crate) fn range(rows: Range<usize>) -> impl ExactSizeIterator<Item = Self> {
        // One test for all.
        (narrow(rows.start)..narrow(rows.end)).map(Self)
    }

    /// The rows of a table for which something holds.
    pub(crate) fn all(rows: usize, mut holds: impl FnMut(usize) -> bool) -> Vec<Self> {
        Self::range(0..rows).filter(|row| holds(row.index())).collect()
    }
}

/// Which rows of a table.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Rows<'a> {
    /// The first row, and how many from there.
    Range(usize, usize),
    /// These.
    List(&'a [RowId]),
}

impl Rows<'_> {
    pub(crate) fn len(&self) -> usize {
        match self {
            Self::Range(_, length) => *length,
            Self::List(list) => list.len(),
        }
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.len()).map(|at| self.row(at))
    }

    pub(crate) fn row(&self, at: usize) -> usize {
        match self {
            Self::Range(start, _) => start + at,
            Self::List(list) => list[at].index(),
        }
    }

    /// The ids of the rows at some positions of a block.
    pub(crate) fn ids_at(&self, positions: &[u32]) -> Vec<RowId> {
        match self {
            Self::Range(start, length) => {
                // Tested once for the last row of all.
                let (start, _end): (u32, u32) = (narrow(*start), narrow(start + length));
                positions.iter().map(|at| RowId(start + at)).collect()
            }
            Self::List(list) => positions.iter().map(|at| list[*at as usize]).collect(),
        }
    }

    /// The ids of the rows at some positions.
    pub(crate) fn ids(&self, positions: impl Iterator<Item = usize>) -> Vec<RowId> {
        match self {
            Self::Range(start, _) => positions.map(|at| RowId::new(start + at)).collect(),
            Self::List(list) => positions.map(|at| list[at]).collect(),
        }
    }
}
