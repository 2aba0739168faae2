//! A bit per row.

/// Bits by position; those past the end are false.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Bits {
    words: Vec<u64>,
}

impl Bits {
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

    pub(crate) fn get(&self, at: usize) -> bool {
        self.words.get(at / 64).is_some_and(|word| word >> (at % 64) & 1 == 1)
    }
}
