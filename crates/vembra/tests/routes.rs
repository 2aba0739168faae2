//! What names stand for, and by which links a row reaches a column: on a star with roles, coarser links, dimensions behind dimensions, and
//! tables that two ways lead to.

use vembra::inside::{Named, RouteError};
use vembra::{Session, Span};

const MODEL: &str = "\
calendar from '2024-01-01' to '2025-12-31'
dimension area from 'area' key name
dimension buyer from 'buyer' key code
dimension shop from 'shop' key code
dimension firm from 'firm' key code
fact sale from 'sale'
fact goal from 'goal'
link sale.paid_by to buyer as payer default
link sale.sent_to to buyer as receiver
link sale.shop to shop
link buyer.area to area
link shop.area to area
link buyer.firm to firm
link sale.day to calendar as ordered
link sale.sent to calendar as shipped
link goal.month to calendar by month as planned default
link goal.area to area
hierarchy area.range = zone, name
measure revenue = sum(sale.amount)
";

fn session() -> Session {
    Session::builder()
        .model_text("m.vembra", MODEL)
        .csv_text("area", "name,zone\nMoor,A\nFen,B\n")
        .csv_text("buyer", "code,area,firm,age\n1,Moor,x,20\n2,Fen,y,30\n")
        .csv_text("shop", "code,area,size\ns,Fen,3\n")
        .csv_text("firm", "code,rank\nx,1\ny,2\n")
        .csv_text("sale", "paid_by,sent_to,shop,day,sent,amount\n1,2,s,2024-01-01,2024-01-03,5\n")
        .csv_text("goal", "month,area,amount\n2024-01,Moor,7\n")
        .open()
        .unwrap()
}

/// A name, the table whose columns come first, and what it stands for.
const NAMES: [(&str, &str, &str); 14] = [
    ("paid_by", "", "sale.paid_by"),
    ("age", "", "buyer.age"),
    ("revenue", "", "measure revenue"),
    ("buyer.age", "", "buyer.age"),
    ("payer.age", "", "buyer.age by payer"),
    ("receiver.age", "", "buyer.age by receiver"),
    ("shipped.month", "", "calendar.month by shipped"),
    ("area.range", "", "area.zone"),
    ("zone", "", "area.zone"),
    // Several tables have it: only one of them comes first.
    ("amount", "", "nothing"),
    ("amount", "goal", "goal.amount"),
    ("code", "firm", "firm.code"),
    ("sold", "", "nothing"),
    ("till.age", "", "nothing"),
];

#[test]
fn names_stand_for_one_thing_or_for_none() {
    let session = session();
    let model = session.model();
    for (written, prefer, wanted) in NAMES {
        let (qualifier, name) = match written.split_once('.') {
            Some((qualifier, name)) => (Some(qualifier), name),
            None => (None, written),
        };
        let found = match model.named(qualifier, name, model.find_table(prefer), false) {
            Some(Named::Column(column, None)) => model.schema.qualified(column),
            Some(Named::Column(column, Some(role))) => {
                format!("{} by {}", model.schema.qualified(column), model.role_name(role))
            }
            Some(Named::Measure(id)) => format!("measure {}", model.measure(id).name),
            None => "nothing".to_owned(),
        };
        assert_eq!(found, wanted, "{written} with {prefer} first");
    }
}

/// From a table to a column, with the role before the dot, the roles in force, and the links by the columns from which they start.
const ROUTES: [(&str, &str, &str, &[&str], &str); 16] = [
    ("sale", "sale.amount", "", &[], ""),
    ("sale", "buyer.age", "", &[], "paid_by"),
    ("sale", "buyer.age", "", &["receiver"], "sent_to"),
    ("sale", "buyer.age", "receiver", &[], "sent_to"),
    // What stands before the dot goes before what is in force; of those in force the innermost.
    ("sale", "buyer.age", "payer", &["receiver"], "paid_by"),
    ("sale", "buyer.age", "", &["receiver", "payer"], "paid_by"),
    ("sale", "firm.rank", "", &[], "paid_by firm"),
    ("sale", "firm.rank", "", &["receiver"], "sent_to firm"),
    ("buyer", "area.zone", "", &[], "area"),
    // By the buyer and by the shop.
    ("sale", "area.zone", "", &[], "several: buyer, shop"),
    ("sale", "calendar.year", "", &[], "no default from sale to calendar"),
    ("sale", "calendar.year", "", &["shipped"], "sent"),
    ("goal", "calendar.year", "", &[], "month"),
    ("goal", "calendar.date", "", &[], "too coarse by month"),
    ("goal", "buyer.age", "", &[], "none"),
    ("goal", "calendar.year", "shipped", &[], "no role shipped"),
];

