//! Reports, dashboards, treatments, assertions and derived tables of a model: what they come to, and what is refused of them.

use crate::common;
use common::{STAR, Star, resolved, shapes};
use vembra_plan::drawing::{ColourBy, Form};
use vembra_plan::{TableKind, Type};
use vembra_syntax::Severity;

/// The codes of the errors of a star with this behind it.
fn wrong(more: &str) -> Vec<String> {
    let (_, _, said) = resolved(&format!("{STAR}{more}"), &shapes());
    said.iter().filter(|d| d.severity == Severity::Error).map(|d| d.code.to_string()).collect()
}

const FORMS: [(&str, Form); 7] = [
    ("table", Form::Table),
    ("number", Form::Number),
    ("line", Form::Line),
    ("area", Form::Area),
    ("bars", Form::Bars),
    ("dots", Form::Dots),
    ("heat", Form::Heat),
];

#[test]
fn forms_are_drawn_as_they_are_named() {
    for (name, form) in FORMS {
        assert_eq!(Form::from_name(name), Some(form));
        let query =
            if name == "number" { "show total" } else { "rows calendar.month, goods.kind show total" };
        let star = Star::with(&format!("report r 'A title' = {query} drawn as {name}\n"));
        let report = &star.model.reports[0];
        assert_eq!(report.name, "r", "{name}");
        let (bound, said) = vembra_model::bind_report(
            &star.model,
            &star.sources,
            &star.model.reports[0],
            &std::collections::BTreeMap::new(),
        );
        let bound = bound.unwrap_or_else(|| panic!("{name}: {said:?}"));
        assert_eq!(bound.drawing.form, form, "{name}");
    }
    assert_eq!(Form::from_name("cloud"), None);
}

#[test]
fn what_a_drawing_leaves_open_is_settled_by_its_axes() {
    let drawing = |report: &str| {
        let star = Star::with(&format!("report r = {report}\n"));
        let (bound, said) = vembra_model::bind_report(
            &star.model,
            &star.sources,
            &star.model.reports[0],
            &std::collections::BTreeMap::new(),
        );
        bound.unwrap_or_else(|| panic!("{report}: {said:?}")).drawing
    };
    let one = drawing("rows calendar.month show total drawn as line");
    assert_eq!((one.along.map(|a| a.axis), one.colour, one.panels), (Some(0), None, None));
    let two = drawing("rows calendar.month, goods.kind show total drawn as line");
    assert_eq!((two.along.map(|a| a.axis), two.colour), (Some(0), Some(ColourBy::Axis(1))));
    let said = drawing(
        "rows calendar.month, goods.kind show total drawn as bars along goods.kind colour by calendar.month stacked sideways with values",
    );
    assert_eq!((said.along.map(|a| a.axis), said.colour), (Some(1), Some(ColourBy::Axis(0))));
    assert!(said.stacked && said.sideways && said.values);
    let heat = drawing("rows calendar.month, goods.kind show total drawn as heat");
    assert_eq!((heat.along.map(|a| a.axis), heat.up.map(|a| a.axis)), (Some(0), Some(1)));
}

#[test]
fn drawings_that_cannot_be_are_refused() {
    let refused = [
        "report r = rows goods.kind show total drawn as cloud",
        "report r = rows goods.kind show total drawn as line along goods.name",
        "report r = rows goods.kind show total drawn as line along total",
        "report r = rows goods.kind show total drawn as line colour by nobody",
        "report r = rows goods.kind show total drawn as number",
        "report r = show total drawn as line",
        "report r = rows goods.kind show total drawn as table stacked",
        "report r = rows goods.kind show total drawn as line size by total",
        "report r = rows goods.kind show total drawn as bars trends",
        "report r = rows goods.kind show total drawn as bars colours 'a' pink",
        "report r = rows goods.kind show total drawn as bars mark 'low' where goods.kind",
        "report r = rows goods.kind show total drawn as bars mark 'low' where price > 1",
        "report r = rows goods.kind show total drawn as bars tooltip price",
        "report r = list order_no from sale drawn as line",
        "report r = rows goods.kind show total drawn as bars with",
        "report r = rows goods.kind show total drawn as bars along goods.kind along goods.kind",
        "report r = rows goods.kind show total drawn as bars panels by goods.name",
        "report r = show total\nreport r = show total",
        "dashboard d 'x' = nothing",
        "report r = show total\ndashboard d 'x' 10 by 10 row 1: nobody",
        "report r = rows goods.kind show totl",
    ];
    let taken: Vec<&str> =
        refused.into_iter().filter(|more| wrong(&format!("{more}\n")).is_empty()).collect();
    assert!(taken.is_empty(), "{taken:#?}");
}

