//! A model and its files, and a first answer from them.
//!
//! `cargo run --release --example first_answer`
#![allow(clippy::print_stdout)] // Examples print.

use vembra::{Answer, Layout, Member, Session};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/bees.vembra"))?;

    // As a table for people.
    let reply = session.ask("rows customer.segment show revenue, orders, average_line totals on rows");
    // `average_line` is no measure: the message says what is wrong, where, and what there is.
    if let Err(failure) = reply {
        println!("{failure}\n");
    }
    let reply =
        session.ask("rows customer.segment show revenue, orders, avg(net) as average_line totals on rows")?;
    println!("{}", reply.text(Layout::Grid));

    // As cells.
    if let Answer::Summary(summary) = &reply.answer {
        for line in &summary.lines {
            if let Member::Value(segment) = &line.rows[0] {
                println!("{segment}: {} exactly", line.cells[0].value);
            }
        }
    }

    // As CSV, as JSON, and as an Arrow record batch.
    print!("\n{}", reply.csv(Layout::Tidy)?);
    println!("\n{}", reply.json(Layout::Tidy)[0]);
    println!("\n{} rows in a record batch", reply.record_batch()?.num_rows());
    Ok(())
}
