//! Answers in files, read back by readers that know nothing of this library: the figures, their types, the totals.

use calamine::{Data, Reader, Xlsx};
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use std::io::Cursor;
use vembra::{Layout, Reply, Session};

fn reply(query: &str) -> Reply {
    let session = Session::builder()
        .model_text(
            "m.vembra",
            "currency 'EUR'\ncalendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale'\n\
             link sale.ordered_on to calendar as ordered default\nmeasure total = sum(amount)\n    label 'Total value'\n    \
             format '¤#,##0.00'\nmeasure shops = count(distinct shop)\n    label 'Shops'\n",
        )
        .csv_text(
            "sale",
            "shop,ordered_on,amount,at\nNorth,2025-01-10,100.25,08:30\n\"So|uth\",2025-02-11,60,09:15\nNorth,2025-02-12,,\n\
             East,,12345678901234567.89,\n",
        )
        .open()
        .unwrap();
    session.ask(query).unwrap()
}

fn sheet(query: &str) -> Vec<Vec<Data>> {
    let bytes = reply(query).spreadsheet().unwrap().bytes;
    let mut book: Xlsx<_> = Xlsx::new(Cursor::new(bytes)).unwrap();
    let range = book.worksheet_range_at(0).unwrap().unwrap();
    range.rows().map(<[Data]>::to_vec).collect()
}

fn number(cell: &Data) -> f64 {
    match cell {
        Data::Float(x) => *x,
        Data::Int(i) => *i as f64,
        Data::DateTime(day) => day.as_f64(),
        other => panic!("{other:?} is no number"),
    }
}

#[test]
fn a_spreadsheet_has_real_numbers_dates_and_totals() {
    let rows = sheet("rows calendar.month show total, shops where sale.amount < 1000 totals on rows");
    assert_eq!(rows[0], ["calendar.month", "Total value", "Shops"].map(|t| Data::String(t.to_owned())));
    // 2025-01-01 is day 45658 of spreadsheets.
    assert!((number(&rows[1][0]) - 45_658.0).abs() < 1e-9, "{:?}", rows[1]);
    assert!((number(&rows[1][1]) - 100.25).abs() < 1e-9);
    assert_eq!(rows[3][0], Data::String("Total".to_owned()));
    assert!((number(&rows[3][1]) - 160.25).abs() < 1e-9 && (number(&rows[3][2]) - 2.0).abs() < 1e-9);
}

#[test]
fn a_number_with_more_digits_than_a_spreadsheet_keeps_is_the_nearest_one() {
    let reply = reply("rows sale.shop show total, shops totals on rows");
    let sheet = reply.spreadsheet().unwrap();
    assert_eq!(sheet.rounded, ["Total value"]);
    let mut book: Xlsx<_> = Xlsx::new(Cursor::new(sheet.bytes)).unwrap();
    let rows: Vec<Vec<Data>> =
        book.worksheet_range_at(0).unwrap().unwrap().rows().map(<[Data]>::to_vec).collect();
    let figures: Vec<f64> = rows[1..5].iter().map(|r| number(&r[1])).collect();
    // East, North, So|uth and their total, which a sum over the lines in the sheet gives too.
    assert_eq!(figures[0].to_bits(), 12_345_678_901_234_567.89_f64.to_bits());
    assert!((figures[..3].iter().sum::<f64>() - figures[3]).abs() < 2.0, "{figures:?}");
    // Trailing zeros are no digits that could be lost.
    let plain = reply_of("show sum(n) as n", "n\n1000000000000000000\n").spreadsheet().unwrap();
    assert!(plain.rounded.is_empty());
}

