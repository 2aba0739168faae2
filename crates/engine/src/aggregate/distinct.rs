//! How many different values: bits over dense codes where they are few, a set where not. Always exact.

use super::order_key::OrderKey;
use super::sorted_set::SortedSet;
use super::{Block, Groups, NO_GROUP, Spec};
use crate::each::{AT_ONCE, many};
use crate::error::EngineError;
use crate::index::{IndexArray, with_index};
use crate::threads::in_pieces;
use crate::vector::{Values, Vector};
use foldhash::fast::FixedState;
use hashbrown::HashSet;

/// At most so many words of bits; past this a set takes less.
const MOST_WORDS: usize = 1 << 22;

#[derive(Clone, Debug, Default)]
pub(crate) struct Distinct {
    groups: usize,
    seen: Seen,
}

#[derive(Clone, Debug, Default)]
enum Seen {
    #[default]
    Nothing,
    /// So many words a group; the bit of a lane is its distance from `low`.
    Bits {
        low: i128,
        words: usize,
        bits: Vec<u64>,
    },
    /// The group and the distance of the lane from `low`, both of 32 bits, as one number.
    Packed {
        low: i128,
        set: SortedSet,
    },
    Lanes(HashSet<(u32, i128), FixedState>),
    Keys(HashSet<(u32, OrderKey), FixedState>),
}

impl Distinct {
    /// No more rows come: what is kept is put in order.
    pub(super) fn settle(&mut self) {
        if let Seen::Packed { set, .. } = &mut self.seen {
            set.settle();
        }
    }

    #[allow(clippy::unused_self)] // All accumulators answer alike.
    pub(super) fn empty_like(&self) -> Self {
        Self::default()
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.groups = groups;
        if let Seen::Bits { words, bits, .. } = &mut self.seen {
            if groups * *words > MOST_WORDS {
                self.leave_bits();
            } else {
                bits.resize(groups * *words, 0);
            }
        }
    }

    /// Turns bits into a set of packed numbers.
    fn leave_bits(&mut self) {
        let Seen::Bits { low, words, bits } = &self.seen else { return };
        let each = |(at, word): (usize, &u64)| {
            let (group, base, word) = ((at / words) as u32, (at % words * 64) as u64, *word);
            (0..64).filter(move |bit| word >> bit & 1 == 1).map(move |bit| packed(group, base + bit))
        };
        let set = bits.iter().enumerate().filter(|(_, w)| **w != 0).flat_map(each).collect();
        self.seen = Seen::Packed { low: *low, set };
    }

    /// Turns what is kept by distances into a set of groups and lanes.
    fn leave_distances(&mut self) {
        self.leave_bits();
        let Seen::Packed { low, set } = &self.seen else { return };
        let lanes = set.iter().map(|key| ((key >> 32) as u32, low + i128::from(key as u32))).collect();
        self.seen = Seen::Lanes(lanes);
    }

