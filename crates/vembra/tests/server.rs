//! Tables that live on a server: the same figures as those of the same tables in memory. `VEMBRA_POSTGRES` says where a server is;
//! without it these tests say that they were left out.

use crate::{database, documented};
use database::{FlightPlace, Place, Storing, difference, servers};
use documented::queries;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use vembra::{Answer, Session};

fn root() -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// A query, as a viewer asks it or everybody.
fn as_seen_by(session: &Session, query: &str, viewer: Option<&str>) -> vembra::QueryBuilder {
    let asked = session.query(query);
    if let Some(viewer) = viewer { asked.viewer(viewer) } else { asked }
}

/// Both answer queries alike, for everybody and for viewers.
fn answer_alike(
    place: &dyn Storing,
    (here, there): (&Session, &Session),
    queries: &[&str],
    viewers: &[&str],
) {
    for query in queries {
        for viewer in std::iter::once(None).chain(viewers.iter().copied().map(Some)) {
            let ask = |session| {
                as_seen_by(session, query, viewer)
                    .ask()
                    .unwrap_or_else(|e| panic!("{query} for {viewer:?}\n{e}"))
            };
            let told = difference(&ask(there).answer, &ask(here).answer);
            assert_eq!(told, None, "{query} for {viewer:?} on {}", place.name());
        }
    }
}

#[test]
fn documented_queries_have_the_same_answers_on_a_server() {
    for mut place in servers("documented") {
        documented_on(&mut *place);
    }
}

/// Counts the rows that come back from a server.
#[derive(Debug, Default)]
struct CameBack(AtomicUsize);

impl vembra::Profiler for CameBack {
    fn begins(&self) {}

    fn ends(&self, step: vembra::Step) {
        if let vembra::Step::Asked(rows) = step {
            self.0.store(rows.iter().sum(), Ordering::Relaxed);
        }
    }
}

fn documented_on(place: &mut dyn Storing) {
    let came_back = Arc::new(CameBack::default());
    let options = vembra::Options { profiler: Some(came_back.clone()), ..vembra::Options::default() };
    let here = Session::open(root().join("demo/bees.vembra")).unwrap();
    let model = std::fs::read_to_string(root().join("demo/bees.vembra")).unwrap();
    for table in model.split('\'').filter_map(|part| part.strip_suffix(".csv")) {
        place.store(&here, table);
    }
    let there = Session::builder()
        .model_text("bees.vembra", place.served(&model) + "column target.month: month\n")
        .options(options)
        .open()
        .unwrap_or_else(|e| panic!("{e}"));
    let mut refused: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let mut differ = Vec::new();
    let mut agreed = 0;
    for viewer in [None, Some("sarrow_desk")] {
        for query in queries() {
            let ask = |session: &Session| as_seen_by(session, &query, viewer).ask();
            let Ok(wanted) = ask(&here) else { continue };
            match ask(&there) {
                Ok(found) => {
                    // Only what is shown leaves the server: a line of the answer for each row that came back.
                    // Of lines that are opened some come in vain: which ones are shown is found here.
                    if let (Answer::Summary(shown), false) = (&found.answer, query.contains(" open ")) {
                        assert_eq!(came_back.0.load(Ordering::Relaxed), shown.lines.len(), "{query}");
                    }
                    match difference(&found.answer, &wanted.answer) {
                        None => agreed += 1,
                        Some(how) => differ.push(format!("{viewer:?} {query}\n  {how}")),
                    }
                }
                Err(error) => {
                    let told = error.to_string();
                    let first = told.lines().next().unwrap_or_default().to_owned();
                    if first.contains("V649") {
                        refused.entry(first).or_default().push(query.clone());
                    } else {
                        let sql = there.query(&query).stage(vembra::Stage::Sql).unwrap_or_default();
                        differ.push(format!("{viewer:?} {query}\n  {told}\n{sql}"));
                    }
                }
            }
        }
    }
    // Figures of a server are explained by its rows, in the same words.
    for query in [
        "rows calendar.year show revenue, orders where customer.region = 'Dunlow'",
        "show average_order via shipped",
    ] {
        for viewer in [None, Some("sarrow_desk")] {
            let told = |session: &Session| {
                let asked = as_seen_by(session, query, viewer);
                asked.explain_all().unwrap().iter().map(vembra::Explanation::text).collect::<Vec<_>>()
            };
            assert_eq!(told(&there), told(&here), "{query}");
        }
    }
    for (why, queries) in &refused {
        println!("{} refused: {why}\n    {}", queries.len(), queries[0]);
    }
    println!("{agreed} agreed on {}", place.name());
    assert!(agreed > 100, "only {agreed} agreed on {}", place.name());
    assert!(differ.is_empty(), "{} differ on {}:\n{}", differ.len(), place.name(), differ.join("\n"));
}

