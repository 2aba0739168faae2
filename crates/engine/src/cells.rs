//! Cells: combinations of members of keys, for which figures are worked out all at once.

use crate::evaluator::Codes;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use vembra_plan::KeyId;

/// The codes of a cell as one number.
pub(crate) type PackedKey = u128;

/// Some cells. No two are equal.
#[derive(Debug)]
pub(crate) struct Cells {
    /// What tells them apart.
    pub(crate) keys: Vec<KeyId>,
    /// Per key the code of each cell.
    pub(crate) codes: Vec<Codes>,
    pub(crate) len: usize,
    /// A number of its own, so that figures can be kept by it.
    pub(crate) id: usize,
}

impl Cells {
    pub(crate) fn codes_of(&self, key: KeyId) -> Option<&Codes> {
        self.keys.iter().position(|k| *k == key).map(|at| &self.codes[at])
    }
}

/// Numbers combinations of codes in the order in which they are first met.
pub(crate) struct Numbering {
    sizes: Vec<u128>,
    places: HashMap<PackedKey, u32, FixedState>,
    /// For few combinations a place to each.
    dense: Vec<u32>,
    pub(crate) packed: Vec<PackedKey>,
}

/// At most so many combinations have a place of their own.
const MOST_PLACES: u128 = 1 << 22;
const NOWHERE: u32 = u32::MAX;

impl Numbering {
    /// `sizes` says how many codes each key has; `None` if the combinations have no number.
    pub(crate) fn new(sizes: Vec<u128>) -> Option<Self> {
        let all = sizes.iter().try_fold(1_u128, |product, size| product.checked_mul((*size).max(1)))?;
        let dense = if all <= MOST_PLACES { vec![NOWHERE; all as usize] } else { Vec::new() };
        Some(Self { sizes, places: HashMap::default(), dense, packed: Vec::new() })
    }

    pub(crate) fn pack(&self, code: impl Fn(usize) -> u32) -> PackedKey {
        self.sizes.iter().enumerate().fold(0, |key, (at, size)| key * size + u128::from(code(at)))
    }

    /// The number of a combination; a new one if there is none.
    pub(crate) fn number(&mut self, packed: PackedKey) -> u32 {
        let next = self.packed.len() as u32;
        let place = if self.dense.is_empty() {
            self.places.entry(packed).or_insert(next)
        } else {
            &mut self.dense[packed as usize]
        };
        if *place == NOWHERE || *place == next {
            *place = next;
            self.packed.push(packed);
        }
        *place
    }

    /// The numbers of combinations that stand side by side: per key the code of each.
    pub(crate) fn number_all(&mut self, columns: &[&Codes], len: usize) -> Vec<u32> {
        (0..len).map(|at| self.number(self.pack(|key| columns[key][at]))).collect()
    }

    pub(crate) fn find(&self, packed: PackedKey) -> Option<u32> {
        if self.dense.is_empty() {
            self.places.get(&packed).copied()
        } else {
            self.dense.get(packed as usize).copied().filter(|n| *n != NOWHERE)
        }
    }

    /// Per key the code of each numbered combination.
    pub(crate) fn unpack(&self) -> Vec<Vec<u32>> {
        let mut codes = vec![Vec::with_capacity(self.packed.len()); self.sizes.len()];
        for packed in &self.packed {
            let mut rest = *packed;
            for (codes, size) in codes.iter_mut().zip(&self.sizes).rev() {
                codes.push((rest % size.max(&1)) as u32);
                rest /= size.max(&1);
            }
        }
        codes
    }

    pub(crate) fn len(&self) -> usize {
        self.packed.len()
    }
}
