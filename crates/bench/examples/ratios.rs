//! Prints, for each question, the time of the engine and of the loop, and their ratio, measured in one run.
//!
//! `cargo run --release -p vembra-bench --example ratios -- 1000000 10000000`
#![allow(clippy::print_stdout, clippy::expect_used)] // It prints, and stops at the first fault.

use std::time::{Duration, Instant};
use vembra_bench::{LOOPS, QUESTIONS, checksum, star};

fn median(mut run: impl FnMut()) -> Duration {
    let mut times: Vec<Duration> = (0..9)
        .map(|_| {
            let start = Instant::now();
            run();
            start.elapsed()
        })
        .collect();
    times.sort();
    times[times.len() / 2]
}

fn main() {
    let sizes: Vec<usize> = std::env::args().skip(1).filter_map(|a| a.parse().ok()).collect();
    let sizes = if sizes.is_empty() { vec![1_000_000, 10_000_000] } else { sizes };
    println!("| lines | threads | question | loop ms | engine ms | engine / loop |");
    println!("|---|---|---|---|---|---|");
    for lines in sizes {
        let star = star(lines);
        for threads in [1, 2] {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("threads start");
            for ((name, body, total), (_, question)) in LOOPS.iter().zip(QUESTIONS) {
                let (by_loop, by_engine) = pool.install(|| {
                    let cells = star.plain.run(*body, threads);
                    assert_eq!(total(&star.plain, &cells), checksum(&star.session, question), "{name}");
                    let by_loop = median(|| drop(std::hint::black_box(star.plain.run(*body, threads))));
                    let by_engine = median(|| drop(std::hint::black_box(star.session.ask(question))));
                    (by_loop.as_secs_f64() * 1e3, by_engine.as_secs_f64() * 1e3)
                });
                println!(
                    "| {} | {threads} | {name} | {by_loop:.1} | {by_engine:.1} | {:.2} |",
                    star.plain.rows(),
                    by_engine / by_loop
                );
            }
        }
    }
}
