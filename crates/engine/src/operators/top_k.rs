//! The top-k filter of a list: a row is dropped as soon as enough better ones were seen, in whatever part.

use crate::expression::vector::{Values, Vector};
use crate::storage::row_id::RowId;
use std::sync::atomic::{AtomicI64, Ordering};

/// How many best rows are gathered before others are given up.
const BEST: usize = 1024;

/// Which rows may still be among the first ones.
pub(crate) struct TopK {
    descending: bool,
    wanted: usize,
    /// The place of the last row that may be among them, by all parts that were seen: smaller ones come first, nulls last.
    last: AtomicI64,
}

impl TopK {
    pub(crate) fn new(descending: bool, wanted: usize) -> Self {
        Self { descending, wanted, last: AtomicI64::new(i64::MAX) }
    }

    /// Of this many rows with values, which `row` names by their places, those that may be among the first ones; all of them for values that
    /// are no physical values or codes.
    pub(crate) fn of(&self, vector: &Vector, count: usize, row: impl Fn(usize) -> RowId) -> Vec<RowId> {
        let all = || (0..count).map(&row).collect();
        if vector.constant || self.wanted == 0 {
            return all();
        }
        match &vector.values {
            Values::Int(physicals) => self.best(physicals, vector.valid.as_deref(), row),
            Values::Code(codes, _) => self.best(codes, vector.valid.as_deref(), row),
            _ => all(),
        }
    }

    fn best<T: Copy + Into<i64>>(
        &self,
        values: &[T],
        valid: Option<&[bool]>,
        row: impl Fn(usize) -> RowId,
    ) -> Vec<RowId> {
        // No number is negated that could not be.
        let turn = if self.descending { !0 } else { 0 };
        let most = 2 * self.wanted.max(BEST);
        let mut last = self.last.load(Ordering::Relaxed);
        let mut places: Vec<i64> = Vec::new();
        let mut kept: Vec<(i64, RowId)> = Vec::new();
        for (at, value) in values.iter().enumerate() {
            let known = valid.is_none_or(|valid| valid[at]);
            let place = if known { (*value).into() ^ turn } else { i64::MAX };
            if place > last {
                continue;
            }
            kept.push((place, row(at)));
            places.push(place);
            if places.len() == most {
                last = self.tell_last(&mut places);
                kept.retain(|(place, _)| *place <= last);
            }
        }
        if places.len() >= self.wanted {
            last = last.min(self.tell_last(&mut places));
        }
        kept.into_iter().filter(|(place, _)| *place <= last).map(|(_, row)| row).collect()
    }

    /// Leaves the best places, and says to other parts how far they go.
    fn tell_last(&self, places: &mut Vec<i64>) -> i64 {
        let own = *places.select_nth_unstable(self.wanted - 1).1;
        places.truncate(self.wanted);
        self.last.fetch_min(own, Ordering::Relaxed).min(own)
    }
}

#[cfg(test)]
mod tests {
    use super::TopK;
    use crate::expression::vector::{Values, Vector};
    use crate::storage::row_id::RowId;

    fn numbers(count: usize) -> Vec<i64> {
        let mut state: u64 = 7;
        let next = |_| {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (state >> 40) as i64 % 5_000 - 2_500
        };
        (0..count).map(next).collect()
    }

    /// Whatever is left holds the first rows with all that are alike, as sorting finds them; nulls come last.
    #[test]
    fn no_row_is_given_up_that_may_be_first() {
        let values = numbers(20_000);
        let valid: Vec<bool> = (0..values.len()).map(|at| at % 7 != 3).collect();
        for (descending, wanted) in [(false, 1), (true, 10), (false, 1_500), (true, 19_999), (true, 30_000)] {
            let first = TopK::new(descending, wanted);
            let mut left = Vec::new();
            for start in (0..values.len()).step_by(4_096) {
                let end = (start + 4_096).min(values.len());
                let physicals = Values::Int(values[start..end].to_vec());
                let part = Vector::new(physicals, Some(valid[start..end].to_vec()), (-2_500, 2_500));
                left.extend(first.of(&part, end - start, |at| RowId::new(start + at)));
            }
            let mut sorted: Vec<(bool, i64, RowId)> = (0..values.len())
                .map(|at| (!valid[at], if descending { -values[at] } else { values[at] }, RowId::new(at)))
                .map(|(null, value, at)| (null, if null { 0 } else { value }, at))
                .collect();
            sorted.sort_unstable();
            let edge = sorted[wanted.min(values.len()) - 1];
            let must = sorted.iter().filter(|one| (one.0, one.1) <= (edge.0, edge.1));
            let missing: Vec<RowId> = must.map(|one| one.2).filter(|row| !left.contains(row)).collect();
            assert_eq!(missing, Vec::<RowId>::new(), "{wanted} of {descending}");
            assert!(wanted > 10 || left.len() < 2_000, "{} rows are left", left.len());
        }
    }
}
