//! What is offered can be taken: at any place of any text a completion fits where it goes, and what it names is known.

use crate::common;
use common::demo;
use vembra_editor::{
    CompletionKind, Known, Look, TextKind, complete, describe, goes_on, hint, looks, outline, target_at,
};

/// Queries of every kind; whatever is cut off them, something is being typed.
const QUERIES: [&str; 14] = [
    "rows calendar.year, customer.region columns product.category show revenue, units totals on rows, on columns",
    "rows calendar.month show revenue, (revenue via shipped) as shipped, (revenue during year to date) as so_far",
    "show sum(net where quantity > 2) as x, count(distinct order_no) as n where customer.segment in ('Farm', 'Shop')",
    "rows product.name show revenue top 5 product.name by revenue with ties, rest as 'Other' sort revenue descending",
    "rows customer.name show avg(revenue per order_no) as a having revenue > 100 keep empty",
    "list order_no, product.name, net from order_line where shipped.year = 2025 sort net descending limit 3",
    "rows calendar.quarter show share(revenue among product.category) as s, rank(revenue among calendar.quarter) as r",
    "show case when revenue > 5 then 'large' else 'small' end as size, coalesce(revenue, 0) as c",
    "rows extract(hour from placed_at) as hour show orders given focus_year = 2024",
    "show (revenue pooling product.category) as p, (revenue regardless of all but (calendar.year)) as q",
    "rows :split show revenue given split = calendar.day_of_month",
    "show last(net by ordered_on descending) as l, percentile(net, 0.9) as p, listagg(distinct product.name, ', ') as t",
    "rows customer.\"region\" show revenue -- a remark\n where not (product.name like 'B%' or net is null)",
    "rows customer.segment show revenue each across calendar.year 2025 against 2024 with growth",
];

#[test]
fn completions_fit_where_they_go() {
    let session = demo(60);
    let members = |column| session.star().members(column).unwrap_or_default();
    let known = Known { model: session.model(), members: &members };
    let mut offered = 0;
    for query in QUERIES {
        for at in (0..=query.len()).filter(|at| query.is_char_boundary(*at)) {
            let found = complete(known, TextKind::Query, query, at);
            let replaces = found.replaces.clone();
            assert!(
                replaces.start <= at && at <= replaces.end && replaces.end <= query.len(),
                "{query} at {at}: {replaces:?}"
            );
            assert!(query.is_char_boundary(replaces.start) && query.is_char_boundary(replaces.end));
            let mut texts: Vec<&str> = found.items.iter().map(|i| i.text.as_str()).collect();
            assert!(texts.iter().all(|t| !t.is_empty()), "{query} at {at}");
            texts.sort_unstable();
            texts.dedup();
            assert_eq!(texts.len(), found.items.len(), "{query} at {at}: one is offered twice");
            offered += texts.len();
        }
    }
    assert!(offered > 10_000, "{offered}");
}

/// Codes that say that something is not known, or that the text cannot be read.
fn is_unknown(code: &str) -> bool {
    code.starts_with("V1") || ["V201", "V202", "V203", "V205"].contains(&code)
}

