//! Faults of data are named with file, line and column, and nothing is lost.

use vembra::{Answer, Error, Scalar, Session, Severity};

fn open(model: &str, csv: &[u8]) -> Result<Session, Error> {
    Session::builder().model_text("m.vembra", model).csv_bytes("t", csv.to_vec()).open()
}

const PLAIN: &str = "fact t from 't.csv'\n";

/// What is said: of a failure to open, or of a check.
fn said(model: &str, csv: &[u8]) -> String {
    match open(model, csv) {
        Err(failure) => failure.to_string(),
        Ok(session) => {
            session.check().unwrap().iter().map(|f| format!("{f}\n  help: {}\n", f.help)).collect()
        }
    }
}

#[test]
fn faults_of_a_file_are_named() {
    let cases: [(&str, &[u8], &str); 11] = [
        ("empty", b"", "error[V611] t.csv: the file is empty"),
        (
            "ragged",
            b"a,b\n1,2\n3\n",
            "error[V616] t.csv, line 3: the line has 1 field, the first line names 2 columns",
        ),
        ("quote", b"a,b\n1,2\n\"3,4\n5,6\n", "error[V616] t.csv, line 3: the line has 1 field"),
        (
            "quote in one column",
            b"a\n1\n\"2\n3\n",
            "error[V617] t.csv, line 3: a quote is opened and never closed",
        ),
        (
            "latin",
            b"a,b\n1,x\n2,K\xe4se\n",
            "error[V613] t.csv, line 3: the file is not in UTF-8: byte 4 of the line is 0xE4",
        ),
        ("twice", b"a,a\n1,2\n", "error[V614] t.csv, line 1: the column a stands twice"),
        ("nameless", b"a,\n1,2\n", "error[V614] t.csv, line 1: column 2 has no name"),
        ("separator", b"a/b;\n1;2\n", "error[V614] t.csv, line 1: column 2 has no name"),
        (
            "one of many",
            b"a\n1\n2\n3\n4\n5\n6\n7\n8\n9\n10\nn/a\n12\n",
            "warning[V619] t.csv, line 12, column a: the column is read as text: 'n/a' is not an integer, as the 10 values",
        ),
        ("random", &[0, 159, 146, 150, 10, 13, 34], "error[V613] t.csv, line 1"),
        ("nul", b"a,b\n1,\0\n", ""),
    ];
    for (name, csv, wanted) in cases {
        let found = said(PLAIN, csv);
        assert!(found.starts_with(wanted) && found.is_empty() == wanted.is_empty(), "{name}: {found}");
        assert!(found.is_empty() || found.contains("help: "), "{name}: {found}");
    }
}

/// Files that are no tables of text are named for what they are, before anything is read as data.
#[test]
fn files_of_other_kinds_are_named_by_their_first_bytes() {
    let cases: [(&[u8], &str); 6] = [
        (b"\x1f\x8b\x08\0\0\0\0\0\0\x03", "error[V612] t.csv: the file cannot be read on: "),
        (b"\x28\xb5\x2f\xfd\0\0", "error[V612] t.csv: the file cannot be read on: "),
        (b"BZh91AY\x01", "error[V633] t.csv: the file is compressed with bzip2, and no table"),
        (b"%PDF-1.7\n", "error[V633] t.csv: the file is a PDF, and no table"),
        (
            b"a\0,\0b\0\n\x001\0,\x002\0\n\0",
            "error[V613] t.csv: the file is in UTF-16, without a mark that says so",
        ),
        (
            b"a;b;c\nx, y;1;2\nz;3\n",
            "error[V616] t.csv, line 3: the line has 2 fields, the first line names 3 columns",
        ),
    ];
    // Names of columns may begin as such files do.
    for header in ["ORCHARD", "PAR1", "ARROW1", "BZhang", "PKey"] {
        assert_eq!(said(PLAIN, format!("{header},n\nx,1\ny,2\n").as_bytes()), "", "{header}");
    }
    for (csv, wanted) in cases {
        let found = said(PLAIN, csv);
        assert!(found.starts_with(wanted), "{wanted}: {found}");
    }
}

