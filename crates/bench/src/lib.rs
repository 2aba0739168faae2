//! Generated stars for the benchmarks, and the loops that the engine is measured against.
//!
//! Each loop is what one would write by hand for one query: plain vectors, dense codes, nothing else. It does
//! not read the same columns narrowly encoded, check for overflow, or keep nulls apart where there are none.

#![forbid(unsafe_code)]
#![allow(clippy::missing_panics_doc, clippy::expect_used)] // Benchmarks stop at the first fault.

mod loops;

pub use loops::{LOOPS, Plain};

use vembra::{ColumnBuilder, Scalar, Session, Table, Type};
use vembra_demo::{Company, OrderLine};

/// The queries, by the names of their loops.
pub const QUERIES: [(&str, &str); 5] = [
    ("grouped sum", "rows customer.region show sum(net)"),
    ("dimension filter", "rows customer.region show sum(net) where product.category = 'Hives'"),
    ("two roles", "rows calendar.month show sum(net), (sum(net) via shipped) as shipped"),
    ("distinct count", "rows calendar.month show count(distinct customer_code)"),
    (
        "grid with totals",
        "rows ordered.month columns shipped.month show sum(quantity) totals on rows, on columns",
    ),
];

/// Queries of the jobs, each with the plain grouped sum over the same columns that it is measured against.
pub const JOBS: [(&str, &str, &str); 12] = [
    (
        "average order by year and segment",
        "rows calendar.year, customer.segment show avg(sum(net) per order_line.order_no) as x",
        "rows calendar.year, customer.segment show sum(net)",
    ),
    (
        "order-level flag as axis",
        "rows order_line.order_kind show sum(net)",
        "rows customer.region show sum(net)",
    ),
    (
        "order-level flag, worked out",
        "rows (count(distinct product.category from order_line) per order_line.order_no) > 1 as mixed show sum(net)",
        "rows customer.region show sum(net)",
    ),
    (
        "first and second order date",
        "rows customer_code show min(ordered_on) as first, min(ordered_on where ordered_on > (min(ordered_on) per customer_code)) as second",
        "rows customer_code show sum(net)",
    ),
    (
        "customers lost",
        "show count(distinct customer_code where (max(ordered_on) per customer_code) < '2025-01-01') as lost",
        "rows customer_code show sum(net)",
    ),
    (
        "year to date by month",
        "rows calendar.month show (sum(net) during year to date) as ytd",
        "rows calendar.month show sum(net)",
    ),
    (
        "a year earlier",
        "rows calendar.month show (sum(net) during 1 year earlier) as before",
        "rows calendar.month show sum(net)",
    ),
    (
        "share of parent",
        "rows product.category, product.family show share(sum(net) among product.family) as s",
        "rows product.category, product.family show sum(net)",
    ),
    ("median", "rows customer.region show median(net)", "rows customer.region show sum(net)"),
    ("rank", "rows product.sku show rank(sum(net) among product.sku) as r", "rows product.sku show sum(net)"),
    (
        "top five, the rest as one line",
        "rows customer_code show sum(net) top 5 customer_code by sum(net), rest as 'Other'",
        "rows customer_code show sum(net)",
    ),
    (
        "orders above the average",
        "show count((sum(net) per order_line.order_no) where (sum(net) per order_line.order_no) > (avg(net) overall)) as n",
        "rows customer.region show sum(net)",
    ),
];

/// A star in memory, for the engine and for the loops.
pub struct Star {
    /// The engine's.
    pub session: Session,
    /// The loops'.
    pub plain: Plain,
}

/// How many order lines a number of orders has, about.
const LINES_PER_ORDER: usize = 3;

