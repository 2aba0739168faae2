//! Generated stars: several facts, roles, coarser links, dimensions behind dimensions, nulls, orphans, ties, and
//! now and then a table without rows.

use crate::Random;
use std::fmt::Write;
use vembra::inside::{BoundQuery, run};
use vembra::{Answer, ColumnBuilder, Options, Scalar, Session, Sources, Summary, Type};

/// The model of all generated stars.
pub(crate) const MODEL: &str = "
calendar from '2023-11-01' to '2025-02-28'
    fiscal year starts october
    working where weekday not in ('Saturday', 'Sunday') and day_off.why is null
fact sale from 'sale.csv'
fact visit from 'visit.csv'
fact goal from 'goal.csv'
dimension buyer from 'buyer.csv' key code
dimension item from 'item.csv' key line, no
dimension area from 'area.csv' key name
dimension quote from 'quote.csv' key line, no, since
dimension status from 'status.csv' key person, since
dimension day_off from 'day_off.csv' key day
link calendar.date to day_off
column day_off.day: date
column day_off.why: text
fact likes from 'likes.csv'
fact mark from 'mark.csv'
dimension topic from 'topic.csv' key word
bridge likes.who to buyer
bridge (mark.line, mark.no) to item
link likes.topic to topic
column likes.who: text
column likes.topic: text
column likes.since: date
column mark.line: text
column mark.no: integer
column mark.colour: text
column topic.word: text
column topic.kind: text
link sale.ordered to calendar as ordered default
link sale.shipped to calendar as shipped
link sale.paid_by to buyer as payer
link sale.sent_to to buyer as receiver default
link (sale.line, sale.no) to item
link (sale.line, sale.no, sale.ordered) to quote as of since until gone as ordered default
link (sale.line, sale.no, sale.shipped) to quote as of since until gone as shipped
link (visit.code, visit.seen_at) to status as of since
link visit.seen_at to calendar as ordered
link visit.code to buyer
link goal.month to calendar by month as ordered
link goal.area to area
link buyer.area to area
column sale.note: text
column buyer.mark: text
column sale.noted = cast(note as integer)
column sale.huge = quantity * 2000000000000000000
column buyer.marked = cast(mark as integer)
column sale.net = quantity * price * (1 - discount)
column sale.wait = shipped - ordered
column buyer.size = band(age, 20, 40)
column quote.line: text
column quote.no: integer
column quote.since: date
column quote.gone: date
column quote.listed: decimal
column status.person: text
column status.since: date
column status.rank: text
column sale.ordered: date
column sale.shipped: date
column sale.paid_by: text
column sale.sent_to: text
column sale.line: text
column sale.no: integer
column sale.quantity: integer
column sale.price: decimal
column sale.discount: decimal
column sale.weight: float
column visit.seen_at: moment
column visit.code: text
column visit.minutes: integer
column goal.month: month
column goal.area: text
column goal.amount: decimal
column buyer.code: text
column buyer.area: text
column buyer.age: integer
column buyer.vip: boolean
column item.line: text
column item.no: integer
column item.label: text
column area.name: text
column area.zone: text
hierarchy calendar.span = year, quarter, month
column buyer.first_sale = min(sale.ordered) per buyer.code
column buyer.second_sale = min(sale.ordered where sale.ordered > (min(sale.ordered) per buyer.code)) per buyer.code
column buyer.worth = band((sum(net) per buyer.code), 0, 50, 200)
column sale.by_big = (sum(net) per sent_to) > 60
    labels true 'big', false 'small'
column sale.off_list = quantity * (quote.listed - price)
column sale.part = net / (sum(net) per (sent_to, line))
link buyer.first_sale to calendar as first_sale
viewer northern sees only area.zone = 'north'
viewer elders sees only buyer.age >= 30 and buyer.vip
viewer clerk sees only item.no < 3
viewer topical sees only topic.kind = 'hot'
viewer marker sees only mark.colour = 'red'
viewer ranked sees only status.rank = 'high'
viewer quoted sees only quote.listed > 5
viewer newly sees only buyer.first_sale >= '2024-03-01'
viewer recent sees only calendar.date >= '2024-03-01'
viewer both sees only topic.kind = 'hot' and area.zone = 'north'
param floor: decimal default 10.00
param about: date default '2024-02-29'
derived buyer_sum key code = rows buyer.code show revenue, count(rows of sale) as n, max(sale.ordered) as last_one
derived many = list sale.ordered as day, sent_to, net from sale where quantity > 2
link sale.paid_by to buyer_sum
measure revenue = sum(net)
measure lines = count(rows of sale)
measure by_buyer = revenue per sent_to
measure mean_by_buyer = avg(by_buyer)
measure this_year = revenue during year to date
measure part_of_all = revenue / (revenue overall)
measure above = count(rows of sale where net > :floor)
measure revenue_shipped = revenue via shipped
measure big = sum(net where quantity > 3)
measure minutes_spent = sum(minutes)
measure goals = sum(amount)
measure mean_price = revenue / sum(quantity)
measure t_range(m) = m during year to date
measure t_growth(m) = (m - (m during 1 year earlier)) / (m during 1 year earlier)
measure t_part(m, a: attribute) = m / (m pooling a)
measure t_role(m, r: role) = (m via r) + (m regardless of calendar)
measure t_last(m, n: integer) = max((m per calendar.month) during last n months)
measure t_twice(m, a: attribute) = t_part(t_range(m), a) - t_range(t_part(m, a))
measure t_where(m, least: integer) = m where sale.quantity > least
";

