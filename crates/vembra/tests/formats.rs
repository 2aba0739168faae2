//! The star of the demo from files of each format gives the same answers, and a table that was written is read again as it was.

use std::fs;
use std::io::Write;
use std::path::Path;
use vembra::{Answer, Layout, Periods, Scalar, Session, Type};

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo");
const TABLES: [&str; 9] =
    ["product", "price", "customer", "order_time", "order_line", "target", "stock", "interest", "holiday"];

/// Questions over all tables, roles and types of the demo.
const QUESTIONS: [&str; 10] = [
    "rows calendar.year, product.category columns customer.region show revenue totals on rows, on columns",
    "rows calendar.month show revenue, (revenue via shipped) as shipped, (revenue via due) as due totals on rows",
    "rows customer.segment show orders, average_order, (avg(revenue per customer)) as each totals on rows",
    "rows order_time.order_no show revenue, min(ordered_on) as first top 7 order_time.order_no by revenue with ties",
    "rows extract(hour from placed_at) as hour show orders",
    "rows calendar.month show revenue, (revenue during year to date) as so_far, (revenue during 1 year earlier) as before",
    "rows product.name show sum(quantity) as units, median(net) as middle, count(distinct customer_code) as buyers",
    "list order_no, sku, ordered_on, shipped_on, due_on, quantity, unit_price, discount from order_line \
     where shipped_on is null sort order_no, sku limit 40",
    "list code, name, region, segment from customer sort code",
    "rows product.sku show min(product.name) as n having min(product.name) like '%e%'",
];

fn answers(session: &Session) -> Vec<String> {
    let answer = |text: &&str| session.ask(text).unwrap().csv(Layout::Tidy).unwrap();
    QUESTIONS.iter().map(answer).collect()
}

/// The model over files with another ending, in a folder of its own.
fn opened(folder: &Path, ending: &str) -> Session {
    opened_with(folder, ending, "")
}

fn opened_with(folder: &Path, ending: &str, more: &str) -> Session {
    let mut model = fs::read_to_string(format!("{DEMO}/bees.vembra")).unwrap();
    for table in TABLES {
        model = model.replace(&format!("'{table}.csv'"), &format!("'{table}{ending}'"));
    }
    fs::write(folder.join("bees.vembra"), model + more).unwrap();
    Session::open(folder.join("bees.vembra")).unwrap()
}

/// All columns of a table that its file has, as a list.
fn list(session: &Session, table: &str) -> vembra::Reply {
    let model = session.model();
    let table_id = model.find_table(table).unwrap();
    let columns = &session.star().table(table_id).unwrap().columns;
    let names: Vec<&str> = columns.iter().map(|(name, _)| name.as_str()).collect();
    session.ask(&format!("list {} from {table}", names.join(", "))).unwrap()
}

/// How a table is written.
type Written<'w> = &'w dyn Fn(&str) -> Vec<u8>;

#[test]
fn the_same_star_from_each_format_gives_the_same_answers() {
    let demo = Session::open(format!("{DEMO}/bees.vembra")).unwrap();
    let wanted = answers(&demo);
    assert!(wanted.iter().all(|answer| answer.lines().count() > 3));
    let csv = |table: &str| fs::read(format!("{DEMO}/{table}.csv")).unwrap();
    let write: [(&str, Written<'_>); 7] = [
        (".csv.gz", &|table| {
            let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
            packed.write_all(&csv(table)).unwrap();
            packed.finish().unwrap()
        }),
        (".tsv", &|table| {
            let text = csv(table);
            let mut reader =
                csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_slice()).into_records();
            let mut writer = csv::WriterBuilder::new().delimiter(b'\t').from_writer(Vec::new());
            reader.try_for_each(|r| writer.write_record(&r.unwrap())).unwrap();
            writer.into_inner().unwrap()
        }),
        (".parquet", &|table| list(&demo, table).parquet(Periods::FirstDays(1)).unwrap()),
        (".arrow", &|table| list(&demo, table).arrow_file(Periods::FirstDays(1)).unwrap()),
        (".arrows", &|table| list(&demo, table).arrow_stream(Periods::FirstDays(1)).unwrap()),
        (".json", &|table| list(&demo, table).json(Layout::Tidy).to_string().into_bytes()),
        (".jsonl", &|table| {
            let rows = list(&demo, table).json(Layout::Tidy);
            rows.as_array().unwrap().iter().map(|row| format!("{row}\n")).collect::<String>().into_bytes()
        }),
    ];
    for (ending, bytes) in write {
        let folder = tempfile::tempdir().unwrap();
        for table in TABLES {
            fs::write(folder.path().join(format!("{table}{ending}")), bytes(table)).unwrap();
        }
        assert_same(&opened(folder.path(), ending), &wanted, ending);
    }
}