/// What each operator and function gives stands in a list; the server gives the same.
#[test]
fn functions_give_the_same_on_a_server() {
    for mut place in servers("functions") {
        functions_on(&mut *place);
    }
}

/// What differs from row to row, with texts that are read and others that cannot be.
const OF_ROWS: [&str; 40] = [
    "start_of(week, date '2024-12-27' + n)",
    "end_of(week, date '1950-01-02' - n)",
    "cast(date '2024-12-27' + n * 3 + time '10:30:00.5' as text)",
    "cast(cast(date '2024-12-27' + n * 3 as month) as text)",
    "cast(cast(date '2024-12-27' + n * 3 as week) as text)",
    "cast(cast(date '2024-12-27' + n * 3 as quarter) as text) || cast(extract(weekday from date '2024-12-27' + n) as text)",
    "cast(extract(time from date '2024-12-27' + time '10:30') as text)",
    "cast('10:3' || cast(n as text) as time)",
    "cast('10:30:07.12345' || cast(n as text) || '000' as time)",
    "cast('24:0' || cast(n as text) as time)",
    "cast('10:30.' || cast(n as text) as time)",
    "cast('2024-02-2' || cast(n as text) || 'T10:30' as moment)",
    "cast('2024-02-3' || cast(n as text) || ' 10:30' as moment)",
    "cast('2024-02-2' || cast(n as text) as moment)",
    "cast('202' || cast(n as text) as year)",
    "cast('2024-Q' || cast(n as text) as quarter)",
    "cast('FY2024-Q' || cast(n as text) as quarter)",
    "cast('2024-Q' || cast(n + 4 as text) as quarter)",
    "cast('2024-1' || cast(n as text) as month)",
    "cast('2024-1' || cast(n + 1 as text) as month)",
    "cast('2020-W5' || cast(n + 1 as text) as week)",
    "cast('2021-W5' || cast(n + 1 as text) as week)",
    "cast('2021-W0' || cast(n as text) as week)",
    "cast('FY2021-W0' || cast(n as text) as week)",
    "cast('FY202' || cast(n as text) as fiscal_year)",
    "cast('202' || cast(n as text) as fiscal_year)",
    "cast('FY2024-Q' || cast(n as text) as fiscal_quarter)",
    "cast('FY2024-M1' || cast(n as text) as fiscal_month)",
    "cast('Q' || cast(n as text) as quarter_of_year)",
    "cast(case when n = 1 then 'mAY' else 'June' end as month_of_year)",
    "cast(case when n = 1 then 'mAY' else 'Juni' end as month_of_year)",
    "cast(case when n = 1 then 'tuesday' end as weekday)",
    "cast('3' || cast(n as text) as day_of_month)",
    "cast('36' || cast(n * 3 as text) as day_of_year)",
    "cast('36' || cast(n * 4 as text) as day_of_year)",
    "round(12345.675, n)",
    "round(-12345.675, n * 4 - 6)",
    "round(cast(2.5 as float), n - 1)",
    "round(1250, - n)",
    "round(1250, case when n = 1 then -40 end)",
];

