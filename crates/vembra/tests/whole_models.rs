//! Faults that only a model of its own can show: its calendar, its includes, its links. Code, place and help of each.

use vembra::{ErrorKind, Session};

const FACT: &str = "fact t from 't.csv'\n";

/// What is said of a model over one small fact, a region, and a depot that lies in a region too.
fn said(model: &str) -> String {
    let opened = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("t", "id,day,depot,part,x\n1,2025-01-31,d,p,0.0000000001\n")
        .csv_text("depot", "depot,region\nd,r\n")
        .csv_text("part", "part,region\np,r\n")
        .csv_text("region", "region,name\nr,North\n")
        .open();
    let session = match opened {
        Err(failure) => {
            assert_eq!(failure.kind(), ErrorKind::Text, "{failure}");
            return failure.to_string();
        }
        Ok(session) => session,
    };
    session.ask("rows region.name show count(rows of t) as n").err().unwrap().to_string()
}

fn expect(model: &str, message: &str, place: &str, help: &str) {
    let said = said(model);
    for part in [message, place, help] {
        assert!(said.contains(part), "wanted {part} in:\n{said}");
    }
    assert_eq!(said.matches("error[").count(), 1, "one fault gives one message:\n{said}");
}

#[test]
fn a_text_before_the_first_declaration_is_named() {
    expect(
        "  hello there\nfact t from 't.csv'\n",
        "error[V107]: a declaration starts in the first column",
        "m.vembra:1:3",
        "move it to the first column, or start it with --",
    );
}

#[test]
fn a_calendar_that_ends_before_it_starts_is_named() {
    let help = "calendar from '2023-01-01' to '2026-12-31'";
    let model = format!("calendar from '2025-12-31' to '2025-01-01'\n{FACT}");
    expect(&model, "error[V212]: the calendar cannot be made", "m.vembra:1:", help);
    let model = format!("calendar from '2025-02-30' to '2025-12-31'\n{FACT}");
    expect(
        &model,
        "error[V212]: the calendar cannot be made: '2025-02-30' is not a day",
        "m.vembra:1:1",
        help,
    );
}

#[test]
fn a_link_to_a_calendar_that_is_not_there_is_named() {
    expect(
        &format!("{FACT}link t.day to calendar as made\n"),
        "error[V213]: the model has no calendar",
        "m.vembra:2:",
        "declare one: calendar from '2023-01-01' to '2026-12-31'",
    );
}

#[test]
fn a_product_with_too_many_decimals_is_refused_and_not_rounded() {
    expect(
        &format!("{FACT}column t.tiny = x * x * x * x\n"),
        "error[V305]: this product would need more than 30 decimals",
        "m.vembra:2:",
        "round a factor, or turn it into a float",
    );
}

#[test]
fn two_ways_to_one_dimension_are_no_guess() {
    let dimensions: String =
        ["depot", "part", "region"].map(|d| format!("dimension {d} from '{d}.csv' key {d}\n")).concat();
    let links = "link t.depot to depot\nlink t.part to part\nlink depot.region to region\nlink part.region to region\n";
    expect(
        &format!("{FACT}{dimensions}{links}"),
        "error[V405]: region can be reached from t through",
        "query:1:6",
        "link t to region directly",
    );
}

#[test]
fn includes_that_lead_nowhere_or_in_a_ring_are_named() {
    let help = "the path is taken from the folder of the file that includes it";
    expect(&format!("include 'nowhere.vembra'\n{FACT}"), "error[V602]: nowhere.vembra", "m.vembra:1:", help);
    expect(
        &format!("include 'm.vembra'\n{FACT}"),
        "error[V603]: m.vembra is included twice, or includes itself",
        "m.vembra:1:",
        "leave this include out",
    );
}

#[test]
fn a_model_that_is_not_there_is_named_with_its_path() {
    let failure = Session::open("no/such/model.vembra").err().unwrap().to_string();
    assert!(failure.starts_with("error[V601]: the model no/such/model.vembra cannot be read"), "{failure}");
    assert!(failure.contains("check the path"), "{failure}");
}

