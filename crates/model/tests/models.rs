//! What the declarations of a model come to over tables of known columns, and what is wrong with them.

use crate::common;
use common::{STAR, Star, resolved, shapes};
use vembra_plan::{TableKind, Type};
use vembra_syntax::Severity;

/// The codes of the errors of [`STAR`] with this behind it.
fn wrong(more: &str) -> Vec<String> {
    let (_, _, said) = resolved(&format!("{STAR}{more}"), &shapes());
    said.iter().filter(|d| d.severity == Severity::Error).map(|d| d.code.to_string()).collect()
}

#[test]
fn tables_links_and_roles_are_what_the_model_says() {
    let star = Star::with("");
    let schema = &star.model.schema;
    let tables: Vec<(&str, &TableKind)> = schema.tables.iter().map(|t| (t.name.as_str(), &t.kind)).collect();
    for (name, kind) in [
        ("shop", TableKind::Dimension),
        ("area", TableKind::Dimension),
        ("goods", TableKind::Dimension),
        ("sale", TableKind::Fact),
        ("goal", TableKind::Fact),
        ("taste", TableKind::Fact),
    ] {
        assert!(tables.contains(&(name, &kind)), "{name}: {tables:?}");
    }
    let calendar = tables.iter().find(|(name, _)| *name == "calendar").map(|(_, kind)| (*kind).clone());
    assert!(matches!(calendar, Some(TableKind::Calendar { fiscal_start: 10, .. })), "{calendar:?}");
    let links: Vec<String> = schema
        .links
        .iter()
        .map(|link| {
            let from = schema.qualified(link.from[0]);
            let to = schema.qualified(link.to[0]);
            let role = link.role.map_or(String::new(), |r| format!(" as {}", star.model.role_name(r)));
            let more = [(link.default, " default"), (link.coarse, " coarse"), (link.bridge, " bridge")];
            let more: String = more.iter().filter(|(is, _)| *is).map(|(_, word)| *word).collect();
            format!("{from} to {to}{role}{more}")
        })
        .collect();
    let mut sorted = links.clone();
    sorted.sort();
    assert_eq!(
        sorted,
        [
            "goal.area_no to area.area_no",
            "goal.month to calendar.month as ordered coarse",
            "sale.code to shop.code",
            "sale.ordered_on to calendar.date as ordered default",
            "sale.shipped_on to calendar.date as shipped",
            "sale.sku to goods.sku",
            "shop.area_no to area.area_no",
            "taste.sku to goods.sku bridge",
        ]
    );
}

#[test]
fn a_table_reaches_what_links_lead_to() {
    let star = Star::with("");
    let model = &star.model;
    let reached = |table: &str| {
        let mut names: Vec<&str> = model
            .reachable_tables(model.find_table(table).unwrap())
            .into_iter()
            .map(|t| model.schema.table(t).name.as_str())
            .collect();
        names.sort_unstable();
        names
    };
    assert_eq!(reached("sale"), ["area", "calendar", "goods", "sale", "shop"]);
    assert_eq!(reached("goal"), ["area", "calendar", "goal"]);
    assert_eq!(reached("shop"), ["area", "shop"]);
    assert_eq!(reached("area"), ["area"]);
    assert_eq!(reached("calendar"), ["calendar"]);
}

#[test]
fn formulas_of_columns_give_them_a_type_and_may_name_each_other() {
    let star = Star::with(
        "column sale.net = quantity * price\n\
         column sale.gross = net * (1 + rate)\n\
         column sale.is_large = (sum(net) per order_no) > 100\n\
         column goods.sold = count(rows of sale) per sku\n\
         column shop.first_on = min(ordered_on) per code\n\
         column sale.wait = days_between(ordered_on, shipped_on)\n",
    );
    let ty = |name: &str| {
        let (table, column) = name.split_once('.').unwrap();
        let table = star.model.find_table(table).unwrap();
        star.model.schema.column(star.model.find_column(table, column).unwrap()).ty
    };
    assert_eq!(ty("sale.net"), Type::Decimal(2));
    assert_eq!(ty("sale.gross"), Type::Decimal(6));
    assert_eq!(ty("sale.is_large"), Type::Boolean);
    assert_eq!(ty("goods.sold"), Type::Integer);
    assert_eq!(ty("shop.first_on"), Type::Date);
    assert_eq!(ty("sale.wait"), Type::Integer);
}

