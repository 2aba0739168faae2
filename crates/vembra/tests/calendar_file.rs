//! A calendar from a file whose columns are called as the calendar's own attributes are.

use vembra::{Layout, Session};

fn session(header: &str, rows: &[&str]) -> Session {
    Session::builder()
        .model_text(
            "m.vembra",
            "calendar from 'days.csv' key day\nfact sale from 'sale'\nlink sale.day to calendar\n",
        )
        .csv_text("calendar", format!("{header}\n{}\n", rows.join("\n")))
        .csv_text("sale", "day,n\n2024-12-31,1\n2025-01-01,2\n")
        .open()
        .unwrap()
}

#[test]
fn columns_that_say_the_same_are_the_calendars_own() {
    let session = session(
        "day,year,quarter,month,week,weekday,holiday",
        &[
            "2024-12-31,2024,2024-Q4,2024-12,2025-W01,Tuesday,",
            "2025-01-01,2025,2025-Q1,2025-01,2025-W01,Wednesday,yes",
        ],
    );
    assert!(session.check_all().unwrap().findings.iter().all(|f| f.code != "V529"));
    let reply = session
        .ask("rows calendar.year, calendar.quarter, calendar.month, calendar.week, calendar.weekday, calendar.holiday show sum(n) as n")
        .unwrap();
    assert_eq!(
        reply.csv(Layout::Tidy).unwrap(),
        "calendar.year,calendar.quarter,calendar.month,calendar.week,calendar.weekday,calendar.holiday,n\n\
         2024,2024-Q4,2024-12,2025-W01,Tuesday,,1\n2025,2025-Q1,2025-01,2025-W01,Wednesday,yes,2\n"
    );
}

#[test]
fn columns_that_say_something_else_get_another_name() {
    let session = session("day,year,month", &["2024-12-31,2024,12", "2025-01-01,2025,1"]);
    let findings = session.check_all().unwrap().findings;
    let note = findings.iter().find(|f| f.code == "V529").unwrap();
    assert_eq!(note.message, "the column month of the file is not the month that every calendar has");
    assert_eq!(
        note.help,
        "the file's is reached as calendar.file_month, the calendar's own as calendar.month"
    );
    let reply = session.ask("rows calendar.month, calendar.file_month show sum(n) as n").unwrap();
    assert_eq!(
        reply.csv(Layout::Tidy).unwrap(),
        "calendar.month,calendar.file_month,n\n2024-12,12,1\n2025-01,1,2\n"
    );
}

/// A measure that is called as a column is one mistake, not a ring.
#[test]
fn a_measure_with_the_name_of_a_column_is_told_once() {
    let failure = Session::builder()
        .model_text(
            "m.vembra",
            "fact f from 'f'\nmeasure revenue = sum(revenue)\nmeasure left = sum(revenue - cost)\n",
        )
        .csv_text("f", "revenue,cost\n3,1\n")
        .open()
        .err()
        .unwrap();
    let codes: Vec<&str> = failure.diagnostics().iter().map(|d| d.code.as_str()).collect();
    assert_eq!(codes, ["V207"], "{failure}");
}
