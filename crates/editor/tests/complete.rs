//! Completion and hints, with `|` where the cursor is.

use crate::common;
use common::demo;
use vembra::Session;
use vembra_editor::{Known, SIGNATURES, TextKind, complete, hint};

/// The texts offered at the cursor.
fn offered(session: &Session, kind: TextKind, text: &str) -> Vec<String> {
    let at = text.find('|').expect("a cursor");
    let members = |column| session.star().members(column).unwrap_or_default();
    let known = Known { model: session.model(), members: &members };
    complete(known, kind, &text.replacen('|', "", 1), at).items.into_iter().map(|i| i.text).collect()
}

/// Each text with what must be offered first, in this order, and what must not be offered at all.
const QUERIES: &[(&str, &[&str], &[&str])] = &[
    ("|", &["rows", "columns", "show", "list"], &["rows of", "revenue"]),
    ("sh|", &["show"], &["rows"]),
    ("show |", &["revenue"], &["customer.region", "rows"]),
    ("show rev|", &["revenue", "revenue_shipped", "revenue_to_date"], &["units"]),
    ("show shipped|", &["revenue_shipped"], &[]),
    ("show revenue |", &["rows", "columns"], &["show", "limit", "list"]),
    ("show (revenue v|", &["via"], &[]),
    ("show (revenue via |", &["ordered", "shipped", "due"], &["customer", "revenue"]),
    ("show (revenue during |", &["last", "all", "year to date"], &["revenue"]),
    ("show (revenue per |", &["product", "customer", "order_time"], &["revenue", "order_line"]),
    ("show (revenue pe|", &["per"], &["for", "each"]),
    ("show (revenue ov|", &["overall"], &["all"]),
    ("show (revenue pooling |", &["product.sku"], &["revenue"]),
    ("show revenue where reg|", &["customer.region"], &["revenue_shipped"]),
    ("show revenue where customer.|", &["code", "name", "segment", "town", "region"], &["sku"]),
    (
        "show revenue where customer.region = |",
        &["'Dunlow'", "'Oskell'", "'Quillon'", "'Sarrow'", "'Tambeck'", "'Wendry'"],
        &[],
    ),
    ("show revenue where customer.region = 'du|", &["'Dunlow'"], &["'Tambeck'"]),
    ("show revenue where customer.region in ('Tambeck', 's|", &["'Sarrow'"], &["'Tambeck'"]),
    ("show revenue where shipped.weekday = 'S|", &["'Saturday'", "'Sunday'"], &["'Monday'"]),
    ("show count(rows of order_line where extract(w| from order_date) = 'Monday')", &["weekday"], &["week"]),
    (
        "show count(rows of order_line where start_of(f|, order_date) = '2025-04-01')",
        &["fiscal_year", "fiscal_quarter", "fiscal_month"],
        &["weekday"],
    ),
    ("rows shipped.m|", &["month", "month_of_year"], &["year", "rows"]),
    ("rows :s|", &[":split"], &[":focus_year"]),
    ("rows calendar.month show revenue totals |", &["on rows", "on columns"], &["revenue"]),
    ("rows customer.segment show revenue figures |", &["on rows", "on columns"], &["revenue"]),
    ("show revenue each across |", &["product.sku", "product.name"], &["revenue", "rows"]),
    ("show revenue where interest.interest = 'T|", &["'Teaching'"], &["'Candles'"]),
    ("rows interest.|", &["customer_code", "interest"], &["sku"]),
    ("show working_d|", &["working_days(", "working_day("], &[]),
    ("rows calendar.month show revenue as takings sort t|", &["takings"], &[]),
    ("show sum(q|", &["quantity"], &["revenue"]),
    ("show count(rows of o|", &["order_time", "order_line"], &["orders"]),
    ("show revenue given f|", &["focus_year"], &["as_of"]),
    ("show share(revenue am|", &["among"], &[]),
    ("list order_no from |", &["product", "customer"], &["calendar.month"]),
    ("show revenue -- not h|", &[], &["having", "rows"]),
    ("show revenue where customer.region = 'Dunlow'|", &[], &["'Dunlow'", "and"]),
];

const MODELS: &[(&str, &[&str], &[&str])] = &[
    ("|", &["time", "locale", "currency", "calendar", "dimension", "fact"], &["rows", "revenue"]),
    ("measure x = sum(net)\nme|", &["measure"], &["margin"]),
    ("measure x = sum(net) |", &["where", "via"], &["rows", "show"]),
    ("measure x = sum(net)\n  la|", &["label"], &[]),
    ("column order_line.x = q|", &["quantity"], &["revenue"]),
    ("link order_line.sku to p|", &["product"], &["product.sku"]),
    ("link order_line.s|", &["sku", "shipped_on"], &["product.sku"]),
    ("fact x from 'x.csv' |", &["key", "missing", "separated by"], &["revenue"]),
    ("report a 'b' = rows calendar.month show revenue dr|", &["drawn as"], &[]),
    ("report a 'b' = rows calendar.month show revenue drawn as |", &["table", "number", "line"], &["along"]),
    ("report a 'b' = rows calendar.month show revenue drawn as line al|", &["along"], &["all"]),
    ("dashboard a 'b' row 1: best|", &["best_products"], &[]),
    ("dashboard a 'b' 1280 by 800 |", &["about", "switch", "row"], &["show"]),
    ("param x: d|", &["decimal", "date"], &["day"]),
    ("treat V521 as |", &["error", "warning", "note"], &[]),
    ("calendar covering order_line.ordered_on fiscal year starts o|", &["october"], &[]),
    ("column customer.segment order 'C|", &["'Club'"], &["'Farm'"]),
    ("assert 'x' seen by s|", &["sarrow_desk"], &[]),
    ("viewer v sees only customer.region = 'T|", &["'Tambeck'"], &[]),
];

