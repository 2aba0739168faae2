//! Pages in a real browser: texts, switch, tooltip texts by mouse and by keys, no error on the console, nothing cut off,
//! nothing fetched, contrast. Each page is loaded into two frames, one as wide as a screen and one as wide as a telephone.
//!
//! The browser is found as `chromium`, or named by `VEMBRA_BROWSER`. Without one the test says so and passes, so that the
//! tests need only Rust; the continuous integration installs one and names it.

use std::path::{Path, PathBuf};
use std::process::Command;
use vembra::Session;

/// What is tried in each frame; what it finds is written into the outer page.
const TRIAL: &str = include_str!("pages/trial.js");

fn browser() -> Option<PathBuf> {
    if let Some(named) = std::env::var_os("VEMBRA_BROWSER") {
        return Some(named.into());
    }
    ["/usr/bin/chromium", "/usr/bin/chromium-browser"].iter().map(PathBuf::from).find(|p| p.exists())
}

/// Loads a page, tries it, and gives what was found.
fn tried(browser: &Path, html: &str) -> serde_json::Value {
    let folder = tempfile::tempdir().unwrap();
    let outer = folder.path().join("outer.html");
    let page = serde_json::to_string(html).unwrap().replace("</", "<\\/").replace("<!--", "<\\!--");
    let text = format!(
        "<!doctype html><meta charset=utf-8><body><pre id=found></pre><script>var page = {page};\n{TRIAL}</script>"
    );
    std::fs::write(&outer, text).unwrap();
    let output = Command::new(browser)
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"])
        .args(["--disable-background-networking", "--disable-component-update", "--disable-sync"])
        .args(["--virtual-time-budget=20000", "--window-size=1400,900", "--dump-dom"])
        .arg(format!("--user-data-dir={}", folder.path().join("profile").display()))
        .arg(format!("file://{}", outer.display()))
        .output()
        .unwrap();
    let dom = String::from_utf8_lossy(&output.stdout);
    let found =
        dom.split("<pre id=\"found\">").nth(1).and_then(|rest| rest.split("</pre>").next()).unwrap_or("");
    let found = found.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
    serde_json::from_str(&found).unwrap_or_else(|error| {
        panic!("the browser found {found:?} ({error}): {}", String::from_utf8_lossy(&output.stderr))
    })
}

fn demo() -> Session {
    let company = vembra_demo::Company::new(vembra_demo::ORDERS);
    let mut builder = Session::builder().model_text("bees.vembra", vembra_demo::MODEL);
    for (table, csv) in vembra_demo::tables(&company).unwrap() {
        builder = builder.csv_text(table, String::from_utf8(csv).unwrap());
    }
    builder.open().unwrap()
}

fn pictures_on(page: &vembra::Page) -> usize {
    let items = page.rows.iter().flat_map(|s| &s.items);
    items.filter(|(item, _)| matches!(item, vembra::PageItem::Pictures(_))).count()
}

