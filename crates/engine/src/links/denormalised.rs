//! Denormalised attributes: the codes of an attribute behind a link, materialised for the rows of the fact, a byte or two each.
//!
//! By the link a row reads the row id of the linked table, and from there the code of the attribute: two reads, the second one at random. An
//! attribute of few values that is asked for again is materialised once. Rows are then grouped, and conditions tested, by reading small
//! codes in sequence, however many rows the linked table has.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

use crate::error::EngineError;
use crate::execution::parallel::each;
use crate::execution::threads::of_pieces;
use crate::operators::members::{Key, Members};
use crate::storage::row_id::RowId;
use crate::storage::small_ints::{SmallInts, with_index};
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::ops::Range;
use std::sync::{Arc, Mutex, PoisonError};
use vembra_plan::{ColumnRef, LinkId};

/// The codes of a linked table of at most this many rows lie in a cache anyway.
const FEW_ROWS: usize = 1 << 12;
/// An attribute is materialised when it is asked for this many times.
const ASKED: usize = 2;
/// How many rows are materialised at a time.
const AT_ONCE: usize = 1 << 16;
/// What is kept of attributes takes at most this part of what the columns take.
pub(crate) const PART_OF_COLUMNS: usize = 4;

/// An attribute carried to the rows of a table.
#[derive(Clone)]
pub(crate) struct Denormalised {
    /// The code of each row, without a map.
    pub(crate) key: Key,
    /// The same over the rows of the table that the first link leads to.
    pub(crate) own: Key,
    /// Of each member a row of that table.
    pub(crate) firsts: Arc<Vec<RowId>>,
    /// Each row has a member.
    pub(crate) complete: bool,
}

/// What is known of an attribute.
struct Attribute {
    asked: usize,
    /// By the link, looked up in each row.
    linked: Key,
    own: Key,
    carried: Option<Arc<Denormalised>>,
}

/// The attributes of all tables.
pub(crate) struct Attributes {
    /// They are carried to tables of this many rows or more; where it is 0, to all.
    from: usize,
    known: Mutex<Known>,
}

#[derive(Default)]
struct Known {
    attributes: HashMap<ColumnRef, Attribute, FixedState>,
    bytes: usize,
}

impl Attributes {
    /// None yet, to be carried to tables of this many rows or more.
    pub(crate) fn from(rows: usize) -> Self {
        Self { from: rows, known: Mutex::default() }
    }

    /// The same, without what is known.
    pub(crate) fn emptied(&self) -> Self {
        Self::from(self.from)
    }

    /// Whether codes are smaller than what they are looked up by, and that is much.
    fn is_worth_it(&self, numbers: &SmallInts, map: &SmallInts) -> bool {
        let saves = map.len() > FEW_ROWS && map.width() < numbers.width();
        numbers.len() >= self.from && (saves || self.from == 0)
    }

    /// The key of an attribute behind a link. `make` makes it over the rows of the table that the first link leads to, and over those
    /// that start there; what is kept of attributes may take up to `room` bytes.
    pub(crate) fn key(
        &self,
        attribute: &ColumnRef,
        room: impl FnOnce() -> usize,
        make: impl FnOnce() -> Result<(Key, Key), EngineError>,
    ) -> Result<Key, EngineError> {
        let known = {
            let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
            known.attributes.get_mut(attribute).map(|found| {
                found.asked += 1;
                (found.asked, found.linked.clone(), found.own.clone(), found.carried.clone())
            })
        };
        let Some((asked, linked, own, carried)) = known else {
            let (own, linked) = make()?;
            let bytes = linked.map.as_ref().map_or(0, |map| map.bytes());
            let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
            // Somebody else may have made it in the meantime.
            if known.bytes + bytes <= room() && !known.attributes.contains_key(attribute) {
                known.bytes += bytes;
                let found = Attribute { asked: 1, linked: linked.clone(), own, carried: None };
                known.attributes.insert(attribute.clone(), found);
            }
            return Ok(linked);
        };
        if let Some(carried) = carried {
            return Ok(carried.key.clone());
        }
        // Asked for again later, it would still not be worth it.
        let Some(map) =
            linked.map.as_ref().filter(|map| asked == ASKED && self.is_worth_it(&linked.numbers, map))
        else {
            return Ok(linked);
        };
        let carried = carried_of(led_through(&linked.numbers, map), linked.members.clone(), own);
        let bytes = carried.key.numbers.bytes();
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if known.bytes + bytes > room() {
            return Ok(linked);
        }
        known.bytes += bytes;
        if let Some(found) = known.attributes.get_mut(attribute) {
            found.carried = Some(Arc::new(carried.clone()));
        }
        Ok(carried.key)
    }

    /// An attribute that is carried.
    pub(crate) fn carried(&self, attribute: &ColumnRef) -> Option<Arc<Denormalised>> {
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        known.attributes.get(attribute)?.carried.clone()
    }

    /// The attribute whose codes these are, if its first link is this one.
    pub(crate) fn whose(&self, numbers: &Arc<SmallInts>, link: LinkId) -> Option<Arc<Denormalised>> {
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        let behind = known.attributes.iter().filter(|(attribute, _)| attribute.path.first() == Some(&link));
        let mut carried = behind.filter_map(|(_, found)| found.carried.as_ref());
        carried.find(|carried| Arc::ptr_eq(&carried.key.numbers, numbers)).cloned()
    }
}