fn functions_on(place: &mut dyn Storing) {
    let model = "calendar from '2023-01-01' to '2025-12-31'\n    fiscal year starts october\n    working where weekday not in ('Saturday', 'Sunday')\nfact t from 't.csv'\n";
    let here = Session::builder().model_text("m.vembra", model).csv_text("t", "n\n1\n2\n").open().unwrap();
    place.store(&here, "t");
    let there = Session::builder().model_text("m.vembra", place.served(model)).open().unwrap();
    let text = std::fs::read_to_string(root().join("crates/vembra/tests/functions/cases.txt")).unwrap();
    let cases = text.lines().filter(|line| !line.is_empty() && !line.starts_with("--"));
    let (mut agreed, mut differ) = (0, Vec::new());
    let cases = cases.filter_map(|line| line.rsplit_once("->")).map(|(expr, _)| expr.trim());
    let one = cases.map(|expr| format!("list {expr} as x from t limit 1"));
    let of_rows = OF_ROWS.iter().map(|expr| format!("list n, {expr} as x from t sort n"));
    let more = [
        "show last(n by 'a' || cast(n as text)) as x, last(n by case when n = 1 then 'ab' else 'a' end) as y"
            .to_owned(),
    ];
    for query in one.chain(of_rows).chain(more) {
        let expr = &query;
        match (there.ask(&query), here.ask(&query)) {
            (Ok(found), Ok(wanted)) => match difference(&found.answer, &wanted.answer) {
                None => agreed += 1,
                Some(how) => differ.push(format!("{expr}: {how}")),
            },
            (Err(told), Err(_)) if !told.to_string().contains("V649") => agreed += 1,
            (Err(told), Err(_)) => differ.push(format!("{expr} is refused: {told}")),
            (Ok(_), Err(error)) => differ.push(format!("{expr} is answered, though: {error}")),
            (Err(error), Ok(_)) => differ.push(format!("{expr}: {error}")),
        }
    }
    assert!(differ.is_empty(), "{} differ:\n{}", differ.len(), differ.join("\n"));
    assert!(agreed > 140, "{agreed}");
}

/// The statements of some queries are read by people: their steps stay as they are.
#[test]
fn statements_are_pipelines_of_named_steps() {
    let Some(mut place) = Place::new("statements") else { return };
    place.run(
        "create table sale (day date, shop text, code bigint, amount numeric(9, 2));
         create table shop (code bigint primary key, name text, region text)",
    );
    let model = "calendar from '2025-01-01' to '2025-01-02'\nfact sale from 'sale.csv'\ndimension shop from 'shop.csv' key code\n\
                 link sale.code to shop\nlink sale.day to calendar\nmeasure total = sum(amount)\nviewer north sees only shop.region = 'North'\n";
    let session = Session::builder().model_text("m.vembra", place.served(model)).open().unwrap();
    let statements = |query: &str, viewer: Option<&str>| {
        let query = as_seen_by(&session, query, viewer);
        query.stage(vembra::Stage::Sql).unwrap().replace(&place.schema, "SCHEMA")
    };
    let asked = "rows shop.region, calendar.month show total, avg(total per shop.code) as each where shop.name <> 'x'' or true'";
    insta::assert_snapshot!("statements_of_a_summary", statements(asked, None));
    insta::assert_snapshot!("statements_for_a_viewer", statements("show total", Some("north")));
    // A value of the query stands in no text, but as what a parameter is bound to.
    assert_eq!(statements(asked, None).matches("or true").count(), 1);
}