#[test]
fn the_order_of_declarations_makes_no_difference() {
    let blocks: Vec<String> = {
        // A declaration starts in the first column; what is indented belongs to it.
        let mut blocks: Vec<String> = Vec::new();
        for line in STAR.lines() {
            match blocks.last_mut() {
                Some(last) if line.starts_with(' ') => *last = format!("{last}\n{line}"),
                _ => blocks.push(line.to_owned()),
            }
        }
        blocks
    };
    let asked = "rows calendar.month, goods.range columns area.region show total, mean_order, wanted_all \
                 where quantity > :least totals on rows";
    let plain = Star::with("");
    let names = |star: &Star| {
        let mut names: Vec<String> = star.model.measures.iter().map(|m| m.name.clone()).collect();
        names.sort();
        names
    };
    let mut turned = blocks.clone();
    for turn in [3, 7, 11] {
        turned.rotate_left(turn);
        let text = turned.join("\n");
        let (model, _, said) = resolved(&text, &shapes());
        let errors: Vec<_> = said.iter().filter(|d| d.severity == Severity::Error).collect();
        // One axis is out of reach of `goal`, which is said of the query and not of the model.
        assert!(errors.is_empty(), "{text}\n{errors:?}");
        let mut found: Vec<String> = model.measures.iter().map(|m| m.name.clone()).collect();
        found.sort();
        assert_eq!(found, names(&plain));
        let route = |model: &vembra_model::Model, column: &str| {
            let sale = model.find_table("sale").unwrap();
            let area = model.find_table("area").unwrap();
            let route = model.route(sale, model.find_column(area, column).unwrap(), None, &[]).unwrap();
            let names = route.path.iter().map(|l| model.schema.qualified(model.schema.link(*l).from[0]));
            names.collect::<Vec<_>>()
        };
        assert_eq!(route(&model, "region"), route(&plain.model, "region"));
    }
    assert!(plain.query(asked).is_ok());
}

#[test]
fn rings_are_told_once_and_end() {
    let rings = [
        "measure a = b + 1\nmeasure b = a + 1\n",
        "measure a = a\n",
        "column sale.a = b\ncolumn sale.b = a\n",
        "column sale.a = sum(a) per order_no\n",
        "column sale.a = m per order_no\nmeasure m = sum(a)\n",
        "measure t(m) = u(m)\nmeasure u(m) = t(m)\nmeasure x = t(total)\n",
        "derived d = list order_no, price from e\nderived e = list order_no, price from d\n",
    ];
    for ring in rings {
        assert!(!wrong(ring).is_empty(), "{ring}");
    }
    // A chain is no ring, however long.
    let mut chain = String::from("measure m0 = sum(price)\n");
    for at in 1..60 {
        chain += &format!("measure m{at} = m{} + 1\n", at - 1);
    }
    assert_eq!(wrong(&chain), Vec::<String>::new());
}

#[test]
fn links_that_cannot_be_are_refused() {
    let cases = [
        "link sale.missing to goods\n",
        "link sale.note to nowhere\n",
        "link sale.quantity to goods\n",
        "link sale.note to calendar as noted\n",
        "link sale.seen to calendar\n",
        "link sale.day to calendar as ordered\n",
        "link sale.day to calendar as seen_on default\n",
        "link (sale.code, sale.sku) to goods\n",
        "link sale.in_month to calendar as monthly\n",
        "link area.area_no to shop\n",
        "bridge taste.word to goods\nbridge taste.word to goods\n",
        "bridge taste.missing to goods\n",
    ];
    let taken: Vec<&str> = cases.into_iter().filter(|more| wrong(more).is_empty()).collect();
    assert!(taken.is_empty(), "{taken:#?}");
    // A moment links by its date, a month by months.
    assert_eq!(wrong("link sale.seen to calendar as seen_by\n"), Vec::<String>::new());
    assert_eq!(wrong("link sale.in_month to calendar by month as monthly\n"), Vec::<String>::new());
}

