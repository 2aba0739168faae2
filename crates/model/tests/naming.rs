//! What names stand for: bare ones, ones behind a table or a role, ones that several things bear, and ones that nothing bears.

use crate::common;
use common::{STAR, Star, resolved, shapes};
use vembra_model::{BoundKind, Model, Named, TableShape};
use vembra_plan::{TableKind, Type};

/// What a name stands for, in words: a column with its role, or a measure.
fn meaning(model: &Model, written: &str, prefer: Option<&str>, rows: bool) -> Option<String> {
    let (qualifier, name) = match written.split_once('.') {
        Some((qualifier, name)) => (Some(qualifier), name),
        None => (None, written),
    };
    let prefer = prefer.map(|table| model.find_table(table).unwrap());
    model.named(qualifier, name, prefer, rows).map(|named| match named {
        Named::Measure(id) => format!("measure {}", model.measure(id).name),
        Named::Column(column, None) => model.schema.qualified(column),
        Named::Column(column, Some(role)) => {
            format!("{} by {}", model.schema.qualified(column), model.role_name(role))
        }
    })
}

#[test]
fn a_bare_name_stands_for_the_only_thing_that_bears_it() {
    let star = Star::with("");
    let cases = [
        // One column of one table.
        ("kind", Some("goods.kind")),
        ("region", Some("area.region")),
        ("quantity", Some("sale.quantity")),
        ("wanted", Some("goal.wanted")),
        // A measure.
        ("total", Some("measure total")),
        ("mean_order", Some("measure mean_order")),
        // Two things bear it.
        ("name", None),
        // Calendar attributes by the calendar, whatever the roles are.
        ("weekday", Some("calendar.weekday")),
        ("quarter", Some("calendar.quarter")),
        // Linked keys of one name are one thing: of one start it is that column, of several what they lead to.
        ("code", Some("sale.code")),
        ("area_no", Some("area.area_no")),
        // Nothing bears these.
        ("town", None),
        ("Kind", None),
        ("", None),
    ];
    for (written, want) in cases {
        assert_eq!(meaning(&star.model, written, None, false).as_deref(), want, "{written}");
    }
}

#[test]
fn a_name_behind_a_dot_is_looked_for_there_only() {
    let star = Star::with("");
    let cases = [
        ("goods.name", Some("goods.name")),
        ("shop.name", Some("shop.name")),
        ("sale.code", Some("sale.code")),
        ("shop.code", Some("shop.code")),
        // Roles pin.
        ("ordered.month", Some("calendar.month by ordered")),
        ("shipped.weekday", Some("calendar.weekday by shipped")),
        ("calendar.month", Some("calendar.month")),
        // The first level stands for a hierarchy.
        ("goods.range", Some("goods.kind")),
        ("area.places", Some("area.region")),
        // A column is no column of another table, and a measure has no table.
        ("goods.region", None),
        ("sale.total", None),
        ("due.month", None),
        ("ordered.region", None),
    ];
    for (written, want) in cases {
        assert_eq!(meaning(&star.model, written, None, false).as_deref(), want, "{written}");
    }
}

#[test]
fn columns_of_the_table_at_hand_go_first() {
    let star = Star::with("");
    let cases = [
        ("name", "shop", Some("shop.name")),
        ("name", "goods", Some("goods.name")),
        ("name", "sale", None),
        ("code", "shop", Some("shop.code")),
        ("code", "sale", Some("sale.code")),
        ("area_no", "goal", Some("goal.area_no")),
        ("month", "goal", Some("goal.month")),
    ];
    for (written, table, want) in cases {
        assert_eq!(
            meaning(&star.model, written, Some(table), false).as_deref(),
            want,
            "{written} of {table}"
        );
    }
}

#[test]
fn where_rows_are_aggregated_a_key_of_two_facts_names_neither() {
    let star = Star::with("");
    // `goal` and `shop` both lead to areas by it: whose rows would be counted?
    assert_eq!(meaning(&star.model, "area_no", None, true), None);
    assert_eq!(meaning(&star.model, "code", None, true).as_deref(), Some("sale.code"));
    assert_eq!(meaning(&star.model, "sku", None, true).as_deref(), Some("sale.sku"));
    assert!(star.figure("count(distinct area_no)").is_err());
    assert!(star.figure("count(distinct goal.area_no)").is_ok());
}

#[test]
fn the_key_from_which_a_bridge_starts_only_joins() {
    let star = Star::with("");
    // taste.sku bears the name too, and is not meant by it.
    assert_eq!(meaning(&star.model, "sku", None, false).as_deref(), Some("sale.sku"));
    assert_eq!(meaning(&star.model, "taste.sku", None, false).as_deref(), Some("taste.sku"));
    assert_eq!(meaning(&star.model, "word", None, false).as_deref(), Some("taste.word"));
}