/// The tables of a star as CSV.
pub(crate) struct Generated {
    tables: Vec<(&'static str, String)>,
}

impl Generated {
    pub(crate) fn session(&self, options: Options) -> Session {
        self.session_of(MODEL, options)
    }

    /// The same star, in which the largest weights are no numbers. No text says so, but tables of other programs do.
    pub(crate) fn session_with_nan(&self, options: Options) -> Session {
        let read = self.session(options.clone());
        let schema = &read.model().schema;
        let sale = schema.table_ids().find(|table| schema.table(*table).name == "sale").unwrap();
        let mut table = read.star().table(sale).unwrap().clone();
        for (_, column) in table.columns.iter_mut().filter(|(name, _)| name == "weight") {
            let mut weights = ColumnBuilder::new(Type::Float);
            for row in 0..table.rows {
                let weight = column.get().unwrap().scalar(row);
                let is_large = matches!(weight, Scalar::Float(weight) if weight > 3.0);
                weights.push(if is_large { &Scalar::Float(f64::NAN) } else { &weight });
            }
            *column = weights.finish().into();
        }
        let mut builder = Session::builder().model_text("generated.vembra", MODEL).options(options);
        for (name, csv) in &self.tables {
            builder = match *name {
                "sale" => builder.table("sale", table.clone()),
                _ => builder.csv_text(*name, csv.clone()),
            };
        }
        builder.open().unwrap_or_else(|failure| panic!("{failure}\n{}", self.text()))
    }

    /// The same star under another model.
    pub(crate) fn session_of(&self, model: &str, options: Options) -> Session {
        let mut builder = Session::builder().model_text("generated.vembra", model).options(options);
        for (name, csv) in &self.tables {
            builder = builder.csv_text(*name, csv.clone());
        }
        match builder.open() {
            Ok(session) => session,
            Err(failure) => panic!("{failure}\n{}", self.text()),
        }
    }

    /// The same star with each sale twice.
    pub(crate) fn doubled(&self) -> Self {
        self.with_sales(|rows| rows.iter().chain(rows).copied().collect())
    }

    /// The same star with its sales the other way round.
    pub(crate) fn reversed(&self) -> Self {
        self.with_sales(|rows| rows.iter().rev().copied().collect())
    }

    fn with_sales(&self, change: impl for<'a> Fn(&[&'a str]) -> Vec<&'a str>) -> Self {
        let changed = |name: &str, csv: &str| {
            let mut lines = csv.lines();
            let heading = lines.next().unwrap_or_default();
            let rows: Vec<&str> = lines.collect();
            if name != "sale" || rows.is_empty() {
                return csv.to_owned();
            }
            format!("{heading}\n{}\n", change(&rows).join("\n"))
        };
        Self { tables: self.tables.iter().map(|(name, csv)| (*name, changed(name, csv))).collect() }
    }

    /// The same star with the rows of all tables the other way round.
    pub(crate) fn turned(&self) -> Self {
        let turned = |csv: &str| {
            let mut lines = csv.lines();
            let heading = lines.next().unwrap_or_default();
            let rows: Vec<&str> = lines.rev().collect();
            std::iter::once(heading).chain(rows).map(|line| format!("{line}\n")).collect()
        };
        Self { tables: self.tables.iter().map(|(name, csv)| (*name, turned(csv))).collect() }
    }

    /// The tables by their names, as CSV.
    pub(crate) fn texts(&self) -> impl Iterator<Item = (&str, &str)> {
        self.tables.iter().map(|(name, csv)| (*name, csv.as_str()))
    }

    /// The names of the tables.
    pub(crate) fn names(&self) -> impl Iterator<Item = &str> {
        self.tables.iter().map(|(name, _)| *name)
    }

    /// The tables, to read them in a failure.
    pub(crate) fn text(&self) -> String {
        self.tables.iter().map(|(name, csv)| format!("{name}:\n{csv}")).collect()
    }

    /// The same star with its sales in one of several orders: as they came, by number, by day, or by receiver; of the last ones the
    /// payer follows from the receiver, now and then but for one sale.
    pub(crate) fn arranged(mut self, way: u64) -> Self {
        let Some((_, sale)) = self.tables.iter_mut().find(|(name, _)| *name == "sale") else { return self };
        let mut lines = sale.lines();
        let heading = lines.next().unwrap_or_default().to_owned();
        let mut rows: Vec<Vec<String>> = lines.map(|l| l.split(',').map(str::to_owned).collect()).collect();
        match way % 4 {
            1 => rows.sort_by(|a, b| a[5].cmp(&b[5])),
            2 => rows.sort_by(|a, b| a[0].cmp(&b[0])),
            3 => {
                rows.sort_by(|a, b| a[3].cmp(&b[3]));
                let odd = rows.len().checked_sub(1).filter(|_| way % 8 == 7);
                for (_, row) in rows.iter_mut().enumerate().filter(|(at, _)| Some(*at) != odd) {
                    let receiver = BUYERS.iter().position(|code| *code == row[3]);
                    row[2] = receiver.map_or(String::new(), |at| BUYERS[at / 2].to_owned());
                }
            }
            _ => {}
        }
        let rows: Vec<String> = rows.iter().map(|row| row.join(",")).collect();
        *sale = format!("{heading}\n{}\n", rows.join("\n"));
        self
    }
}

