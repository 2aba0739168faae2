//! Checks of data and model beyond keys and links, what a model accepts of them, and how it treats them.

use vembra::{Checked, Session};

const MODEL: &str = "calendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale.csv'\n\
    link sale.ordered_on to calendar as ordered default\nlink sale.shipped_on to calendar as shipped\n\
    measure total = sum(amount)\nmeasure idle = max(amount)\nparam unread: integer default 1\n\
    report r = rows sale.town show total drawn as bars\n";

const SALES: &str = "town,channel,ordered_on,shipped_on,amount,remark\n\
    Ash,web,2025-03-01,2025-03-02,1,\nash ,web,2025-03-05,2025-03-04,2,\nElm,web,2025-03-06,2025-03-01,3,\n";

fn checked(more: &str) -> Checked {
    let session =
        Session::builder().model_text("m.vembra", format!("{MODEL}{more}")).csv_text("sale", SALES).open();
    session.unwrap().check_all().unwrap()
}

fn lines(checked: &Checked) -> Vec<String> {
    checked.findings.iter().map(ToString::to_string).collect()
}

#[test]
fn what_data_and_model_say_is_told_with_its_place() {
    assert_eq!(
        lines(&checked("")),
        [
            "warning[V523] sale.csv, column town: 'Ash' and 'ash ' differ only in case or blanks",
            "note[V521] sale.csv, column channel: every row has the value 'web'",
            "warning[V520] sale.csv, column remark: no row has a value",
            "warning[V522] sale.csv, line 3, column shipped_on: 2025-03-04 lies before ordered_on, 2025-03-05 (and in 1 other row)",
            "note[V525] m.vembra, line 7: nothing in the model reads the parameter unread",
        ]
    );
    // A title that names a longer parameter does not read this one; one that names it does.
    let report = |title| format!("report titled '{title}' = rows sale.town show total drawn as bars\n");
    let unread = |more: &str| lines(&checked(more)).iter().filter(|line| line.contains("V525")).count();
    assert_eq!(unread(&report("Total :unread_too")), 1);
    assert_eq!(unread(&report("Total :unread")), 0);
    // Measures are there to be asked for: who wants to know which ones nothing names says so.
    let wanted = lines(&checked("treat V524 as note\n"));
    assert_eq!(wanted[4], "note[V524] m.vembra: no measure, report or assertion names idle");
}

#[test]
fn a_model_accepts_findings_with_a_reason_and_treats_them_otherwise() {
    let more = "accept V523 on sale.town because 'the till writes it so'\naccept V521 because 'only the web so far'\n\
        accept V522 on sale because 'returns'\ntreat V520 as error\naccept V524 on sale.town because 'elsewhere'\n";
    let checked = checked(more);
    let accepted: Vec<(&str, &str)> =
        checked.accepted.iter().map(|(f, reason)| (f.code.as_str(), reason.as_str())).collect();
    assert_eq!(
        accepted,
        [("V523", "the till writes it so"), ("V521", "only the web so far"), ("V522", "returns")]
    );
    let left = lines(&checked);
    assert_eq!(left.len(), 2, "{left:?}");
    assert_eq!(left[0], "error[V520] sale.csv, column remark: no row has a value");
}

/// What is told of a table with one file, by code and message; `how` stands behind the file.
fn told_of(how: &str, csv: &str) -> Vec<String> {
    let session = Session::builder()
        .model_text("m.vembra", format!("fact t from 't'{how}\n"))
        .csv_text("t", csv)
        .open()
        .unwrap();
    let doubts = ["V626", "V627", "V527"];
    let found = session.check_all().unwrap().findings;
    found.iter().filter(|f| doubts.contains(&f.code.as_str())).map(ToString::to_string).collect()
}