/// A star with about this many order lines.
pub fn star(lines: usize) -> Star {
    let company = Company::new(lines / LINES_PER_ORDER);
    let mut fact = Fact::default();
    company.each_line(&mut |line| fact.push(&company, line));
    let plain = Plain::new(&company);
    let mut builder = Session::builder().model_text("bees.vembra", vembra_demo::MODEL);
    for (name, csv) in vembra_demo::tables(&Company::new(1_000)).expect("the demo can be written") {
        builder = builder.csv_bytes(name, csv);
    }
    // The customers and times of the large company, not of the small one.
    builder = builder.csv_bytes("customer", customers(&company)).table("order_line", fact.table());
    let session = builder.open().expect("the demo model opens");
    // Computed columns and links are worked out once a session, before anything is measured.
    for (_, query) in QUERIES {
        session.ask(query).expect("the query can be answered");
    }
    Star { session, plain }
}

fn customers(company: &Company) -> Vec<u8> {
    let mut csv = "code,name,segment,town,region,joined_on\n".to_owned();
    for c in &company.customers {
        let region = c.region.map_or("", |r| vembra_demo::REGIONS[r]);
        let segment = vembra_demo::SEGMENTS[c.segment];
        csv.push_str(&format!("{},Name,{segment},{},{region},{}\n", c.code, c.town, c.joined_on));
    }
    csv.into_bytes()
}

/// The columns of the fact while they are made.
#[derive(Default)]
struct Fact {
    columns: Vec<(&'static str, Option<ColumnBuilder>)>,
    rows: usize,
}

impl Fact {
    fn push(&mut self, company: &Company, line: &OrderLine) {
        if self.columns.is_empty() {
            let columns = [
                ("order_no", Type::Integer),
                ("line_no", Type::Integer),
                ("customer_code", Type::Text),
                ("sku", Type::Text),
                ("ordered_on", Type::Date),
                ("shipped_on", Type::Date),
                ("due_on", Type::Date),
                ("quantity", Type::Integer),
                ("unit_price", Type::Decimal(2)),
                ("unit_cost", Type::Decimal(2)),
                ("discount", Type::Decimal(2)),
            ];
            self.columns = columns.map(|(name, ty)| (name, Some(ColumnBuilder::new(ty)))).into();
        }
        let day = |d: chrono_day::Day| Some(i128::from(chrono_day::epoch(d)));
        let physicals = [
            Some(line.order_no.into()),
            Some(line.line_no.into()),
            None,
            None,
            day(line.ordered_on),
            line.shipped_on.and_then(day),
            day(line.due_on),
            Some(line.quantity.into()),
            Some(line.unit_price.into()),
            Some(line.unit_cost.into()),
            Some(line.discount.into()),
        ];
        for (at, ((_, builder), physical)) in self.columns.iter_mut().zip(physicals).enumerate() {
            let Some(builder) = builder else { continue };
            match at {
                2 => builder.push_text(Some(&company.customers[line.customer].code)),
                3 => builder.push_text(Some(line.product.map_or("ZZ-99", |p| &company.products[p].sku))),
                _ => builder.push_physical(physical),
            }
        }
        self.rows += 1;
    }

    fn table(self) -> Table {
        let columns =
            self.columns.into_iter().filter_map(|(name, b)| Some((name.to_owned(), b?.finish().into())));
        Table {
            columns: columns.collect(),
            rows: self.rows,
            origin: "generated".to_owned(),
            ..Table::default()
        }
    }
}

/// Days as the engine counts them.
pub(crate) mod chrono_day {
    pub(crate) type Day = vembra_demo::Day;

    pub(crate) fn epoch(day: Day) -> i32 {
        day.to_epoch_days()
    }
}

/// The answer of the engine as one number, so that loop and engine can be compared.
pub fn checksum(session: &Session, query: &str) -> i128 {
    let reply = session.ask(query).expect("the query can be answered");
    let vembra::Answer::Summary(summary) = reply.answer else { return 0 };
    let physicals = |value: &Scalar| value.physical().unwrap_or(0);
    summary.lines.iter().flat_map(|l| &l.cells).map(|c| physicals(&c.value)).sum()
}

/// A line of what the system knows of this process, in MB.
pub fn memory(line: &str) -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let found = status.lines().find_map(|l| l.strip_prefix(line)).unwrap_or_default();
    found.trim_matches(|c: char| !c.is_ascii_digit()).parse::<f64>().unwrap_or(0.0) / 1024.0
}
