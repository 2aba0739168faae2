//! Tables large enough for what is only done with many rows: parts read apart, groups found by order, slots or hashing, a link turned
//! round. Plain loops over the same rows say what is right; sales in the order of their bill, and shuffled.

use std::collections::{BTreeMap, BTreeSet};
use vembra::{Answer, Layout, Session};

const MODEL: &str = "
calendar from '2025-01-01' to '2025-01-28'
fact sale from 'sale.csv'
dimension product from 'product.csv' key sku
dimension buyer from 'buyer.csv' key code
link sale.sku to product
link sale.code to buyer
link sale.opened to calendar
measure amount = sum(cents)
";
const ROWS: usize = 70_000;
const PRODUCTS: usize = 700;
const BUYERS: usize = 9_000;

/// Numbers that look random and are the same each time.
struct Random(u64);

impl Random {
    fn below(&mut self, bound: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % bound
    }
}

struct Sale {
    bill: usize,
    sku: usize,
    code: usize,
    cents: i64,
}

struct Shop {
    sales: Vec<Sale>,
    session: Session,
}

fn area(code: usize) -> usize {
    code % 7
}

/// Ninety buyers are in a club, and some in none.
fn club(code: usize) -> String {
    if code % 50 == 49 { String::new() } else { format!("Club {}", code / 90) }
}

/// The day of January on which a bill was opened, and the one on which it was closed.
fn days(bill: usize) -> (usize, usize) {
    (bill % 20 + 1, bill % 20 + 1 + bill % 7)
}

fn shop(shuffled: bool) -> Shop {
    let mut random = Random(5);
    let mut sales = Vec::new();
    for bill in 0.. {
        let code = random.below(BUYERS);
        for _ in 0..=random.below(4) {
            sales.push(Sale {
                bill,
                sku: random.below(PRODUCTS),
                code,
                cents: random.below(900) as i64 - 90,
            });
        }
        if sales.len() >= ROWS {
            break;
        }
    }
    if shuffled {
        for at in (1..sales.len()).rev() {
            sales.swap(at, random.below(at + 1));
        }
    }
    let mut sale = "bill,sku,code,cents,opened,closed\n".to_owned();
    for s in &sales {
        let (opened, closed) = days(s.bill);
        let day = |day| format!("2025-01-{day:02}");
        sale += &format!("{},{},{},{},{},{}\n", s.bill, s.sku, s.code, s.cents, day(opened), day(closed));
    }
    let mut product = "sku,name,rack\n".to_owned();
    (0..PRODUCTS).for_each(|sku| product += &format!("{sku},Thing {sku},{}\n", sku % 11));
    let mut buyer = "code,area,club\n".to_owned();
    (0..BUYERS).for_each(|code| buyer += &format!("{code},Area {},{}\n", area(code), club(code)));
    let session = Session::builder()
        .model_text("shop.vembra", MODEL)
        .csv_text("sale", sale)
        .csv_text("product", product)
        .csv_text("buyer", buyer)
        .open()
        .unwrap();
    Shop { sales, session }
}

impl Shop {
    /// The lines of an answer, distinguished by all but their last cell.
    fn asked(&self, query: &str) -> BTreeMap<String, String> {
        let answer = self.session.ask(query).unwrap_or_else(|e| panic!("{query}\n{e}"));
        let csv = answer.csv(Layout::Tidy).unwrap();
        let pair = |line: &str| {
            line.rsplit_once(',').map_or((String::new(), line.to_owned()), |(k, v)| (k.into(), v.into()))
        };
        csv.lines().skip(1).map(pair).collect()
    }

    /// Sums of cents by what tells sales apart, of those that are taken.
    fn sums(&self, take: impl Fn(&Sale) -> bool, key: impl Fn(&Sale) -> String) -> BTreeMap<String, i64> {
        let mut sums = BTreeMap::new();
        for sale in self.sales.iter().filter(|s| take(s)) {
            *sums.entry(key(sale)).or_default() += sale.cents;
        }
        sums
    }

