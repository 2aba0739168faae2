//! What is found out before any row is read.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::print_stdout)] // Tests stop at the first fault.

mod common;
mod contexts;
mod drawings;
mod grains;
mod models;
mod naming;
mod operators;
mod queries;