#[test]
fn bare_names_do_not_look_into_derived_tables() {
    let more = "derived big = list order_no, sku, price from sale where price > 100\n\
                derived by_shop key code = rows shop.code show sum(price) as spent, count(rows of sale) as lines_of\n";
    let star = Star::with(more);
    let model = &star.model;
    assert_eq!(meaning(model, "order_no", None, false).as_deref(), Some("sale.order_no"));
    assert_eq!(meaning(model, "spent", None, false), None);
    assert_eq!(meaning(model, "by_shop.spent", None, false).as_deref(), Some("by_shop.spent"));
    assert_eq!(meaning(model, "spent", Some("by_shop"), false).as_deref(), Some("by_shop.spent"));
    let kinds = ["sale", "shop", "taste", "goal", "big"].map(|t| {
        let table = model.find_table(t).unwrap();
        model.schema.table(table).kind.clone()
    });
    assert_eq!(kinds[0], TableKind::Fact);
    assert_eq!(kinds[1], TableKind::Dimension);
    assert_eq!(kinds[4], TableKind::Derived);
}

#[test]
fn names_that_are_not_understood_say_what_is_near_or_what_they_could_be() {
    let star = Star::with("");
    let cases = [
        // Nothing, but something near.
        ("show totl", "V201"),
        ("rows goods.knid show total", "V203"),
        ("rows god.kind show total", "V202"),
        // Several things.
        ("rows name show total", "V204"),
        // A table or a role is no value.
        ("rows shop show total", "V201"),
        ("rows ordered show total", "V201"),
        ("show missing(total)", "V205"),
    ];
    let mut wrong = Vec::new();
    for (query, code) in cases {
        let said = star.query(query).unwrap_err();
        if said != [code] {
            wrong.push(format!("{query}: {said:?}, not {code}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn odd_names_are_found_in_quotes_and_only_as_they_are_written() {
    let text = "dimension \"Ship To\" from 'ship' key \"Code No\"\nfact \"from\" from 'from'\n\
                link \"from\".\"Code No\" to \"Ship To\"\nmeasure \"show\" = sum(\"from\".\"Amount €\")\n";
    let columns = |all: &[(&str, Type)]| all.iter().map(|(n, t)| ((*n).to_owned(), *t)).collect();
    let shapes = [
        TableShape {
            name: "Ship To".to_owned(),
            columns: columns(&[("Code No", Type::Text), ("Name", Type::Text)]),
        },
        TableShape {
            name: "from".to_owned(),
            columns: columns(&[("Code No", Type::Text), ("Amount €", Type::Decimal(2))]),
        },
    ];
    let (model, _, said) = resolved(text, &shapes);
    assert!(said.is_empty(), "{said:?}");
    assert_eq!(meaning(&model, "Ship To.Name", None, false).as_deref(), Some("Ship To.Name"));
    assert_eq!(meaning(&model, "ship to.Name", None, false), None);
    assert_eq!(meaning(&model, "show", None, false).as_deref(), Some("measure show"));
    assert_eq!(meaning(&model, "Amount €", None, false).as_deref(), Some("from.Amount €"));
}

#[test]
fn two_things_of_one_name_are_told_where_they_are_declared() {
    let cases = [
        "measure total = sum(quantity)\n",
        "dimension shop from 'shop' key code\n",
        "fact sale from 'sale'\n",
        "param least: integer\n",
        "column sale.price = quantity\n",
        "hierarchy goods.range = kind\n",
        "link sale.code to shop\n",
        "link sale.seen to calendar as ordered\n",
        "calendar from '2024-01-01' to '2024-12-31'\n",
        "derived shop = list code from sale\n",
    ];
    for more in cases {
        let (_, _, said) = resolved(&format!("{STAR}{more}"), &shapes());
        assert!(!said.is_empty(), "{more}");
        assert!(said.iter().all(|d| !d.labels.is_empty()), "{more}: {said:?}");
    }
}

#[test]
fn a_role_seen_through_is_kept_with_the_column() {
    let star = Star::with("");
    let summary = star.summary("rows shipped.month, calendar.month, goods.range show total via shipped");
    let roles: Vec<Option<&str>> = summary
        .axes
        .iter()
        .map(|axis| match axis.expr.kind {
            BoundKind::Column(_, role) => role.map(|r| star.model.role_name(r)),
            _ => panic!("{} is no column", axis.name),
        })
        .collect();
    assert_eq!(roles, [Some("shipped"), None, None]);
    let names: Vec<&str> = summary.axes.iter().map(|a| a.name.as_str()).collect();
    assert_eq!(names, ["shipped.month", "calendar.month", "goods.range"]);
}
