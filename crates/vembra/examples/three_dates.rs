//! One measure by three dates on one axis, two dates as two axes, and the proof that roles and defaults agree.
//!
//! `cargo run --release --example three_dates`
#![allow(clippy::print_stdout)] // Examples print.

use vembra::{Layout, Session};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/bees.vembra"))?;

    let query = "rows calendar.year \
        show revenue, (revenue via shipped) as shipped, (revenue via due) as due totals on rows";
    println!("{}", session.ask(query)?.text(Layout::Grid));

    let query = "rows ordered.quarter columns shipped.quarter show units where ordered.year = 2025";
    println!("{}", session.ask(query)?.text(Layout::Grid));

    // A role for one measure, and the same role for the whole query.
    let one = session.ask("rows calendar.year show (revenue via due) as r")?;
    let all = session.ask("rows calendar.year show revenue as r via due")?;
    println!("by due date, both ways: {}", one.answer == all.answer);
    Ok(())
}
