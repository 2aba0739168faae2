//! What was ordered, when, and when it was shipped.

use crate::Company;
use crate::customers::{self, Customer, FAITHFUL, IDLE, day, first_day, last_day};
use crate::products::{LATE, UNSOLD};
use crate::random::Random;
use chrono::{Datelike, Days, NaiveDate};

/// A line of an order. Money is in cents, the discount in hundredths.
#[derive(Clone, Debug)]
pub struct OrderLine {
    /// The number of the order.
    pub order_no: i64,
    /// The number of the line in its order, from 1.
    pub line_no: i64,
    /// Minutes since midnight at which the order was placed.
    pub placed_minute: i64,
    /// The position of the customer.
    pub customer: usize,
    /// The position of the product; none for an article number that is in no list.
    pub product: Option<usize>,
    /// The day of the order.
    pub ordered_on: NaiveDate,
    /// The day of shipping, if it was shipped.
    pub shipped_on: Option<NaiveDate>,
    /// The day by which it is due.
    pub due_on: NaiveDate,
    /// How many.
    pub quantity: i64,
    /// The price of one, in cents.
    pub unit_price: i64,
    /// What one cost, in cents.
    pub unit_cost: i64,
    /// The part taken off the price, in hundredths.
    pub discount: i64,
}

/// How busy each month is.
const SEASON: [usize; 12] = [30, 45, 95, 140, 150, 115, 85, 70, 60, 45, 35, 30];
/// How busy each weekday is, Monday first.
const WEEKDAY: [usize; 7] = [130, 120, 110, 105, 120, 60, 35];
/// How many orders come in each hour.
const HOURS: [usize; 24] =
    [2, 1, 1, 1, 2, 4, 10, 25, 60, 90, 95, 85, 70, 80, 90, 95, 85, 60, 30, 22, 18, 14, 8, 4];
/// What each segment buys: hives, tools, clothing, honey.
const TASTE: [[usize; 4]; 5] =
    [[30, 35, 25, 10], [35, 20, 10, 35], [15, 25, 30, 30], [25, 20, 45, 10], [45, 30, 15, 10]];
/// Of a thousand orders of each month, those for which there is no hand in the first week.
const SLOW: [usize; 12] = [40, 70, 190, 420, 470, 260, 130, 90, 70, 50, 40, 40];
/// Who waits, in hundredths of that: shops have their goods packed first, clubs and schools last.
const PATIENCE: [usize; 5] = [150, 100, 45, 130, 80];
/// In how many days goods are due.
const DUE_DAYS: [u64; 5] = [14, 10, 7, 14, 10];
/// How much of a thing is bought at most.
const MOST: [i64; 5] = [4, 12, 20, 6, 14];
/// What the third year brings of the orders of the first, in hundredths: schools found bees, shops grow no more.
const TREND: [usize; 5] = [100, 100, 85, 190, 120];
const MOST_TREND: usize = 200;
/// From this day on a second bench packs parcels.
const PACKING_BENCH: (i32, u32, u32) = (2025, 2, 3);
const LINES: [usize; 9] = [26, 24, 18, 12, 8, 5, 4, 2, 1];
/// These orders have a line with an article number that is in no list.
const STRAY: [usize; 3] = [1_204, 4_410, 7_963];

pub(crate) fn each(company: &Company, take: &mut dyn FnMut(&OrderLine)) {
    let mut random = Random::new(0xa91a_2e5d);
    let days: Vec<NaiveDate> = first_day().iter_days().take_while(|d| *d <= last_day()).collect();
    let weights: Vec<usize> = days.iter().map(|d| weight(*d)).collect();
    let total: usize = weights.iter().sum();
    let (mut passed, mut made) = (0, 0);
    let mut last_customer = 0;
    let buckets = Buckets::new(&company.customers);
    for (date, weight) in days.iter().zip(weights) {
        passed += weight;
        let until = company.orders * passed / total;
        let today = made;
        while made < until {
            // Now and then the same customer orders again on the same day.
            let again = made > today && random.chance(45);
            let customer =
                if again { last_customer } else { customer(company, &buckets, *date, &mut random) };
            let customer = match (made, until == company.orders && made + 1 + FAITHFUL.len() > until) {
                (at, _) if at < FAITHFUL.len() => FAITHFUL[at],
                (at, true) => FAITHFUL[until - 1 - at],
                _ => customer,
            };
            let placed = Placed { number: made, date: *date, customer };
            order(company, &placed, &mut random, take);
            last_customer = customer;
            made += 1;
        }
    }
}

fn weight(date: NaiveDate) -> usize {
    let growth = 100 + 14 * (date.year() - 2023) as usize;
    // The first and the last day have orders in any case.
    SEASON[date.month0() as usize] * WEEKDAY[date.weekday().num_days_from_monday() as usize] * growth / 100
}

