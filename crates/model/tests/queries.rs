//! Queries with their names resolved: what each clause says, and what is refused of it.

use crate::common;
use common::Star;
use vembra_model::BoundSummary;
use vembra_plan::{FiguresPlace, Opened, Scalar, SortKey, TotalsPlace};

fn axes(summary: &BoundSummary) -> Vec<&str> {
    summary.axes.iter().map(|a| a.name.as_str()).collect()
}

fn shown(summary: &BoundSummary) -> Vec<&str> {
    summary.shows.iter().map(|s| s.name.as_str()).collect()
}

#[test]
fn axes_and_figures_have_names_and_headings() {
    let star = Star::with("measure turnover = sum(price)\n  label 'Turnover'\n  format '#,##0'\n");
    let query = "rows goods.kind, extract(month from day) as m columns calendar.year \
                 show turnover, total / 2 as half, (total where paid), count(rows of sale)";
    let summary = star.summary(query);
    assert_eq!(axes(&summary), ["goods.kind", "m", "calendar.year"]);
    assert_eq!(summary.row_axes, 2);
    let labels: Vec<&str> = summary.axes.iter().map(|a| a.label.as_str()).collect();
    assert_eq!(labels, ["goods.kind", "m", "calendar.year"]);
    assert_eq!(shown(&summary), ["turnover", "half", "total where paid", "count(rows of sale)"]);
    let labels: Vec<&str> = summary.shows.iter().map(|s| s.label.as_str()).collect();
    assert_eq!(labels, ["Turnover", "half", "total where paid", "count(rows of sale)"]);
}

#[test]
fn each_clause_of_a_summary_is_kept() {
    let star = Star::with("");
    let summary = star.summary(
        "rows goods.kind, goods.name columns calendar.year show total, mean_order \
         where quantity > 1 and paid via shipped having total > 10 \
         top 3 goods.name by total within goods.kind with ties, rest as 'Other' \
         sort total descending, goods.kind totals on rows first, on columns last figures on rows keep empty \
         given least = 7",
    );
    assert_eq!(summary.row_axes, 2);
    assert_eq!(summary.filters.len(), 1);
    assert_eq!(summary.via.len(), 1);
    assert!(summary.having.is_some() && summary.keep_empty);
    let top = summary.top.as_ref().unwrap();
    assert_eq!((top.count, top.axis, top.smallest, top.ties), (3, 1, false, true));
    assert_eq!((top.within.as_slice(), top.rest.as_deref()), ([0].as_slice(), Some("Other")));
    let keys: Vec<(SortKey, bool)> = summary.sort.iter().map(|s| (s.key, s.descending)).collect();
    assert_eq!(keys, [(SortKey::Output(0), true), (SortKey::Axis(0), false)]);
    assert_eq!(summary.totals_on_rows, Some(TotalsPlace::First));
    assert_eq!(summary.totals_on_columns, Some(TotalsPlace::Last));
    assert_eq!(summary.figures, FiguresPlace::RowsLast);
    assert_eq!(summary.params.values().cloned().collect::<Vec<_>>(), [Scalar::Integer(7)]);
}

#[test]
fn clauses_of_a_query_stand_in_any_order() {
    let star = Star::with("");
    let clauses = [
        "rows goods.kind",
        "columns calendar.year",
        "show total",
        "where paid",
        "having total > 1",
        "sort total descending",
        "totals on rows",
    ];
    let want = star.plan(&clauses.join(" "));
    for turn in 1..clauses.len() {
        let mut turned = clauses.to_vec();
        turned.rotate_left(turn);
        let query = turned.join(" ");
        match star.query(&query) {
            Ok(_) => assert_eq!(star.plan(&query), want, "{query}"),
            Err(codes) => panic!("{query}: {codes:?}"),
        }
    }
}