/// What separates fields is found, and told where that is wished; the encoding is found by its mark, or told.
#[test]
fn separators_encodings_and_packing_are_found() {
    let plain = "name,city\nAnn,Köln\n";
    let utf16: Vec<u8> =
        std::iter::once(0xfeff).chain(plain.encode_utf16()).flat_map(u16::to_le_bytes).collect();
    let latin = b"name;city\nAnn;K\xf6ln\n".to_vec();
    let cases: [(&str, Vec<u8>); 6] = [
        (PLAIN, plain.into()),
        (PLAIN, plain.replace(',', ";").into()),
        (PLAIN, plain.replace(',', "\t").into()),
        (PLAIN, plain.replace(',', "|").replace('\n', "\r\n").into()),
        (PLAIN, utf16),
        ("fact t from 't.csv' encoding 'windows-1252'\n", latin),
    ];
    for (model, bytes) in cases {
        let reply = open(model, &bytes).unwrap().ask("list name, city from t").unwrap();
        assert_eq!(reply.csv(vembra::Layout::Tidy).unwrap(), plain, "{bytes:?}");
    }
    let wrong = said("fact t from 't.csv' encoding 'klingon'\n", b"a\n1\n");
    assert!(wrong.starts_with("error[V613] t.csv: there is no encoding klingon"), "{wrong}");
    let wrong = said("fact t from 't.csv' encoding 'utf-8'\n", b"a\n\xff\n");
    assert!(wrong.starts_with("error[V613] t.csv, line 2: the file is not in UTF-8"), "{wrong}");
}

/// Each of the two fits a decimal, but both together are more digits than one has; in whatever order and however far apart.
#[test]
fn a_number_that_is_too_large_for_its_column_is_named() {
    let long = format!("{}.5", "9".repeat(33));
    let small = "0.000000000000000001";
    let cases = [
        (format!("n\n{long}\n{small}\n"), 2),
        (format!("n\n{small}\n{long}\n"), 3),
        // How many lines in between that the two are in different pieces.
        (format!("n\n{small}\n{}{long}\n", "1.5\n".repeat(1_500_000)), 1_500_003),
        (format!("n\n{long}\n{}{small}\n", "1.5\n".repeat(1_500_000)), 2),
    ];
    for (text, line) in cases {
        let found = said(PLAIN, text.as_bytes());
        assert!(found.starts_with(&format!("error[V618] t.csv, line {line}, column n: ")), "{found}");
    }
}

#[test]
fn forms_of_a_place_are_pointed_out_and_read_when_told() {
    let csv = "id;paid;on;ok\n1;1.234,50;31.12.2024;ja\n2;-0,25;01.02.2025;nein\n3;;;\n".as_bytes();
    let found = said(PLAIN, csv);
    for line in ["numbers like '1.234,56'", "dates like '31.12.2024'"] {
        assert!(found.contains(line), "{found}");
    }
    let told =
        "fact t from 't.csv' numbers like '9.876,5' dates like '24.12.1999' booleans like 'ja', 'nein'\n";
    let reply = open(told, csv).unwrap().ask("list id, paid, on, ok from t").unwrap();
    let wanted = "id,paid,on,ok\n1,1234.50,2024-12-31,true\n2,-0.25,2025-02-01,false\n3,,,\n";
    assert_eq!(reply.csv(vembra::Layout::Tidy).unwrap(), wanted);
    let one = "fact t from 't.csv'\ncolumn t.paid: decimal(8, 2) numbers like '9.876,5'\n";
    let reply = open(one, csv).unwrap().ask("list paid, on from t").unwrap();
    assert_eq!(
        reply.csv(vembra::Layout::Tidy).unwrap(),
        "paid,on\n1234.50,31.12.2024\n-0.25,01.02.2025\n,\n"
    );
    let narrow = "fact t from 't.csv'\ncolumn t.paid: decimal(5, 2) numbers like '9.876,5'\n";
    let found = said(narrow, csv);
    let wanted = "error[V618] t.csv, line 2, column paid: expected a decimal of 3 digits and 2 decimals, found '1.234,50'";
    assert!(found.starts_with(wanted), "{found}");
}

