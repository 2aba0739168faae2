//! A group index: numbers for combinations of codes, in the order in which they are first met; direct, clustered or hashed, as many as there are.

use crate::error::EngineError;
use crate::execution::parallel::{MANY, each, each_two, is_rising, many};
use crate::execution::threads::{in_pieces, of_pieces};
use crate::operators::clustered_groups::ClusteredGroups;
pub(crate) use crate::operators::clustered_groups::NOWHERE;
use crate::operators::key_encoding::{KeyEncoding, PackedKey};
use crate::storage::narrow::{fit, narrow};
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::borrow::Cow;

/// A direct index has at most this many combinations for each one that is expected,
const DIRECT_FOR_EACH: u128 = 4;
/// but up to this many are always taken.
const ALWAYS_DIRECT: u128 = 1 << 12;

/// The combinations that have a number, distinguished by their codes on some keys.
pub(crate) struct GroupIndex {
    encoding: KeyEncoding,
    form: Form,
    len: u32,
}

/// How the number of a combination is found.
enum Form {
    /// Each combination has a slot.
    Direct(Vec<u32>),
    /// The key at this position determines nearly all others.
    Clustered(usize, ClusteredGroups),
    /// By a hash of combinations that fit in 64 bits,
    Hash(HashMap<u64, u32, FixedState>),
    /// and of those that do not.
    WideHash(HashMap<PackedKey, u32, FixedState>),
}

/// What numbering combinations gave that stand side by side.
pub(crate) struct Numbered {
    /// The number of each.
    pub(crate) of: Vec<u32>,
    /// Where those stand that were not met before, in the order of their numbers.
    pub(crate) new: Vec<u32>,
}

impl Numbered {
    fn take(&mut self, number: u32, next: &mut u32) {
        if number == *next {
            self.new.push(narrow(self.of.len()));
            *next += 1;
        }
        self.of.push(number);
    }

    /// Whether all were new: each has its own number, in order.
    pub(crate) fn all_new(&self) -> bool {
        self.new.len() == self.of.len()
    }

    /// The codes of those that were not met before, from the codes of all.
    pub(crate) fn pick(&self, codes: &[u32]) -> Vec<u32> {
        self.new.iter().map(|at| codes[*at as usize]).collect()
    }
}

/// How many combinations are looked for at a time, on all threads.
const FOUND_AT_ONCE: usize = 1 << 16;

impl GroupIndex {
    /// `sizes` says how many codes each key has, `expected` about how many combinations will be numbered or looked for.
    ///
    /// # Errors
    /// When the combinations are too many to be numbered.
    pub(crate) fn new(sizes: impl IntoIterator<Item = usize>, expected: usize) -> Result<Self, EngineError> {
        let encoding = KeyEncoding::new(sizes)?;
        let most = ALWAYS_DIRECT.max(DIRECT_FOR_EACH * expected as u128).min(u128::from(u32::MAX));
        let largest = (0..encoding.len()).max_by_key(|at| encoding.size(*at)).unwrap_or(0);
        let form = if encoding.combinations() <= most {
            Form::Direct(many(encoding.combinations() as usize, NOWHERE))
        } else if encoding.size(largest) <= most
            && encoding.combinations() / encoding.size(largest) <= u128::from(u32::MAX)
        {
            Form::Clustered(largest, ClusteredGroups::new(0, encoding.size(largest) as usize))
        } else {
            return Ok(Self::hashing(encoding));
        };
        Ok(Self { encoding, form, len: 0 })
    }

    /// Combinations whose number is found by hashing, however few or many they are.
    pub(crate) fn hashing(encoding: KeyEncoding) -> Self {
        let form = if encoding.combinations() <= u128::from(u64::MAX) {
            Form::Hash(HashMap::default())
        } else {
            Form::WideHash(HashMap::default())
        };
        Self { encoding, form, len: 0 }
    }

    /// How many combinations have a number.
    pub(crate) fn len(&self) -> usize {
        self.len as usize
    }

