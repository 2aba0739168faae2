//! Figures over tables of which too many rows live on a server to be fetched: what is told of them there is what the plain evaluator tells
//! of the same rows in memory, as far as rows are not told one by one.

use crate::database::servers;
use crate::documented;
use vembra::{ExplainedStep, Explanation, SecondWay, Session};

const MODEL: &str = "\
calendar from '2024-01-01' to '2025-12-31'
dimension shop from 'shop.csv' key code
fact sale from 'sale.csv'
link sale.shop to shop
link sale.ordered_on to calendar as ordered default
link sale.shipped_on to calendar as shipped
measure revenue = sum(amount * pieces)
measure units = sum(sale.pieces)
measure price = revenue / units
measure share = revenue / (revenue overall)
";

const ROWS: usize = 5_000;

fn here() -> Session {
    let mut sale = "shop,kind,ordered_on,shipped_on,amount,pieces\n".to_owned();
    for n in 0..ROWS {
        let day = |n: usize| format!("2025-{:02}-{:02}", n % 12 + 1, n % 28 + 1);
        let shipped = if n % 11 == 0 { String::new() } else { day(n + 5) };
        let (shop, kind) = (n % 5, ["A", "B", "C"][n / 7 % 3]);
        sale += &format!("S{shop},{kind},{},{shipped},{}.{:02},{}\n", day(n), n % 90, n % 100, n % 4);
    }
    let shop = "code,region\nS0,North\nS1,North\nS2,South\nS3,\n";
    let model = MODEL.replace(".csv", "");
    Session::builder()
        .model_text("m.vembra", model)
        .csv_text("sale", sale)
        .csv_text("shop", shop)
        .open()
        .unwrap()
}

/// Cells of queries: totals, conditions of all kinds, other roles and days, details, ranks, chosen lines.
const CELLS: [(&str, &str); 12] = [
    ("show price", ""),
    ("rows shop.region show price where sale.kind <> 'B'", "shop.region = 'North'"),
    ("rows shop.region show share where sale.kind <> 'B'", "shop.region = 'North'"),
    ("rows calendar.month show (revenue via shipped) where sale.kind = 'A'", "calendar.month = '2025-04'"),
    ("rows calendar.month show (revenue during previous month)", "calendar.month = '2025-04'"),
    (
        "rows shop.region, sale.kind show sum(amount where pieces > 1) as large",
        "shop.region = 'South', kind = 'A'",
    ),
    ("rows shop.region show avg(revenue per sale.kind) as mean", "shop.region = 'North'"),
    ("rows shop.region show rank(revenue among shop.region) as place", "shop.region = 'South'"),
    ("rows shop.code show revenue top 2 shop.code by revenue having revenue > 100", "shop.code = 'S2'"),
    (
        "rows shop.code show count(distinct sale.kind) as kinds where calendar.quarter = '2025-Q2' and shop.region = 'North'",
        "shop.code = 'S1'",
    ),
    (
        "rows shop.region show revenue where shop.region = 'North' or shop.region is null",
        "shop.region = '(none)'",
    ),
    ("rows shop.region show (revenue where sale.kind = 'A') / revenue as part totals on rows", ""),
];

/// What two explanations must have in common.
fn compared(there: &Explanation, here: &Explanation, at: &str) {
    assert_eq!((&there.figure, &there.cell, &there.value), (&here.figure, &here.cell, &here.value), "{at}");
    assert!(there.agrees, "{at}: {}", there.text());
    assert_eq!(there.second_way, SecondWay::PlainStatement, "{at}");
    compared_steps(&there.step, &here.step, at);
}