#[test]
fn the_fault_in_the_file_behind_a_fault_in_the_text_is_said_last() {
    let model = "fact t from 't.csv'\nmeasure total = sum(paid)\n";
    let numbers = b"id,paid\n1,1\n2,2\n3,3\n4,4\n5,5\n6,6\n7,7\n8,8\n9,9\n10,10\n11,11\n12,n/a\n";
    let money = b"id;paid\n1;1.000,50\n2;2,25\n";
    let cases: [(&[u8], [&str; 2]); 2] = [
        (money, ["error[V302]: expected a number", "warning[V636] t.csv, column paid: "]),
        (numbers, ["error[V302]: expected a number", "warning[V619] t.csv, line 13, column paid: "]),
    ];
    for (csv, [text, file]) in cases {
        // A column that is wrong stops the model, a measure what needs it.
        let column = model.replace("measure total = sum(paid)", "column t.more = paid + 1");
        let stopped = open(&column, csv).err().unwrap();
        let needed = open(model, csv).unwrap().ask("show total").map(|_| ()).unwrap_err();
        for (failure, text) in [(stopped, "error[V302]: expected a number"), (needed, text)] {
            let said = failure.to_string();
            assert!(said.starts_with(text) && said.contains(&format!("\n\n{file}")), "{said}");
            assert_eq!(failure.findings().len(), 1, "{said}");
        }
        let failure = open(model, csv).unwrap().ask("show total").map(|_| ()).unwrap_err();
        let said = failure.to_string();
        let much = (failure.diagnostics()[0].severity, failure.findings()[0].severity);
        assert_eq!(much, (Severity::Error, Severity::Warning), "{said}");
    }
}

#[test]
fn a_fixed_type_names_each_bad_value_and_counts_the_rest() {
    let csv = b"id,paid\n1,2.50\n2,x\n3,\n4,1e\n5,y\n6,z\n7,--\n";
    let found = said("fact t from 't.csv'\ncolumn t.paid: decimal\n", csv);
    let lines: Vec<&str> = found.lines().filter(|l| l.starts_with("error")).collect();
    assert_eq!(
        lines,
        [
            "error[V618] t.csv, line 3, column paid: expected a decimal, found 'x'",
            "error[V618] t.csv, line 5, column paid: expected a decimal, found '1e'",
            "error[V618] t.csv, line 6, column paid: expected a decimal, found 'y' (2 more like it in this column)",
        ]
    );
}

#[test]
fn a_comma_for_the_point_of_a_decimal_is_known() {
    let found = said("fact t from 't.csv' separated by ';'\ncolumn t.paid: decimal\n", b"id;paid\n1;4,50\n");
    assert!(found.contains("line 2, column paid: expected a decimal, found '4,50'"), "{found}");
    assert!(found.contains("decimals stand behind a point: 4.50, not 4,50"), "{found}");
}

#[test]
fn quotes_line_breaks_and_byte_order_marks_are_read() {
    let csv = "\u{feff}name,n\r\n\"Ann, \"\"A\"\"\",1\r\n\"two\nlines\",2\r\n\"\",3\r\n";
    let session = open(PLAIN, csv.as_bytes()).unwrap();
    let Answer::List(list) = session.ask("list name, n from t").unwrap().answer else { panic!() };
    let names: Vec<Scalar> = list.rows.iter().map(|r| r[0].clone()).collect();
    assert_eq!(names, [Scalar::text("Ann, \"A\""), Scalar::text("two\nlines"), Scalar::Null]);
}