    /// Numbers combinations that stand side by side: per key the code of each.
    pub(crate) fn number_all(&mut self, columns: &[&[u32]], len: usize) -> Numbered {
        if let Form::Direct(places) = &mut self.form
            && places.len() <= ALWAYS_DIRECT as usize
            && len >= MANY
        {
            let combined = combined(&self.encoding, columns, None, len);
            return number_many(places, &mut self.len, &combined);
        }
        let mut numbered = Numbered { of: Vec::with_capacity(len), new: Vec::new() };
        let next = &mut self.len;
        match &mut self.form {
            Form::Direct(places) => {
                for place in combined(&self.encoding, columns, None, len).iter() {
                    let number = &mut places[*place as usize];
                    if *number == NOWHERE {
                        *number = *next;
                    }
                    numbered.take(*number, next);
                }
            }
            Form::Clustered(largest, slots) => {
                let rests = combined(&self.encoding, columns, Some(*largest), len);
                for (code, rest) in columns[*largest].iter().zip(rests.iter()) {
                    numbered.take(slots.number(*code, *rest, *next), next);
                }
            }
            Form::Hash(found) => {
                for key in packed(&self.encoding, columns, len) {
                    numbered.take(*found.entry(key).or_insert(*next), next);
                }
            }
            Form::WideHash(found) => {
                let keys = (0..len).map(|at| self.encoding.pack(|key| columns[key][at]));
                keys.for_each(|key| numbered.take(*found.entry(key).or_insert(*next), next));
            }
        }
        numbered
    }

    /// The numbers of combinations that stand side by side; [`NOWHERE`] for those that have none.
    pub(crate) fn find_all(&self, columns: &[&[u32]], len: usize) -> Vec<u32> {
        if len < 2 * FOUND_AT_ONCE {
            return self.find(columns, len);
        }
        let mut found = many(len, NOWHERE);
        in_pieces(&mut found, FOUND_AT_ONCE, |start, own| {
            let columns: Vec<&[u32]> = columns.iter().map(|c| &c[start..start + own.len()]).collect();
            own.copy_from_slice(&self.find(&columns, own.len()));
        });
        found
    }

    fn find(&self, columns: &[&[u32]], len: usize) -> Vec<u32> {
        match &self.form {
            Form::Direct(places) => {
                let found = combined(&self.encoding, columns, None, len);
                found.iter().map(|place| places[*place as usize]).collect()
            }
            Form::Clustered(largest, slots) => {
                let rests = combined(&self.encoding, columns, Some(*largest), len);
                let codes = columns[*largest];
                codes.iter().zip(rests.iter()).map(|(code, rest)| slots.find(*code, *rest)).collect()
            }
            Form::Hash(found) => {
                let keys = packed(&self.encoding, columns, len).into_iter();
                keys.map(|key| found.get(&key).copied().unwrap_or(NOWHERE)).collect()
            }
            Form::WideHash(found) => {
                let key = |at: usize| self.encoding.pack(|key| columns[key][at]);
                (0..len).map(|at| found.get(&key(at)).copied().unwrap_or(NOWHERE)).collect()
            }
        }
    }

    /// The number of one combination; the next one if it has none yet.
    fn number(&mut self, key: PackedKey) -> u32 {
        let next = self.len;
        let number = match &mut self.form {
            Form::Direct(places) => {
                let place = &mut places[key as usize];
                if *place == NOWHERE {
                    *place = next;
                }
                *place
            }
            Form::Clustered(largest, slots) => {
                let (code, rest) = apart(&self.encoding, *largest, key);
                slots.number(code, rest, next)
            }
            Form::Hash(found) => *found.entry(fit(key)).or_insert(next),
            Form::WideHash(found) => *found.entry(key).or_insert(next),
        };
        self.len += u32::from(number == next);
        number
    }
}

/// Numbers many combinations that have few places, on all threads: first those that each piece brings, in the order of the rows.
fn number_many(places: &mut [u32], next: &mut u32, combined: &[u32]) -> Numbered {
    let known: &[u32] = places;
    let brought: Vec<Vec<(u32, u32)>> = of_pieces(combined.len(), FOUND_AT_ONCE, |piece| {
        let (start, own) = (piece.start, &combined[piece]);
        let mut seen: Vec<bool> = known.iter().map(|number| *number != NOWHERE).collect();
        let mut brought = Vec::new();
        for (at, place) in own.iter().enumerate() {
            if !std::mem::replace(&mut seen[*place as usize], true) {
                brought.push((*place, narrow(start + at)));
            }
        }
        brought
    });
    let mut new = Vec::new();
    for (place, row) in brought.into_iter().flatten() {
        let number = &mut places[place as usize];
        if *number == NOWHERE {
            *number = *next;
            *next += 1;
            new.push(row);
        }
    }
    let places: &[u32] = places;
    Numbered { of: each(combined, |place| places[place as usize]), new }
}

