//! Stopping an evaluation from elsewhere.

use crate::error::EngineError;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// A handle by which what is being worked out can be stopped, from any thread; clones are the same handle.
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
pub struct Stop(Arc<AtomicBool>);

impl Stop {
    /// Stops what looks at this handle: it ends with an error within a few thousand rows.
    pub fn stop(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether it was stopped.
    pub fn is_stopped(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }

    pub(crate) fn check(&self) -> Result<(), EngineError> {
        if self.is_stopped() { Err(EngineError::Stopped) } else { Ok(()) }
    }
}
