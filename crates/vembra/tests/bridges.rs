//! Bridges: figures worked out by hand, and what may not be asked.

use crate::database::{Storing, servers};
use vembra::{Layout, Session};

/// Customer a has red and blue, b has blue, c has red and green, d has nothing; one sale has no customer, one has an unknown one.
const MODEL: &str = "\
dimension customer from 'customer' key code
dimension product from 'product' key sku
dimension colour from 'colour' key name
fact sale from 'sale'
fact tag from 'tag'
fact mark from 'mark'
link sale.code to customer
link sale.sku to product
bridge tag.code to customer
bridge mark.sku to product
link tag.colour to colour
measure revenue = sum(amount)
measure customers = count(distinct sale.code)
viewer reds sees only tag.colour = 'red'
viewer south sees only customer.region = 'South'
viewer cold sees only colour.shade = 'cold'
";

fn session_of(model: &str) -> Session {
    Session::builder()
        .model_text("shop.vembra", model)
        .csv_text("customer", "code,region\na,North\nb,North\nc,South\nd,South\n")
        .csv_text("product", "sku,name\nP,Axe\nQ,Bow\n")
        .csv_text("colour", "name,shade\nred,warm\nblue,cold\ngreen,cold\n")
        .csv_text("sale", "code,sku,amount\na,P,10\na,Q,5\nb,P,20\nc,Q,40\nd,P,7\n,P,3\nzz,Q,1\n")
        .csv_text("tag", "code,colour\na,red\na,blue\nb,blue\nc,red\nc,green\n")
        .csv_text("mark", "sku,word\nP,new\nP,hot\n")
        .open()
        .unwrap()
}

/// The lines as one text, a line each: members, then figures.
fn said(session: &Session, query: &str) -> String {
    let csv = session.ask(query).unwrap().csv(Layout::Tidy).unwrap();
    csv.lines().skip(1).collect::<Vec<_>>().join(" | ")
}

fn asked(query: &str) -> String {
    said(&session_of(MODEL), query)
}

fn refused(query: &str) -> String {
    let failure = session_of(MODEL).ask(query).unwrap_err();
    failure.diagnostics()[0].code.to_string()
}

#[test]
fn rows_stand_under_each_member_and_once_in_the_total() {
    let lines = asked("rows tag.colour show revenue, customers totals on rows");
    assert_eq!(
        lines,
        "detail,,blue,35,2 | detail,,green,40,1 | detail,,red,55,2 | detail,,,10,1 | detail,,(unknown),1,1 | total,tag.colour,,86,5"
    );
    // Behind the bridge the next link goes on: blue and green are one shade, and a row stands there once.
    let lines = asked("rows colour.shade show revenue totals on rows");
    assert_eq!(
        lines,
        "detail,,cold,75 | detail,,warm,55 | detail,,,10 | detail,,(unknown),1 | total,colour.shade,,86"
    );
}

#[test]
fn a_total_that_counts_once_is_marked_with_the_reason() {
    let reply = session_of(MODEL).ask("rows tag.colour show revenue totals on rows").unwrap();
    let text = reply.text(Layout::Grid);
    assert!(text.contains("86 ≠"), "{text}");
    assert!(
        text.contains("what has several rows of tag stands on several lines, and once in the total"),
        "{text}"
    );
}

#[test]
fn what_is_asked_of_a_bridge_holds_of_one_of_its_rows() {
    let total = "rows tag.colour show revenue totals on rows";
    assert_eq!(asked(&format!("{total} where tag.colour = 'red'")), "detail,,red,55 | total,tag.colour,,55");
    assert_eq!(
        asked(&format!("{total} where colour.shade = 'cold'")),
        "detail,,blue,35 | detail,,green,40 | total,tag.colour,,75"
    );
    assert_eq!(asked("show revenue where tag.colour = 'red' and colour.shade = 'cold'"), "\"\"");
    assert_eq!(asked("show revenue where tag.colour is null"), "11");
    // Both of two colours: a value over the rows says so.
    let both = "show revenue where (any(tag.colour = 'red') per customer) and (any(tag.colour = 'green') per customer)";
    assert_eq!(asked(both), "40");
    assert_eq!(asked("list sale.code, amount from sale where tag.colour = 'blue'"), "a,10 | a,5 | b,20");
}