#[test]
fn a_defaulted_parameter_has_its_value_and_one_without_must_be_given() {
    let star = Star::with("param split: one of goods.kind, area.region default goods.kind\n");
    let params = |query: &str| star.summary(query).params.into_values().collect::<Vec<_>>();
    assert_eq!(params("show total where quantity > :least"), [Scalar::Integer(3)]);
    assert_eq!(params("show total where quantity > :least given least = 5"), [Scalar::Integer(5)]);
    let both = params("show total where note = :shift given shift = 'late'");
    assert_eq!(both, [Scalar::Integer(3), Scalar::text("late")]);
    assert_eq!(axes(&star.summary("rows :split show total")), ["goods.kind"]);
    assert_eq!(axes(&star.summary("rows :split show total given split = area.region")), ["area.region"]);
    for wrong in [
        "show total given least = 'x'",
        "show total given least = 1.5",
        "show total given nothing = 1",
        "show total given least = quantity",
        "show total given split = goods.name",
        "rows :least show total",
        "rows :missing show total",
        "show total where quantity > :lest",
    ] {
        assert!(star.query(wrong).is_err(), "{wrong}");
    }
}

#[test]
fn a_hierarchy_is_walked_level_by_level() {
    let star = Star::with("hierarchy calendar.walk = year, quarter, month\n");
    let opened = |query: &str| {
        let summary = star.summary(query);
        let count = |opened: &Opened| match opened {
            Opened::These(members) => members.len(),
            Opened::All => usize::MAX,
        };
        let open: Vec<Option<usize>> = summary.axes.iter().map(|a| a.opened.as_ref().map(count)).collect();
        (axes(&summary).iter().map(|s| (*s).to_owned()).collect::<Vec<_>>(), open)
    };
    let (names, open) = opened("rows calendar.walk open '2024', '2024-Q1', '2025' show total");
    assert_eq!(names, ["calendar.year", "calendar.quarter", "calendar.month"]);
    assert_eq!(open, [None, Some(2), Some(1)]);
    let (names, open) = opened("rows area.region, goods.range open 'a' show total");
    assert_eq!(names, ["area.region", "goods.kind", "goods.name"]);
    assert_eq!(open, [None, None, Some(1)]);
    let (names, open) = opened("rows calendar.walk open show total");
    assert_eq!((names, open), (vec!["calendar.year".to_owned()], vec![None]));
    let (names, _) = opened("rows shipped.walk open 2024 show total");
    assert_eq!(names, ["shipped.year", "shipped.quarter"]);
    for wrong in [
        "rows goods.kind open 'a' show total",
        "rows goods.range open 'a', area.region show total",
        "columns goods.range open 'a' show total",
        "rows calendar.walk open 'soon' show total",
        "rows calendar.walk open '2024' show total top 3 calendar.year by total",
    ] {
        assert!(star.query(wrong).is_err(), "{wrong}");
    }
}

#[test]
fn refused_queries_say_one_thing_each() {
    let star = Star::with("");
    let refused = [
        // Nothing to show, or twice the same.
        "rows goods.kind",
        "show",
        "show total, total",
        "show total as a, mean_order as a",
        "rows goods.kind, goods.kind show total",
        "rows goods.kind columns goods.kind show total",
        // Sorting and choosing by what is not there.
        "rows goods.kind show total sort mean_order",
        "rows goods.kind show total sort goods.name",
        "rows goods.kind show total sort 2",
        "rows goods.kind show total top 3 goods.name by total",
        "rows goods.kind show total top 0.5 goods.kind by total",
        "rows goods.kind show total top 3 goods.kind by goods.name",
        "rows goods.kind show total top 3 goods.kind by total within goods.kind",
        "rows goods.kind show total top 3 goods.kind by total within area.region",
        "rows goods.kind show total having total",
        "rows goods.kind show total having goods.kind = 'a' or price > 1",
        // Conditions that are none.
        "show total where quantity",
        "show total where 'paid'",
        "show total where total > 1",
        "show total where sum(price)",
        // Roles.
        "show total via due",
        "show total via ordered, shipped",
        "show total via goods",
        // Brackets that are needed, and words that are left over.
        "show total where paid as x, total",
        "show total pooling goods.kind / 2",
        "show total as",
        "show total keep",
        "show total total",
        "rows show total",
        "",
        ";",
        "show total;",
    ];
    let mut taken = Vec::new();
    for query in refused {
        if let Ok(bound) = star.query(query) {
            taken.push(format!("{query}: {bound:?}"));
        }
    }
    assert!(taken.is_empty(), "{}", taken.join("\n"));
}

