//! Tables that live on a server: the same figures as those of the same tables in memory. `VEMBRA_POSTGRES` says where a server is;
//! without it these tests say that they were left out.
#![allow(clippy::unwrap_used, clippy::panic, clippy::print_stdout)] // Tests stop at the first fault.

mod database;

use database::Place;
use std::collections::BTreeMap;
use std::path::Path;
use vembra::{Answer, Session};

fn root() -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// Every query that the documents ask of the demo.
fn queries() -> Vec<String> {
    let mut found = Vec::new();
    for file in ["README.md", "docs/reference.md", "docs/guide.md"] {
        let text = std::fs::read_to_string(root().join(file)).unwrap();
        for line in text.lines().filter_map(|l| l.strip_prefix("$ vembra ask demo/bees.vembra \"")) {
            found.extend(line.split('"').next().map(str::to_owned));
        }
    }
    found.sort();
    found.dedup();
    found
}

/// How two answers differ, if they do by more than the last digits of floats.
fn difference(there: &Answer, here: &Answer) -> Option<String> {
    match (there, here) {
        (Answer::Summary(there), Answer::Summary(here)) => {
            if there.lines.len() != here.lines.len() {
                return Some(format!("{} lines, not {}", there.lines.len(), here.lines.len()));
            }
            for (own, wanted) in there.lines.iter().zip(&here.lines) {
                let alike = own.rows == wanted.rows
                    && own.columns == wanted.columns
                    && own.kind == wanted.kind
                    && own
                        .cells
                        .iter()
                        .zip(&wanted.cells)
                        .all(|(a, b)| a.value.alike(&b.value) && a.value.is_null() == b.value.is_null());
                if !alike {
                    return Some(format!("{own:?}\n  not\n{wanted:?}"));
                }
            }
            None
        }
        (Answer::List(there), Answer::List(here)) => {
            let sorted = |rows: &[Vec<vembra::Scalar>]| {
                let mut rows: Vec<String> = rows.iter().map(|row| format!("{row:?}")).collect();
                rows.sort();
                rows
            };
            // Of rows that the sort leaves open a limit may take others: rows of a server have no order of their own.
            let same = there.rows.len() == here.rows.len()
                && (here.found > here.rows.len() || sorted(&there.rows) == sorted(&here.rows));
            (there.found != here.found || !same).then(|| "other rows".to_owned())
        }
        _ => Some("another kind of answer".to_owned()),
    }
}

#[test]
fn documented_queries_have_the_same_answers_on_a_server() {
    let Some(mut place) = Place::new("documented") else { return };
    let here = Session::open(root().join("demo/bees.vembra")).unwrap();
    let model = std::fs::read_to_string(root().join("demo/bees.vembra")).unwrap();
    for table in model.split('\'').filter_map(|part| part.strip_suffix(".csv")) {
        place.store(&here, table);
    }
    let there = Session::builder()
        .model_text("bees.vembra", place.served(&model) + "column target.month: month\n")
        .open()
        .unwrap_or_else(|e| panic!("{e}"));
    let mut refused: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let mut differ = Vec::new();
    let mut agreed = 0;
    for viewer in [None, Some("north_desk")] {
        for query in queries() {
            let ask = |session: &Session| {
                let asked = session.query(&query);
                if let Some(viewer) = viewer { asked.viewer(viewer).ask() } else { asked.ask() }
            };
            let Ok(wanted) = ask(&here) else { continue };
            match ask(&there) {
                Ok(found) => match difference(&found.answer, &wanted.answer) {
                    None => agreed += 1,
                    Some(how) => differ.push(format!("{viewer:?} {query}\n  {how}")),
                },
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
    for (why, queries) in &refused {
        println!("{} refused: {why}\n    {}", queries.len(), queries[0]);
    }
    println!("{agreed} agreed");
    assert!(differ.is_empty(), "{} differ:\n{}", differ.len(), differ.join("\n"));
}
