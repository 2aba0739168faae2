//! One session, many threads: clones share the model and the tables, and what takes too long is stopped.
//!
//! `cargo run --release --example shared_between_threads`

#![allow(clippy::print_stdout)] // Examples print.

use std::time::Duration;
use vembra::{ErrorKind, Layout, Session, Stop};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/bees.vembra"))?;
    // Each desk sees its own rows; the tables of a viewer are read once, when he first asks.
    let desks = [None, Some("sarrow_desk")].map(|viewer| {
        let session = session.clone();
        std::thread::spawn(move || {
            let query = session.query("rows calendar.year show revenue, orders").given("focus_year", "2025");
            match viewer {
                Some(viewer) => query.viewer(viewer).ask(),
                None => query.ask(),
            }
        })
    });
    for (desk, name) in desks.into_iter().zip(["everyone", "Sarrow desk"]) {
        let reply = desk.join().map_err(|_| "a thread panicked")??;
        println!("{name}\n{}", reply.text(Layout::Grid));
    }
    // A service gives every query its time.
    let stop = Stop::default();
    let clock = stop.clone();
    std::thread::spawn(move || {
        std::thread::sleep(Duration::from_secs(5));
        clock.stop();
    });
    match session.query("rows customer.name show average_order, growth").stopped_by(&stop).ask() {
        Ok(reply) => {
            let lines = reply.csv(Layout::Tidy)?.lines().count() - 1;
            println!("{lines} lines in time, from {} rows read", stop.rows_read().read);
        }
        Err(error) if error.kind() == ErrorKind::Stopped => println!("stopped after five seconds"),
        Err(error) => return Err(error.into()),
    }
    Ok(())
}
