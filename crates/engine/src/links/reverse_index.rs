//! The reverse index of a link (an adjacency list in compressed sparse rows): the rows that lead to each row of its target.

use crate::storage::row_id::RowId;
use crate::storage::small_ints::{SmallInts, with_index};

/// Per row of the target of a link the rows that lead to it, in their order.
pub(crate) struct ReverseIndex {
    /// Where the rows of each target start, and behind them where the last ones end.
    starts: Vec<u32>,
    rows: Vec<RowId>,
}

impl ReverseIndex {
    /// From the row that each row leads to, all below `targets`.
    pub(crate) fn new(numbers: &SmallInts, targets: usize) -> Self {
        with_index!(numbers, numbers => {
            let mut starts = vec![0_u32; targets + 1];
            numbers.iter().for_each(|n| starts[*n as usize + 1] += 1);
            (0..targets).for_each(|at| starts[at + 1] += starts[at]);
            let mut next = starts.clone();
            let mut rows = vec![RowId::default(); numbers.len()];
            for (row, number) in numbers.iter().enumerate() {
                let place = &mut next[*number as usize];
                rows[*place as usize] = RowId::new(row);
                *place += 1;
            }
            Self { starts, rows }
        })
    }

    /// The rows that lead to one row of the target.
    fn of(&self, target: usize) -> &[RowId] {
        &self.rows[self.starts[target] as usize..self.starts[target + 1] as usize]
    }

    /// How many rows lead to some rows of the target.
    pub(crate) fn count(&self, targets: &[u32]) -> usize {
        targets.iter().map(|target| self.of(*target as usize).len()).sum()
    }

    /// The rows that lead to some rows of the target, in their order.
    pub(crate) fn leading_to(&self, targets: &[u32]) -> Vec<RowId> {
        let mut all: Vec<RowId> =
            targets.iter().flat_map(|target| self.of(*target as usize)).copied().collect();
        all.sort_unstable();
        all
    }
}

#[cfg(test)]
mod tests {
    use super::ReverseIndex;
    use crate::storage::row_id::RowId;
    use crate::storage::small_ints::SmallInts;
    use crate::storage::testing::Random;

    #[test]
    fn each_target_knows_the_rows_that_lead_to_it() {
        let mut random = Random(41);
        for rows in [0, 1, 7, 500] {
            let numbers: Vec<u32> = (0..rows).map(|_| random.below(9) as u32).collect();
            let reverse_index = ReverseIndex::new(&SmallInts::new(numbers.clone(), 9), 9);
            for targets in [vec![], vec![4], vec![8, 0, 3]] {
                let wanted = RowId::all(rows, |row| targets.contains(&numbers[row]));
                assert_eq!(reverse_index.leading_to(&targets), wanted);
                assert_eq!(reverse_index.count(&targets), wanted.len());
            }
        }
    }
}
