//! The demo: Marrowfield Apiary Supply, a made-up wholesaler of beekeeping goods.
//!
//! Everything is invented and made from a fixed seed: the same size gives the same bytes each time. Nothing here
//! knows of the engine; the benchmarks take the same rows as values.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod customers;
mod orders;
mod products;
mod random;
mod write;

pub use customers::{Customer, REGIONS, SEGMENTS};
pub use orders::OrderLine;

/// A day.
pub type Day = chrono::NaiveDate;

pub use products::Product;
pub use write::{FILES, MODEL, tables, write_to};

use random::Random;

/// How many orders the demo has.
pub const ORDERS: usize = 9_000;

/// A company of a size.
#[derive(Clone, Debug)]
pub struct Company {
    /// How many orders it has.
    pub orders: usize,
    /// What it sells.
    pub products: Vec<Product>,
    /// To whom.
    pub customers: Vec<Customer>,
}

impl Company {
    /// The company with this many orders.
    pub fn new(orders: usize) -> Self {
        let mut random = Random::new(0x5eed_bee5);
        let products = products::all();
        let customers = customers::all((orders / 100).max(400), &mut random);
        Self { orders, products, customers }
    }

    /// Calls `take` with each order line, in the order of order numbers.
    pub fn each_line(&self, take: &mut dyn FnMut(&OrderLine)) {
        orders::each(self, take);
    }
}
