//! Cells: combinations of members of keys, for which figures are worked out all at once.

use std::rc::Rc;
use vembra_plan::KeyId;

/// Per cell or group its code on one key.
pub(crate) type Codes = Rc<Vec<u32>>;

/// Some cells. No two are equal.
#[derive(Debug)]
pub(crate) struct Cells {
    /// What distinguishes them.
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