fn assert_same(session: &Session, wanted: &[String], format: &str) {
    for ((found, wanted), question) in answers(session).iter().zip(wanted).zip(QUESTIONS) {
        assert_eq!(found, wanted, "{format}: {question}");
    }
}

#[test]
fn the_same_star_from_workbooks_gives_the_same_answers() {
    let demo = Session::open(format!("{DEMO}/bees.vembra")).unwrap();
    let folder = tempfile::tempdir().unwrap();
    for table in TABLES {
        let sheet = list(&demo, table).spreadsheet().unwrap();
        assert_eq!(sheet.rounded, Vec::<String>::new());
        fs::write(folder.path().join(format!("{table}.xlsx")), sheet.bytes).unwrap();
    }
    // A sheet has a month as its first day.
    let session = opened_with(folder.path(), ".xlsx", "column target.month: month\n");
    assert_same(&session, &answers(&demo), "workbook");
}

#[test]
fn the_same_star_from_a_database_gives_the_same_answers() {
    let demo = Session::open(format!("{DEMO}/bees.vembra")).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let database = rusqlite::Connection::open(folder.path().join("shop.db")).unwrap();
    for table in TABLES {
        let Answer::List(rows) = list(&demo, table).answer else { unreachable!() };
        let kind = |ty: Type| match ty {
            Type::Integer => "integer",
            Type::Decimal(_) => "decimal(12, 4)",
            Type::Float => "real",
            Type::Text => "text",
            Type::Date => "date",
            _ => "timestamp",
        };
        let columns: Vec<String> =
            rows.columns.iter().map(|c| format!("\"{}\" {}", c.name, kind(c.ty))).collect();
        database.execute_batch(&format!("create table {table} ({})", columns.join(", "))).unwrap();
        let marks = vec!["?"; rows.columns.len()].join(", ");
        database.execute_batch("begin").unwrap();
        let mut insert = database.prepare(&format!("insert into {table} values ({marks})")).unwrap();
        for row in &rows.rows {
            let value = |v: &Scalar| (!v.is_null()).then(|| v.to_string());
            insert.execute(rusqlite::params_from_iter(row.iter().map(value))).unwrap();
        }
        database.execute_batch("commit").unwrap();
    }
    drop(database);
    let mut model = fs::read_to_string(format!("{DEMO}/bees.vembra")).unwrap();
    for table in TABLES {
        model = model.replace(&format!("'{table}.csv'"), &format!("'shop.db' table '{table}'"));
    }
    fs::write(folder.path().join("bees.vembra"), model).unwrap();
    let session = Session::open(folder.path().join("bees.vembra")).unwrap();
    assert_same(&session, &answers(&demo), "database");
}

/// A table of each type, with nulls, whose values are hard to keep.
const HARD: &str = "i,d,f,t,b,day,hour,at,code,m,q,w,none\n\
    9223372036854775807,12345678901234567890.123456,1e300,\"a, \"\"b\"\"\",true,2024-02-29,23:59:59.999999,2024-02-29T23:59:59.5,007,2024-02,2024-Q1,2024-W09,\n\
    -1,-0.000001,-1e-300,ß→𝄞,false,1900-01-01,00:00,1969-12-31T23:59,0,1999-12,1999-Q4,2020-W53,\n\
    ,,,,,,,,,,,,\n";

