//! Small numbers, one a row, in the smallest width: row numbers of links and codes of texts.

use crate::execution::parallel::changes_of;
use std::ops::Range;

/// Numbers that all lie below a known bound.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum SmallInts {
    U8(Vec<u8>),
    U16(Vec<u16>),
    U32(Vec<u32>),
}

/// Runs `$body` with `$numbers` bound to the slice of whatever width: a slice, so that loops need not look where it lies again and again.
macro_rules! with_index {
    ($index:expr, $numbers:ident => $body:expr) => {
        match $index {
            $crate::storage::small_ints::SmallInts::U8(all) => {
                let $numbers = all.as_slice();
                $body
            }
            $crate::storage::small_ints::SmallInts::U16(all) => {
                let $numbers = all.as_slice();
                $body
            }
            $crate::storage::small_ints::SmallInts::U32(all) => {
                let $numbers = all.as_slice();
                $body
            }
        }
    };
}
pub(crate) use with_index;

impl SmallInts {
    /// Keeps `numbers`, all below `bound`, in the smallest width.
    #[allow(clippy::cast_possible_truncation)] // Tested before, all at once.
    pub(crate) fn new(numbers: Vec<u32>, bound: usize) -> Self {
        if bound > 1 << 16 {
            return Self::U32(numbers);
        }
        assert!(numbers.iter().max().is_none_or(|most| (*most as usize) < bound), "a number past its bound");
        if bound <= 1 << 8 {
            Self::U8(numbers.into_iter().map(|n| n as u8).collect())
        } else {
            Self::U16(numbers.into_iter().map(|n| n as u16).collect())
        }
    }

    /// Whether each of some numbers is another one than that before it.
    pub(crate) fn changes(&self, rows: Range<usize>) -> Vec<bool> {
        with_index!(self, numbers => changes_of(numbers, rows, |number| number))
    }

    pub(crate) fn len(&self) -> usize {
        with_index!(self, numbers => numbers.len())
    }

    /// How many bytes a number takes.
    pub(crate) fn width(&self) -> usize {
        fn of<T>(_: &[T]) -> usize {
            size_of::<T>()
        }
        with_index!(self, numbers => of(numbers))
    }

    /// How many bytes all take.
    pub(crate) fn bytes(&self) -> usize {
        self.len() * self.width()
    }

    /// How often a number stands.
    pub(crate) fn count(&self, number: usize) -> usize {
        with_index!(self, numbers => numbers.iter().filter(|n| **n as usize == number).count())
    }

    pub(crate) fn get(&self, at: usize) -> usize {
        with_index!(self, numbers => numbers[at] as usize)
    }
}