fn compared_steps(there: &ExplainedStep, here: &ExplainedStep, at: &str) {
    assert_eq!((&there.text, &there.value), (&here.text, &here.value), "{at}");
    assert_eq!(there.behind.is_some(), here.behind.is_some(), "{at}");
    if let (Some(own), Some(wanted)) = (&there.behind, &here.behind) {
        assert_eq!((&own.table, own.all, own.left), (&wanted.table, wanted.all, wanted.left), "{at}");
        assert_eq!(own.roles, wanted.roles, "{at}");
        // Tests may be told together, with what is left behind all of them.
        let mut open = wanted.tests.iter();
        for (text, left) in &own.tests {
            for part in text.split("; ") {
                let (wanted, after) = open.next().unwrap_or_else(|| panic!("{at}: {part}"));
                assert_eq!(part, wanted, "{at}");
                if text.ends_with(part) {
                    assert_eq!(left, after, "{at}: {text}");
                }
            }
        }
        assert!(open.next().is_none(), "{at}");
    }
    let keys = |step: &ExplainedStep| step.keys.as_ref().map(|keys| (keys.keys.clone(), keys.count));
    assert_eq!(keys(there), keys(here), "{at}");
    assert_eq!(there.steps.len(), here.steps.len(), "{at}: {there:?}");
    there.steps.iter().zip(&here.steps).for_each(|(own, wanted)| compared_steps(own, wanted, at));
}

/// All cells of the documented queries, as far as a server answers them.
#[test]
fn documented_figures_are_explained_where_their_rows_live() {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/bees.vembra");
    let mut places = servers("documented_figures");
    if places.is_empty() {
        return;
    }
    let here = Session::open(root).unwrap();
    let model = std::fs::read_to_string(root).unwrap();
    // The plain evaluator needs its time: some queries of each chapter.
    let queries: Vec<(String, Vec<Explanation>)> = documented::queries()
        .into_iter()
        .skip(2)
        .step_by(11)
        .filter_map(|query| Some((query.clone(), here.query(&query).explain_all().ok()?)))
        .filter(|(_, cells)| cells.len() < 100)
        .collect();
    assert!(queries.len() > 3, "{} queries", queries.len());
    for place in &mut places {
        for table in model.split('\'').filter_map(|part| part.strip_suffix(".csv")) {
            place.store(&here, table);
        }
        let text = place.served(&model) + "column target.month: month\n";
        let there = Session::builder().model_text("bees.vembra", text).fetch(0).open().unwrap();
        let mut compares = 0;
        for (query, wanted) in &queries {
            let at = format!("{}: {query}", place.name());
            let own = match there.query(query).explain_all() {
                Ok(own) => own,
                Err(error) if error.to_string().contains("[V649]") => continue,
                Err(error) => panic!("{at}: {error}"),
            };
            assert_eq!(own.len(), wanted.len(), "{at}");
            own.iter().zip(wanted).for_each(|(own, wanted)| compared(own, wanted, &at));
            compares += own.len();
        }
        assert!(compares > 20, "{compares} figures on {}", place.name());
    }
}

#[test]
fn many_rows_are_explained_where_they_live() {
    let mut places = servers("explained");
    if places.is_empty() {
        return;
    }
    let here = here();
    for place in &mut places {
        ["sale", "shop"].iter().for_each(|table| place.store(&here, table));
        let there =
            Session::builder().model_text("m.vembra", place.served(MODEL)).fetch(ROWS - 1).open().unwrap();
        for (query, cell) in CELLS {
            let at = format!("{}: {query} at {cell}", place.name());
            let explain = |session: &Session| session.query(query).explain(cell, None);
            let wanted = explain(&here).unwrap_or_else(|e| panic!("{at}: {e}"));
            let own = explain(&there).unwrap_or_else(|e| panic!("{at}: {e}"));
            compared(&own, &wanted, &at);
            assert!(there.explained_rows(&own).is_none(), "{at}: rows stay there");
        }
        let told = there.query(CELLS[1].0).explain(CELLS[1].1, None).unwrap().text();
        insta::assert_snapshot!("many_rows_explained", told);
        // Of many cells each tells all of its steps.
        let all = there.query("rows calendar.date show price, share").explain_all().unwrap();
        assert_eq!(all.len(), 2 * 84, "84 days, two figures each");
        assert!(all.iter().all(|e| e.agrees && e.step.steps.len() == 2), "{:?}", all.last());
        let none = there.query("rows shop.region show price").explain("shop.region = 'West'", None);
        let none = none.unwrap_err().to_string();
        assert!(none.contains("[V397]") && none.contains("no line at shop.region West"), "{none}");
    }
}