#[test]
fn what_is_asked_for_in_vain_is_told_and_left_out() {
    let star = Star::with("");
    let none = star.summary("show total totals on rows");
    assert_eq!((none.totals_on_rows, none.totals_on_columns), (None, None));
    let one_side = star.summary("rows goods.kind show total totals on columns, on rows first");
    assert_eq!((one_side.totals_on_rows, one_side.totals_on_columns), (Some(TotalsPlace::First), None));
    assert!(star.query("rows goods.kind show total totals on rows, on rows first").is_err());
    for query in ["list price from goods", "list goods.kind from shop", "list word from sale"] {
        assert!(star.query(query).is_err() || star.planned(query).0.is_empty(), "{query} is planned");
    }
}

#[test]
fn lists_keep_their_columns_order_and_limit() {
    let star = Star::with("");
    let list = star
        .list(
            "list order_no, price * quantity as value, goods.kind, ordered.month from sale where paid \
               sort value descending, order_no limit 20",
        )
        .unwrap();
    let names: Vec<&str> = list.columns.iter().map(|c| c.name.as_str()).collect();
    assert_eq!(names, ["order_no", "value", "goods.kind", "ordered.month"]);
    assert_eq!(list.limit, Some(20));
    assert_eq!(list.sort.iter().map(|(_, down)| *down).collect::<Vec<_>>(), [true, false]);
    assert_eq!(list.filters.len(), 1);
    // A column may be sorted by that is not shown, and figures with a detail may stand in a row.
    assert!(star.list("list order_no from sale sort price").is_ok());
    assert!(star.list("list order_no, (total per order_no) as order_total from sale").is_ok());
    assert!(star.list("list sku, (total per sku) as sold from goods").is_ok());
    assert!(star.list("list sku, (total per cell) as sold from goods").is_ok());
    for wrong in [
        "list order_no",
        "list from sale",
        "list order_no from nowhere",
        "list order_no from total",
        "list order_no, order_no from sale",
        "list total from sale",
        "list order_no from sale limit -1",
        "list order_no from sale limit 1.5",
        "list order_no from sale limit many",
        "list order_no from sale having total > 1",
        "list order_no from sale where total > 1",
        "list order_no from sale sort missing",
        "list rank(total among goods.kind) as r from goods",
    ] {
        assert!(star.list(wrong).is_err(), "{wrong}");
    }
}

#[test]
fn names_given_in_a_query_are_taken_by_sort_alone() {
    let star = Star::with("");
    assert!(star.query("rows goods.kind as k show total as t sort t descending, k").is_ok());
    assert!(star.query("rows goods.kind as k show total as t having t > 1").is_err());
    assert!(star.query("rows goods.kind as k show total as t where k = 'a'").is_err());
    assert!(star.query("rows goods.kind show total as t, t * 2 as twice").is_err());
    // But a measure that bears the name is meant where it stands.
    assert!(star.query("rows goods.kind show mean_order as total having total > 1").is_ok());
    // An axis by its name is what it is made of: in among, pooling and ranks.
    assert!(star.query("rows extract(month from day) as m show rank(total among m) as r").is_ok());
}

#[test]
fn treatments_are_applied_to_each_figure() {
    let star = Star::with(
        "measure to_date(m) = m during year to date\n  label '{m}, to date'\n\
         measure part_of(m, a: attribute) = m / (m pooling a)\n",
    );
    let summary = star
        .summary("rows goods.kind show total, wanted_all / 2 as half each also to_date, part_of(goods.kind)");
    let names = shown(&summary);
    assert_eq!(
        names,
        [
            "total",
            "to_date(total)",
            "part_of(total, goods.kind)",
            "half",
            "to_date(half)",
            "part_of(half, goods.kind)"
        ]
    );
    for wrong in [
        "show to_date as x",
        "show to_date() as x",
        "show to_date(total, total) as x",
        "show part_of(total) as x",
        "show part_of(total, 3) as x",
        "show part_of(total, shipped) as x",
        "show to_date(price) as x",
        "show total each also nothing",
    ] {
        assert!(star.query(wrong).is_err(), "{wrong}");
    }
}