    /// Chooses how to keep values, from the first block. Codes of one dictionary count as lanes.
    fn choose(&mut self, vector: &Vector) {
        let range = match &vector.values {
            Values::Code(_, dictionary) => (0, dictionary.texts.len() as i128),
            Values::Int(_) | Values::Wide(_) => vector.range,
            Values::Bool(_) => (0, 1),
            _ => {
                self.seen = Seen::Keys(HashSet::default());
                return;
            }
        };
        let words = range.1.checked_sub(range.0).and_then(|d| usize::try_from(d / 64 + 1).ok());
        self.seen = match words.filter(|w| w.saturating_mul(self.groups.max(1)) <= MOST_WORDS) {
            Some(words) => Seen::Bits { low: range.0, words, bits: vec![0; words * self.groups] },
            None if within(range, range.0) => Seen::Packed { low: range.0, set: SortedSet::default() },
            None => Seen::Lanes(HashSet::default()),
        };
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        let Some(vector) = block.value else { return Ok(()) };
        if matches!(self.seen, Seen::Nothing) {
            self.choose(vector);
        }
        if let Seen::Bits { low, words, .. } = &self.seen {
            let last = *low + (*words * 64) as i128;
            let lanes = matches!(vector.values, Values::Int(_) | Values::Wide(_));
            if lanes && (vector.range.0 < *low || vector.range.1 >= last) {
                self.leave_bits();
            }
        }
        if let Seen::Packed { low, .. } = &self.seen
            && matches!(vector.values, Values::Int(_) | Values::Wide(_))
            && !within(vector.range, *low)
        {
            self.leave_distances();
        }
        match &mut self.seen {
            Seen::Bits { low, words, bits } => {
                let (low, words) = (*low, *words);
                match (&vector.values, vector.valid.is_none() && !vector.constant, i64::try_from(low)) {
                    // The common ones without nulls, in loops without a choice inside.
                    (Values::Code(codes, _), true, _) => {
                        mark(bits, words, groups, codes.iter().map(|code| *code as usize));
                    }
                    (Values::Int(lanes), true, Ok(low)) => {
                        mark(bits, words, groups, lanes.iter().map(|lane| (lane - low) as usize));
                    }
                    _ => block.present().for_each(|(at, vector)| {
                        let place = (lane(vector, at) - low) as usize;
                        bits[groups.of(at) * words + place / 64] |= 1 << (place % 64);
                    }),
                }
            }
            Seen::Packed { low, set } => {
                // Rows of one thing mostly stand together: the set need not be asked again.
                let mut last = None;
                for (at, vector) in block.present() {
                    let next = packed(groups.of(at) as u32, (lane(vector, at) - *low) as u64);
                    if last != Some(next) {
                        set.insert(next);
                        last = Some(next);
                    }
                }
            }
            Seen::Lanes(set) => {
                set.extend(block.present().map(|(at, v)| (groups.of(at) as u32, lane(v, at))));
            }
            Seen::Keys(set) => {
                set.extend(block.present().map(|(at, v)| (groups.of(at) as u32, OrderKey::at(v, at))));
            }
            Seen::Nothing => {}
        }
        Ok(())
    }

    /// Takes in codes of one dictionary with so many texts, as their column keeps them; says whether it did. No row
    /// lacks a value.
    pub(crate) fn update_codes(
        &mut self,
        groups: Groups<'_>,
        codes: &IndexArray,
        rows: std::ops::Range<usize>,
        texts: usize,
    ) -> bool {
        if matches!(self.seen, Seen::Nothing) {
            let words = texts / 64 + 1;
            if words.saturating_mul(self.groups.max(1)) > MOST_WORDS {
                return false;
            }
            self.seen = Seen::Bits { low: 0, words, bits: vec![0; words * self.groups] };
        }
        let Seen::Bits { low: 0, words, bits } = &mut self.seen else { return false };
        with_index!(codes, codes => {
            mark(bits, *words, groups, codes[rows].iter().map(|code| *code as usize));
        });
        true
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        let to = |group: u32| map.get(group as usize).copied().filter(|to| *to != NO_GROUP);
        if matches!(self.seen, Seen::Nothing) {
            self.seen = match &other.seen {
                Seen::Nothing => return Ok(()),
                Seen::Bits { low, words, .. } if words * self.groups <= MOST_WORDS => {
                    Seen::Bits { low: *low, words: *words, bits: vec![0; words * self.groups] }
                }
                Seen::Bits { low, .. } | Seen::Packed { low, .. } => {
                    Seen::Packed { low: *low, set: SortedSet::default() }
                }
                Seen::Lanes(_) => Seen::Lanes(HashSet::default()),
                Seen::Keys(_) => Seen::Keys(HashSet::default()),
            };
        }
        let mut other = std::borrow::Cow::Borrowed(other);
        let bits = |seen: &Seen| matches!(seen, Seen::Bits { .. });
        let same = match (&self.seen, &other.seen) {
            (Seen::Bits { low, words, .. }, Seen::Bits { low: l, words: w, .. }) => low == l && words == w,
            (a, b) => !bits(a) && !bits(b),
        };
        if !same {
            self.leave_bits();
            if bits(&other.seen) {
                other.to_mut().leave_bits();
            }
        }
        let apart = match (&self.seen, &other.seen) {
            (Seen::Packed { low, .. }, Seen::Packed { low: l, .. }) => low != l,
            (Seen::Packed { .. }, Seen::Lanes(_)) | (Seen::Lanes(_), Seen::Packed { .. }) => true,
            _ => false,
        };
        if apart {
            self.leave_distances();
            other.to_mut().leave_distances();
        }
        match (&mut self.seen, &other.seen) {
            (Seen::Bits { words, bits, .. }, Seen::Bits { bits: others, .. }) => {
                for (group, chunk) in others.chunks(*words).enumerate() {
                    if let Some(to) = to(group as u32) {
                        let target = &mut bits[to as usize * *words..][..*words];
                        target.iter_mut().zip(chunk).for_each(|(a, b)| *a |= b);
                    }
                }
            }
            (Seen::Packed { set, .. }, Seen::Packed { set: others, .. }) => {
                let moved = |key: u64| to((key >> 32) as u32).map(|g| packed(g, u64::from(key as u32)));
                others.iter().filter_map(moved).for_each(|key| set.insert(key));
            }
            (Seen::Lanes(set), Seen::Lanes(others)) => {
                set.extend(others.iter().filter_map(|(g, lane)| to(*g).map(|g| (g, *lane))));
            }
            (Seen::Keys(set), Seen::Keys(others)) => {
                set.extend(others.iter().filter_map(|(g, key)| to(*g).map(|g| (g, key.clone()))));
            }
            _ => {}
        }
        Ok(())
    }