#[test]
fn what_is_written_is_read_again_as_it_was() {
    let read = |file: &str, bytes: &[u8]| {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join(file), bytes).unwrap();
        fs::write(folder.path().join("m.vembra"), format!("fact t from '{file}'\n")).unwrap();
        Session::open(folder.path().join("m.vembra")).unwrap()
    };
    let first = read("t.csv", HARD.as_bytes());
    let shown = |session: &Session| {
        let Answer::List(found) = list(session, "t").answer else { unreachable!() };
        let types: Vec<String> = found.columns.iter().map(|c| format!("{} {}", c.name, c.ty)).collect();
        (types, found.rows)
    };
    let wanted = shown(&first);
    assert_eq!(wanted.0[..3], ["i integer", "d decimal", "f float"]);
    let reply = list(&first, "t");
    assert_eq!(shown(&read("t.csv", reply.csv(Layout::Tidy).unwrap().as_bytes())), wanted, "csv");
    let files = [
        ("t.parquet", reply.parquet(Periods::FirstDays(1)).unwrap()),
        ("t.arrow", reply.arrow_file(Periods::FirstDays(1)).unwrap()),
        ("t.arrows", reply.arrow_stream(Periods::FirstDays(1)).unwrap()),
    ];
    for (file, bytes) in files {
        let found = shown(&read(file, &bytes));
        // What never holds a value has a type in such files, and none in others.
        assert_eq!(found.0[..12], wanted.0[..12], "{file}");
        assert_eq!(found.1, wanted.1, "{file}");
    }
}

#[test]
fn several_files_are_one_table() {
    let folder = tempfile::tempdir().unwrap();
    let write = |file: &str, text: &str| {
        let path = folder.path().join(file);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    };
    write("sales/year=2024/a.csv", "id,paid\n1,1\n2,2.50\n");
    write("sales/year=2025/a.csv", "paid,id,note\n4,3,late\n");
    write("sales/year=2025/b.csv", "id,paid\n4,x\n");
    let ask = |from: &str| -> Result<String, vembra::Error> {
        fs::write(folder.path().join("m.vembra"), format!("fact t from {from}\n")).unwrap();
        let session = Session::open(folder.path().join("m.vembra"))?;
        Ok(session.ask("list id, paid from t")?.csv(Layout::Tidy).unwrap())
    };
    assert_eq!(
        ask("'sales/year=2024/a.csv', 'sales/year=2025/a.csv'").unwrap(),
        "id,paid\n1,1.00\n2,2.50\n3,4.00\n"
    );
    // With a text in one file, the column is one of texts, as they stand in each.
    assert_eq!(ask("'sales/*/*.csv'").unwrap(), "id,paid\n1,1\n2,2.50\n3,4\n4,x\n");
    fs::write(folder.path().join("m.vembra"), "fact t from 'sales/**/*.csv'\ncolumn t.paid: decimal\n")
        .unwrap();
    let failure = Session::open(folder.path().join("m.vembra")).unwrap_err().to_string();
    assert!(
        failure.contains("year=2025/b.csv, line 2, column paid: expected a decimal, found 'x'"),
        "{failure}"
    );
    let none = ask("'sales/*.parquet'").unwrap_err().to_string();
    assert!(
        none.contains("error[V610]") && none.contains("there is no file whose name fits this pattern"),
        "{none}"
    );
    fs::write(folder.path().join("m.vembra"), "fact t from 'sales/*/a.csv'\n").unwrap();
    let session = Session::open(folder.path().join("m.vembra")).unwrap();
    let by_year = session.ask("rows t.year show count(rows of t) as n, sum(paid) as paid").unwrap();
    assert_eq!(by_year.csv(Layout::Tidy).unwrap(), "t.year,n,paid\n2024,2,3.50\n2025,1,4.00\n");
    let notes: Vec<String> = session.check().unwrap().iter().map(ToString::to_string).collect();
    assert!(
        notes.iter().any(|n| n.contains("V637") && n.contains("year=2024/a.csv, column note")),
        "{notes:?}"
    );
}