/// The widest figures of the demo: sixteen digits and more, summed in the sheet as its SUM would, against the total as it is printed.
#[test]
fn a_sheet_of_the_demo_sums_to_the_printed_total() {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/bees.vembra");
    let session = Session::open(demo).unwrap();
    for figure in ["revenue", "sum(net * unit_price * unit_cost * (1 - discount))"] {
        let query =
            format!("rows order_line.order_no, order_line.line_no show {figure} as wide totals on rows");
        let reply = session.ask(&query).unwrap();
        let printed = reply.csv(Layout::Tidy).unwrap();
        let total = printed
            .lines()
            .find_map(|l| l.strip_prefix("total,\"order_line.order_no, order_line.line_no\",,,"))
            .unwrap()
            .to_owned();
        let sheet = reply.spreadsheet().unwrap();
        let mut book: Xlsx<_> = Xlsx::new(Cursor::new(sheet.bytes)).unwrap();
        let range = book.worksheet_range_at(0).unwrap().unwrap();
        let lines = |r: &&[Data]| matches!(r[1], Data::Float(_) | Data::Int(_));
        let figures: Vec<f64> = range.rows().skip(1).filter(lines).map(|r| number(&r[2])).collect();
        assert_eq!(figures.len(), 27_185, "one number a line, none of them a text");
        let (sum, total) = (figures.iter().sum::<f64>(), total.parse::<f64>().unwrap());
        assert!((sum / total - 1.0).abs() < 1e-12, "{query}: {sum} {total}");
        let last = number(&range.rows().next_back().unwrap()[2]);
        assert!((last / total - 1.0).abs() < 1e-14, "{query}: {last} {total}");
    }
}

#[test]
fn a_sheet_that_is_too_large_is_refused_before_it_is_made() {
    let lines: String = (0..1_048_600).map(|n| format!("{n}\n")).collect();
    let began = std::time::Instant::now();
    let reply = reply_of("list n from t", &format!("n\n{lines}"));
    let asked = began.elapsed();
    let error = reply.spreadsheet().unwrap_err().to_string();
    assert!(error.contains("1048601 and 1"), "{error}");
    assert!(began.elapsed() < asked * 2, "it is noticed before lines are written");
}

fn reply_of(query: &str, csv: &str) -> Reply {
    let session =
        Session::builder().model_text("m.vembra", "fact t from 't'\n").csv_text("t", csv).open().unwrap();
    session.ask(query).unwrap()
}

#[test]
fn periods_leave_as_first_days_or_as_texts() {
    let reply = reply("rows calendar.month, calendar.week, calendar.quarter show shops");
    let batch = reply.record_batch().unwrap();
    let schema = batch.schema();
    let fields: Vec<String> = schema
        .fields()
        .iter()
        .map(|f| format!("{} {:?}", f.data_type(), f.metadata().get("vembra.period")))
        .collect();
    assert_eq!(
        fields,
        ["Date32 Some(\"month\")", "Date32 Some(\"week\")", "Date32 Some(\"quarter\")", "Int64 None"]
    );
    // 2025-01-10: month from 2025-01-01 (day 20089), its ISO week from Monday 2025-01-06, its quarter from 2025-01-01.
    let day = |column: usize| {
        let days = batch.column(column).as_any().downcast_ref::<arrow_array::Date32Array>().unwrap();
        days.value(0)
    };
    assert_eq!((day(0), day(1), day(2)), (20_089, 20_094, 20_089));
    let texts = reply.record_batch_with(vembra::Periods::Texts).unwrap();
    let months = texts.column(0).as_any().downcast_ref::<arrow_array::StringArray>().unwrap();
    assert_eq!(months.value(0), "2025-01");
}