/// What is offered of measures with arguments, and inside of them.
#[test]
fn treatments_are_offered_with_their_arguments() {
    let session = demo(300);
    let session = session
        .with_declarations(
            "measure grown(m) = m during year to date\nmeasure piece(m, a: attribute) = m / (m pooling a)\n\
             measure dated(m, r: role) = m via r",
        )
        .expect("a model");
    let cases: [(TextKind, &str, &[&str]); 9] = [
        (TextKind::Query, "show grown|", &["grown("]),
        (TextKind::Query, "show revenue each also grown|", &["grown"]),
        (TextKind::Query, "show revenue each also pie|", &["piece("]),
        (TextKind::Query, "show piece(revenue, customer.r|", &["region"]),
        (TextKind::Query, "show dated(revenue, sh|", &["shipped"]),
        (TextKind::Query, "show revenue ea|", &["each also"]),
        (TextKind::Model, "measure odd(figure_m) = fi|", &["figure_m"]),
        (TextKind::Model, "measure odd(m, a: at|", &["attribute"]),
        (TextKind::Model, "measure odd(m, some: attribute) = m pooling so|", &["some"]),
    ];
    for (kind, text, wanted) in cases {
        let found = offered(&session, kind, text);
        assert!(found.iter().zip(wanted).all(|(f, w)| f == w) && !found.is_empty(), "{text}: {found:?}");
    }
    let hint =
        |text: &str| hint(session.model(), TextKind::Query, text, text.len()).map(|h| (h.label, h.active));
    assert_eq!(hint("show piece(revenue, "), Some(("piece(m, a: attribute)".to_owned(), Some(1))));
    assert_eq!(hint("show revenue each also piece("), Some(("piece(m, a: attribute)".to_owned(), Some(1))));
}