#[test]
fn faults_of_each_format_are_named() {
    let folder = tempfile::tempdir().unwrap();
    let said = |file: &str, bytes: &[u8], told: &str| {
        fs::write(folder.path().join(file), bytes).unwrap();
        fs::write(folder.path().join("m.vembra"), format!("fact t from '{file}'{told}\n")).unwrap();
        match Session::open(folder.path().join("m.vembra")) {
            Ok(_) => "read".to_owned(),
            Err(error) => error.to_string(),
        }
    };
    let session =
        Session::builder().model_text("m.vembra", "fact t from 't'\n").csv_text("t", "a,b\n1,x\n").open();
    let reply = session.unwrap().ask("list a, b from t").unwrap();
    let parquet = reply.parquet(Periods::FirstDays(1)).unwrap();
    let arrow = reply.arrow_file(Periods::FirstDays(1)).unwrap();
    let book = reply.spreadsheet().unwrap().bytes;
    let cut = |bytes: &[u8]| bytes[..bytes.len() / 2].to_vec();
    let narrow = "\ncolumn t.a: decimal(2, 2)";
    let cases: [(&str, Vec<u8>, &str, &str); 17] = [
        (
            "narrow.parquet",
            parquet.clone(),
            narrow,
            "line 1, column a: expected a decimal of 0 digits and 2 decimals, found '1'",
        ),
        ("cut.parquet", cut(&parquet), "", "error[V612]"),
        ("cut.arrow", cut(&arrow), "", "error[V612]"),
        ("cut.xlsx", cut(&book), "", "error[V612]"),
        ("sheet.xlsx", book, " sheet 'Orders'", "error[V629] "),
        ("a.jsonl", b"{\"a\": 1}\n{\"a\": 2\n".to_vec(), "", "line 2: this is no JSON: EOF"),
        ("b.jsonl", b"{\"a\": 1}\n[2]\n".to_vec(), "", "line 2: expected an object, found a list"),
        (
            "c.jsonl",
            b"{\"a\": 1}\n{\"a\": {}}\n".to_vec(),
            "",
            "line 2, column a: expected a value, found an object",
        ),
        (
            "twice.jsonl",
            b"{\"a\": 1}\n{\"a\": 1, \"a\": 2}\n".to_vec(),
            "",
            "line 2, column a: the name stands twice",
        ),
        ("number.jsonl", b"{\"a\": 1}\n2\n".to_vec(), "", "line 2: expected an object, found a number"),
        ("text.json", b"[{\"a\": 1}, \"x\"]".to_vec(), "", "line 2: expected an object, found a text"),
        ("d.json", b"[{\"a\": 1},\n {\"a\"}]".to_vec(), "", "line 2: this is no JSON"),
        ("e.jsonl", b"{}\n".to_vec(), "", "error[V611]"),
        ("cut.db", [b"SQLite format 3\0".as_slice(), &[0; 90]].concat(), "", "error[V641]"),
        ("old.db", database(), " table 'nothing'", "error[V640] "),
        ("two.db", database(), "", "say which one: … table '…'; there are: fruit, odd"),
        ("odd.db", database(), " table 'odd'", "line 1, column b: the row holds bytes"),
    ];
    for (file, bytes, told, wanted) in cases {
        let found = said(file, &bytes, told);
        assert!(found.contains(wanted) && found.contains(file), "{file}: {found}");
        assert!(found.contains("help: "), "{file}: {found}");
    }
}

