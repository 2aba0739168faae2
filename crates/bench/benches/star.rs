//! Each query by the engine and by its loop, on one thread and on two.
//!
//! `cargo bench -p vembra-bench` runs all; `cargo run --release -p vembra-bench --example ratios` prints the ratios
//! of one run.
#![allow(missing_docs, clippy::expect_used)] // Benchmarks stop at the first fault.

use divan::Bencher;
use std::sync::LazyLock;
use vembra_bench::{LOOPS, QUERIES, Star, star};

static SMALL: LazyLock<Star> = LazyLock::new(|| star(1_000_000));
static LARGE: LazyLock<Star> = LazyLock::new(|| star(10_000_000));

fn main() {
    divan::main();
}

/// Lines in millions, threads, and the number of the query.
const CASES: [(usize, usize, usize); 20] = {
    let mut cases = [(0, 0, 0); 20];
    let mut at = 0;
    while at < 20 {
        cases[at] = (if at < 10 { 1 } else { 10 }, at % 2 + 1, at % 10 / 2);
        at += 1;
    }
    cases
};

fn data(millions: usize) -> &'static Star {
    if millions == 1 { &SMALL } else { &LARGE }
}

fn pool(threads: usize) -> rayon::ThreadPool {
    rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("threads can be started")
}

#[divan::bench(args = CASES, sample_count = 10)]
fn engine(bencher: Bencher<'_, '_>, (millions, threads, query): (usize, usize, usize)) {
    let (star, pool) = (data(millions), pool(threads));
    let text = QUERIES[query].1;
    bencher.bench(|| pool.install(|| star.session.ask(text).expect("the query can be answered")));
}

#[divan::bench(args = CASES, sample_count = 10)]
fn hand_loop(bencher: Bencher<'_, '_>, (millions, threads, query): (usize, usize, usize)) {
    let (star, pool) = (data(millions), pool(threads));
    let body = LOOPS[query].1;
    bencher.bench(|| pool.install(|| star.plain.run(body, threads)));
}