#[test]
fn a_lone_separator_before_three_digits_is_a_doubt() {
    let points = "n,k\n1.250,a\n980,b\n2.000,c\n";
    assert_eq!(
        told_of("", points),
        [
            "warning[V626] t, line 2, column n: '1.250' is 1250 or 1.250: each separator in the column stands before three digits; it is read as 1.250"
        ]
    );
    assert_eq!(
        told_of(" separated by ';'", "n;k\n2,500;a\n1,000;b\n"),
        [
            "warning[V626] t, column n: '1,000' is 1000 or 1.000: each separator in the column stands before three digits; it is read as a text"
        ]
    );
    // Said, or seen: a number of four digits, one of two decimals, a zero in front.
    assert_eq!(told_of(" numbers like '1.234,56'", points), [""; 0]);
    for more in ["1250", "1.25", "0.125", "12.5000"] {
        assert_eq!(told_of("", &format!("{points}{more},d\n")), [""; 0], "{more}");
    }
}

#[test]
fn only_what_has_a_sign_of_percent_is_a_percentage() {
    let model = "fact t from 't' separated by ';' numbers like '12,5 %'\n";
    let session = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("t", "quantity;discount;price\n3;12,5 %;4,50\n10;5 %;1,25\n")
        .open()
        .unwrap();
    let totals = session.ask("show sum(quantity) as q, sum(discount) as d, sum(price) as p").unwrap();
    assert_eq!(totals.csv(vembra::Layout::Tidy).unwrap(), "q,d,p\n13,0.175,5.75\n");
    assert!(session.check_all().unwrap().findings.iter().all(|f| f.code != "V627"));
    assert_eq!(
        told_of(" separated by ';' numbers like '12,5 %'", "d;k\n12,5 %;a\n5;b\n"),
        [
            "warning[V627] t, line 3, column d: 1 of 2 values has a sign of percent and is read as hundredths; the others are read as they are, such as '5'"
        ]
    );
    assert_eq!(
        told_of(" separated by ';' numbers like '1.234,56 €'", "d;k\n1.000,50 €;a\n5,00;b\n"),
        [""; 0]
    );
}

#[test]
fn rows_that_look_like_totals_are_told() {
    let rows = "region,quantity,amount\nEast,1,2.50\nWest,2,3.50\nNorth,3,4.00\nSouth,4,10.00\n";
    assert_eq!(told_of("", rows), [""; 0]);
    for word in ["Summe", "Total", "Gesamt", "TOTAL:", "Grand total"] {
        let told = told_of("", &format!("{rows}{word},10,20.00\n"));
        assert_eq!(told.len(), 1);
        assert!(
            told[0].starts_with("warning[V527] t, line 6, column region: the row looks like a total"),
            "{told:?}"
        );
    }
    assert_eq!(
        told_of("", &format!("{rows},10,20.00\n")),
        [
            "warning[V527] t, line 6, column quantity: the last row looks like a total: its value 10 is the sum of the 4 above"
        ]
    );
    assert_eq!(told_of("", &format!("{rows}Totalview,5,6.00\n")), [""; 0]);
}

/// A table made from facts has no row for what its query does not find: that is a note, and no silence.
#[test]
fn keys_that_a_derived_table_lacks_are_told() {
    let session = Session::builder()
        .model_text(
            "m.vembra",
            "fact sale from 'sale'\nderived span key shop = rows sale.shop show sum(amount) as total where sale.amount > 1\n\
             link sale.shop to span\nmeasure amount_of = sum(amount)\n",
        )
        .csv_text("sale", "shop,amount\na,2\nb,3\nc,1\n")
        .open()
        .unwrap();
    let told: Vec<String> = session.check().unwrap().iter().map(ToString::to_string).collect();
    assert_eq!(told, ["note[V503] sale, line 4, column shop: 'c' is in no row of span"]);
    let split = session.ask("rows span.total show amount_of").unwrap().csv(vembra::Layout::Tidy).unwrap();
    assert!(split.contains("(unknown),1"), "{split}");
}
