//! Checksums that show whether something is as it was.

use std::fmt;
use std::io::{self, Read};
use twox_hash::{XxHash3_64, XxHash3_128};

/// The sum over the bytes of a part, which stands in the name of its file.
pub(super) fn sum_of(bytes: &[u8]) -> u64 {
    XxHash3_64::oneshot(bytes)
}

/// What something was made of, in 32 digits.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Mark(u128);

impl Mark {
    /// The mark of some texts in their order.
    pub fn of(texts: &[&str]) -> Self {
        let mut hasher = XxHash3_128::new();
        for text in texts {
            hasher.write(&(text.len() as u64).to_le_bytes());
            hasher.write(text.as_bytes());
        }
        Self(hasher.finish_128())
    }

    /// The mark of all that is read.
    pub(super) fn of_all(mut from: impl Read) -> io::Result<Self> {
        let mut hasher = XxHash3_128::new();
        let mut block = vec![0; 1 << 16];
        loop {
            match from.read(&mut block)? {
                0 => return Ok(Self(hasher.finish_128())),
                read => hasher.write(&block[..read]),
            }
        }
    }
}

impl fmt::Display for Mark {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:032x}", self.0)
    }
}

impl fmt::Debug for Mark {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}
