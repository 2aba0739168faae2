//! Answers that must be related to one another, whatever the data: a total to the query without its axes, parts to their whole, doubled rows to
//! single ones. The reference shares names, routes and details with the engine; these relations share nothing with either.

use crate::{Random, stars};
use std::collections::BTreeMap;
use vembra::{Answer, Options, Scalar, Session};

/// Attributes of which each sale has one member.
const AXES: [&str; 14] = [
    "calendar.year",
    "calendar.month",
    "calendar.quarter",
    "calendar.weekday",
    "shipped.month",
    "buyer.area",
    "payer.area",
    "area.zone",
    "buyer.code",
    "item.label",
    "sale.line",
    "sale.by_big",
    "buyer.worth",
    "quote.listed",
];
/// Figures that follow their cell and nothing else.
const FIGURES: [&str; 16] = [
    "sum(quantity)",
    "sum(net)",
    "count(rows of sale)",
    "count(quantity)",
    "count(distinct sent_to)",
    "min(price)",
    "max(net)",
    "avg(quantity)",
    "median(price)",
    "listagg(distinct item.label from sale)",
    "any(quantity > 5)",
    "every(quantity > 2)",
    "last(quantity by ordered)",
    "mean_price",
    "sum(quantity where price > 10)",
    "avg(revenue per sent_to)",
];
/// Figures of which a whole is the sum of its parts.
const SUMS: [&str; 5] =
    ["sum(quantity)", "sum(net)", "count(rows of sale)", "count(price)", "sum(net where quantity > 2)"];
/// Conditions on sales.
const CONDITIONS: [&str; 14] = [
    "quantity > 2",
    "price * quantity > 20",
    "sale.shipped > sale.ordered",
    "payer.area <> receiver.area",
    "buyer.age >= 30",
    "vip",
    "area.zone like 'n%'",
    "calendar.weekday = 'Monday'",
    "calendar.year = 2024",
    "item.label in ('axe', 'cup')",
    "quote.listed > price",
    "coalesce(discount, 0) = 0",
    "paid_by = sent_to",
    "shipped.month = '2024-02'",
];

/// The lines of a summary: of each its members and its figures; totals apart from details.
type Lines = BTreeMap<String, Vec<Scalar>>;

fn lines(session: &Session, query: &str) -> Lines {
    let reply = session.ask(query).unwrap_or_else(|e| panic!("{query}\n{e}"));
    let Answer::Summary(summary) = reply.answer else { panic!("{query} is no summary") };
    let line = |line: vembra::Line| {
        let members: Vec<String> = line.rows.iter().chain(&line.columns).map(ToString::to_string).collect();
        (members.join("|"), line.cells.into_iter().map(|cell| cell.value).collect())
    };
    summary.lines.into_iter().map(line).collect()
}

/// The figures of a query without axes.
fn figures(session: &Session, query: &str) -> Vec<Scalar> {
    lines(session, query).into_values().next().unwrap_or_default()
}

fn near(a: &Scalar, b: &Scalar) -> bool {
    match (a.to_f64(), b.to_f64()) {
        (Some(x), Some(y)) => (x - y).abs() <= 1e-9 * x.abs().max(1.0),
        _ => a == b,
    }
}

fn same(told: &str, found: &[Scalar], wanted: &[Scalar]) {
    let alike = found.len() == wanted.len() && found.iter().zip(wanted).all(|(a, b)| near(a, b));
    assert!(alike, "{told}\nfound  {found:?}\nwanted {wanted:?}");
}

fn number(value: &Scalar) -> f64 {
    value.to_f64().unwrap_or(0.0)
}

/// Calls a test for some stars, each with numbers of its own.
fn stars(count: u64, mut test: impl FnMut(&stars::Generated, &Session, &mut Random)) {
    for seed in 1..=count {
        let mut random = Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15));
        let star = stars::star(&mut random).arranged(seed);
        let session = star.session(Options::default());
        test(&star, &session, &mut random);
    }
}

