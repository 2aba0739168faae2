//! The context in which a figure is worked out: laws of the reference manual as pairs of texts that must plan alike, or must not.

use crate::common;
use common::Star;

/// The plans of one figure under these axes.
fn plan(star: &Star, figure: &str) -> String {
    star.plan(&format!("rows calendar.month, goods.kind columns area.region show ({figure}) as f"))
}

#[test]
fn where_a_condition_comes_from_makes_no_difference() {
    let star = Star::with("");
    for condition in [
        "goods.kind = 'a'",
        "quantity > 3",
        "goods.kind = 'a' and area.region in ('n', 's')",
        "calendar.year = 2024",
        "shipped.month = '2024-03'",
        "shop.name like 'A%' or goods.weight > 2.5",
        "not paid",
    ] {
        for figure in ["total", "sum(quantity)", "count(rows of sale)", "total via shipped", "mean_order"] {
            // Beside a figure without the condition both must be one node and one aggregate.
            let both = star.plan(&format!(
                "show (({figure}) where {condition}) as a, ((({figure}) + 0) where {condition}) as b"
            ));
            let alone = star.plan(&format!("show (({figure}) where {condition}) as a"));
            let aggregates = |plan: &str| plan.matches("    ").count();
            assert_eq!(aggregates(&both), aggregates(&alone), "{figure} {condition}\n{both}");
            // As a condition of the query it filters the scan; as the figure's own it is that of the aggregate, or filters the scan.
            let outside = star.plan(&format!("show ({figure}) as a where {condition}"));
            let conditions = |plan: &str| {
                let mut found: Vec<String> = plan
                    .lines()
                    .flat_map(|line| line.split(" where ").skip(1))
                    .map(|text| text.split(" keys ").next().unwrap().trim_end_matches(": decimal").to_owned())
                    .map(|text| text.trim_end_matches(": integer").to_owned())
                    .collect();
                found.sort();
                found.dedup();
                found
            };
            assert_eq!(conditions(&outside), conditions(&alone), "{figure} {condition}\n{outside}\n{alone}");
        }
    }
}

#[test]
fn the_clauses_of_one_expression_are_a_set() {
    let star = Star::with("");
    let clauses = [
        "where quantity > 1",
        "via shipped",
        "pooling goods.kind",
        "during 1 year earlier",
        "per (goods.kind, calendar.month, area.region)",
    ];
    let written = |order: &[usize]| {
        let text: Vec<&str> = order.iter().map(|at| clauses[*at]).collect();
        format!("avg((total {}))", text.join(" "))
    };
    let want = plan(&star, &written(&[0, 1, 2, 3, 4]));
    for order in [[4, 3, 2, 1, 0], [1, 0, 3, 2, 4], [2, 4, 0, 3, 1], [3, 1, 4, 0, 2]] {
        assert_eq!(plan(&star, &written(&order)), want, "{}", written(&order));
    }
    // Each of them has a say.
    for (left_out, clause) in clauses.iter().enumerate().take(4) {
        let rest: Vec<usize> = (0..5).filter(|at| *at != left_out).collect();
        assert_ne!(plan(&star, &written(&rest)), want, "without {clause}");
    }
}

