//! How loops by hand grow as rows and what they lead to become ten times as many, and what a second thread gives them: what memory alone
//! costs, whatever the engine.
//!
//! `cargo run --release -p vembra-bench --example growth`
//!
//! Lines of orders stand together, four in the middle; orders have their customers and months in no order. The least of five times; on two threads where nothing else is said.
#![allow(clippy::print_stdout)] // It prints.

use std::hint::black_box;
use std::time::Instant;

/// Rows, customers.
const SIZES: [(usize, usize); 2] = [(6_000_000, 150_000), (60_000_000, 1_500_000)];
const MONTHS: usize = 84;

/// What a loop reads: a customer and a month for each row, and something for each customer.
struct Rows {
    customer: Vec<u32>,
    month: Vec<u8>,
    of_customer: Vec<u32>,
}

impl Rows {
    fn new(rows: usize, customers: usize) -> Self {
        let (mut customer, mut month) = (Vec::with_capacity(rows), Vec::with_capacity(rows));
        let mut state = 88_172_645_463_325_252_u64;
        while customer.len() < rows {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            let lines = (1 + state as usize % 7).min(rows - customer.len());
            customer.extend(std::iter::repeat_n(((state >> 32) % customers as u64) as u32, lines));
            month.extend(std::iter::repeat_n(((state >> 8) % MONTHS as u64) as u8, lines));
        }
        Self { customer, month, of_customer: (0..customers as u32).map(|at| at % 25).collect() }
    }
}

/// A loop over some of the rows.
type Loop = fn(&Rows, std::ops::Range<usize>);

const LOOPS: [(&str, Loop); 4] = [
    ("sum by month", |all, rows| {
        let mut sums = [0_u64; MONTHS];
        all.month[rows.clone()].iter().zip(rows).for_each(|(m, row)| sums[usize::from(*m)] += row as u64);
        black_box(sums);
    }),
    ("sum by what a customer leads to", |all, rows| {
        let (mut sums, of) = (vec![0_u64; 25], all.of_customer.as_slice());
        let groups = all.customer[rows.clone()].iter().map(|c| of[*c as usize] as usize);
        groups.zip(rows).for_each(|(group, row)| sums[group] += row as u64);
        black_box(sums);
    }),
    ("sum by customer", |all, rows| {
        let mut sums = vec![0_u64; all.of_customer.len()];
        all.customer[rows.clone()].iter().zip(rows).for_each(|(c, row)| sums[*c as usize] += row as u64);
        black_box(sums);
    }),
    ("different customers by month", |all, rows| {
        let words = all.of_customer.len().div_ceil(64);
        let mut bits = vec![0_u64; MONTHS * words];
        for (customer, month) in all.customer[rows.clone()].iter().zip(&all.month[rows]) {
            bits[usize::from(*month) * words + *customer as usize / 64] |= 1 << (customer % 64);
        }
        black_box(bits);
    }),
];

fn main() {
    let all = SIZES.map(|(rows, customers)| Rows::new(rows, customers));
    println!(
        "| loop | 6 million ms | 60 million ms | growth | 60 million on one thread ms | one / two threads |"
    );
    println!("|---|---|---|---|---|---|");
    for (name, body) in LOOPS {
        let [small, large, alone] =
            [(0, 2), (1, 2), (1, 1)].map(|(at, threads)| least(&all[at], body, threads));
        println!(
            "| {name} | {small:.1} | {large:.0} | {:.1} | {alone:.0} | {:.2} |",
            large / small,
            alone / large
        );
    }
}

fn least(all: &Rows, body: Loop, threads: usize) -> f64 {
    let once = || {
        let start = Instant::now();
        let step = all.customer.len() / threads;
        std::thread::scope(|scope| {
            for thread in 0..threads {
                scope.spawn(move || body(all, thread * step..(thread + 1) * step));
            }
        });
        start.elapsed().as_secs_f64() * 1e3
    };
    (0..5).map(|_| once()).fold(f64::MAX, f64::min)
}
