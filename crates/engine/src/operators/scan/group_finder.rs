//! The group index of a scan, in the three forms between which `physical::group_index` chooses: direct, clustered, hash. Each part of the rows
//! has its own; they are merged in order.

use crate::error::EngineError;
use crate::execution::parallel::{AT_ONCE, each};
use crate::execution::threads::gather;
use crate::operators::aggregate::{Moved, NO_GROUP};
use crate::operators::clustered_groups::ClusteredGroups;
use crate::operators::group_index::GroupIndex;
use crate::operators::key_encoding::{KeyEncoding, PackedKey};
use crate::operators::members::Key;
use crate::statistics::functional_dependencies::{LOOKED_AT, looked_at};
use crate::storage::narrow::narrow;
use crate::storage::row_id::Rows;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use hashbrown::hash_map::Entry;
use rayon::prelude::*;
use std::ops::Range;

/// Rows are clustered where the codes of all parts are at most this many times those of the key.
const CLUSTERED: u128 = 2;
/// A key determines the others where at most one row in this many differs from what was seen of its code.
const MOSTLY: usize = 8;

/// The keys that the rows of a scan are grouped by.
pub(crate) struct RowKeys<'a> {
    keys: Vec<&'a Key>,
    encoding: KeyEncoding,
}

impl<'a> RowKeys<'a> {
    /// # Errors
    /// When the combinations of their codes are too many to be numbered.
    pub(crate) fn new(keys: Vec<&'a Key>) -> Result<Self, EngineError> {
        let encoding = KeyEncoding::new(keys.iter().map(|key| key.members.codes()))?;
        Ok(Self { keys, encoding })
    }

    pub(super) fn is_empty(&self) -> bool {
        self.keys.is_empty()
    }

    pub(super) fn encoding(&self) -> &KeyEncoding {
        &self.encoding
    }

    /// Groups among which each member of each key occurs, up to `most` of them: per key the code of each.
    pub(super) fn of_all_members(&self, most: usize) -> (usize, Vec<Vec<u32>>) {
        let members = |key: &&Key| narrow(key.members.values.len()).max(1);
        let groups = self.keys.iter().map(members).max().unwrap_or(1);
        let groups = groups.min(narrow(most));
        let codes = self.keys.iter().map(|key| (0..groups).map(|group| group % members(key)).collect());
        (groups as usize, codes.collect())
    }

    /// The position of the key with the most codes.
    pub(super) fn finest(&self) -> usize {
        (0..self.keys.len()).max_by_key(|at| self.encoding.size(*at)).unwrap_or(0)
    }

    /// Whether the rows of each part have codes of their own on a key, nearly, as those of a table have that stands in its order.
    pub(super) fn is_clustered(&self, key: usize, parts: &[Range<usize>]) -> bool {
        let most = CLUSTERED * self.encoding.size(key);
        let width = |range: Range<usize>| {
            let (low, high) = self.keys[key].code_range(range);
            u128::from(high - low) + 1
        };
        // A few rows of each part mostly show that it is not so.
        let first = |part: &Range<usize>| part.start..part.end.min(part.start + LOOKED_AT);
        parts.iter().map(|part| width(first(part))).sum::<u128>() <= most
            && gather(parts.len(), |at| width(parts[at].clone())).iter().sum::<u128>() <= most
    }

    /// Whether rows that have the same code on a key mostly have the same on all others too, such as the order of a line, which has
    /// one customer and one day; seen from some of the rows.
    pub(super) fn determines(&self, key: usize, rows: usize) -> bool {
        let mut known: HashMap<u32, u32, FixedState> = HashMap::default();
        let (mut again, mut differs) = (0, 0);
        for range in looked_at(rows) {
            let looked_at = Rows::Range(range.start, range.len());
            let mut codes = Vec::with_capacity(range.len());
            self.keys[key].read(looked_at, &mut codes);
            for (code, rest) in codes.into_iter().zip(self.combined(looked_at, Some(key))) {
                match known.entry(code) {
                    Entry::Vacant(entry) => drop(entry.insert(rest)),
                    Entry::Occupied(entry) => {
                        again += 1;
                        differs += usize::from(*entry.get() != rest);
                    }
                }
            }
        }
        differs * MOSTLY <= again
    }

