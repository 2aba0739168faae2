//! The tour: what the demo company's figures look like, as text and as a page.
//!
//! A newcomer's first command waits for no more of the product than this needs: neither readers of other formats than delimited text, nor
//! servers, nor the rasteriser. The `vembra` command shows the same.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

use std::io;
use vembra::{Error, Layout, Session, SessionBuilder};
use vembra_demo::Company;

/// The queries of the tour, each with what it shows.
const STOPS: [(&str, &str); 9] = [
    ("Plain figures, side by side.", "show revenue, orders, units, margin"),
    (
        "One measure by three dates, on one axis. Rows without a ship date are listed as (none).",
        "rows calendar.year show revenue, (revenue via shipped) as shipped, (revenue via due) as due totals on rows",
    ),
    (
        "Two dates as two axes: ordered in one quarter, shipped in another.",
        "rows ordered.quarter columns shipped.quarter show sum(quantity) where ordered.year = 2024",
    ),
    (
        "A total that is not the sum of its lines says so.",
        "rows customer.segment columns calendar.year show buyers totals on rows, on columns",
    ),
    (
        "Orders, revenue and margin where discounts were high.",
        "rows product.category, product.family show orders, revenue, margin where discount >= 0.3 \
         sort revenue descending totals on rows first",
    ),
    (
        "Year to date, growth on the same days a year earlier, and a share of what is shown.",
        "rows calendar.quarter show revenue, revenue_to_date, growth, share(revenue among all) as part \
         where calendar.year = 2025 totals on rows",
    ),
    (
        "Does the whole order mix categories? A detail of its own, whatever a query filters.",
        "rows product.category columns order_line.order_kind show revenue where product.category is not null",
    ),
    (
        "The best two customers of each segment, and all others as one line.",
        "rows customer.segment, customer.name show revenue, rank(revenue among customer.name) as place \
         top 2 customer.name by revenue within customer.segment, rest as 'all others' sort revenue descending",
    ),
    (
        "Single rows.",
        "list order_no, placed_at, customer.name, product.name, quantity, net from order_line \
         where ordered.date = '2025-11-28' sort net descending limit 5",
    ),
];

/// What opens a session over the demo's tables in memory.
///
/// # Errors
/// Nothing that can happen in memory.
pub fn builder(company: &Company) -> io::Result<SessionBuilder> {
    let builder = Session::builder().model_text("bees.vembra", vembra_demo::MODEL);
    let tables = vembra_demo::tables(company)?;
    Ok(tables.into_iter().fold(builder, |builder, (table, csv)| builder.csv_bytes(table, csv)))
}

/// Each query of the tour with its answer.
///
/// # Errors
/// When a query has no answer, which would be a fault of the program.
pub fn text(session: &Session) -> Result<String, Error> {
    let mut text = "Marrowfield Apiary Supply, a made-up wholesaler of beekeeping goods.\n".to_owned();
    for (title, query) in STOPS {
        let reply = session.ask(query)?;
        text.push_str(&format!("\n{title}\n\n  > {query}\n\n{}", reply.text(Layout::Grid)));
    }
    Ok(text)
}

/// The page that the tour ends with, as HTML.
///
/// # Errors
/// When a figure of it has no answer, which would be a fault of the program.
pub fn page(session: &Session) -> Result<String, Error> {
    Ok(session.page("overview", &[])?.html())
}
