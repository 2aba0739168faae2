//! Delimited text: tables are made here, written in every way in which programs write them, and read back value by value.
#![cfg(feature = "csv")]
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

use vembra_plan::forms::{Forms, NumberForm};
use vembra_plan::{Period, Scalar, Severity, Type};
use vembra_sources::{ColumnOptions, Loaded, ReadOptions, read_bytes};
use vembra_testing::Random;

/// The columns of the tables that are made, with the type that is to be found.
const COLUMNS: [(&str, Type); 10] = [
    ("code", Type::Text),
    ("count", Type::Integer),
    ("price", Type::Decimal(2)),
    ("size", Type::Float),
    ("note", Type::Text),
    ("paid", Type::Boolean),
    ("day", Type::Date),
    ("clock", Type::Time),
    ("seen", Type::Moment),
    ("month", Type::Period(Period::Month)),
];

/// A field of a column, in its plain form.
fn field(random: &mut Random, column: &str) -> String {
    let n = random.below(1_000);
    match column {
        "code" => format!("{n:05}"),
        "count" => format!("{}{n}", if n.is_multiple_of(3) { "-" } else { "" }),
        "price" => format!("{n}.{:02}", n % 100),
        "size" => format!("{}.5e-{}", n + 1, n % 7),
        "paid" => n.is_multiple_of(2).to_string(),
        "day" => format!("20{:02}-{:02}-{:02}", n % 30, n % 12 + 1, n % 28 + 1),
        "clock" => format!("{:02}:{:02}", n % 24, n % 60),
        "seen" => format!(
            "20{:02}-{:02}-{:02} {:02}:{:02}:{:02}",
            n % 30,
            n % 12 + 1,
            n % 28 + 1,
            n % 24,
            n % 60,
            n % 59
        ),
        "month" => format!("20{:02}-{:02}", n % 30, n % 12 + 1),
        _ => {
            let odd = [
                "plain",
                "a,b",
                "a;b",
                "say \"so\"",
                "two\nlines",
                "tab\there",
                "a|b",
                "Käse",
                "  ends in blanks",
                "'quoted'",
                "'",
                "∑",
            ];
            odd[(n % odd.len() as u64) as usize].to_owned()
        }
    }
}

/// Rows of fields; an empty one stands for nothing, and is never the only one of its row.
fn rows(random: &mut Random, count: usize) -> Vec<Vec<String>> {
    let mut rows = Vec::new();
    for at in 0..count {
        let row = COLUMNS.iter().enumerate().map(|(number, (name, _))| {
            // The first row has a value in every column.
            if at > 0 && number > 0 && random.below(7) == 0 { String::new() } else { field(random, name) }
        });
        rows.push(row.collect());
    }
    rows
}

/// How a program writes a table.
#[derive(Clone, Copy, Debug)]
struct Way {
    separator: char,
    line_end: &'static str,
    /// Every field in quotes, or those that need them.
    all_quoted: bool,
    /// Whether the last line ends.
    ends: bool,
    mark: bool,
}

fn written(rows: &[Vec<String>], way: Way) -> String {
    let quoted = |field: &str| {
        let needs = field.contains([way.separator, '"', '\n', '\r']) || field.starts_with(' ');
        if way.all_quoted || needs { format!("\"{}\"", field.replace('"', "\"\"")) } else { field.to_owned() }
    };
    let separator = way.separator.to_string();
    let header = COLUMNS.iter().map(|(name, _)| quoted(name)).collect::<Vec<_>>().join(&separator);
    let lines = rows.iter().map(|row| row.iter().map(|f| quoted(f)).collect::<Vec<_>>().join(&separator));
    let lines: Vec<String> = std::iter::once(header).chain(lines).collect();
    let mark = if way.mark { "\u{feff}" } else { "" };
    format!("{mark}{}{}", lines.join(way.line_end), if way.ends { way.line_end } else { "" })
}

fn value(field: &str, ty: Type) -> Scalar {
    if field.is_empty() {
        Scalar::Null
    } else {
        vembra_plan::call::parse(field, ty).unwrap_or_else(|| panic!("{field} as {ty}"))
    }
}

