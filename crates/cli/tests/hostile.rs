//! Files and surroundings that are broken, huge or meant to do harm: each gets a message and an exit code, and nothing is
//! half-written.
#![allow(clippy::expect_used, clippy::panic)] // Tests stop at the first fault.

use std::fs;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Output, Stdio};

const MODEL: &str = "fact sale from 'sale.csv'\nmeasure total = sum(amount)\n";

fn folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    write(folder.path(), "m.vembra", MODEL);
    write(folder.path(), "sale.csv", "shop,amount\na,1\nb,2\n");
    folder
}

fn write(folder: &Path, name: &str, text: &str) {
    fs::write(folder.join(name), text).expect("a file");
}

fn vembra(folder: &Path, arguments: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vembra"));
    command.env("VEMBRA_CACHE", "off");
    command.args(arguments).current_dir(folder).output().expect("it runs")
}

/// The exit code, and all that is said.
fn said(folder: &Path, arguments: &[&str]) -> (i32, String) {
    let output = vembra(folder, arguments);
    let text = [output.stdout, output.stderr].concat();
    (output.status.code().expect("no signal"), String::from_utf8_lossy(&text).into_owned())
}

fn names(folder: &Path) -> Vec<String> {
    let entries = fs::read_dir(folder).expect("a folder");
    let mut names: Vec<String> =
        entries.map(|e| e.expect("an entry").file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    names
}

const ASK: [&str; 3] = ["ask", "m.vembra", "show total"];

#[test]
fn includes_stay_in_the_folder_of_the_model() {
    let outer = tempfile::tempdir().expect("a folder");
    let inner = outer.path().join("inner");
    fs::create_dir_all(inner.join("deep")).expect("folders");
    write(outer.path(), "secret.vembra", "measure secret = sum(amount)\n");
    write(&inner, "sale.csv", "amount\n1\n");
    let model = |include: &str| write(&inner, "m.vembra", &format!("{MODEL}include '{include}'\n"));

    let absolute = outer.path().join("secret.vembra").display().to_string();
    for outside in ["../secret.vembra", "deep/../../secret.vembra", &absolute] {
        model(outside);
        let (code, text) = said(&inner, &ASK);
        assert_eq!(code, 2, "{text}");
        assert!(text.contains("[V604]") && text.contains("lies outside the folder of the model"), "{text}");
        assert!(text.contains("--allow-outside"), "{text}");
        let allowed = ["ask", "m.vembra", "show secret", "--allow-outside"];
        assert_eq!(said(&inner, &allowed).0, 0, "{outside}");
    }
    // A file of the folder may be included by any path that leads to it.
    write(&inner, "deep/more.vembra", "measure more = count(rows of sale)\ninclude '../last.vembra'\n");
    write(&inner, "last.vembra", "measure last_one = 1 + total\n");
    model("deep/more.vembra");
    assert_eq!(said(&inner, &["ask", "m.vembra", "show more, last_one"]).0, 0);
    assert_eq!(said(outer.path(), &["ask", "inner/m.vembra", "show more"]).0, 0);
    // Files that include each other.
    write(&inner, "last.vembra", "include 'm.vembra'\n");
    let (code, text) = said(&inner, &ASK);
    assert_eq!(code, 2);
    assert!(text.contains("[V603]") && text.contains("included twice, or includes itself"), "{text}");
}

#[cfg(unix)]
#[test]
fn links_are_followed_but_lead_no_further() {
    use std::os::unix::fs::symlink;
    let outer = tempfile::tempdir().expect("a folder");
    let inner = outer.path().join("inner");
    fs::create_dir(&inner).expect("a folder");
    write(outer.path(), "secret.vembra", "measure secret = sum(amount)\n");
    write(&inner, "sale.csv", "amount\n1\n");
    write(&inner, "m.vembra", &format!("{MODEL}include 'link.vembra'\n"));
    symlink("../secret.vembra", inner.join("link.vembra")).expect("a link");
    let (code, text) = said(&inner, &ASK);
    assert_eq!(code, 2);
    assert!(text.contains("[V604]"), "{text}");
    fs::remove_file(inner.join("link.vembra")).expect("the link");
    symlink("link.vembra", inner.join("link.vembra")).expect("a link to itself");
    let (code, text) = said(&inner, &ASK);
    assert_eq!(code, 2);
    assert!(text.contains("[V602]"), "{text}");
    // What is written through a link lands where it leads, and the link stays.
    fs::remove_file(inner.join("link.vembra")).expect("the link");
    write(&inner, "m.vembra", MODEL);
    symlink("real.csv", inner.join("out.csv")).expect("a link");
    write(&inner, "real.csv", "old");
    assert_eq!(said(&inner, &["ask", "m.vembra", "show total", "--to", "out.csv"]).0, 0);
    assert!(inner.join("out.csv").is_symlink());
    assert_eq!(fs::read_to_string(inner.join("real.csv")).expect("a file"), "total\n1\n");
}

#[test]
fn what_is_too_large_is_said() {
    let folder = folder();
    let huge = "x".repeat(2 << 20);
    write(folder.path(), "q.txt", &format!("show '{huge}'"));
    let (code, text) = said(folder.path(), &["ask", "m.vembra", "--file", "q.txt"]);
    assert_eq!(code, 2);
    assert!(
        text.contains("[V605]") && text.contains("the query has 2 MB"),
        "{}",
        &text[..400.min(text.len())]
    );

    // A line that never ends; the file has holes and takes no room on the disk.
    let file = fs::File::create(folder.path().join("sale.csv")).expect("a file");
    file.set_len(65 << 20).expect("a length");
    let (code, text) = said(folder.path(), &ASK);
    assert_eq!(code, 3);
    assert!(text.contains("[V631] sale.csv, line 1: the line has more than 64 MB"), "{text}");
    let file = fs::File::create(folder.path().join("m.vembra")).expect("a file");
    file.set_len(65 << 20).expect("a length");
    let (code, text) = said(folder.path(), &ASK);
    assert_eq!(code, 2);
    assert!(text.contains("[V601]") && text.contains("it has 65 MB, and 64 MB are the most"), "{text}");
}

/// Texts that grow are counted while they are made, also those that only the largest of is kept, or that are put together.
#[test]
fn growing_texts_keep_within_the_memory_that_is_allowed() {
    let folder = folder();
    let rows: String = (0..20_000).map(|n| format!("name {n},{}\n", n % 50)).collect();
    write(folder.path(), "sale.csv", &format!("shop,amount\n{rows}"));
    for query in [
        "list rpad(shop, 100000) as p from sale",
        "rows sale.amount show max(rpad(shop, 900000)) as m, min(lpad(shop, 900000)) as n, max(rpad(shop, 950000)) as o, max(lpad(shop, 970000)) as p",
        "show listagg(rpad(shop, 50000)) as l",
        "rows rpad(sale.shop, 100000) as p show total",
        "show count(distinct replace(shop, 'n', rpad('x', 90000))) as c",
        "rows sale.shop show rpad(max(shop), 100000) as p",
    ] {
        let (code, text) = said(folder.path(), &["ask", "m.vembra", query, "--memory", "150MB"]);
        assert_eq!(code, 3, "{query}: {}", text.chars().take(300).collect::<String>());
        assert!(text.contains("more than the 150 MB"), "{query}");
    }
    let few = "show max(rpad(shop, 2000)) as m";
    assert_eq!(said(folder.path(), &["ask", "m.vembra", few, "--memory", "150MB"]).0, 0);
}

#[test]
fn memory_has_an_end() {
    let folder = folder();
    let (code, text) = said(folder.path(), &["ask", "m.vembra", "show total", "--memory", "4GB"]);
    assert_eq!(code, 0, "{text}");
    let (code, text) = said(folder.path(), &["ask", "m.vembra", "show total", "--memory", "2MB"]);
    assert_eq!(code, 3);
    assert!(
        text.contains("[V632] sale.csv: this takes more than the 2 MB of memory that are allowed"),
        "{text}"
    );
    assert!(text.contains("allow more with --memory"), "{text}");
    // Writing takes memory too, and what the whole would take is known before.
    let rows: String = (0..100_000).map(|n| format!("{n},{n}\n")).collect();
    write(folder.path(), "sale.csv", &format!("shop,amount\n{rows}"));
    let query = "rows sale.shop show total, total as a, total as b, total as c";
    let ask = |format| {
        said(folder.path(), &["ask", "m.vembra", query, "--format", format, "--to", "o", "--memory", "150MB"])
    };
    let (code, text) = ask("json");
    assert_eq!(code, 3, "{text}");
    assert!(
        text.contains("more than the 150 MB") && text.contains("parquet or csv, which take less"),
        "{text}"
    );
    assert_eq!(ask("parquet").0, 0);
    for wrong in ["2", "two GB", "-1GB", "1TBs", ""] {
        let (code, text) =
            said(folder.path(), &["ask", "m.vembra", "show total", &format!("--memory={wrong}")]);
        assert_eq!(code, 2, "{wrong}");
        assert!(text.contains("write a number with a unit, such as 500MB or 2GB"), "{text}");
    }
}

#[test]
fn what_cannot_be_written_leaves_everything_as_it_was() {
    let folder = folder();
    fs::create_dir(folder.path().join("taken")).expect("a folder");
    let before = names(folder.path());
    let targets: [&[&str]; 3] = [
        &["ask", "m.vembra", "show total", "--to", "taken", "--format", "csv"],
        &["ask", "m.vembra", "show total", "--to", "nowhere/out.csv"],
        &["explain", "m.vembra", "show total", "--to", "nowhere/rows.csv"],
    ];
    for arguments in targets {
        let (code, text) = said(folder.path(), arguments);
        assert_eq!(code, 3, "{text}");
        assert!(text.contains("cannot be written: "), "{text}");
        assert_eq!(names(folder.path()), before);
    }
    // An older file stays as it is until the new one is whole, and a part of another run is left alone.
    write(folder.path(), "out.csv", "old");
    write(folder.path(), "out.csv.1.part", "another run");
    assert_eq!(said(folder.path(), &["ask", "m.vembra", "show total", "--to", "out.csv"]).0, 0);
    assert_eq!(fs::read_to_string(folder.path().join("out.csv")).expect("a file"), "total\n3\n");
    assert_eq!(fs::read_to_string(folder.path().join("out.csv.1.part")).expect("a file"), "another run");
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_disk_and_a_closed_pipe_are_met() {
    let folder = folder();
    let full = || fs::File::options().write(true).open("/dev/full").expect("a full disk");
    let mut command = Command::new(env!("CARGO_BIN_EXE_vembra"));
    command.env("VEMBRA_CACHE", "off");
    command.args(ASK).current_dir(folder.path()).stdout(full()).stderr(Stdio::piped());
    let output = command.output().expect("it runs");
    assert_eq!(output.status.code(), Some(3));
    let text = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(text.contains("the answer cannot be written: No space left on device"), "{text}");

    let (code, text) =
        said(folder.path(), &["ask", "m.vembra", "show total", "--to", "/dev/full", "--format", "csv"]);
    assert_eq!(code, 3);
    assert!(text.contains("/dev/full cannot be written: No space left on device"), "{text}");
    assert!(!fs::metadata("/dev/full").expect("still there").is_file());

    // A reader that wants no more is no fault.
    write(folder.path(), "sale.csv", &format!("amount\n{}", "1\n".repeat(200_000)));
    let mut command = Command::new(env!("CARGO_BIN_EXE_vembra"));
    command.env("VEMBRA_CACHE", "off");
    command.args(["ask", "m.vembra", "list amount from sale"]).current_dir(folder.path());
    let mut child = command.stdout(Stdio::piped()).spawn().expect("it runs");
    drop(child.stdout.take());
    assert_eq!(child.wait().expect("it ends").code(), Some(0));
}

#[cfg(unix)]
#[test]
fn odd_files_are_named() {
    let folder = folder();
    // A folder, a file that is gone, a link to nothing.
    let sale = folder.path().join("sale.csv");
    fs::remove_file(&sale).expect("the file");
    let (code, text) = said(folder.path(), &ASK);
    assert_eq!(
        (code, text.contains("[V610] sale.csv: the file cannot be read: there is no such file")),
        (3, true)
    );
    fs::create_dir(&sale).expect("a folder");
    let (code, text) = said(folder.path(), &ASK);
    assert_eq!((code, text.contains("it is a folder")), (3, true), "{text}");
    fs::remove_dir(&sale).expect("the folder");
    std::os::unix::fs::symlink("nothing.csv", &sale).expect("a link");
    let (code, text) = said(folder.path(), &ASK);
    assert_eq!((code, text.contains("there is no such file")), (3, true), "{text}");
    // A pipe tells no length and is read all the same.
    fs::remove_file(&sale).expect("the link");
    assert!(Command::new("mkfifo").arg(&sale).status().expect("it runs").success());
    let pipe = sale.clone();
    let writer = std::thread::spawn(move || {
        let mut pipe = fs::File::options().write(true).open(pipe).expect("a reader");
        pipe.write_all(b"shop,amount\na,5\n").expect("it is read");
    });
    let (code, text) = said(folder.path(), &ASK);
    writer.join().expect("written");
    assert_eq!((code, text.as_str()), (0, "total\n-----\n    5\n"));
}

/// A model of very many declarations is read in about as many steps.
#[test]
fn many_declarations_are_read() {
    let folder = folder();
    let mut text = MODEL.to_owned();
    for at in 0..10_000 {
        let before = if at % 100 == 0 { "total".to_owned() } else { format!("m{}", at - 1) };
        text.push_str(&format!(
            "measure m{at} = {before} + amount_of_{at}\nparam amount_of_{at}: integer default 1\n"
        ));
    }
    let text = text.replace("+ amount_of_", "+ :amount_of_");
    write(folder.path(), "m.vembra", &text);
    let (code, text) = said(folder.path(), &["ask", "m.vembra", "show m99, m9999"]);
    assert_eq!(code, 0, "{}", &text[..400.min(text.len())]);
    assert!(text.contains("103    103"), "{text}");
}

/// A file of the model, its includes and its tables is never written over, by whatever way it is named.
#[cfg(unix)]
#[test]
fn what_a_model_is_made_of_is_never_written_over() {
    let folder = folder();
    fs::create_dir(folder.path().join("sub")).expect("a folder");
    write(
        folder.path(),
        "more.vembra",
        "report by_shop = rows sale.shop show total drawn as bars along sale.shop\n",
    );
    write(folder.path(), "m.vembra", &format!("{MODEL}include 'more.vembra'\n"));
    std::os::unix::fs::symlink("m.vembra", folder.path().join("link.txt")).expect("a link");
    fs::hard_link(folder.path().join("sale.csv"), folder.path().join("hard.csv")).expect("a link");
    let before: Vec<String> = ["m.vembra", "more.vembra", "sale.csv"]
        .map(|name| fs::read_to_string(folder.path().join(name)).expect("a file"))
        .to_vec();
    for (target, format) in [
        ("m.vembra", "csv"),
        ("more.vembra", "csv"),
        ("sale.csv", "csv"),
        ("sub/../sale.csv", "csv"),
        ("link.txt", "table"),
        ("hard.csv", "csv"),
    ] {
        let (code, text) =
            said(folder.path(), &["ask", "m.vembra", "show total", "--format", format, "--to", target]);
        assert_eq!(code, 2, "{target}: {text}");
        assert!(text.contains("is a file that the model is made of, and is never written over"), "{text}");
    }
    let (code, text) = said(folder.path(), &["explain", "m.vembra", "show total", "--to", "sale.csv"]);
    assert!(code == 2 && text.contains("is never written over"), "{text}");
    let (code, text) = said(folder.path(), &["draw", "m.vembra", "by_shop", "--to", "link.txt"]);
    assert!(code == 2 && text.contains("is never written over"), "{text}");
    let after: Vec<String> = ["m.vembra", "more.vembra", "sale.csv"]
        .map(|name| fs::read_to_string(folder.path().join(name)).expect("a file"))
        .to_vec();
    assert_eq!(before, after);
}

#[cfg(unix)]
#[test]
fn a_target_keeps_its_rights_and_an_unknown_ending_is_refused() {
    use std::os::unix::fs::PermissionsExt;
    let folder = folder();
    let target = folder.path().join("out.csv");
    fs::write(&target, "old").expect("a file");
    fs::set_permissions(&target, fs::Permissions::from_mode(0o640)).expect("rights");
    assert_eq!(said(folder.path(), &["ask", "m.vembra", "show total", "--to", "out.csv"]).0, 0);
    assert_eq!(fs::metadata(&target).expect("a file").permissions().mode() & 0o777, 0o640);
    assert_eq!(fs::read_to_string(&target).expect("a file"), "total\n3\n");
    // A link that leads to nothing yet stays one.
    std::os::unix::fs::symlink("new.csv", folder.path().join("ahead.csv")).expect("a link");
    assert_eq!(said(folder.path(), &["ask", "m.vembra", "show total", "--to", "ahead.csv"]).0, 0);
    assert!(folder.path().join("ahead.csv").is_symlink() && folder.path().join("new.csv").is_file());
    let (code, text) = said(folder.path(), &["ask", "m.vembra", "show total", "--to", "out.foo"]);
    assert!(code == 2 && text.contains("the ending .foo says no format"), "{text}");
    assert!(!folder.path().join("out.foo").exists());
    let (code, text) = said(folder.path(), &["explain", "m.vembra", "show total", "--to", "rows.xlsx"]);
    assert!(code == 2 && text.contains("end it with .csv"), "{text}");
}

/// Standard output that was closed before the command began.
#[cfg(target_os = "linux")]
#[test]
fn a_closed_standard_output_is_said() {
    let folder = folder();
    let command = format!("VEMBRA_CACHE=off {} ask m.vembra 'show total' >&-", env!("CARGO_BIN_EXE_vembra"));
    let output =
        Command::new("sh").args(["-c", &command]).current_dir(folder.path()).output().expect("it runs");
    assert_eq!(output.status.code(), Some(3));
    assert!(String::from_utf8_lossy(&output.stderr).contains("standard output is closed"));
    // Output that nobody wants is no closed one, whether it is opened to write or, as other programs do it, to read and write.
    for unwanted in ["> /dev/null", "1<> /dev/null"] {
        let command =
            format!("VEMBRA_CACHE=off {} ask m.vembra 'show total' {unwanted}", env!("CARGO_BIN_EXE_vembra"));
        let output =
            Command::new("sh").args(["-c", &command]).current_dir(folder.path()).output().expect("it runs");
        assert_eq!(output.status.code(), Some(0), "{unwanted}");
    }
}

/// Data leave byte by byte; what people read has no character that acts on a terminal.
#[test]
fn control_characters_stay_in_data_and_out_of_texts() {
    let folder = folder();
    write(folder.path(), "sale.csv", "shop,amount\n\u{1b}[31mred,1\n\u{202e}back,2\na\u{7}b,4\n");
    let csv =
        vembra(folder.path(), &["ask", "m.vembra", "rows sale.shop show total", "--format", "csv"]).stdout;
    assert_eq!(
        String::from_utf8(csv).expect("text"),
        "sale.shop,total\n\u{1b}[31mred,1\na\u{7}b,4\n\u{202e}back,2\n"
    );
    let acts = |text: &str| {
        text.chars().any(|c| (c.is_control() && c != '\n') || ('\u{202a}'..='\u{202e}').contains(&c))
    };
    assert_eq!(
        said(folder.path(), &["ask", "m.vembra", "rows sale.shop show total", "--to", "out.txt"]).0,
        0
    );
    assert!(!acts(&fs::read_to_string(folder.path().join("out.txt")).expect("a file")));
    for arguments in [
        vec!["ask", "m.vembra", "rows sale.shop show total"],
        vec!["ask", "m.vembra", "rows sale.shop show total", "--format", "markdown"],
        vec!["ask", "m.vembra", "rows sale.shop as \"\u{1b}[2Jx\" show total as \"\u{202e}y\""],
        vec!["ask", "m.vembra", "show total where sale.shop = '\u{1b}[31mgreen'"],
        vec!["ask", "m.vembra", "show \"\u{1b}[31mgreen\""],
        vec!["explain", "m.vembra", "rows sale.shop show total", "--rows"],
        vec!["describe", "m.vembra", "sale.shop"],
        vec!["check", "m.vembra"],
        vec!["ask", "\u{1b}[31m.vembra", "show total"],
        vec!["ask", "m.vembra", "show total", "--to", "no/\u{1b}[31m.csv"],
    ] {
        let (_, text) = said(folder.path(), &arguments);
        assert!(!acts(&text), "{arguments:?}: {text:?}");
    }
}

/// Arrow, Parquet and spreadsheets go through a pipe when they are asked to.
#[test]
fn files_go_to_standard_output_when_asked() {
    let folder = folder();
    let sent = |format: &str| {
        vembra(folder.path(), &["ask", "m.vembra", "show total", "--format", format, "--to", "-"]).stdout
    };
    assert!(sent("parquet").starts_with(b"PAR1") && sent("xlsx").starts_with(b"PK"));
    // A stream of Arrow begins with the mark of a message, not with the name of the file format.
    assert!(sent("arrow").starts_with(&[0xff, 0xff, 0xff, 0xff]));
    assert_eq!(sent("csv"), b"total\n3\n");
}

#[test]
fn tables_from_other_files_and_from_pipes_take_the_place_of_those_of_the_model() {
    let folder = tempfile::tempdir().expect("works");
    let write = |file: &str, text: &str| fs::write(folder.path().join(file), text).expect("works");
    write("m.vembra", "fact sale from 'sale.csv'\nmeasure total = sum(paid)\n");
    write("sale.csv", "id,paid\n1,1\n");
    write("other.jsonl", "{\"id\": 1, \"paid\": 2.50}\n{\"id\": 2, \"paid\": 4}\n");
    let ask = |table: &str| {
        said(folder.path(), &["ask", "m.vembra", "show total", "--format", "csv", "--table", table])
    };
    assert_eq!(ask("sale=other.jsonl"), (0, "total\n6.50\n".to_owned()));
    let (code, text) = ask("sales=other.jsonl");
    assert_eq!(code, 2, "{text}");
    assert!(text.contains("error[V208]: the model has no table sales that is read from a file"), "{text}");
    assert!(text.contains("did you mean sale?"), "{text}");
    let (code, text) = ask("sale=nothing.csv");
    assert_eq!(
        (code, text.contains("error[V610] nothing.csv: the file cannot be read")),
        (3, true),
        "{text}"
    );
    assert_eq!(ask("sale").0, 2);
    // From a pipe, which a viewer's rows are read from a second time.
    write(
        "v.vembra",
        "fact sale from 'sale.csv'\nmeasure total = sum(paid)\nviewer one sees only sale.id = 1\n",
    );
    let piped = |arguments: &[&str]| {
        let mut child = Command::new(env!("CARGO_BIN_EXE_vembra"))
            .env("VEMBRA_CACHE", "off")
            .args(arguments)
            .current_dir(folder.path())
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("it runs");
        child.stdin.take().expect("an input").write_all(b"id,paid\n1,5\n2,6\n").expect("it reads");
        let output = child.wait_with_output().expect("it ends");
        let text = [output.stdout, output.stderr].concat();
        (output.status.code().expect("no signal"), String::from_utf8_lossy(&text).into_owned())
    };
    let ask = ["ask", "v.vembra", "show total", "--format", "csv", "--table", "sale=-"];
    assert_eq!(piped(&ask), (0, "total\n11\n".to_owned()));
    assert_eq!(piped(&[&ask[..], &["--viewer", "one"]].concat()), (0, "total\n5\n".to_owned()));
    let (code, text) = piped(&["ask", "v.vembra", "-", "--table", "sale=-"]);
    assert_eq!((code, text.contains("standard input can be the query or a table")), (2, true), "{text}");
}

#[test]
fn a_sketch_overwrites_nothing() {
    let folder = tempfile::tempdir().expect("works");
    fs::write(folder.path().join("sale.csv"), "sold_on,paid\n2025-01-31,1.50\n").expect("works");
    let (code, text) = said(folder.path(), &["sketch", "sale.csv", "--to", "m.vembra"]);
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("next: vembra check m.vembra"), "{text}");
    let asked = text.split('"').nth(1).expect("works");
    let (code, text) = said(folder.path(), &["ask", "m.vembra", asked, "--format", "csv"]);
    assert_eq!((code, text.as_str()), (0, "calendar.year,total_paid\n2025,1.50\n"));
    assert_eq!(said(folder.path(), &["check", "m.vembra"]).0, 0);
    let (code, text) = said(folder.path(), &["sketch", "sale.csv", "--to", "m.vembra"]);
    assert_eq!(code, 2, "{text}");
    assert!(text.contains("m.vembra is there already"), "{text}");
    let (code, text) = said(folder.path(), &["sketch", "nothing.csv"]);
    assert_eq!(code, 3, "{text}");
    assert!(text.contains("there is no such file"), "{text}");
}
