//! Representative rows of a determinant: the first row of each of its members. Where all that a scan reads is functionally dependent on one
//! column or link, and its aggregates ignore duplicates, no other row need be read. Found once for each column or link.

use crate::error::EngineError;
use crate::execution::lru_cache::LruCache;
use crate::storage::row_id::RowId;
use crate::storage::small_ints::{SmallInts, with_index};
use std::sync::Arc;
use vembra_plan::{ColumnId, LinkId};

/// What all that is asked of a row follows from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Determinant {
    /// The value of a column of its own.
    Column(ColumnId),
    /// The row that it reaches by a link.
    Link(LinkId),
}

/// It pays where at most one row in this many is left.
const ONE_OF: usize = 4;
/// How many sources are known at a time.
const KNOWN: usize = 32;

/// The rows that are known of the sources of all tables; none where they would be too many.
#[derive(Default)]
pub(crate) struct RepresentativeRows {
    known: LruCache<Determinant, Option<Arc<Vec<RowId>>>, KNOWN>,
}

impl RepresentativeRows {
    /// The first row of each member of a source, in their order; none where they are not few. `numbers` gives the member of each row.
    pub(crate) fn of(
        &self,
        source: Determinant,
        numbers: impl FnOnce() -> Result<Arc<SmallInts>, EngineError>,
    ) -> Result<Option<Arc<Vec<RowId>>>, EngineError> {
        let find = || Ok(first_rows(&*numbers()?).map(Arc::new));
        self.known.or_found(|own| *own == source, || source, find)
    }
}

fn first_rows(numbers: &SmallInts) -> Option<Vec<RowId>> {
    let most = numbers.len() / ONE_OF;
    with_index!(numbers, numbers => {
        let members = numbers.iter().max().map_or(0, |largest| *largest as usize + 1);
        let mut seen = vec![false; members];
        let mut rows = Vec::new();
        for (row, number) in numbers.iter().enumerate() {
            let place = &mut seen[*number as usize];
            if !*place {
                *place = true;
                rows.push(RowId::new(row));
                if rows.len() > most {
                    return None;
                }
            }
        }
        Some(rows)
    })
}

#[cfg(test)]
mod tests {
    use super::{Determinant, RepresentativeRows, first_rows};
    use crate::storage::row_id::RowId;
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::collections::BTreeMap;
    use std::sync::Arc;
    use vembra_plan::{ColumnId, LinkId};

    #[test]
    fn the_first_row_of_each_member_is_found_where_these_are_few() {
        let mut random = Random(71);
        for (rows, members) in [(0, 1), (1, 1), (100, 3), (100, 25), (1_000, 40), (70_000, 300), (100, 60)] {
            let numbers: Vec<u32> = (0..rows).map(|_| random.below(members) as u32).collect();
            let mut first: BTreeMap<u32, RowId> = BTreeMap::new();
            for (row, number) in numbers.iter().enumerate() {
                first.entry(*number).or_insert(RowId::new(row));
            }
            let mut wanted: Vec<RowId> = first.into_values().collect();
            wanted.sort_unstable();
            let wanted = (wanted.len() * 4 <= rows).then_some(wanted);
            assert_eq!(
                first_rows(&SmallInts::new(numbers, members)),
                wanted,
                "{rows} rows, {members} members"
            );
        }
    }

    #[test]
    fn what_is_known_of_a_source_is_asked_once() {
        let (each, mut asked) = (RepresentativeRows::default(), 0);
        let mut of = |source| {
            let rows = each.of(source, || {
                asked += 1;
                Ok(Arc::new(SmallInts::new(vec![0; 40], 1)))
            });
            rows.unwrap().map(|rows| rows.to_vec())
        };
        assert_eq!(of(Determinant::Column(ColumnId(1))), Some(vec![RowId::new(0)]));
        assert_eq!(of(Determinant::Column(ColumnId(1))), Some(vec![RowId::new(0)]));
        assert_eq!(of(Determinant::Link(LinkId(1))), Some(vec![RowId::new(0)]));
        assert_eq!(asked, 2);
    }
}
