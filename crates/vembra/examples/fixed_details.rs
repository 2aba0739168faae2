//! D: values fixed at a detail. First and second order dates, profitable orders, orders above the average.
//!
//! `cargo run --release --example fixed_details`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for question in [
        "list code, first_order, second_order from customer where segment = 'Farm' sort first_order limit 5",
        "rows calendar.year columns order_line.order_result show orders totals on columns",
        "rows customer.segment show average_order, orders_above_average totals on rows",
        "rows customer.worth show buyers, share(revenue among all) as part where customer.worth is not null",
    ] {
        println!("> {question}\n\n{}", session.ask(question)?.text(Layout::Grid));
    }
    Ok(())
}