#[test]
fn routes_follow_the_roles_in_force() {
    let session = session();
    let model = session.model();
    let schema = &model.schema;
    let column = |written: &str| {
        let (table, name) = written.split_once('.').unwrap();
        model.find_column(model.find_table(table).unwrap(), name).unwrap()
    };
    let start = |link| schema.column(schema.link(link).from[0]).name.clone();
    for (from, to, pinned, roles, wanted) in ROUTES {
        let roles: Vec<_> = roles
            .iter()
            .map(|r| vembra::inside::RoleUse { role: model.find_role(r).unwrap(), span: Span::default() })
            .collect();
        let names = |tables: Vec<_>| {
            let mut names: Vec<String> = tables.into_iter().map(|t| schema.table(t).name.clone()).collect();
            names.sort();
            names.join(", ")
        };
        let table = model.find_table(from).unwrap();
        let found = match model.route(table, column(to), model.find_role(pinned), &roles) {
            Ok(route) => route.path.into_iter().map(start).collect::<Vec<_>>().join(" "),
            Err(RouteError::None) => "none".to_owned(),
            Err(RouteError::NoDefault { from, to }) => {
                format!("no default from {} to {}", names(vec![from]), names(vec![to]))
            }
            Err(RouteError::TooCoarse { link }) => format!("too coarse by {}", start(link)),
            Err(RouteError::Several { through }) => format!("several: {}", names(through)),
            Err(RouteError::NoRole(role)) => format!("no role {}", model.role_name(role)),
        };
        assert_eq!(found, wanted, "from {from} to {to} by '{pinned}' under {} roles", roles.len());
    }
}

/// What settles what across links: the finer with its role, the coarser with its.
#[test]
fn keys_settle_what_their_links_lead_to() {
    let session = session();
    let model = session.model();
    let attribute = |written: &str| {
        let (qualifier, name) = written.split_once('.').unwrap();
        match model.named(Some(qualifier), name, None, false) {
            Some(Named::Column(column, role)) => (column, role),
            other => unreachable!("{written}: {other:?}"),
        }
    };
    let cases = [
        ("buyer.code", "buyer.age", true),
        ("buyer.age", "buyer.code", false),
        ("payer.code", "payer.age", true),
        ("payer.code", "receiver.age", false),
        ("sale.paid_by", "payer.age", true),
        ("sale.paid_by", "receiver.age", false),
        ("calendar.month", "calendar.year", true),
        ("calendar.year", "calendar.month", false),
        ("shipped.date", "shipped.quarter", true),
        ("shipped.date", "ordered.quarter", false),
        ("area.name", "area.zone", true),
    ];
    for (finer, coarser, wanted) in cases {
        assert_eq!(model.settles(attribute(finer), attribute(coarser)), wanted, "{finer} and {coarser}");
    }
}

/// Goods go to a region of their own, whatever the region of who ordered them: neither settles the other, and each figure that holds one
/// of them keeps to it.
#[test]
fn what_rows_come_to_by_another_way_is_not_settled() {
    let session = Session::builder()
        .model_text(
            "m.vembra",
            "fact line from 'line'\ndimension customer from 'customer' key id\ndimension region from 'region' key code\n\
             link line.customer to customer\nlink line.ship_region to region\nlink customer.region to region\n\
             measure revenue = sum(amount)\n",
        )
        .csv_text("line", "customer,ship_region,amount\n1,N,1\n1,S,2\n2,N,4\n2,S,8\n")
        .csv_text("customer", "id,region\n1,N\n2,S\n")
        .csv_text("region", "code,zone\nN,north\nS,south\n")
        .open()
        .unwrap();
    let csv = |query: &str| session.ask(query).unwrap().csv(vembra::Layout::Tidy).unwrap();
    // Ordered from N: 1 + 2, from S: 4 + 8; going to the north: 1 + 4, to the south: 2 + 8.
    assert_eq!(csv("where customer.region = 'N' show (revenue regardless of region.zone) as r"), "r\n3\n");
    assert_eq!(
        csv("rows region.zone, customer.region show running(revenue by customer.region) as r"),
        "region.zone,customer.region,r\nnorth,N,1\nnorth,S,5\nsouth,N,2\nsouth,S,10\n"
    );
    assert_eq!(
        csv("rows customer.region, region.zone show revenue - (revenue regardless of region.zone) as d"),
        "customer.region,region.zone,d\nN,north,-2\nN,south,-1\nS,north,-8\nS,south,-4\n"
    );
}