/// The answer of the plan as it was made, before any rewrite.
pub(crate) fn raw_answer(
    session: &Session,
    bound: &vembra::inside::BoundSummary,
    sources: &Sources,
) -> Summary {
    struct Nothing;
    impl vembra::inside::KnownValues for Nothing {
        fn values(&self, _: vembra::inside::ColumnId) -> Option<Vec<Scalar>> {
            None
        }
    }
    let query = BoundQuery::Summary(Box::new(bound.clone()));
    let (plan, _) = vembra::inside::plan(session.model(), sources, &query, &Nothing);
    let Some(plan) = plan else { panic!("the query lost its plan") };
    match run(session.star(), &plan, &Options::default()) {
        Ok(Answer::Summary(summary)) => summary,
        other => panic!("{other:?}"),
    }
}

const AREAS: [&str; 4] = ["Moor", "Fen", "Mere", "Holt"];
const BUYERS: [&str; 6] = ["01", "1", "7", "B", "c", "D d"];
const LINES: [&str; 2] = ["X", "Y"];

/// One of the values, or nothing in this many per cent of cases.
fn maybe(random: &mut Random, empty: usize, value: impl FnOnce(&mut Random) -> String) -> String {
    if random.chance(empty) { String::new() } else { value(random) }
}

fn day(random: &mut Random) -> String {
    // Some days lie outside the calendar; many are the same.
    [
        "2023-10-31",
        "2023-11-01",
        "2023-12-31",
        "2024-01-01",
        "2024-02-29",
        "2024-03-31",
        "2024-10-01",
        "2024-12-30",
        "2025-01-05",
        "2025-02-28",
        "2025-03-01",
    ][random.below(11)]
    .to_owned()
}

fn rows(random: &mut Random, most: usize) -> usize {
    if random.chance(6) { 0 } else { 1 + random.below(most) }
}

