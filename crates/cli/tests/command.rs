//! The command as its users call it: exit codes, streams, and every command that the documents show.
#![allow(clippy::unwrap_used, clippy::panic, clippy::print_stdout)] // Tests stop at the first fault.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn vembra(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_vembra"))
        .env("VEMBRA_CACHE", "off")
        .args(arguments)
        .current_dir(root())
        .output()
        .unwrap()
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8(bytes.to_vec()).unwrap()
}

fn exit(output: &Output) -> i32 {
    output.status.code().unwrap()
}

/// The words of a command line; double quotes keep words together.
fn words(line: &str) -> Vec<String> {
    line.split('"')
        .enumerate()
        .flat_map(|(at, part)| match at % 2 {
            1 => vec![part.to_owned()],
            _ => part.split_whitespace().map(str::to_owned).collect(),
        })
        .collect()
}

/// What a command line of a document does; `< FILE` is its standard input.
fn shown(line: &str) -> Output {
    let input = line.rsplit_once(" < ").filter(|(_, file)| !file.contains(['"', ' ']));
    let (line, input) = input.map_or((line, None), |(line, file)| (line, Some(file)));
    let mut command = Command::new(env!("CARGO_BIN_EXE_vembra"));
    command.env("VEMBRA_CACHE", "off");
    command.args(words(line)).current_dir(root()).stdin(Stdio::null());
    // As it is for a new user, whose home is another one for each command.
    let home = tempfile::tempdir().unwrap();
    command.env("HOME", home.path()).env_remove("XDG_CACHE_HOME").env_remove("VEMBRA_CACHE");
    if let Some(file) = input {
        command.stdin(std::fs::File::open(root().join(file)).unwrap());
    }
    command.output().unwrap()
}

/// A document with what its commands print put behind them.
fn with_output(document: &str) -> String {
    let mut fresh = String::new();
    let mut inside = false;
    for line in document.lines() {
        if let Some(command) = line.strip_prefix("$ vembra ") {
            inside = true;
            let output = shown(command);
            fresh.push_str(&format!("{line}\n{}{}", text(&output.stderr), text(&output.stdout)));
        } else if !inside || line.starts_with("```") {
            inside = false;
            fresh.push_str(line);
            fresh.push('\n');
        }
    }
    fresh
}

/// `VEMBRA_WRITE=1 cargo test -p vembra-cli` writes the documents again; read them before they are kept.
#[test]
fn documents_show_what_the_commands_print() {
    for name in ["README.md", "docs/reference.md", "docs/guide.md", "docs/mistakes.md", "docs/editors.md"] {
        let path = root().join(name);
        let document = std::fs::read_to_string(&path).unwrap();
        let fresh = with_output(&document);
        if std::env::var_os("VEMBRA_WRITE").is_some() {
            std::fs::write(&path, fresh).unwrap();
        } else {
            assert!(document == fresh, "{name} shows something else than the commands print:\n{fresh}");
        }
    }
}

#[test]
fn exit_codes_tell_whose_fault_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str, text: &str| {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        path.display().to_string()
    };
    file("good.csv", "n\n1\n2\n");
    file("bad.csv", "n\n1,2\n");
    let good = file("good.vembra", "fact t from 'good.csv'\nmeasure total = sum(n)\n");
    let bad = file("bad.vembra", "fact t from 'bad.csv'\n");
    let wrong = file("wrong.vembra", "fact t from 'good.csv'\ncolumn t.total = m + 1\n");
    let lost = file("lost.vembra", "fact t from 'lost.csv'\n");
    let query = file("query.txt", "show\n  total -- the sum\n");
    let cases: [(&[&str], i32); 14] = [
        (&["check", &good], 0),
        (&["check", "demo/bees.vembra"], 1),
        (&["check", &bad], 1),
        (&["check", &wrong], 2),
        (&["check", &lost], 3),
        (&["check", "no/such.vembra"], 2),
        (&["ask", &good, "show total"], 0),
        (&["ask", &good, "show totals"], 2),
        (&["ask", &bad, "show 1"], 3),
        (&["ask", &good, "--file", &query], 0),
        (&["ask", &good, "--file", "no/such.txt"], 3),
        (&["ask", &good], 2),
        (&["describe", &good, "nothing"], 2),
        (&["explode"], 2),
    ];
    for (arguments, wanted) in cases {
        let output = vembra(arguments);
        assert_eq!(exit(&output), wanted, "{arguments:?}\n{}", text(&output.stderr));
        // What is no answer goes to standard error.
        if wanted >= 2 {
            assert!(output.stdout.is_empty() && !output.stderr.is_empty(), "{arguments:?}");
        }
    }
}