#[test]
fn a_total_is_the_query_without_its_axes() {
    let shown = FIGURES
        .map(|f| format!("({f})"))
        .iter()
        .enumerate()
        .map(|(at, f)| format!("{f} as f{at}"))
        .collect::<Vec<_>>()
        .join(", ");
    stars(12, |_, session, random| {
        for _ in 0..6 {
            let (a, b) = (random.pick(&AXES), random.pick(&AXES));
            let condition = random.pick(&CONDITIONS);
            let axes = if a == b { format!("rows {a}") } else { format!("rows {a}, {b}") };
            let split = lines(session, &format!("{axes} show {shown} where {condition} totals on rows"));
            let total = split.iter().find(|(members, _)| members.split('|').all(|m| m == "Total"));
            let Some((_, total)) = total else { continue };
            let whole = figures(session, &format!("show {shown} where {condition}"));
            same(&format!("{axes} where {condition}"), total, &whole);
        }
    });
}

#[test]
fn a_line_is_the_query_on_its_member_alone() {
    stars(12, |_, session, random| {
        for _ in 0..5 {
            let (axis, figure) = (random.pick(&AXES), random.pick(&FIGURES));
            for (member, found) in lines(session, &format!("rows {axis} show ({figure}) as f")) {
                if member.starts_with('(') {
                    continue;
                }
                let quoted = if axis == "quote.listed" { member.clone() } else { format!("'{member}'") };
                let alone = figures(session, &format!("show ({figure}) as f where {axis} = {quoted}"));
                same(&format!("({figure}) at {axis} = {quoted}"), &found, &alone);
            }
        }
    });
}

#[test]
fn parts_that_a_condition_makes_are_the_whole() {
    stars(12, |_, session, random| {
        for _ in 0..8 {
            let (figure, condition, axis) =
                (random.pick(&SUMS), random.pick(&CONDITIONS), random.pick(&AXES));
            let query = format!(
                "rows {axis} show ({figure}) as whole, (({figure}) where {condition}) as yes, (({figure}) where not ({condition})) as no, \
                 (({figure}) where ({condition}) is null) as unclear totals on rows"
            );
            for (members, f) in lines(session, &query) {
                let parts = number(&f[1]) + number(&f[2]) + number(&f[3]);
                assert!((number(&f[0]) - parts).abs() < 1e-6, "{query} at {members}: {f:?}");
            }
        }
    });
}

#[test]
fn sums_over_details_are_sums_over_rows() {
    let keys = [
        "sent_to",
        "sale.line",
        "(sale.line, sale.no)",
        "buyer.code",
        "buyer.area",
        "area.zone",
        "calendar.month",
        "(sent_to, calendar.quarter)",
        "item.label",
    ];
    stars(12, |_, session, random| {
        for _ in 0..6 {
            let (figure, key, axis) = (random.pick(&SUMS), random.pick(&keys), random.pick(&AXES));
            let inner = random.pick(&keys);
            let query = format!(
                "rows {axis} show ({figure}) as a, (sum(({figure}) per {key})) as b, (sum((sum(({figure}) per {key})) per {inner})) as c, \
                 (({figure}) per cell) as d totals on rows"
            );
            for (members, f) in lines(session, &query) {
                let all = f.iter().all(|x| (number(x) - number(&f[0])).abs() < 1e-6);
                assert!(all, "{query} at {members}: {f:?}");
            }
            // Of the counts of a detail the largest is no larger than their sum, and the smallest no larger than their mean.
            let query = format!(
                "rows {axis} show (sum((count(rows of sale)) per {key})) as n, (max((count(rows of sale)) per {key})) as most, \
                 (avg((count(rows of sale)) per {key})) as mean, (min((count(rows of sale)) per {key})) as least"
            );
            for (members, f) in lines(session, &query) {
                let [n, most, mean, least] = [0, 1, 2, 3].map(|at| number(&f[at]));
                assert!(
                    least <= mean + 1e-9 && mean <= most + 1e-9 && most <= n,
                    "{query} at {members}: {f:?}"
                );
            }
        }
    });
}

