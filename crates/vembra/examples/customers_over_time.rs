//! E: customers over time. Who was lost by a day of one's choosing, and who is new.
//!
//! `cargo run --release --example customers_over_time`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for day in ["2024-06-30", "2025-06-30"] {
        let reply = session.query("show customers_lost").given("as_of", day).ask()?;
        println!("as of {day}:\n\n{}", reply.text(Layout::Grid));
    }
    let query = "rows calendar.quarter show buyers, new_buyers where calendar.year = 2025 totals on rows";
    println!("{}", session.ask(query)?.text(Layout::Grid));
    // A table made from a query is used by the next one.
    let query = "list code, name, first_day, last_day, span from customer_span sort span descending limit 3";
    println!("{}", session.ask(query)?.text(Layout::Grid));
    Ok(())
}
