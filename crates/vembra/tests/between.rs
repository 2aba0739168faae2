//! Values where the fact has no rows: in a grid they are shown between the lines, in a list a note counts them. By hand, over six counts of a
//! stock and six sales.

use crate::database::servers;
use vembra::{Answer, Session};

const MODEL: &str = "calendar from '2023-01-01' to '2024-12-31'\n\
                     fact stock from 'stock.csv'\n\
                     fact sales from 'sales.csv'\n\
                     link stock.counted_on to calendar as counted default\n\
                     link sales.sold_on to calendar as sold default\n\
                     measure on_hand = last(stock.pieces by stock.counted_on) during all to date\n\
                     measure sold_pieces = sum(sales.pieces)\n\
                     measure sold_lines = count(rows of sales)\n\
                     measure year_before = sold_pieces during 1 year earlier\n";
/// Nobody counts the combs in February, nor the hives in March; there are no hives left in February.
const STOCK: &str = "item,counted_on,pieces\nComb,2024-01-31,5\nHive,2024-01-31,3\nHive,2024-02-29,0\nComb,2024-03-31,4\n\
                     Veil,2024-03-31,7\nComb,2024-04-30,1\n";
const SALES: &str = "item,sold_on,pieces\nComb,2023-01-10,2\nHive,2023-02-10,1\nVeil,2023-02-11,6\nComb,2024-01-12,3\n\
                     Comb,2024-02-12,4\nHive,2024-01-15,5\n";

/// Per line its members and figures.
fn lines(session: &Session, query: &str) -> (Vec<String>, Vec<String>) {
    let reply = session.ask(query).unwrap_or_else(|error| panic!("{query}: {error}"));
    let notes =
        reply.notes.iter().filter(|note| note.code == "V423").map(|note| note.message.clone()).collect();
    let Answer::Summary(summary) = reply.answer else { panic!("{query}: no summary") };
    let line = |line: &vembra::Line| {
        let members = line.rows.iter().chain(&line.columns).map(ToString::to_string);
        members.chain(line.cells.iter().map(|cell| cell.value.to_string())).collect::<Vec<_>>().join(" ")
    };
    (summary.lines.iter().map(line).collect(), notes)
}

fn everywhere(name: &str, judge: impl Fn(&Session)) {
    let session = Session::builder().model_text("m.vembra", MODEL);
    let here = session.csv_text("stock", STOCK).csv_text("sales", SALES).open().unwrap();
    judge(&here);
    for mut place in servers(name) {
        place.store(&here, "stock");
        place.store(&here, "sales");
        judge(&Session::builder().model_text("m.vembra", place.served(MODEL)).open().unwrap());
    }
}

#[test]
fn a_grid_shows_what_is_carried_forward() {
    // A stock of none is one, while a cell before the first count has nothing to show.
    let wanted = [
        "Comb 2024-01 5",
        "Comb 2024-02 5",
        "Comb 2024-03 4",
        "Comb 2024-04 1",
        "Hive 2024-01 3",
        "Hive 2024-02 0",
        "Hive 2024-03 0",
        "Hive 2024-04 0",
        "Veil 2024-03 7",
        "Veil 2024-04 7",
    ];
    everywhere("between_stock", |session| {
        assert_eq!(lines(session, "rows stock.item columns calendar.month show on_hand").0, wanted);
    });
}

#[test]
fn a_count_of_nothing_shows_nothing() {
    // Hives were sold in January only, combs in both months: no line is made up where nothing is but counted.
    let plain = ["Comb 2024-01 1", "Comb 2024-02 1", "Hive 2024-01 1"];
    // In February of the year before one hive was sold: that cell has something to say.
    let beside = ["Comb 2024-01 1 2", "Comb 2024-02 1 ", "Hive 2024-01 1 ", "Hive 2024-02 0 1"];
    everywhere("between_counts", |session| {
        let query = "rows sales.item columns calendar.month show sold_lines where calendar.year = 2024";
        assert_eq!(lines(session, query).0, plain);
        let query =
            "rows sales.item columns calendar.month show sold_lines, year_before where calendar.year = 2024";
        assert_eq!(lines(session, query).0, beside);
    });
}

#[test]
fn a_list_counts_what_it_does_not_show() {
    let note = "2 lines that are not shown have a value, though the fact has no rows there";
    everywhere("between_list", |session| {
        // Veils and hives of February 2023 have no line in February 2024, combs have.
        let query = "rows sales.item show sold_pieces, year_before where calendar.month = '2024-02'";
        let (shown, notes) = lines(session, query);
        assert_eq!((shown, notes), (vec!["Comb 4 ".to_owned()], vec![note.to_owned()]));
        let (shown, notes) = lines(session, &format!("{query} keep empty"));
        assert_eq!(
            (shown, notes),
            (vec!["Comb 4 ".to_owned(), "Hive  1".to_owned(), "Veil  6".to_owned()], vec![])
        );
        // Whoever chooses lines leaves the others out on purpose, and a figure of the cell's own rows has nothing elsewhere.
        assert!(lines(session, &format!("{query} having sold_pieces > 0")).1.is_empty());
        let query = "rows sales.item show sold_pieces where calendar.month = '2024-02'";
        assert!(lines(session, query).1.is_empty());
    });
}