#[test]
fn shares_and_running_sums_come_to_the_whole() {
    stars(12, |_, session, random| {
        for _ in 0..5 {
            let axis = random.pick(&AXES);
            let query = format!(
                "rows {axis} show (count(rows of sale)) as n, share(count(rows of sale) among {axis}) as s, \
                 running(count(rows of sale) by {axis}) as r, rank(count(rows of sale) among {axis}) as k, lag(count(rows of sale) by {axis}) as l"
            );
            let reply = session.ask(&query).unwrap_or_else(|e| panic!("{query}\n{e}"));
            let Answer::Summary(summary) = reply.answer else { panic!("{query} is no summary") };
            let rows: Vec<Vec<f64>> =
                summary.lines.iter().map(|l| l.cells.iter().map(|c| number(&c.value)).collect()).collect();
            if rows.is_empty() {
                continue;
            }
            let total: f64 = rows.iter().map(|f| f[0]).sum();
            let shares: f64 = rows.iter().map(|f| f[1]).sum();
            assert!((shares - 1.0).abs() < 1e-9, "{query}: shares come to {shares}");
            // Lines of members that are missing stand apart; the others run on in order.
            let mut so_far = 0.0;
            for (at, f) in rows.iter().enumerate() {
                so_far += f[0];
                assert!((f[2] - so_far).abs() < 1e-9, "{query}: line {at} runs to {} and not {so_far}", f[2]);
                let before = if at == 0 { 0.0 } else { rows[at - 1][0] };
                assert!((f[4] - before).abs() < 1e-9, "{query}: line {at} follows {before}");
                let larger = rows.iter().filter(|other| other[0] > f[0]).count() as f64;
                assert!((f[3] - larger - 1.0).abs() < 1e-9, "{query}: line {at} has rank {}", f[3]);
            }
            assert!((so_far - total).abs() < 1e-9);
        }
    });
}

#[test]
fn date_ranges_are_sums_of_the_months_that_they_are_made_of() {
    stars(10, |_, session, random| {
        let figure = random.pick(&SUMS);
        let query = format!(
            "rows calendar.year, calendar.month show ({figure}) as f, (({figure}) during year to date) as ytd, (({figure}) during whole year) as y, \
             (({figure}) during 1 month earlier) as m, (({figure}) during last 2 months) as two, (({figure}) during all before) as b keep empty"
        );
        let Answer::Summary(summary) = session.ask(&query).unwrap().answer else { panic!("no summary") };
        let months: Vec<(String, Vec<Scalar>)> = summary
            .lines
            .iter()
            .filter(|l| !l.rows.iter().any(|m| m.to_string().starts_with('(')))
            .map(|l| (l.rows[0].to_string(), l.cells.iter().map(|c| c.value.clone()).collect()))
            .collect();
        let mut all = 0.0;
        for at in 0..months.len() {
            let (year, f) = &months[at];
            let told = |what: &str| format!("{query}: {what} of month {at} of {year}: {f:?}");
            let own: Vec<f64> =
                months[..=at].iter().filter(|(y, _)| y == year).map(|(_, f)| number(&f[0])).collect();
            let whole: f64 = months.iter().filter(|(y, _)| y == year).map(|(_, f)| number(&f[0])).sum();
            // Behind the last day with data nothing is to date.
            if !f[1].is_null() {
                assert!((number(&f[1]) - own.iter().sum::<f64>()).abs() < 1e-6, "{}", told("year to date"));
            }
            assert!((number(&f[2]) - whole).abs() < 1e-6, "{}", told("the whole year"));
            let before = if at == 0 { 0.0 } else { number(&months[at - 1].1[0]) };
            assert!((number(&f[3]) - before).abs() < 1e-6, "{}", told("a month earlier"));
            assert!((number(&f[4]) - before - number(&f[0])).abs() < 1e-6, "{}", told("two months"));
            assert!((number(&f[5]) - all).abs() < 1e-6, "{}", told("all before"));
            all += number(&f[0]);
        }
        assert!(months.len() == 16, "{}", months.len());
    });
}

#[test]
fn a_role_asked_for_is_a_role_pinned() {
    stars(12, |_, session, random| {
        for role in ["ordered", "shipped"] {
            for attribute in ["year", "month", "weekday", "fiscal_quarter"] {
                let figure = random.pick(&FIGURES);
                let asked =
                    lines(session, &format!("rows calendar.{attribute} show ({figure}) as f via {role}"));
                let pinned = lines(session, &format!("rows {role}.{attribute} show ({figure}) as f"));
                assert_eq!(
                    asked.keys().collect::<Vec<_>>(),
                    pinned.keys().collect::<Vec<_>>(),
                    "{figure} by {role}"
                );
                for (member, found) in asked {
                    same(&format!("({figure}) at {member} by {role}"), &found, &pinned[&member]);
                }
            }
        }
        for role in ["payer", "receiver"] {
            let figure = random.pick(&FIGURES);
            let asked = lines(session, &format!("rows buyer.area show ({figure}) as f via {role}"));
            let pinned = lines(session, &format!("rows {role}.area show ({figure}) as f"));
            for (member, found) in asked {
                same(&format!("({figure}) at {member} by {role}"), &found, &pinned[&member]);
            }
        }
    });
}