    /// The answer to a query is these sums.
    fn gives(&self, query: &str, take: impl Fn(&Sale) -> bool, key: impl Fn(&Sale) -> String) {
        let wanted: BTreeMap<String, String> =
            self.sums(take, key).into_iter().map(|(key, sum)| (key, sum.to_string())).collect();
        let found = self.asked(query);
        let odd = wanted.iter().find(|(key, sum)| found.get(*key) != Some(*sum));
        assert!(
            odd.is_none() && found.len() == wanted.len(),
            "{query}: {} lines, not {}; {odd:?}",
            found.len(),
            wanted.len()
        );
    }
}

#[test]
fn groups_are_told_apart_whatever_the_order_of_the_rows() {
    for shop in [shop(false), shop(true)] {
        let all = |_: &Sale| true;
        shop.gives("rows bill show amount", all, |s| s.bill.to_string());
        // The buyer and its area follow from the bill, the product does not.
        shop.gives("rows buyer.area, bill show amount", all, |s| format!("Area {},{}", area(s.code), s.bill));
        shop.gives("rows bill, sku show amount", all, |s| format!("{},{}", s.bill, s.sku));
        shop.gives("rows code, sku show amount", all, |s| format!("{},{}", s.code, s.sku));
        shop.gives("rows buyer.area, product.rack show amount", all, |s| {
            format!("Area {},{}", area(s.code), s.sku % 11)
        });
        // Few rows are left of many possible groups.
        shop.gives(
            "rows bill, code show amount where product.rack = 3 and cents > 600",
            |s| s.sku % 11 == 3 && s.cents > 600,
            |s| format!("{},{}", s.bill, s.code),
        );
    }
}

#[test]
fn few_rows_are_the_same_the_first_time_and_once_their_link_was_turned_round() {
    for shop in [shop(false), shop(true)] {
        for _ in 0..6 {
            let query = "rows buyer.area show amount where product.name in ('Thing 5', 'Thing 17', 'Nothing') and cents > 0";
            let take = |s: &Sale| (s.sku == 5 || s.sku == 17) && s.cents > 0;
            shop.gives(query, take, |s| format!("Area {}", area(s.code)));
            shop.gives(
                "rows bill show amount where product.name = 'Thing 5'",
                |s| s.sku == 5,
                |s| s.bill.to_string(),
            );
        }
        assert!(shop.asked("rows bill show amount where product.name = 'Nothing'").is_empty());
        let (_, told) = shop.session.query("show amount where product.name = 'Thing 5'").why().unwrap();
        let rows = shop.sales.iter().filter(|s| s.sku == 5).count();
        assert!(
            told.contains(&format!("sale: {rows} of ")) && told.contains("by the reverse index of sale.sku"),
            "{told}"
        );
    }
}

/// What rows reach is looked up at first, and kept as codes once it is asked for again; a club is so small that its rows are listed then.
#[test]
fn what_rows_reach_is_the_same_once_it_is_kept_with_them() {
    for shop in [shop(false), shop(true)] {
        for _ in 0..7 {
            shop.gives("rows buyer.area show amount", |_| true, |s| format!("Area {}", area(s.code)));
            let in_area = |s: &Sale| [2, 3, 6].contains(&area(s.code));
            let query = "rows product.rack show amount where buyer.area in ('Area 2', 'Area 3', 'Area 6')";
            shop.gives(query, in_area, |s| (s.sku % 11).to_string());
            let query = "rows buyer.area show amount where buyer.club = 'Club 7' or buyer.area = 'Area 4'";
            let either = |s: &Sale| club(s.code) == "Club 7" || area(s.code) == 4;
            shop.gives(query, either, |s| format!("Area {}", area(s.code)));
            let query = "rows buyer.area show amount where buyer.club = 'Club 7' and cents > 0";
            let take = |s: &Sale| club(s.code) == "Club 7" && s.cents > 0;
            shop.gives(query, take, |s| format!("Area {}", area(s.code)));
            let query = "rows code show amount where buyer.club is null";
            shop.gives(query, |s| club(s.code).is_empty(), |s| s.code.to_string());
        }
        let of_club = shop.sales.iter().filter(|s| club(s.code) == "Club 7").count();
        assert_eq!(rows_read(&shop.session, "show amount where buyer.club = 'Club 7'"), [of_club]);
    }
}