fn carried_of(codes: SmallInts, members: Arc<Members>, own: Key) -> Denormalised {
    let none = members.none();
    let mut firsts = vec![None; none as usize];
    for row in (0..own.numbers.len()).rev() {
        if let Some(first) = firsts.get_mut(own.code(row) as usize) {
            *first = Some(RowId::new(row));
        }
    }
    // No row of the table has the value: none asks for it.
    let firsts: Vec<RowId> = firsts.into_iter().map(Option::unwrap_or_default).collect();
    let complete = with_index!(&codes, codes => {
        let all = |piece: Range<usize>| codes[piece].iter().fold(true, |all, n| all & (u32::from(*n) < none));
        of_pieces(codes.len(), AT_ONCE, all).into_iter().all(|all| all)
    });
    let key = Key { numbers: Arc::new(codes), map: None, members };
    Denormalised { key, own, firsts: Arc::new(firsts), complete }
}

/// The code of each row.
fn led_through(numbers: &SmallInts, map: &SmallInts) -> SmallInts {
    fn led<N: Copy + Into<u32> + Sync, C: Copy + Send + Sync>(numbers: &[N], map: &[C]) -> Vec<C> {
        each(numbers, |n| map[n.into() as usize])
    }
    with_index!(numbers, numbers => match map {
        SmallInts::U8(map) => SmallInts::U8(led(numbers, map)),
        SmallInts::U16(map) => SmallInts::U16(led(numbers, map)),
        SmallInts::U32(map) => SmallInts::U32(led(numbers, map)),
    })
}

#[cfg(test)]
mod tests {
    use super::Attributes;
    use crate::operators::members::{Key, Members};
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::cell::Cell;
    use std::sync::Arc;
    use vembra_plan::{ColumnId, ColumnRef, LinkId, Scalar, Type};

    const ROWS: usize = 10_000;
    const ENTRIES: usize = 5_000;
    const MEMBERS: usize = 9;

    fn attribute() -> ColumnRef {
        ColumnRef { path: vec![LinkId(2)], column: ColumnId(1), ty: Type::Text }
    }

    /// A key over the rows of a linked table, and the same looked up in the rows that lead there, all of them if they are complete.
    fn keys(random: &mut Random, complete: bool) -> (Key, Key) {
        let members = Arc::new(Members::of((0..MEMBERS as i64).map(Scalar::Integer).collect()));
        let own: Vec<u32> = (0..ENTRIES).map(|_| random.below(MEMBERS) as u32).collect();
        let map: Vec<u32> = own.iter().copied().chain([members.none(), members.unknown()]).collect();
        let reached = if complete { ENTRIES } else { ENTRIES + 2 };
        let numbers = (0..ROWS).map(|_| random.below(reached) as u32).collect();
        let numbers = Arc::new(SmallInts::new(numbers, ENTRIES + 2));
        let own = Arc::new(SmallInts::new(own, members.codes()));
        let own = Key { numbers: own, map: None, members: members.clone() };
        (own, Key::mapped(numbers, map, members))
    }

    #[test]
    fn what_is_asked_for_again_is_carried_to_the_rows() {
        let mut random = Random(47);
        for complete in [true, false] {
            let (own, linked) = keys(&mut random, complete);
            let (attributes, made) = (Attributes::from(ROWS), Cell::new(0));
            let map = linked.map.as_ref().unwrap().bytes();
            let ask = || {
                let make = || {
                    made.set(made.get() + 1);
                    Ok((own.clone(), linked.clone()))
                };
                attributes.key(&attribute(), || map + ROWS, make).unwrap()
            };
            assert!(ask().is_like(&linked));
            assert!(attributes.carried(&attribute()).is_none());
            let key = ask();
            assert!(key.map.is_none() && key.numbers.width() == 1);
            assert!((0..ROWS).all(|row| key.code(row) == linked.code(row)));
            assert!(ask().is_like(&key));
            assert_eq!(made.get(), 1);
            let carried = attributes.whose(&key.numbers, LinkId(2)).unwrap();
            assert!(attributes.whose(&key.numbers, LinkId(1)).is_none());
            assert!(attributes.whose(&linked.numbers, LinkId(2)).is_none());
            assert_eq!(carried.complete, complete);
            let firsts: Vec<u32> = carried.firsts.iter().map(|row| own.code(row.index())).collect();
            assert_eq!(firsts, (0..MEMBERS as u32).collect::<Vec<_>>());
        }
    }

    #[test]
    fn without_room_or_in_a_small_table_it_stays_looked_up() {
        let (own, linked) = keys(&mut Random(53), true);
        let map = linked.map.as_ref().unwrap().bytes();
        for (from, room) in
            [(ROWS, map - 1), (ROWS, map + ROWS - 1), (ROWS + 1, usize::MAX), (usize::MAX, usize::MAX)]
        {
            let attributes = Attributes::from(from);
            for _ in 0..4 {
                let key = attributes.key(&attribute(), || room, || Ok((own.clone(), linked.clone())));
                assert!(key.unwrap().is_like(&linked));
            }
        }
    }
}