    pub(super) fn bytes(&self) -> usize {
        // What lies in a hash takes about twice its own room.
        match &self.seen {
            Seen::Nothing => 0,
            Seen::Bits { bits, .. } => size_of_val(bits.as_slice()),
            Seen::Packed { set, .. } => set.bytes(),
            Seen::Lanes(set) => 2 * set.len() * size_of::<(u32, i128)>(),
            Seen::Keys(set) => 2 * set.len() * size_of::<(u32, OrderKey)>(),
        }
    }

    pub(super) fn finish(&self, _: &Spec) -> Result<Vector, EngineError> {
        let mut counts = many(self.groups, 0_i64);
        match &self.seen {
            Seen::Nothing => {}
            Seen::Bits { words, bits, .. } => {
                in_pieces(&mut counts, AT_ONCE, |start, counts| {
                    let sets = bits[start * words..].chunks(*words);
                    counts.iter_mut().zip(sets).for_each(|(count, set)| {
                        *count = set.iter().map(|w| i64::from(w.count_ones())).sum();
                    });
                });
            }
            Seen::Packed { set, .. } => {
                set.in_order().iter().for_each(|key| counts[(key >> 32) as usize] += 1);
            }
            Seen::Lanes(set) => set.iter().for_each(|(group, _)| counts[*group as usize] += 1),
            Seen::Keys(set) => set.iter().for_each(|(group, _)| counts[*group as usize] += 1),
        }
        let range = crate::vector::range_of(&counts);
        Ok(Vector::new(Values::Int(counts), None, range))
    }
}

/// A group and a distance of 32 bits as one number.
fn packed(group: u32, distance: u64) -> u64 {
    u64::from(group) << 32 | distance & u64::from(u32::MAX)
}

/// Whether the distances of a range from `low` have 32 bits.
fn within(range: (i128, i128), low: i128) -> bool {
    let most = low.saturating_add(i128::from(u32::MAX));
    range.0 >= low && range.1 <= most
}

/// Sets the bit of each place in the set of its row's group.
fn mark(bits: &mut [u64], words: usize, groups: Groups<'_>, places: impl Iterator<Item = usize>) {
    match groups {
        Groups::One => places.for_each(|place| bits[place / 64] |= 1 << (place % 64)),
        Groups::Each(groups) => groups.iter().zip(places).for_each(|(group, place)| {
            bits[*group as usize * words + place / 64] |= 1 << (place % 64);
        }),
    }
}

fn lane(vector: &Vector, at: usize) -> i128 {
    let at = if vector.constant { 0 } else { at };
    match &vector.values {
        Values::Int(v) => v[at].into(),
        Values::Wide(v) => v[at],
        Values::Bool(v) => v[at].into(),
        Values::Code(v, _) => v[at].into(),
        _ => 0,
    }
}
