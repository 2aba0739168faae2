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