fn quiet(loaded: &Loaded) {
    let wrong: Vec<String> = loaded.findings.iter().map(ToString::to_string).collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

fn same(loaded: &Loaded, rows: &[Vec<String>], told: &str) {
    quiet(loaded);
    assert_eq!(loaded.table.rows, rows.len(), "{told}");
    for (at, (name, ty)) in COLUMNS.iter().enumerate() {
        let (found, column) = &loaded.table.columns[at];
        assert_eq!((found.as_str(), column.ty()), (*name, *ty), "{told}");
        let column = column.get().unwrap();
        for (number, row) in rows.iter().enumerate() {
            assert_eq!(column.scalar(number), value(&row[at], *ty), "{told}: row {number}, {name}");
        }
    }
}

#[test]
fn what_programs_write_is_read_value_by_value() {
    let mut random = Random(3);
    for separator in [',', ';', '\t', '|'] {
        for line_end in ["\n", "\r\n"] {
            for (all_quoted, ends, mark) in
                [(false, true, false), (true, true, true), (false, false, true), (true, false, false)]
            {
                let way = Way { separator, line_end, all_quoted, ends, mark };
                let rows = rows(&mut random, 60);
                let text = written(&rows, way);
                let told = format!("{way:?}");
                // The separator is found, and may be told.
                same(&read_bytes("t.csv", text.as_bytes(), &ReadOptions::default()), &rows, &told);
                let options = ReadOptions { separator: Some(separator as u8), ..ReadOptions::default() };
                same(&read_bytes("t.csv", text.as_bytes(), &options), &rows, &told);
            }
        }
    }
}

#[test]
fn lines_of_rows_are_those_of_the_file() {
    let text = "a,b\n1,x\n2,\"two\nlines\"\n\n3,y\n4,\"three\n\nlines\"\n5,z\n";
    let loaded = read_bytes("t.csv", text.as_bytes(), &ReadOptions::default());
    quiet(&loaded);
    let lines: Vec<u64> = (0..loaded.table.rows).map(|row| loaded.table.line(row).unwrap()).collect();
    // Each value of the first column is found at the start of its line.
    let starts: Vec<u64> = ["1,", "2,", "3,", "4,", "5,"]
        .iter()
        .map(|start| 1 + text.lines().position(|line| line.starts_with(start)).unwrap() as u64)
        .collect();
    assert_eq!(lines, starts);
}

#[test]
fn rows_of_one_file_are_the_rows_of_its_pieces() {
    // Large enough for several pieces, with a quoted line break that may fall on any of their ends.
    let mut text = String::from("n,note\n");
    let rows = 220_000_u32;
    for at in 0..rows {
        let note = if at % 3 == 0 { "\"line one\nline, two\"" } else { "a note of some length, no" };
        let note = if at % 3 == 0 { note.to_owned() } else { format!("\"{note}\"") };
        text += &format!("{at},{note}\n");
    }
    assert!(text.len() > 6 << 20);
    let loaded = read_bytes("t.csv", text.as_bytes(), &ReadOptions::default());
    quiet(&loaded);
    let column = loaded.table.column("n").unwrap().get().unwrap().clone();
    assert_eq!(column.len(), rows as usize);
    assert!((0..rows).all(|at| column.scalar(at as usize) == Scalar::Integer(at.into())));
    let last = loaded.table.line(rows as usize - 1);
    let breaks_before = u64::from(rows.div_ceil(3));
    let is_long = u64::from((rows - 1).is_multiple_of(3));
    assert_eq!(last, Some(u64::from(rows) + 1 + breaks_before - is_long));
}

/// What is told of a file, by codes, lines and columns.
fn told(text: &str, options: &ReadOptions) -> Vec<(String, Option<u64>, Option<String>)> {
    let loaded = read_bytes("t.csv", text.as_bytes(), options);
    loaded.findings.into_iter().map(|f| (f.code.to_string(), f.line, f.column)).collect()
}

fn at(code: &str, line: u64, column: &str) -> (String, Option<u64>, Option<String>) {
    (code.to_owned(), Some(line), Some(column.to_owned()))
}

#[test]
fn types_are_found_over_all_values_of_a_column() {
    let ty = |fields: &[&str]| {
        let text = fields.iter().fold("x,y\n".to_owned(), |text, field| format!("{text}{field},1\n"));
        read_bytes("t.csv", text.as_bytes(), &ReadOptions::default()).table.columns[0].1.ty()
    };
    let cases: [(&[&str], Type); 24] = [
        (&["1", "2"], Type::Integer),
        (&["1", "", "2"], Type::Integer),
        (&["", ""], Type::Null),
        (&["1", "2.5"], Type::Decimal(1)),
        (&["2.50", "1"], Type::Decimal(2)),
        (&["1", "1e3"], Type::Float),
        (&["1.5", "1e3"], Type::Float),
        (&["007", "8"], Type::Text),
        (&["8", "007"], Type::Text),
        (&["1", "x"], Type::Text),
        (&["true", "false"], Type::Boolean),
        (&["true", "1"], Type::Text),
        (&["yes", "no"], Type::Text),
        (&["2025-01-31", "2025-02-28"], Type::Date),
        (&["2025-01-31", "2025-02-30"], Type::Text),
        (&["2025-01-31", "2025-01-31 10:00"], Type::Text),
        (&["2025-01-31 10:00", "2025-02-01T11:30:15"], Type::Moment),
        (&["10:00", "23:59:59.5"], Type::Time),
        (&["10:00", "24:00"], Type::Text),
        (&["2025-01", "2024-12"], Type::Period(Period::Month)),
        (&["2025-Q1", "2024-Q4"], Type::Period(Period::Quarter)),
        (&["2025-W01", "2020-W53"], Type::Period(Period::Week)),
        (&["2025", "2024"], Type::Integer),
        (&["12345678901234567890123", "1"], Type::Text),
    ];
    for (fields, want) in cases {
        assert_eq!(ty(fields), want, "{fields:?}");
    }
}

#[test]
fn a_fixed_type_names_each_value_that_does_not_fit() {
    let fixed = |ty| ReadOptions {
        columns: vec![ColumnOptions { name: "x".to_owned(), ty: Some(ty), ..ColumnOptions::default() }],
        ..ReadOptions::default()
    };
    let text = "x,y\n1,a\n2.5,b\n,c\n2025-01-31,d\ntrue,e\n007,f\n";
    let lines = |ty| {
        let told = told(text, &fixed(ty));
        assert!(
            told.iter().all(|(code, _, column)| code == "V618" && column.as_deref() == Some("x")),
            "{ty}: {told:?}"
        );
        told.into_iter().filter_map(|(_, line, _)| line).collect::<Vec<u64>>()
    };
    assert_eq!(lines(Type::Integer), [3, 5, 6]);
    assert_eq!(lines(Type::Decimal(2)), [5, 6]);
    assert_eq!(lines(Type::Float), [5, 6]);
    // Of many the first three are named.
    assert_eq!(lines(Type::Date), [2, 3, 6]);
    assert_eq!(lines(Type::Boolean), [2, 3, 5]);
    assert_eq!(lines(Type::Text), Vec::<u64>::new());
}

#[test]
fn numbers_that_a_decimal_does_not_keep_are_told() {
    let long = "0.1234567890123456789";
    assert_eq!(
        told(&format!("x,y\n1.5,a\n{long},b\n{long},c\n"), &ReadOptions::default()),
        [at("V622", 3, "x")]
    );
    // Eighteen digits behind the point are kept; a float that is written as one was never exact.
    assert_eq!(told("x,y\n0.123456789012345678,a\n", &ReadOptions::default()), []);
    assert_eq!(told("x,y\n1.2345678901234567891e3,a\n", &ReadOptions::default()), []);
    // Where other values make it a text, nothing is lost; nor where the type was chosen.
    assert_eq!(told(&format!("x,y\n{long},a\nodd,b\n"), &ReadOptions::default()), []);
    let float = ColumnOptions { name: "x".to_owned(), ty: Some(Type::Float), ..ColumnOptions::default() };
    let options = ReadOptions { columns: vec![float], ..ReadOptions::default() };
    assert_eq!(told(&format!("x,y\n{long},a\n"), &options), []);
}

#[test]
fn texts_that_stand_for_nothing_are_those_that_were_told() {
    let options = ReadOptions { missing: vec!["n/a".to_owned(), "-".to_owned()], ..ReadOptions::default() };
    let loaded = read_bytes("t.csv", b"x,y\n1,a\nn/a,-\n-,n/a\n4,b\n", &options);
    quiet(&loaded);
    let column = |at: usize| loaded.table.columns[at].1.get().unwrap().clone();
    assert_eq!(loaded.table.columns[0].1.ty(), Type::Integer);
    let values: Vec<String> =
        (0..4).map(|row| format!("{}|{}", column(0).scalar(row), column(1).scalar(row))).collect();
    assert_eq!(values, ["1|a", "|", "|", "4|b"]);
    // In quotes nothing is still nothing; a blank is a text.
    let loaded = read_bytes("t.csv", b"x,y\n\"\",1\n\" \",2\n", &ReadOptions::default());
    let first = loaded.table.columns[0].1.get().unwrap();
    assert_eq!((first.scalar(0), first.scalar(1)), (Scalar::Null, Scalar::text(" ")));
}

#[test]
fn numbers_in_the_form_of_a_place_are_read_by_it_and_no_other_way() {
    let german = Forms { numbers: Some(NumberForm::like("1.234,56").unwrap()), ..Forms::default() };
    let options = ReadOptions { forms: german, separator: Some(b';'), ..ReadOptions::default() };
    let loaded = read_bytes("t.csv", "x;y\n1.234,56;a\n-7;b\n0,5;c\n12.345.678,90;d\n".as_bytes(), &options);
    quiet(&loaded);
    let column = loaded.table.columns[0].1.get().unwrap();
    let values: Vec<String> = (0..4).map(|row| column.scalar(row).to_string()).collect();
    assert_eq!(values, ["1234.56", "-7.00", "0.50", "12345678.90"]);
    // 1.5 is no number in a form with a comma: not 15, and not 1.5.
    let odd = read_bytes("t.csv", "x;y\n1,5;a\n1.5;b\n".as_bytes(), &options);
    assert_eq!(odd.table.columns.first().map(|c| c.1.ty()), Some(Type::Text));
}

#[test]
fn encodings_are_read_as_they_are_told() {
    let text = "name;n\nKäse;1\nŁódź;2\n";
    let utf16: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
    let read = |bytes: &[u8], encoding: &str| {
        let options = ReadOptions { encoding: Some(encoding.to_owned()), ..ReadOptions::default() };
        let loaded = read_bytes("t.csv", bytes, &options);
        quiet(&loaded);
        let column = loaded.table.columns[0].1.get().unwrap();
        (0..loaded.table.rows).map(|row| column.scalar(row).to_string()).collect::<Vec<_>>()
    };
    assert_eq!(read(text.as_bytes(), "utf-8"), ["Käse", "Łódź"]);
    assert_eq!(read(&utf16, "utf-16le"), ["Käse", "Łódź"]);
    assert_eq!(read(b"name;n\nK\xe4se;1\n\x80;2\n", "windows-1252"), ["Käse", "€"]);
    assert_eq!(read(b"name;n\n\xa3\xf3d\xbc;1\n", "iso-8859-2"), ["Łódź"]);
    let options = ReadOptions { encoding: Some("latin-99".to_owned()), ..ReadOptions::default() };
    let loaded = read_bytes("t.csv", text.as_bytes(), &options);
    assert!(loaded.findings.iter().any(|f| f.severity == Severity::Error), "{:?}", loaded.findings);
}

#[test]
fn any_bytes_give_a_table_or_a_finding() {
    let mut random = Random(17);
    let (mut tables, mut faults) = (0, 0);
    for _ in 0..3_000 {
        let alphabet: &[u8] = b"a1,;\"\n\r\t |.-:e0\xc3\xa4\xff\x00'";
        let bytes: Vec<u8> =
            (0..random.below(60)).map(|_| alphabet[random.below(alphabet.len() as u64) as usize]).collect();
        let loaded = read_bytes("t.csv", &bytes, &ReadOptions::default());
        let wrong = loaded.findings.iter().any(|f| f.severity == Severity::Error);
        if wrong {
            faults += 1;
            assert!(
                loaded.findings.iter().all(|f| !f.help.is_empty() && f.file == "t.csv"),
                "{:?}",
                loaded.findings
            );
        } else {
            tables += 1;
            let table = &loaded.table;
            assert!(table.columns.iter().all(|(name, c)| c.len() == table.rows && !name.is_empty()));
        }
    }
    assert!(tables > 100 && faults > 1_000, "{tables} tables, {faults} faults");
}