#[test]
fn a_query_comes_from_standard_input() {
    let mut child = Command::new(env!("CARGO_BIN_EXE_vembra"))
        .env("VEMBRA_CACHE", "off")
        .args(["ask", "demo/bees.vembra", "-", "--format", "csv"])
        .current_dir(root())
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(b"show lines").unwrap();
    let output = child.wait_with_output().unwrap();
    assert_eq!(text(&output.stdout), "lines\n27185\n");
}

#[test]
fn nothing_is_coloured_when_piped_and_a_closed_pipe_is_no_failure() {
    let output = vembra(&["ask", "demo/bees.vembra", "show revnue"]);
    assert!(!output.stderr.contains(&0x1b));
    let mut child = Command::new(env!("CARGO_BIN_EXE_vembra"))
        .env("VEMBRA_CACHE", "off")
        .args(["ask", "demo/bees.vembra", "list order_no, net from order_line"])
        .current_dir(root())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let output = child.wait_with_output().unwrap();
    assert_eq!((exit(&output), text(&output.stderr)), (0, String::new()));
}

#[test]
fn the_demo_is_written_and_answers() {
    let folder = tempfile::tempdir().unwrap();
    let to = folder.path().join("bees").display().to_string();
    assert_eq!(exit(&vembra(&["demo", "--orders", "500", "--to", &to])), 0);
    let output = vembra(&["ask", &format!("{to}/bees.vembra"), "show orders", "--format", "json"]);
    assert_eq!(text(&output.stdout), "[\n  {\n    \"orders\": 500\n  }\n]\n");
    // The files of the repository are those of the default size.
    let refused = vembra(&["demo", "--to", &to]);
    assert_eq!(exit(&refused), 2);
    assert!(
        text(&refused.stderr).contains("has order_line.csv and 9 more already"),
        "{}",
        text(&refused.stderr)
    );
    assert_eq!(exit(&vembra(&["demo", "--to", &to, "--force"])), 0);
    for entry in std::fs::read_dir(root().join("demo")).unwrap() {
        let path = entry.unwrap().path();
        let written = folder.path().join("bees").join(path.file_name().unwrap());
        assert!(std::fs::read(&path).unwrap() == std::fs::read(written).unwrap(), "{path:?}");
    }
}

#[test]
fn the_tour_and_the_descriptions_read_well() {
    let shown = |arguments: &[&str]| text(&vembra(arguments).stdout);
    let tour = shown(&["demo"]);
    let next = "Write these files into a folder and go on from there:  vembra demo --to bees\n";
    // The tour itself is pinned beside its queries.
    let company = vembra_demo::Company::new(vembra_demo::ORDERS);
    let session = vembra_tour::builder(&company).unwrap().open().unwrap();
    assert_eq!(tour, format!("{}\n{next}", vembra_tour::text(&session).unwrap()));
    insta::assert_snapshot!("describe_measure", shown(&["describe", "demo/bees.vembra", "revenue_shipped"]));
    insta::assert_snapshot!("describe_column", shown(&["describe", "demo/bees.vembra", "customer.region"]));
    insta::assert_snapshot!("describe_table", shown(&["describe", "demo/bees.vembra", "target"]));
    insta::assert_snapshot!(
        "grid_csv",
        shown(&[
            "ask",
            "demo/bees.vembra",
            "--format",
            "csv",
            "--layout",
            "grid",
            "rows product.category columns calendar.year show units, margin totals on rows, on columns"
        ])
    );
}

