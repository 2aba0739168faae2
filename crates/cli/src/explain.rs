//! The command `explain`.

use crate::Exit;
use crate::arguments::{Explain, Written};
use crate::commands::{givens, open_model};
use crate::files::{not_of_model, write_file};
use crate::output::{answer, data, failure, remark};
use std::path::Path;
use vembra::{Align, ExplainedTable, SecondWay, Session, TextTable};

/// How many rows are shown.
const SHOWN: usize = 20;
/// Why rows of a server are neither shown nor written.
const STAY: &str = "the rows behind this figure stay on the server; ask for those that you want to see: list … from TABLE where …";

pub(crate) fn explain(arguments: &Explain) -> Exit {
    let given = match givens(&arguments.given) {
        Ok(given) => given,
        Err(exit) => return exit,
    };
    let session = match open_model(&arguments.opened) {
        Ok(session) => session,
        Err(exit) => return exit,
    };
    if let Some(exit) = arguments.to.as_deref().and_then(|file| unsuited(&session, file)) {
        return exit;
    }
    let explained = session
        .query(&arguments.query)
        .given_all(given)
        .explain(&arguments.cell, arguments.figure.as_deref());
    let explanation = match explained {
        Ok(explanation) => explanation,
        Err(error) => return failure(&error),
    };
    let table = session.explained_rows(&explanation);
    let mut text = match arguments.format {
        Written::Text => explanation.text(),
        Written::Json => match serde_json::to_string_pretty(&explanation) {
            Ok(text) => text + "\n",
            Err(error) => {
                remark(&format!("error: the explanation cannot be written: {error}\n"));
                return Exit::Outside;
            }
        },
    };
    let stay = explanation.second_way == SecondWay::PlainStatement;
    match &table {
        Some(table) if arguments.rows => text.push_str(&rows_text(table)),
        None if arguments.rows && stay => remark(&format!("note: {STAY}\n")),
        _ => {}
    }
    let mut exit = match arguments.format {
        Written::Text => answer(&text),
        Written::Json => data(text.as_bytes()),
    };
    if let (Exit::Fine, Some(file)) = (exit, &arguments.to) {
        exit = match &table {
            Some(table) => match table.csv() {
                Ok(text) => write_file(file, text.as_bytes()),
                Err(error) => {
                    remark(&format!("error: the rows cannot be written: {error}\n"));
                    Exit::Outside
                }
            },
            None if stay => {
                remark(&format!("error: {STAY}\n"));
                Exit::Wrong
            }
            None => {
                remark("error: no rows stand behind this figure, so there is nothing to write\n");
                Exit::Wrong
            }
        };
    }
    match exit {
        Exit::Fine if !explanation.agrees => Exit::Findings,
        exit => exit,
    }
}

/// Why rows are not written into a file.
fn unsuited(session: &Session, file: &Path) -> Option<Exit> {
    let ending = file.extension().map(|e| e.to_string_lossy().to_ascii_lowercase());
    if ending.as_deref().is_some_and(|ending| ending != "csv") {
        remark(&format!(
            "error: rows are written as CSV, and {} ends otherwise; end it with .csv\n",
            file.display()
        ));
        return Some(Exit::Wrong);
    }
    not_of_model(session, file).err()
}

fn rows_text(table: &ExplainedTable) -> String {
    let mut shown = TextTable::new(vec![Align::Left; table.header.len()]);
    shown.heading(table.header.clone());
    table.rows.iter().take(SHOWN).for_each(|row| shown.row(row.clone()));
    let count = table.rows.len();
    let more = if count > SHOWN {
        format!("{SHOWN} of {count} rows; --to FILE writes all\n")
    } else {
        format!("{count} {}\n", if count == 1 { "row" } else { "rows" })
    };
    format!("\nRows of {}\n\n{shown}\n{more}", table.table)
}
