//! Numbers that look random and are the same each time (the generator is `SplitMix64`).

#[derive(Clone, Debug)]
pub(crate) struct Random {
    state: u64,
}

impl Random {
    pub(crate) fn new(seed: u64) -> Self {
        Self { state: seed }
    }

    fn next(&mut self) -> u64 {
        self.state = self.state.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.state;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number from 0 to below `bound`.
    pub(crate) fn below(&mut self, bound: usize) -> usize {
        (self.next() % bound.max(1) as u64) as usize
    }

    /// A number from `low` to `high`, both included.
    pub(crate) fn between(&mut self, low: i64, high: i64) -> i64 {
        low + self.below((high - low + 1) as usize) as i64
    }

    /// True in this many of a thousand cases.
    pub(crate) fn chance(&mut self, per_mille: usize) -> bool {
        self.below(1000) < per_mille
    }

    /// The position of a weight, in proportion to the weights.
    pub(crate) fn weighted(&mut self, weights: &[usize]) -> usize {
        let mut at = self.below(weights.iter().sum());
        for (position, weight) in weights.iter().enumerate() {
            if at < *weight {
                return position;
            }
            at -= weight;
        }
        0
    }
}
