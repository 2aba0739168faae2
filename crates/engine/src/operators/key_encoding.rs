//! Composite keys: the codes of several keys as one number in a mixed radix, and back. Keys of several parts are compared, hashed and stored in no
//! other way.

use crate::error::EngineError;
use crate::storage::narrow::{fit, narrow};

/// The codes of several keys as one number: the first key counts most.
pub(crate) type PackedKey = u128;

/// The codes of a key have 32 bits.
const MOST_CODES: u128 = 1 << u32::BITS;

/// Packs codes of some keys, given how many codes each of them has.
#[derive(Clone, Debug)]
pub(crate) struct KeyEncoding {
    sizes: Vec<u128>,
    combinations: u128,
}

impl KeyEncoding {
    /// The encoding of keys with this many codes each.
    ///
    /// # Errors
    /// When the combinations are too many to be numbered, or the codes of one key.
    pub(crate) fn new(sizes: impl IntoIterator<Item = usize>) -> Result<Self, EngineError> {
        let sizes: Vec<u128> = sizes.into_iter().map(|size| size.max(1) as u128).collect();
        if let Some(size) = sizes.iter().find(|size| **size > MOST_CODES) {
            return Err(EngineError::TooManyLines(*size));
        }
        let combinations = sizes.iter().try_fold(1_u128, |product, size| product.checked_mul(*size));
        let combinations = combinations.ok_or(EngineError::TooManyLines(u128::MAX))?;
        Ok(Self { sizes, combinations })
    }

    /// The encoding of some of its keys, by their positions.
    pub(crate) fn of(&self, keys: &[usize]) -> Self {
        let sizes: Vec<u128> = keys.iter().map(|at| self.sizes[*at]).collect();
        let combinations = sizes.iter().product();
        Self { sizes, combinations }
    }

    /// How many combinations there are.
    pub(crate) fn combinations(&self) -> u128 {
        self.combinations
    }

    /// How many codes the key at a position has.
    pub(crate) fn size(&self, at: usize) -> u128 {
        self.sizes[at]
    }

    /// How many keys there are.
    pub(crate) fn len(&self) -> usize {
        self.sizes.len()
    }

    /// One number for the codes that `code` gives by the positions of the keys.
    pub(crate) fn pack(&self, code: impl Fn(usize) -> u32) -> PackedKey {
        self.sizes.iter().enumerate().fold(0, |key, (at, size)| key * size + u128::from(code(at)))
    }

    /// The codes of one number.
    pub(crate) fn codes(&self, key: PackedKey) -> Vec<u32> {
        let mut codes = vec![0; self.sizes.len()];
        self.take_apart(key, |at, code| codes[at] = code);
        codes
    }

    /// Per key the codes of some numbers.
    pub(crate) fn unpack(&self, keys: impl Iterator<Item = PackedKey>) -> Vec<Vec<u32>> {
        if let [_] = self.sizes.as_slice() {
            return vec![keys.map(narrow).collect()];
        }
        let mut codes = vec![Vec::with_capacity(keys.size_hint().0); self.sizes.len()];
        for key in keys {
            self.take_apart(key, |at, code| codes[at].push(code));
        }
        codes
    }

    /// Takes the codes of one number, the last one first, each with the position of its key.
    pub(crate) fn take_apart(&self, key: PackedKey, mut take: impl FnMut(usize, u32)) {
        // Division of 64 bits is many times faster, and nearly always enough.
        if let Ok(mut rest) = u64::try_from(key) {
            for (at, size) in self.sizes.iter().enumerate().rev() {
                let size: u64 = fit(*size);
                take(at, narrow(rest % size));
                rest /= size;
            }
        } else {
            let mut rest = key;
            for (at, size) in self.sizes.iter().enumerate().rev() {
                take(at, narrow(rest % size));
                rest /= size;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::KeyEncoding;
    use crate::error::EngineError;

    #[test]
    fn what_is_packed_comes_apart_again() {
        for sizes in [vec![], vec![1], vec![3, 1, 4], vec![5_000_000, 3_000_000, 2_000_000]] {
            let encoding = KeyEncoding::new(sizes.clone()).unwrap();
            assert_eq!(encoding.combinations(), sizes.iter().map(|s| *s as u128).product());
            assert_eq!(encoding.len(), sizes.len());
            // The first, the last, and one between.
            let tries = [|_: usize| 0, |size: usize| size as u32 - 1, |size: usize| size as u32 / 2];
            let wanted: Vec<Vec<u32>> =
                tries.iter().map(|code| sizes.iter().map(|s| code(*s)).collect()).collect();
            let packed: Vec<u128> = wanted.iter().map(|codes| encoding.pack(|at| codes[at])).collect();
            assert_eq!(packed[1], encoding.combinations() - 1);
            for (codes, key) in wanted.iter().zip(&packed) {
                assert_eq!(encoding.codes(*key), *codes);
            }
            let columns = encoding.unpack(packed.into_iter());
            for (at, column) in columns.iter().enumerate() {
                assert_eq!(*column, wanted.iter().map(|codes| codes[at]).collect::<Vec<_>>());
            }
        }
    }

    #[test]
    fn the_order_of_numbers_is_that_of_codes() {
        let encoding = KeyEncoding::new([3, 7, 2]).unwrap();
        let all = (0..3).flat_map(|a| (0..7).flat_map(move |b| (0..2).map(move |c| [a, b, c])));
        let packed: Vec<u128> = all.map(|codes| encoding.pack(|at| codes[at])).collect();
        assert_eq!(packed, (0..42).collect::<Vec<u128>>());
    }

    #[test]
    fn some_of_the_keys_have_an_encoding_of_their_own() {
        let encoding = KeyEncoding::new([3, 7, 2]).unwrap().of(&[2, 0]);
        assert_eq!((encoding.combinations(), encoding.size(0), encoding.size(1)), (6, 2, 3));
        assert_eq!(encoding.codes(encoding.pack(|at| [1, 2][at])), [1, 2]);
    }

    #[test]
    fn combinations_without_a_number_are_refused() {
        let most = 1_usize << 32;
        let encoding = KeyEncoding::new([most, most, most]).unwrap();
        assert_eq!(encoding.codes(encoding.combinations() - 1), [u32::MAX; 3]);
        assert!(matches!(KeyEncoding::new([most; 5]), Err(EngineError::TooManyLines(_))));
        assert!(matches!(KeyEncoding::new([most + 1]), Err(EngineError::TooManyLines(_))));
    }
}