#[test]
fn pairs_that_mean_the_same_plan_the_same() {
    let star = Star::with(
        "measure shipped_total = total via shipped\nmeasure here = total where goods.kind = 'a'\n",
    );
    let pairs = [
        // The innermost role wins.
        ("(total via ordered) via shipped", "total via ordered"),
        ("shipped_total via ordered", "total via shipped"),
        ("total via ordered", "total"),
        // Conditions add up, wherever they stand.
        ("(total where paid) where quantity > 1", "total where quantity > 1 and paid"),
        ("here where quantity > 1", "total where quantity > 1 and goods.kind = 'a'"),
        ("sum(price where paid)", "(sum(price)) where paid"),
        ("sum(price from sale)", "sum(price)"),
        // Details in words.
        ("total overall", "(total per cell) regardless of all"),
        ("total per cell", "total"),
        ("avg(total per shop)", "avg(total per shop.code)"),
        ("avg(total per order_no)", "mean_order"),
        ("sum(total per order_no)", "sum(per_order)"),
        ("flat", "total overall"),
        // Forgetting.
        ("(total pooling goods.kind) pooling area.region", "total pooling (goods.kind, area.region)"),
        ("total pooling goods", "total pooling goods.kind"),
        ("total pooling calendar.year", "total pooling calendar.month"),
        ("total regardless of goods.kind", "total pooling goods.kind"),
        ("total pooling all but (calendar.month)", "total pooling (goods.kind, area.region)"),
        // A share is a ratio.
        ("share(total among goods.kind)", "total / (total pooling goods.kind)"),
        ("share(total among all)", "total / (total pooling all)"),
        // Signs and brackets.
        ("-(-total)", "- -total"),
        ("+total", "total"),
        ("((total))", "total"),
        // Ranges.
        ("total where quantity between 2 and 5", "total where quantity >= 2 and quantity <= 5"),
        ("total where quantity between 2 and before 5", "total where quantity >= 2 and quantity < 5"),
        ("total where quantity not between 2 and 5", "total where not (quantity >= 2 and quantity <= 5)"),
        ("total where not (goods.kind = 'a')", "total where not goods.kind = 'a'"),
        ("total where goods.kind is not null", "total where not (goods.kind is null)"),
        ("total where ordered_on >= date '2024-02-01'", "total where ordered_on >= '2024-02-01'"),
        // What a role reaches and what its column says.
        ("first(price by ordered_on descending)", "last(price by ordered_on)"),
    ];
    let mut wrong = Vec::new();
    for (one, other) in pairs {
        let refused = |text: &str| star.figure(text).err();
        if let Some(codes) = refused(one).or_else(|| refused(other)) {
            wrong.push(format!("{one} | {other}: {codes:?}"));
            continue;
        }
        let (a, b) = (plan(&star, one), plan(&star, other));
        if a != b {
            wrong.push(format!("{one}\n{a}\n{other}\n{b}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}

#[test]
fn pairs_that_mean_something_else_plan_differently() {
    let star = Star::with("");
    let pairs = [
        ("total", "total via shipped"),
        ("total", "total where paid"),
        ("total where paid", "total where not paid"),
        ("total pooling goods.kind", "total pooling area.region"),
        ("total pooling calendar.month", "total"),
        ("total per cell", "total overall"),
        ("avg(total per order_no)", "avg(total per shop.code)"),
        ("avg(total per order_no)", "avg(total per (order_no, shop.code))"),
        ("total during year to date", "total during month to date"),
        ("total during 1 year earlier", "total during 1 year earlier matched"),
        ("total during 1 year earlier", "total during 12 months earlier matched"),
        ("total during last 3 months", "total during 3 months earlier"),
        ("total during previous month", "total during 1 month earlier"),
        ("total during all to date", "total during all before"),
        ("(total where paid) during year to date", "(total during year to date) where not paid"),
        ("min(price)", "max(price)"),
        ("count(price)", "count(distinct price)"),
        ("first(price by ordered_on)", "last(price by ordered_on)"),
        ("percentile(price, 0.5)", "percentile(price, 0.25)"),
        ("median(price)", "percentile(price, 0.5)"),
        ("rank(total among goods.kind)", "rank(total among area.region)"),
        ("share(total among goods.kind)", "share(total among calendar.month)"),
        ("running(total by calendar.month)", "running(total by total descending)"),
        ("lag(total by calendar.month)", "running(total by calendar.month)"),
        ("total where ordered.year = 2024", "total where shipped.year = 2024"),
    ];
    for (one, other) in pairs {
        assert_ne!(plan(&star, one), plan(&star, other), "{one} | {other}");
    }
}

#[test]
fn a_filter_is_forgotten_only_by_regardless() {
    let star = Star::with("");
    let asked = |figure: &str, condition: &str| {
        star.plan(&format!("rows area.region show ({figure}) as f where {condition}"))
    };
    let filtered = |plan: &str| plan.contains("'a'");
    assert!(filtered(&asked("total", "goods.kind = 'a'")));
    assert!(filtered(&asked("total pooling goods.kind", "goods.kind = 'a'")));
    let scans = |plan: &str| plan.matches("scan ").count();
    // The domain keeps the condition, so that the scan of a figure that forgets is another one.
    assert_eq!(scans(&asked("total", "goods.kind = 'a'")), 1);
    assert_eq!(scans(&asked("total regardless of goods.kind", "goods.kind = 'a'")), 2);
    assert_eq!(scans(&asked("total regardless of goods", "goods.kind = 'a'")), 2);
    assert_eq!(scans(&asked("total regardless of shop.name", "goods.kind = 'a'")), 1);
    // A condition on an attribute that determines the one that is forgotten goes too.
    assert_eq!(scans(&asked("total regardless of goods.kind", "goods.sku = 'a'")), 2);
    assert_eq!(scans(&asked("total regardless of goods.sku", "goods.kind = 'a'")), 1);
}

#[test]
fn what_has_no_effect_is_pointed_out_and_what_cannot_be_is_refused() {
    let star = Star::with("");
    let said = |query: &str| match star.query(query) {
        Ok(_) => star.planned(query).1,
        Err(codes) => codes,
    };
    let quiet = [
        "rows calendar.month show total",
        "rows goods.kind show total where quantity > 1",
        "rows calendar.month show total via shipped",
        "rows shipped.month, ordered.month show total",
        "rows area.region show total, wanted_all",
        "rows calendar.month, area.region show total, wanted_all",
    ];
    for query in quiet {
        assert_eq!(said(query), Vec::<String>::new(), "{query}");
    }
    let told = [
        // A fact without that role stays on its default, with a note.
        ("rows calendar.month show total, wanted_all via shipped", "V4"),
        // A measure whose fact does not reach the axis, or what is finer than its link.
        ("rows goods.kind show wanted_all", "V40"),
        ("rows calendar.date show wanted_all", "V40"),
        ("rows shop.code show wanted_all", "V40"),
        ("show wanted_all where goods.kind = 'a'", "V40"),
        ("rows calendar.month show (wanted_all via shipped) as w", "V40"),
    ];
    let mut wrong = Vec::new();
    for (query, start) in told {
        let codes = said(query);
        if codes.is_empty() || !codes.iter().any(|c| c.starts_with(start)) {
            wrong.push(format!("{query}: {codes:?}, not {start}.."));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn equal_figures_are_worked_out_once() {
    let star = Star::with("");
    let scans = |query: &str| star.plan(query).matches("scan ").count();
    assert_eq!(scans("rows goods.kind show total, (total) as again, total * 2 as twice"), 1);
    assert_eq!(scans("rows goods.kind show total, sum(quantity), max(price), count(rows of sale)"), 1);
    assert_eq!(scans("rows goods.kind show total, (total where paid) as p, (total where not paid) as n"), 1);
    assert_eq!(scans("rows goods.kind show total, (total pooling goods.kind) as all_kinds"), 2);
    assert_eq!(scans("rows goods.kind show total, share(total among all) as s totals on rows"), 2);
    // Two facts are read apart.
    assert_eq!(scans("rows area.region show total, wanted_all"), 2);
}

#[test]
fn plans_are_the_same_each_time() {
    let star = Star::with("");
    let queries = [
        "rows calendar.year, goods.kind columns area.region show total, mean_order, share(total among all) totals on rows, on columns",
        "rows goods.name show total top 5 goods.name by total with ties, rest as 'Other' having total > 10",
        "rows calendar.month show total, (total during year to date) as ytd, (total during 1 year earlier) as before keep empty",
        "list order_no, price, goods.kind from sale where paid sort price descending limit 10",
    ];
    for query in queries {
        let first = star.plan(query);
        for _ in 0..5 {
            assert_eq!(Star::with("").plan(query), first, "{query}");
        }
    }
}
