//! F: comparisons in time. To date, a year earlier, means over months; and assertions that hold them.
//!
//! `cargo run --release --example time_comparisons`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for query in [
        "rows calendar.month show revenue, revenue_to_date where calendar.month >= '2025-08' keep empty",
        "rows calendar.quarter show revenue, revenue_year_before, growth where calendar.year = 2025 totals on rows",
        "rows calendar.month show revenue, mean_of_three_months, running(revenue by calendar.month) as so_far \
         where calendar.year = 2024",
    ] {
        println!("> {query}\n\n{}", session.ask(query)?.text(Layout::Grid));
    }
    for outcome in session.assertions()? {
        println!("{}: {}", outcome.title, if outcome.holds() { "holds" } else { "FAILS" });
    }
    Ok(())
}
