//! A figure over a detail says how many rows have no key of it, in memory and on a server. By hand, over five sales of two customers.

use crate::database::servers;
use vembra::{Answer, Session};

const MODEL: &str = "dimension customers from 'customers.csv' key customer\nfact sales from 'sales.csv'\n\
                     link sales.customer to customers\n\
                     measure total = sum(sales.amount)\n\
                     measure per_customer = avg(total per customers.customer)\n\
                     measure per_known = avg(total per customers.customer) where customers.name is not null\n";
const SALES: &str = "order_id,customer,amount\n1,1,10.00\n2,1,20.00\n3,,5.00\n4,9,7.00\n5,2,8.00\n";

fn here() -> Session {
    Session::builder()
        .model_text("m.vembra", MODEL)
        .csv_text("customers", "customer,name\n1,Ann\n2,Bob\n")
        .csv_text("sales", SALES)
        .open()
        .unwrap()
}

/// The notes V422 of an answer.
fn told(session: &Session, query: &str) -> Vec<String> {
    let reply = session.ask(query).unwrap_or_else(|error| panic!("{query}: {error}"));
    let notes = reply.notes.iter().filter(|note| note.code == "V422");
    notes.map(|note| note.message.clone()).collect()
}

/// Queries, and what is told of each.
const CASES: [(&str, Option<&str>); 12] = [
    (
        "show per_customer",
        Some(
            "1 row has no customers.customer, named (none), and 1 row has a customers.customer that its table lacks, named (unknown)",
        ),
    ),
    (
        "show per_customer where amount > 5",
        Some("1 row has a customers.customer that its table lacks, named (unknown)"),
    ),
    ("show per_customer where amount < 6", Some("1 row has no customers.customer, named (none)")),
    ("show avg(total per sales.customer) as x", Some("1 row has no sales.customer, named (none)")),
    (
        "show count(rows of sales) as n, median(total per customers.name) as x",
        Some(
            "1 row has no customers.name, named (none), and 1 row has a customers.name that its table lacks, named (unknown)",
        ),
    ),
    // Where nothing is missing, where a sum does not tell them apart, and where a condition or an axis speaks of them.
    ("show per_customer where amount >= 8", None),
    ("show sum(total per customers.customer) as x", None),
    ("show per_known", None),
    ("show per_customer where customers.customer is not null", None),
    ("rows customers.customer show per_customer", None),
    ("show avg(total per customers.customer where customers.customer is not null) as x", None),
    ("rows customers.name show total", None),
];

#[test]
fn rows_without_a_key_are_told() {
    let here = here();
    for (query, wanted) in CASES {
        let wanted: Vec<String> =
            wanted.iter().map(|said| format!("{said}: they make up a value of the detail")).collect();
        assert_eq!(told(&here, query), wanted, "{query}");
    }
}

#[test]
fn they_are_told_on_a_server() {
    let here = here();
    for mut place in servers("keyless") {
        place.store(&here, "customers");
        place.store(&here, "sales");
        let there = Session::builder().model_text("m.vembra", place.served(MODEL)).open().unwrap();
        for (query, _) in CASES {
            assert_eq!(told(&there, query), told(&here, query), "{query} on {}", place.name());
        }
    }
}

/// The first figure of each line of an answer.
fn figures(session: &Session, query: &str) -> Vec<String> {
    let reply = session.ask(query).unwrap_or_else(|error| panic!("{query}: {error}"));
    let Answer::Summary(summary) = reply.answer else { panic!("{query}: no summary") };
    summary.lines.iter().map(|line| line.cells[0].value.to_string()).collect()
}

/// Customer 1 has 30, customer 2 has 8; 5 without a customer and 7 of one that is not known are one value of 12.
const FIGURES: [(&str, &[&str]); 6] = [
    ("show count(total per customers.customer) as x", &["3"]),
    ("show median(total per customers.customer) as x", &["12"]),
    ("show min(total per customers.name) as x", &["8.00"]),
    // A column of the fact knows both keys.
    ("show count(total per sales.customer) as x", &["4"]),
    ("rows customers.name show max(total per customers.customer) as x", &["30.00", "8.00", "5.00", "7.00"]),
    ("show count(rows of sales where (total per customers.customer) = 12) as x", &["2"]),
];

#[test]
fn rows_without_a_key_are_one_value_of_the_detail() {
    let here = here();
    for (query, wanted) in FIGURES {
        assert_eq!(figures(&here, query), wanted, "{query}");
    }
    for mut place in servers("keyless_figures") {
        place.store(&here, "customers");
        place.store(&here, "sales");
        let there = Session::builder().model_text("m.vembra", place.served(MODEL)).open().unwrap();
        for (query, wanted) in FIGURES {
            assert_eq!(figures(&there, query), wanted, "{query} on {}", place.name());
        }
    }
}
