//! Prints, per query, the time of the engine and of the loop, and their ratio, measured in one run.
//!
//! `cargo run --release -p vembra-bench --example ratios -- 1000000 10000000`
#![allow(clippy::print_stdout, clippy::expect_used)] // It prints, and stops at the first fault.

use std::time::{Duration, Instant};
use vembra_bench::{JOBS, LOOPS, QUERIES, Star, checksum, memory, star};

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

/// The jobs against the plain grouped sum over the same columns, and what memory each needs beside the loaded data.
fn jobs(star: &Star, threads: usize) {
    let loaded = star.session.star().bytes() as f64 / 1e6;
    println!("{} lines, {threads} threads, {loaded:.0} MB of loaded and computed columns", star.plain.rows());
    println!("\n| job | sum ms | job ms | job / sum | MB while answering |");
    println!("|---|---|---|---|---|");
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("threads start");
    pool.install(|| {
        for (name, query, sum) in JOBS {
            let time = |text: &str| {
                star.session.ask(text).expect("the query can be answered");
                median(|| drop(std::hint::black_box(star.session.ask(text)))).as_secs_f64() * 1e3
            };
            let (by_sum, by_job) = (time(sum), time(query));
            // Linux forgets the peak when it is told to; elsewhere the column says nothing.
            let _ = std::fs::write("/proc/self/clear_refs", "5");
            let before = memory("VmRSS:");
            drop(std::hint::black_box(star.session.ask(query)));
            let peak = (memory("VmHWM:") - before).max(0.0);
            println!("| {name} | {by_sum:.1} | {by_job:.1} | {:.1} | {peak:.0} |", by_job / by_sum);
        }
    });
    println!();
}

fn main() {
    if std::env::args().any(|a| a == "jobs") {
        let lines = std::env::args().find_map(|a| a.parse().ok()).unwrap_or(10_000_000);
        let star = star(lines);
        return [1, 2].into_iter().for_each(|threads| jobs(&star, threads));
    }
    let sizes: Vec<usize> = std::env::args().skip(1).filter_map(|a| a.parse().ok()).collect();
    let sizes = if sizes.is_empty() { vec![1_000_000, 10_000_000] } else { sizes };
    println!("| lines | threads | query | loop ms | engine ms | engine / loop |");
    println!("|---|---|---|---|---|---|");
    for lines in sizes {
        let star = star(lines);
        for threads in [1, 2] {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("threads start");
            for ((name, body, total), (_, query)) in LOOPS.iter().zip(QUERIES) {
                let (by_loop, by_engine) = pool.install(|| {
                    let cells = star.plain.run(*body, threads);
                    assert_eq!(total(&star.plain, &cells), checksum(&star.session, query), "{name}");
                    let by_loop = median(|| drop(std::hint::black_box(star.plain.run(*body, threads))));
                    let by_engine = median(|| drop(std::hint::black_box(star.session.ask(query))));
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