/// Whether some combinations surely all differ, since they do on one key.
pub(crate) fn differ_on_one<'c>(columns: impl Iterator<Item = (&'c [u32], usize)>, len: usize) -> bool {
    let Some((codes, size)) = columns.max_by_key(|(_, size)| *size).filter(|(_, size)| *size >= len) else {
        return len <= 1;
    };
    if is_rising(codes) {
        return true;
    }
    let mut met = vec![0_u64; size / 64 + 1];
    codes.iter().all(|code| {
        let (word, bit) = (&mut met[*code as usize / 64], 1 << (code % 64));
        let new = *word & bit == 0;
        *word |= bit;
        new
    })
}

/// Combinations numbered one by one, which are known by their number again.
pub(crate) struct Listing {
    group_index: GroupIndex,
    packed: Vec<PackedKey>,
}

impl Listing {
    pub(crate) fn new(group_index: GroupIndex) -> Self {
        Self { group_index, packed: Vec::new() }
    }

    /// The number of the combination whose codes `code` gives by the positions of the keys.
    pub(crate) fn number(&mut self, code: impl Fn(usize) -> u32) -> u32 {
        let key = self.group_index.encoding.pack(code);
        let number = self.group_index.number(key);
        if number as usize == self.packed.len() {
            self.packed.push(key);
        }
        number
    }

    /// How many combinations have a number.
    pub(crate) fn len(&self) -> usize {
        self.packed.len()
    }

    /// Per key the code of each numbered combination.
    pub(crate) fn unpack(&self) -> Vec<Vec<u32>> {
        self.group_index.encoding.unpack(self.packed.iter().copied())
    }
}

/// The codes of all keys but one, combined to one number of 32 bits.
fn combined<'c>(
    encoding: &KeyEncoding,
    columns: &[&'c [u32]],
    without: Option<usize>,
    len: usize,
) -> Cow<'c, [u32]> {
    let mut all: Option<Cow<'c, [u32]>> = None;
    for (at, column) in columns.iter().enumerate().filter(|(at, _)| Some(*at) != without) {
        let (codes, size) = (*column, narrow(encoding.size(at)));
        all = Some(match all {
            None => Cow::Borrowed(codes),
            Some(so_far) => Cow::Owned(each_two(&so_far, codes, |place, code| place * size + code)),
        });
    }
    all.unwrap_or_else(|| Cow::Owned(many(len, 0)))
}

/// The codes of all keys, combined to one number of 64 bits.
fn packed(encoding: &KeyEncoding, columns: &[&[u32]], len: usize) -> Vec<u64> {
    let mut keys = vec![0_u64; len];
    for (at, column) in columns.iter().enumerate() {
        // The product of all sizes fits: the numbering has seen to that.
        let size = u64::from(narrow(encoding.size(at)));
        keys.iter_mut().zip(*column).for_each(|(key, code)| *key = *key * size + u64::from(*code));
    }
    keys
}

/// The code of one key of a packed combination, and those of the others combined, as [`combined`] has them.
fn apart(encoding: &KeyEncoding, largest: usize, key: PackedKey) -> (u32, u32) {
    let codes = encoding.codes(key);
    let others = codes.iter().enumerate().filter(|(at, _)| *at != largest);
    let rest = others.fold(0, |rest, (at, code)| rest * narrow(encoding.size(at)) + code);
    (codes[largest], rest)
}

#[cfg(test)]
mod tests {
    use super::{Form, GroupIndex, Listing, NOWHERE, differ_on_one};
    use crate::execution::parallel::MANY;
    use crate::storage::testing::Random;
    use std::collections::BTreeMap;

    /// Keys with this many codes each, and how many combinations are expected: one for each way to find a number.
    const WAYS: [(&str, &[usize], usize); 5] = [
        ("direct", &[3, 4], 10),
        ("direct", &[], 1),
        ("clustered", &[50, 9_000, 40], 3_000),
        ("hash", &[60_000, 70_000, 3], 5),
        ("wide hash", &[u32::MAX as usize, u32::MAX as usize, 1_000], 5),
    ];

