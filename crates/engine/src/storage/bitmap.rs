//! A bit per row.

use std::ops::Range;

/// The bits of each byte, the lowest one first.
static BOOLS: [[bool; 8]; 256] = bools_of_bytes();

const fn bools_of_bytes() -> [[bool; 8]; 256] {
    let mut all = [[false; 8]; 256];
    let mut at = 0;
    while at < 256 * 8 {
        all[at / 8][at % 8] = ((at / 8) >> (at % 8)) & 1 == 1;
        at += 1;
    }
    all
}

/// Bits by position; those past the end are false.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Bitmap {
    words: Vec<u64>,
}

impl Bitmap {
    pub(crate) fn from_bools(bools: &[bool]) -> Self {
        let words = bools
            .chunks(64)
            .map(|chunk| chunk.iter().enumerate().fold(0, |word, (at, bit)| word | (u64::from(*bit) << at)))
            .collect();
        Self { words }
    }

    pub(crate) fn from_words(words: Vec<u64>) -> Self {
        Self { words }
    }

    pub(crate) fn words(&self) -> &[u64] {
        &self.words
    }

    /// How many are set.
    pub(crate) fn count(&self) -> usize {
        self.words.iter().map(|word| word.count_ones() as usize).sum()
    }

    /// Several of whole words, one behind the other.
    pub(crate) fn joined(pieces: &[Self]) -> Self {
        Self { words: pieces.iter().flat_map(|piece| &piece.words).copied().collect() }
    }

    /// Sets those that are set in others of as many.
    pub(crate) fn add(&mut self, others: &Self) {
        self.words.iter_mut().zip(&others.words).for_each(|(own, other)| *own |= other);
    }

    /// Some of them one by one.
    pub(crate) fn bools(&self, range: Range<usize>) -> Vec<bool> {
        let words = &self.words[range.start / 64..range.end.div_ceil(64)];
        let mut bools: Vec<bool> = words
            .iter()
            .flat_map(|word| word.to_le_bytes().map(|byte| BOOLS[usize::from(byte)]))
            .flatten()
            .collect();
        bools.drain(..range.start % 64);
        bools.truncate(range.len());
        bools
    }

    pub(crate) fn get(&self, at: usize) -> bool {
        self.words.get(at / 64).is_some_and(|word| word >> (at % 64) & 1 == 1)
    }
}