#[test]
fn reports_are_drawn_into_files_by_their_endings() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).display().to_string();
    let starts: [(&str, &[u8]); 4] = [
        ("number.svg", b"<svg "),
        ("number.png", b"\x89PNG\r\n"),
        ("number.html", b"<!DOCTYPE html>"),
        ("number.txt", b"Customers lost by 2024-12-31\n"),
    ];
    for (name, start) in starts {
        let file = path(name);
        let output = vembra(&[
            "draw",
            "demo/bees.vembra",
            "lost_number",
            "--to",
            &file,
            "--given",
            "as_of=2024-12-31",
        ]);
        assert_eq!(exit(&output), 0, "{}", text(&output.stderr));
        assert_eq!(text(&output.stderr), format!("wrote {file}\n"));
        assert!(std::fs::read(&file).unwrap().starts_with(start), "{name}");
    }
    // Several names go into a folder, one file each.
    let charts = path("charts/");
    let output =
        vembra(&["draw", "demo/bees.vembra", "lost_number", "overview", "--to", &charts, "--format", "svg"]);
    assert_eq!(exit(&output), 0, "{}", text(&output.stderr));
    let mut names: Vec<String> = std::fs::read_dir(&charts)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .collect();
    names.sort();
    assert_eq!(names, ["lost_number.svg", "overview.svg"]);
}

#[test]
fn what_cannot_be_drawn_says_why() {
    let said = |arguments: &[&str]| {
        let output = vembra(arguments);
        format!("{} {}", exit(&output), text(&output.stderr))
    };
    let model = "demo/bees.vembra";
    assert_eq!(
        said(&["draw", model, "lost_numbr"]),
        "2 error[V360]: there is no report and no dashboard lost_numbr\n |\n = help: did you mean lost_number?\n"
    );
    assert_eq!(
        said(&["draw", model, "lost_number", "--to", "number.bmp"]),
        "2 error: the ending of number.bmp says no way to draw; use .svg, .png, .html or .txt, or a folder that ends with /\n"
    );
    assert_eq!(
        said(&["draw", model, "lost_number", "overview", "--to", "x.svg"]),
        "2 error: several names need a folder, which takes one file each: --to charts/ --format png\n"
    );
    assert!(said(&["draw", model, "lost_number", "--size", "5x5"]).contains("such as 1280x800"));
    assert!(
        said(&["draw", model, "lost_number", "--to", "no/such/folder.svg"])
            .starts_with("3 error: no/such/folder.svg")
    );
}

/// The names of the parts of a zip archive, from its directory.
fn zip_names(bytes: &[u8]) -> Vec<String> {
    let mut names = Vec::new();
    for at in 0..bytes.len().saturating_sub(46) {
        if &bytes[at..at + 4] == b"PK\x01\x02" {
            let length = usize::from(u16::from_le_bytes([bytes[at + 28], bytes[at + 29]]));
            names.push(String::from_utf8_lossy(&bytes[at + 46..at + 46 + length]).into_owned());
        }
    }
    names
}

