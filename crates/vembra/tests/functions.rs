//! What each operator and function gives, as a list of expressions with their values (`functions/cases.txt`), as a figure of a query and
//! as a value of rows; and that no function of the language is left out.

use std::fs;
use std::path::Path;
use vembra::{Answer, Scalar, Session};

const MODEL: &str = "calendar from '2023-01-01' to '2025-12-31'\n    fiscal year starts october\n    working where weekday not in ('Saturday', 'Sunday')\nfact t from 't'\n";

fn cases() -> Vec<(String, String)> {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/functions/cases.txt");
    let text = fs::read_to_string(file).unwrap();
    let lines = text.lines().filter(|line| !line.is_empty() && !line.starts_with("--"));
    let parts = |line: &str| {
        let (expr, value) = line.rsplit_once("->").unwrap();
        (expr.trim().to_owned(), value.trim().to_owned())
    };
    lines.map(parts).collect()
}

fn session() -> Session {
    Session::builder().model_text("m.vembra", MODEL).csv_text("t", "n\n1\n2\n").open().unwrap()
}

fn shown(value: &Scalar) -> String {
    if value.is_null() { String::new() } else { value.to_string() }
}

#[test]
fn each_gives_what_sql_says() {
    let session = session();
    let mut wrong = Vec::new();
    for (expr, wanted) in cases() {
        // As a figure, and as a value of rows: two ways through the engine.
        for query in [format!("show ({expr}) as x"), format!("list {expr} as x from t limit 1")] {
            let found = match session.ask(&query).map(|reply| reply.answer) {
                Ok(Answer::Summary(summary)) => shown(&summary.lines[0].cells[0].value),
                Ok(Answer::List(list)) => shown(&list.rows[0][0]),
                Err(error) => error.to_string(),
            };
            if found != wanted {
                wrong.push(format!("{query}: {found}, not {wanted}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn no_function_is_left_out() {
    let cases = cases();
    let left_out: Vec<&str> = vembra::inside::Function::NAMED
        .iter()
        .map(|(name, _)| *name)
        .filter(|name| cases.iter().filter(|(expr, _)| expr.contains(&format!("{name}("))).count() < 2)
        .collect();
    assert!(left_out.is_empty(), "fewer than two cases of {left_out:?}");
}
