//! A set of numbers that is put in order now and then: of many different ones quicker than hashing, which leaves the cache at each.

/// How many numbers may wait to be put in order, however few are known.
const WAITING: usize = 1 << 15;

/// Different numbers.
#[derive(Clone, Debug, Default)]
pub(super) struct SortedSet {
    numbers: Vec<u64>,
    /// How many of them, from the first on, are in order and distinct.
    settled: usize,
}

impl SortedSet {
    pub(super) fn bytes(&self) -> usize {
        size_of_val(self.numbers.as_slice())
    }

    pub(super) fn insert(&mut self, number: u64) {
        self.numbers.push(number);
        if self.numbers.len() >= 2 * self.settled + WAITING {
            self.settle();
        }
    }

    /// Puts all in order, each once.
    pub(super) fn settle(&mut self) {
        if self.settled < self.numbers.len() {
            #[allow(clippy::stable_sort_primitive)] // It sees what is in order already.
            self.numbers.sort();
            self.numbers.dedup();
            self.settled = self.numbers.len();
        }
    }

    /// The numbers, some perhaps several times.
    pub(super) fn iter(&self) -> impl Iterator<Item = u64> + '_ {
        self.numbers.iter().copied()
    }

    /// The different numbers in order.
    pub(super) fn in_order(&self) -> std::borrow::Cow<'_, [u64]> {
        if self.settled == self.numbers.len() {
            return (&self.numbers).into();
        }
        let mut settled = self.clone();
        settled.settle();
        settled.numbers.into()
    }
}

impl FromIterator<u64> for SortedSet {
    fn from_iter<I: IntoIterator<Item = u64>>(numbers: I) -> Self {
        let mut set = Self { numbers: numbers.into_iter().collect(), settled: 0 };
        set.settle();
        set
    }
}

#[cfg(test)]
mod tests {
    use super::{SortedSet, WAITING};
    use crate::storage::testing::Random;
    use std::collections::BTreeSet;

    #[test]
    fn each_number_is_there_once() {
        let mut random = Random(37);
        for most in [1, 50, 1 << 20] {
            let (mut set, mut wanted) = (SortedSet::default(), BTreeSet::new());
            for _ in 0..3 * WAITING {
                let number = random.below(most) as u64;
                set.insert(number);
                wanted.insert(number);
            }
            let wanted: Vec<u64> = wanted.into_iter().collect();
            assert_eq!(set.in_order(), wanted);
            assert!(
                set.numbers.len() < 2 * wanted.len() + WAITING,
                "what is known is not kept again and again"
            );
            set.settle();
            assert_eq!(set.iter().collect::<Vec<_>>(), wanted);
            assert_eq!(set.iter().chain(set.iter()).collect::<SortedSet>().in_order(), wanted);
        }
    }
}
