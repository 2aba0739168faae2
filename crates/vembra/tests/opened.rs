//! Rows of a page that open: every level of a hierarchy that is walked, each figure in its own context.

use vembra::{Answer, Member, Session};

const MODEL: &str = "fact sale from 'sale'\ncalendar from '2024-01-01' to '2025-12-31'\n\
    hierarchy calendar.days = year, quarter, month, date\nlink sale.sold_on to calendar as sold default\n\
    measure pieces = sum(amount)\nmeasure buyers = count(distinct buyer)\n\
    report down 'Down' = rows calendar.days open show pieces, buyers totals on rows drawn as table\n\
    report half 'Half' = rows calendar.days open '2024' show pieces drawn as table\n\
    report kept 'Kept' = rows calendar.days open show pieces having pieces > 5 drawn as table\n\
    report stacked 'Stacked' = rows calendar.days open show pieces, buyers figures on rows drawn as table\n\
    report barred 'Barred' = rows calendar.days open show pieces drawn as table small bars pieces\n\
    report plain 'Plain' = rows sale.buyer show pieces drawn as table\n";

/// Ann buys on two days of one month and once a year later.
pub(crate) const SALES: &str =
    "sold_on,buyer,amount\n2024-02-01,Ann,3\n2024-02-02,Ann,4\n2024-05-01,Bob,5\n2025-02-01,Ann,6\n";

pub(crate) fn session(sales: &str) -> Session {
    Session::builder().model_text("m.vembra", MODEL).csv_text("sale", sales).open().unwrap()
}

fn picture(session: &Session, report: &str) -> vembra::Picture {
    let page = session.page(report, &[]).unwrap();
    let vembra::PageItem::Pictures(variants) = &page.rows[0].items[0].0 else { panic!("no picture") };
    variants[0].picture.clone()
}

fn said(details: &vembra::PageDetails) -> Vec<String> {
    details.notes.iter().map(|note| note.text(&vembra::Locale::default())).collect()
}

/// Each line as its deepest member and its figures.
fn lines(answer: &Answer) -> Vec<String> {
    let Answer::Summary(summary) = answer else { panic!("no summary") };
    let line = |line: &vembra::Line| {
        let deepest = line.rows.iter().rfind(|m| **m != Member::All).map_or("all".into(), Member::to_string);
        let figures = line.cells.iter().map(|cell| cell.value.to_string());
        std::iter::once(deepest).chain(figures).collect::<Vec<_>>().join(" ")
    };
    summary.lines.iter().map(line).collect()
}

#[test]
fn every_level_is_there_and_what_the_query_shows_stays() {
    let picture = picture(&session(SALES), "down");
    assert_eq!(lines(&picture.answer), ["2024 12 2", "2025 6 1", "all 18 2"]);
    let opens = picture.details.opens.as_ref().unwrap();
    assert_eq!(opens.first, 0);
    // Ann counts once in her month, in her quarter, in 2024 and in all.
    let wanted = [
        "2024 12 2",
        "2024-Q1 7 1",
        "2024-02 7 1",
        "2024-02-01 3 1",
        "2024-02-02 4 1",
        "2024-Q2 5 1",
        "2024-05 5 1",
        "2024-05-01 5 1",
        "2025 6 1",
        "2025-Q1 6 1",
        "2025-02 6 1",
        "2025-02-01 6 1",
        "all 18 2",
    ];
    assert_eq!(lines(&opens.answer), wanted);
    // Each figure says where it comes from: that of the day looks at one row.
    assert_eq!(picture.details.explained.len(), 2 * wanted.len());
    let day = &picture.details.explained[&(3, 0)];
    assert!(day.contains("Date 2024-02-01: 3") && day.contains("1 row  Date is 2024-02-01"), "{day}");
    let year = &picture.details.explained[&(0, 1)];
    assert!(year.starts_with("buyers at Year 2024: 2\n"), "{year}");
    assert_eq!(said(&picture.details), ["Click a figure to see where it comes from."]);
    // As text and as a picture it stays as short as the query asks.
    assert!(!picture.text(None).contains("2024-02"));
}