    fn way(group_index: &GroupIndex) -> &'static str {
        match group_index.form {
            Form::Direct(_) => "direct",
            Form::Clustered(..) => "clustered",
            Form::Hash(_) => "hash",
            Form::WideHash(_) => "wide hash",
        }
    }

    fn columns(random: &mut Random, sizes: &[usize], len: usize) -> Vec<Vec<u32>> {
        // Few different codes, from both ends, so that combinations come again.
        let code = |random: &mut Random, size: usize| {
            let near = random.below(size.min(4)) as u32;
            if random.below(2) == 0 { near } else { (size.min(1 << 31) as u32 - 1) - near }
        };
        sizes.iter().map(|size| (0..len).map(|_| code(random, *size)).collect()).collect()
    }

    #[test]
    fn each_way_numbers_combinations_as_they_are_met() {
        let mut random = Random(17);
        for round in 0..60 {
            for (name, sizes, expected) in WAYS {
                let mut group_index = GroupIndex::new(sizes.iter().copied(), expected).unwrap();
                assert_eq!(way(&group_index), name);
                let mut known: BTreeMap<Vec<u32>, u32> = BTreeMap::new();
                for _ in 0..2 {
                    let len = random.below(30);
                    let columns = columns(&mut random, sizes, len);
                    let slices: Vec<&[u32]> = columns.iter().map(Vec::as_slice).collect();
                    let at = |row: usize| columns.iter().map(|c| c[row]).collect::<Vec<u32>>();
                    let before: Vec<u32> =
                        (0..len).map(|row| known.get(&at(row)).copied().unwrap_or(NOWHERE)).collect();
                    assert_eq!(group_index.find_all(&slices, len), before, "{name}, round {round}");
                    let met = known.len();
                    let wanted: Vec<u32> = (0..len)
                        .map(|row| {
                            let next = known.len() as u32;
                            *known.entry(at(row)).or_insert(next)
                        })
                        .collect();
                    let numbered = group_index.number_all(&slices, len);
                    assert_eq!(numbered.of, wanted, "{name}, round {round}");
                    assert_eq!(group_index.len(), known.len());
                    let new: Vec<u32> = numbered.new.iter().map(|row| known[&at(*row as usize)]).collect();
                    assert_eq!(new, (met as u32..known.len() as u32).collect::<Vec<_>>());
                }
            }
        }
    }

    #[test]
    fn many_combinations_are_numbered_as_few_are() {
        let mut random = Random(19);
        for sizes in [&[3_usize, 4][..], &[7], &[]] {
            let mut many = GroupIndex::new(sizes.iter().copied(), 1).unwrap();
            let mut few = GroupIndex::new(sizes.iter().copied(), 1).unwrap();
            // The second time some have a number already, and one comes late.
            for len in [5, MANY + 70_000] {
                let mut columns: Vec<Vec<u32>> = sizes
                    .iter()
                    .map(|size| (0..len).map(|_| random.below(size - 1) as u32).collect())
                    .collect();
                columns.iter_mut().zip(sizes).for_each(|(column, size)| column[len - 1] = *size as u32 - 1);
                let slices: Vec<&[u32]> = columns.iter().map(Vec::as_slice).collect();
                let (mut of, mut new) = (Vec::new(), Vec::new());
                for start in (0..len).step_by(1_000) {
                    let end = (start + 1_000).min(len);
                    let piece: Vec<&[u32]> = slices.iter().map(|c| &c[start..end]).collect();
                    let numbered = few.number_all(&piece, end - start);
                    of.extend(numbered.of);
                    new.extend(numbered.new.iter().map(|at| at + start as u32));
                }
                let numbered = many.number_all(&slices, len);
                assert_eq!((numbered.of, numbered.new), (of, new), "{sizes:?}, {len}");
                assert_eq!(many.find_all(&slices, len), few.find(&slices, len));
                assert_eq!(many.len(), few.len());
            }
        }
    }

    #[test]
    fn combinations_differ_where_one_key_tells_them_all_apart() {
        let differ = |columns: &[(&[u32], usize)], len| differ_on_one(columns.iter().copied(), len);
        assert!(differ(&[(&[0, 0, 1], 2), (&[64, 0, 65], 66)], 3));
        assert!(!differ(&[(&[0, 1, 1], 2), (&[64, 0, 64], 66)], 3));
        assert!(!differ(&[(&[0, 1, 0], 2)], 3));
        assert!(differ(&[], 1) && !differ(&[], 2));
    }

    #[test]
    fn a_listing_gives_numbers_and_codes_again() {
        let mut random = Random(18);
        for (name, sizes, expected) in WAYS {
            let columns = columns(&mut random, sizes, 40);
            let slices: Vec<&[u32]> = columns.iter().map(Vec::as_slice).collect();
            let mut bulk = GroupIndex::new(sizes.iter().copied(), expected).unwrap();
            let wanted = bulk.number_all(&slices, 40);
            let mut listing = Listing::new(GroupIndex::new(sizes.iter().copied(), expected).unwrap());
            let found: Vec<u32> = (0..40).map(|row| listing.number(|key| columns[key][row])).collect();
            assert_eq!(found, wanted.of, "{name}");
            assert_eq!(listing.len(), bulk.len());
            let codes: Vec<Vec<u32>> = columns.iter().map(|c| wanted.pick(c)).collect();
            assert_eq!(listing.unpack(), codes, "{name}");
        }
    }
}