#[test]
fn declarations_that_cannot_be_are_refused() {
    let cases = [
        "hierarchy goods.steps = kind, missing\n",
        "hierarchy nowhere.steps = kind\n",
        "hierarchy goods.steps = kind, kind\n",
        "column sale.note: money\n",
        "column sale.nowhere: text\n",
        "column nowhere.note: text\n",
        "column sale.a = total\n",
        "column sale.a = sum(price)\n",
        "column sale.a = stands_on(goods.kind)\n",
        "column sale.a = cell_end(calendar)\n",
        "column sale.price\n  order 1, 1\n",
        "column goods.kind\n  order 'a', 'a'\n",
        "column goods.kind order by missing\n",
        "measure a = price\n",
        "measure a = goods.kind\n",
        "measure a = total\n  format '0.0.0'\n",
        "measure a(m, m) = m\n",
        "measure a(m, k: money) = m\n",
        "param p: money\n",
        "param p: integer default 'x'\n",
        "param p: one of goods.kind, missing default goods.kind\n",
        "param p: one of goods.kind, area.region default goods.name\n",
        "viewer v sees only total > 1\n",
        "viewer v sees only missing = 1\n",
        "viewer v sees only goods.kind\n",
        "derived d = list missing from sale\n",
        "derived d key missing = rows goods.kind show total\n",
        "assert 'a': total\n",
        "assert 'a': missing = 1\n",
        "assert 'a' per missing: total > 1\n",
        "report r = rows goods.knd show total\n",
        "report r = rows goods.kind show total drawn as cloud\n",
        "dashboard d = missing\n",
        "include 'more.vembra'\n",
        "currency 'EURO'\n",
        "time zone 'Mars/Olympus'\n",
        "accept V999 'why'\n",
    ];
    let taken: Vec<&str> = cases.into_iter().filter(|more| wrong(more).is_empty()).collect();
    assert!(taken.is_empty(), "{taken:#?}");
}

#[test]
fn one_fault_does_not_hide_what_is_right() {
    let (model, _, said) = resolved(
        &format!(
            "{STAR}measure bad = sum(missing)\nmeasure good = sum(quantity)\nmeasure on_bad = bad * 2\n"
        ),
        &shapes(),
    );
    let good = model.find_measure("good").unwrap();
    assert_eq!(model.measure(good).formula.ty, Type::Integer);
    // What rests on the fault is not told of again.
    let errors: Vec<&str> =
        said.iter().filter(|d| d.severity == Severity::Error).map(|d| d.code.as_str()).collect();
    assert_eq!(errors.len(), 1, "{errors:?}");
}

#[test]
fn limits_of_viewers_are_conditions_on_rows() {
    let star = Star::with(
        "viewer north sees only area.region = 'n'\n\
         viewer paid_only sees only sale.paid\n\
         viewer by_ship sees only shipped.year = 2024 or ordered.year = 2024\n",
    );
    let names: Vec<&str> = star.model.viewers.iter().map(|v| v.name.as_str()).collect();
    assert_eq!(names, ["north", "paid_only", "by_ship"]);
    let limited: Vec<Vec<&str>> = star
        .model
        .viewers
        .iter()
        .map(|viewer| {
            let limits = vembra_model::lower::limits(&star.model, &star.sources, &viewer.conditions).unwrap();
            limits.iter().map(|(table, _)| star.model.schema.table(*table).name.as_str()).collect()
        })
        .collect();
    // An attribute limits the rows of its own table, and through its links all others; a pinned role the rows that have it.
    assert_eq!(limited[0], ["area"]);
    assert_eq!(limited[1], ["sale"]);
    assert!(limited[2].contains(&"sale") && !limited[2].contains(&"calendar"), "{:?}", limited[2]);
}
