//! Every figure of every summary that the documents ask for is explained, and the explanation agrees with the answer; and
//! what an explanation says, on rows few enough to count by hand.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use vembra::Session;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// A query with the values that it is given, and who asks.
type Asked = (String, Vec<String>, Option<String>);

/// The summaries that the documents ask of the demo.
fn queries() -> BTreeSet<Asked> {
    let mut queries = BTreeSet::new();
    for name in ["README.md", "docs/reference.md", "docs/guide.md"] {
        let text = std::fs::read_to_string(root().join(name)).unwrap();
        for line in text.lines() {
            let Some(rest) = line.strip_prefix("$ vembra ask demo/bees.vembra \"") else { continue };
            let Some((query, options)) = rest.rsplit_once('"') else { continue };
            let words: Vec<&str> = options.split_whitespace().collect();
            let behind = |option: &str| {
                let found = words.windows(2).filter(move |pair| pair[0] == option);
                found.map(|pair| pair[1].to_owned()).collect::<Vec<_>>()
            };
            if !query.starts_with("list") {
                let viewer = behind("--viewer").into_iter().next();
                queries.insert((query.to_owned(), behind("--given"), viewer));
            }
        }
    }
    queries
}

#[test]
fn every_figure_of_the_documents_is_explained_as_it_is_answered() {
    let everyone = Session::open(root().join("demo/bees.vembra")).unwrap();
    let north = everyone.seen_by("sarrow_desk").unwrap();
    let left = Mutex::new(queries());
    let counts = Mutex::new((0, 0));
    let work = || {
        loop {
            let Some((query, given, viewer)) = left.lock().unwrap().pop_first() else { return };
            let session = if viewer.is_some() { &north } else { &everyone };
            let given: Vec<(&str, &str)> = given.iter().filter_map(|g| g.split_once('=')).collect();
            // Queries that are wrong on purpose have nothing to explain.
            if session.query(&query).given_all(given.iter().copied()).ask().is_err() {
                continue;
            }
            let explained = session
                .query(&query)
                .given_all(given.iter().copied())
                .explain_all()
                .unwrap_or_else(|f| panic!("{query}: {f}"));
            for why in &explained {
                assert!(why.agrees, "{query}\n{}", why.text());
            }
            let mut counts = counts.lock().unwrap();
            counts.0 += 1;
            counts.1 += explained.len();
        }
    };
    std::thread::scope(|scope| {
        scope.spawn(work);
        work();
    });
    let (queries, figures) = *counts.lock().unwrap();
    assert!(queries >= 37 && figures >= 500, "{queries} queries, {figures} figures");
}

fn small() -> Session {
    let model = "calendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale'\n\
        link sale.ordered_on to calendar as ordered default\nlink sale.shipped_on to calendar as shipped\n\
        measure sales = sum(amount)\n    label 'Sales'\nmeasure shops = count(distinct shop)\n\
        measure average = avg(sales per shop)\nviewer north sees only sale.shop = 'North'\n";
    let sales = "shop,ordered_on,shipped_on,amount\nNorth,2025-01-10,2025-01-20,100\nNorth,2025-02-10,2025-03-01,40\n\
        South,2025-02-11,,60\nSouth,2025-04-30,2025-04-30,-20\n";
    Session::builder().model_text("m.vembra", model).csv_text("sale", sales).open().unwrap()
}

fn told(query: &str, cell: &str) -> String {
    small().query(query).explain(cell, None).map_or_else(|f| f.to_string(), |why| why.text())
}

#[test]
fn a_figure_tells_its_conditions_its_role_and_its_rows() {
    assert_eq!(
        told(
            "rows calendar.month show (sales via shipped) as shipped where sale.amount > 0",
            "month = '2025-03'"
        ),
        "\
shipped at calendar.month 2025-03: 40

sales via shipped  →  40
  sales = sum(amount)  →  40
    4 rows of sale; calendar by shipped (asked for)
    3 rows  sale.amount > 0 (the query)
     1 row  calendar.month is 2025-03 (the cell)

Worked out a second time, row by row: the same as in the answer.
"
    );
}

