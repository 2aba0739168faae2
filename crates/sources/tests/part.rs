//! A part of a table is what a file would give from which the other rows were deleted: values, types and findings.

#![cfg(feature = "csv")]
#![allow(clippy::unwrap_used)] // In tests, what must be there is taken.

use vembra_engine::RowId;
use vembra_plan::forms::{Forms, NumberForm};
use vembra_sources::{Loaded, ReadOptions, part_of, read_bytes, read_files};
use vembra_testing::Random;

/// A field of one of several kinds; now and then of another, which may change the type of its column.
fn field(random: &mut Random, kind: u64, german: bool) -> String {
    let kind = if random.below(25) == 0 { random.below(10) } else { kind };
    let n = random.below(900);
    let point = if german { ',' } else { '.' };
    match kind {
        0 => n.to_string(),
        1 => format!("-{n}{point}{:02}", random.below(100)),
        2 => format!("{n}{point}5"),
        3 => format!("2024-0{}-1{}", 1 + random.below(9), random.below(9)),
        4 => format!("{n}e3"),
        5 => ["true", "false", "x", ""][random.below(4) as usize].to_owned(),
        6 => ["pear", "fig", "n/a"][random.below(3) as usize].to_owned(),
        7 => String::new(),
        8 => format!("{n}{point}1234567890123456789"),
        _ => format!("00{n}"),
    }
}

fn shown(loaded: &Loaded) -> String {
    let mut text = String::new();
    for (name, column) in &loaded.table.columns {
        let values = column.get().unwrap();
        let values: Vec<String> = (0..values.len()).map(|row| values.scalar(row).to_string()).collect();
        text.push_str(&format!(
            "{name}: {} {} {:?}\n",
            column.ty(),
            values.join(" "),
            column.physical_range()
        ));
    }
    for finding in &loaded.findings {
        // Where a row stands is not told of a part.
        text.push_str(&format!("{} {:?} {}\n", finding.code, finding.column, finding.message));
    }
    text
}

/// A table as delimited text or as JSON, with those of its rows that are wanted.
fn text(rows: &[Vec<String>], wanted: &[RowId], json: bool) -> String {
    let mut text = if json { String::new() } else { "a;b;c\n".to_owned() };
    for row in wanted.iter().map(|row| row.index()) {
        let fields = &rows[row];
        if json {
            let value = |f: &String| match f.as_str() {
                "" => "null".to_owned(),
                "true" | "false" => f.clone(),
                // Every other number stands in quotes.
                f if f.parse::<f64>().is_ok() && !f.starts_with('0') && row % 2 == 0 => f.to_owned(),
                f => format!("\"{f}\""),
            };
            let (a, b, c) = (value(&fields[0]), value(&fields[1]), value(&fields[2]));
            text.push_str(&format!("{{\"a\": {a}, \"b\": {b}, \"c\": {c}}}\n"));
        } else {
            text.push_str(&(fields.join(";") + "\n"));
        }
    }
    text
}

#[test]
fn a_part_is_what_is_read_when_the_other_rows_are_deleted() {
    let mut random = Random(9);
    let (mut changed, mut told) = (0, 0);
    for case in 0..600 {
        let (json, german) = (case % 3 == 0, case % 3 == 1);
        let numbers = german.then(|| NumberForm::like("1.234,56").unwrap());
        let options = ReadOptions {
            parts: true,
            separator: (!json).then_some(b';'),
            forms: Forms { numbers, ..Forms::default() },
            missing: if case % 2 == 0 { vec!["n/a".to_owned()] } else { Vec::new() },
            ..ReadOptions::default()
        };
        let kinds: Vec<u64> = (0..3).map(|_| random.below(10)).collect();
        let rows: Vec<Vec<String>> =
            (0..40).map(|_| kinds.iter().map(|kind| field(&mut random, *kind, german)).collect()).collect();
        let all: Vec<RowId> = (0..40).map(RowId::new).collect();
        let wanted: Vec<RowId> = all.iter().copied().filter(|_| random.below(3) == 0).collect();
        let whole = read_bytes("t", text(&rows, &all, json).as_bytes(), &options);
        if whole.table.columns.is_empty() {
            continue;
        }
        let part = part_of(&whole.table, &wanted, &options).unwrap();
        let deleted = read_bytes("t", text(&rows, &wanted, json).as_bytes(), &options);
        if json && wanted.is_empty() {
            continue;
        }
        assert_eq!(shown(&part), shown(&deleted), "case {case}: {rows:?}");
        let types = |loaded: &Loaded| loaded.table.columns.iter().map(|(_, c)| c.ty()).collect::<Vec<_>>();
        changed += usize::from(types(&part) != types(&whole));
        told += usize::from(!part.findings.is_empty());
    }
    assert!(changed > 150 && told > 20, "{changed} parts of other types, {told} with findings");
}

#[test]
fn a_part_of_several_files_is_what_shorter_files_give() {
    let folder = tempfile::tempdir().unwrap();
    let paths = ["year=2023/a.csv", "year=2024/b.csv"].map(|name| folder.path().join(name));
    let texts = ["k,n,t\n1,1,x\n2,2.50,y\n3,3,\n", "k,n,t\n4,4.5,7\n5,5.125,8\n6,6,09\n"];
    let write = |keep: &dyn Fn(&str) -> bool| {
        for (path, text) in paths.iter().zip(texts) {
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            let lines: Vec<&str> =
                text.lines().enumerate().filter(|(at, l)| *at == 0 || keep(l)).map(|(_, l)| l).collect();
            std::fs::write(path, lines.join("\n") + "\n").unwrap();
        }
        read_files(folder.path(), &paths, &ReadOptions { parts: true, ..ReadOptions::default() })
    };
    let whole = write(&|_| true);
    for wanted in [vec![0, 1], vec![0, 2], vec![3, 4], vec![0, 3], vec![4, 5], vec![1, 2, 5]] {
        let keys: Vec<String> = wanted.iter().map(|row| format!("{},", row + 1)).collect();
        let rows: Vec<RowId> = wanted.iter().map(|row| RowId::new(*row)).collect();
        let deleted = write(&|line| keys.iter().any(|key| line.starts_with(key)));
        let part =
            part_of(&whole.table, &rows, &ReadOptions { parts: true, ..ReadOptions::default() }).unwrap();
        assert_eq!(shown(&part), shown(&deleted), "{wanted:?}");
    }
}
