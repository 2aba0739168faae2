//! A: bring the tables together. What was read, how the files are linked, and what is wrong with them.
//!
//! `cargo run --release --example bring_tables_together`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for table in &session.load_report().tables {
        println!("{}: {} rows, {} columns from {}", table.name, table.rows, table.columns.len(), table.file);
    }
    for finding in session.check()? {
        println!("{finding}\n  help: {}", finding.help);
    }
    // Day and time of an order come from two files.
    let query =
        "list order_no, placed_at, customer.name from order_line where order_no <= 100003 and line_no = 1";
    println!("\n{}", session.ask(query)?.text(Layout::Grid));
    Ok(())
}