#[test]
fn what_may_stand_at_a_place_is_offered() {
    let session = demo(300);
    let kinds = [(TextKind::Query, QUERIES), (TextKind::Model, MODELS)];
    let mut wrong = Vec::new();
    for (kind, cases) in kinds {
        for (text, first, never) in cases {
            let found = offered(&session, kind, text);
            let leads = found.iter().zip(first.iter()).all(|(f, w)| f == w) && found.len() >= first.len();
            let clean = never.iter().all(|n| !found.iter().any(|f| f == n));
            if !leads || !clean {
                wrong.push(format!("{text}\n  offers {:?}", found.iter().take(12).collect::<Vec<_>>()));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// What is offered is never refused: put into the text, it makes no error that was not there.
#[test]
fn what_is_offered_reads_without_a_new_error() {
    let session = demo(300);
    for (text, _, _) in QUERIES {
        let at = text.find('|').expect("a cursor");
        let plain = text.replacen('|', "", 1);
        let members = |column| session.star().members(column).unwrap_or_default();
        let known = Known { model: session.model(), members: &members };
        let found = complete(known, TextKind::Query, &plain, at);
        for item in found.items.iter().step_by(7) {
            let mut whole = plain.clone();
            whole.replace_range(found.replaces.clone(), &item.text);
            let end = found.replaces.start + item.text.len();
            let parsed = vembra::inside::parse_query(vembra::SourceId(0), &whole);
            let open = |d: &vembra::Diagnostic| d.labels.iter().any(|l| l.span.start >= end);
            let before = vembra::inside::parse_query(vembra::SourceId(0), &plain[..found.replaces.start]);
            let wrong = parsed.diagnostics.iter().find(|d| !open(d) && !before.diagnostics.contains(d));
            assert_eq!(wrong, None, "{} in {whole}", item.text);
        }
    }
}

/// The queries that the documents ask of the demo.
fn documented() -> Vec<String> {
    let docs = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let mut found = Vec::new();
    for file in ["reference.md", "guide.md"] {
        let text = std::fs::read_to_string(docs.join(file)).expect("the document is there");
        let asked = text.lines().filter_map(|l| l.strip_prefix("$ vembra ask demo/bees.vembra \""));
        found.extend(asked.filter_map(|l| Some(l.rsplit_once('"')?.0.to_owned())));
    }
    found
}

/// At 2,000 places in the documented queries, and in words begun there: what is offered makes no error of its own, neither of the parser
/// nor of names.
#[test]
fn nothing_is_offered_that_is_refused() {
    let session = demo(300);
    let members = |column| session.star().members(column).unwrap_or_default();
    let known = Known { model: session.model(), members: &members };
    let places: Vec<(String, usize)> = documented()
        .into_iter()
        .flat_map(|query| (0..=query.len()).map(|at| (query.clone(), at)).collect::<Vec<_>>())
        .filter(|(query, at)| query.is_char_boundary(*at))
        .collect();
    let step = (places.len() / 2_000).max(1);
    let (mut tried, mut wrong) = (0, Vec::new());
    for (number, (query, at)) in places.iter().step_by(step).enumerate() {
        // What stood behind is not there yet: it would fit what stood here, not what is offered.
        let text = &query[..*at];
        let found = complete(known, TextKind::Query, text, *at);
        tried += 1;
        for item in found.items.iter().skip(number % 5).step_by(9).take(3) {
            let mut whole = text.to_owned();
            whole.replace_range(found.replaces.clone(), &item.text);
            let (start, end) = (found.replaces.start, found.replaces.start + item.text.len());
            let mut sources = session.model().sources.clone();
            let source = sources.add("query", whole.as_str());
            let parsed = vembra::inside::parse_query(source, &whole);
            let before = vembra::inside::parse_query(source, &text[..start]).diagnostics.len();
            let within = |d: &vembra::Diagnostic| {
                d.labels.iter().any(|l| l.span.source == source && l.span.start < end && l.span.end > start)
            };
            let refused = parsed.diagnostics.iter().find(|d| before == 0 && within(d)).cloned();
            let given = std::collections::BTreeMap::new();
            let (_, bound) = vembra::inside::ask(session.model(), &sources, source, &parsed.root, &given);
            let is_name = |d: &&vembra::Diagnostic| {
                matches!(d.code.as_str(), "V201" | "V202" | "V203" | "V204" | "V208" | "V209") && within(d)
            };
            if let Some(refused) = refused.or_else(|| bound.iter().find(is_name).cloned()) {
                wrong.push(format!("{} {}: {} in {whole}", refused.code, refused.message, item.text));
            }
        }
    }
    assert!(tried >= 2_000, "{tried} places");
    assert!(wrong.is_empty(), "{} refused:\n{}", wrong.len(), wrong.join("\n"));
}

/// Wherever the cursor stands in any text, right or broken, there is an answer.
#[test]
fn every_place_has_an_answer() {
    let session = demo(300);
    let members = |_| Vec::new();
    let known = Known { model: session.model(), members: &members };
    let texts =
        ["rows „x“ show (revenue during 'é' via, )", "list a.b.c from where 'it''s", "show \"Ship To\" :x :"];
    for text in texts {
        for at in 0..=text.len() + 2 {
            for kind in [TextKind::Query, TextKind::Model] {
                let found = complete(known, kind, text, at);
                assert!(found.replaces.end <= text.len() && text.is_char_boundary(found.replaces.start));
                hint(session.model(), kind, text, at);
            }
        }
    }
}

#[test]
fn the_next_argument_is_told() {
    let session = demo(300);
    let cases = [
        ("show sum(|", "sum(value from TABLE where CONDITION)", Some("value")),
        ("show percentile(net, |", "percentile(value, part from TABLE where CONDITION)", Some("part")),
        ("show first(net by |", "first(value by order from TABLE where CONDITION)", Some("by order")),
        ("show sum(net where |", "sum(value from TABLE where CONDITION)", None),
        ("show rank(revenue among |", "rank(figure among attribute)", Some("among attribute")),
        ("show coalesce(revenue, (units + 1), orders, |", "coalesce(value, value …)", Some("value …")),
        ("show round(abs(|", "abs(number)", Some("number")),
        ("show round(abs(x), |", "round(number, decimals)", Some("decimals")),
        ("show extract(|", "extract(unit from date)", Some("unit")),
        ("show cast(net as |", "cast(value as type)", Some("as type")),
    ];
    for (text, label, active) in cases {
        let at = text.find('|').expect("a cursor");
        let found = hint(session.model(), TextKind::Query, &text.replacen('|', "", 1), at).expect(text);
        let argument = found.active.map(|a| &found.label[found.arguments[a].clone()]);
        assert_eq!((found.label.as_str(), argument), (label, active), "{text}");
    }
    assert_eq!(hint(session.model(), TextKind::Query, "show (revenue ", 14), None);
    assert_eq!(hint(session.model(), TextKind::Query, "show sum(net) ", 14), None);
}

/// Every function that the language knows has a signature, and no other has.
#[test]
fn every_function_has_a_signature() {
    let session = demo(300);
    for signature in SIGNATURES {
        let query = format!("show {}()", signature.name);
        let failure = session.ask(&query).expect_err("no arguments");
        let unknown = failure.diagnostics().iter().any(|d| d.message.contains("no function"));
        assert!(!unknown, "{}: {failure}", signature.name);
    }
    let reference = include_str!("../../../docs/reference.md");
    let listed = reference.split("Functions: `").nth(1).and_then(|r| r.split('`').next()).expect("a list");
    for name in listed.split_whitespace() {
        assert!(SIGNATURES.iter().any(|s| s.name == name), "{name} has no signature");
    }
}
