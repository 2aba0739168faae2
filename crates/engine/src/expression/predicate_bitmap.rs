//! A predicate over row ids or codes, stored as a range or a bitmap, whichever tests faster: a bitmap fits into a cache where a table of truth values
//! does not.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

use crate::expression::eval::Indexed;
use crate::expression::vector::Values;
use crate::physical::predicates::PredicateForm;
use crate::storage::bitmap::Bitmap;
use crate::storage::narrow::narrow;
use crate::storage::row_id::Rows;
use crate::storage::small_ints::{SmallInts, with_index};
use std::ops::Range;
use std::sync::Arc;

/// Fewer entries are as soon read as they are.
const MANY_ENTRIES: usize = 1 << 16;

/// A condition that rows look up, which holds or not; not where it is null.
#[derive(Clone, Debug)]
pub(crate) struct PredicateBitmap {
    numbers: Arc<SmallInts>,
    form: Form,
}

#[derive(Clone, Debug)]
enum Form {
    /// From the first to the last number, and for all between.
    Run(u32, u32),
    Bitmap(Bitmap),
    Never,
}

impl PredicateBitmap {
    /// A condition in its form; none if it is no condition, or has none that saves anything.
    pub(crate) fn of(indexed: &Indexed) -> Option<Self> {
        let Values::Bool(holds) = &indexed.values.values else { return None };
        if indexed.values.constant {
            return None;
        }
        let known = indexed.values.valid.as_deref();
        let holds: Vec<bool> = match known {
            Some(known) => holds.iter().zip(known).map(|(holds, known)| *holds && *known).collect(),
            None => holds.clone(),
        };
        Some(Self { numbers: indexed.numbers.clone(), form: form_of(&holds)? })
    }

    /// How rows are tested.
    pub(crate) fn form(&self) -> PredicateForm {
        match &self.form {
            Form::Run(..) => PredicateForm::Range,
            Form::Bitmap(_) => PredicateForm::Bitmap,
            Form::Never => PredicateForm::Never,
        }
    }

    /// Whether the condition holds, for some rows.
    pub(crate) fn read(&self, rows: Rows<'_>) -> Vec<bool> {
        with_index!(&*self.numbers, numbers => match rows {
            Rows::Range(start, length) => self.of_numbers(numbers[start..start + length].iter().copied()),
            Rows::List(list) => self.of_numbers(list.iter().map(|row| numbers[row.index()])),
        })
    }

    fn of_numbers<N: Copy + Ord + TryFrom<u32> + Into<u32>>(
        &self,
        numbers: impl ExactSizeIterator<Item = N>,
    ) -> Vec<bool> {
        match &self.form {
            // Compared in their own width, many at a time.
            Form::Run(first, last) => match (N::try_from(*first), N::try_from(*last)) {
                (Ok(first), Ok(last)) if first == last => numbers.map(|n| n == first).collect(),
                (Ok(first), Ok(last)) => numbers.map(|n| n >= first && n <= last).collect(),
                _ => numbers.map(|n| (*first..=*last).contains(&n.into())).collect(),
            },
            Form::Bitmap(bits) => numbers.map(|n| bits.get(n.into() as usize)).collect(),
            Form::Never => vec![false; numbers.len()],
        }
    }
}

fn form_of(holds: &[bool]) -> Option<Form> {
    let Some(run) = run_of(holds) else { return Some(Form::Never) };
    if holds[run.clone()].iter().all(|holds| *holds) {
        return Some(Form::Run(narrow(run.start), narrow(run.end) - 1));
    }
    (holds.len() >= MANY_ENTRIES).then(|| Form::Bitmap(Bitmap::from_bools(holds)))
}

/// From the first to behind the last entry that holds.
fn run_of(holds: &[bool]) -> Option<Range<usize>> {
    let first = holds.iter().position(|holds| *holds)?;
    let last = holds.iter().rposition(|holds| *holds)?;
    Some(first..last + 1)
}

#[cfg(test)]
mod tests {
    use super::{Form, MANY_ENTRIES, PredicateBitmap};
    use crate::expression::eval::{Indexed, Prepared};
    use crate::expression::vector::Vector;
    use crate::storage::row_id::{RowId, Rows};
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;
    use std::sync::Arc;
    use vembra_plan::{Scalar, Type};

    const ROWS: usize = 300;

    /// A condition on this many entries, of which those in a range hold but for one in this many.
    fn condition(random: &mut Random, entries: usize, but: usize) -> Indexed {
        let (from, to) = (random.below(entries), random.below(entries));
        let value = |at: usize| match (at % 7, from <= at && at <= to && at % but != 1) {
            (3, false) => Scalar::Null,
            (_, holds) => Scalar::Boolean(holds),
        };
        let values: Vec<Scalar> = (0..entries).map(value).collect();
        // Near the ends of the range, too.
        let number = |random: &mut Random| match random.below(3) {
            0 => random.below(entries),
            1 => (from + random.below(3)).min(entries - 1),
            _ => (to + random.below(3)).min(entries - 1),
        };
        let numbers = (0..ROWS).map(|_| number(random) as u32).collect();
        Indexed {
            numbers: Arc::new(SmallInts::new(numbers, entries)),
            values: Arc::new(Vector::from_scalars(&values, Type::Boolean)),
            ty: Type::Boolean,
            linked: true,
        }
    }

    #[test]
    fn each_form_says_what_the_condition_says() {
        let mut random = Random(43);
        let mut met = [0; 4];
        for round in 0..400 {
            let entries = [5, 200, 3_000, MANY_ENTRIES + 5][round % 4];
            let but = [usize::MAX, 5][random.below(2)];
            let indexed = condition(&mut random, entries, but);
            let Some(predicate_bitmap) = PredicateBitmap::of(&indexed) else {
                met[3] += 1;
                assert!(entries < MANY_ENTRIES);
                continue;
            };
            met[match predicate_bitmap.form {
                Form::Run(..) => 0,
                Form::Bitmap(_) => 1,
                Form::Never => 2,
            }] += 1;
            let list = RowId::all(ROWS, |_| random.below(2) == 0);
            for rows in [Rows::Range(3, ROWS - 3), Rows::List(&list)] {
                let value = Prepared::Indexed(indexed.clone()).eval(rows).unwrap();
                let wanted: Vec<bool> = (0..rows.len()).map(|at| value.is_true(at)).collect();
                assert_eq!(
                    predicate_bitmap.read(rows),
                    wanted,
                    "{entries} entries, {:?}",
                    predicate_bitmap.form
                );
            }
        }
        assert!(met.iter().all(|met| *met > 10), "{met:?}");
    }
}
