//! Physical plans of the queries of the benchmark, on a small star of the same form: what is printed is followed by reading it, and what is
//! planned is what is done.

use vembra::{ColumnBuilder, Session, Stage, Table, Type};
use vembra_testing::Random;

const MODEL: &str = include_str!("../../bench/star/model.vembra");
const QUERIES: &str = include_str!("../../bench/star/queries.txt");
/// Lines enough for every choice to matter: tables of fewer rows are read whole.
const ORDERS: u64 = 24_000;

#[test]
fn plans_of_the_benchmark_are_as_reviewed_and_as_carried_out() {
    let session = star();
    let mut compared = 0;
    for pair in QUERIES.trim().split("\n\n") {
        let (name, query) = pair.split_once('\n').unwrap();
        // What is asked for again is denormalised, once.
        for _ in 0..2 {
            session.ask(query).unwrap_or_else(|error| panic!("{name}: {error}"));
        }
        let planned = session.query(query).stage(Stage::Physical).unwrap();
        let (_, done) = session.query(query).why().unwrap();
        let (planned_choices, done) = (choices(&planned), choices(&done));
        // Behind them a pass counts members that have a value and no line, if there are any.
        let same = done.len().min(planned_choices.len());
        assert_eq!(planned_choices, done[..same], "{name}");
        assert!(done.len() == same || query.contains(" during "), "{name}: {done:?}");
        compared += same;
        insta::with_settings!({
            prepend_module_to_snapshot => false,
            omit_expression => true,
            snapshot_path => "physical",
            description => query,
        }, {
            insta::assert_snapshot!(name.replace([' ', ','], "_"), planned);
        });
    }
    assert!(compared > 250, "{compared} lines");
}

/// What is chosen for each pass. Figures that are looked up are not known beforehand, nor how many rows and groups there are.
fn choices(text: &str) -> Vec<String> {
    let of_pass = text.lines().filter(|line| line.starts_with("   ") && !line.contains("folded"));
    let without_counts = of_pass.map(|line| {
        let line = line.split("; leaves").next().unwrap_or_default();
        let line = if line.starts_with("   where") && line.contains('[') {
            line.split("]: ").next().unwrap_or_default()
        } else {
            line
        };
        let mut kept = String::new();
        for c in line.chars().filter(|c| *c != ',') {
            if c.is_ascii_digit() {
                if !kept.ends_with('#') {
                    kept.push('#');
                }
            } else {
                kept.push(c);
            }
        }
        kept
    });
    without_counts.collect()
}

