//! A worker of a cluster ends, or stands still, while a query runs: an answer comes, the right one, or an error that says what was
//! lost. `VEMBRA_HOSTS` says where the cluster is, and `VEMBRA_HOSTS_WORKERS` which file lists its workers, as
//! `crates/testing/hosts.py` writes it; without them this test says that it was left out.

use std::process::Command;
use std::thread::sleep;
use std::time::{Duration, Instant};
use vembra::{Answer, Cell, Session, Type};
use vembra_sources::Server;
use vembra_sql::Statement;

const LINES: i64 = 1_500_000;
const SHOPS: i64 = 7;

/// The table is made by the engine itself: the figures of each line follow from its number.
const SALES: &str = "select cast(floor(id / 3) as bigint) as order_no, cast(floor(id / 3) as bigint) % 7 as shop, \
                     cast(id % 1000 as decimal(9, 2)) as amount, \
                     date_add(date '2025-01-01', cast(id % 365 as int)) as day from range(0, 1500000)";

const QUERY: &str = "rows shop.name show total, orders, avg(total per order_no) as mean, \
                     max(total per order_no) as most totals on rows";

/// Total, orders, mean and largest order of each shop, and of all, in order of the shops' names.
fn counted() -> Vec<Vec<f64>> {
    let mut lines = vec![(0_i64, 0_i64, 0_i64); SHOPS as usize + 1];
    for first in (0..LINES).step_by(3) {
        let amount: i64 = (first..first + 3).map(|id| id % 1000).sum();
        for line in [(first / 3 % SHOPS) as usize, SHOPS as usize] {
            let (total, orders, most) = &mut lines[line];
            *total += amount;
            *orders += 1;
            *most = (*most).max(amount);
        }
    }
    let figures = |&(total, orders, most): &(i64, i64, i64)| {
        let [total, orders, most] = [total, orders, most].map(|n| n as f64);
        vec![total, orders, total / orders, most]
    };
    lines.iter().map(figures).collect()
}

fn figures(answer: &Answer) -> Vec<Vec<f64>> {
    let Answer::Summary(summary) = answer else { panic!("{answer:?}") };
    let number = |cell: &Cell| cell.value.to_string().parse().unwrap();
    summary.lines.iter().map(|line| line.cells.iter().map(number).collect()).collect()
}

/// Workers that are there, with what they were started as.
fn alive() -> Vec<u32> {
    let file = std::fs::read_to_string(std::env::var("VEMBRA_HOSTS_WORKERS").unwrap()).unwrap();
    let pids = file.lines().map(|line| line.split(' ').next().unwrap().parse().unwrap());
    pids.filter(|pid| {
        let status = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap_or_default();
        status.contains("State:") && !status.contains("State:\tZ")
    })
    .collect()
}

fn signal(what: &str, pid: u32) {
    assert!(Command::new("kill").args([what, &pid.to_string()]).status().unwrap().success(), "{what} {pid}");
}

fn asked(sql: &str) {
    let server = Server { name: "hosts".to_owned(), variable: "VEMBRA_HOSTS".to_owned() };
    let statement = Statement { sql: sql.to_owned(), binds: Vec::new(), columns: vec![Type::Boolean] };
    server.run(&[statement], &|| false).unwrap();
}

fn session(view: &str) -> Session {
    let model = format!(
        "server hosts from env 'VEMBRA_HOSTS'\ncalendar from '2025-01-01' to '2025-12-31'\n\
         fact sale from hosts table '{view}'\ndimension shop from 'shop.csv' key code\n\
         link sale.shop to shop\nlink sale.day to calendar\n\
         measure total = sum(amount)\nmeasure orders = count(distinct order_no)\n"
    );
    let shops: String = (0..SHOPS).map(|code| format!("{code},Shop {code}\n")).collect();
    Session::builder()
        .model_text("m.vembra", model)
        .csv_text("shop", format!("code,name\n{shops}"))
        .open()
        .unwrap_or_else(|e| panic!("{e}"))
}

#[test]
fn a_lost_worker_is_an_answer_or_an_error() {
    if std::env::var("VEMBRA_HOSTS").is_err() {
        vembra_testing::left_out("a worker that ends during a query", "VEMBRA_HOSTS names no cluster");
        return;
    }
    let view = format!("vembra_{}_sale", std::process::id());
    asked(&format!("create or replace temporary view {view} as {SALES}"));
    let session = session(&view);
    let wanted = counted();
    let figures_now = || session.ask(QUERY).map(|found| figures(&found.answer));
    let told = |error: &vembra::Error| {
        let told = error.to_string();
        assert!(told.contains("error[V641] hosts: the server gives no answer: "), "{told}");
        told
    };
    // The engine takes a while to start workers, and to see that one is gone; a busy machine may lose one by itself.
    let answered = |after: &str| {
        let began = Instant::now();
        loop {
            match figures_now() {
                Ok(found) => break assert_eq!(found, wanted, "after {after}"),
                Err(error) => {
                    let told = told(&error);
                    assert!(began.elapsed() < Duration::from_mins(3), "not answered after {after}: {told}");
                }
            }
            sleep(Duration::from_secs(1));
        }
    };
    answered("the beginning");
    let began = Instant::now();
    answered("the first answer");
    let whole = began.elapsed();
    let mut met = 0;
    for (what, moment) in
        [("-KILL", whole / 8), ("-STOP", whole / 3), ("-KILL", whole / 2), ("-STOP", whole * 2 / 3)]
    {
        let asking = std::thread::scope(|scope| {
            let asking = scope.spawn(figures_now);
            sleep(moment);
            let victim = *alive().last().expect("a worker");
            signal(what, victim);
            met += usize::from(!asking.is_finished());
            let result = asking.join().unwrap();
            signal("-KILL", victim);
            result
        });
        match &asking {
            Ok(found) => assert_eq!(*found, wanted, "{what} after {moment:?}"),
            Err(error) => println!("{what} after {moment:?}: {}", told(error)),
        }
        answered(what);
    }
    assert!(met > 1, "no query ran any more when its worker was lost");
    asked(&format!("drop view {view}"));
}