#[test]
fn an_empty_cell_tells_which_condition_removed_the_last_row() {
    let text = told("rows calendar.month show sales where sale.amount > 50", "calendar.month = '2025-04'");
    assert!(text.starts_with("Sales at calendar.month 2025-04: no value\n"), "{text}");
    assert!(text.contains("no row is left since: calendar.month is 2025-04 (the cell)"), "{text}");
    assert!(text.ends_with("The answer has no such line: no row stands there.\n"), "{text}");
    // A month without a line has no place in a running sum, whether other months have lines or none has.
    for least in [50, 500] {
        let query = format!(
            "rows calendar.month show running(sales by calendar.month) as r where sale.amount > {least}"
        );
        let text = told(&query, "calendar.month = '2025-04'");
        assert!(text.starts_with("r at calendar.month 2025-04: no value\n"), "{text}");
    }
    let none = told("show sales where sale.amount > 500", "");
    assert!(none.contains("no row is left since: sale.amount > 500 (the query)"), "{none}");
}

#[test]
fn a_total_that_does_not_add_up_names_who_counts_more_than_once() {
    let text = told("rows calendar.month show shops", "");
    // North stands in January and February, South in February and April.
    assert!(text.contains("2 count once here but stand on several lines:"), "{text}");
    assert!(text.contains("North: 2025-01; 2025-02") && text.contains("South: 2025-02; 2025-04"), "{text}");
    assert!(text.contains("not the sum of its lines: each shop counts once"), "{text}");
}

#[test]
fn own_details_tell_their_keys_and_a_few_of_them() {
    let text = told("show average", "");
    // North 140, South 40: 90 on average.
    assert!(text.starts_with("average: 90.00\n"), "{text}");
    assert!(text.contains("over 2 values, one per sale.shop:\n    North: 140\n    South: 40\n"), "{text}");
}

#[test]
fn limits_are_told_and_rows_are_given() {
    let north = small().seen_by("north").unwrap();
    let why =
        north.query("rows calendar.month show sales").explain("month = '2025-02'", Some("Sales")).unwrap();
    assert!(why.text().contains("north sees only sale.shop = 'North'"), "{}", why.text());
    let rows = north.explained_rows(&why).unwrap();
    // Numbers of lines would tell how many others lie between them.
    assert_eq!(rows.header, ["shop", "ordered_on", "shipped_on", "amount"]);
    assert_eq!(rows.rows, [["North", "2025-02-10", "2025-03-01", "40"]]);
    let everyone = small();
    let why = everyone.query("rows calendar.month show sales").explain("month = '2025-02'", None).unwrap();
    let rows = everyone.explained_rows(&why).unwrap();
    assert_eq!((rows.header[0].as_str(), rows.rows[0][0].as_str()), ("line", "3"));
}

#[test]
fn what_cannot_be_explained_says_why() {
    let cases = [
        ("list shop from sale", "", "V390"),
        ("rows calendar.month show sales", "calendar.year = 2025", "V392"),
        ("rows calendar.month show sales", "calendar.month = '2031-01'", "V393"),
        ("rows sale.shop, calendar.month show sales", "calendar.month = '2025-01'", "V394"),
        ("rows calendar.month show sales", "2025-01", "V395"),
        ("rows calendar.moth show sales", "", "V203"),
    ];
    for (query, cell, code) in cases {
        let said = told(query, cell);
        assert!(said.contains(code) && said.contains("help"), "{query} / {cell}: {said}");
    }
    let figure = small().query("show sales").explain("", Some("sals")).unwrap_err().to_string();
    assert!(figure.contains("V391") && figure.contains("did you mean sales?"), "{figure}");
}
