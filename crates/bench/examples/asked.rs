//! Asks the queries of a file one after the other, and prints for each how long it took and what came out, for comparisons with other engines.
//!
//! `cargo run --release -p vembra-bench --example asked -- MODEL QUERIES ROUNDS [why|remember|look-up]`
//!
//! `why` tells besides where the time goes; `remember` lets the session remember what queries found, in at most 256 MiB; with `look-up` no
//! values that rows reach are kept as codes.
//! The file holds blocks divided by empty lines; the first line of each is its name. Each block prints a line `# NAME FIRST MEDIAN MB`
//! (milliseconds of the first time and the median of the further ones, and the most memory beside what was there before),
//! then the answer as CSV.
#![allow(clippy::print_stdout, clippy::print_stderr, clippy::expect_used)] // It prints, and stops at the first fault.

use std::time::Instant;
use vembra::{Layout, Options, Session};
use vembra_bench::memory;

/// That of the command.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() {
    let mut arguments = std::env::args().skip(1);
    let mut next = || arguments.next().expect("MODEL QUERIES ROUNDS");
    let (model, queries, rounds) = (next(), next(), next().parse::<usize>().expect("a number of rounds"));
    let further = arguments.next();
    let (why, remember) = (further.as_deref() == Some("why"), further.as_deref() == Some("remember"));
    let denormalise_from =
        if further.as_deref() == Some("look-up") { usize::MAX } else { Options::default().denormalise_from };
    let start = Instant::now();
    let room = if remember { 256 << 20 } else { 0 };
    let options = Options { denormalise_from, ..Options::default() };
    let session = Session::builder()
        .options(options)
        .model_file(&model)
        .remember(room)
        .open()
        .expect("the model opens");
    eprintln!("opened in {:.2} s", start.elapsed().as_secs_f64());
    let text = std::fs::read_to_string(&queries).expect("the queries can be read");
    for block in text.split("\n\n").filter(|block| !block.trim().is_empty()) {
        let (name, query) = block.trim().split_once('\n').expect("a name and a query");
        // Linux forgets the peak when it is told to; elsewhere the memory says nothing.
        let _ = std::fs::write("/proc/self/clear_refs", "5");
        let before = memory("VmRSS:");
        let mut times = Vec::with_capacity(rounds + 1);
        let mut answer = String::new();
        for _ in 0..=rounds {
            let start = Instant::now();
            let reply = session.ask(query);
            times.push(start.elapsed().as_secs_f64() * 1e3);
            match reply {
                Ok(reply) => answer = reply.csv(Layout::Tidy).expect("the answer can be written"),
                Err(error) => {
                    eprintln!("{name}: {error}");
                    break;
                }
            }
        }
        let peak = (memory("VmHWM:") - before).max(0.0);
        let first = times.remove(0);
        times.sort_by(f64::total_cmp);
        let median = times.get(times.len() / 2).copied().unwrap_or(first);
        println!("# {name} {first:.1} {median:.1} {peak:.0}\n{answer}");
        if why && let Ok((_, told)) = session.query(query).why() {
            eprintln!("## {name}\n{told}");
        }
    }
}