/// A Parquet file of whole numbers and texts.
fn numbers_and_texts() -> Vec<u8> {
    let rows: String = (0..500).map(|at| format!("{},text {at}\n", 123_456_000 + at)).collect();
    let session = Session::builder()
        .model_text("m.vembra", "fact t from 't'\n")
        .csv_text("t", format!("a,b\n{rows}"))
        .open()
        .unwrap();
    session.ask("list a, b from t").unwrap().parquet(Periods::FirstDays(1)).unwrap()
}

/// The places of some bytes in others.
fn places(of: &[u8], within: &[u8]) -> Vec<usize> {
    within.windows(of.len()).enumerate().filter(|(_, w)| *w == of).map(|(at, _)| at).collect()
}

#[test]
fn a_column_of_a_parquet_file_is_read_when_it_is_needed() {
    let folder = tempfile::tempdir().unwrap();
    let model = folder.path().join("m.vembra");
    let opened = |files: &[(&str, &[u8])]| {
        let names: Vec<String> = files.iter().map(|(name, _)| format!("'{name}'")).collect();
        files.iter().for_each(|(name, bytes)| fs::write(folder.path().join(name), bytes).unwrap());
        fs::write(&model, format!("fact t from {}\n", names.join(", "))).unwrap();
        Session::open(&model).unwrap()
    };
    let ask = |session: &Session, text: &str| {
        session.ask(text).map(|r| r.csv(Layout::Tidy).unwrap()).map_err(|e| e.to_string())
    };
    let whole = numbers_and_texts();
    let mut damaged = whole.clone();
    let text = places(b"text ", &damaged)[0];
    damaged[text..text + 60].fill(0xff);
    let of_numbers = "rows mod(a, 250) as rest show sum(a) as total where mod(a, 250) = 7";
    let total = 123_456_007 + 123_456_257;
    for files in [&[("t.parquet", &damaged[..])][..], &[("u.parquet", &whole), ("v.parquet", &damaged)]] {
        let session = opened(files);
        let wanted = format!("rest,total\n7,{}\n", total * files.len());
        assert_eq!(ask(&session, of_numbers).unwrap(), wanted);
        let (file, _) = files.last().unwrap();
        for found in [
            ask(&session, "show count(distinct b) as texts").unwrap_err(),
            session.check().unwrap().iter().map(ToString::to_string).collect(),
        ] {
            assert!(
                found.contains("[V612]")
                    && found.contains(&format!("{file}, column b: the file cannot be read on")),
                "{found}"
            );
        }
    }
    // What is told of a column's values is believed only as long as they agree with it.
    let mut lying = whole;
    let values =
        lying.len() - 8 - u32::from_le_bytes(lying[lying.len() - 8..][..4].try_into().unwrap()) as usize;
    for at in places(&123_456_499_i64.to_le_bytes(), &lying).into_iter().filter(|at| *at > values) {
        lying[at..at + 8].copy_from_slice(&123_456_777_i64.to_le_bytes());
    }
    let session = opened(&[("w.parquet", &lying)]);
    let found = ask(&session, "show sum(a) as total").unwrap_err();
    assert!(
        found.contains("w.parquet, column a: the file cannot be used: what it says of its values"),
        "{found}"
    );
    // A file that changes under a session is not read half as it was and half as it is.
    let session = opened(&[("x.parquet", &numbers_and_texts())]);
    fs::write(folder.path().join("x.parquet"), &damaged[..9]).unwrap();
    let found = ask(&session, "show sum(a) as total").unwrap_err();
    assert!(found.contains("[V630]") && found.contains("x.parquet: the file changed"), "{found}");
}

