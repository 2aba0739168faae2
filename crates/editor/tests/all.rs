//! What an editor is told.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::print_stdout)] // Tests stop at the first fault.

mod common;
mod complete;
mod drill;
mod meaning;
mod offered;