#[test]
fn treatments_take_the_kinds_that_they_say() {
    let star = Star::with(
        "measure to_date(m) = m during year to date\n\
         measure part_of(m, a: attribute) = m / (m pooling a)\n\
         measure dated(m, r: role) = m via r\n\
         measure recent(m, n: integer) = avg((m per calendar.month) during last n months)\n\
         measure under(m, k: text) = m where goods.kind = k\n\
         measure after(m, d: date) = m where ordered_on >= d\n\
         measure both(m, o) = m / o\n\
         measure of_both(m) = part_of(to_date(m), goods.kind)\n\
         param from_day: date default '2024-06-01'\n",
    );
    let taken = [
        ("to_date(total)", Type::Decimal(2)),
        ("to_date(sum(quantity))", Type::Integer),
        ("to_date(count(rows of sale))", Type::Integer),
        ("part_of(total, goods.kind)", Type::Float),
        ("part_of(total, shipped.month)", Type::Float),
        ("dated(total, shipped)", Type::Decimal(2)),
        ("recent(total, 3)", Type::Float),
        ("recent(total, :least)", Type::Float),
        ("under(total, 'a')", Type::Decimal(2)),
        ("under(total, :shift)", Type::Decimal(2)),
        ("after(total, '2024-02-01')", Type::Decimal(2)),
        ("after(total, :from_day)", Type::Decimal(2)),
        ("both(total, count(rows of sale))", Type::Float),
        ("of_both(total)", Type::Float),
        ("to_date(to_date(total))", Type::Decimal(2)),
        ("to_date(total) + to_date(total)", Type::Decimal(2)),
        ("to_date(mean_order)", Type::Float),
    ];
    for (figure, ty) in taken {
        assert_eq!(star.figure(figure).map(|b| b.ty), Ok(ty), "{figure}");
    }
    let refused = [
        "to_date",
        "to_date()",
        "to_date(total, 1)",
        "to_date(price)",
        "to_date(goods.kind)",
        "part_of(total)",
        "part_of(total, shipped)",
        "part_of(total, 3)",
        "part_of(total, mean_order)",
        "dated(total, goods)",
        "dated(total, due)",
        "recent(total, 1.5)",
        "recent(total, 'a')",
        "recent(total, total)",
        "recent(total, quantity)",
        "under(total, 3)",
        "after(total, 'soon')",
        "both(total)",
    ];
    for figure in refused {
        assert!(star.figure(figure).is_err(), "{figure}");
    }
}

#[test]
fn treatments_plan_as_what_they_stand_for() {
    let star = Star::with(
        "measure to_date(m) = m during year to date\nmeasure part_of(m, a: attribute) = m / (m pooling a)\n\
         measure dated(m, r: role) = m via r\nmeasure under(m, k: text) = m where goods.kind = k\n",
    );
    let plan = |figure: &str| {
        star.plan(&format!("rows calendar.month, goods.kind show ({figure}) as f totals on rows"))
    };
    for (treated, plain) in [
        ("to_date(total)", "total during year to date"),
        ("part_of(total, goods.kind)", "total / (total pooling goods.kind)"),
        ("dated(total, shipped)", "total via shipped"),
        ("under(total, 'a')", "total where goods.kind = 'a'"),
        ("to_date(dated(total, shipped))", "(total via shipped) during year to date"),
        (
            "part_of(to_date(total), calendar.month)",
            "(total during year to date) / ((total during year to date) pooling calendar.month)",
        ),
    ] {
        assert_eq!(plan(treated), plan(plain), "{treated}");
    }
}

#[test]
fn derived_tables_have_the_columns_keys_and_links_of_their_query() {
    let star = Star::with(
        "derived large = list order_no, sku, ordered_on, price * quantity as value from sale where price > 10\n\
         derived by_shop key code = rows shop.code show sum(price) as spent, count(rows of sale) as lines_of\n\
         measure large_value = sum(large.value)\n",
    );
    let model = &star.model;
    let columns = |name: &str| {
        let def = model.schema.table(model.find_table(name).unwrap());
        assert_eq!(def.kind, TableKind::Derived);
        let columns = def.columns.iter().map(|c| model.schema.column(*c));
        columns.map(|c| format!("{} {}", c.name, c.ty)).collect::<Vec<_>>()
    };
    assert_eq!(columns("large"), ["order_no integer", "sku text", "ordered_on date", "value decimal"]);
    assert_eq!(columns("by_shop"), ["code text", "spent decimal", "lines_of integer"]);
    // Links of the columns that it carries.
    let reached: Vec<&str> = model
        .reachable_tables(model.find_table("large").unwrap())
        .into_iter()
        .map(|t| model.schema.table(t).name.as_str())
        .collect();
    assert!(reached.contains(&"goods") && reached.contains(&"calendar"), "{reached:?}");
    assert!(star.query("rows goods.kind, calendar.month show large_value").is_ok());
    for refused in [
        "derived d = list price as a, quantity as a from sale",
        "derived d key missing = rows shop.code show total",
        "derived d key code = rows shop.code show nothing_like_it",
        "derived sale = list price from sale",
        "derived d = rows shop.code show total top 3 shop.code",
    ] {
        assert!(!wrong(&format!("{refused}\n")).is_empty(), "{refused}");
    }
}

#[test]
fn assertions_are_conditions_on_cells_or_pairs_of_queries() {
    let star = Star::with(
        "assert 'more orders than shops': count(distinct order_no) >= count(distinct sale.code)\n\
         assert 'never negative' per (calendar.month, goods.kind): total >= 0\n\
         assert 'a value': (total where calendar.year = 2024) = 12.50 within 0.01\n\
         assert 'two ways': (rows calendar.year show total as t via shipped) matches (rows calendar.year show (total via shipped) as t)\n",
    );
    assert_eq!(star.model.assertions.len(), 4);
    for refused in [
        "assert 'a': total",
        "assert 'a': price > 1",
        "assert 'a' per total: total > 1",
        "assert 'a': total = 'x'",
        "assert total > 1",
        "assert 'a' total > 1",
        "assert 'a': total > 1 within 'x'",
    ] {
        assert!(!wrong(&format!("{refused}\n")).is_empty(), "{refused}");
    }
}