#[test]
fn the_demo_page_works_in_a_browser() {
    let Some(browser) = browser() else {
        vembra_testing::left_out("a page in a browser", "no browser is installed");
        return;
    };
    let page = demo().page("overview", &[]).unwrap();
    let found = tried(&browser, &page.html());
    for (frame, width) in [("screen", 1280.0), ("telephone", 390.0)] {
        let found = &found[frame];
        let list = |name: &str| found[name].as_array().unwrap_or_else(|| panic!("{name}: {found}")).clone();
        assert_eq!(list("errors"), Vec::<serde_json::Value>::new(), "{frame}");
        assert_eq!(found["title"], "Marrowfield at a glance");
        assert!(found["width"].as_f64().unwrap() <= width, "{frame} scrolls sideways: {}", found["width"]);
        assert_eq!(list("cut"), Vec::<serde_json::Value>::new(), "{frame} cuts texts off");
        assert_eq!(list("overlaps"), Vec::<serde_json::Value>::new(), "{frame} lays texts on each other");
        assert_eq!(list("pale"), Vec::<serde_json::Value>::new(), "{frame} has texts without contrast");
        assert_eq!(list("fetched"), Vec::<serde_json::Value>::new(), "{frame} fetches something");
        // One heading for the page and one per report, each with its figures in a table or as a number.
        assert_eq!(found["h1"], 1);
        assert_eq!(list("headings").len(), pictures_on(&page), "{frame}");
        assert!(found["tables"].as_u64().unwrap() >= 8, "{frame}: {}", found["tables"]);
        // The switch shows days of the month instead of weekdays.
        assert_eq!(found["before"], serde_json::json!([true, false]), "{frame} starts with weekdays");
        assert_eq!(
            found["after"],
            serde_json::json!([false, true]),
            "{frame} goes on with days of the month"
        );
        // The year changes the number.
        assert_ne!(found["number_before"], found["number_after"], "{frame}");
        let tip = found["tip"].as_str().unwrap();
        assert!(tip.contains("Month: 2024-01") && tip.contains("ordered: €"), "{frame} {tip:?}");
        let keyed = found["keyed"].as_str().unwrap();
        assert!(keyed.contains("Month: 2024-02"), "{frame} {keyed:?}");
        assert_eq!(found["inside"], true, "{frame} shows what a tooltip tells outside of the window");
    }
    // Folded away, each report says what its figures are made of; a number explains itself.
    let html = page.html();
    assert!(html.matches("Where figures come from").count() >= pictures_on(&page));
    // Down to the columns of the files.
    assert!(html.contains("<dt>order_line.net</dt><dd><code>quantity * unit_price * (1 - discount)</code>"));
    assert!(html.contains("<dt>order_line.csv</dt><dd><code>quantity, unit_price, discount</code>"));
    assert!(html.contains("<dt>revenue</dt><dd><code>sum(net)</code></dd>"));
    assert!(html.contains("Worked out a second time, row by row: the same as in the answer."));
    assert_eq!(found["screen"]["wide"], true);
    assert_eq!(found["telephone"]["wide"], false);
}

#[test]
fn rows_open_are_sorted_and_explain_themselves_in_a_browser() {
    let Some(browser) = browser() else {
        vembra_testing::left_out("rows that open in a browser", "no browser is installed");
        return;
    };
    let session = crate::opened::session(crate::opened::SALES);
    let found = tried(&browser, &session.page("down", &[]).unwrap().html());
    for frame in ["screen", "telephone"] {
        let found = &found[frame];
        assert_eq!(found["errors"], serde_json::json!([]), "{frame}");
        let wanted = serde_json::json!({
            "closed": "2024 2025 Total",
            "clicked": "2024 2024-Q1 2024-Q2 2025 Total",
            "keyed": "2024 2024-Q1 2024-02 2024-Q2 2025 Total",
            // 12 pieces in 2024, 6 in 2025; within 2024 the first quarter has 7, the second 5. The total stays last.
            "ascending": "2025 2024 2024-Q2 2024-Q1 2024-02 Total",
            "again": "2024 2024-Q1 2024-02 2024-Q2 2025 Total",
            "left": "2024 2025 Total",
        });
        assert_eq!(found["rows"], wanted, "{frame}");
        let unfolded = found["unfolded"][0].as_str().unwrap();
        assert!(
            unfolded.contains("pieces = sum(amount)") && unfolded.contains("3 rows"),
            "{frame} {unfolded}"
        );
        assert_eq!(found["folded"], 0, "{frame}");
    }
}

