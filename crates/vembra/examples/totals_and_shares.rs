//! G: totals and shares. Three shares, other formulas on totals, the first ones and the rest.
//!
//! `cargo run --release --example totals_and_shares`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for query in [
        "rows product.category, product.family show share(revenue among product.family) as of_group, share_of_all, \
         share_of_everything where calendar.year = 2025 and product.category = 'Hives'",
        "rows product.category, product.family show money_then_share totals on rows",
        "rows customer.segment, customer.name show revenue, rank(revenue among customer.name) as place \
         top 3 customer.name by revenue within customer.segment, rest as 'others' totals on rows",
    ] {
        println!("> {query}\n\n{}", session.ask(query)?.text(Layout::Grid));
    }
    Ok(())
}
