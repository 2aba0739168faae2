//! The judge is judged: answers of the plain evaluator over eight sales, each worked out by hand from the reference manual.
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

#[path = "../../model/tests/common/mod.rs"]
mod common;

use vembra_engine::{Column, ColumnBuilder, Member, Table};
use vembra_plan::{Period, Scalar, Type, call, civil};
use vembra_reference::{Data, answer, rows};

const MODEL: &str = "\
calendar from '2024-01-01' to '2025-12-31'
dimension shop from 'shop' key code
dimension area from 'area' key no
fact sale from 'sale'
fact taste from 'taste'
bridge taste.code to shop
link sale.code to shop
link shop.area to area
link sale.ordered_on to calendar as ordered default
link sale.shipped_on to calendar as shipped
column sale.value = pieces * price
measure total = sum(value)
measure orders = count(distinct order_no)
measure mean_order = avg(total per order_no)
";

/// Orders 1 to 5; order 1 has two lines, and order 3 too. The last sale has a shop that nobody knows, the one before it none.
const SALES: &str = "\
1 A 2024-01-10 2024-01-20 2 1.50
1 A 2024-01-10 2024-02-05 1 4.00
2 B 2024-02-15 2024-02-16 3 2.00
3 A 2024-03-01 - 1 10.00
3 A 2024-03-01 2024-03-02 - 1.00
4 C 2025-01-05 2025-01-06 5 0.50
5 - 2025-02-01 2025-02-01 1 3.00
6 Z 2025-02-01 2025-03-01 2 2.50";
const SHOPS: &str = "A n1\nB n1\nC s1\nD s1";
const AREAS: &str = "n1 North\ns1 South";
const TASTES: &str = "A sweet\nA sour\nC sweet";

const SALE: [(&str, Type); 6] = [
    ("order_no", Type::Integer),
    ("code", Type::Text),
    ("ordered_on", Type::Date),
    ("shipped_on", Type::Date),
    ("pieces", Type::Integer),
    ("price", Type::Decimal(2)),
];
const SHOP: [(&str, Type); 2] = [("code", Type::Text), ("area", Type::Text)];
const AREA: [(&str, Type); 2] = [("no", Type::Text), ("region", Type::Text)];
const TASTE: [(&str, Type); 2] = [("code", Type::Text), ("word", Type::Text)];

fn table(columns: &[(&str, Type)], text: &str) -> Table {
    let lines: Vec<Vec<&str>> = text.lines().map(|l| l.split(' ').collect()).collect();
    let column = |at: usize, ty: Type| -> Column {
        let mut builder = ColumnBuilder::new(ty);
        for line in &lines {
            let value = if line[at] == "-" { Scalar::Null } else { call::parse(line[at], ty).unwrap() };
            builder.push(&value);
        }
        builder.finish()
    };
    let columns =
        columns.iter().enumerate().map(|(at, (name, ty))| ((*name).to_owned(), column(at, *ty).into()));
    Table { columns: columns.collect(), rows: lines.len(), origin: "by hand".to_owned(), ..Table::default() }
}

