//! How the group of a row is found. There are three ways; a scan is read with one of them, and its parts are merged in order.

use crate::aggregate::NO_GROUP;
use crate::codec::{KeyCodec, PackedKey};
use crate::error::EngineError;
use crate::members::Key;
use crate::vector::Rows;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::ops::Range;

/// The keys that tell the rows of a scan apart.
pub(crate) struct RowKeys<'a> {
    keys: Vec<&'a Key>,
    codec: KeyCodec,
}

impl<'a> RowKeys<'a> {
    /// # Errors
    /// When the combinations of their codes are too many to be numbered.
    pub(crate) fn new(keys: Vec<&'a Key>) -> Result<Self, EngineError> {
        let codec = KeyCodec::new(keys.iter().map(|key| key.members.codes()))?;
        Ok(Self { keys, codec })
    }

    pub(super) fn is_empty(&self) -> bool {
        self.keys.is_empty()
    }

    pub(super) fn codec(&self) -> &KeyCodec {
        &self.codec
    }

    /// The position of the key with the most codes.
    pub(super) fn largest(&self) -> usize {
        (0..self.keys.len()).max_by_key(|at| self.codec.size(*at)).unwrap_or(0)
    }

    /// The codes of all keys but one, combined to one number that fits in 32 bits.
    fn combined(&self, rows: Rows<'_>, without: Option<usize>) -> Vec<u32> {
        let mut codes: Vec<u32> = Vec::with_capacity(rows.len());
        for (at, key) in self.keys.iter().enumerate().filter(|(at, _)| Some(*at) != without) {
            if codes.is_empty() {
                key.read(rows, &mut codes);
            } else {
                key.combine(rows, &mut codes, self.codec.size(at) as u32);
            }
        }
        if codes.is_empty() {
            codes.resize(rows.len(), 0);
        }
        codes
    }

    /// The codes of all keys, combined to one number.
    fn packed(&self, rows: Rows<'_>) -> Vec<PackedKey> {
        let mut places = vec![0; rows.len()];
        let mut codes = Vec::with_capacity(rows.len());
        for (at, key) in self.keys.iter().enumerate() {
            codes.clear();
            key.read(rows, &mut codes);
            let size = self.codec.size(at);
            // The product of all sizes fits in 128 bits: the codec has seen to that.
            places.iter_mut().zip(&codes).for_each(|(p, code)| *p = *p * size + u128::from(*code));
        }
        places
    }
}

/// The groups that were found.
pub(super) struct FoundGroups {
    /// Per key the code of each group that has rows.
    pub(super) codes: Vec<Vec<u32>>,
    pub(super) groups: usize,
    /// Where the groups of accumulators go, if not all of them have rows.
    pub(super) map: Option<Vec<u32>>,
}