#[test]
fn clauses_that_say_nothing_of_a_format_are_pointed_out() {
    let files = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/files");
    let cases = [
        ("zstd.parquet", "encoding 'utf-8' missing 'NA'", "encoding, missing says nothing of Parquet files"),
        ("lz4.arrow", "numbers like '1,5'", "numbers like says nothing of Arrow files"),
        ("rows.jsonl", "separated by ';'", "separated by says nothing of JSON lines"),
        ("book.xlsx", "table 't'", "table says nothing of workbooks"),
        ("rows.db", "sheet 'T'", "sheet says nothing of SQLite databases"),
        ("text.csv.gz", "sheet 'T'", "sheet says nothing of delimited text"),
    ];
    for (file, told, wanted) in cases {
        let model = format!("fact t from '{file}' {told}\n");
        let session = Session::builder().model_text(format!("{files}/m.vembra"), model).open().unwrap();
        let found: Vec<String> = session.check().unwrap().iter().map(ToString::to_string).collect();
        assert!(found[0].starts_with("warning[V644] ") && found[0].ends_with(wanted), "{file}: {found:?}");
    }
}

/// A database with a table that can be read and one that cannot.
fn database() -> Vec<u8> {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.db");
    let database = rusqlite::Connection::open(&file).unwrap();
    let text = "create table fruit (name text); create table odd (b blob); insert into odd values (x'00ff');";
    database.execute_batch(text).unwrap();
    drop(database);
    fs::read(file).unwrap()
}

/// Files that other programs wrote (`files/make.py`) hold the same table, with its types.
#[test]
fn files_of_other_programs_are_read() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/files");
    let wanted = "i,d,f,t,b,day,at,code\n\
        1,12.50,0.1,\"a, \"\"b\"\"\",true,2024-02-29,2024-02-29T23:59:59,007\n\
        -2,-0.05,2.5,ß→é,false,1999-12-31,1969-12-31T12:00,0\n";
    // Text, JSON and sheets do not tell floats from decimals; a sheet has no row without a value.
    let cases = [
        ("zstd.parquet", "float", true),
        ("gzip.parquet", "float", true),
        ("others.parquet", "float", true),
        ("duckdb.parquet", "float", true),
        ("lz4.arrow", "float", true),
        ("plain.arrows", "float", true),
        ("text.csv.gz", "float", true),
        ("text.csv.zst", "float", true),
        ("rows.jsonl", "decimal", true),
        ("book.xlsx", "decimal", false),
        ("rows.db", "float", true),
    ];
    for (file, float, has_empty_row) in cases {
        let session = Session::builder()
            .model_text(format!("{folder}/m.vembra"), format!("fact t from '{file}'\n"))
            .open()
            .unwrap_or_else(|error| unreachable!("{file}: {error}"));
        let reply = list(&session, "t");
        let end = if has_empty_row { ",,,,,,,\n" } else { "" };
        let plain = reply.csv(Layout::Tidy).unwrap().replace("12.50,0.10", "12.50,0.1");
        assert_eq!(plain, format!("{wanted}{end}"), "{file}");
        let Answer::List(found) = reply.answer else { unreachable!() };
        let types: Vec<String> = found.columns.iter().map(|c| c.ty.to_string()).collect();
        assert_eq!(
            types,
            ["integer", "decimal", float, "text", "boolean", "date", "moment", "text"],
            "{file}"
        );
    }
}

