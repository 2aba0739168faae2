//! Run boundaries, as in run-end encoding: the rows that have another value than the row before them. The lines of an order follow one another
//! and have one customer and one day. An aggregate that ignores duplicates, such as a largest day or a distinct count of customers, needs
//! only the first row of each run.
//!
//! Found once for each column and link, and stored as a bit per row. A scan reads the rows at which a run of any of its inputs begins.

use crate::error::EngineError;
use crate::execution::lru_cache::LruCache;
use crate::execution::parallel::AT_ONCE;
use crate::execution::threads::of_pieces;
use crate::expression::selection_vector::count_of;
use crate::statistics::functional_dependencies::looked_at;
use crate::statistics::representative_rows::Determinant;
use crate::storage::bitmap::Bitmap;
use crate::storage::row_id::Rows;
use std::ops::Range;
use std::sync::Arc;

/// It pays where at most one row in this many is left.
const ONE_OF: usize = 2;
/// How many sources are known at a time.
const KNOWN: usize = 16;

/// The changes that are known of the sources of all tables; none where they would be too many.
#[derive(Default)]
pub(crate) struct RunBoundaries {
    known: LruCache<Determinant, Option<Arc<Bitmap>>, KNOWN>,
}

impl RunBoundaries {
    /// The rows of a table of this many rows in which a source changes; none where they are many. What `changes` gives says of some rows whether
    /// each has another value than the one before it.
    pub(crate) fn of<C: Fn(Range<usize>) -> Vec<bool> + Sync>(
        &self,
        source: Determinant,
        rows: usize,
        changes: impl FnOnce() -> Result<C, EngineError>,
    ) -> Result<Option<Arc<Bitmap>>, EngineError> {
        let find = || Ok(found(changes()?, rows).map(Arc::new));
        self.known.or_found(|own| *own == source, || source, find)
    }
}

fn found(changes: impl Fn(Range<usize>) -> Vec<bool> + Sync, rows: usize) -> Option<Bitmap> {
    // Some of them mostly show that it is not so.
    let (mut changed, mut of) = (0, 0);
    for range in looked_at(rows) {
        of += range.len();
        changed += count_of(&changes(range));
    }
    if changed * ONE_OF > of {
        return None;
    }
    // Pieces of whole words.
    let pieces = of_pieces(rows, AT_ONCE, |piece| Bitmap::from_bools(&changes(piece)));
    are_few(Bitmap::joined(&pieces), rows)
}

/// The rows of a table of this many rows in which any of several sources changes; none where they are many.
pub(crate) fn any_of(changes: &[Arc<Bitmap>], rows: usize) -> Option<Bitmap> {
    let (first, rest) = changes.split_first()?;
    let mut all = Bitmap::clone(first);
    rest.iter().for_each(|own| all.add(own));
    are_few(all, rows)
}

fn are_few(changes: Bitmap, rows: usize) -> Option<Bitmap> {
    (changes.count() * ONE_OF <= rows).then_some(changes)
}

/// Which of some rows change.
pub(crate) fn changing(bits: &Bitmap, rows: Rows<'_>) -> Vec<bool> {
    match rows {
        Rows::Range(start, length) => bits.bools(start..start + length),
        Rows::List(list) => list.iter().map(|row| bits.get(row.index())).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::{RunBoundaries, any_of, changing};
    use crate::execution::parallel::AT_ONCE;
    use crate::expression::vector::Vector;
    use crate::statistics::representative_rows::Determinant;
    use crate::storage::column::Column;
    use crate::storage::row_id::{RowId, Rows};
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use vembra_plan::{ColumnId, LinkId, Scalar, Type};

    /// Values that mostly stay what they are, now and then none at all.
    fn staying(random: &mut Random, ty: Type, rows: usize) -> Vec<Scalar> {
        let mut value = Scalar::Null;
        let next = |random: &mut Random| match (random.below(6), ty) {
            (0, _) => Scalar::Null,
            (_, Type::Text) => Scalar::text(["a", "b", "c"][random.below(3)]),
            (_, Type::Float) => Scalar::Float([0.0, -0.0, 1.5][random.below(3)]),
            (_, Type::Boolean) => Scalar::Boolean(random.below(2) == 1),
            _ => Scalar::from_physical(ty, [0, 1, 1 << 20, 1 << 70][random.below(4)]),
        };
        (0..rows)
            .map(|_| {
                if random.below(4) == 0 {
                    value = next(random);
                }
                value.clone()
            })
            .collect()
    }

    #[test]
    fn rows_change_where_their_value_is_not_that_of_the_row_before() {
        let mut random = Random(83);
        let types = [Type::Text, Type::Float, Type::Boolean, Type::Decimal(2)];
        for (round, rows) in [1, 2, 63, 64, 65, 1_000, AT_ONCE + 70].into_iter().enumerate().cycle().take(40)
        {
            let ty = types[random.below(4)];
            let values = staying(&mut random, ty, rows);
            let column = Column::from_vector(ty, Vector::from_scalars(&values, ty), rows);
            let bits = RunBoundaries::default()
                .of(Determinant::Column(ColumnId(0)), rows, || Ok(|rows| column.changes(rows)))
                .unwrap();
            // Two zeros are distinguished, as they are where they are counted.
            let told = |row: usize| (values[row].clone(), format!("{:?}", values[row]));
            let wanted: Vec<bool> = (0..rows).map(|row| row == 0 || told(row) != told(row - 1)).collect();
            let all = wanted.iter().filter(|changes| **changes).count();
            let Some(bits) = bits else {
                assert!(all * 3 > rows, "{all} of {rows}");
                continue;
            };
            assert!(all * 2 <= rows, "{all} of {rows}");
            for start in [0, 1, 5, 64, 70] {
                let start = start.min(rows);
                assert_eq!(changing(&bits, Rows::Range(start, rows - start)), wanted[start..], "{round}");
            }
            assert_eq!(
                changing(&bits, Rows::List(&[RowId::new(rows - 1), RowId::default()])),
                [wanted[rows - 1], true]
            );
        }
    }

    #[test]
    fn of_several_sources_the_rows_count_in_which_any_changes() {
        let numbers = |of: fn(u32) -> u32| SmallInts::new((0..200).map(of).collect(), 200);
        let (threes, fours, ones) = (numbers(|row| row / 3), numbers(|row| row / 4), numbers(|row| row));
        let changes = RunBoundaries::default();
        let of = |id: u32, numbers: &SmallInts| {
            changes.of(Determinant::Link(LinkId(id)), 200, || Ok(|rows| numbers.changes(rows))).unwrap()
        };
        let both = any_of(&[of(0, &threes).unwrap(), of(1, &fours).unwrap()], 200).unwrap();
        let wanted: Vec<bool> = (0..200).map(|row| row % 3 == 0 || row % 4 == 0).collect();
        assert_eq!(changing(&both, Rows::Range(0, 200)), wanted);
        assert!(of(2, &ones).is_none() && any_of(&[], 200).is_none());
        // Each of them changes in every third row, and in two of three there is one that does.
        let later = numbers(|row| (row + 1) / 3);
        assert!(any_of(&[of(0, &threes).unwrap(), of(3, &later).unwrap()], 200).is_none());
    }
}