/// A way to find the group of a row.
pub(super) trait Finder: Sized + Sync + Send {
    /// One for the rows of a part.
    fn for_part(&self, keys: &RowKeys<'_>, rows: Range<usize>) -> Self;
    /// One that takes in the groups of several parts, where that of the first part cannot.
    fn for_all(&self, keys: &RowKeys<'_>) -> Option<Self>;
    /// How many groups there are, with rows or not.
    fn groups(&self) -> usize;
    /// The group of each row; empty when there is only one group.
    fn find(&mut self, keys: &RowKeys<'_>, rows: Rows<'_>) -> Vec<u32>;
    /// Takes in the groups of another one: its group `g` is `map[g]` here.
    fn merge(&mut self, other: &Self) -> Vec<u32>;
    /// The groups that have rows.
    fn finish(self, keys: &RowKeys<'_>) -> FoundGroups;
}

/// Each combination of codes has a place of its own.
pub(super) struct Places {
    /// Which have rows.
    present: Vec<bool>,
}

impl Places {
    pub(super) fn new(places: usize) -> Self {
        Self { present: vec![false; places] }
    }
}

impl Finder for Places {
    fn for_part(&self, _: &RowKeys<'_>, _: Range<usize>) -> Self {
        Self::new(self.present.len())
    }

    fn for_all(&self, _: &RowKeys<'_>) -> Option<Self> {
        None
    }

    fn groups(&self) -> usize {
        self.present.len()
    }

    fn find(&mut self, keys: &RowKeys<'_>, rows: Rows<'_>) -> Vec<u32> {
        if keys.is_empty() {
            self.present[0] = true;
            return Vec::new();
        }
        let groups = keys.combined(rows, None);
        mark_present(&mut self.present, &groups);
        groups
    }

    fn merge(&mut self, other: &Self) -> Vec<u32> {
        self.present.iter_mut().zip(&other.present).for_each(|(own, other)| *own |= other);
        (0..other.present.len() as u32).collect()
    }

    fn finish(self, keys: &RowKeys<'_>) -> FoundGroups {
        let mut map = vec![NO_GROUP; self.present.len()];
        let mut places = Vec::new();
        for (at, _) in self.present.iter().enumerate().filter(|(_, present)| **present) {
            map[at] = places.len() as u32;
            places.push(at as PackedKey);
        }
        let groups = places.len();
        FoundGroups { codes: keys.codec.unpack(places.into_iter()), groups, map: Some(map) }
    }
}

/// Of so few groups, a block seldom brings one that no earlier block had.
const FEW: usize = 256;

/// Marks the groups of some rows. Where they are few, finding the lowest and highest of them is quicker than marking
/// each row, and mostly shows that all between are marked.
fn mark_present(present: &mut [bool], groups: &[u32]) {
    if present.len() <= FEW {
        let low = groups.iter().copied().fold(u32::MAX, u32::min) as usize;
        let high = groups.iter().copied().fold(0, u32::max) as usize;
        if present.get(low..=high).is_some_and(|between| between.iter().all(|p| *p)) {
            return;
        }
    }
    groups.iter().for_each(|group| present[*group as usize] = true);
}

/// One key tells nearly all groups apart, such as the number of an order: its codes have places, and those of all other keys are
/// combined to one number.
#[derive(Default)]
pub(super) struct Slots {
    /// The position of the key that tells most groups apart.
    largest: usize,
    /// The code of the first slot.
    low: u32,
    /// Per code of the largest key the rest and the number of its first group; no group is `NO_GROUP`.
    places: Vec<(u32, u32)>,
    /// The further groups of codes that have several.
    more: HashMap<(u32, u32), u32, FixedState>,
    /// The code and the rest of each group.
    groups: Vec<(u32, u32)>,
}

impl Slots {
    /// Without any slot: for the rows of a part there is one of its own.
    pub(super) fn new(largest: usize) -> Self {
        Self { largest, ..Self::default() }
    }

    fn between(largest: usize, low: u32, count: usize) -> Self {
        Self { largest, low, places: vec![(0, NO_GROUP); count], ..Self::default() }
    }

    fn group_of(&mut self, code: u32, rest: u32) -> u32 {
        let next = self.groups.len() as u32;
        let slot = &mut self.places[(code - self.low) as usize];
        if slot.1 == NO_GROUP {
            *slot = (rest, next);
        } else if slot.0 == rest {
            return slot.1;
        } else {
            let found = *self.more.entry((code, rest)).or_insert(next);
            if found != next {
                return found;
            }
        }
        self.groups.push((code, rest));
        next
    }
}

impl Finder for Slots {
    fn for_part(&self, keys: &RowKeys<'_>, rows: Range<usize>) -> Self {
        let (low, high) = keys.keys[self.largest].code_range(rows);
        Self::between(self.largest, low, (high - low) as usize + 1)
    }

    fn for_all(&self, keys: &RowKeys<'_>) -> Option<Self> {
        // The slots of a part are for its own codes; here they are of all parts.
        Some(Self::between(self.largest, 0, keys.codec.size(self.largest) as usize))
    }

    fn groups(&self) -> usize {
        self.groups.len()
    }

    fn find(&mut self, keys: &RowKeys<'_>, rows: Rows<'_>) -> Vec<u32> {
        let mut codes = Vec::with_capacity(rows.len());
        keys.keys[self.largest].read(rows, &mut codes);
        let rests = keys.combined(rows, Some(self.largest));
        codes.iter().zip(&rests).map(|(code, rest)| self.group_of(*code, *rest)).collect()
    }

    fn merge(&mut self, other: &Self) -> Vec<u32> {
        other.groups.iter().map(|(code, rest)| self.group_of(*code, *rest)).collect()
    }

    fn finish(self, keys: &RowKeys<'_>) -> FoundGroups {
        let others: Vec<usize> = (0..keys.codec.len()).filter(|at| *at != self.largest).collect();
        let rests = self.groups.iter().map(|(_, rest)| PackedKey::from(*rest));
        let mut codes = keys.codec.of(&others).unpack(rests);
        codes.insert(self.largest, self.groups.iter().map(|(code, _)| *code).collect());
        FoundGroups { codes, groups: self.groups.len(), map: None }
    }
}

/// By hashing.
#[derive(Default)]
pub(super) struct Hashed {
    packed: Vec<PackedKey>,
    found: HashMap<PackedKey, u32, FixedState>,
}

impl Hashed {
    fn group_of(&mut self, key: PackedKey) -> u32 {
        *self.found.entry(key).or_insert_with(|| {
            self.packed.push(key);
            self.packed.len() as u32 - 1
        })
    }
}

impl Finder for Hashed {
    fn for_part(&self, _: &RowKeys<'_>, _: Range<usize>) -> Self {
        Self::default()
    }

    fn for_all(&self, _: &RowKeys<'_>) -> Option<Self> {
        None
    }

    fn groups(&self) -> usize {
        self.packed.len()
    }

    fn find(&mut self, keys: &RowKeys<'_>, rows: Rows<'_>) -> Vec<u32> {
        keys.packed(rows).into_iter().map(|key| self.group_of(key)).collect()
    }

    fn merge(&mut self, other: &Self) -> Vec<u32> {
        other.packed.iter().map(|key| self.group_of(*key)).collect()
    }

    fn finish(self, keys: &RowKeys<'_>) -> FoundGroups {
        let groups = self.packed.len();
        FoundGroups { codes: keys.codec.unpack(self.packed.into_iter()), groups, map: None }
    }
}

#[cfg(test)]
mod tests {
    use super::{Finder, Hashed, Places, RowKeys, Slots};
    use crate::index::IndexArray;
    use crate::members::{Key, Members};
    use crate::testing::Random;
    use crate::vector::Rows;
    use std::collections::BTreeMap;
    use std::sync::Arc;
    use vembra_plan::Scalar;

    /// A key of some rows with so many members: the codes behind them are those of none and unknown.
    fn key(random: &mut Random, rows: usize, members: usize) -> Key {
        let codes = (0..rows).map(|_| random.below(members + 2) as u32).collect();
        Key {
            numbers: Arc::new(IndexArray::new(codes, members + 2)),
            map: None,
            members: Arc::new(Members {
                values: (0..members as i64).map(Scalar::Integer).collect(),
                rest: false,
            }),
        }
    }

    /// How many rows each combination of codes has, found in parts.
    fn counted<F: Finder>(
        way: &F,
        keys: &RowKeys<'_>,
        rows: usize,
        parts: usize,
    ) -> BTreeMap<Vec<u32>, usize> {
        let step = rows.div_ceil(parts).max(1);
        let mut all: Option<(F, Vec<usize>)> = way.for_all(keys).map(|f| (f, Vec::new()));
        for at in 0..parts {
            let range = (at * step).min(rows)..((at + 1) * step).min(rows);
            let mut finder = way.for_part(keys, range.clone());
            let mut counts = Vec::new();
            for start in range.clone().step_by(3) {
                let block = Rows::Range(start, 3.min(range.end - start));
                let groups = finder.find(keys, block);
                counts.resize(finder.groups(), 0);
                groups.iter().for_each(|group| counts[*group as usize] += 1);
            }
            counts.resize(finder.groups(), 0);
            all = Some(match all {
                None => (finder, counts),
                Some((mut whole, mut sums)) => {
                    let map = whole.merge(&finder);
                    sums.resize(whole.groups(), 0);
                    map.iter().zip(&counts).for_each(|(to, count)| sums[*to as usize] += count);
                    (whole, sums)
                }
            });
        }
        let (finder, counts) = all.unwrap();
        let found = finder.finish(keys);
        let count = |group: usize| match &found.map {
            Some(map) => counts[map.iter().position(|to| *to as usize == group).unwrap()],
            None => counts[group],
        };
        (0..found.groups).map(|g| (found.codes.iter().map(|c| c[g]).collect(), count(g))).collect()
    }

    #[test]
    fn all_ways_find_the_groups_that_there_are() {
        let mut random = Random(3);
        for round in 0..200 {
            let rows = random.below(40);
            let sizes: Vec<usize> = (0..=random.below(3)).map(|_| 1 + random.below(9)).collect();
            let own: Vec<Key> = sizes.iter().map(|size| key(&mut random, rows, *size)).collect();
            let keys = RowKeys::new(own.iter().collect()).unwrap();
            let mut wanted: BTreeMap<Vec<u32>, usize> = BTreeMap::new();
            for row in 0..rows {
                *wanted.entry(own.iter().map(|k| k.code(row)).collect()).or_default() += 1;
            }
            for parts in [1, 2, 5] {
                let places = Places::new(keys.codec().places() as usize);
                assert_eq!(counted(&places, &keys, rows, parts), wanted, "places, round {round}");
                assert_eq!(
                    counted(&Slots::new(keys.largest()), &keys, rows, parts),
                    wanted,
                    "slots, round {round}"
                );
                assert_eq!(counted(&Hashed::default(), &keys, rows, parts), wanted, "hashed, round {round}");
            }
        }
    }
}