/// The same steps in the words of the other dialect.
#[test]
fn statements_by_flight_have_the_same_steps() {
    let Some(mut place) = FlightPlace::new("statements") else { return };
    place.view(
        "sale",
        "as select * from (values (date '2025-01-01', 'N', cast(1 as decimal(9, 2)))) as s (day, shop, amount)",
    );
    place.view("shop", "as select * from (values ('N', 'North', 'North')) as s (code, name, region)");
    let model = "calendar from '2025-01-01' to '2025-01-02'\nfact sale from 'sale.csv'\ndimension shop from 'shop.csv' key code\n\
                 link sale.shop to shop\nlink sale.day to calendar\nmeasure total = sum(amount)\n";
    let session = Session::builder().model_text("m.vembra", place.served(model)).open().unwrap();
    let asked = "rows shop.region, calendar.month show total, avg(total per shop.code) as each where shop.name <> 'x'' or true'";
    let statements = session.query(asked).stage(vembra::Stage::Sql).unwrap();
    // No value of a query ends the text that it stands in.
    assert!(!statements.contains("or true"), "{statements}");
    insta::assert_snapshot!("statements_by_flight", statements.replace(&place.prefix, "PREFIX"));
}

/// Members that a column of the server puts in order stand in it.
#[test]
fn a_column_of_the_server_says_the_order_of_members() {
    let Some(mut place) = Place::new("ordered") else { return };
    place.run(
        "create table sale (size text, place bigint, n bigint);
         insert into sale values ('Large', 3, 1), ('Small', 1, 2), ('Medium', 2, 4), ('Small', 1, 8), ('Odd', null, 16)",
    );
    let model = place.served("fact sale from 'sale.csv'\ncolumn sale.size order by place\n");
    let open = || Session::builder().model_text("m.vembra", &model).open();
    let reply = open().unwrap().ask("rows size show sum(n) as n").unwrap();
    assert_eq!(reply.csv(vembra::Layout::Tidy).unwrap(), "size,n\nSmall,10\nMedium,4\nLarge,1\nOdd,16\n");
    place.run("insert into sale values ('Small', 7, 1)");
    let told = open().map(drop).unwrap_err().to_string();
    assert!(told.contains("[V506]") && told.contains("'Small' stands with 1 and with 7"), "{told}");
}

/// Tables may have columns with the names that steps give to their own.
#[test]
fn columns_may_be_called_as_steps_call_theirs() {
    let Some(mut place) = Place::new("names") else { return };
    place.run(
        "create table sale (sku text, day date, n bigint, month date);
         insert into sale values ('A', '2025-01-05', 1, '2025-01-01'), ('A', '2025-02-05', 2, '2025-02-01'), ('B', '2025-02-05', 4, '2025-02-01');
         create table price (sku text, next_from date, place bigint, here bigint);
         insert into price values ('A', '2025-01-01', 10, 1), ('A', '2025-02-01', 20, 2)",
    );
    let model = "calendar from '2025-01-01' to '2025-03-31'\nfact sale from 'sale.csv'\ndimension price from 'price.csv' key sku, next_from\n\
                 link (sale.sku, sale.day) to price as of next_from\nlink sale.month to calendar by month\ncolumn sale.month: month\n";
    let session = Session::builder().model_text("m.vembra", place.served(model)).open().unwrap();
    let csv = |query: &str| session.ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
    assert_eq!(csv("rows price.place show sum(n) as n"), "price.place,n\n10,1\n20,2\n(unknown),4\n");
    assert_eq!(csv("rows calendar.month show sum(n) as n"), "calendar.month,n\n2025-01,1\n2025-02,6\n");
    // An explanation sees the rows that are there when it is asked for.
    let explained = || session.query("show sum(n) as n").explain_all().unwrap().remove(0);
    assert_eq!((explained().value.as_str(), explained().agrees), ("7", true));
    place.run("insert into sale values ('B', '2025-03-05', 8, '2025-03-01')");
    assert_eq!((explained().value.as_str(), explained().agrees), ("15", true));
}

/// A link to a coarser attribute leads to any of the rows that have it, as long as these are alike in what is asked.
#[test]
fn rows_behind_a_coarser_attribute_are_asked_where_they_are_alike() {
    for mut place in servers("coarser") {
        coarser_on(&mut *place);
    }
}

