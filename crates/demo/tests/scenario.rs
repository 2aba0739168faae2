//! What the demo's data must hold, so that every job has something to show: looked up in the files themselves.
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

use std::collections::{BTreeMap, BTreeSet};
use vembra_demo::{Company, FILES, MODEL, ORDERS, tables, write_to};

/// The rows of a file by the names of their columns. Names with commas stand in quotes.
struct File {
    columns: Vec<String>,
    rows: Vec<Vec<String>>,
}

fn fields(line: &str) -> Vec<String> {
    let (mut fields, mut field, mut quoted) = (Vec::new(), String::new(), false);
    let mut chars = line.chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '"' if quoted && chars.peek() == Some(&'"') => field.extend(chars.next()),
            '"' => quoted = !quoted,
            ',' | ';' if !quoted => fields.push(std::mem::take(&mut field)),
            _ => field.push(c),
        }
    }
    fields.push(field);
    fields
}

impl File {
    fn of(files: &BTreeMap<String, String>, name: &str) -> Self {
        let text = files.get(name).unwrap_or_else(|| panic!("there is no {name}: {:?}", files.keys()));
        let mut lines = text.lines();
        let columns = fields(lines.next().unwrap());
        let rows: Vec<Vec<String>> = lines.map(fields).collect();
        assert!(rows.iter().all(|r| r.len() == columns.len()), "{name} is ragged");
        Self { columns, rows }
    }

    fn column(&self, name: &str) -> Vec<&str> {
        let at = self
            .columns
            .iter()
            .position(|c| c == name)
            .unwrap_or_else(|| panic!("no {name}: {:?}", self.columns));
        self.rows.iter().map(|row| row[at].as_str()).collect()
    }
}

fn files(orders: usize) -> BTreeMap<String, String> {
    let written = tables(&Company::new(orders)).unwrap();
    written.into_iter().map(|(name, bytes)| (name, String::from_utf8(bytes).unwrap())).collect()
}

fn set<'a>(values: &[&'a str]) -> BTreeSet<&'a str> {
    values.iter().copied().collect()
}

#[test]
fn the_same_bytes_each_time_and_as_many_orders_as_asked() {
    assert_eq!(files(300), files(300));
    for orders in [1, 50, 1_000] {
        let files = files(orders);
        let lines = File::of(&files, "order_line");
        assert_eq!(set(&lines.column("order_no")).len(), orders);
        // As many lines as are gone through one by one.
        let mut counted = 0;
        Company::new(orders).each_line(&mut |_| counted += 1);
        assert_eq!(lines.rows.len(), counted);
    }
}

#[test]
fn keys_are_keys_and_links_lead_somewhere_but_for_the_faults_to_be_found() {
    let files = files(ORDERS);
    for (file, key) in
        [("customer", "code"), ("product", "sku"), ("order_time", "order_no"), ("holiday", "day")]
    {
        let keys = File::of(&files, file);
        let keys = keys.column(key);
        assert_eq!(set(&keys).len(), keys.len(), "{file}.{key}");
        assert!(keys.iter().all(|k| !k.is_empty()), "{file}.{key}");
    }
    let lines = File::of(&files, "order_line");
    let customers = File::of(&files, "customer");
    let products = File::of(&files, "product");
    let known = |keys: &[&str], from: &[&str]| {
        let known = set(from);
        keys.iter().filter(|k| !known.contains(**k)).count()
    };
    assert_eq!(known(&lines.column("customer_code"), &customers.column("code")), 0);
    assert_eq!(
        known(&lines.column("sku"), &products.column("sku")),
        3,
        "three lines whose goods nobody knows"
    );
    assert_eq!(known(&lines.column("order_no"), &File::of(&files, "order_time").column("order_no")), 0);
    // One customer without a region, one whose code starts with zeros, and names that need care.
    assert_eq!(customers.column("region").iter().filter(|r| r.is_empty()).count(), 1);
    assert!(customers.column("code").iter().any(|c| c.starts_with('0')));
    let names = customers.column("name");
    for mark in [',', '"'] {
        assert!(names.iter().any(|n| n.contains(mark)), "no name with {mark}");
    }
    assert!(names.iter().any(|n| !n.is_ascii()));
    // One product and one customer that were never sold to anybody, or anything.
    let unsold = |keys: &[&str], from: &[&str]| known(keys, from);
    assert!(unsold(&products.column("sku"), &lines.column("sku")) >= 1);
    assert!(unsold(&customers.column("code"), &lines.column("customer_code")) >= 1);
}