/// The customers in groups of like weight, so that one is found quickly.
struct Buckets {
    cumulated: Vec<usize>,
}

impl Buckets {
    fn new(customers: &[Customer]) -> Self {
        let mut sum = 0;
        let cumulated = customers
            .iter()
            .map(|c| {
                sum += c.weight;
                sum
            })
            .collect();
        Self { cumulated }
    }

    fn pick(&self, random: &mut Random) -> usize {
        let at = random.below(self.cumulated.last().copied().unwrap_or(1));
        self.cumulated.partition_point(|sum| *sum <= at)
    }
}

fn customer(company: &Company, buckets: &Buckets, date: NaiveDate, random: &mut Random) -> usize {
    for _ in 0..200 {
        let at = buckets.pick(random);
        let customer = &company.customers[at];
        let is_there = at != IDLE && customer.joined_on <= date && date <= customer.until;
        if is_there && random.below(MOST_TREND) < trend(customer.segment, date) {
            return at;
        }
    }
    FAITHFUL[0]
}

/// How many orders a segment makes on a day, in hundredths of those of the first year.
fn trend(segment: usize, date: NaiveDate) -> usize {
    match date.year() {
        ..=2023 => 100,
        2024 => usize::midpoint(100, TREND[segment]),
        _ => TREND[segment],
    }
}

/// An order without its lines.
struct Placed {
    number: usize,
    date: NaiveDate,
    customer: usize,
}

fn order(company: &Company, placed: &Placed, random: &mut Random, take: &mut dyn FnMut(&OrderLine)) {
    let Placed { number, date, customer } = *placed;
    let segment = company.customers[customer].segment;
    let placed_minute = random.weighted(&HOURS) as i64 * 60 + random.between(0, 59);
    let due_on = date + Days::new(DUE_DAYS[segment]);
    let shipped = ship_day(date, segment, random);
    let loss = random.chance(55);
    let ordered = random.weighted(&LINES) + 1;
    for line in 0..ordered {
        let product = product(company, segment, date, random);
        let sold = &company.products[product];
        let stray = line == 0 && STRAY.contains(&number);
        let raise = raise_of(date.year());
        let late_line = shipped.filter(|_| random.chance(60));
        let shipped_on = late_line.map(|d| d + Days::new(random.between(1, 4) as u64)).or(shipped);
        take(&OrderLine {
            order_no: 100_001 + number as i64,
            line_no: line as i64 + 1,
            placed_minute,
            customer,
            product: (!stray).then_some(product),
            ordered_on: date,
            shipped_on: shipped_on.filter(|d| *d <= last_day()),
            due_on,
            quantity: quantity(segment, sold.list_price, random),
            unit_price: sold.list_price * raise / 100,
            unit_cost: sold.unit_cost * raise / 100,
            discount: if loss { random.between(38, 50) } else { [0, 0, 0, 0, 5, 5, 10, 15][random.below(8)] },
        });
    }
}

/// What prices and costs of a year are, in per cent of those of the first.
pub(crate) fn raise_of(year: i32) -> i64 {
    100 + 3 * i64::from(year - 2023)
}

fn ship_day(date: NaiveDate, segment: usize, random: &mut Random) -> Option<NaiveDate> {
    if random.chance(6) {
        return None;
    }
    let days = if random.chance(slow(date, segment)) { random.between(8, 20) } else { random.between(0, 7) };
    Some(date + Days::new(days as u64))
}

/// How many orders of a thousand wait for longer than a week.
fn slow(date: NaiveDate, segment: usize) -> usize {
    let (year, month, first) = PACKING_BENCH;
    let bench = if date >= day(year, month, first) { 45 } else { 100 };
    SLOW[date.month0() as usize] * PATIENCE[segment] / 100 * bench / 100
}

fn quantity(segment: usize, price: i64, random: &mut Random) -> i64 {
    let most = if price > 20_000 { 2 } else { MOST[segment] };
    random.between(1, most)
}

fn product(company: &Company, segment: usize, date: NaiveDate, random: &mut Random) -> usize {
    let (family, (year, month, first)) = LATE;
    loop {
        let category = random.weighted(&TASTE[segment]);
        let at = category * 15 + random.below(15);
        let product = &company.products[at];
        let early = product.family == family && date < day(year, month, first);
        // Clothing of the open season rests in winter.
        let resting = product.category == "Clothing" && [1, 12].contains(&date.month()) && random.chance(800);
        if product.sku != UNSOLD && !early && !resting {
            return at;
        }
    }
}

/// The Mondays on which stock is counted.
pub(crate) fn count_days() -> impl Iterator<Item = NaiveDate> {
    customers::day(2023, 1, 2).iter_weeks().take_while(|d| *d <= last_day())
}
