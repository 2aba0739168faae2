//! How many different values: bits over dense codes where they are few, a set where not. Always exact.

use super::bit_sets::BitSets;
use super::order_key::OrderKey;
use super::sorted_set::SortedSet;
use super::{Block, Groups, NO_GROUP, Spec};
use crate::error::EngineError;
use crate::execution::parallel::many;
use crate::expression::vector::{Values, Vector};
use crate::storage::narrow::{fit, narrow};
use crate::storage::small_ints::{SmallInts, with_index};
use foldhash::fast::FixedState;
use hashbrown::HashSet;

#[derive(Clone, Debug, Default)]
pub(crate) struct Distinct {
    groups: usize,
    seen: Seen,
}

#[derive(Clone, Debug, Default)]
enum Seen {
    #[default]
    Nothing,
    Bitmap(BitSets),
    /// The group and the distance of the physical value from `low`, both of 32 bits, as one number.
    Packed {
        low: i128,
        set: SortedSet,
    },
    Physicals(HashSet<(u32, i128), FixedState>),
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
        if let Seen::Bitmap(sets) = &mut self.seen
            && !sets.resize(groups)
        {
            self.leave_bits();
        }
    }

    /// Turns bits into a set of packed numbers.
    fn leave_bits(&mut self) {
        let Seen::Bitmap(sets) = &self.seen else { return };
        let set = sets.iter().map(|(group, distance)| packed(group, narrow(distance))).collect();
        self.seen = Seen::Packed { low: sets.low(), set };
    }

    /// Turns what is kept by distances into a set of groups and physical values.
    fn leave_distances(&mut self) {
        self.leave_bits();
        let Seen::Packed { low, set } = &self.seen else { return };
        let physicals =
            set.iter().map(unpacked).map(|(group, distance)| (group, low + i128::from(distance))).collect();
        self.seen = Seen::Physicals(physicals);
    }

    /// Chooses how to keep values, from the first block. Codes of one dictionary count as physical values.
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
        let numbers = range.1.checked_sub(range.0).and_then(|d| usize::try_from(d).ok()?.checked_add(1));
        self.seen = match numbers.and_then(|numbers| BitSets::new(range.0, numbers, self.groups)) {
            Some(sets) => Seen::Bitmap(sets),
            None if within(range, range.0) => Seen::Packed { low: range.0, set: SortedSet::default() },
            None => Seen::Physicals(HashSet::default()),
        };
    }

    pub(super) fn update(&mut self, groups: Groups<'_>, block: &Block<'_>) -> Result<(), EngineError> {
        let Some(vector) = block.value else { return Ok(()) };
        if matches!(self.seen, Seen::Nothing) {
            self.choose(vector);
        }
        if let Seen::Bitmap(sets) = &self.seen
            && matches!(vector.values, Values::Int(_) | Values::Wide(_))
            && !sets.hold(vector.range)
        {
            self.leave_bits();
        }
        if let Seen::Packed { low, .. } = &self.seen
            && matches!(vector.values, Values::Int(_) | Values::Wide(_))
            && !within(vector.range, *low)
        {
            self.leave_distances();
        }
        match &mut self.seen {
            Seen::Bitmap(sets) => {
                let low = sets.low();
                match (&vector.values, vector.valid.is_none() && !vector.constant, i64::try_from(low)) {
                    // The common ones without nulls, in loops without a choice inside.
                    (Values::Code(codes, _), true, _) => {
                        sets.mark(groups, codes.iter().map(|code| *code as usize));
                    }
                    (Values::Int(physicals), true, Ok(low)) => {
                        sets.mark(groups, physicals.iter().map(|physical| fit(physical - low)));
                    }
                    _ => block.present().for_each(|(at, vector)| {
                        sets.insert(groups.of(at), (physical(vector, at) - low) as usize);
                    }),
                }
            }
            Seen::Packed { low, set } => {
                // Rows of one thing mostly stand together: the set need not be asked again.
                let mut last = None;
                for (at, vector) in block.present() {
                    let next = packed(narrow(groups.of(at)), narrow(physical(vector, at) - *low));
                    if last != Some(next) {
                        set.insert(next);
                        last = Some(next);
                    }
                }
            }
            Seen::Physicals(set) => {
                set.extend(block.present().map(|(at, v)| (narrow(groups.of(at)), physical(v, at))));
            }
            Seen::Keys(set) => {
                set.extend(block.present().map(|(at, v)| (narrow(groups.of(at)), OrderKey::at(v, at))));
            }
            Seen::Nothing => {}
        }
        Ok(())
    }

    /// Takes in codes of one dictionary with this many texts, as their column keeps them; says whether it did. No row
    /// lacks a value.
    pub(crate) fn update_codes(
        &mut self,
        groups: Groups<'_>,
        codes: &SmallInts,
        rows: std::ops::Range<usize>,
        texts: usize,
    ) -> bool {
        if matches!(self.seen, Seen::Nothing) {
            let Some(sets) = BitSets::new(0, texts + 1, self.groups) else { return false };
            self.seen = Seen::Bitmap(sets);
        }
        let Seen::Bitmap(sets) = &mut self.seen else { return false };
        if !sets.hold((0, texts as i128)) {
            return false;
        }
        with_index!(codes, codes => sets.mark(groups, codes[rows].iter().map(|code| *code as usize)));
        true
    }

    pub(super) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
        let to = |group: u32| map.get(group as usize).copied().filter(|to| *to != NO_GROUP);
        if matches!(self.seen, Seen::Nothing) {
            self.seen = match &other.seen {
                Seen::Nothing => return Ok(()),
                Seen::Bitmap(sets) => match sets.empty_like(self.groups) {
                    Some(sets) => Seen::Bitmap(sets),
                    None => Seen::Packed { low: sets.low(), set: SortedSet::default() },
                },
                Seen::Packed { low, .. } => Seen::Packed { low: *low, set: SortedSet::default() },
                Seen::Physicals(_) => Seen::Physicals(HashSet::default()),
                Seen::Keys(_) => Seen::Keys(HashSet::default()),
            };
        }
        let mut other = std::borrow::Cow::Borrowed(other);
        let bits = |seen: &Seen| matches!(seen, Seen::Bitmap(_));
        let same = match (&self.seen, &other.seen) {
            (Seen::Bitmap(sets), Seen::Bitmap(others)) => sets.are_like(others),
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
            (Seen::Packed { .. }, Seen::Physicals(_)) | (Seen::Physicals(_), Seen::Packed { .. }) => true,
            _ => false,
        };
        if apart {
            self.leave_distances();
            other.to_mut().leave_distances();
        }
        match (&mut self.seen, &other.seen) {
            (Seen::Bitmap(sets), Seen::Bitmap(others)) => sets.merge(others, map),
            (Seen::Packed { set, .. }, Seen::Packed { set: others, .. }) => {
                let moved = |key: u64| {
                    let (group, distance) = unpacked(key);
                    to(group).map(|group| packed(group, distance))
                };
                others.iter().filter_map(moved).for_each(|key| set.insert(key));
            }
            (Seen::Physicals(set), Seen::Physicals(others)) => {
                set.extend(others.iter().filter_map(|(g, physical)| to(*g).map(|g| (g, *physical))));
            }
            (Seen::Keys(set), Seen::Keys(others)) => {
                set.extend(others.iter().filter_map(|(g, key)| to(*g).map(|g| (g, key.clone()))));
            }
            _ => {}
        }
        Ok(())
    }

    pub(super) fn take_runs(&mut self, parts: &[(usize, &Self)]) -> bool {
        if let (Seen::Nothing, Some((_, Self { seen: Seen::Bitmap(sets), .. }))) = (&self.seen, parts.first())
        {
            self.seen = sets.empty_like(self.groups).map_or(Seen::Nothing, Seen::Bitmap);
        }
        let Seen::Bitmap(own) = &mut self.seen else { return false };
        let mut same = Vec::with_capacity(parts.len());
        for (to, part) in parts {
            let Seen::Bitmap(sets) = &part.seen else { return false };
            same.push((*to, sets));
        }
        own.take_runs(&same)
    }

    pub(super) fn bytes(&self) -> usize {
        // What lies in a hash takes about twice its own room.
        match &self.seen {
            Seen::Nothing => 0,
            Seen::Bitmap(sets) => sets.bytes(),
            Seen::Packed { set, .. } => set.bytes(),
            Seen::Physicals(set) => 2 * set.len() * size_of::<(u32, i128)>(),
            Seen::Keys(set) => 2 * set.len() * size_of::<(u32, OrderKey)>(),
        }
    }

    pub(super) fn finish(&self, _: &Spec) -> Result<Vector, EngineError> {
        let mut counts = many(self.groups, 0_i64);
        match &self.seen {
            Seen::Nothing => {}
            Seen::Bitmap(sets) => sets.count(&mut counts),
            Seen::Packed { set, .. } => {
                set.in_order().iter().for_each(|key| counts[(key >> 32) as usize] += 1);
            }
            Seen::Physicals(set) => set.iter().for_each(|(group, _)| counts[*group as usize] += 1),
            Seen::Keys(set) => set.iter().for_each(|(group, _)| counts[*group as usize] += 1),
        }
        let range = crate::expression::vector::range_of(&counts);
        Ok(Vector::new(Values::Int(counts), None, range))
    }
}

/// A group and a distance of 32 bits as one number.
fn packed(group: u32, distance: u32) -> u64 {
    u64::from(group) << 32 | u64::from(distance)
}

/// The group and the distance of a packed number.
fn unpacked(key: u64) -> (u32, u32) {
    (narrow(key >> 32), narrow(key & u64::from(u32::MAX)))
}

/// Whether the distances of a range from `low` have 32 bits.
fn within(range: (i128, i128), low: i128) -> bool {
    let most = low.saturating_add(i128::from(u32::MAX));
    range.0 >= low && range.1 <= most
}

fn physical(vector: &Vector, at: usize) -> i128 {
    let at = if vector.constant { 0 } else { at };
    match &vector.values {
        Values::Int(v) => v[at].into(),
        Values::Wide(v) => v[at],
        Values::Bool(v) => v[at].into(),
        Values::Code(v, _) => v[at].into(),
        _ => 0,
    }
}
