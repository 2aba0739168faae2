//! Sets of small numbers, one a group, a bit for each number: in as few bytes as all that a set may have take.

use super::{Groups, NO_GROUP, runs};
use crate::execution::parallel::AT_ONCE;
use crate::execution::threads::in_pieces;
use crate::storage::narrow::narrow;

/// At most this many bytes; past this a set of those numbers takes less that are there.
const MOST: usize = 1 << 25;
/// What one number of a group takes elsewhere: sets of no more bytes are always the smaller ones.
const ONE: usize = 8;

const BITS: [u8; 8] = [1, 2, 4, 8, 16, 32, 64, 128];

/// Sets of numbers from `low` on.
#[derive(Clone, Debug)]
pub(super) struct BitSets {
    low: i128,
    /// The bytes of a set.
    width: usize,
    bytes: Vec<u8>,
}

impl BitSets {
    /// Empty sets for numbers from `low` on, this many; none if they would take too much.
    pub(super) fn new(low: i128, numbers: usize, groups: usize) -> Option<Self> {
        let width = match numbers.div_ceil(8) {
            // Of a width that is soon multiplied by, and counted in one.
            bytes @ ..=8 => bytes.next_power_of_two(),
            bytes => bytes.next_multiple_of(8),
        };
        fits(width, groups).then(|| Self { low, width, bytes: vec![0; width * groups] })
    }

    /// Empty ones of the same numbers; none if they would take too much.
    pub(super) fn empty_like(&self, groups: usize) -> Option<Self> {
        fits(self.width, groups).then(|| Self { bytes: vec![0; self.width * groups], ..*self })
    }

    /// Makes room for this many groups; says whether that does not take too much.
    #[must_use]
    pub(super) fn resize(&mut self, groups: usize) -> bool {
        let fits = fits(self.width, groups);
        if fits {
            self.bytes.resize(self.width * groups, 0);
        }
        fits
    }

    pub(super) fn low(&self) -> i128 {
        self.low
    }

    /// Whether all numbers of a range have a bit.
    pub(super) fn hold(&self, range: (i128, i128)) -> bool {
        range.0 >= self.low && range.1 < self.low + 8 * self.width as i128
    }

    /// Whether both have the same bit for the same number.
    pub(super) fn are_like(&self, other: &Self) -> bool {
        (self.low, self.width) == (other.low, other.width)
    }

    /// Takes in a number for each row, by its distance from the first one that has a bit.
    pub(super) fn mark(&mut self, groups: Groups<'_>, places: impl Iterator<Item = usize>) {
        let (bytes, width) = (self.bytes.as_mut_slice(), self.width);
        match (groups, width) {
            (Groups::One, _) => places.for_each(|place| bytes[place / 8] |= BITS[place % 8]),
            (Groups::Each(groups), 1) => groups.iter().zip(places).for_each(|(group, place)| {
                bytes[*group as usize] |= BITS[place % 8];
            }),
            (Groups::Each(groups), ..8) => groups.iter().zip(places).for_each(|(group, place)| {
                bytes[*group as usize * width + place / 8] |= BITS[place % 8];
            }),
            // A bit is set the quicker the wider the word.
            (Groups::Each(groups), _) => {
                let (words, width) = (bytes.as_chunks_mut::<8>().0, width / 8);
                groups.iter().zip(places).for_each(|(group, place)| {
                    let word = &mut words[*group as usize * width + place / 64];
                    *word = (u64::from_le_bytes(*word) | 1 << (place % 64)).to_le_bytes();
                });
            }
        }
    }

    /// Takes in one number.
    pub(super) fn insert(&mut self, group: usize, place: usize) {
        self.bytes[group * self.width + place / 8] |= BITS[place % 8];
    }

    /// Takes in others of the same numbers: their group `g` is `map[g]` here.
    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) {
        for (set, to) in other.bytes.chunks(self.width).zip(map).filter(|(_, to)| **to != NO_GROUP) {
            let own = &mut self.bytes[*to as usize * self.width..][..self.width];
            own.iter_mut().zip(set).for_each(|(own, other)| *own |= other);
        }
    }

    /// Takes in others whose groups stay side by side from a group on; says whether it did.
    pub(super) fn take_runs(&mut self, parts: &[(usize, &Self)]) -> bool {
        let like = parts.iter().all(|(_, part)| self.are_like(part));
        if like {
            let runs: Vec<(usize, &[u8])> =
                parts.iter().map(|(to, part)| (to * self.width, part.bytes.as_slice())).collect();
            runs::take_in(&mut self.bytes, &runs, |own, other| own | other);
        }
        like
    }

    /// The group and the distance of each number.
    pub(super) fn iter(&self) -> impl Iterator<Item = (u32, u64)> + '_ {
        let marked = self.bytes.iter().enumerate().filter(|(_, byte)| **byte != 0);
        marked.flat_map(|(at, byte)| {
            let (group, base) = (narrow(at / self.width), (at % self.width * 8) as u64);
            (0..8).filter(move |bit| byte >> bit & 1 == 1).map(move |bit| (group, base + bit))
        })
    }

    /// How many numbers each group has.
    pub(super) fn count(&self, counts: &mut [i64]) {
        in_pieces(counts, AT_ONCE, |start, counts| {
            let bytes = &self.bytes[start * self.width..];
            if self.width == 1 {
                counts.iter_mut().zip(bytes).for_each(|(count, set)| *count = i64::from(set.count_ones()));
                return;
            }
            let sets = bytes.chunks(self.width);
            counts.iter_mut().zip(sets).for_each(|(count, set)| *count = count_of(set));
        });
    }

    pub(super) fn bytes(&self) -> usize {
        self.bytes.len()
    }
}