/// The same three instants, from text, JSON lines, record batches and a Parquet file, by the clocks that the model names.
#[test]
fn moments_with_an_offset_are_shown_by_the_clocks_of_the_model() {
    use arrow_array::{ArrayRef, Int64Array, RecordBatch, TimestampMicrosecondArray};
    use std::sync::Arc;
    // Clocks in Berlin go from 1:59 to 3:00 between the first two.
    let utc = ["2025-03-30T00:59:00", "2025-03-30T01:00:00", "2025-12-31T23:30:00"];
    let micros = [1_743_296_340_000_000_i64, 1_743_296_400_000_000, 1_767_223_800_000_000];
    let at: ArrayRef = Arc::new(TimestampMicrosecondArray::from(micros.to_vec()).with_timezone("+00:00"));
    let number: ArrayRef = Arc::new(Int64Array::from(vec![1, 2, 3]));
    let batch = RecordBatch::try_from_iter([("at", at), ("n", number)]).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut packed = parquet::arrow::ArrowWriter::try_new(Vec::new(), batch.schema(), None).unwrap();
    packed.write(&batch).unwrap();
    fs::write(folder.path().join("p.parquet"), packed.into_inner().unwrap()).unwrap();
    let mut stream = arrow_ipc::writer::FileWriter::try_new(Vec::new(), &batch.schema()).unwrap();
    stream.write(&batch).unwrap();
    fs::write(folder.path().join("a.arrow"), stream.into_inner().unwrap()).unwrap();
    let csv: String = (0..3).map(|at| format!("{}Z,{}\n", utc[at], at + 1)).collect();
    fs::write(folder.path().join("c.csv"), format!("at,n\n{csv}")).unwrap();
    let json: String =
        (0..3).map(|at| format!("{{\"at\":\"{}+00:00\",\"n\":{}}}\n", utc[at], at + 1)).collect();
    fs::write(folder.path().join("j.jsonl"), json).unwrap();
    let listed = |file: &str, zone: &str| {
        let model = format!("{zone}fact t from '{file}'\n");
        let path = folder.path().join("m.vembra");
        fs::write(&path, model).unwrap();
        let session = Session::open(&path).unwrap();
        session.ask("list at from t sort n").unwrap().csv(Layout::Tidy).unwrap()
    };
    for file in ["c.csv", "j.jsonl", "p.parquet", "a.arrow"] {
        let shown = "at\n2025-03-30T00:59\n2025-03-30T01:00\n2025-12-31T23:30\n";
        assert_eq!(listed(file, ""), shown, "{file}");
        let shown = "at\n2025-03-30T01:59\n2025-03-30T03:00\n2026-01-01T00:30\n";
        assert_eq!(listed(file, "time zone 'Europe/Berlin'\n"), shown, "{file}");
    }
    let session = Session::builder()
        .model_text("m.vembra", "time zone 'Europe/Berlin'\nfact t from 't'\n")
        .record_batches("t", vec![batch])
        .open()
        .unwrap();
    let shown = session.ask("show max(at) as last").unwrap().csv(Layout::Tidy).unwrap();
    assert_eq!(shown, "last\n2026-01-01T00:30\n");
}

/// Not a number is one member, whatever its bits: it equals itself, comes behind all numbers and before what is missing.
#[test]
fn not_a_number_is_one_member() {
    use arrow_array::{ArrayRef, Float64Array, Int64Array, RecordBatch};
    use std::sync::Arc;
    let negative = f64::from_bits(f64::NAN.to_bits() | 1 << 63 | 7);
    let x: ArrayRef =
        Arc::new(Float64Array::from(vec![Some(2.0), Some(f64::NAN), None, Some(negative), Some(-1.0)]));
    let n: ArrayRef = Arc::new(Int64Array::from(vec![1, 2, 3, 4, 5]));
    let batch = RecordBatch::try_from_iter([("x", x), ("n", n)]).unwrap();
    let session = Session::builder()
        .model_text("m.vembra", "fact t from 't'\n")
        .record_batches("t", vec![batch])
        .open()
        .unwrap();
    let said = |query: &str| {
        let csv = session.ask(query).unwrap().csv(Layout::Tidy).unwrap();
        csv.lines().skip(1).collect::<Vec<_>>().join(" | ")
    };
    assert_eq!(said("rows t.x show sum(n) as s"), "-1,5 | 2,1 | NaN,6 | ,3");
    assert_eq!(said("show count(distinct x) as d, count(x) as c, max(x) as m"), "3,4,NaN");
    assert_eq!(said("list n from t sort x"), "5 | 1 | 2 | 4 | 3");
    assert_eq!(
        said("show (count(rows of t) where x = x) as same, (count(rows of t) where x > 5) as larger"),
        "4,2"
    );
    // What is worked out from it is no value; it is not added up as zero.
    assert_eq!(said("show sum(x * n) as s, avg(x - n) as a, count(x + 1) as c where x > 5"), ",,0");
}