#[test]
fn clauses_details_and_choices_cross_a_bridge() {
    assert_eq!(asked("show (revenue regardless of tag) as r, revenue where tag.colour = 'red'"), "86,55");
    assert_eq!(
        asked("rows tag.colour show revenue, (revenue pooling tag) as p where tag.colour = 'red'"),
        "red,55,55"
    );
    // One value per colour: 55, 35, 40, and 11 of those without one, whatever they lack.
    assert_eq!(asked("show avg(revenue per tag.colour) as a, max(revenue per tag.colour) as m"), "35.25,55");
    let rest = "rows tag.colour show revenue top 1 tag.colour by revenue, rest as 'Other' totals on rows";
    // Three of the rows of the rest belong to red as well: both of a, which is blue too, and that of c, which is green too.
    assert_eq!(
        asked(rest),
        "detail,,red,55, | detail,,Other,86,revenue: 3 rows also belong to a member shown | total,tag.colour,,86,"
    );
    let text = session_of(MODEL).ask(rest).unwrap().text(Layout::Grid);
    assert!(text.contains("‡ revenue: Other has 3 rows that also belong to a member shown.\n"), "{text}");
    assert_eq!(
        asked("rows tag.colour show revenue having revenue > 39 totals on rows"),
        "detail,,green,40 | detail,,red,55 | total,tag.colour,,55"
    );
    assert_eq!(
        asked("rows tag.colour show listagg(distinct sale.code, '+') as who where tag.colour is not null"),
        "blue,a+b | green,c | red,a+c"
    );
    // A row is above the mean of its line: each line has its own.
    assert_eq!(
        asked(
            "rows tag.colour show sum(amount where amount >= (avg(amount) per cell)) as s where tag.colour is not null"
        ),
        "blue,20 | green,40 | red,40"
    );
}

#[test]
fn two_bridges_combine_freely() {
    assert_eq!(
        asked(
            "rows tag.colour columns mark.word show revenue where tag.colour = 'red' totals on rows, on columns"
        ),
        "detail,,red,hot,10 | detail,,red,new,10 | detail,,red,,45 | total,mark.word,red,,55 | \
         total,tag.colour,,hot,10 | total,tag.colour,,new,10 | total,tag.colour,,,45 | total,\"tag.colour, mark.word\",,,55"
    );
    assert_eq!(
        asked("rows customer.region, tag.colour show revenue where tag.colour = 'blue'"),
        "North,blue,35"
    );
}

#[test]
fn limits_reach_over_a_bridge() {
    let by_colour = "rows tag.colour show revenue, (revenue overall) as o totals on rows";
    let seen = |viewer: &str| said(&session_of(MODEL).seen_by(viewer).unwrap(), by_colour);
    // Of a and c one colour only, and of b and d nothing.
    assert_eq!(seen("reds"), "detail,,red,55,55 | total,tag.colour,,55,55");
    assert_eq!(seen("cold"), "detail,,blue,35,75 | detail,,green,40,75 | total,tag.colour,,75,75");
    // A customer without colours is seen, if the limit is not about colours.
    assert_eq!(
        seen("south"),
        "detail,,green,40,47 | detail,,red,40,47 | detail,,,7,47 | total,tag.colour,,47,47"
    );
}