pub(crate) fn star(random: &mut Random) -> Generated {
    let mut sale = "ordered,shipped,paid_by,sent_to,line,no,quantity,price,discount,weight\n".to_owned();
    for _ in 0..rows(random, 24) {
        let fields = [
            maybe(random, 4, day),
            maybe(random, 25, day),
            maybe(random, 8, |r| r.pick(&BUYERS).to_owned()),
            maybe(random, 8, |r| r.pick(&BUYERS).to_owned()),
            maybe(random, 5, |r| r.pick(&LINES).to_owned()),
            maybe(random, 5, |r| r.below(3).to_string()),
            maybe(random, 10, |r| (r.below(9) as i64 - 1).to_string()),
            maybe(random, 10, |r| format!("{}.{:02}", r.below(40), r.below(100))),
            maybe(random, 5, |r| r.pick(&["0", "0.05", "0.1", "0.25"]).to_owned()),
            maybe(random, 15, |r| format!("{}e-1", r.below(50))),
        ];
        let _ = writeln!(sale, "{}", fields.join(","));
    }
    let mut visit = "seen_at,code,minutes\n".to_owned();
    for _ in 0..rows(random, 10) {
        let at = maybe(random, 10, |r| format!("{}T{:02}:30", day(r), r.below(24)));
        let code = maybe(random, 10, |r| r.pick(&BUYERS).to_owned());
        let _ = writeln!(visit, "{at},{code},{}", random.below(50));
    }
    let mut goal = "month,area,amount\n".to_owned();
    for _ in 0..rows(random, 8) {
        let month =
            maybe(random, 5, |r| r.pick(&["2023-12", "2024-01", "2024-02", "2024-10", "2025-03"]).to_owned());
        let area = maybe(random, 10, |r| r.pick(&AREAS).to_owned());
        let _ = writeln!(goal, "{month},{area},{}.5", random.below(100));
    }
    let mut buyer = "code,area,age,vip\n".to_owned();
    for code in BUYERS {
        if random.chance(80) {
            let area = maybe(random, 15, |r| r.pick(&AREAS).to_owned());
            let age = maybe(random, 10, |r| (15 + r.below(40)).to_string());
            let vip = maybe(random, 20, |r| r.pick(&["true", "false"]).to_owned());
            let _ = writeln!(buyer, "{code},{area},{age},{vip}");
        }
    }
    let mut item = "line,no,label\n".to_owned();
    for line in LINES {
        for no in 0..2 {
            if random.chance(80) {
                let _ = writeln!(item, "{line},{no},{}", random.pick(&["axe", "bow", "cup"]));
            }
        }
    }
    let mut area = "name,zone\n".to_owned();
    for name in AREAS {
        if random.chance(75) {
            let zone = maybe(random, 20, |r| r.pick(&["north", "south"]).to_owned());
            let _ = writeln!(area, "{name},{zone}");
        }
    }
    let mut quote = "line,no,since,gone,listed\n".to_owned();
    let mut told = std::collections::BTreeSet::new();
    for _ in 0..rows(random, 10) {
        let key = format!("{},{},{}", random.pick(&LINES), random.below(3), day(random));
        if told.insert(key.clone()) {
            let _ = writeln!(quote, "{key},{},{}.5", maybe(random, 50, day), random.below(40));
        }
    }
    let mut status = "person,since,rank\n".to_owned();
    for _ in 0..rows(random, 8) {
        let key = format!("{},{}", random.pick(&BUYERS), day(random));
        if told.insert(key.clone()) {
            let _ = writeln!(status, "{key},{}", maybe(random, 10, |r| r.pick(&["high", "low"]).to_owned()));
        }
    }
    let [likes, mark, topic, day_off] = bridges(random);
    let sale = with_texts(&sale, "note", &["1", "2", "30", "", "4", "x", "7"]);
    let buyer = with_texts(&buyer, "mark", &["5", "7", "", "bad", "12"]);
    Generated {
        tables: vec![
            ("day_off", day_off),
            ("likes", likes),
            ("mark", mark),
            ("topic", topic),
            ("sale", sale),
            ("visit", visit),
            ("goal", goal),
            ("buyer", buyer),
            ("item", item),
            ("area", area),
            ("quote", quote),
            ("status", status),
        ],
    }
}

/// A table with a further column of texts that follow from the rest of each row: no other value changes by it.
fn with_texts(csv: &str, name: &str, texts: &[&str]) -> String {
    let mut lines = csv.lines();
    let mut all = format!("{},{name}\n", lines.next().unwrap_or_default());
    for line in lines {
        let sum: usize = line.bytes().enumerate().map(|(at, byte)| (at + 1) * usize::from(byte)).sum();
        let _ = writeln!(all, "{line},{}", texts[sum / 7 % texts.len()]);
    }
    all
}

/// The rows of bridges, of what lies behind them, and days off.
fn bridges(random: &mut Random) -> [String; 4] {
    let mut likes = "who,topic,since\n".to_owned();
    for _ in 0..rows(random, 12) {
        let who = maybe(random, 5, |r| r.pick(&BUYERS).to_owned());
        let topic = maybe(random, 8, |r| r.pick(&["tea", "wax", "oak"]).to_owned());
        let _ = writeln!(likes, "{who},{topic},{}", maybe(random, 20, day));
    }
    let mut mark = "line,no,colour\n".to_owned();
    for _ in 0..rows(random, 6) {
        let colour = maybe(random, 8, |r| r.pick(&["red", "blue"]).to_owned());
        let _ = writeln!(mark, "{},{},{colour}", random.pick(&LINES), random.below(2));
    }
    let mut topic = "word,kind\n".to_owned();
    for word in ["tea", "wax"] {
        if random.chance(85) {
            let _ = writeln!(topic, "{word},{}", maybe(random, 15, |r| r.pick(&["hot", "dry"]).to_owned()));
        }
    }
    let mut day_off = "day,why\n".to_owned();
    let mut told = std::collections::BTreeSet::new();
    for _ in 0..rows(random, 5) {
        let off = day(random);
        if told.insert(off.clone()) {
            let _ = writeln!(day_off, "{off},{}", maybe(random, 20, |_| "rest".to_owned()));
        }
    }
    [likes, mark, topic, day_off]
}