    /// The codes of all keys but one, combined to one number that fits in 32 bits.
    fn combined(&self, rows: Rows<'_>, without: Option<usize>) -> Vec<u32> {
        let mut codes: Vec<u32> = Vec::with_capacity(rows.len());
        for (at, key) in self.keys.iter().enumerate().filter(|(at, _)| Some(*at) != without) {
            if codes.is_empty() {
                key.read(rows, &mut codes);
            } else {
                key.combine(rows, &mut codes, narrow(self.encoding.size(at)));
            }
        }
        if codes.is_empty() {
            codes.resize(rows.len(), 0);
        }
        codes
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

/// A form of the group index of a scan.
pub(super) trait GroupFinder: Sized + Sync + Send {
    /// One for the rows of a part.
    fn for_part(&self, keys: &RowKeys<'_>, rows: Range<usize>) -> Self;
    /// One that takes in the groups of several parts of these rows in their order, where that of the first part cannot.
    fn for_all(&self, keys: &RowKeys<'_>, rows: Range<usize>) -> Option<Self>;
    /// How many groups there are, with rows or not.
    fn groups(&self) -> usize;
    /// How many groups are known to have rows, where that is soon said; else none.
    fn present(&self) -> usize {
        0
    }
    /// The group of each row; empty when there is only one group.
    fn find(&mut self, keys: &RowKeys<'_>, rows: Rows<'_>) -> Vec<u32>;
    /// Takes in the groups of another one, and says where they are here.
    fn merge(&mut self, other: &Self) -> Moved;
    /// Makes room for more groups.
    fn reserve(&mut self, _groups: usize) {}
    /// The groups that have rows.
    fn finish(self, keys: &RowKeys<'_>) -> FoundGroups;
}

/// Each combination of codes is a group, whether rows have it or not.
pub(super) struct DirectIndex {
    /// Which have rows.
    present: Vec<bool>,
}

impl DirectIndex {
    pub(super) fn new(groups: usize) -> Self {
        Self { present: vec![false; groups] }
    }
}

impl GroupFinder for DirectIndex {
    fn for_part(&self, _: &RowKeys<'_>, _: Range<usize>) -> Self {
        Self::new(self.present.len())
    }

    fn for_all(&self, _: &RowKeys<'_>, _: Range<usize>) -> Option<Self> {
        None
    }

    fn groups(&self) -> usize {
        self.present.len()
    }

    fn present(&self) -> usize {
        self.present.iter().filter(|present| **present).count()
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

    fn merge(&mut self, other: &Self) -> Moved {
        self.present.iter_mut().zip(&other.present).for_each(|(own, other)| *own |= other);
        Moved::Together(0, other.present.len())
    }

    fn finish(self, keys: &RowKeys<'_>) -> FoundGroups {
        let all = self.present.iter().take_while(|present| **present).count();
        if !self.present[all..].contains(&true) {
            // Groups have their numbers already.
            return FoundGroups { codes: keys.encoding.unpack(0..all as PackedKey), groups: all, map: None };
        }
        let mut map = vec![NO_GROUP; self.present.len()];
        let mut places = Vec::new();
        for (at, _) in self.present.iter().enumerate().filter(|(_, present)| **present) {
            map[at] = narrow(places.len());
            places.push(at as PackedKey);
        }
        let groups = places.len();
        FoundGroups { codes: keys.encoding.unpack(places.into_iter()), groups, map: Some(map) }
    }
}

/// Of this many groups or fewer, a block seldom has one that no earlier block had.
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

/// One key determines nearly all others, such as the number of an order. Where rows stand in its order, only the groups of the last code can come
/// again; else each of its codes has a slot. The codes of all other keys are combined to one number.
#[derive(Default)]
pub(super) struct ClusteredIndex {
    /// The position of that key.
    key: usize,
    known: Slots,
    /// The code and the rest of each group.
    groups: Vec<(u32, u32)>,
}

/// How a group is found again.
enum Slots {
    ByCode(ClusteredGroups),
    /// Codes come in order: only the groups of the last one can come again.
    InOrder(LastCode),
}

impl Default for Slots {
    fn default() -> Self {
        Self::InOrder(LastCode::default())
    }
}

/// The groups of one code.
#[derive(Default)]
struct LastCode {
    code: u32,
    /// The rest and the number of the first one, mostly the only one.
    first: Option<(u32, u32)>,
    more: HashMap<u32, u32, FixedState>,
}

impl LastCode {
    /// The number of a group: `next` if it has none yet.
    fn number(&mut self, code: u32, rest: u32, next: u32) -> u32 {
        match self.first {
            Some((own, number)) if self.code == code => {
                if own == rest {
                    number
                } else {
                    *self.more.entry(rest).or_insert(next)
                }
            }
            _ => {
                *self = Self { code, first: Some((rest, next)), more: HashMap::default() };
                next
            }
        }
    }
}

impl ClusteredIndex {
    /// Without any group: for the rows of a part there is one of its own.
    pub(super) fn new(key: usize) -> Self {
        Self { key, ..Self::default() }
    }

    /// The groups of codes in order, by one key alone: without a branch, which could not be predicted.
    fn in_order(&mut self, mut codes: Vec<u32>) -> Vec<u32> {
        let Some(first) = codes.first().copied() else { return codes };
        let first = self.group_of(first, 0);
        let start = self.groups.len() - 1;
        self.groups.resize(start + codes.len() + 1, (0, 0));
        let (mut group, mut last) = (first, self.groups[start].0);
        for code in &mut codes {
            group += u32::from(*code != last);
            last = *code;
            self.groups[group as usize] = (last, 0);
            *code = group;
        }
        self.groups.truncate(group as usize + 1);
        self.known =
            Slots::InOrder(LastCode { code: last, first: Some((0, group)), more: HashMap::default() });
        codes
    }

    fn group_of(&mut self, code: u32, rest: u32) -> u32 {
        let next = narrow(self.groups.len());
        let found = match &mut self.known {
            Slots::ByCode(slots) => slots.number(code, rest, next),
            Slots::InOrder(last) => last.number(code, rest, next),
        };
        if found == next {
            self.groups.push((code, rest));
        }
        found
    }
}

impl GroupFinder for ClusteredIndex {
    fn for_part(&self, keys: &RowKeys<'_>, rows: Range<usize>) -> Self {
        if keys.keys[self.key].is_in_order(rows.clone()) {
            return Self::new(self.key);
        }
        let (low, high) = keys.keys[self.key].code_range(rows);
        let slots = ClusteredGroups::new(low, (high - low) as usize + 1);
        Self { known: Slots::ByCode(slots), ..Self::new(self.key) }
    }

    fn for_all(&self, keys: &RowKeys<'_>, rows: Range<usize>) -> Option<Self> {
        if keys.keys[self.key].is_in_order(rows) {
            return Some(Self::new(self.key));
        }
        // The slots of a part are for its own codes; here they are of all parts.
        let slots = ClusteredGroups::new(0, keys.encoding.size(self.key) as usize);
        Some(Self { known: Slots::ByCode(slots), ..Self::new(self.key) })
    }

    fn groups(&self) -> usize {
        self.groups.len()
    }

    fn find(&mut self, keys: &RowKeys<'_>, rows: Rows<'_>) -> Vec<u32> {
        let mut codes = Vec::with_capacity(rows.len());
        keys.keys[self.key].read(rows, &mut codes);
        if let (Slots::InOrder(_), 1) = (&self.known, keys.keys.len()) {
            return self.in_order(codes);
        }
        let rests = keys.combined(rows, Some(self.key));
        codes.iter().zip(&rests).map(|(code, rest)| self.group_of(*code, *rest)).collect()
    }

    fn merge(&mut self, other: &Self) -> Moved {
        let mut map = Vec::with_capacity(other.groups.len());
        let mut between = 0..0;
        if let (Slots::InOrder(_), Some((last, _))) = (&self.known, other.groups.last()) {
            // What lies between the codes at which the two meet, and the last one, is new.
            let met = self.groups.last().map(|(code, _)| *code);
            let from = other.groups.iter().take_while(|(code, _)| Some(*code) == met).count();
            let to = other.groups.iter().rev().take_while(|(code, _)| code == last).count();
            between = from..(other.groups.len() - to).max(from);
        }
        map.extend(other.groups[..between.start].iter().map(|(code, rest)| self.group_of(*code, *rest)));
        let next = narrow(self.groups.len());
        let new = other.groups[between.clone()].par_iter().with_min_len(AT_ONCE);
        self.groups.par_extend(new.copied());
        map.par_extend((next..next + narrow(between.len())).into_par_iter().with_min_len(AT_ONCE));
        map.extend(other.groups[between.end..].iter().map(|(code, rest)| self.group_of(*code, *rest)));
        Moved::of(map)
    }

    fn reserve(&mut self, groups: usize) {
        // In order hardly any is known already; else most of them may be.
        if matches!(self.known, Slots::InOrder(_)) {
            self.groups.reserve(groups);
        }
    }

    fn finish(self, keys: &RowKeys<'_>) -> FoundGroups {
        let others: Vec<usize> = (0..keys.encoding.len()).filter(|at| *at != self.key).collect();
        let mut codes = if others.is_empty() {
            Vec::new()
        } else {
            let rests = self.groups.iter().map(|(_, rest)| PackedKey::from(*rest));
            keys.encoding.of(&others).unpack(rests)
        };
        codes.insert(self.key, each(&self.groups, |(code, _)| code));
        FoundGroups { codes, groups: self.groups.len(), map: None }
    }
}

/// Combinations are hashed.
pub(super) struct HashIndex {
    group_index: GroupIndex,
    /// Per key the code of each group.
    codes: Vec<Vec<u32>>,
}

impl HashIndex {
    pub(super) fn new(keys: &RowKeys<'_>) -> Self {
        let codes = vec![Vec::new(); keys.encoding.len()];
        Self { group_index: GroupIndex::hashing(keys.encoding.clone()), codes }
    }

    fn number(&mut self, columns: &[&[u32]], len: usize) -> Vec<u32> {
        let numbered = self.group_index.number_all(columns, len);
        self.codes.iter_mut().zip(columns).for_each(|(all, own)| all.extend(numbered.pick(own)));
        numbered.of
    }
}

impl GroupFinder for HashIndex {
    fn for_part(&self, keys: &RowKeys<'_>, _: Range<usize>) -> Self {
        Self::new(keys)
    }

    fn for_all(&self, _: &RowKeys<'_>, _: Range<usize>) -> Option<Self> {
        None
    }

    fn groups(&self) -> usize {
        self.group_index.len()
    }

    fn find(&mut self, keys: &RowKeys<'_>, rows: Rows<'_>) -> Vec<u32> {
        let columns = keys.keys.iter().map(|key| {
            let mut codes = Vec::with_capacity(rows.len());
            key.read(rows, &mut codes);
            codes
        });
        let columns: Vec<Vec<u32>> = columns.collect();
        self.number(&columns.iter().map(Vec::as_slice).collect::<Vec<_>>(), rows.len())
    }

    fn merge(&mut self, other: &Self) -> Moved {
        Moved::of(self.number(&other.codes.iter().map(Vec::as_slice).collect::<Vec<_>>(), other.groups()))
    }

    fn finish(self, _: &RowKeys<'_>) -> FoundGroups {
        FoundGroups { groups: self.group_index.len(), codes: self.codes, map: None }
    }
}

#[cfg(test)]
mod tests {
    use super::{ClusteredIndex, DirectIndex, GroupFinder, HashIndex, RowKeys};
    use crate::operators::members::{Key, Members};
    use crate::storage::row_id::Rows;
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::collections::BTreeMap;
    use std::sync::Arc;
    use vembra_plan::Scalar;

    /// A key of some rows with this many members: the codes behind them are those of none and unknown.
    fn key(random: &mut Random, rows: usize, members: usize) -> Key {
        let codes = (0..rows).map(|_| random.below(members + 2) as u32).collect();
        Key {
            numbers: Arc::new(SmallInts::new(codes, members + 2)),
            map: None,
            members: Arc::new(Members::of((0..members as i64).map(Scalar::Integer).collect())),
        }
    }

    /// How many rows each combination of codes has, found in parts.
    fn counted<F: GroupFinder>(
        way: &F,
        keys: &RowKeys<'_>,
        rows: usize,
        parts: usize,
    ) -> BTreeMap<Vec<u32>, usize> {
        let step = rows.div_ceil(parts).max(1);
        let mut all: Option<(F, Vec<usize>)> = way.for_all(keys, 0..rows).map(|f| (f, Vec::new()));
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
                    let moved = whole.merge(&finder);
                    let map = moved.map();
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
    fn a_key_determines_the_others_where_they_follow_from_it() {
        let members = |rows: Vec<u32>, members: usize| Key {
            numbers: Arc::new(SmallInts::new(rows, members + 2)),
            map: None,
            members: Arc::new(Members::of((0..members as i64).map(Scalar::Integer).collect())),
        };
        let rows = 20_000_u32;
        // Three lines an order, whose customer follows from it; days that have nothing to do with either.
        let orders = members((0..rows).map(|row| row / 3).collect(), 7_000);
        let customers = members((0..rows).map(|row| row / 3 % 90).collect(), 90);
        let days = members((0..rows).map(|row| row * 7_919 % 300).collect(), 300);
        let apart = |keys: Vec<&Key>, at| RowKeys::new(keys).unwrap().determines(at, rows as usize);
        assert!(apart(vec![&customers, &orders], 1));
        assert!(!apart(vec![&customers, &orders], 0));
        assert!(!apart(vec![&days, &orders], 1));
        assert!(!apart(vec![&days, &customers], 0));
    }

    #[test]
    fn all_forms_find_the_groups_that_there_are() {
        let mut random = Random(3);
        for round in 0..200 {
            let rows = random.below(40);
            let sizes: Vec<usize> = (0..=random.below(3)).map(|_| 1 + random.below(9)).collect();
            let mut own: Vec<Key> = sizes.iter().map(|size| key(&mut random, rows, *size)).collect();
            if round % 2 == 0 {
                // One of them in order.
                let at = random.below(own.len());
                let members = own[at].members.codes();
                let mut codes: Vec<u32> = (0..rows).map(|row| own[at].code(row)).collect();
                codes.sort_unstable();
                own[at].numbers = Arc::new(SmallInts::new(codes, members));
            }
            let keys = RowKeys::new(own.iter().collect()).unwrap();
            let mut wanted: BTreeMap<Vec<u32>, usize> = BTreeMap::new();
            for row in 0..rows {
                *wanted.entry(own.iter().map(|k| k.code(row)).collect()).or_default() += 1;
            }
            for parts in [1, 2, 5] {
                let direct = DirectIndex::new(keys.encoding().combinations() as usize);
                assert_eq!(counted(&direct, &keys, rows, parts), wanted, "direct, round {round}");
                assert_eq!(
                    counted(&ClusteredIndex::new(keys.finest()), &keys, rows, parts),
                    wanted,
                    "clustered, round {round}"
                );
                assert_eq!(
                    counted(&HashIndex::new(&keys), &keys, rows, parts),
                    wanted,
                    "hashed, round {round}"
                );
            }
        }
    }
}
