//! Workbooks as other programs write them: formulas, lengths of time, midnights, merged cells, cells far out. The files are written here,
//! part by part.

#![cfg(feature = "xlsx")]
#![allow(clippy::unwrap_used)] // In tests, what must be there is taken.

use std::io::Write;
use vembra_engine::Budget;
use vembra_plan::Type;
use vembra_sources::{Loaded, ReadOptions, read_bytes};
use zip::write::SimpleFileOptions;

fn zipped(parts: &[(&str, &str)]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, text) in parts {
        let stored = SimpleFileOptions::default().compression_method(match *name {
            "mimetype" => zip::CompressionMethod::Stored,
            _ => zip::CompressionMethod::Deflated,
        });
        zip.start_file(*name, stored).unwrap();
        zip.write_all(text.as_bytes()).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// A workbook of one sheet. Styles: 1 is a date, 2 a moment, 3 a length of time, 4 a time of day.
fn xlsx(rows: &str, behind: &str) -> Vec<u8> {
    let main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    let related = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let types = "http://schemas.openxmlformats.org/package/2006/content-types";
    let relations = "http://schemas.openxmlformats.org/package/2006/relationships";
    let kind = "application/vnd.openxmlformats-officedocument.spreadsheetml";
    zipped(&[
        (
            "[Content_Types].xml",
            &format!(
                "<Types xmlns=\"{types}\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>\
                 <Override PartName=\"/xl/workbook.xml\" ContentType=\"{kind}.sheet.main+xml\"/>\
                 <Override PartName=\"/xl/worksheets/sheet1.xml\" ContentType=\"{kind}.worksheet+xml\"/>\
                 <Override PartName=\"/xl/styles.xml\" ContentType=\"{kind}.styles+xml\"/></Types>"
            ),
        ),
        (
            "_rels/.rels",
            &format!(
                "<Relationships xmlns=\"{relations}\"><Relationship Id=\"r1\" Type=\"{related}/officeDocument\" Target=\"xl/workbook.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/workbook.xml",
            &format!(
                "<workbook xmlns=\"{main}\" xmlns:r=\"{related}\"><sheets><sheet name=\"S\" sheetId=\"1\" r:id=\"r1\"/></sheets></workbook>"
            ),
        ),
        (
            "xl/_rels/workbook.xml.rels",
            &format!(
                "<Relationships xmlns=\"{relations}\"><Relationship Id=\"r1\" Type=\"{related}/worksheet\" Target=\"worksheets/sheet1.xml\"/>\
                 <Relationship Id=\"r2\" Type=\"{related}/styles\" Target=\"styles.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/styles.xml",
            &format!(
                "<styleSheet xmlns=\"{main}\"><numFmts count=\"1\"><numFmt numFmtId=\"170\" formatCode=\"[h]:mm\"/></numFmts>\
                 <cellXfs count=\"5\"><xf numFmtId=\"0\"/><xf numFmtId=\"14\"/><xf numFmtId=\"22\"/><xf numFmtId=\"170\"/><xf numFmtId=\"21\"/></cellXfs></styleSheet>"
            ),
        ),
        (
            "xl/worksheets/sheet1.xml",
            &format!("<worksheet xmlns=\"{main}\"><sheetData>{rows}</sheetData>{behind}</worksheet>"),
        ),
    ])
}

fn text(cell: &str, text: &str) -> String {
    format!("<c r=\"{cell}\" t=\"inlineStr\"><is><t>{text}</t></is></c>")
}

fn number(cell: &str, style: u8, value: &str) -> String {
    format!("<c r=\"{cell}\" s=\"{style}\"><v>{value}</v></c>")
}

fn row(at: u32, cells: &[String]) -> String {
    format!("<row r=\"{at}\">{}</row>", cells.concat())
}

fn ods(rows: &str) -> Vec<u8> {
    let of = "urn:oasis:names:tc:opendocument:xmlns";
    zipped(&[
        ("mimetype", "application/vnd.oasis.opendocument.spreadsheet"),
        (
            "content.xml",
            &format!(
                "<?xml version=\"1.0\" encoding=\"UTF-8\"?><office:document-content xmlns:office=\"{of}:office:1.0\" \
                 xmlns:table=\"{of}:table:1.0\" xmlns:text=\"{of}:text:1.0\"><office:body><office:spreadsheet>\
                 <table:table table:name=\"S\">{rows}</table:table></office:spreadsheet></office:body></office:document-content>"
            ),
        ),
    ])
}

fn ods_row(cells: &[&str]) -> String {
    format!("<table:table-row>{}</table:table-row>", cells.concat())
}

fn read(bytes: &[u8]) -> Loaded {
    read_bytes("book", bytes, &ReadOptions::default())
}

/// A column as its type and values.
fn column(loaded: &Loaded, name: &str) -> (Type, String) {
    let column = loaded.table.column(name).unwrap().get().unwrap();
    let values: Vec<String> = (0..column.len()).map(|row| column.scalar(row).to_string()).collect();
    (column.ty(), values.join(" "))
}

fn told(loaded: &Loaded) -> Vec<String> {
    loaded
        .findings
        .iter()
        .map(|f| format!("{} {} {}: {}", f.severity, f.code, f.line.unwrap_or(0), f.message))
        .collect()
}

#[test]
fn one_midnight_among_moments_is_a_moment() {
    // 45293 is 2024-01-02; the midnight of the third is shown without a time by no program.
    let rows = row(1, &[text("A1", "at"), text("B1", "day")])
        + &row(2, &[number("A2", 2, "45293.5"), number("B2", 1, "45293")])
        + &row(3, &[number("A3", 2, "45294"), number("B3", 1, "45294")]);
    let loaded = read(&xlsx(&rows, ""));
    assert_eq!(column(&loaded, "at"), (Type::Moment, "2024-01-02 12:00 2024-01-03 00:00".to_owned()));
    assert_eq!(column(&loaded, "day"), (Type::Date, "2024-01-02 2024-01-03".to_owned()));
    assert!(loaded.findings.is_empty(), "{:?}", loaded.findings);
    // In a text too, once the type is said.
    let options = ReadOptions {
        columns: vec![vembra_sources::ColumnOptions {
            name: "at".to_owned(),
            ty: Some(Type::Moment),
            ..Default::default()
        }],
        ..ReadOptions::default()
    };
    let loaded = read_bytes("t.csv", b"at,n\n2024-01-02T12:00,1\n2024-01-03,2\n", &options);
    assert_eq!(column(&loaded, "at").1, "2024-01-02 12:00 2024-01-03 00:00");
}

#[test]
fn lengths_of_time_are_seconds_and_times_of_day_are_times() {
    // Twenty-six and a half hours, and a quarter of an hour.
    let rows = row(1, &[text("A1", "worked"), text("B1", "at")])
        + &row(2, &[number("A2", 3, "1.1041666666666667"), number("B2", 4, "0.5")])
        + &row(3, &[number("A3", 3, "0.010416666666666666"), number("B3", 4, "0.75")]);
    let loaded = read(&xlsx(&rows, ""));
    assert_eq!(column(&loaded, "worked"), (Type::Integer, "95400 900".to_owned()));
    assert_eq!(column(&loaded, "at"), (Type::Time, "12:00 18:00".to_owned()));
    assert_eq!(told(&loaded), ["note V623 2: the column holds lengths of time: they are read as seconds"]);
    assert!(loaded.findings[0].help.contains("\"worked\" / 3600"), "{}", loaded.findings[0].help);
    let time = |iso: &str| {
        format!(
            "<table:table-cell office:value-type=\"time\" office:time-value=\"{iso}\"><text:p>x</text:p></table:table-cell>"
        )
    };
    let heading = |name: &str| {
        format!("<table:table-cell office:value-type=\"string\"><text:p>{name}</text:p></table:table-cell>")
    };
    let rows = ods_row(&[&heading("at"), &heading("worked")])
        + &ods_row(&[&time("PT15H30M00S"), &time("PT26H30M00S")])
        + &ods_row(&[&time("PT08H00M30S"), &time("PT00H15M00S")]);
    let loaded = read(&ods(&rows));
    assert_eq!(column(&loaded, "at"), (Type::Time, "15:30 08:00:30".to_owned()));
    assert_eq!(column(&loaded, "worked"), (Type::Integer, "95400 900".to_owned()));
}

#[test]
fn formulas_without_a_stored_value_are_errors() {
    let rows = row(1, &[text("A1", "n"), text("B1", "twice")])
        + &row(2, &[number("A2", 0, "1"), "<c r=\"B2\"><f>A2*2</f><v>2</v></c>".to_owned()])
        + &row(3, &[number("A3", 0, "2"), "<c r=\"B3\"><f>A3*2</f></c>".to_owned()]);
    let loaded = read(&xlsx(&rows, ""));
    let wanted = "error V625 3: the cell holds a formula, and the file does not hold its value";
    assert_eq!(told(&loaded), [wanted]);
    let cell = |inner: &str| format!("<table:table-cell {inner}</table:table-cell>");
    let heading = cell("office:value-type=\"string\"><text:p>n</text:p>");
    let rows = ods_row(&[&heading])
        + &ods_row(&[&cell(
            "table:formula=\"of:=1+1\" office:value-type=\"float\" office:value=\"2\"><text:p>2</text:p>",
        )])
        + &ods_row(&[&cell("table:formula=\"of:=[.A2]*2\">")])
        + &ods_row(&[&cell(
            "table:formula=\"of:=1/0\" office:value-type=\"string\"><text:p>#DIV/0!</text:p>",
        )]);
    let loaded = read(&ods(&rows));
    assert_eq!(told(&loaded), [wanted, "error V618 4: the cell holds an error: #DIV/0!"]);
}

#[test]
fn merged_cells_give_their_value_to_each_row_that_they_span() {
    let rows = row(1, &[text("A1", "region"), text("B1", "n")])
        + &row(2, &[text("A2", "East"), number("B2", 0, "1")])
        + &row(3, &[number("B3", 0, "2")])
        + &row(4, &[text("A4", "West"), number("B4", 0, "3")]);
    let merged = "<mergeCells count=\"1\"><mergeCell ref=\"A2:A3\"/></mergeCells>";
    let loaded = read(&xlsx(&rows, merged));
    assert_eq!(column(&loaded, "region").1, "East East West");
    assert_eq!(
        told(&loaded),
        ["note V624 2: cells are merged (A2:A3): each row that they span has their value"]
    );
    let text_cell = |more: &str, t: &str| {
        format!(
            "<table:table-cell{more} office:value-type=\"string\"><text:p>{t}</text:p></table:table-cell>"
        )
    };
    let number_cell = |n: &str| {
        format!(
            "<table:table-cell office:value-type=\"float\" office:value=\"{n}\"><text:p>{n}</text:p></table:table-cell>"
        )
    };
    let rows = ods_row(&[&text_cell("", "region"), &text_cell("", "n")])
        + &ods_row(&[
            &text_cell(
                " table:number-rows-spanned=\"2\" table:number-columns-spanned=\"1\"",
                "East &amp; so",
            ),
            &number_cell("1"),
        ])
        + &ods_row(&["<table:covered-table-cell/>", &number_cell("2")]);
    let loaded = read(&ods(&rows));
    assert_eq!(column(&loaded, "region").1, "East & so East & so");
}

/// A cell in the last corner of a sheet, and rows and columns that are repeated to the end of it, take next to nothing.
#[test]
fn what_is_empty_takes_no_memory() {
    let rows = row(1, &[text("A1", "n")])
        + &row(2, &[number("A2", 0, "1")])
        + &row(1_048_576, &[number("XFD1048576", 0, "7")]);
    let loaded = read(&xlsx(&rows, ""));
    assert_eq!(loaded.table.rows, 0, "a column without a name is told: {:?}", told(&loaded));
    let wanted = "error V614 1048576: the cell XFD1048576 holds 7, in a column without a name";
    assert_eq!(told(&loaded), [wanted]);
    let heading = "<table:table-cell office:value-type=\"string\"><text:p>n</text:p></table:table-cell>\
                   <table:table-cell table:number-columns-repeated=\"16383\"/>";
    let one = "<table:table-cell office:value-type=\"float\" office:value=\"1\"/>\
               <table:table-cell table:number-columns-repeated=\"16383\"/>";
    let empty = "<table:table-row table:number-rows-repeated=\"1048574\"><table:table-cell table:number-columns-repeated=\"16384\"/></table:table-row>";
    let loaded = read(&ods(&(ods_row(&[heading]) + &ods_row(&[one]) + empty)));
    assert_eq!((loaded.table.rows, column(&loaded, "n").1.as_str()), (1, "1"));
    // What is repeated and holds something is counted before it is taken.
    let full = "<table:table-row table:number-rows-repeated=\"1048574\"><table:table-cell table:number-columns-repeated=\"16384\" \
                office:value-type=\"float\" office:value=\"1\"/></table:table-row>";
    let options = ReadOptions { memory: Budget::bytes(400 << 20), ..ReadOptions::default() };
    let loaded = read_bytes("book", &ods(&(ods_row(&[heading]) + full)), &options);
    assert!(loaded.findings[0].code == "V632" || loaded.findings[0].code == "V634", "{:?}", told(&loaded));
}