#[test]
fn answers_go_into_files_by_their_endings() {
    let folder = tempfile::tempdir().unwrap();
    let query = "rows customer.region show revenue, buyers totals on rows";
    let written = |name: &str| {
        let file = folder.path().join(name);
        let output = vembra(&["ask", "demo/bees.vembra", query, "--to", &file.display().to_string()]);
        assert_eq!(exit(&output), 0, "{}", text(&output.stderr));
        std::fs::read(file).unwrap()
    };
    let markdown = text(&written("a.md"));
    assert!(
        markdown.starts_with("| customer.region | Revenue | Buyers |\n| --- | ---: | ---: |\n| Sarrow |"),
        "{markdown}"
    );
    assert!(markdown.contains("| **Total** | **€7,969,413** | **394** |"), "{markdown}");
    assert!(written("a.parquet").starts_with(b"PAR1") && written("a.arrow").starts_with(b"ARROW1"));
    let spreadsheet = written("a.xlsx");
    assert!(zip_names(&spreadsheet).iter().any(|n| n == "xl/worksheets/sheet1.xml"));
    // The same bytes each time: no clock.
    assert_eq!(spreadsheet, written("a.xlsx"));
    let refused = vembra(&["ask", "demo/bees.vembra", query, "--format", "parquet"]);
    assert_eq!(exit(&refused), 2);
    assert_eq!(
        text(&refused.stderr),
        "error: this format is for files and pipes: say which file, such as --to answer.xlsx, or --to - for standard output\n"
    );
}

#[test]
fn a_query_shows_the_forms_that_it_goes_through() {
    let query = "rows calendar.year show revenue where customer.region = 'Dunlow'";
    let shown = |stage: &str| text(&vembra(&["ask", "demo/bees.vembra", query, "--emit", stage]).stdout);
    assert!(shown("tree").starts_with("Query@0..64\n  RowsClause@0..18\n"), "{}", shown("tree"));
    assert_eq!(
        shown("model"),
        "rows calendar.year: year, from calendar.year\nshow revenue: decimal, one per cell, from revenue\n\
         where customer.region = 'Dunlow'\ngiven as_of = '2025-06-30'\ngiven focus_year = 2025\n"
    );
    for stage in ["plan", "rewritten"] {
        let plan = shown(stage);
        assert!(plan.contains("scan t") && plan.contains("show revenue = n"), "{plan}");
    }
}

#[test]
fn why_tells_what_was_read_and_shared() {
    let output =
        vembra(&["ask", "demo/bees.vembra", "rows calendar.year show revenue, orders, margin", "--why"]);
    let told = text(&output.stderr);
    for part in [
        "order_line was read once.",
        "1. order_line: 27,185 rows, 3 groups, ",
        "   by calendar.year: ",
        "   count(distinct order_line.order_no)\n",
        "ordering and naming lines",
        "in all ",
    ] {
        assert!(told.contains(part), "{told}");
    }
    assert!(text(&output.stdout).starts_with("calendar.year"));
}

#[test]
fn models_are_laid_out_and_checked() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("m.vembra");
    let name = file.display().to_string();
    std::fs::write(&file, "measure  a=1 label 'A'\n").unwrap();
    let checked = vembra(&["fmt", "--check", &name]);
    assert_eq!((exit(&checked), text(&checked.stderr)), (1, format!("{name} is laid out otherwise\n")));
    assert_eq!(exit(&vembra(&["fmt", &name])), 0);
    assert_eq!(std::fs::read_to_string(&file).unwrap(), "measure a = 1\n    label 'A'\n");
    assert_eq!(exit(&vembra(&["fmt", "--check", &name])), 0);
    std::fs::write(&file, "measure = 1\n").unwrap();
    let wrong = vembra(&["fmt", &name]);
    assert!(exit(&wrong) == 2 && text(&wrong.stderr).contains("V103"), "{}", text(&wrong.stderr));
    assert_eq!(std::fs::read_to_string(&file).unwrap(), "measure = 1\n");
    assert_eq!(exit(&vembra(&["fmt", "no/such.vembra"])), 3);
}