#[test]
fn keys_that_stand_twice_and_orphans_are_named_by_line() {
    let model = "dimension d from 'd.csv' key k\nfact t from 't.csv'\nlink t.k to d\n";
    let open = |d: &str| {
        let builder = Session::builder().model_text("m.vembra", model).csv_text("d", d);
        builder.csv_text("t", "k,n\na,1\nx,2\n,3\nx,4\n").open()
    };
    // A key that stands twice has no one answer, so there is no session.
    let failure = open("k,v\na,1\nb,2\na,3\na,4\n").map(drop).unwrap_err();
    assert_eq!(
        failure.to_string().lines().next(),
        Some(
            "error[V501] d.csv, line 4, column k: the key 'a' stands twice, first in line 2 (and 1 other row like it)"
        )
    );
    let findings = open("k,v\na,1\nb,2\n,4\n").unwrap().check().unwrap();
    let found: Vec<String> = findings.iter().map(ToString::to_string).collect();
    assert_eq!(
        found,
        [
            "warning[V502] d.csv, line 4, column k: a row has no key",
            "warning[V503] t.csv, line 3, column k: 'x' is in no row of d (and 1 other row like it)",
        ]
    );
}

#[test]
fn dates_outside_the_calendar_and_broken_hierarchies_are_named() {
    let model = "calendar from '2024-01-01' to '2024-12-31'\ndimension d from 'd.csv' key k\nfact t from 't.csv'\n\
                 link t.on to calendar\nhierarchy d.way = upper, lower\n";
    let open = |d: &str| {
        let builder = Session::builder().model_text("m.vembra", model).csv_text("d", d);
        builder.csv_text("t", "on,n\n2024-03-01,1\n2025-03-01,2\n").open()
    };
    let failure = open("k,upper,lower\n1,A,x\n2,B,x\n").map(drop).unwrap_err();
    assert_eq!(
        failure.to_string().lines().next(),
        Some(
            "error[V505] d.csv, line 3, column lower: the hierarchy way does not hold: 'x' stands with upper 'A' and with 'B'"
        )
    );
    let session = open("k,upper,lower\n1,A,x\n2,B,y\n").unwrap();
    let found: Vec<String> = session.check().unwrap().iter().map(ToString::to_string).collect();
    assert_eq!(found, ["warning[V504] t.csv, line 3, column on: '2025-03-01' is outside calendar"]);
    let reply = session.ask("rows calendar.month show sum(n)").unwrap().text(vembra::Layout::Grid);
    assert!(reply.contains("(unknown)"), "{reply}");
}

#[test]
fn overflow_is_an_error_and_never_a_wrong_number() {
    let big = "9000000000000000000";
    let session = open(PLAIN, format!("n,m\n{big},{big}\n{big},{big}\n").as_bytes()).unwrap();
    for query in ["show sum(n)", "show sum(n * m)", "list n + m from t", "show max(n) * max(m)"] {
        let failure = session.ask(query).map(|r| r.text(vembra::Layout::Grid)).unwrap_err();
        assert!(failure.to_string().contains("V511"), "{query}: {failure}");
    }
    let reply = session.ask("show avg(n), sum(n * 1.0)").unwrap();
    assert_eq!(
        reply.csv(vembra::Layout::Tidy).unwrap().lines().last(),
        Some("9000000000000000000,18000000000000000000.0")
    );
}

#[test]
fn a_missing_file_is_named_with_its_path() {
    let failure = Session::builder()
        .model_text("m.vembra", "fact t from 'no/such.csv'\n")
        .open()
        .map(drop)
        .unwrap_err();
    assert_eq!(
        failure.to_string(),
        "error[V610] no/such.csv: the file cannot be read: there is no such file\n  help: check the path; it is \
         taken from the folder of the model"
    );
}

