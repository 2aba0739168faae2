//! Groups of parts that stay side by side: they are put together a piece at a time, on all threads.

use crate::execution::parallel::{AT_ONCE, MANY, many};
use crate::execution::threads::in_pieces;

/// What a part has for its groups, and where the first of them goes.
pub(super) type Run<'a, T> = (usize, &'a [T]);

/// The runs of some parts; none if one of them does not keep such values.
pub(super) fn of_parts<'a, A, T>(
    parts: &[(usize, &'a A)],
    values: impl Fn(&'a A) -> Option<&'a [T]>,
) -> Option<Vec<Run<'a, T>>> {
    parts.iter().map(|(to, part)| Some((*to, values(part)?))).collect()
}

/// Takes runs into what all groups have, for each group in the order of the runs.
pub(super) fn take_in<T: Copy + Send + Sync>(
    own: &mut [T],
    runs: &[Run<'_, T>],
    join: impl Fn(T, T) -> T + Sync,
) {
    let piece = |start: usize, own: &mut [T]| {
        for (to, values) in runs {
            let (from, end) = (start.max(*to), (start + own.len()).min(to + values.len()));
            if from < end {
                let values = &values[from - to..end - to];
                own[from - start..end - start]
                    .iter_mut()
                    .zip(values)
                    .for_each(|(own, v)| *own = join(*own, *v));
            }
        }
    };
    if runs.iter().map(|(_, values)| values.len()).sum::<usize>() < MANY {
        return piece(0, own);
    }
    in_pieces(own, AT_ONCE, piece);
}

/// Makes room for this many values. Many are written on all threads: most of the time goes into memory that the system has yet to give.
pub(super) fn resize<T: Copy + Send + Sync>(values: &mut Vec<T>, len: usize, value: T) {
    if values.is_empty() {
        *values = many(len, value);
    } else {
        values.resize(len, value);
    }
}

#[cfg(test)]
mod tests {
    use super::take_in;
    use crate::execution::parallel::{AT_ONCE, MANY};

    /// Runs that overlap by one group, as parts do that cut an order in two, and runs that all begin at the first one.
    #[test]
    fn pieces_put_together_are_what_one_run_after_the_other_gives() {
        for len in [3, AT_ONCE + 5, MANY + 11] {
            let values: Vec<i64> = (0..len as i64).map(|v| v * 7 % 1_000).collect();
            for starts in [vec![0, len - 1, 2 * len - 2], vec![0, 0, 0], vec![5, 2]] {
                let runs: Vec<(usize, &[i64])> = starts.iter().map(|to| (*to, values.as_slice())).collect();
                let groups = starts.iter().max().unwrap() + len;
                let (mut wanted, mut found) = (vec![3_i64; groups], vec![3; groups]);
                // What comes first matters to this one.
                let join = |own: i64, other: i64| (2 * own + other) % 1_000_003;
                for (to, values) in &runs {
                    for (at, value) in values.iter().enumerate() {
                        wanted[to + at] = join(wanted[to + at], *value);
                    }
                }
                take_in(&mut found, &runs, join);
                assert_eq!(found, wanted);
            }
        }
    }
}