#[test]
fn a_check_is_given_as_data() {
    let output = vembra(&["check", "demo/bees.vembra", "--format", "json"]);
    assert_eq!(exit(&output), 1);
    let found: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(found["findings"][0]["code"], "V503");
    assert_eq!(found["findings"][0]["line"], 3721);
    assert!(found["assertions"].as_array().unwrap().iter().all(|e| e["holds"] == true));
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("m.vembra");
    std::fs::write(&file, "fact t from 't.csv'\nmesure a = 1\n").unwrap();
    let output = vembra(&["check", &file.display().to_string(), "--format", "json"]);
    assert_eq!(exit(&output), 2);
    let found: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let diagnostic = &found["diagnostics"][0];
    assert_eq!(diagnostic["labels"][0]["place"]["line"], 2);
    assert_eq!(diagnostic["help"][0]["fix"]["text"], "measure");
}

#[test]
fn a_broken_report_is_told_by_the_check_and_stops_no_query() {
    let folder = tempfile::tempdir().unwrap();
    let model = folder.path().join("m.vembra");
    std::fs::write(folder.path().join("sale.csv"), "shop,amount\nNorth,1\nSouth,2\n").unwrap();
    let text =
        "fact sale from 'sale.csv'\nmeasure total = sum(amount)\nreport r 'R' = rows sale.shop show totl\n";
    std::fs::write(&model, text).unwrap();
    let model = model.to_str().unwrap();
    let checked = vembra(&["check", model]);
    assert_eq!(checked.status.code(), Some(2));
    let shown = String::from_utf8_lossy(&checked.stdout);
    assert!(
        shown.contains("error[V201]: nothing is called totl") && shown.contains("\n1 error, 0 warnings\n"),
        "{shown}"
    );
    let asked = vembra(&["ask", model, "show total"]);
    assert_eq!(asked.status.code(), Some(0));
    let told = String::from_utf8_lossy(&asked.stderr);
    assert!(told.contains("note[V418]") && told.contains("vembra check"), "{told}");
}

#[test]
fn a_broken_measure_stops_only_what_needs_it() {
    let folder = tempfile::tempdir().unwrap();
    let model = folder.path().join("m.vembra");
    std::fs::write(folder.path().join("sale.csv"), "shop,amount\nNorth,1\nSouth,2\n").unwrap();
    let text = "fact sale from 'sale.csv'\nmeasure total = sum(amount)\nmeasure bad = sum(amonut)\n\
                measure worse = bad / total\nassert 'three': total = 3\nassert 'none': worse = 1\n";
    std::fs::write(&model, text).unwrap();
    let path = model.to_str().unwrap();
    let checked = vembra(&["check", path]);
    assert_eq!(checked.status.code(), Some(2));
    let shown = String::from_utf8_lossy(&checked.stdout);
    for part in [
        "error[V201]: nothing is called amonut",
        "holds: three",
        "it cannot be tried: the measure bad is wrong",
    ] {
        assert!(shown.contains(part), "{part}: {shown}");
    }
    let asked = vembra(&["ask", path, "show total"]);
    assert_eq!(asked.status.code(), Some(0));
    assert!(
        String::from_utf8_lossy(&asked.stderr)
            .contains("the measure bad of the model is wrong, and was left out")
    );
    // What needs it says so, however far away it is.
    for query in ["show bad", "show worse", "rows sale.shop show total where (worse per sale.shop) > 1"] {
        let asked = vembra(&["ask", path, query]);
        assert_eq!(asked.status.code(), Some(2), "{query}");
        assert!(
            String::from_utf8_lossy(&asked.stderr).contains("error[V236]: the measure bad is wrong"),
            "{query}"
        );
    }
    // A column that needs it is part of the tables: the model is not opened, and the one mistake is told once.
    std::fs::write(&model, format!("{text}column sale.share = bad per sale.shop\n")).unwrap();
    let asked = vembra(&["ask", path, "show total"]);
    let told = String::from_utf8_lossy(&asked.stderr);
    assert_eq!(asked.status.code(), Some(2));
    assert!(told.contains("error[V201]") && !told.contains("V236"), "{told}");
}