fn coarser_on(place: &mut dyn Storing) {
    let tables = "dimension town from 'town.csv' key name\nfact goal from 'goal.csv'\n";
    let model = format!(
        "{tables}hierarchy town.place = land, county, name\nlink goal.county to town by county\nmeasure goals = sum(amount)\n\
         viewer inland sees only town.land = 'Upland'\n"
    );
    let open = |model: &str, towns: &str| {
        let session = Session::builder().model_text("m.vembra", model);
        let session = session.csv_text("town", format!("name,county,land\n{towns}"));
        session.csv_text("goal", "county,amount\nC1,10\nC2,5\nC3,7\n,3\nC9,1\n").open().unwrap()
    };
    let here = open(&model, "a,C1,Upland\nb,C1,Upland\nc,C2,Seaside\nd,C3,\ne,C3,\n");
    ["town", "goal"].iter().for_each(|table| place.store(&here, table));
    let served =
        |place: &dyn Storing| Session::builder().model_text("m.vembra", place.served(&model)).open().unwrap();
    let there = served(place);
    let queries = [
        "rows town.land, town.county show goals totals on rows",
        "rows upper(town.land) as coast show goals",
        "show goals where town.land = 'Upland' or town.land is null",
        "list county, town.land, amount from goal sort amount",
    ];
    answer_alike(place, (&here, &there), &queries, &["inland"]);
    // One town of a county is in no land: it would matter which row the link leads to.
    place.store(&open(tables, "a,C1,Upland\nb,C1,\nc,C2,Seaside\n"), "town");
    let there = served(place);
    let csv = there.ask("rows town.county show goals").unwrap().csv(vembra::Layout::Tidy).unwrap();
    assert_eq!(csv, "town.county,goals\nC1,10\nC2,5\n,3\n(unknown),8\n");
    let told = there.ask("rows town.land show goals").unwrap_err().to_string();
    assert!(
        told.contains("[V649]")
            && told.contains("town.land, which differs among rows with the same town.county, cannot be worked out on the server")
            && told.contains("fix the rows on the server: each must have the same there"),
        "{told}"
    );
    let found = there.check().unwrap();
    let broken = "the hierarchy place does not hold: 'C1' stands with land 'Upland' and with null";
    assert!(found.iter().any(|f| f.code == "V505" && f.message == broken), "{found:?}");
}

/// Links may go by columns that are worked out, on either side.
#[test]
fn links_go_by_computed_columns_on_a_server() {
    for mut place in servers("computed") {
        by_computed_on(&mut *place);
    }
}

fn by_computed_on(place: &mut dyn Storing) {
    let model = "dimension town from 'town.csv' key name\nfact need from 'need.csv'\nfact trip from 'trip.csv'\nfact tag from 'tag.csv'\n\
                 column town.kind = upper(size)\ncolumn need.kind = upper(raw)\ncolumn tag.who = lower(raw)\n\
                 column town.first_trip = min(trip.day) per town.name\ncolumn trip.day: date\n\
                 link need.kind to town by kind\nlink trip.town to town\nbridge tag.who to town\n\
                 measure wanted = sum(n)\nmeasure driven = sum(km)\n\
                 viewer big sees only town.kind = 'BIG'\nviewer sunny sees only tag.word = 'sun'\n";
    let here = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("town", "name,size\na,big\nb,Big\nc,small\nd,\n")
        .csv_text("need", "raw,n\nbIG,10\nsmall,5\nodd,7\n,3\n")
        .csv_text("trip", "town,km,day\na,1,2025-01-05\nb,2,2025-01-07\nc,4,2025-01-06\nx,8,2025-01-05\n,16,2025-01-05\na,32,2025-01-09\n")
        .csv_text("tag", "raw,word\nA,sun\nA,sea\nC,sun\nQ,sun\nB,sea\n")
        .open()
        .unwrap();
    ["town", "need", "trip", "tag"].iter().for_each(|table| place.store(&here, table));
    let there = Session::builder().model_text("m.vembra", place.served(model)).open().unwrap();
    let queries = [
        "rows town.kind show wanted totals on rows",
        "rows town.kind show wanted, driven",
        "rows tag.word show driven totals on rows",
        "rows tag.word, town.kind show driven where tag.word <> 'sea'",
        "rows town.first_trip show driven",
        "show wanted where town.kind = 'BIG' or town.kind is null",
        "list raw, need.kind, town.kind as reached, n from need sort n",
    ];
    answer_alike(place, (&here, &there), &queries, &["big", "sunny"]);
}

