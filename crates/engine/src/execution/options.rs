//! How a plan is evaluated.

use crate::error::EngineError;
use crate::execution::budget::Budget;
use crate::execution::profile::Profiler;
use crate::execution::stop::Stop;
use std::ops::Range;
use std::sync::Arc;

/// How a plan is evaluated. Results do not depend on it, but for the last digits of floats.
#[derive(Clone, Debug)]
pub struct Options {
    /// How many rows are worked on at a time.
    pub block: usize,
    /// Up to this many key combinations are direct-indexed whatever the number of rows.
    pub direct_index_limit: usize,
    /// Into how many parts the rows are cut; by their count if not given.
    pub parts: Option<usize>,
    /// Receives each step.
    pub profiler: Option<Arc<dyn Profiler>>,
    /// How much memory may be taken.
    pub memory: Budget,
    /// The capacity of the result cache in bytes: groups of scans are kept for later queries of the same star. 0 by default.
    pub result_cache_limit: usize,
    /// In tables of this many rows or more the attributes that rows reach by links are denormalised to codes once they are asked for again, where
    /// that is less to read, in at most a quarter of the memory that the columns take. 0 keeps them wherever there is room, the largest
    /// number never. A session takes it when it is opened.
    pub denormalise_from: usize,
    /// Whether what may fail is worked out only for rows that ask for it. A query of which a value fails is answered once more in this way.
    pub guarded: bool,
    /// By which it can be stopped.
    pub stop: Stop,
}

/// A part has about this many rows.
pub(crate) const PART: usize = 1 << 16;
/// There are at most this many parts.
pub(crate) const MOST_PARTS: usize = 16;

impl Options {
    /// The ranges of rows that are worked on apart, at most this many: they depend on how many rows there are alone, so that results, also sums of
    /// floats, do not depend on threads.
    pub(crate) fn ranges(&self, rows: usize, most: usize) -> Vec<Range<usize>> {
        let by_rows = (rows / PART).clamp(1, MOST_PARTS).min(most);
        let parts = self.parts.unwrap_or(by_rows).max(1);
        let step = rows.div_ceil(parts).max(1);
        (0..parts).map(|at| (at * step).min(rows)..((at + 1) * step).min(rows)).collect()
    }

    /// Whether to go on: within the limit on memory, and not stopped.
    pub(crate) fn check(&self) -> Result<(), EngineError> {
        self.stop.check()?;
        Ok(self.memory.check()?)
    }
}

impl Default for Options {
    fn default() -> Self {
        Self {
            block: 2048,
            direct_index_limit: 1 << 16,
            parts: None,
            profiler: None,
            memory: Budget::none(),
            result_cache_limit: 0,
            denormalise_from: 1 << 16,
            guarded: false,
            stop: Stop::default(),
        }
    }
}
