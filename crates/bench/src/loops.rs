//! The loops, over vectors as one would lay them out by hand.

use crate::chrono_day::epoch;
use rayon::prelude::*;
use vembra_demo::Company;

/// The first day of the demo's calendar, 2023-01-01.
const FIRST: i32 = 19_358;
/// Months from 2023-01 to 2025-12, and one for rows without a date.
const MONTHS: usize = 37;
const REGIONS: usize = 5;

/// The columns that the loops need.
#[derive(Default)]
pub struct Plain {
    customer: Vec<u32>,
    product: Vec<u32>,
    ordered: Vec<u32>,
    shipped: Vec<u32>,
    quantity: Vec<i64>,
    net: Vec<i64>,
    region_of_customer: Vec<u32>,
    is_hives: Vec<bool>,
    month_of_day: Vec<u32>,
}

/// A loop over some of the rows; the results of parts are added up.
type Loop = fn(&Plain, std::ops::Range<usize>) -> Vec<i64>;

/// How the cells of a loop become the sum of all cells of the answer.
type Total = fn(&Plain, &[i64]) -> i128;

/// The loops by name, and how their cells become the sum of all cells of the answer.
pub const LOOPS: [(&str, Loop, Total); 5] = [
    ("grouped sum", grouped_sum, total),
    ("dimension filter", dimension_filter, total),
    ("two roles", two_roles, total),
    ("distinct count", distinct_count, distinct_total),
    ("grid with totals", grid, grid_total),
];

impl Plain {
    pub(crate) fn new(company: &Company) -> Self {
        let mut plain = Self::default();
        let products = company.products.len() as u32;
        company.each_line(&mut |line| {
            let days = MONTHS_DAYS as u32;
            plain.customer.push(line.customer as u32);
            plain.product.push(line.product.map_or(products, |p| p as u32));
            plain.ordered.push((epoch(line.ordered_on) - FIRST) as u32);
            plain.shipped.push(line.shipped_on.map_or(days, |d| (epoch(d) - FIRST) as u32));
            plain.quantity.push(line.quantity);
            plain.net.push(line.quantity * line.unit_price * (100 - line.discount));
        });
        let region = |r: Option<usize>| r.map_or(REGIONS as u32 - 1, |r| r as u32);
        plain.region_of_customer = company.customers.iter().map(|c| region(c.region)).collect();
        plain.is_hives = company.products.iter().map(|p| p.category == "Hives").chain([false]).collect();
        plain.month_of_day = (0..MONTHS_DAYS).map(month_of).chain([MONTHS as u32 - 1]).collect();
        plain
    }

    /// How many rows there are.
    pub fn rows(&self) -> usize {
        self.net.len()
    }

    /// Runs a loop over all rows on this many threads of the current pool.
    pub fn run(&self, body: Loop, threads: usize) -> Vec<i64> {
        let step = self.rows().div_ceil(threads).max(1);
        let part = |at: usize| body(self, (at * step).min(self.rows())..((at + 1) * step).min(self.rows()));
        if threads == 1 {
            return part(0);
        }
        let parts: Vec<Vec<i64>> = (0..threads).into_par_iter().map(part).collect();
        let mut all = parts[0].clone();
        for part in &parts[1..] {
            // The bits of the distinct count are joined, all else is added; both lie apart in disjoint slots.
            let joins = all.len() > DISTINCT_FROM;
            all.iter_mut().zip(part).for_each(|(a, b)| if joins { *a |= b } else { *a += b });
        }
        all
    }
}

/// The days of the demo's calendar: 2023-01-01 to 2025-12-31.
const MONTHS_DAYS: usize = 1096;
/// Results longer than any sum are sets of bits.
const DISTINCT_FROM: usize = MONTHS * MONTHS;

fn month_of(day: usize) -> u32 {
    const LENGTHS: [usize; 12] = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
    let (mut day, mut month) = (day, 0);
    loop {
        let length = LENGTHS[month % 12] + usize::from(month == 13);
        if day < length {
            return month as u32;
        }
        day -= length;
        month += 1;
    }
}

fn grouped_sum(p: &Plain, rows: std::ops::Range<usize>) -> Vec<i64> {
    let mut sums = vec![0; REGIONS];
    for (customer, net) in p.customer[rows.clone()].iter().zip(&p.net[rows]) {
        sums[p.region_of_customer[*customer as usize] as usize] += net;
    }
    sums
}

fn dimension_filter(p: &Plain, rows: std::ops::Range<usize>) -> Vec<i64> {
    let mut sums = vec![0; REGIONS];
    for at in rows {
        if p.is_hives[p.product[at] as usize] {
            sums[p.region_of_customer[p.customer[at] as usize] as usize] += p.net[at];
        }
    }
    sums
}

fn two_roles(p: &Plain, rows: std::ops::Range<usize>) -> Vec<i64> {
    let mut sums = vec![0; 2 * MONTHS];
    for at in rows {
        sums[p.month_of_day[p.ordered[at] as usize] as usize] += p.net[at];
        sums[MONTHS + p.month_of_day[p.shipped[at] as usize] as usize] += p.net[at];
    }
    sums
}

fn words(p: &Plain) -> usize {
    p.region_of_customer.len().div_ceil(64)
}

/// A set of bits per month, padded so that it is longer than any sum.
fn distinct_count(p: &Plain, rows: std::ops::Range<usize>) -> Vec<i64> {
    let words = words(p);
    let mut bits = vec![0_i64; MONTHS * words + DISTINCT_FROM + 1];
    for (customer, day) in p.customer[rows.clone()].iter().zip(&p.ordered[rows]) {
        let month = p.month_of_day[*day as usize] as usize;
        bits[month * words + *customer as usize / 64] |= 1 << (*customer % 64);
    }
    bits
}

fn grid(p: &Plain, rows: std::ops::Range<usize>) -> Vec<i64> {
    let mut sums = vec![0; MONTHS * MONTHS];
    for at in rows {
        let (a, b) = (p.month_of_day[p.ordered[at] as usize], p.month_of_day[p.shipped[at] as usize]);
        sums[a as usize * MONTHS + b as usize] += p.quantity[at];
    }
    sums
}

fn total(_: &Plain, cells: &[i64]) -> i128 {
    cells.iter().map(|c| i128::from(*c)).sum()
}

fn distinct_total(_: &Plain, bits: &[i64]) -> i128 {
    bits.iter().map(|b| i128::from(b.count_ones())).sum()
}

/// Each quantity stands in its cell, in the total of its row, in that of its column, and in that of all.
fn grid_total(_: &Plain, cells: &[i64]) -> i128 {
    4 * cells.iter().map(|c| i128::from(*c)).sum::<i128>()
}
