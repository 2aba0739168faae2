//! D: values with a detail of their own. First and second order dates, profitable orders, orders above the average.
//!
//! `cargo run --release --example own_details`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for query in [
        "list code, first_order, second_order from customer where segment = 'Farm' sort first_order limit 5",
        "rows calendar.year columns order_line.order_kind show orders totals on columns",
        "rows customer.segment show average_order, orders_above_average totals on rows",
        "rows customer.worth show buyers, share(revenue among all) as part where customer.worth is not null",
    ] {
        println!("> {query}\n\n{}", session.ask(query)?.text(Layout::Grid));
    }
    Ok(())
}
