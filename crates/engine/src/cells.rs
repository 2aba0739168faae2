//! Cells: combinations of members of keys, for which figures are worked out all at once.

use crate::codec::{KeyCodec, PackedKey};
use crate::error::EngineError;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::rc::Rc;
use vembra_plan::KeyId;

/// Per cell or group its code on one key.
pub(crate) type Codes = Rc<Vec<u32>>;

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
    codec: KeyCodec,
    places: HashMap<PackedKey, u32, FixedState>,
    /// For few combinations a place to each.
    dense: Vec<u32>,
    pub(crate) packed: Vec<PackedKey>,
}

/// At most so many combinations have a place of their own.
const MOST_PLACES: u128 = 1 << 22;
const NOWHERE: u32 = u32::MAX;

impl Numbering {
    /// `sizes` says how many codes each key has.
    ///
    /// # Errors
    /// When the combinations are too many to be numbered.
    pub(crate) fn new(sizes: impl IntoIterator<Item = usize>) -> Result<Self, EngineError> {
        let codec = KeyCodec::new(sizes)?;
        let dense = match codec.places() {
            places if places <= MOST_PLACES => vec![NOWHERE; places as usize],
            _ => Vec::new(),
        };
        Ok(Self { codec, places: HashMap::default(), dense, packed: Vec::new() })
    }

    pub(crate) fn pack(&self, code: impl Fn(usize) -> u32) -> PackedKey {
        self.codec.pack(code)
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
        self.codec.unpack(self.packed.iter().copied())
    }

    pub(crate) fn len(&self) -> usize {
        self.packed.len()
    }
}