#[test]
fn figures_over_bills_are_those_of_plain_loops() {
    for shop in [shop(false), shop(true)] {
        let of_bills = shop.sums(|_| true, |s| s.bill.to_string());
        let largest = of_bills.values().max().unwrap().to_string();
        assert_eq!(shop.asked("show max(amount per bill) as x")[""], largest);
        let over: i64 = of_bills.values().filter(|sum| **sum > 1_000).count() as i64;
        assert_eq!(
            shop.asked("show count(amount per bill where (amount per bill) > 1000) as n")[""],
            over.to_string()
        );
        // Different bills and products of each buyer, of many buyers and of few areas.
        for (axis, key) in [
            ("code", (|s| s.code.to_string()) as fn(&Sale) -> String),
            ("buyer.area", |s| format!("Area {}", area(s.code))),
        ] {
            let mut different: BTreeMap<String, BTreeSet<usize>> = BTreeMap::new();
            for sale in &shop.sales {
                different.entry(key(sale)).or_default().insert(sale.bill);
            }
            let wanted: BTreeMap<String, String> =
                different.into_iter().map(|(key, bills)| (key, bills.len().to_string())).collect();
            assert_eq!(shop.asked(&format!("rows {axis} show count(distinct bill) as n")), wanted);
        }
        let mut cents: Vec<i64> = shop.sales.iter().map(|s| s.cents).collect();
        cents.sort_unstable();
        let middle = (cents[(cents.len() - 1) / 2] + cents[cents.len() / 2]) as f64 / 2.0;
        assert!((shop.asked("show median(cents) as m")[""].parse::<f64>().unwrap() - middle).abs() < 1e-9);
        // The ten bills that brought most, equal ones too.
        let mut sums: Vec<i64> = of_bills.values().copied().collect();
        sums.sort_unstable_by(|a, b| b.cmp(a));
        let first = shop.asked("rows bill show amount top 10 bill by amount with ties");
        let wanted: BTreeMap<String, String> = of_bills
            .iter()
            .filter(|(_, sum)| **sum >= sums[9])
            .map(|(bill, sum)| (bill.clone(), sum.to_string()))
            .collect();
        assert_eq!(first, wanted);
    }
}

#[test]
fn the_first_rows_of_a_list_are_those_of_the_whole_list_in_order() {
    for shop in [shop(false), shop(true)] {
        let mut wanted: Vec<&Sale> = shop.sales.iter().filter(|s| s.sku != 3).collect();
        wanted.sort_by(|a, b| b.cents.cmp(&a.cents).then_with(|| area(a.code).cmp(&area(b.code))));
        for count in [0, 1, 40, 100_000] {
            let query = format!(
                "list bill, sku, cents from sale sort cents descending, buyer.area limit {count} where sku <> 3"
            );
            let csv = shop.session.ask(&query).unwrap().csv(Layout::Tidy).unwrap();
            let found: Vec<String> = csv.lines().skip(1).map(str::to_owned).collect();
            let wanted: Vec<String> =
                wanted.iter().take(count).map(|s| format!("{},{},{}", s.bill, s.sku, s.cents)).collect();
            assert!(found == wanted, "{count}: {:?}, not {:?}", found.first(), wanted.first());
        }
    }
}

#[test]
fn cells_with_bounds_of_their_own_read_the_rows_once() {
    for shop in [shop(false), shop(true)] {
        let query = "rows calendar.date show (sum(cents where opened <= cell_end(calendar) and closed > cell_end(calendar)) \
                     regardless of calendar) as open";
        let wanted: BTreeMap<String, String> = (1..=20)
            .map(|day| {
                let open = shop.sales.iter().filter(|s| (days(s.bill).0..days(s.bill).1).contains(&day));
                let cents: Vec<i64> = open.map(|s| s.cents).collect();
                (format!("2025-01-{day:02}"), cents.iter().sum::<i64>().to_string())
            })
            .collect();
        assert_eq!(shop.asked(query), wanted);
        let (_, told) = shop.session.query(query).why().unwrap();
        assert!(told.contains("by what the conditions of cells ask for"), "{told}");
        assert!(told.contains("sale was read twice"), "for its days and for all their cells: {told}");
    }
}

