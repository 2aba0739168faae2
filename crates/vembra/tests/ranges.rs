//! Date ranges at the edges of the calendar and of the data: what is there only in part says so, and a backlog goes on while either of its
//! roles has rows. By hand, over seven orders.

use crate::database::servers;
use vembra::{Answer, Lacking, Session, Summary};

const MODEL: &str = "calendar from '2023-03-01' to '2024-12-31' working where weekday not in ('Saturday', 'Sunday')\n\
                     fact orders from 'orders.csv'\n\
                     link orders.ordered_on to calendar as ordered default\n\
                     link orders.shipped_on to calendar as shipped\n\
                     measure sales = sum(orders.amount)\n\
                     measure ordered_to_date = sales during all to date\n\
                     measure shipped_to_date = sales via shipped during all to date\n\
                     measure backlog = ordered_to_date - shipped_to_date\n\
                     measure growth = (sales - (sales during 1 year earlier)) / (sales during 1 year earlier)\n\
                     measure twelve = sales during last 12 months\n";
/// Ordered in five months, the last of them in May 2024; shipped until August.
const ORDERS: &str = "order_no,ordered_on,shipped_on,amount\n1,2023-03-10,2023-03-20,100\n2,2023-04-10,2023-05-02,50\n\
                      3,2023-11-05,2024-02-01,10\n4,2024-03-15,2024-04-01,200\n5,2024-04-02,2024-04-20,40\n\
                      6,2024-05-06,2024-08-01,30\n7,2024-05-07,2024-06-10,5\n";

fn here() -> Session {
    Session::builder().model_text("m.vembra", MODEL).csv_text("orders", ORDERS).open().unwrap()
}

fn asked(session: &Session, query: &str) -> Summary {
    let reply = session.ask(query).unwrap_or_else(|error| panic!("{query}: {error}"));
    let Answer::Summary(summary) = reply.answer else { panic!("{query}: no summary") };
    summary
}

/// The lines of an answer: members, figures, and what their date ranges lack.
fn lines(session: &Session, query: &str) -> Vec<String> {
    let summary = asked(session, query);
    let cell = |cell: &vembra::Cell| {
        let lacking = cell.lacking().map(|l| format!(" ({l})")).unwrap_or_default();
        format!("{}{lacking}", cell.value)
    };
    let line = |line: &vembra::Line| {
        let members = line.rows.iter().map(ToString::to_string);
        members.chain(line.cells.iter().map(cell)).collect::<Vec<_>>().join(" | ")
    };
    summary.lines.iter().map(line).collect()
}

/// In memory and on every server.
fn everywhere(name: &str, judge: impl Fn(&Session)) {
    let here = here();
    judge(&here);
    for mut place in servers(name) {
        place.store(&here, "orders");
        judge(&Session::builder().model_text("m.vembra", place.served(MODEL)).open().unwrap());
    }
}

#[test]
fn a_backlog_goes_on_while_either_role_has_rows() {
    let query = "rows calendar.month show ordered_to_date, shipped_to_date, backlog where calendar.month >= '2024-04' keep empty";
    // After May nothing is ordered, after August nothing is shipped. Each figure alone ends with its own rows.
    let wanted = [
        "2024-04 | 400 | 400 | 0",
        "2024-05 | 435 | 400 | 35",
        "2024-06 |  | 405 | 30",
        "2024-07 |  | 405 | 30",
        "2024-08 |  | 435 | 0",
        "2024-09 |  |  | ",
        "2024-10 |  |  | ",
        "2024-11 |  |  | ",
        "2024-12 |  |  | ",
    ];
    everywhere("ranges_backlog", |session| assert_eq!(lines(session, query), wanted));
}

#[test]
fn explain_says_where_days_to_date_end() {
    let query = "rows calendar.month show ordered_to_date as o, backlog as b keep empty";
    let session = here();
    let why = |figure: &str, month: &str| {
        session.query(query).explain(&format!("month = '{month}'"), Some(figure)).unwrap()
    };
    let alone = why("o", "2024-06").text();
    let said = "no days: the cell begins after 2024-05-07, the last day on which rows stand by ordered";
    assert!(alone.contains(said), "{alone}");
    assert!(why("b", "2024-06").agrees, "{}", why("b", "2024-06").text());
    let both = why("b", "2024-09").text();
    let said = "the cell begins after 2024-08-01, the last day on which rows stand by";
    assert!(both.contains(said), "{both}");
}

#[test]
fn a_date_range_that_is_only_partly_there_says_so() {
    // The year before 2024 is 2023, of which the calendar lacks two months. Twelve months that end in April 2023 lack ten.
    let by_year = [
        "2023 | 160 |  | 160 (2023-01-01 to 2023-02-28 lie before the calendar)",
        "2024 | 275 | 0.71875 (2023-01-01 to 2023-02-28 lie before the calendar) | 275",
        "Total | 435 | 1.71875 (2022-03-01 to 2023-02-28 lie before the calendar) | 275",
    ];
    let by_month = [
        "2023-04 | 50 |  | 150 (2022-05-01 to 2023-02-28 lie before the calendar)",
        "2024-04 | 40 | -0.2 | 250",
    ];
    everywhere("ranges_partial", |session| {
        let query = "rows calendar.year show sales, growth, twelve totals on rows";
        assert_eq!(lines(session, query), by_year);
        let query = "rows calendar.month show sales, growth, twelve where calendar.month_of_year = 'April'";
        assert_eq!(lines(session, query), by_month);
    });
}

#[test]
fn working_days_before_the_calendar_are_not_counted() {
    // The 20 working days up to 2023-03-10 began in February; those up to 2023-04-10 did not.
    let query =
        "rows calendar.date show (sales during last 20 working days) as w where calendar.date < '2023-05-01'";
    let wanted =
        ["2023-03-10 | 100 (working days up to 2023-02-28 lie before the calendar)", "2023-04-10 | 50"];
    assert_eq!(lines(&here(), query), wanted);
}

#[test]
fn files_carry_the_reason() {
    let session = here();
    let query = "rows calendar.year show sales, growth totals on rows";
    let csv = session.ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
    let said = "growth: of a part of its date range only, 2022-03-01 to 2023-02-28 lie before the calendar";
    assert!(csv.starts_with("line,over,calendar.year,sales,growth,notes\n"), "{csv}");
    assert!(csv.lines().last().is_some_and(|line| line.contains(said)), "{csv}");
    let measure = asked(&session, query).measures.swap_remove(1);
    let lacking = Lacking { first: Some(19_052), last: 19_416 };
    assert_eq!(measure.partial.map(|partial| (partial.lines, partial.lacking)), Some((2, lacking)));
    // Without such a figure there is no such column.
    let plain = session.ask("rows calendar.year show sales").unwrap().csv(vembra::Layout::Tidy).unwrap();
    assert_eq!(plain, "calendar.year,sales\n2023,160\n2024,275\n");
}
