//! What is drawn can be distinguished and read, or a picture says why not and what to ask for instead.

use super::{View, last_words, texts};
use vembra::{Scene, Session};

/// A fact of rows made for a test.
fn session(csv: String, report: &str) -> Session {
    let model = format!(
        "currency 'EUR'\ncalendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale'\n\
         link sale.day to calendar as ordered default\nmeasure sales = sum(amount)\nreport r 'A title' = {report}\n"
    );
    Session::builder().model_text("m.vembra", model).csv_text("sale", &csv).open().unwrap()
}

fn scene(csv: String, report: &str) -> Scene {
    let view = View { width: 600.0, height: 320.0, titled: true };
    session(csv, report).report("r", &[]).unwrap().scene(view)
}

fn rows(count: usize, row: impl Fn(usize) -> String) -> String {
    std::iter::once("day,shop,amount\n".to_owned()).chain((0..count).map(|i| row(i) + "\n")).collect()
}

fn shops(count: usize) -> String {
    rows(count * 2, |i| format!("2025-0{}-01,S{:02},{}", 1 + i % 2, i / 2, 10 + i))
}

#[test]
fn series_beyond_those_that_look_different_are_refused_with_a_way_out() {
    let report = "rows calendar.month, sale.shop show sales drawn as line colour by sale.shop";
    let looks = |count| {
        let text = scene(shops(count), report).to_text();
        // What stands behind the points of a line: its colour, and whether it is dashed.
        let look = |l: &str| l.find("Series(").or_else(|| l.find("Pale(")).map(|at| l[at..].to_owned());
        let mut looks: Vec<String> =
            text.lines().filter(|l| l.starts_with("path")).filter_map(look).collect();
        looks.sort();
        looks.dedup();
        (looks.len(), text)
    };
    assert_eq!(looks(16).0, 16, "no two series look the same");
    let (count, text) = looks(17);
    assert_eq!(count, 0, "nothing is drawn that cannot be told apart");
    assert!(text.contains("17 series are too many for colours: 16 are the most"), "{text}");
    assert!(text.contains("top 8"), "{text}");
}

#[test]
fn stacked_parts_show_their_values_where_they_fit() {
    // 100 and 60 have room in a picture of this height; 1 of 161 has none.
    let csv = "day,shop,amount\n2025-01-01,A,100\n2025-01-02,B,60\n2025-01-03,C,1\n".to_owned();
    let report =
        "rows calendar.month, sale.shop show sales drawn as bars stacked colour by sale.shop with values";
    let scene = scene(csv, report);
    let shown = texts(&scene);
    let words = last_words(&shown);
    assert!(words.contains(&"€100") || words.contains(&"100"), "{words:?}");
    assert!(!words.contains(&"€1") && !words.contains(&"1"), "{words:?}");
}

#[test]
fn an_axis_of_whole_numbers_is_complete() {
    // Hours 8, 9 and 12: those between are on the axis too, so that distances are true.
    let csv = rows(3, |i| format!("2025-01-0{},S,{}", i + 1, [8, 9, 12][i]));
    let scene = scene(csv, "rows sale.amount show count(rows of sale) as n drawn as bars along sale.amount");
    let shown = last_words(&texts(&scene)).join(" ");
    assert!(shown.contains("8 9 10 11 12"), "{shown}");
}

#[test]
fn large_ticks_are_short_and_derived_money_has_its_sign() {
    let csv = rows(2, |i| format!("2025-0{}-01,S,{}000000.00", i + 1, 14 * (i + 1)));
    let shown = texts(&scene(csv, "rows calendar.month show sales * 1 as value drawn as line")).join("\n");
    assert!(shown.contains("30 M"), "{shown}");
    assert!(!shown.contains('¤') && !shown.contains("000,000"), "{shown}");
}

#[test]
fn too_many_points_are_refused_before_they_are_drawn() {
    let csv = rows(60_000, |i| format!("2025-01-01,S{i},1"));
    let session = session(csv, "rows sale.shop show sales drawn as bars");
    let why = session.report("r", &[]).unwrap().refusal().unwrap();
    assert!(why.contains("60,000 points") && why.contains("top"), "{why}");
}

#[test]
fn the_rest_has_no_bar_and_leaves_the_others_theirs() {
    let csv = rows(30, |i| format!("2025-01-01,S{i:02},{}", if i == 0 { 20 } else { 10 }));
    let report = "rows sale.shop show sales top 2 sale.shop by sales, rest as 'Others' drawn as table small bars sales";
    let text = session(csv, report).report("r", &[]).unwrap().text(None);
    let blocks = |name: &str| {
        text.lines()
            .find(|l| l.starts_with(name))
            .unwrap()
            .chars()
            .filter(|c| ('▁'..='▏').contains(c))
            .count()
    };
    // 20, 10, and 280 of all others: the longest bar is that of the largest shop.
    assert_eq!(blocks("Others"), 0, "{text}");
    assert_eq!(blocks("S00"), 2 * blocks("S01"), "{text}");
}