#[test]
fn lines_are_chosen_from_groups_that_are_known() {
    for shop in [shop(false), shop(true)] {
        let query = "rows bill show amount having amount > 1500";
        let wanted: BTreeMap<String, String> = shop
            .sums(|_| true, |s| s.bill.to_string())
            .into_iter()
            .filter(|(_, sum)| *sum > 1_500)
            .map(|(bill, sum)| (bill, sum.to_string()))
            .collect();
        assert!(wanted.len() > 100, "{}", wanted.len());
        assert_eq!(shop.asked(query), wanted);
        let (_, told) = shop.session.query(query).why().unwrap();
        assert!(told.contains("sale was read once"), "{told}");
    }
}

/// Members that a choice leaves to the rest are put together from groups that are known: no row is read again for them.
#[test]
fn the_rest_of_a_choice_comes_from_groups_that_are_known() {
    for shop in [shop(false), shop(true)] {
        let rack = |sale: &Sale| sale.sku % 11;
        let mut by_rack: BTreeMap<usize, Vec<(i64, usize)>> = BTreeMap::new();
        for (key, sum) in shop.sums(|_| true, |s| format!("{} {}", rack(s), area(s.code))) {
            let (rack, area) = key.split_once(' ').unwrap();
            by_rack.entry(rack.parse().unwrap()).or_default().push((sum, area.parse().unwrap()));
        }
        let mut wanted: BTreeMap<String, String> = BTreeMap::new();
        for (rack, mut areas) in by_rack {
            areas.sort_by_key(|(sum, area)| (-sum, *area));
            for (sum, area) in &areas[..2] {
                wanted.insert(format!("{rack},Area {area}"), sum.to_string());
            }
            let rest: i64 = areas[2..].iter().map(|(sum, _)| sum).sum();
            wanted.insert(format!("{rack},Others"), rest.to_string());
        }
        let query = "rows product.rack, buyer.area show amount top 2 buyer.area by amount within product.rack, rest as 'Others'";
        assert_eq!(shop.asked(query), wanted);
        let (_, told) = shop.session.query(query).why().unwrap();
        assert!(told.contains("sale was read once"), "{told}");
    }
}

/// What two figures read of the same rows is read once, also where one of them is grouped by the same key twice.
#[test]
fn figures_of_the_same_rows_read_them_once() {
    for shop in [shop(false), shop(true)] {
        let mut opened: BTreeMap<usize, BTreeSet<usize>> = BTreeMap::new();
        for sale in &shop.sales {
            opened.entry(sale.code).or_default().insert(days(sale.bill).0);
        }
        let mut wanted: BTreeMap<String, i64> = BTreeMap::new();
        for (code, days) in &opened {
            let mut days = days.iter();
            if let (Some(first), Some(second)) = (days.next(), days.next()) {
                *wanted.entry(format!("Area {}", area(*code))).or_default() += (second - first) as i64;
            }
        }
        let wanted: BTreeMap<String, String> =
            wanted.into_iter().map(|(area, days)| (area, days.to_string())).collect();
        let query = "rows buyer.area show sum((min(opened where opened > (min(opened) per code)) - min(opened)) per code) as gap";
        assert_eq!(shop.asked(query), wanted);
        let (_, told) = shop.session.query(query).why().unwrap();
        assert!(told.contains("sale was read 3 times"), "{told}");
    }
}

/// How many rows of sales were read, by what the answer tells of itself.
fn rows_read(session: &Session, query: &str) -> Vec<usize> {
    let (_, why) = session.query(query).why().unwrap();
    // `1. sale: 700 of 70,002 rows, …` or `1. sale: 70,002 rows, …`
    let lines = why.lines().filter_map(|line| line.split_once(". sale: ").map(|(_, rest)| rest.to_owned()));
    let number = |text: &str| text.replace(',', "").parse::<usize>().unwrap();
    lines.map(|rest| number(rest.split(' ').next().unwrap_or_default().trim_end_matches(','))).collect()
}

