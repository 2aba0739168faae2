//! Options of `ask` together: whatever stands beside them, an answer is the same bytes in a file and on standard output, `--why` adds nothing
//! to it, and what does not go together is refused before anything is written.
#![allow(clippy::unwrap_used)] // Tests stop at the first fault.

use std::fs;
use std::path::Path;
use std::process::{Command, Output};

const MODEL: &str = "calendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale.csv'\nlink sale.day to calendar\n\
    measure total = sum(amount)\nparam least: integer default 0\nviewer north sees only sale.shop = 'North'\n";
const SALES: &str = "day,shop,amount\n2025-01-01,North,1.50\n2025-02-01,South,2.25\n2025-02-02,North,4\n";
const QUERY: &str = "rows calendar.month columns sale.shop show total, count(amount where amount > :least) as more totals on rows";

fn ask(folder: &Path, options: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vembra"));
    command.env("VEMBRA_CACHE", "off");
    command.args(["ask", "m.vembra", QUERY]).args(options).current_dir(folder).output().unwrap()
}

fn folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("m.vembra"), MODEL).unwrap();
    fs::write(folder.path().join("sale.csv"), SALES).unwrap();
    folder
}

#[test]
fn an_answer_is_the_same_bytes_wherever_it_goes() {
    let folder = folder();
    let path = folder.path();
    let formats: [&[&str]; 8] = [
        &[],
        &["--format", "table"],
        &["--format", "csv"],
        &["--format", "json"],
        &["--format", "markdown"],
        &["--format", "parquet"],
        &["--format", "arrow"],
        &["--format", "xlsx"],
    ];
    let others: [&[&str]; 5] = [
        &[],
        &["--layout", "tidy"],
        &["--layout", "grid"],
        &["--given", "least=2"],
        &["--viewer", "north", "--given", "least=1"],
    ];
    let mut answers = Vec::new();
    for format in formats {
        for other in others {
            let options: Vec<&str> = format.iter().chain(other).copied().collect();
            let written = ask(path, &[&options[..], &["--to", "out"]].concat());
            let said = String::from_utf8_lossy(&written.stderr).into_owned();
            assert!(!said.contains("panicked"), "{options:?}: {said}");
            assert_eq!(written.status.code(), Some(0), "{options:?}: {said}");
            let in_file = fs::read(path.join("out")).unwrap();
            fs::remove_file(path.join("out")).unwrap();
            let out = ask(path, &[&options[..], &["--to", "-"]].concat());
            let why = ask(path, &[&options[..], &["--to", "-", "--why"]].concat());
            assert_eq!((out.status.code(), why.status.code()), (Some(0), Some(0)), "{options:?}");
            assert!(why.stdout == out.stdout, "{options:?}: --why changes the answer");
            // Arrow goes into a file in its file form, and through a pipe as a stream.
            let alike = out.stdout == in_file;
            assert_eq!(alike, !options.contains(&"arrow"), "{options:?} in a file and on the output");
            assert!(String::from_utf8_lossy(&why.stderr).contains("from text to plan"), "{options:?}");
            assert!(out.stderr.is_empty(), "{options:?}: {}", String::from_utf8_lossy(&out.stderr));
            // Without an ending and a format it is a table.
            answers.push((format.get(1).copied().unwrap_or("none"), other, in_file));
        }
    }
    // What is given and who looks changes the answer, in every format.
    for format in ["none", "table", "csv", "json", "markdown", "parquet", "arrow", "xlsx"] {
        let of = |other: &[&str]| {
            let found = answers.iter().find(|(f, o, _)| *f == format && *o == other);
            found.map(|(.., bytes)| bytes.clone()).unwrap()
        };
        assert_ne!(of(&[]), of(&["--given", "least=2"]), "{format}");
        assert_ne!(of(&[]), of(&["--viewer", "north", "--given", "least=1"]), "{format}");
    }
}

#[test]
fn what_does_not_go_together_is_refused() {
    let folder = folder();
    let refused: [&[&str]; 8] = [
        &["--file", "q.txt"],
        &["--format", "xlsx", "--format", "csv"],
        &["--given", "least"],
        &["--given", "most=2"],
        &["--given", "least=2 rows sale.shop"],
        &["--given", "least=2, least=3"],
        &["--viewer", "south"],
        &["--layout", "wide"],
    ];
    for options in refused {
        let output = ask(folder.path(), options);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(2), "{options:?}: {said}");
        assert!(output.stdout.is_empty() && !said.contains("panicked"), "{options:?}: {said}");
    }
    let output = ask(folder.path(), &["--given", "least=2 rows sale.shop"]);
    let wanted = "error[V115]: rows does not belong here\n --> given least:1:11\n  |\n1 | least = 2 rows sale.shop\n  |           ^^^^ the value is \
        complete before this\n  |\n  = help: give each parameter one value by itself; clauses stand in the query\n";
    assert_eq!(String::from_utf8_lossy(&output.stderr), wanted);
}
