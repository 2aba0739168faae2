//! B: plain summaries. Figures side by side, totals that do not add up, and a table cut out by dates.
//!
//! `cargo run --release --example plain_summaries`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for query in [
        "show revenue, orders, buyers, average_order",
        "rows customer.segment show revenue, buyers, max(net) as largest_line totals on rows",
        "rows extract(hour from placed_time) as hour show average_order \
         where customer.region = 'Dunlow' and placed_time between '15:00' and before '18:00'",
        "rows customer.region show count(rows of january) as lines, sum(january.net) as net",
    ] {
        println!("> {query}\n\n{}", session.ask(query)?.text(Layout::Grid));
    }
    Ok(())
}
