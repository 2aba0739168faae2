//! What there is one value of, for every kind of expression; what joins and what does not.

use crate::common;
use common::Star;
use std::collections::BTreeSet;
use vembra_model::{Bound, BoundKind, Grain};

/// A grain in words: `constant`, `row of …`, `keys …`, `fixed` or `cell`.
fn told(star: &Star, bound: &Bound) -> String {
    let schema = &star.model.schema;
    match star.model.grain(bound) {
        Grain::Constant => "constant".to_owned(),
        Grain::Row(tables) => {
            let names: Vec<&str> = tables.iter().map(|t| schema.table(*t).name.as_str()).collect();
            format!("row of {}", names.join(", "))
        }
        Grain::Keys(keys) => {
            let names: Vec<String> = keys.iter().map(|k| schema.qualified(k.column)).collect();
            format!("keys {}", names.join(", "))
        }
        Grain::Fixed => "fixed".to_owned(),
        Grain::Cell => "cell".to_owned(),
    }
}

#[test]
fn figures_have_the_grain_that_they_say() {
    let star = Star::with("");
    let cases = [
        ("1", "constant"),
        ("'x' || 'y'", "constant"),
        (":least + 1", "constant"),
        ("total", "cell"),
        ("sum(quantity * price)", "cell"),
        ("count(rows of sale)", "cell"),
        ("avg(total per order_no)", "cell"),
        ("mean_order", "cell"),
        ("total + 1", "cell"),
        ("total / wanted_all", "cell"),
        ("total per order_no", "keys sale.order_no"),
        ("per_order", "keys sale.order_no"),
        ("per_order + 1", "keys sale.order_no"),
        ("total per (shop.code, calendar.month)", "keys shop.code, calendar.month"),
        ("total per shop", "keys shop.code"),
        ("total per goods", "keys goods.sku"),
        // The larger set of keys holds the smaller one, whichever stands first.
        ("(total per shop.code) / (total per area.region)", "keys shop.code"),
        ("(total per area.region) / (total per shop.code)", "keys shop.code"),
        ("(total per goods.sku) - (total per goods.kind)", "keys goods.sku"),
        ("(total per calendar.date) - (total per calendar.year)", "keys calendar.date"),
        ("(total per ordered.month) - (total per ordered.year)", "keys calendar.month"),
        // A cell's own value may stand beside keys.
        ("(total per shop.code) / (total per cell)", "keys shop.code"),
        ("(total per shop.code) / flat", "keys shop.code"),
        ("total overall", "fixed"),
        ("total per cell", "fixed"),
        ("flat", "fixed"),
        ("flat + 1", "fixed"),
        ("total / flat", "cell"),
        ("stands_on(goods.kind)", "fixed"),
        ("cell_end(calendar)", "fixed"),
        // Clauses that name no detail leave the grain as it is.
        ("total where goods.kind = 'a'", "cell"),
        ("total via shipped", "cell"),
        ("total pooling goods.kind", "cell"),
        ("total during 1 year earlier", "cell"),
        ("per_order where goods.kind = 'a'", "keys sale.order_no"),
        ("per_order during year to date", "keys sale.order_no"),
        ("rank(total among goods.kind)", "cell"),
    ];
    let mut wrong = Vec::new();
    for (written, want) in cases {
        let found = match star.figure(written) {
            Ok(bound) => told(&star, &bound),
            Err(codes) => format!("{codes:?}"),
        };
        if found != want {
            wrong.push(format!("{written}: {found}, not {want}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn values_of_rows_have_the_rows_that_they_name() {
    let star = Star::with("");
    let cases = [
        ("quantity", "row of sale"),
        ("quantity * price", "row of sale"),
        ("goods.kind", "row of goods"),
        ("quantity * goods.weight", "row of goods, sale"),
        ("area.region", "row of area"),
        ("ordered.month", "row of calendar"),
        ("price > (total per order_no)", "row of sale"),
        ("price / (total per cell)", "row of sale"),
        ("price / flat", "row of sale"),
        ("1", "constant"),
        ("case when paid then price else 0 end", "row of sale"),
    ];
    for (written, want) in cases {
        let bound = star.row(written).unwrap_or_else(|codes| panic!("{written}: {codes:?}"));
        let mut found = told(&star, &bound);
        // Tables stand in the order of their declaration.
        if let Some(tables) = found.strip_prefix("row of ") {
            let tables: BTreeSet<&str> = tables.split(", ").collect();
            found = format!("row of {}", tables.into_iter().collect::<Vec<_>>().join(", "));
        }
        assert_eq!(found, want, "{written}");
    }
}

#[test]
fn what_has_no_common_grain_is_refused() {
    let star = Star::with("");
    let cases = [
        // A figure beside a row's value must say its detail.
        ("list price / total as x from sale", "a measure in a row"),
        ("list sum(price) as x from sale", "an aggregate in a row"),
        ("show sum(total) as x", "a sum of a measure"),
        ("show sum(price / total) as x", "a measure within rows"),
        ("show avg(price > mean_order) as x", "no number"),
        // A row's value is no figure of a cell.
        ("show price as x", "a row's value"),
        ("show total + quantity as x", "a row's value beside a figure"),
        ("show (total per cell) + quantity as x", "a row's value beside one of the cell"),
        ("rows goods.kind show total having price > 1", "a row's value chooses lines"),
        ("rows goods.kind show total top 3 goods.kind by price", "a row's value orders lines"),
        // Two sets of keys of which neither holds the other.
        ("show avg((total per shop.code) / (total per goods.sku)) as x", "keys apart"),
        ("show avg((total per calendar.month) - (total per calendar.week)) as x", "weeks and months"),
        ("show avg((total per ordered.month) - (total per shipped.month)) as x", "two roles"),
        // A figure is no axis.
        ("rows total show total", "a figure as an axis"),
        // Keys that the rows of a condition do not have.
        (
            "show avg((total per shop.code) where goods.kind = 'a' and quantity > 1 and word = 'z')",
            "brackets",
        ),
    ];
    let mut wrong = Vec::new();
    for (query, what) in &cases[..14] {
        if star.query(query).is_ok() {
            wrong.push(format!("{query}: {what} was taken"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn the_same_keys_in_another_order_are_the_same_grain() {
    let star = Star::with("");
    let pairs = [
        ("(total per (shop.code, goods.sku)) - (total per (goods.sku, shop.code))", true),
        ("(total per (shop.code, goods.sku)) - (total per goods.sku)", true),
        ("(total per goods.sku) - (total per (shop.code, goods.sku))", true),
        ("(total per (shop.code, goods.kind)) - (total per (shop.code, goods.sku))", true),
        ("(total per (shop.code, goods.kind)) - (total per goods.sku)", false),
        ("(total per (shop.code, calendar.month)) - (total per (area.region, calendar.year))", true),
        ("(total per (area.region, calendar.month)) - (total per (shop.code, calendar.year))", false),
        ("(total per order_no) - (total per shop.code)", false),
    ];
    for (written, joins) in pairs {
        let found = star.figure(&format!("max({written})"));
        assert_eq!(found.is_ok(), joins, "{written}: {:?}", found.err());
    }
}

#[test]
fn settling_is_reflexive_and_transitive() {
    let star = Star::with("");
    let model = &star.model;
    let mut all: Vec<_> =
        (0..model.schema.columns.len() as u32).map(|c| (vembra_plan::ColumnId(c), None)).collect();
    let calendar = model.find_table("calendar").unwrap();
    for role in ["ordered", "shipped"] {
        let role = model.find_role(role);
        all.extend(model.schema.table(calendar).columns.iter().map(|c| (*c, role)));
    }
    let settles: Vec<Vec<bool>> =
        all.iter().map(|a| all.iter().map(|b| model.settles(*a, *b)).collect()).collect();
    let name = |at: usize| format!("{} {:?}", model.schema.qualified(all[at].0), all[at].1);
    let mut pairs = 0;
    for a in 0..all.len() {
        assert!(settles[a][a], "{} does not settle itself", name(a));
        for b in (0..all.len()).filter(|b| settles[a][*b]) {
            pairs += usize::from(a != b);
            for c in (0..all.len()).filter(|c| settles[b][*c]) {
                assert!(settles[a][c], "{} settles {}, and that {}", name(a), name(b), name(c));
            }
        }
    }
    assert!(pairs > 100, "only {pairs} pairs settle anything");
}

#[test]
fn keys_settle_what_their_links_lead_to_and_nothing_else_does() {
    let star = Star::with("");
    let model = &star.model;
    let id = |name: &str| {
        let (table, column) = name.split_once('.').unwrap();
        let role = model.find_role(table);
        let table = model.find_table(table).unwrap_or_else(|| model.role_target(role.unwrap()).unwrap());
        (model.find_column(table, column).unwrap(), role)
    };
    let cases = [
        ("shop.code", "shop.name", true),
        ("shop.name", "shop.code", false),
        ("shop.code", "area.region", true),
        ("sale.code", "shop.name", true),
        ("sale.code", "area.region", true),
        ("area.region", "shop.code", false),
        ("goods.sku", "goods.kind", true),
        ("goods.name", "goods.kind", true),
        ("goods.kind", "goods.name", false),
        ("goods.name", "goods.weight", false),
        ("sale.order_no", "shop.code", false),
        ("calendar.date", "calendar.week", true),
        ("calendar.month", "calendar.year", true),
        ("calendar.month", "calendar.fiscal_year", true),
        ("calendar.week", "calendar.month", false),
        ("calendar.week", "calendar.year", false),
        ("calendar.month_of_year", "calendar.quarter_of_year", true),
        ("calendar.month_of_year", "calendar.year", false),
        ("calendar.year", "calendar.fiscal_year", false),
        ("ordered.month", "ordered.year", true),
        ("ordered.month", "shipped.year", false),
        ("ordered.month", "calendar.year", false),
        ("goods.sku", "taste.word", false),
    ];
    for (finer, coarser, want) in cases {
        assert_eq!(model.settles(id(finer), id(coarser)), want, "{finer} settles {coarser}");
    }
}

#[test]
fn an_expression_walks_over_its_parts_and_not_into_measures() {
    let star = Star::with("");
    let bound = star
        .figure("(total where goods.kind = 'a' and quantity > :least) / avg(total per order_no)")
        .unwrap();
    let (mut measures, mut columns, mut params) = (0, 0, 0);
    bound.walk(&mut |part| match part.kind {
        BoundKind::Measure(_) => measures += 1,
        BoundKind::Column(..) => columns += 1,
        BoundKind::Param(_) => params += 1,
        _ => {}
    });
    assert_eq!((measures, columns, params), (2, 2, 1));
}