fn fits(width: usize, groups: usize) -> bool {
    width <= ONE || width.saturating_mul(groups.max(1)) <= MOST
}

fn count_of(set: &[u8]) -> i64 {
    let (eights, rest) = set.as_chunks::<8>();
    let eights = eights.iter().map(|eight| u64::from_le_bytes(*eight).count_ones());
    eights.chain(rest.iter().map(|byte| byte.count_ones())).map(i64::from).sum()
}

#[cfg(test)]
mod tests {
    use super::{BitSets, MOST};
    use crate::operators::aggregate::{Groups, NO_GROUP};
    use crate::storage::testing::Random;
    use std::collections::BTreeSet;

    const GROUPS: usize = 12;

    /// Sets of numbers below a bound, and the same as pairs.
    fn sets(random: &mut Random, numbers: usize) -> (BitSets, BTreeSet<(u32, u64)>) {
        let mut sets = BitSets::new(5, numbers, GROUPS).unwrap();
        let groups: Vec<u32> = (0..60).map(|_| random.below(GROUPS) as u32).collect();
        let places: Vec<usize> = groups.iter().map(|_| random.below(numbers)).collect();
        let (first, rest) = places.split_at(40);
        sets.mark(Groups::Each(&groups[..40]), first.iter().copied());
        groups[40..].iter().zip(rest).for_each(|(group, place)| sets.insert(*group as usize, *place));
        (sets, groups.into_iter().zip(places.into_iter().map(|p| p as u64)).collect())
    }

    #[test]
    fn sets_hold_what_was_taken_in_whatever_their_width() {
        let mut random = Random(59);
        for numbers in [1, 2, 8, 9, 16, 33, 64, 65, 200] {
            let (own, pairs) = sets(&mut random, numbers);
            assert_eq!(own.iter().collect::<BTreeSet<_>>(), pairs);
            let mut counts = vec![0; GROUPS];
            own.count(&mut counts);
            let wanted =
                (0..GROUPS as u32).map(|g| pairs.iter().filter(|(group, _)| *group == g).count() as i64);
            assert!(counts.into_iter().eq(wanted), "{numbers} numbers");
            assert!(own.hold((5, 4 + numbers as i128)) && !own.hold((4, 5)) && !own.hold((5, 600)));

            let (other, others) = sets(&mut random, numbers);
            let map: Vec<u32> =
                (0..GROUPS as u32).map(|g| if g == 3 { NO_GROUP } else { (g + 7) % 11 }).collect();
            let mut merged = own.clone();
            merged.merge(&other, &map);
            let moved = others.iter().filter(|(g, _)| *g != 3).map(|(g, place)| (map[*g as usize], *place));
            assert_eq!(merged.iter().collect::<BTreeSet<_>>(), pairs.iter().copied().chain(moved).collect());

            // Two parts that share a group.
            let mut runs = BitSets::new(5, numbers, 2 * GROUPS - 1).unwrap();
            assert!(runs.take_runs(&[(0, &own), (GROUPS - 1, &other)]));
            let shifted = others.iter().map(|(g, place)| (g + GROUPS as u32 - 1, *place));
            assert_eq!(runs.iter().collect::<BTreeSet<_>>(), pairs.iter().copied().chain(shifted).collect());
        }
    }

    #[test]
    fn small_sets_are_kept_of_any_number_of_groups_and_large_ones_of_few() {
        assert!(BitSets::new(0, 64, MOST / 4).is_some());
        assert!(BitSets::new(0, 65, MOST / 16).is_some());
        let mut sets = BitSets::new(0, 65, 3).unwrap();
        assert!(sets.resize(MOST / 16) && !sets.resize(MOST / 16 + 1));
        assert!(BitSets::new(0, 65, MOST / 16 + 1).is_none());
        // Numbers of other bits are not taken in as they are.
        let other = BitSets::new(1, 65, 3).unwrap();
        assert!(!sets.take_runs(&[(0, &other)]));
    }
}
