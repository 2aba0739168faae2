//! The demo files as text, and answers as texts.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;
use vembra::{Answer, Member, Session, Summary};

pub(crate) fn demo(file: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(file)
}

/// The demo, opened once.
pub(crate) fn session() -> &'static Session {
    static SESSION: LazyLock<Session> = LazyLock::new(|| Session::open(demo("bees.vembra")).unwrap());
    &SESSION
}

/// One line of the fact file; that file has no quotes.
pub(crate) struct Line {
    pub(crate) order: String,
    pub(crate) customer: String,
    pub(crate) sku: String,
    pub(crate) dates: [String; 3],
    pub(crate) quantity: i64,
    /// In ten-thousandths.
    pub(crate) net: i64,
}

pub(crate) fn lines() -> Vec<Line> {
    let text = std::fs::read_to_string(demo("order_line.csv")).unwrap();
    let cents = |field: &str| field.replace('.', "").parse::<i64>().unwrap();
    text.lines()
        .skip(1)
        .map(|line| {
            let f: Vec<&str> = line.split(',').collect();
            let quantity = f[7].parse().unwrap();
            Line {
                order: f[0].to_owned(),
                customer: f[2].to_owned(),
                sku: f[3].to_owned(),
                dates: [f[4].to_owned(), f[5].to_owned(), f[6].to_owned()],
                quantity,
                net: quantity * cents(f[8]) * (100 - cents(f[10])),
            }
        })
        .collect()
}

pub(crate) fn exact(ten_thousandths: i64) -> String {
    format!("{}.{:04}", ten_thousandths / 10_000, ten_thousandths % 10_000)
}

pub(crate) fn ask(query: &str) -> Summary {
    match session().ask(query).unwrap_or_else(|e| panic!("{e}")).answer {
        Answer::Summary(summary) => summary,
        Answer::List(_) => panic!("not a summary"),
    }
}

pub(crate) fn key(member: &Member) -> String {
    match member {
        Member::Value(value) => value.to_string(),
        Member::None => "(none)".to_owned(),
        Member::Unknown => "(unknown)".to_owned(),
        Member::Rest(label) => label.to_string(),
        Member::All => "total".to_owned(),
    }
}

/// Row members, joined, and the values behind them.
pub(crate) fn cells(summary: &Summary) -> BTreeMap<String, Vec<String>> {
    let of = |l: &vembra::Line| l.rows.iter().chain(&l.columns).map(key).collect::<Vec<_>>().join(" ");
    summary.lines.iter().map(|l| (of(l), l.cells.iter().map(|c| c.value.to_string()).collect())).collect()
}

/// The fields of the lines of a file without quotes, by the first one.
pub(crate) fn by_key(file: &str) -> BTreeMap<String, Vec<String>> {
    let text = std::fs::read_to_string(demo(file)).unwrap();
    let fields = |line: &str| -> Vec<String> {
        // Names may stand in quotes; the fields that are asked for here do not.
        let mut quoted = false;
        let parts = line.split(|c| {
            quoted ^= c == '"';
            c == ',' && !quoted
        });
        parts.map(str::to_owned).collect()
    };
    text.lines().skip(1).map(|l| (fields(l)[0].clone(), fields(l))).collect()
}