/// Both products have marks that are seen, so no product is hidden; sales of no product, or of one that is not there, are.
#[test]
fn what_reaches_none_of_the_rows_that_a_bridge_limits_is_hidden_even_if_all_of_these_are_seen() {
    let session = Session::builder()
        .model_text(
            "shop.vembra",
            "dimension product from 'product' key sku\nfact sale from 'sale'\nfact mark from 'mark'\n\
             link sale.sku to product\nbridge mark.sku to product\nmeasure revenue = sum(amount)\n\
             viewer marked sees only mark.word = 'new'\nviewer some sees only mark.word = 'new' and product.sku = 'P'",
        )
        .csv_text("product", "sku,name\nP,Axe\nQ,Bow\n")
        .csv_text("sale", "sku,amount\nP,10\nQ,5\n,20\nZZ,40\n")
        .csv_text("mark", "sku,word\nP,new\nQ,new\nQ,old\n")
        .open()
        .unwrap();
    let seen = |viewer: &str| said(&session.seen_by(viewer).unwrap(), "show revenue");
    assert_eq!(
        (said(&session, "show revenue"), seen("marked"), seen("some")),
        ("75".into(), "15".into(), "10".into())
    );
}

#[test]
fn what_is_several_is_no_value_of_a_row() {
    assert_eq!(refused("list sale.code, tag.colour from sale"), "V229");
    assert_eq!(refused("show sum(case when tag.colour = 'red' then amount end) as s"), "V229");
    assert_eq!(refused("show revenue where tag.colour = 'red' or customer.region = 'South'"), "V230");
    let model = MODEL.replace("bridge mark.sku to product", "bridge tag.sku to product");
    let both = Session::builder()
        .model_text("shop.vembra", model)
        .csv_text("customer", "code,region\na,North\n")
        .csv_text("product", "sku,name\nP,Axe\n")
        .csv_text("colour", "name,shade\nred,warm\n")
        .csv_text("sale", "code,sku,amount\na,P,10\n")
        .csv_text("tag", "code,colour,sku\na,red,P\n")
        .csv_text("mark", "sku,word\nP,new\n")
        .open()
        .unwrap();
    assert_eq!(both.ask("rows tag.colour show revenue").unwrap_err().diagnostics()[0].code, "V231");
}

#[test]
fn a_server_takes_what_a_bridge_leads_nowhere_as_one_value() {
    let here = session_of(MODEL);
    // 55, 35 and 40 by colour, and 11 of those without one, whether their customer is known or not.
    let query = "show min((revenue per tag.colour)) as least, avg(revenue per tag.colour) as mean";
    assert_eq!(said(&here, query), "11,35.25");
    for (place, model) in served(&here, "keyless_bridge") {
        let there = Session::builder().model_text("shop.vembra", place.served(&model)).open().unwrap();
        assert_eq!(said(&there, query), "11,35.25", "on {}", place.name());
    }
}

#[test]
fn a_server_says_what_the_rest_shares() {
    let here = session_of(MODEL);
    // By region: of the north's rows two are red and blue, of the south's one is red and green.
    let query = "rows customer.region, tag.colour show revenue top 1 tag.colour by revenue within customer.region, rest as 'Other'";
    let wanted = "North,blue,35, | North,Other,15,revenue: 2 rows also belong to a member shown | South,green,40, | \
                  South,Other,47,revenue: 1 row also belongs to a member shown | ,,3, | (unknown),(unknown),1,";
    assert_eq!(said(&here, query), wanted);
    for (place, model) in served(&here, "shared_rest") {
        let there = Session::builder().model_text("shop.vembra", place.served(&model)).open().unwrap();
        assert_eq!(said(&there, query), wanted, "on {}", place.name());
    }
}

/// The servers that hold the tables, each with the model as files would have them.
fn served(here: &Session, name: &str) -> Vec<(Box<dyn Storing>, String)> {
    let tables = ["customer", "product", "colour", "sale", "tag", "mark"];
    let model = tables.iter().fold(MODEL.to_owned(), |model, table| {
        model.replace(&format!("from '{table}'"), &format!("from '{table}.csv'"))
    });
    let mut all = servers(name);
    all.iter_mut().for_each(|place| tables.iter().for_each(|table| place.store(here, table)));
    all.into_iter().map(|place| (place, model.clone())).collect()
}