#[test]
fn missing_members_are_told_from_real_ones_of_their_name() {
    let model = "fact t from 't'\ndimension d from 'd' key k\nlink t.k to d\n";
    let session = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("d", "k,name\n1,(unknown)\n2,(none)\n3,\n")
        .csv_text("t", "k,n\n1,1\n2,2\n3,4\n9,8\n")
        .open()
        .unwrap();
    let reply = session.ask("rows d.name show sum(n) as n").unwrap();
    let csv = reply.csv(Layout::Tidy).unwrap();
    assert_eq!(csv, "d.name,d.name missing,n\n(none),,2\n(unknown),,1\n,none,4\n(unknown),unknown,8\n");
    let json = reply.json(Layout::Tidy).to_string();
    assert!(json.contains(r#""d.name":"(unknown)","d.name missing":"unknown","n":8"#), "{json}");
    let columns = session.ask("columns d.name show sum(n) as n").unwrap().csv(Layout::Grid).unwrap();
    assert_eq!(columns, "(none),(unknown),(none) missing,(unknown) missing\n2,1,4,8\n");
    // Where nothing is unclear there is no marker.
    let plain = session.ask("rows d.name show sum(n) as n where d.k = 1").unwrap().csv(Layout::Tidy).unwrap();
    assert_eq!(plain, "d.name,n\n(unknown),1\n");
}

/// CSV and JSON read by other readers give every figure exactly, and every kind of value as what it is.
#[test]
fn csv_and_json_hold_the_figures_of_the_answer() {
    let reply = reply("rows sale.shop show total, shops, max(at) as at, avg(amount) as mean totals on rows");
    let vembra::Answer::Summary(summary) = &reply.answer else { panic!("a summary") };
    let csv = reply.csv(Layout::Tidy).unwrap();
    let mut lines = csv::Reader::from_reader(csv.as_bytes());
    let records: Vec<csv::StringRecord> = lines.records().map(Result::unwrap).collect();
    let json: serde_json::Value = serde_json::from_str(&reply.json(Layout::Tidy).to_string()).unwrap();
    for (at, line) in summary.lines.iter().enumerate() {
        for (measure, cell) in line.cells.iter().enumerate() {
            let name = &summary.measures[measure].heading.name;
            let written = &records[at][measure + 3];
            let value = &json[at][name];
            if cell.value.is_null() {
                assert!(written.is_empty() && value.is_null());
                continue;
            }
            assert_eq!(*written, cell.value.to_string());
            assert_eq!(value.is_number(), cell.value.ty().is_number(), "{name}");
            let text = value.as_str().map_or_else(|| value.to_string(), str::to_owned);
            assert_eq!(text, cell.value.to_string());
        }
    }
}

#[test]
fn what_stands_on_columns_is_over_its_figures() {
    let rows = sheet(
        "rows sale.shop columns calendar.month show total, shops where sale.amount < 1000 totals on columns",
    );
    let texts: Vec<String> = rows[1].iter().map(ToString::to_string).collect();
    assert_eq!(texts[..3], ["sale.shop", "Total value", "Shops"]);
    assert_eq!(rows[0].iter().filter(|c| **c == Data::String("Total".to_owned())).count(), 1);
}

#[test]
fn parquet_and_arrow_hold_exact_decimals_nulls_and_kinds_of_lines() {
    let reply = reply("rows sale.shop show total, shops totals on rows");
    let batch = reply.record_batch().unwrap();
    assert_eq!(batch.num_rows(), 4);
    let reader = ParquetRecordBatchReaderBuilder::try_new(bytes::Bytes::from(
        reply.parquet(reply.first_days()).unwrap(),
    ))
    .unwrap();
    let read: Vec<_> = reader.build().unwrap().map(Result::unwrap).collect();
    assert_eq!(read, std::slice::from_ref(&batch));
    let file = arrow_ipc::reader::FileReader::try_new(
        Cursor::new(reply.arrow_file(reply.first_days()).unwrap()),
        None,
    )
    .unwrap();
    let read: Vec<_> = file.map(Result::unwrap).collect();
    assert_eq!(read, std::slice::from_ref(&batch));
    let stream = Cursor::new(reply.arrow_stream(reply.first_days()).unwrap());
    let stream = arrow_ipc::reader::StreamReader::try_new(stream, None).unwrap();
    assert_eq!(stream.map(Result::unwrap).collect::<Vec<_>>(), [batch]);
    let schema = read[0].schema();
    let named: Vec<String> =
        schema.fields().iter().map(|f| format!("{}: {}", f.name(), f.data_type())).collect();
    let wanted = ["line: Utf8", "over: Utf8", "sale.shop: Utf8", "total: Decimal128(38, 2)", "shops: Int64"];
    assert_eq!(named, wanted);
}

#[test]
fn markdown_takes_nothing_from_data_as_markup() {
    let text = reply("rows sale.shop show total where sale.amount < 1000 totals on rows").markdown();
    assert_eq!(
        text,
        "| sale.shop | Total value |\n| --- | ---: |\n| North | €100.25 |\n| So\\|uth | €60.00 |\n| **Total** | **€160.25** |\n"
    );
    let list = reply("list shop, amount, at from sale where amount < 1000").csv(Layout::Tidy).unwrap();
    assert_eq!(list, "shop,amount,at\nNorth,100.25,08:30\nSo|uth,60.00,09:15\n");
}