#[test]
fn headings_sort_by_what_stands_below_them() {
    let Some(browser) = browser() else {
        vembra_testing::left_out("headings that sort in a browser", "no browser is installed");
        return;
    };
    let model = "fact sale from 'sale'\nmeasure total = sum(amount)\n  format '#,##0'\n\
        report lines 'Lines' = rows sale.shop, sale.size show total drawn as table\n\
        report single 'Single' = list shop, amount from sale\ndashboard d 'D' row: lines, single\n";
    let sales = "shop,size,amount\nNorth,10,5\nNorth,9,2000\nSouth,9,300\nEast,100,40\n";
    let session = Session::builder().model_text("m.vembra", model).csv_text("sale", sales).open().unwrap();
    let found = tried(&browser, &session.page("d", &[]).unwrap().html());
    let texts = |value: &serde_json::Value| -> String {
        value
            .as_array()
            .unwrap()
            .iter()
            .map(|row| row.as_str().unwrap().replace(' ', ""))
            .collect::<Vec<_>>()
            .join(" ")
    };
    for frame in ["screen", "telephone"] {
        assert_eq!(found[frame]["errors"], serde_json::json!([]), "{frame}");
        let sorted =
            |table: usize, column: usize, click: usize| texts(&found[frame]["sorted"][table][column][click]);
        let as_it_was = "East10040 North92,000 North105 South9300";
        // A shop stands by its largest line, and its lines within it.
        assert_eq!(sorted(0, 2, 0), "North92,000 North105 South9300 East10040", "{frame}");
        assert_eq!(sorted(0, 2, 1), "North105 North92,000 East10040 South9300", "{frame}");
        assert_eq!(sorted(0, 2, 2), as_it_was, "{frame}");
        // Sizes are numbers: 9 stands before 10, and 100 last.
        assert_eq!(sorted(0, 1, 0), "North92,000 North105 South9300 East10040", "{frame}");
        assert_eq!(sorted(0, 1, 1), "East10040 North105 North92,000 South9300", "{frame}");
        assert_eq!(sorted(0, 0, 1), "South9300 North92,000 North105 East10040", "{frame}");
        // So are amounts of a list.
        assert_eq!(sorted(1, 1, 0), "North2000 South300 East40 North5", "{frame}");
        assert_eq!(sorted(1, 1, 1), "North5 East40 South300 North2000", "{frame}");
        assert_eq!(sorted(1, 1, 2), "North5 North2000 South300 East40", "{frame}");
    }
}

#[test]
fn names_that_try_to_be_markup_run_nothing() {
    let Some(browser) = browser() else {
        vembra_testing::left_out("a page in a browser", "no browser is installed");
        return;
    };
    let model = "fact t from 't'\nmeasure total = sum(amount)\n\
        report r '</title><script>window.ran = 1</script>' = rows t.name show total drawn as bars along t.name\n\
        report s = rows t.name show total drawn as table\n\
        dashboard d '<img src=x onerror=\"window.ran = 1\">' row: r, s\n";
    let names = "\"<script>window.ran = 1</script>\",1\n\"\"\"><img src=x onerror=window.ran=1>\",2\n\"' onload='window.ran=1\",3\n";
    let session = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("t", format!("name,amount\n{names}"))
        .open()
        .unwrap();
    let found = tried(&browser, &session.page("d", &[]).unwrap().html());
    for frame in ["screen", "telephone"] {
        assert_eq!(found[frame]["ran"], serde_json::Value::Null, "{frame}");
        assert_eq!(found[frame]["errors"], serde_json::json!([]), "{frame}");
        assert_eq!(found[frame]["title"], "<img src=x onerror=\"window.ran = 1\">");
    }
}

#[test]
fn a_page_with_a_broken_report_is_refused_and_others_are_drawn() {
    let model = "fact sale from 'sale'\nmeasure total = sum(amount)\n\
        report good 'Good' = rows sale.shop show total drawn as bars\n\
        report broken 'Broken' = rows sale.shop show totl drawn as bars\n\
        dashboard page 'Page' 800 by 600 row 1: good, broken\ndashboard fine 'Fine' 800 by 600 row 1: good\n";
    let session = vembra::Session::builder()
        .model_text("m.vembra", model)
        .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\n")
        .open()
        .unwrap();
    for name in ["broken", "page"] {
        let failure = session.page(name, &[]).map(drop).unwrap_err().to_string();
        assert!(failure.contains("nothing is called totl"), "{name}: {failure}");
    }
    assert!(session.report("broken", &[]).is_err());
    for name in ["good", "fine"] {
        assert!(session.page(name, &[]).is_ok(), "{name}");
    }
}
