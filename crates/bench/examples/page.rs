//! Prints how long a page of many reports takes over a large star, once it is loaded.
//!
//! `cargo run --release -p vembra-bench --example page -- 10000000`
#![allow(clippy::print_stdout, clippy::expect_used)] // It prints, and stops at the first fault.

use std::time::Instant;
use vembra_bench::star;

fn main() {
    let lines = std::env::args().nth(1).and_then(|a| a.parse().ok()).unwrap_or(1_000_000);
    let session = star(lines).session;
    for (name, _) in session.drawn_names() {
        let start = Instant::now();
        if session.report(name, &[]).is_ok() {
            println!(
                "{name}: {:.0} ms the first time, with the computed columns that it needs",
                start.elapsed().as_secs_f64() * 1e3
            );
        }
    }
    for round in ["first", "second"] {
        let start = Instant::now();
        let page = session.page("overview", &[]).expect("the page can be drawn");
        let answered = start.elapsed();
        let html = page.html();
        let written = start.elapsed();
        println!(
            "{round} time: {lines} lines, answers {:.2} s, page of {:.1} MB {:.2} s in all",
            answered.as_secs_f64(),
            html.len() as f64 / 1e6,
            written.as_secs_f64()
        );
    }
    for (name, _) in session.drawn_names() {
        let start = Instant::now();
        if session.report(name, &[]).is_ok() {
            println!("{name}: {:.0} ms", start.elapsed().as_secs_f64() * 1e3);
        }
    }
}