/// What is wrong with keys and links is found by the server, and what cannot be done is told.
#[test]
fn what_is_wrong_on_a_server_is_told() {
    let Some(mut place) = Place::new("wrong") else { return };
    place.run(
        "create table sale (shop text, kind text, family text, big numeric, n bigint);
         insert into sale values ('N', 'a', 'A', 1.5, 9223372036854775807), ('X', 'a', 'B', 2.25, 1);
         create table shop (code text, name text); insert into shop values ('N', 'North')",
    );
    let model = "fact sale from 'sale.csv'\ndimension shop from 'shop.csv' key code\nlink sale.shop to shop\nhierarchy sale.sorts = family, kind\n";
    let open = |place: &Place| Session::builder().model_text("m.vembra", place.served(model)).open();
    let session = open(&place).unwrap();
    let found = session.check().unwrap();
    let told: Vec<String> = found.iter().map(|f| format!("{} {}", f.code, f.message)).collect();
    assert_eq!(
        told,
        [
            "V503 'X' is in no row of shop",
            "V505 the hierarchy sorts does not hold: 'a' stands with family 'A' and with 'B'",
            "V650 of tables on a server keys, links and hierarchies were looked at, and nothing else",
        ]
    );
    let counted = session.clone().counted().unwrap();
    assert_eq!(counted.load_report().tables[0].rows, 2);
    let message = |query: &str| session.ask(query).unwrap_err().to_string();
    assert!(message("show sum(n) as n").contains("V511"), "{}", message("show sum(n) as n"));
    let unread = message("list cast(shop as date) as d from sale");
    assert!(
        unread.contains("error[V511]: the query cannot be answered: 'N' cannot be read as date"),
        "{unread}"
    );
    // A number without declared decimals has as many as its values.
    let csv = |query: &str| session.ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
    assert_eq!(csv("show sum(big) as big"), "big\n3.75\n");
    place.run("insert into shop values ('N', 'Again')");
    let twice = open(&place).map(drop).unwrap_err().to_string();
    assert!(twice.contains("[V501]") && twice.contains("the key N stands twice"), "{twice}");
    place.run("alter table sale drop column kind");
    let gone = session.ask("rows kind show count(rows of sale) as n").unwrap_err().to_string();
    assert!(gone.contains("[V641]") && gone.contains("kind"), "{gone}");
}

/// A statement that is stopped ends on the server too.
#[test]
fn a_statement_is_stopped() {
    let Some(mut place) = Place::new("stopped") else { return };
    place.run("create table many as select n, n % 1000 as kind from generate_series(1, 3000000) n");
    let model = place.served("fact many from 'many.csv'\n");
    let session = Session::builder().model_text("m.vembra", model).open().unwrap();
    let told = session.query("show max(n) as n").explain("", None).unwrap();
    assert_eq!((told.agrees, told.second_way), (true, vembra::SecondWay::PlainStatement));
    assert_eq!(told.step.behind.map(|rows| (rows.all, rows.left)), Some((3_000_000, 3_000_000)));
    let stop = vembra::Stop::default();
    let handle = stop.clone();
    std::thread::spawn(move || {
        std::thread::sleep(std::time::Duration::from_millis(100));
        handle.stop();
    });
    let asked = session.query("rows n show count(distinct kind) as kinds").stopped_by(&stop).ask();
    assert_eq!(asked.unwrap_err().kind(), vembra::ErrorKind::Stopped);
    let running = "select count(*) from pg_stat_activity where query like '%many_rows%' and state = 'active' and pid <> pg_backend_pid()";
    let left: i64 = place.client.query_one(running, &[]).unwrap().get(0);
    assert_eq!(left, 0);
}