#[test]
fn names_that_are_offered_are_known() {
    let session = demo(60);
    let members = |column| session.star().members(column).unwrap_or_default();
    let known = Known { model: session.model(), members: &members };
    let places = [
        ("rows ", " show revenue"),
        ("columns ", " show revenue"),
        ("rows customer.", " show revenue"),
        ("rows shipped.", " show revenue"),
        ("show ", ""),
        ("show revenue where ", " is null"),
        ("show revenue where customer.", " is null"),
        ("show (revenue via ", ") as x"),
        ("show (revenue pooling ", ") as x"),
        ("show (revenue regardless of ", ") as x"),
        ("show avg(revenue per ", ") as x"),
        ("show sum(", ") as x"),
        ("show count(distinct ", ") as x"),
        ("show count(rows of ", ") as x"),
        ("show min(net by ", ") as x"),
        ("show last(net by ", ") as x"),
        ("show share(revenue among ", ") as x"),
        ("list ", " from order_line"),
        ("list order_no from ", ""),
        ("list order_no from order_line sort ", ""),
        ("rows customer.region show revenue sort ", ""),
        ("rows customer.region show revenue having ", " > 1"),
        ("rows customer.region show revenue top 3 customer.region by ", ""),
        ("show revenue where customer.region = ", ""),
        ("show revenue where customer.region in (", ")"),
        ("show revenue where calendar.weekday = ", ""),
    ];
    let (mut taken, mut wrong) = (0, Vec::new());
    for (before, behind) in places {
        for item in complete(known, TextKind::Query, before, before.len()).items {
            // What opens brackets, or is one of several words, is not complete by itself.
            let whole = !matches!(
                item.kind,
                CompletionKind::Function
                    | CompletionKind::Words
                    | CompletionKind::Other
                    | CompletionKind::Param
            );
            if !whole || item.text.ends_with(['(', '.', ' ']) {
                continue;
            }
            let query = format!("{before}{}{behind}", item.text);
            taken += 1;
            if let Err(error) = session.ask(&query) {
                let unknown = error.diagnostics().iter().find(|d| is_unknown(d.code.as_str()));
                wrong.extend(unknown.map(|d| format!("{query}: {} {}", d.code, d.message)));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {taken}:\n{}", wrong.len(), wrong.join("\n"));
    assert!(taken > 400, "{taken}");
}

#[test]
fn each_name_of_a_query_has_a_meaning_that_can_be_told() {
    let session = demo(60);
    let members = |column| session.star().members(column).unwrap_or_default();
    let known = Known { model: session.model(), members: &members };
    let mut told = 0;
    for query in QUERIES {
        for at in 0..query.len() {
            if let Some((target, span)) =
                target_at(session.model(), TextKind::Query, vembra_syntax::SourceId(0), query, at)
            {
                assert!(span.start <= at && at <= span.end && span.end <= query.len(), "{query} at {at}");
                let text = describe(known, target);
                assert!(text.len() > 10, "{query} at {at}: {text}");
                let name = target.name(session.model());
                let own = name.rsplit('.').next().unwrap_or(&name);
                let written = query[span.start..span.end].trim_matches(['"', ':']);
                assert_eq!(written, own.trim_matches('"'), "{query} at {at}");
                told += 1;
            }
            // A hint may be given anywhere inside brackets, and lies in its own signature.
            if let Some(hint) = hint(session.model(), TextKind::Query, query, at) {
                assert!(!hint.label.is_empty(), "{query} at {at}");
            }
        }
    }
    assert!(told > 300, "{told}");
}

#[test]
fn colours_are_the_whole_text_and_mark_what_is_wrong() {
    for query in QUERIES {
        for at in (0..=query.len()).filter(|at| query.is_char_boundary(*at)) {
            let parts = looks(TextKind::Query, &query[..at]);
            let joined: String = parts.iter().map(|(_, text)| text.as_str()).collect();
            assert_eq!(joined, query[..at]);
        }
        let wrong = looks(TextKind::Query, query).iter().any(|(look, _)| *look == Look::Wrong);
        assert!(!wrong, "{query}");
        assert!(!goes_on(query), "{query}");
    }
    let model = looks(TextKind::Model, vembra_demo::MODEL);
    let joined: String = model.iter().map(|(_, text)| text.as_str()).collect();
    assert_eq!(joined, vembra_demo::MODEL);
    assert!(model.iter().all(|(look, _)| *look != Look::Wrong));
    for (text, wrong) in [("show § revenue", "§"), ("show revenue revenue", "revenue")] {
        let parts = looks(TextKind::Query, text);
        assert!(parts.iter().any(|(look, part)| *look == Look::Wrong && part == wrong), "{text}: {parts:?}");
    }
}

#[test]
fn a_query_goes_on_where_something_is_still_to_come() {
    for text in [
        "show",
        "show ",
        "rows",
        "rows calendar.year",
        "rows calendar.year,",
        "show sum(",
        "show sum(net",
        "show (revenue via",
        "show revenue where",
        "show revenue where net >",
        "show revenue where net in (1,",
        "show case when net > 1",
        "list order_no from",
        "show revenue sort",
        "rows calendar.year show revenue totals",
        "show (revenue during last",
    ] {
        assert!(goes_on(text), "{text}");
    }
    for text in [
        "show revenue",
        "shw revenue",
        "show revenue)",
        "show revenue where net > 1",
        "list order_no from order_line",
        "show revenue; x",
        "§",
    ] {
        assert!(!goes_on(text), "{text}");
    }
}

#[test]
fn outlines_hold_each_declaration_once_and_in_order() {
    let symbols = outline(vembra_demo::MODEL);
    let starts: Vec<usize> = symbols.iter().map(|s| s.span.start).collect();
    assert!(starts.windows(2).all(|w| w[0] < w[1]));
    // Each line that starts in the first column is a declaration, but for remarks.
    let mut at = 0;
    let mut declared = Vec::new();
    for line in vembra_demo::MODEL.split_inclusive('\n') {
        if line.starts_with(|c: char| c.is_alphabetic()) {
            declared.push(at);
        }
        at += line.len();
    }
    assert_eq!(starts, declared);
    for symbol in &symbols {
        let text = &vembra_demo::MODEL[symbol.span.start..symbol.span.end];
        assert!(text.starts_with(&symbol.word), "{symbol:?}");
        assert!(
            symbol.span.start <= symbol.name_place.start && symbol.name_place.end <= symbol.span.end,
            "{symbol:?}"
        );
    }
}
