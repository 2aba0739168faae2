//! How much memory may be taken.

use std::fmt;

/// A limit on the memory of the whole program, as the operating system counts it. Without a limit everything is allowed, and so it is
/// where the system does not say.
///
/// # Examples
/// ```
/// use vembra_engine::Budget;
/// assert!(Budget::none().check().is_ok());
/// assert!(Budget::bytes(1024).check().is_err());
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Budget(Option<u64>);

/// More memory would be taken than is allowed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OverBudget {
    /// How many bytes are allowed.
    pub most: u64,
}

impl fmt::Display for OverBudget {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "this takes more than the {} MB of memory that are allowed", self.most >> 20)
    }
}

impl Budget {
    /// No limit.
    pub fn none() -> Self {
        Self(None)
    }

    /// The number of bytes.
    pub fn bytes(most: u64) -> Self {
        Self(Some(most))
    }

    /// Whether what is taken now is within the limit.
    ///
    /// # Errors
    /// When it is not.
    pub fn check(self) -> Result<(), OverBudget> {
        self.check_more(0)
    }

    /// The same with this many bytes more.
    ///
    /// # Errors
    /// When that would be too many.
    pub fn check_more(self, more: u64) -> Result<(), OverBudget> {
        let Some(most) = self.0 else { return Ok(()) };
        let taken = memory_stats::memory_stats().map_or(0, |m| m.physical_mem as u64);
        if taken.saturating_add(more) > most { Err(OverBudget { most }) } else { Ok(()) }
    }
}