#[test]
fn columns_without_values_and_tables_without_rows_fit_anywhere() {
    for orders in [0, 1, 3] {
        let company = vembra_demo::Company::new(orders);
        let mut builder = Session::builder().model_text("bees.vembra", vembra_demo::MODEL);
        for (name, csv) in vembra_demo::tables(&company).unwrap() {
            builder = builder.csv_bytes(name, csv);
        }
        let session = builder.open().unwrap_or_else(|failure| panic!("{orders} orders: {failure}"));
        let query = "show orders, revenue, margin, late_lines, mean_days_waited, max(placed_at), listagg(order_line.sku)";
        let reply = session.ask(query).unwrap_or_else(|failure| panic!("{orders} orders: {failure}"));
        assert_eq!(
            reply.csv(vembra::Layout::Tidy).unwrap().lines().nth(1).unwrap().split(',').next(),
            Some(&*orders.to_string())
        );
        let split = session.ask("rows calendar.month, shipped.year, order_line.size columns product.category show units totals on rows, on columns");
        assert!(split.is_ok(), "{orders} orders");
        let page =
            session.page("overview", &[]).unwrap_or_else(|failure| panic!("{orders} orders: {failure}"));
        assert!(page.html().contains("Marrowfield at a glance"));
    }
}

#[test]
fn rows_that_hold_for_a_time_are_met_by_every_role_and_looked_at() {
    let model = "calendar from '2023-01-01' to '2024-12-31'\n\
        dimension rate from 'rate' key currency, valid_from\nfact sale from 'sale'\n\
        link sale.ordered_on to calendar as ordered default\nlink sale.shipped_on to calendar as shipped\n\
        link (sale.currency, sale.ordered_on) to rate as of valid_from until valid_to as ordered default\n\
        link (sale.currency, sale.shipped_on) to rate as of valid_from until valid_to as shipped\n\
        measure worth = sum(amount * rate.factor)\n";
    let rates = "currency,valid_from,valid_to,factor\nUSD,2024-01-01,2024-02-01,1.10\nUSD,2024-02-01,2024-03-01,1.20\n\
        USD,2024-03-10,,1.30\nGBP,2024-01-15,2024-01-10,0.90\nGBP,2024-02-01,2024-04-01,0.80\nGBP,2024-03-01,,0.85\n";
    let sales = "currency,ordered_on,shipped_on,amount\nUSD,2024-01-31,2024-02-01,100\nUSD,2024-02-01,2024-03-05,100\n\
        USD,2024-03-05,2024-03-10,100\nUSD,2024-03-10,,100\nGBP,2024-03-02,2024-02-02,100\n,2024-03-02,2024-03-03,100\n";
    let session = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("rate", rates)
        .csv_text("sale", sales)
        .open()
        .unwrap();
    let csv = |query: &str| session.ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
    // 110 + 120 + nothing + 130 + 85, and by shipping 120 + nothing + 130 + nothing + 80.
    assert_eq!(csv("show worth, (worth via shipped) as shipped"), "worth,shipped\n445.00,330.00\n");
    let of_a_role =
        "rows rate.factor show count(rows of sale) as n, (count(rows of sale) via shipped) as shipped";
    assert_eq!(
        csv(of_a_role),
        "rate.factor,n,shipped\n0.80,0,1\n0.85,1,0\n1.10,1,0\n1.20,1,1\n1.30,1,1\n,1,2\n(unknown),1,1\n"
    );
    let found: Vec<String> = session.check().unwrap().iter().map(ToString::to_string).collect();
    assert_eq!(
        found,
        [
            "warning[V508] rate, line 5, column valid_to: the row ends on 2024-01-10, before it begins",
            "warning[V507] rate, line 7, column valid_from: the row begins on 2024-03-01, when the row in line 6 with its key holds until 2024-04-01",
            "warning[V503] sale, line 4, column currency: no row of rate holds for 'USD' on '2024-03-05'",
            "warning[V503] sale, line 3, column currency: no row of rate holds for 'USD' on '2024-03-05'",
        ]
    );
}
