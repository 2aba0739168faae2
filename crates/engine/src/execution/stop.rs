//! Stopping an evaluation from elsewhere.

use crate::error::EngineError;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// A handle by which what is being worked out can be stopped and looked at, from any thread; clones are the same handle.
///
/// # Examples
/// ```
/// use vembra_engine::Stop;
/// let stop = Stop::default();
/// let elsewhere = stop.clone();
/// std::thread::spawn(move || elsewhere.stop()).join().expect("no panic");
/// assert!(stop.is_stopped());
/// ```
#[derive(Clone, Debug, Default)]
pub struct Stop(Arc<State>);

#[derive(Debug, Default)]
struct State {
    stopped: AtomicBool,
    read: AtomicU64,
    to_read: AtomicU64,
}

/// How far an evaluation has come.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct RowsRead {
    /// How many rows were read so far; a row that is read for two figures counts twice.
    pub read: u64,
    /// How many there are to read as far as is known: passes that turn out to be one make it fewer, and what comes up on the way
    /// makes it more.
    pub to_read: u64,
}

impl Stop {
    /// Stops what looks at this handle: it ends with an error within a few thousand rows.
    pub fn stop(&self) {
        self.0.stopped.store(true, Ordering::Relaxed);
    }

    /// Whether it was stopped.
    pub fn is_stopped(&self) -> bool {
        self.0.stopped.load(Ordering::Relaxed)
    }

    /// How far what looks at this handle has come.
    pub fn rows_read(&self) -> RowsRead {
        let read = self.0.read.load(Ordering::Relaxed);
        RowsRead { read, to_read: self.0.to_read.load(Ordering::Relaxed).max(read) }
    }

    pub(crate) fn will_read(&self, rows: u64) {
        self.0.to_read.fetch_add(rows, Ordering::Relaxed);
    }

    pub(crate) fn has_read(&self, rows: usize) {
        self.0.read.fetch_add(rows as u64, Ordering::Relaxed);
    }

    pub(crate) fn check(&self) -> Result<(), EngineError> {
        if self.is_stopped() { Err(EngineError::Stopped) } else { Ok(()) }
    }
}