/// An engine of many machines tells what is wrong as a database does, and counts as exactly.
#[test]
fn what_is_wrong_by_flight_is_told() {
    let Some(mut place) = FlightPlace::new("wrong") else { return };
    let odd = r"it\'s \\ $ `";
    place.view(
        "sale",
        &format!(
            "as select * from (values ('N', 9223372036854775807, 90000000000000000000000000000000000000, '{odd}', 1.5),
             ('X', 1, 90000000000000000000000000000000000000, 'a', 2.25)) as s (shop, n, large, word, small)"
        ),
    );
    place.view("shop", "as select * from (values ('N', 'North')) as s (code, name)");
    let model =
        "fact sale from 'sale.csv'\ndimension shop from 'shop.csv' key code\nlink sale.shop to shop\n";
    let open = |model: &str, place: &FlightPlace| {
        Session::builder().model_text("m.vembra", place.served(model)).open()
    };
    let session = open(model, &place).unwrap();
    let told = |query: &str| session.ask(query).unwrap_err().to_string();
    // Numbers that leave their range are no other numbers.
    for query in [
        "show sum(n) as x",
        "show sum(n * 2) as x",
        "show sum(large) as x",
        "rows word show running(sum(large) by sale.word) as x",
        "list n + 1 as x from sale",
        "list make_date(n - n, 1, 1) as x from sale",
        "list cast(large as decimal(30, 0)) as x from sale",
    ] {
        // An engine that begins a failed part of its work again may not say why it failed.
        let told = told(query);
        assert!(told.contains("[V511]") || told.contains("a part of the work failed"), "{query}: {told}");
    }
    for ty in ["integer", "decimal", "float", "boolean", "date"] {
        let told = told(&format!("list cast(shop as {ty}) as x from sale"));
        let unread =
            |text| format!("error[V511]: the query cannot be answered: '{text}' cannot be read as {ty}");
        assert!(told.contains(&unread("N")) || told.contains(&unread("X")), "{ty}: {told}");
    }
    let csv = |query: &str| session.ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
    assert_eq!(csv("show sum(n where n > 1) as x, sum(small) as y"), "x,y\n9223372036854775807,3.75\n");
    assert_eq!(
        csv(r"rows shop.code show sum(small) as y where word = 'it''s \ $ `'"),
        "shop.code,y\nN,1.50\n"
    );
    assert_eq!(
        csv(
            "list shop.code, mod(cast(-small as float), 0.7) as rest, mod(cast(small as float), 0.0) as none from sale sort small descending"
        ),
        "shop.code,rest,none\n,-0.15000000000000013,\nN,-0.10000000000000009,\n"
    );
    let found = session.check().unwrap();
    let found: Vec<String> = found.iter().map(|f| format!("{} {}", f.code, f.message)).collect();
    assert_eq!(found[0], "V503 'X' is in no row of shop");
    assert_eq!(session.clone().counted().unwrap().load_report().tables[0].rows, 2);
    // What is not there, or of another type, is named.
    let error = |model: &str, place: &FlightPlace| open(model, place).map(drop).unwrap_err().to_string();
    let gone = error("fact sold from 'sold.csv'\n", &place);
    assert!(
        gone.contains("[V640]") && gone.contains(&format!("no table {}", place.table("sold").1)),
        "{gone}"
    );
    let typed = error("fact sale from 'sale.csv'\ncolumn sale.word: date\n", &place);
    assert!(typed.contains("[V648]") && typed.contains("a text on the server"), "{typed}");
    place.view("odd", "as select timestamp '2025-01-02 03:04:05' as at");
    let offset = error("fact odd from 'odd.csv'\n", &place);
    assert!(offset.contains("[V648]") && offset.contains("a moment with an offset"), "{offset}");
    place.view("odd", "as select unhex('41') as bytes");
    let bytes = error("fact odd from 'odd.csv'\n", &place);
    assert!(bytes.contains("[V642]") && bytes.contains("of the type Binary"), "{bytes}");
    place.view("shop", "as select * from (values ('N', 'North'), ('N', 'Again')) as s (code, name)");
    let twice = error(model, &place);
    assert!(twice.contains("[V501]") && twice.contains("the key N stands twice"), "{twice}");
    place.view("sale", "as select 1 as n");
    assert!(told("rows word show count(rows of sale) as n").contains("[V641]"));
}