#[test]
fn what_a_viewer_sees_is_what_his_condition_leaves() {
    stars(10, |_, session, random| {
        for (viewer, condition) in [
            ("clerk", "item.no < 3"),
            // A limit on an attribute holds by every role: whoever is named must be seen, and one must be named.
            (
                "elders",
                "(payer.age >= 30 and payer.vip or paid_by is null) and (receiver.age >= 30 and receiver.vip or sent_to is null) \
                 and (payer.age >= 30 and payer.vip or receiver.age >= 30 and receiver.vip)",
            ),
        ] {
            let seen = session.seen_by(viewer).unwrap();
            let (axis, figure) = (random.pick(&AXES), random.pick(&FIGURES[..9]));
            // Columns worked out over other rows change with what is seen; of those that are read as they are nothing does.
            if ["sale.by_big", "buyer.worth"].contains(&axis) {
                continue;
            }
            let own = lines(&seen, &format!("rows {axis} show ({figure}) as f"));
            let left = lines(session, &format!("rows {axis} show ({figure}) as f where {condition}"));
            // Whom he may not see is not known to him: such members are no lines of his.
            for (member, found) in own {
                let Some(wanted) = left.get(&member) else {
                    panic!("{viewer} sees {axis} = {member}: {found:?}")
                };
                same(&format!("{viewer}: ({figure}) at {axis} = {member}"), &found, wanted);
            }
            let whole = figures(&seen, &format!("show (({figure}) regardless of all) as f"));
            let wanted = figures(session, &format!("show ({figure}) as f where {condition}"));
            same(&format!("{viewer}: ({figure}) regardless of all"), &whole, &wanted);
        }
    });
}

#[test]
fn rows_twice_are_sums_twice_and_all_else_once() {
    let once = [
        "count(distinct sent_to)",
        "min(price)",
        "max(net)",
        "avg(quantity)",
        "listagg(distinct item.label from sale)",
        "any(quantity > 5)",
        "every(quantity > 2)",
        "mean_price",
        "median(price)",
    ];
    stars(10, |star, session, random| {
        let doubled = star.doubled().session(Options::default());
        for _ in 0..5 {
            let (axis, condition) = (random.pick(&AXES[..11]), random.pick(&CONDITIONS));
            // Columns that sum over all sales are not the same over twice as many.
            if axis == "sale.by_big" {
                continue;
            }
            let (sum, other) = (random.pick(&SUMS), random.pick(&once));
            let query =
                format!("rows {axis} show ({sum}) as s, ({other}) as o where {condition} totals on rows");
            let (one, two) = (lines(session, &query), lines(&doubled, &query));
            assert_eq!(one.keys().collect::<Vec<_>>(), two.keys().collect::<Vec<_>>(), "{query}");
            for (members, f) in one {
                let twice = &two[&members];
                assert!(
                    (number(&f[0]) * 2.0 - number(&twice[0])).abs() < 1e-6,
                    "{query} at {members}: {f:?} {twice:?}"
                );
                same(&format!("{query} at {members}"), &twice[1..], &f[1..]);
            }
        }
    });
}

#[test]
fn the_order_of_rows_says_nothing() {
    stars(10, |star, session, random| {
        let turned = star.reversed().session(Options::default());
        for _ in 0..6 {
            let query = crate::queries::query(random);
            // What orders rows by what is equal may take either.
            let (Ok(one), Ok(two)) = (session.ask(&query), turned.ask(&query)) else { continue };
            let (Answer::Summary(one), Answer::Summary(two)) = (one.answer, two.answer) else { continue };
            let told = |summary: &vembra::Summary| {
                let line = |l: &vembra::Line| (format!("{:?}{:?}", l.rows, l.columns), l.cells.clone());
                let mut all: Vec<_> = summary.lines.iter().map(line).collect();
                all.sort_by(|a, b| a.0.cmp(&b.0));
                all
            };
            let (one, two) = (told(&one), told(&two));
            assert_eq!(one.len(), two.len(), "{query}\n{}", star.text());
            for ((a, f), (b, g)) in one.iter().zip(&two) {
                assert_eq!(a, b, "{query}");
                let alike = f.iter().zip(g).all(|(x, y)| near(&x.value, &y.value));
                assert!(alike, "{query} at {a}: {f:?} {g:?}\n{}", star.text());
            }
        }
    });
}
