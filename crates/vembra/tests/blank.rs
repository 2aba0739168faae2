//! Sums and differences that are blank because one side is missing: a note says which and how often, and what to write.

use vembra::{Layout, Reply, Session};

fn ask(query: &str) -> Reply {
    let session = Session::builder()
        .model_text(
            "m.vembra",
            "dimension shop from 'shop' key k\nfact sale from 'sale'\nfact back from 'back'\nlink sale.k to shop\nlink back.k to shop\n\
             measure sold = sum(amount)\nmeasure returned = sum(value)\nmeasure kept = sold - returned\n",
        )
        .csv_text("shop", "k,name\na,Ay\nb,Bee\nc,Sea\n")
        .csv_text("sale", "k,amount\na,10\nb,20\nc,40\n")
        .csv_text("back", "k,value\nb,5\n")
        .open()
        .unwrap();
    session.ask(query).unwrap()
}

#[test]
fn a_note_names_the_side_that_is_missing() {
    let reply = ask("rows shop.name show sold, returned, kept totals on rows");
    assert_eq!(
        reply.csv(Layout::Tidy).unwrap(),
        "line,over,shop.name,sold,returned,kept\ndetail,,Ay,10,,\ndetail,,Bee,20,5,15\ndetail,,Sea,40,,\ntotal,shop.name,,70,5,65\n"
    );
    let notes = reply.notes_text(false);
    assert!(
        notes.contains("note[V417]: kept has no value on 2 of 3 lines, since returned has none there"),
        "{notes}"
    );
    assert!(notes.contains("where a missing one counts as nothing, write coalesce(returned, 0)"), "{notes}");
    let text = reply.text(Layout::Grid);
    assert!(
        text.contains("≠ kept: not the sum of the lines; 2 lines have no value there, since returned has none; the total has what they lack."),
        "{text}"
    );
    // The way out is one: no note, and a total that adds up.
    let fixed = ask("rows shop.name show sold - coalesce(returned, 0) as kept totals on rows");
    assert_eq!(
        fixed.csv(Layout::Tidy).unwrap(),
        "line,over,shop.name,kept\ndetail,,Ay,10\ndetail,,Bee,15\ndetail,,Sea,40\ntotal,shop.name,,65\n"
    );
    assert!(fixed.notes.is_empty() && !fixed.text(Layout::Grid).contains('≠'));
}

#[test]
fn nothing_is_noted_where_both_sides_are_missing_or_none_is() {
    assert!(ask("rows shop.name show kept where shop.name = 'Bee'").notes.is_empty());
    assert!(ask("show kept").notes.is_empty());
    assert!(
        ask("rows shop.name show returned - returned as zero where shop.name <> 'Sea' keep empty")
            .notes
            .is_empty()
    );
}

/// A side that takes other days, or one member of an attribute, is missing as any other.
#[test]
fn a_range_of_days_or_a_member_is_a_side_too() {
    let session = Session::builder()
        .model_text(
            "m.vembra",
            "calendar from '2024-01-01' to '2025-12-31'\nfact sale from 'sale'\nlink sale.day to calendar\nmeasure sold = sum(amount)\n\
             measure more_than(m) = m - (m during 1 year earlier)\n",
        )
        .csv_text("sale", "shop,day,amount\na,2024-05-01,10\na,2025-05-01,15\nb,2025-06-01,20\n")
        .open()
        .unwrap();
    let notes = |query: &str| session.ask(query).unwrap().notes_text(false);
    for (query, wanted) in [
        (
            "rows sale.shop show sold - (sold during 1 year earlier) as more where calendar.year = 2025",
            "more has no value on 1 of 2 lines, since sold during 1 year earlier has none there",
        ),
        (
            "rows sale.shop show more_than(sold) as more where calendar.year = 2025",
            "more has no value on 1 of 2 lines, since m during 1 year earlier has none there",
        ),
        (
            "rows sale.shop show sold each across calendar.year 2025 against 2024 with difference",
            "since (sold where calendar.year = 2024) has none there",
        ),
    ] {
        let told = notes(query);
        assert!(told.contains("V417") && told.contains(wanted), "{query}: {told}");
    }
}
