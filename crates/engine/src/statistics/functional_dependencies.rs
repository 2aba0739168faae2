//! Functional dependencies between keys: the order number determines the customer. Rows are then grouped by the determinant alone, and the
//! codes of the dependent are looked up once a group.
//!
//! A dependency is learnt from all rows of a table, after a sample that mostly shows that there is none.

use crate::execution::lru_cache::LruCache;
use crate::execution::threads::gather;
use crate::operators::group_index::NOWHERE;
use crate::operators::members::Key;
use crate::storage::row_id::Rows;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::convert::Infallible;
use std::ops::Range;
use std::sync::Arc;

/// Per code of one key the code of another one; [`NOWHERE`] for codes that no row has.
pub(crate) type Following = Arc<Vec<u32>>;

/// How many pairs of keys are known at a time.
const KNOWN: usize = 32;
/// A sample takes a run of rows at this many positions of a table; mostly it shows that nothing follows.
const LOOKS: usize = 16;
pub(crate) const LOOKED_AT: usize = 256;
/// How many rows are read at a time.
const BLOCK: usize = 2048;

/// What is known of the keys of all tables: of a key and another one what follows from the first for the second, if anything does.
#[derive(Default)]
pub(crate) struct FunctionalDependencies {
    known: LruCache<(Key, Key), Option<Following>, KNOWN>,
}

impl FunctionalDependencies {
    /// The codes of `other` that follow from those of `key` in all rows of a table.
    pub(crate) fn from(&self, key: &Key, other: &Key) -> Option<Following> {
        let are = |(own, their): &(Key, Key)| own.is_like(key) && their.is_like(other);
        let find = || Ok::<_, Infallible>(learnt(key, other).map(Arc::new));
        let Ok(found) = self.known.or_found(are, || (key.clone(), other.clone()), find);
        found
    }
}

/// A sample of a table of this many rows: short runs, evenly spread.
pub(crate) fn looked_at(rows: usize) -> impl Iterator<Item = Range<usize>> {
    let starts = (0..rows).step_by((rows / LOOKS).max(LOOKED_AT));
    starts.map(move |start| start..(start + LOOKED_AT).min(rows))
}

fn learnt(key: &Key, other: &Key) -> Option<Vec<u32>> {
    let rows = key.numbers.len();
    let mut seen: HashMap<u32, u32, FixedState> = HashMap::default();
    for range in looked_at(rows) {
        each_pair(key, other, range, &mut |code, of_other| {
            *seen.entry(code).or_insert(of_other) == of_other
        })?;
    }
    let parts = if rows < 1 << 16 { 1 } else { rayon::current_num_threads() };
    let step = rows.div_ceil(parts).max(1);
    let part = |at: usize| -> Option<Vec<u32>> {
        let mut map = vec![NOWHERE; key.members.codes()];
        each_pair(key, other, (at * step).min(rows)..((at + 1) * step).min(rows), &mut |code, of_other| {
            agree(&mut map[code as usize], of_other)
        })?;
        Some(map)
    };
    let maps: Option<Vec<Vec<u32>>> = gather(parts, part).into_iter().collect();
    let mut maps = maps?.into_iter();
    let mut all = maps.next()?;
    for map in maps {
        let known = all.iter_mut().zip(map).filter(|(_, own)| *own != NOWHERE);
        if !known.fold(true, |agreed, (place, own)| agreed & agree(place, own)) {
            return None;
        }
    }
    Some(all)
}

/// Whether a code is the one that was met before, if any was.
fn agree(place: &mut u32, code: u32) -> bool {
    if *place == NOWHERE {
        *place = code;
    }
    *place == code
}

/// Goes through the codes of two keys in some rows for as long as they are taken.
fn each_pair(
    key: &Key,
    other: &Key,
    rows: Range<usize>,
    take: &mut impl FnMut(u32, u32) -> bool,
) -> Option<()> {
    let (mut codes, mut others) = (Vec::with_capacity(BLOCK), Vec::with_capacity(BLOCK));
    for start in rows.clone().step_by(BLOCK) {
        let block = Rows::Range(start, BLOCK.min(rows.end - start));
        codes.clear();
        others.clear();
        key.read(block, &mut codes);
        other.read(block, &mut others);
        if !codes.iter().zip(&others).fold(true, |taken, (code, other)| taken & take(*code, *other)) {
            return None;
        }
    }
    Some(())
}

#[cfg(test)]
mod tests {
    use super::FunctionalDependencies;
    use crate::operators::members::{Key, Members};
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::sync::Arc;
    use vembra_plan::Scalar;

    fn key(codes: Vec<u32>, members: usize) -> Key {
        let values = (0..members as i64).map(Scalar::Integer).collect();
        let members = Arc::new(Members::of(values));
        Key { numbers: Arc::new(SmallInts::new(codes, members.codes())), map: None, members }
    }

    #[test]
    fn a_key_follows_where_it_does_in_each_row() {
        let mut random = Random(43);
        for rows in [0, 1, 50, 70_000] {
            let orders: Vec<u32> = (0..rows as u32).map(|row| row / 3).collect();
            let customer: Vec<u32> = (0..=rows).map(|_| random.below(20) as u32).collect();
            let of_order = |order: &u32| customer[*order as usize];
            let customers: Vec<u32> = orders.iter().map(of_order).collect();
            let (order, of_rows) = (key(orders.clone(), rows), key(customers.clone(), 20));
            let follows = FunctionalDependencies::default();
            let found = follows.from(&order, &of_rows).unwrap();
            assert!(orders.iter().zip(&customers).all(|(o, c)| found[*o as usize] == *c));
            // It is known from then on.
            assert!(Arc::ptr_eq(&found, &follows.from(&order, &of_rows).unwrap()));
            if rows > 1 {
                // One row anywhere that is otherwise, and nothing follows.
                let mut otherwise = customers;
                let at = random.below(rows - 1);
                let other = orders.iter().rposition(|o| *o == orders[at]).unwrap();
                if other == at {
                    continue;
                }
                otherwise[at] = (otherwise[at] + 1) % 20;
                assert!(follows.from(&order, &key(otherwise, 20)).is_none());
            }
        }
    }
}