/// A statement that is stopped is not waited for.
#[test]
fn a_statement_by_flight_is_stopped() {
    let Some(mut place) = FlightPlace::new("stopped") else { return };
    place.view("many", "as select a.id * 3000 + b.id as n from range(3000) as a cross join range(3000) as b");
    let model = place.served("fact many from 'many.csv'\n");
    let session = Session::builder().model_text("m.vembra", model).open().unwrap();
    let stop = vembra::Stop::default();
    let handle = stop.clone();
    std::thread::spawn(move || {
        std::thread::sleep(std::time::Duration::from_millis(200));
        handle.stop();
    });
    let begun = std::time::Instant::now();
    let asked = session.query("show count(distinct n) as x, percentile(n, 0.3) as y").stopped_by(&stop).ask();
    assert_eq!(asked.unwrap_err().kind(), vembra::ErrorKind::Stopped);
    assert!(begun.elapsed() < std::time::Duration::from_secs(20), "it was waited for");
}

/// What a condition leaves out cannot fail on a server either, whatever the order in which it tests conditions.
#[test]
fn conditions_guard_on_a_server() {
    let model = "dimension product from 'product.csv' key sku\nfact sale from 'sale.csv'\nlink sale.sku to product\n\
                 column sale.number = cast(note as integer)\nmeasure lines = count(rows of sale)\n";
    let product = "sku,size,name\nA,2,Can\nB,none,Bag\nC,5,Tub\n";
    let sale = "sku,note,kind,quantity\nA,1,n,1\nA,2,n,2\nB,zzz,t,9\nC,4,n,3\nB,8,n,1\n";
    let here = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("product", product)
        .csv_text("sale", sale)
        .open()
        .unwrap();
    let queries = [
        "show sum(cast(note as integer)) as s where note <> 'zzz'",
        "show sum(cast(note as integer)) as s where kind = 'n'",
        "show sum(cast(note as integer) where kind = 'n') as s, lines",
        "show (sum(cast(note as integer)) where kind = 'n') as s, (sum(quantity) where kind = 't') as t",
        "show lines where note <> 'zzz' and cast(note as integer) > 1",
        "show lines where cast(note as integer) > 1 and note <> 'zzz'",
        "show sum(case when kind = 'n' then cast(note as integer) else 0 end) as s",
        "show (lines where not (kind = 't' or cast(note as integer) > 2)) as n",
        "show sum(number) as s where note <> 'zzz'",
        "show sum(quantity * cast(product.size as integer)) as s where product.name <> 'Bag'",
        "list sku, number from sale where kind = 'n' sort number descending",
    ];
    for mut place in servers("guarded") {
        place.store(&here, "product");
        place.store(&here, "sale");
        let there = Session::builder().model_text("m.vembra", place.served(model)).open().unwrap();
        let mut differ = Vec::new();
        for query in queries {
            match (here.ask(query), there.ask(query)) {
                (Ok(wanted), Ok(found)) => {
                    let told = difference(&found.answer, &wanted.answer);
                    differ.extend(told.map(|how| format!("{query}: {how}")));
                }
                (wanted, found) => differ.push(format!("{query}: {:?} {:?}", wanted.err(), found.err())),
            }
        }
        assert!(differ.is_empty(), "on {}:\n{}", place.name(), differ.join("\n"));
        assert!(there.ask("show sum(number) as s").unwrap_err().to_string().contains("V511"));
    }
}
