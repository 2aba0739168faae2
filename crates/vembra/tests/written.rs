//! Answers in files, read back by readers that know nothing of this library: the figures, their types, the totals.
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

use calamine::{Data, Reader, Xlsx};
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use std::io::Cursor;
use vembra::{Layout, Reply, Session};

fn reply(question: &str) -> Reply {
    let session = Session::builder()
        .model_text(
            "m.vmb",
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
    session.ask(question).unwrap()
}

fn sheet(question: &str) -> Vec<Vec<Data>> {
    let bytes = reply(question).spreadsheet().unwrap();
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
fn a_number_that_a_spreadsheet_would_round_stands_as_a_text() {
    let rows = sheet("rows sale.shop show total where sale.shop = 'East'");
    assert_eq!(rows[1], ["East", "12345678901234567.89"].map(|t| Data::String(t.to_owned())));
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
    let reader =
        ParquetRecordBatchReaderBuilder::try_new(bytes::Bytes::from(reply.parquet().unwrap())).unwrap();
    let read: Vec<_> = reader.build().unwrap().map(Result::unwrap).collect();
    assert_eq!(read, std::slice::from_ref(&batch));
    let file =
        arrow_ipc::reader::FileReader::try_new(Cursor::new(reply.arrow_file().unwrap()), None).unwrap();
    let read: Vec<_> = file.map(Result::unwrap).collect();
    assert_eq!(read, [batch]);
    let schema = read[0].schema();
    let named: Vec<String> =
        schema.fields().iter().map(|f| format!("{}: {}", f.name(), f.data_type())).collect();
    assert_eq!(named, ["line: Utf8", "sale.shop: Utf8", "total: Decimal128(38, 2)", "shops: Int64"]);
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
