//! What tests of several crates share: numbers that look random and are the same in every run.

#![forbid(unsafe_code)]

/// A generator with a seed (splitmix64).
///
/// # Examples
/// ```
/// use vembra_testing::Random;
/// let (mut one, mut again) = (Random(7), Random(7));
/// assert_eq!(one.below(1_000), again.below(1_000));
/// assert!(["a", "b"].contains(&one.pick(&["a", "b"])));
/// ```
#[derive(Clone, Debug)]
pub struct Random(pub u64);

impl Random {
    /// A number from 0 to below `bound`; 0 for a bound of 0.
    pub fn below(&mut self, bound: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (z ^ (z >> 31)) % bound.max(1)
    }

    /// One of some choices, of which there is one at least.
    ///
    /// # Panics
    /// When there is none.
    pub fn pick<T: Copy>(&mut self, of: &[T]) -> T {
        of[self.below(of.len() as u64) as usize]
    }
}

/// Says that a test is left out, what it would have tried and why it cannot: past the capture of the test runner, so that it is seen where
/// tests pass. Where `VEMBRA_ALL` is set, as on a machine that has all servers, nothing may be left out.
///
/// # Panics
/// Where `VEMBRA_ALL` is set.
pub fn left_out(what: &str, why: &str) {
    use std::io::Write;
    use std::sync::atomic::{AtomicUsize, Ordering};
    static COUNT: AtomicUsize = AtomicUsize::new(0);
    assert!(std::env::var_os("VEMBRA_ALL").is_none(), "{what} is left out, since {why}");
    let count = COUNT.fetch_add(1, Ordering::Relaxed) + 1;
    // Where nobody reads it, nothing is written.
    let _ = writeln!(std::io::stderr(), "left out, number {count}: {what}, since {why}");
}
