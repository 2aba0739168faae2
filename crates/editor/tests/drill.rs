//! From a line of an answer to the query for its parts.

use vembra::{Answer, Session};
use vembra_editor::drill;

fn session() -> Session {
    Session::builder()
        .model_text(
            "m.vembra",
            "calendar from '2025-01-01' to '2025-12-31'\n\
             dimension shop from 'shop' key code\n\
             fact sale from 'sale'\n\
             link sale.shop to shop\n\
             link sale.sold_on to calendar as sold default\n\
             link sale.paid_on to calendar as paid\n\
             hierarchy shop.place = region, town\n\
             measure takings = sum(amount)\n\
             param split: one of shop.region, shop.town default shop.region\n",
        )
        .csv_text("shop", "code,region,town,open\na,North,O'Bell,true\nb,North,Ashby,false\nc,South,Cole,true\n")
        .csv_text(
            "sale",
            "shop,sold_on,paid_on,amount\na,2025-01-02,2025-02-01,1.00\nb,2025-01-05,,2.00\nc,2025-04-05,2025-05-01,4.00\nz,2025-04-06,2025-05-02,8.00\n,2025-04-07,,16.00\n",
        )
        .open()
        .unwrap_or_else(|failure| panic!("{failure}"))
}

/// The query for the parts of a line, counted from 1, or why there is none.
fn opened(session: &Session, query: &str, line: usize, by: Option<&str>) -> Result<String, String> {
    let reply = session.ask(query).unwrap_or_else(|failure| panic!("{failure}"));
    let Answer::Summary(summary) = &reply.answer else { panic!("a list") };
    let lines: Vec<_> = summary.grid().rows.iter().map(|r| r.members.to_vec()).collect();
    drill(session.model(), query, &lines, line - 1, by)
}

/// The parts of a line add up to it: the figure of the line, worked out by its own query, is the sum of what is opened.
#[test]
fn the_parts_of_a_line_are_its_own() {
    let session = session();
    let cases = [
        (
            "rows shop.region show takings",
            1,
            None,
            "rows shop.region, shop.town show takings where shop.region = 'North'",
        ),
        (
            "rows shop.region show takings where amount > 0 or amount < 0",
            2,
            Some("shop.code"),
            "rows shop.region, shop.code show takings where (amount > 0 or amount < 0) and shop.region = 'South'",
        ),
        (
            "rows shop.town show takings where amount > 1 and amount <> 8",
            3,
            Some("calendar.month"),
            "rows shop.town, calendar.month show takings where amount > 1 and amount <> 8 and shop.town is null",
        ),
        (
            "rows shop.open show takings",
            2,
            Some("shop.town"),
            "rows shop.open, shop.town show takings where shop.open = true",
        ),
        (
            "rows paid.quarter show takings",
            1,
            None,
            "rows paid.quarter, paid.month show takings where paid.quarter = '2025-Q1'",
        ),
        (
            "rows calendar.month show takings sort takings descending",
            1,
            None,
            "rows calendar.month, calendar.date show takings sort takings descending where calendar.month = '2025-04'",
        ),
        (
            "rows sale.shop || '!' as loud show takings",
            1,
            Some("shop.town"),
            "rows sale.shop || '!' as loud, shop.town show takings where (sale.shop || '!') = 'a!'",
        ),
        (
            "rows shop.region, shop.town show takings totals on rows",
            3,
            None,
            "rows shop.region, shop.town show takings totals on rows where shop.region = 'North'",
        ),
        ("rows shop.place show takings", 1, None, "rows shop.place open 'North' show takings"),
        (
            "rows shop.place open 'North' show takings",
            4,
            None,
            "rows shop.place open 'North', 'South' show takings",
        ),
        (
            "rows :split show takings",
            1,
            Some("shop.code"),
            "rows :split, shop.code show takings where :split = 'North'",
        ),
    ];
    for (query, line, by, wanted) in cases {
        assert_eq!(opened(&session, query, line, by).as_deref(), Ok(wanted), "{query}, line {line}");
        let total = |query: &str, line: Option<usize>| {
            let reply = session.ask(query).unwrap_or_else(|failure| panic!("{query}: {failure}"));
            let Answer::Summary(summary) = reply.answer else { panic!("a list") };
            let details = summary.lines.iter().filter(|l| l.kind == vembra::LevelKind::Detail);
            let values = details.map(|l| l.cells[0].value.to_f64().unwrap_or(0.0));
            match line {
                Some(line) => summary.lines[line - 1].cells[0].value.to_f64().unwrap_or(0.0),
                None => values.sum(),
            }
        };
        // A walked hierarchy shows the other lines too.
        if !wanted.contains("open '") {
            let (line_total, parts) = (total(query, Some(line)), total(wanted, None));
            assert!((line_total - parts).abs() < 1e-9, "{query}, line {line}: {line_total}, {parts}");
        }
    }
}

#[test]
fn what_has_no_parts_says_so() {
    let session = session();
    let cases = [
        ("show takings", 0, None, "the answer is not split by rows: there are no lines to open"),
        (
            "rows shop.region show takings totals on rows",
            5,
            None,
            "this is the total: its parts are the lines above or below it",
        ),
        (
            "rows shop.town show takings",
            1,
            None,
            "no hierarchy says what is finer: name the attribute, such as open 1 by shop.region",
        ),
        (
            "rows shop.region show takings",
            4,
            None,
            "rows with unknown keys cannot be split any further: list them with list … from …",
        ),
        (
            "rows shop.region show takings top 1 shop.region by takings rest as 'Others'",
            2,
            None,
            "Others stands for many members: leave top out to see them",
        ),
        ("rows shop.place show takings", 3, None, "(none) has no parts in the hierarchy"),
        (
            "rows shop.region show takings",
            3,
            Some("shop.town"),
            "rows without a value cannot be told from those with unknown keys here: list them with list … from …",
        ),
    ];
    for (query, line, by, wanted) in cases {
        let found = match line {
            0 => drill(session.model(), query, &[], 0, by),
            line => opened(&session, query, line, by),
        };
        assert_eq!(found.expect_err(query), wanted, "{query}, line {line}");
    }
}