#[test]
fn orders_have_a_season_a_growth_and_a_past() {
    let files = files(ORDERS);
    let lines = File::of(&files, "order_line");
    let (ordered, shipped, due) =
        (lines.column("ordered_on"), lines.column("shipped_on"), lines.column("due_on"));
    assert!(ordered.iter().all(|d| ("2023-01-01"..="2025-11-30").contains(d)));
    let mut by_month: BTreeMap<&str, usize> = BTreeMap::new();
    let mut by_year: BTreeMap<&str, usize> = BTreeMap::new();
    for day in &ordered {
        *by_month.entry(&day[5..7]).or_default() += 1;
        *by_year.entry(&day[..4]).or_default() += 1;
    }
    assert!(by_month["05"] > 2 * by_month["01"], "spring is no peak: {by_month:?}");
    assert!(by_year["2024"] > by_year["2023"], "there is no growth: {by_year:?}");
    // Nothing leaves before it is ordered; some leaves late, some not at all, the newest mostly not yet.
    let pairs = || ordered.iter().zip(&shipped);
    assert!(pairs().all(|(o, s)| s.is_empty() || s >= o));
    assert!(shipped.iter().zip(&due).any(|(s, d)| !s.is_empty() && s > d));
    let missing = pairs().filter(|(_, s)| s.is_empty()).count();
    let missing_new = pairs().filter(|(o, s)| s.is_empty() && **o >= "2025-11-01").count();
    assert!(missing > missing_new && missing_new > 0, "{missing} of which {missing_new} are new");
    // Each order has one day and one customer, and one to nine lines.
    let mut of_order: BTreeMap<&str, BTreeSet<(&str, &str)>> = BTreeMap::new();
    let mut sizes: BTreeMap<&str, usize> = BTreeMap::new();
    for ((order, day), customer) in
        lines.column("order_no").into_iter().zip(&ordered).zip(lines.column("customer_code"))
    {
        of_order.entry(order).or_default().insert((day, customer));
        *sizes.entry(order).or_default() += 1;
    }
    assert!(of_order.values().all(|found| found.len() == 1));
    assert_eq!((sizes.values().min(), sizes.values().max()), (Some(&1), Some(&9)));
    // Customers come and go: some bought last in each year.
    let mut last: BTreeMap<&str, &str> = BTreeMap::new();
    for (customer, day) in lines.column("customer_code").into_iter().zip(&ordered) {
        let own = last.entry(customer).or_default();
        *own = (*own).max(*day);
    }
    for year in ["2023", "2024", "2025"] {
        assert!(last.values().any(|day| day.starts_with(year)), "nobody left in {year}");
    }
}

#[test]
fn money_has_two_decimals_and_some_orders_lose_some() {
    let files = files(ORDERS);
    let lines = File::of(&files, "order_line");
    let cents = |text: &str| {
        let (whole, part) = text.split_once('.').unwrap_or_else(|| panic!("{text} has no cents"));
        assert_eq!(part.len(), 2, "{text}");
        whole.parse::<i64>().unwrap() * 100 + part.parse::<i64>().unwrap()
    };
    let mut earned: BTreeMap<&str, i64> = BTreeMap::new();
    let columns = ["quantity", "unit_price", "unit_cost", "discount"].map(|name| lines.column(name));
    for (at, order) in lines.column("order_no").into_iter().enumerate() {
        let quantity: i64 = columns[0][at].parse().unwrap();
        let (price, cost, discount) = (cents(columns[1][at]), cents(columns[2][at]), cents(columns[3][at]));
        assert!(quantity > 0 && price > 0 && cost > 0 && (0..100).contains(&discount));
        *earned.entry(order).or_default() += quantity * (price * (100 - discount) - cost * 100);
    }
    let losing = earned.values().filter(|p| **p < 0).count();
    assert!(losing > 20 && losing * 3 < earned.len(), "{losing} of {} lose money", earned.len());
}

#[test]
fn files_are_written_as_they_are_named_by_the_model() {
    let folder = std::env::temp_dir().join(format!("vembra-demo-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    write_to(&Company::new(40), &folder).unwrap();
    for file in FILES {
        let path = folder.join(file);
        assert!(path.is_file(), "{file}");
        if path.extension().is_some_and(|e| e == "csv") {
            assert!(MODEL.contains(&format!("'{file}'")), "the model does not name {file}");
        }
    }
    std::fs::remove_dir_all(&folder).unwrap();
}