/// Declarations whose names meet, or which wait for one another, are distinguished by what they are.
#[test]
fn names_that_meet_make_no_ring() {
    let session = |model: &str| {
        Session::builder()
            .model_text("m.vembra", model)
            .csv_text("sale", "code,n,region,day\na,1,N,2024-01-05\nb,2,S,2024-02-07\na,3,N,2024-03-01\n")
            .csv_text("price", "code,since,price\na,2024-01-01,10\nb,2024-01-01,20\na,2024-02-01,11\n")
            .open()
            .unwrap_or_else(|error| panic!("{error}\n{model}"))
    };
    let said = |model: &str, query: &str| {
        let csv = session(model).ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
        csv.lines().skip(1).collect::<Vec<_>>().join(" | ")
    };
    // A derived table that is called as a column is.
    let model = "fact sale from 'sale'\nderived kk = list code, n from sale\n\
                 derived n key code = rows kk.code show min(kk.n) as least\n";
    assert_eq!(said(model, "list code, least from n sort code"), "a,1 | b,2");
    // A level that is worked out.
    let model = "fact sale from 'sale'\ncolumn sale.large = n > 1\nhierarchy sale.h = large, n\n";
    assert_eq!(said(model, "rows sale.h show count(rows of sale) as c"), "false,1 | true,2");
    let model = "fact sale from 'sale'\nderived d key code = rows sale.code, sale.region show sum(n) as total\nhierarchy d.h = region, code\n";
    assert_eq!(said(model, "rows d.h show sum(d.total) as t"), "N,4 | S,2");
    // Prices by the first day of a code: 10 for a on January 5, 20 for b on February 7.
    let links = "calendar from '2024-01-01' to '2024-12-31'\nfact sale from 'sale'\ndimension price from 'price' key code, since\n\
                 link sale.day to calendar as ordered default\nlink sale.code to first\nlink (first.code, first.began) to price as of since\n\
                 derived first key code = rows sale.code show min(sale.day) as began\n";
    for more in [
        "measure worth = sum(sale.n * price.price)\n",
        "column sale.amount = sale.n * price.price\nmeasure worth = sum(amount)\n",
        "column first.cost = price.price * 1\nmeasure worth = sum(sale.n * first.cost)\n",
    ] {
        assert_eq!(said(&format!("{more}{links}"), "show worth"), "80", "{more}");
        assert_eq!(said(&format!("{links}{more}"), "show worth"), "80", "{more}");
    }
}

/// A heading with a line break is written with a mark for it, by a sketch too.
#[test]
fn a_name_may_hold_a_line_break() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("sale.csv");
    std::fs::write(&file, "\"net\namount\",shop,\"a\\b\"\n1.50,x,1\n2.50,x,2\n2.50,y,3\n").unwrap();
    let sketch = vembra::sketch(&[file], &[], folder.path()).unwrap();
    assert!(sketch.model.contains("\"net\\namount\""), "{}", sketch.model);
    let model = folder.path().join("m.vembra");
    std::fs::write(&model, &sketch.model).unwrap();
    let session = Session::open(&model).unwrap();
    let said = |query: &str| session.ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
    assert_eq!(said("show sum(\"net\\namount\") as s, sum(\"a\\\\b\") as b"), "s,b\n6.50,6\n");
    assert_eq!(said("rows sale.shop show sum(sale.\"net\\namount\") as s"), "sale.shop,s\nx,4.00\ny,2.50\n");
}

#[test]
fn a_column_of_nulls_is_a_column_without_values() {
    use arrow_array::{ArrayRef, Int64Array, NullArray, RecordBatch};
    use std::sync::Arc;
    let n: ArrayRef = Arc::new(Int64Array::from(vec![1, 2]));
    let nothing: ArrayRef = Arc::new(NullArray::new(2));
    let batch =
        RecordBatch::try_from_iter_with_nullable([("n", n, true), ("nothing", nothing, true)]).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut writer = parquet::arrow::ArrowWriter::try_new(Vec::new(), batch.schema(), None).unwrap();
    writer.write(&batch).unwrap();
    std::fs::write(folder.path().join("t.parquet"), writer.into_inner().unwrap()).unwrap();
    let model = folder.path().join("m.vembra");
    std::fs::write(&model, "fact t from 't.parquet'\n").unwrap();
    let sessions = [
        Session::open(&model).unwrap(),
        Session::builder()
            .model_text("m.vembra", "fact t from 't'\n")
            .record_batches("t", vec![batch])
            .open()
            .unwrap(),
    ];
    for session in sessions {
        let reply = session.ask("rows t.nothing show sum(n) as s, count(nothing) as c").unwrap();
        assert_eq!(reply.csv(vembra::Layout::Tidy).unwrap(), "t.nothing,s,c\n,3,0\n");
    }
}