/// A column as it is filled.
struct Columns(Vec<(&'static str, ColumnBuilder)>);

impl Columns {
    fn new(columns: &[(&'static str, Type)]) -> Self {
        Self(columns.iter().map(|(name, ty)| (*name, ColumnBuilder::new(*ty))).collect())
    }

    fn number(&mut self, at: usize, value: u64) {
        self.0[at].1.push_physical(Some(value.into()));
    }

    fn text(&mut self, at: usize, value: &str) {
        self.0[at].1.push_text(Some(value));
    }

    fn table(self, rows: usize) -> Table {
        let columns = self.0.into_iter().map(|(name, column)| (name.to_owned(), column.finish().into()));
        Table { columns: columns.collect(), rows, origin: "made up".to_owned(), ..Table::default() }
    }
}

fn star() -> Session {
    let mut random = Random(7);
    let (customers, suppliers, products) = (ORDERS / 10, 100, ORDERS * 2 / 15);
    let order_line = order_lines(&mut random, (customers, suppliers, products));
    let session = Session::builder()
        .model_text("star.vembra", MODEL)
        .table("customer", people(&mut random, "Customer", customers))
        .table("supplier", people(&mut random, "Supplier", suppliers))
        .table("product", goods(&mut random, products))
        .table("interest", interests(&mut random, customers))
        .table("order_line", order_line);
    session.open().unwrap()
}

/// Customers or suppliers, with where they are.
fn people(random: &mut Random, name: &str, count: u64) -> Table {
    let columns = ["name", "town", "country", "region", "segment"].map(|name| (name, Type::Text));
    let mut table = Columns::new(&[&[("code", Type::Integer)], &columns[..]].concat());
    let regions = ["Northmoor", "Eastfen", "Southmere", "Westholt", "Midvale"];
    for code in 1..=count {
        let town = random.below(250);
        table.number(0, code);
        table.text(1, &format!("{name} {code:07}"));
        table.text(2, &format!("Town {town:03}"));
        table.text(3, &format!("Land {:02}", town % 25));
        table.text(4, regions[town as usize % 5]);
        table.text(5, random.pick(&["Club", "Farm", "Shop", "Home", "Garden"]));
    }
    table.table(count as usize)
}

fn goods(random: &mut Random, count: u64) -> Table {
    let columns = ["name", "category", "family", "kind"].map(|name| (name, Type::Text));
    let mut table = Columns::new(&[&[("sku", Type::Integer)], &columns[..]].concat());
    for sku in 1..=count {
        let family = random.below(25);
        table.number(0, sku);
        table.text(1, &format!("Product {sku:07}"));
        table.text(2, &format!("Category {}", family / 5));
        table.text(3, &format!("Family {family:02}"));
        table.text(4, &format!("Kind {:03}", random.below(150)));
    }
    table.table(count as usize)
}

fn interests(random: &mut Random, customers: u64) -> Table {
    let mut table = Columns::new(&[("customer_code", Type::Integer), ("topic", Type::Text)]);
    let mut rows = 0;
    for code in 1..=customers {
        for topic in ["Honey", "Wax", "Queens", "Tools"] {
            if random.below(10) < 3 {
                table.number(0, code);
                table.text(1, topic);
                rows += 1;
            }
        }
    }
    table.table(rows)
}

/// The lines of orders, in the order of their numbers.
fn order_lines(random: &mut Random, (customers, suppliers, products): (u64, u64, u64)) -> Table {
    let numbers = ["order_no", "line_no", "customer_code", "supplier_code", "sku"];
    let days = ["ordered_on", "shipped_on", "due_on", "received_on"];
    let amounts = ["quantity", "price", "discount", "tax"];
    let mut columns = numbers.map(|name| (name, Type::Integer)).to_vec();
    columns.extend(days.map(|name| (name, Type::Date)));
    columns.extend(amounts.map(|name| (name, Type::Decimal(2))));
    columns.extend(["priority", "mode", "returned"].map(|name| (name, Type::Text)));
    let (mut table, mut rows) = (Columns::new(&columns), 0);
    // The days from 2019-01-01 on.
    let first_day = 17_897;
    for order in 1..=ORDERS {
        let (customer, ordered) = (1 + random.below(customers), first_day + random.below(2_405));
        let priority = random.pick(&["1 urgent", "2 high", "3 medium", "4 low", "5 none"]);
        for line in 1..=1 + random.below(7) {
            let shipped = ordered + 1 + random.below(121);
            let quantity = 1 + random.below(50);
            let received = shipped + 1 + random.below(30);
            let keys = [
                order * 4 + order % 3,
                line,
                customer,
                1 + random.below(suppliers),
                1 + random.below(products),
            ];
            let days = [ordered, shipped, ordered + 30 + random.below(61), received];
            let price = (90_000 + random.below(110_000)) * quantity;
            let amounts = [100 * quantity, price, random.below(11), random.below(9)];
            keys.iter()
                .chain(&days)
                .chain(&amounts)
                .enumerate()
                .for_each(|(at, value)| table.number(at, *value));
            table.text(13, priority);
            table.text(14, random.pick(&["Air", "Mail", "Rail", "Ship", "Truck", "Collect", "Foot"]));
            table.text(15, if received <= 19_160 { random.pick(&["A", "R"]) } else { "N" });
            rows += 1;
        }
    }
    table.table(rows)
}