/// The lines of a bill have one buyer and one day: where these stand together, only the first of them is read for what the same again does not
/// change.
#[test]
fn lines_that_say_the_same_as_the_one_before_them_are_read_once() {
    for shuffled in [false, true] {
        let shop = shop(shuffled);
        let mut wanted: BTreeMap<String, (BTreeSet<usize>, usize)> = BTreeMap::new();
        for sale in &shop.sales {
            let own = wanted.entry(format!("2025-01-{:02}", days(sale.bill).0)).or_default();
            own.0.insert(sale.code);
            own.1 = own.1.max(sale.code);
        }
        let of = |told: fn(&(BTreeSet<usize>, usize)) -> usize| -> BTreeMap<String, String> {
            wanted.iter().map(|(day, own)| (day.clone(), told(own).to_string())).collect()
        };
        let query = "rows calendar.date show count(distinct sale.code) as buyers";
        assert_eq!(shop.asked(query), of(|own| own.0.len()));
        assert_eq!(shop.asked("rows calendar.date show max(sale.code) as last"), of(|own| own.1));
        let all = shop.sales.len();
        let same = |two: &[Sale]| (two[0].code, days(two[0].bill).0) == (two[1].code, days(two[1].bill).0);
        let changing = all - shop.sales.windows(2).filter(|two| same(two)).count();
        assert_eq!(rows_read(&shop.session, query), [if shuffled { all } else { changing }]);
        let (_, told) = shop.session.query(query).why().unwrap();
        assert_eq!(told.contains("reads the first row of each run"), !shuffled, "{told}");
        // A sum needs each of them.
        assert_eq!(rows_read(&shop.session, "rows calendar.date show amount"), [all]);
    }
}

/// What a figure is for the products of a rack that were sold.
type OfSkus = fn(&BTreeSet<usize>) -> String;

#[test]
fn one_sale_of_each_product_says_what_all_of_them_say() {
    for shuffled in [false, true] {
        let shop = shop(shuffled);
        // How many products of a rack were sold, the first and the last of them by name, and whether one has a high number.
        let mut sold: BTreeMap<usize, BTreeSet<usize>> = BTreeMap::new();
        shop.sales.iter().for_each(|s| {
            sold.entry(s.sku % 11).or_default().insert(s.sku);
        });
        let name = |sku: &usize| format!("Thing {sku}");
        let cases: [(&str, OfSkus); 5] = [
            ("count(distinct sale.sku)", |skus| skus.len().to_string()),
            ("count(distinct product.name from sale)", |skus| skus.len().to_string()),
            ("min(product.name from sale)", |skus| skus.iter().map(|s| format!("Thing {s}")).min().unwrap()),
            ("max(sale.sku)", |skus| skus.iter().max().unwrap().to_string()),
            ("any(product.sku > 690 from sale)", |skus| skus.iter().any(|s| *s > 690).to_string()),
        ];
        for (figure, want) in cases {
            let query = format!("rows product.rack show ({figure}) as f");
            let wanted: BTreeMap<String, String> =
                sold.iter().map(|(rack, skus)| (rack.to_string(), want(skus))).collect();
            assert_eq!(shop.asked(&query), wanted, "{query}");
            assert!(rows_read(&shop.session, &query).iter().all(|read| *read <= PRODUCTS), "{query}");
        }
        // What else than the product says something is read of all rows.
        let query = "rows product.rack show count(distinct sale.sku where cents > 0) as f";
        let mut paid: BTreeMap<String, BTreeSet<usize>> = BTreeMap::new();
        shop.sales.iter().for_each(|s| {
            let skus = paid.entry((s.sku % 11).to_string()).or_default();
            skus.extend((s.cents > 0).then_some(s.sku));
        });
        let wanted: BTreeMap<String, String> =
            paid.into_iter().map(|(rack, skus)| (rack, skus.len().to_string())).collect();
        assert_eq!(shop.asked(query), wanted);
        assert!(rows_read(&shop.session, query).contains(&shop.sales.len()));
        // Under a condition on the product too; and by a figure of the product.
        let dear: BTreeMap<usize, i64> = {
            let mut sums = BTreeMap::new();
            shop.sales.iter().for_each(|s| *sums.entry(s.sku).or_default() += s.cents);
            sums
        };
        let wanted = dear.iter().filter(|(sku, sum)| name(sku).ends_with('3') && **sum > 35_000).count();
        let query = "show count(distinct sale.sku where (amount per sale.sku) > 35000) as f where product.name like '%3'";
        assert_eq!(shop.asked(query), BTreeMap::from([(String::new(), wanted.to_string())]));
    }
}