#[test]
fn without_a_script_all_rows_are_in_sight() {
    let session = session(SALES);
    let html = session.page("half", &[]).unwrap().html();
    for member in ["2024-02-01", "2025-02-01", "2025-Q1"] {
        let row = html.split("<tr").find(|row| row.contains(&format!(">{member}<"))).unwrap_or_default();
        assert!(!row.is_empty() && !row.split('>').next().unwrap().contains("hidden"), "{member}: {row}");
    }
    // The query opens 2024 itself, and nothing else is open at first.
    let open: Vec<&str> = html.split("<tr").filter(|row| row.contains("data-open")).collect();
    assert!(open.len() == 1 && open[0].contains(">2024<"), "{open:?}");
}

/// 12 pieces in 2024 and 6 in 2025; 7, 5 and 6 in their quarters.
#[test]
fn small_bars_compare_the_lines_of_one_level() {
    let html = session(SALES).page("barred", &[]).unwrap().html();
    let bar = |member: &str| {
        let row = html.split("<tr").find(|row| row.contains(&format!(">{member}<"))).unwrap_or_default();
        row.split("width:").nth(1).and_then(|rest| rest.split('%').next()).unwrap_or("none").to_owned()
    };
    let bars = ["2024", "2025", "2024-Q1", "2024-Q2", "2025-Q1"].map(bar);
    assert_eq!(bars, ["100.0", "50.0", "100.0", "71.4", "85.7"]);
}

#[test]
fn what_does_not_open_says_why() {
    let session = session(SALES);
    let kept = picture(&session, "kept").details;
    assert!(
        kept.opens.is_none() && said(&kept)[0].starts_with("Rows do not open here: having chooses lines")
    );
    let stacked = picture(&session, "stacked").details;
    assert!(stacked.opens.is_none() && said(&stacked)[0].contains("figures stand on rows"));
    let plain = picture(&session, "plain").details;
    assert!(plain.opens.is_none());
    assert_eq!(plain.explained.len(), 2);
}

#[test]
fn a_level_that_is_too_long_stays_off_the_page() {
    let model = "fact sale from 'sale'\ndimension item from 'item' key code\nhierarchy item.shelf = kind, code\n\
        link sale.code to item\nmeasure pieces = sum(amount)\n\
        report down 'Down' = rows item.shelf open show pieces drawn as table\n";
    let codes = 0..6_000;
    let items: String = codes.clone().map(|code| format!("{code},{}\n", code % 3)).collect();
    let sales: String = codes.map(|code| format!("{code},1\n")).collect();
    let session = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("item", format!("code,kind\n{items}"))
        .csv_text("sale", format!("code,amount\n{sales}"))
        .open()
        .unwrap();
    let details = picture(&session, "down").details;
    assert!(details.opens.is_none());
    let wanted =
        "The page goes down to item.kind: with item.code it would have 6,003 lines, and 5,000 are the most.";
    assert_eq!(said(&details)[0], wanted);
}

#[test]
fn a_member_that_opens_nothing_is_pointed_out() {
    let session = session(SALES);
    let notes = |query: &str| -> Vec<String> {
        session
            .ask(query)
            .unwrap()
            .notes
            .iter()
            .map(|note| format!("{} {}", note.code, note.message))
            .collect()
    };
    let said = |member: &str| vec![format!("V424 {member} opens nothing: no line shows this member")];
    assert_eq!(notes("rows calendar.days open '2099' show pieces"), said("'2099'"));
    // The quarter stands below a year that is closed.
    assert_eq!(notes("rows calendar.days open '2024-Q1' show pieces"), said("'2024-Q1'"));
    assert_eq!(notes("rows calendar.days open '2024', '2024-Q1' show pieces"), Vec::<String>::new());
}
