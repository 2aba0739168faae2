//! Plain work on many values, on all threads.

use crate::execution::threads::for_each;
use crate::storage::narrow::narrow;
use rayon::prelude::*;
use std::ops::Range;
use std::sync::atomic::{AtomicBool, Ordering};

/// Fewer values are not worth the care of a second thread.
pub(crate) const MANY: usize = 1 << 17;
/// How many of them are taken at a time.
pub(crate) const AT_ONCE: usize = 1 << 14;

/// `f` of each value, in their order.
pub(crate) fn each<T: Copy + Sync, U: Send>(values: &[T], f: impl Fn(T) -> U + Sync) -> Vec<U> {
    if values.len() < MANY {
        return values.iter().map(|x| f(*x)).collect();
    }
    values.par_iter().with_min_len(AT_ONCE).map(|x| f(*x)).collect()
}

/// `f` of each pair of values that stand side by side, in their order.
pub(crate) fn each_two<A, B, U>(a: &[A], b: &[B], f: impl Fn(A, B) -> U + Sync) -> Vec<U>
where
    A: Copy + Sync,
    B: Copy + Sync,
    U: Send,
{
    if a.len() < MANY {
        return a.iter().zip(b).map(|(x, y)| f(*x, *y)).collect();
    }
    a.par_iter().zip(b).with_min_len(AT_ONCE).map(|(x, y)| f(*x, *y)).collect()
}

/// Whether something holds of all neighbours in a range, if it does in each piece: a piece has the first place of the next one, too.
pub(crate) fn holds_in_pieces(range: Range<usize>, holds: impl Fn(Range<usize>) -> bool + Sync) -> bool {
    if range.len() < MANY {
        return holds(range);
    }
    let fails = AtomicBool::new(false);
    let piece = |start: usize| start..(start + AT_ONCE + 1).min(range.end);
    for_each(range.len().div_ceil(AT_ONCE), &|at| {
        // One piece is enough to say no.
        if !fails.load(Ordering::Relaxed) && !holds(piece(range.start + at * AT_ONCE)) {
            fails.store(true, Ordering::Relaxed);
        }
    });
    !fails.into_inner()
}

/// Whether each of some values is another one than that before it, `as_told` telling one from another; the first of all is.
pub(crate) fn changes_of<T: Copy, K: PartialEq>(
    values: &[T],
    rows: Range<usize>,
    as_told: impl Fn(T) -> K,
) -> Vec<bool> {
    let mut changes = Vec::with_capacity(rows.len());
    let start = if rows.start == 0 && rows.end > 0 {
        changes.push(true);
        1
    } else {
        rows.start
    };
    let before = &values[start.saturating_sub(1)..rows.end.saturating_sub(1)];
    changes.extend(
        values[start..rows.end].iter().zip(before).map(|(own, other)| as_told(*own) != as_told(*other)),
    );
    changes
}

/// The same value this many times.
pub(crate) fn many<T: Copy + Send + Sync>(len: usize, value: T) -> Vec<T> {
    if len < MANY {
        return vec![value; len];
    }
    (0..len).into_par_iter().with_min_len(AT_ONCE).map(|_| value).collect()
}

/// The numbers below one.
pub(crate) fn numbers(len: usize) -> Vec<u32> {
    if len < MANY {
        return (0..narrow(len)).collect();
    }
    (0..narrow(len)).into_par_iter().with_min_len(AT_ONCE).collect()
}

/// Whether no value is this one.
pub(crate) fn none_is(values: &[u32], value: u32) -> bool {
    holds_in_pieces(0..values.len(), |piece| !values[piece].contains(&value))
}

/// Whether each value is larger than the one before it.
pub(crate) fn is_rising(values: &[u32]) -> bool {
    holds_in_pieces(0..values.len(), |piece| values[piece].is_sorted_by(|a, b| a < b))
}

#[cfg(test)]
mod tests {
    use super::{MANY, each, each_two, is_rising, many, none_is, numbers};

    #[test]
    fn many_values_come_out_as_few_do() {
        for len in [0, 5, MANY - 1, MANY, MANY + 40_001] {
            let values: Vec<u32> = (0..len as u32).map(|at| at ^ 5).collect();
            let wanted: Vec<u64> = values.iter().map(|x| u64::from(*x) * 3).collect();
            assert_eq!(each(&values, |x| u64::from(x) * 3), wanted);
            let wanted: Vec<u64> = values.iter().zip(&wanted).map(|(x, y)| u64::from(*x) + y).collect();
            assert_eq!(
                each_two(&values, &each(&values, |x| u64::from(x) * 3), |x, y| u64::from(x) + y),
                wanted
            );
        }
    }

    #[test]
    fn many_numbers_are_those_below_a_number() {
        for len in [0, 7, MANY + 3] {
            let values = numbers(len);
            assert!(values.len() == len && values.iter().enumerate().all(|(at, n)| at == *n as usize));
            assert!(none_is(&values, len as u32) && (len == 0 || !none_is(&values, len as u32 - 1)));
            assert_eq!(many(len, 4_u8), vec![4; len]);
        }
    }

    #[test]
    fn one_value_that_does_not_rise_is_found_wherever_it_stands() {
        let rising: Vec<u32> = (0..MANY as u32 + 40_000).collect();
        assert!(is_rising(&rising) && is_rising(&rising[..7]) && is_rising(&[]));
        for at in [1, 16_383, 16_384, 16_385, 32_768, rising.len() - 1] {
            let mut values = rising.clone();
            values[at] = values[at - 1];
            assert!(!is_rising(&values), "{at}");
        }
    }
}