/// A table: its name, its columns, and its rows.
type Named = (&'static str, &'static [(&'static str, Type)], &'static str);

struct Star {
    names: common::Star,
    data: Data,
}

impl Star {
    fn new() -> Self {
        let named: [Named; 4] = [
            ("shop", &SHOP, SHOPS),
            ("area", &AREA, AREAS),
            ("sale", &SALE, SALES),
            ("taste", &TASTE, TASTES),
        ];
        let shapes = named.map(|(name, columns, _)| common::shape(name, columns));
        let (model, sources, said) = common::resolved(MODEL, &shapes);
        assert!(said.is_empty(), "{said:?}");
        let tables: Vec<Table> = model
            .schema
            .tables
            .iter()
            .map(|def| {
                let found = named.iter().find(|(name, ..)| *name == def.name);
                found.map(|(_, columns, text)| table(columns, text)).unwrap_or_default()
            })
            .collect();
        let day = |text| civil::parse_date(text).unwrap();
        let tables: Vec<&Table> = tables.iter().collect();
        let data = Data::new(&model, &tables, (day("2024-01-01"), day("2025-12-31"))).unwrap();
        Self { names: common::Star { model, sources }, data }
    }

    /// The lines of a summary: members, a colon, figures; in the order of their members.
    fn lines(&self, query: &str) -> Vec<String> {
        let bound = self.names.summary(query);
        let member = |m: &Member| m.to_string();
        let mut lines: Vec<String> = answer(&self.names.model, &self.data, &bound)
            .unwrap()
            .iter()
            .map(|line| {
                let members: Vec<String> = line.members.iter().map(member).collect();
                let values: Vec<String> = line
                    .values
                    .iter()
                    .map(|v| if v.is_null() { "-".to_owned() } else { v.to_string() })
                    .collect();
                format!("{}: {}", members.join(" "), values.join(" ")).trim_start_matches(": ").to_owned()
            })
            .collect();
        lines.sort();
        lines
    }

    /// The figures of a query without axes.
    fn figure(&self, figure: &str) -> String {
        self.lines(&format!("show ({figure}) as f")).join("; ")
    }
}

#[test]
fn aggregates_over_all_sales() {
    let star = Star::new();
    // Values: 3.00, 4.00, 6.00, 10.00, none, 2.50, 3.00, 5.00; pieces: 2, 1, 3, 1, none, 5, 1, 2.
    for (figure, want) in [
        ("total", "33.50"),
        ("sum(pieces)", "15"),
        ("count(rows of sale)", "8"),
        ("count(pieces)", "7"),
        ("count(distinct pieces)", "4"),
        ("min(value)", "2.50"),
        ("max(value)", "10.00"),
        ("avg(pieces)", "2.142857142857143"),
        ("median(pieces)", "2"),
        ("percentile(pieces, 0.75)", "2.5"),
        ("orders", "6"),
        ("count(distinct code)", "4"),
        ("any(pieces > 4)", "true"),
        ("every(pieces > 1)", "false"),
        ("listagg(distinct code, '+')", "A+B+C+Z"),
        ("first(price by ordered_on)", "1.50"),
        ("last(value by ordered_on)", "3.00"),
        ("variance(pieces where pieces < 3)", "0.3"),
        ("sum(pieces where price > 2)", "5"),
        ("sum(pieces) where price > 2", "5"),
        ("max(ordered_on) - min(ordered_on)", "388"),
        ("sum(value where code = 'nobody')", "-"),
        ("count(rows of sale where code = 'nobody')", "0"),
    ] {
        assert_eq!(star.figure(figure), want, "{figure}");
    }
}

#[test]
fn lines_of_members_of_none_and_of_unknown_ones() {
    let star = Star::new();
    assert_eq!(
        star.lines("rows area.region show total, orders totals on rows"),
        ["(none): 3.00 1", "(unknown): 5.00 1", "North: 23.00 3", "South: 2.50 1", "Total: 33.50 6"]
    );
    assert_eq!(star.lines("rows shop.code show total where area.region = 'North'"), ["A: 17.00", "B: 6.00"]);
    // A condition on what is none or unknown is not met, nor is its contrary.
    assert_eq!(star.figure("total where area.region <> 'North'"), "2.50");
    assert_eq!(star.figure("total where area.region is null"), "8.00");
}

#[test]
fn roles_share_an_axis_or_have_their_own() {
    let star = Star::new();
    assert_eq!(
        star.lines("rows calendar.month show total, (total via shipped) as s"),
        [
            "(none): - 10.00",
            "2024-01: 7.00 3.00",
            "2024-02: 6.00 10.00",
            "2024-03: 10.00 -",
            "2025-01: 2.50 2.50",
            "2025-02: 8.00 3.00",
            "2025-03: - 5.00",
        ]
    );
    assert_eq!(
        star.lines("rows ordered.year, shipped.month show total"),
        [
            "2024 (none): 10.00",
            "2024 2024-01: 3.00",
            "2024 2024-02: 10.00",
            "2024 2024-03: -",
            "2025 2025-01: 2.50",
            "2025 2025-02: 3.00",
            "2025 2025-03: 5.00",
        ]
    );
}

#[test]
fn details_are_fixed_before_they_are_summed() {
    let star = Star::new();
    // Orders: 7.00, 6.00, 10.00, 2.50, 3.00, 5.00.
    for (figure, want) in [
        ("mean_order", "5.583333333333333"),
        ("max(total per order_no)", "10.00"),
        ("count(total per order_no where (total per order_no) > (mean_order per cell))", "3"),
        // 33.50 over three shops, and one value of the sales without a shop or of one that is not known.
        ("avg(total per shop.code)", "8.375"),
        ("max(avg(total per order_no) per area.region)", "7.666666666666667"),
        ("sum(value where value > (avg(value) overall))", "21.00"),
        ("min(count(rows of sale) per order_no)", "1"),
        ("count(rows of sale where (count(rows of sale) per order_no) > 1)", "4"),
    ] {
        assert_eq!(star.figure(figure), want, "{figure}");
    }
    assert_eq!(
        star.lines("rows area.region show mean_order totals on rows"),
        ["(none): 3", "(unknown): 5", "North: 7.666666666666667", "South: 2.5", "Total: 5.583333333333333"]
    );
}

#[test]
fn what_is_forgotten_and_what_is_kept() {
    let star = Star::new();
    assert_eq!(
        star.lines("rows shop.code show total, (total pooling area.region) as p, (total pooling all but (area.region)) as k where area.region = 'North'"),
        ["A: 17.00 23.00 23.00", "B: 6.00 23.00 23.00"]
    );
    assert_eq!(
        star.lines("rows shop.code show (total regardless of area.region) as r, (total overall) as o where area.region = 'North'"),
        ["A: 33.50 33.50", "B: 33.50 33.50"]
    );
    assert_eq!(
        star.lines(
            "rows area.region, shop.code show share(total among shop.code) as s where area.region = 'North'"
        ),
        ["North A: 0.7391304347826086", "North B: 0.2608695652173913"]
    );
    assert_eq!(
        star.lines("rows calendar.year, calendar.month show (total pooling calendar.month) as p where calendar.year = 2025"),
        ["2025 2025-01: 10.50", "2025 2025-02: 10.50"]
    );
}

#[test]
fn date_ranges_of_the_calendar() {
    let star = Star::new();
    assert_eq!(
        star.lines(
            "rows calendar.month show total, (total during year to date) as y, (total during 1 month earlier) as m, \
             (total during 1 year earlier) as e, (total during last 2 months) as two, (total during all before) as b \
             where calendar.month between '2024-01' and '2024-03'"
        ),
        [
            "2024-01: 7.00 7.00 - - 7.00 -",
            "2024-02: 6.00 13.00 7.00 - 13.00 7.00",
            "2024-03: 10.00 23.00 6.00 - 16.00 13.00",
        ]
    );
    assert_eq!(
        star.lines("rows calendar.year show (total during 1 year earlier) as e, (total during whole year) as w, (total during previous quarter) as q"),
        ["2024: - 23.00 -", "2025: 23.00 10.50 -"]
    );
    // The end of a cell is its last day, whatever is forgotten.
    assert_eq!(
        star.lines("rows calendar.month show (count(rows of sale where ordered_on <= cell_end(calendar) and (shipped_on > cell_end(calendar) or shipped_on is null)) regardless of calendar) as open where calendar.year = 2024"),
        ["2024-01: 1", "2024-02: 0", "2024-03: 1"]
    );
}

#[test]
fn lines_that_are_chosen_and_what_looks_along_them() {
    let star = Star::new();
    assert_eq!(
        star.lines("rows shop.code show total top 2 shop.code by total, rest as 'Other' totals on rows"),
        ["A: 17.00", "B: 6.00", "Other: 10.50", "Total: 33.50"]
    );
    assert_eq!(
        star.lines("rows shop.code show total having total > 4"),
        ["(unknown): 5.00", "A: 17.00", "B: 6.00"]
    );
    assert_eq!(
        star.lines("rows shop.code show rank(total among shop.code) as r, running(total by total descending) as u where area.region is not null"),
        ["A: 1 17.00", "B: 2 23.00", "C: 3 25.50"]
    );
    assert_eq!(
        star.lines("rows calendar.year show lag(total by calendar.year) as l, total"),
        ["2024: - 23.00", "2025: 23.00 10.50"]
    );
}

#[test]
fn one_row_under_several_members_counts_once_in_their_total() {
    let star = Star::new();
    assert_eq!(
        star.lines("rows taste.word show total totals on rows"),
        ["(none): 9.00", "(unknown): 5.00", "Total: 33.50", "sour: 17.00", "sweet: 19.50"]
    );
    assert_eq!(star.figure("total where taste.word = 'sweet'"), "19.50");
    assert_eq!(star.figure("total where taste.word = 'sweet' and shop.code = 'A'"), "17.00");
}

#[test]
fn totals_know_whether_they_are_sums_of_their_lines() {
    let star = Star::new();
    let told = |query: &str| {
        let bound = star.names.summary(query);
        let lines = answer(&star.names.model, &star.data, &bound).unwrap();
        let total = lines.into_iter().find(|l| l.members.iter().all(|m| *m == Member::All)).unwrap();
        total.adds_up
    };
    assert_eq!(
        told("rows shop.code show total, orders, mean_order totals on rows"),
        [Some(true), Some(true), Some(false)]
    );
    // Order 1 was shipped in two months.
    assert_eq!(told("rows shipped.month show total, orders totals on rows"), [Some(true), Some(false)]);
    assert_eq!(told("rows taste.word show total totals on rows"), [Some(false)]);
}

#[test]
fn single_rows_in_their_order() {
    let star = Star::new();
    let listed = |query: &str| {
        let bound = star.names.query(query).unwrap_or_else(|codes| panic!("{query}: {codes:?}"));
        let found = rows(&star.names.model, &star.data, &bound).unwrap();
        let line = |row: Vec<Scalar>| {
            row.iter()
                .map(|v| if v.is_null() { "-".to_owned() } else { v.to_string() })
                .collect::<Vec<_>>()
                .join(" ")
        };
        found.into_iter().map(line).collect::<Vec<_>>()
    };
    assert_eq!(
        listed("list order_no, value from sale where value > 3 sort value descending"),
        ["3 10.00", "2 6.00", "6 5.00", "1 4.00"]
    );
    // Rows without a value come last in both directions; equal ones stay in the order of the file.
    assert_eq!(listed("list order_no from sale where order_no in (1, 3) sort value"), ["1", "1", "3", "3"]);
    assert_eq!(
        listed("list code, area.region from shop sort code descending limit 2"),
        ["D South", "C South"]
    );
    assert_eq!(
        listed("list order_no, (total per order_no) as t, shipped.month from sale where code = 'A'"),
        ["1 7.00 2024-01", "1 7.00 2024-02", "3 10.00 -", "3 10.00 2024-03"]
    );
    let months = Type::Period(Period::Month);
    assert_eq!(call::parse("2024-01", months).unwrap().to_string(), "2024-01");
}