#[test]
fn reading_ends_where_all_groups_are_seen_and_not_before() {
    let session = |last: &str| {
        let mut sale = "bill,sku,code,cents,opened\n".to_owned();
        for at in 0..80_000_usize {
            // All areas but one are seen at once; the last one has its only sale in the last row.
            let code = if at % 6 == 5 { 7 } else { at % 6 };
            sale += &format!("{at},{},{code},5,2025-01-{:02}\n", at % 30, at % 28 + 1);
        }
        sale += last;
        let buyers: String = (0..7).map(|code| format!("{code},Area {}\n", area(code))).collect();
        Session::builder()
            .model_text("shop.vembra", MODEL)
            .csv_text("sale", sale)
            .csv_text(
                "product",
                (0..30).fold("sku,name,rack\n".to_owned(), |t, sku| t + &format!("{sku},T,1\n")),
            )
            .csv_text("buyer", format!("code,area\n{buyers}7,Area 0\n"))
            .open()
            .unwrap()
    };
    // Lines come from another scan than the figure, which takes other days.
    let query =
        "rows buyer.area show (amount during 1 week earlier) as before where calendar.month = '2025-01'";
    let lines = |session: &Session| {
        let Answer::Summary(summary) = session.ask(query).unwrap().answer else { panic!("{query}") };
        summary.lines.iter().map(|l| l.rows[0].to_string()).collect::<Vec<_>>()
    };
    let plain = lines(&session(""));
    assert_eq!(plain, ["Area 0", "Area 1", "Area 2", "Area 3", "Area 4"]);
    for (last, more) in [
        ("80001,1,5,5,2025-01-28\n", "Area 5"),
        ("80001,1,,5,2025-01-28\n", "(none)"),
        ("80001,1,99,5,2025-01-28\n", "(unknown)"),
    ] {
        let found = lines(&session(last));
        assert!(found.contains(&more.to_owned()) && found.len() == 6, "{more}: {found:?}");
    }
    // Where nothing is missing, a few blocks show all of them.
    let read = rows_read(&session(""), query);
    assert!(read.iter().any(|rows| *rows < 80_000), "{read:?}");
}

#[test]
fn counts_of_customers_with_something_need_nothing_of_it() {
    let shop = shop(true);
    let mut bills: BTreeMap<usize, BTreeSet<usize>> = BTreeMap::new();
    let mut skus: BTreeMap<usize, BTreeSet<usize>> = BTreeMap::new();
    for s in &shop.sales {
        bills.entry(s.code).or_default().insert(s.bill);
        skus.entry(s.code).or_default().insert(s.sku);
    }
    let one = |query: &str| shop.asked(query).into_values().next().unwrap();
    assert_eq!(one("show count(count(distinct bill) per code) as n"), bills.len().to_string());
    let wanted = skus.values().filter(|skus| skus.len() == 3).count();
    let query =
        "show count((count(distinct bill)) per code where (count(distinct sale.sku) per code) = 3) as n";
    assert_eq!(one(query), wanted.to_string());
    // A count that is shown beside it is still worked out.
    let query =
        "show count((count(distinct bill)) per code) as n, max((count(distinct bill)) per code) as most";
    let most = bills.values().map(BTreeSet::len).max().unwrap();
    let csv = shop.session.ask(query).unwrap().csv(Layout::Tidy).unwrap();
    assert_eq!(csv.lines().nth(1), Some(format!("{},{most}", bills.len()).as_str()));
}
