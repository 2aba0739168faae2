//! Working days by hand: January 2024 begins on a Monday, and its third day is a holiday.

use vembra::{Layout, Session};

fn session() -> Session {
    let sales: String = [1, 2, 4, 5, 6, 8, 9]
        .iter()
        .map(|day| format!("2024-01-{day:02},{day},2024-01-{:02}T10:00\n", day + 3))
        .collect();
    Session::builder()
        .model_text(
            "m.vembra",
            "calendar from '2024-01-01' to '2024-01-31'\n    \
             working where weekday not in ('Saturday', 'Sunday') and off.why is null\n\
             fact sale from 'sale'\ndimension off from 'off' key day\n\
             link sale.day to calendar as sold default\nlink calendar.date to off\nmeasure total = sum(amount)\n",
        )
        .csv_text("sale", format!("day,amount,sent\n{sales},100,\n"))
        .csv_text("off", "day,why\n2024-01-03,rest\n2024-01-04,\n")
        .open()
        .unwrap()
}

fn said(query: &str) -> String {
    let csv = session().ask(query).unwrap().csv(Layout::Tidy).unwrap();
    csv.lines().skip(1).collect::<Vec<_>>().join(" | ")
}

#[test]
fn days_between_are_counted_behind_the_first_up_to_the_last() {
    for (from, to, wanted) in [
        ("01-01", "01-08", "4"),
        ("01-08", "01-01", "-4"),
        ("01-08", "01-08", "0"),
        // From a Saturday to the Monday behind it, and over the holiday.
        ("01-06", "01-08", "1"),
        ("01-02", "01-03", "0"),
        // Outside of the calendar nothing is known.
        ("01-31", "02-01", "\"\""),
    ] {
        let query = format!("show working_days('2024-{from}', '2024-{to}') as n");
        assert_eq!(said(&query), wanted, "{from} to {to}");
    }
    // Of rows, of a moment by its date, and of what a cell has.
    assert_eq!(
        said("list amount, working_days(day, sent) as n from sale where amount < 5 sort amount"),
        "1,2 | 2,2 | 4,1"
    );
    assert_eq!(said("show working_days(min(sale.day), max(sale.day)) as n"), "5");
    assert_eq!(
        said(
            "rows sold.week show working_days(min(sale.day), max(sale.day)) as n where sold.week is not null"
        ),
        "2024-W01,3 | 2024-W02,1"
    );
}

#[test]
fn the_next_working_day_is_found() {
    for (day, count, wanted) in [
        ("01-02", 1, "2024-01-04"),
        ("01-06", 1, "2024-01-08"),
        ("01-06", -1, "2024-01-05"),
        ("01-08", -1, "2024-01-05"),
        ("01-08", -4, "2024-01-01"),
        ("01-07", 0, "2024-01-07"),
        ("01-08", -5, "\"\""),
        ("01-31", 1, "\"\""),
    ] {
        let query = format!("show working_day(date '2024-{day}', {count}) as d");
        assert_eq!(said(&query), wanted, "{count} from {day}");
    }
    assert_eq!(said("list amount from sale where working_day(day, 1) = '2024-01-08' sort amount"), "5 | 6");
}

#[test]
fn date_ranges_go_by_working_days() {
    let at = |date_range: &str, day: &str| {
        said(&format!(
            "rows sold.date show total, (total during {date_range}) as t where sold.date = '2024-01-{day}'"
        ))
    };
    assert_eq!(at("1 working day earlier", "04"), "2024-01-04,4,2");
    assert_eq!(at("1 working day earlier", "08"), "2024-01-08,8,5");
    assert_eq!(at("1 working day earlier", "06"), "2024-01-06,6,");
    assert_eq!(at("previous working day", "08"), "2024-01-08,8,5");
    // The weekend between comes along: 4, 5, 6 and 8.
    assert_eq!(at("last 3 working days", "08"), "2024-01-08,8,23");
    // More than there are: from the start of the calendar, which is said.
    assert_eq!(
        at("last 9 working days", "05"),
        "2024-01-05,5,12,\"t: of a part of its date range only, working days up to 2023-12-31 lie before the calendar\""
    );
    // The week from the 8th to the 12th goes to the 4th to the 10th.
    assert_eq!(
        said(
            "rows calendar.week show (total during 2 working days earlier) as t where calendar.week = '2024-W02'"
        ),
        "2024-W02,32"
    );
}

#[test]
fn the_calendar_has_two_attributes_more() {
    assert_eq!(
        said("list date, working, working_number, off.why from calendar limit 4"),
        "2024-01-01,true,1, | 2024-01-02,true,2, | 2024-01-03,false,2,rest | 2024-01-04,true,3,"
    );
    assert_eq!(
        said("rows calendar.working show total where calendar.working is not null"),
        "false,6 | true,29"
    );
}

/// An argument that is the cell's own is that of each cell, also within conditions and aggregates. By hand: the week of the 7th ends on a
/// Sunday, and 2024-01-02 is the third working day before it.
#[test]
fn arguments_of_the_cell_are_those_of_each_cell() {
    let weeks = "where calendar.week is not null";
    for (ago, wanted) in [(3, "2024-W01,15 | 2024-W02,"), (5, "2024-W01, | 2024-W02,9")] {
        for condition in [
            format!("(total where sale.day > working_day(cell_end(calendar), -{ago}))"),
            format!("sum(amount where sale.day > working_day(cell_end(calendar), -{ago}))"),
        ] {
            assert_eq!(
                said(&format!("rows calendar.week show {condition} as t {weeks} keep empty"))
                    .split(" | ")
                    .take(2)
                    .collect::<Vec<_>>()
                    .join(" | "),
                wanted,
                "{condition}"
            );
        }
    }
    let counted = "sum(working_days(sale.day, cell_end(calendar)))";
    assert_eq!(
        said(&format!("rows calendar.week show {counted} as n {weeks} totals on rows")),
        "detail,,2024-W01,6 | detail,,2024-W02,7 | total,calendar.week,,129"
    );
}
