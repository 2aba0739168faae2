//! One broken declaration does not hide its neighbours: whatever is done to it, what stands before and behind is read as if it were whole, and
//! what is said of it points into it.
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

use std::fmt::Write;
use vembra_syntax::{Parsed, SourceId, SyntaxNode, parse_model, parse_query};

/// A declaration of each kind.
const KINDS: [&str; 22] = [
    "currency 'EUR'",
    "calendar from '2024-01-01' to '2025-12-31'\n    fiscal year starts october",
    "dimension shop from 'shop.csv' separated by ';' key code",
    "fact sale from 'sale.csv'",
    "link (sale.code, sale.day) to shop as of since until gone as sold default",
    "bridge taste.sku to goods",
    "hierarchy shop.places = region, town",
    "column sale.net = quantity * price * (1 - discount)\n    about 'after discount'\n    format '0.00'",
    "column shop.kind\n    order 'Club', 'Farm'",
    "column shop.code: text",
    "measure total = sum(net where net > 0)\n    label 'Total'\n    subtotal = max(net)\n        format '0'",
    "measure growth(m, n: integer) = (m - (m during 1 year earlier matched)) / m",
    "param least: integer default 3",
    "param split: one of shop.kind, shop.town default shop.kind",
    "viewer north sees only shop.region = 'north'",
    "derived big key code = rows shop.code show total where net > 5",
    "derived lines_of = list code, net from sale where net > 5",
    "assert 'a' per calendar.month: total >= 0 within 0.01",
    "assert 'b': (rows shop.code show total) matches (rows shop.code show total)",
    "accept V520 on shop.code because 'known'",
    "report r = rows shop.kind show total drawn as bars",
    "include 'more.vembra'",
];

const BEFORE: &str = "measure before_it = sum(amount) where a = 1\n";
const BEHIND: &str = "measure behind_it = avg(amount per shop)\n";

/// The trees of the first and the last declaration, without the blanks around them.
fn neighbours(parsed: &Parsed) -> (String, String) {
    let told = |node: Option<SyntaxNode>| {
        let mut told = String::new();
        for node in node.into_iter().flat_map(|n| n.descendants_with_tokens().collect::<Vec<_>>()) {
            let text = node.as_token().map_or_else(String::new, |t| t.text().trim().to_owned());
            write!(told, "{:?} {text};", node.kind()).unwrap();
        }
        told.replace("Whitespace ;", "")
    };
    let named = |name: &str| parsed.root.children().find(|n| n.text().to_string().contains(name));
    (told(named("before_it")), told(named("behind_it")))
}

fn check(broken: &str) -> usize {
    let text = format!("{BEFORE}{broken}\n{BEHIND}");
    let parsed = parse_model(SourceId::default(), &text);
    assert_eq!(parsed.root.to_string(), text);
    let whole = parse_model(SourceId::default(), &format!("{BEFORE}{BEHIND}"));
    assert!(whole.diagnostics.is_empty(), "{:?}", whole.diagnostics);
    assert_eq!(neighbours(&parsed), neighbours(&whole), "{broken}");
    let (start, end) = (BEFORE.len(), BEFORE.len() + broken.len() + 1);
    for diagnostic in &parsed.diagnostics {
        let label = diagnostic.labels.first().unwrap_or_else(|| panic!("{broken}: {diagnostic:?}"));
        // A declaration that lacks its end is told where the next one starts.
        assert!((start..=end).contains(&label.span.start), "{broken}: {diagnostic:?}");
        assert!(!diagnostic.message.is_empty());
    }
    parsed.diagnostics.len()
}

/// The tokens of a declaration that are not blank, as ranges of its text.
fn tokens(text: &str) -> Vec<(usize, usize)> {
    let parsed = parse_model(SourceId::default(), text);
    let all = parsed.root.descendants_with_tokens().filter_map(rowan::NodeOrToken::into_token);
    let words = all.filter(|t| !t.text().trim().is_empty());
    words.map(|t| (t.text_range().start().into(), t.text_range().end().into())).collect()
}

#[test]
fn declarations_of_each_kind_are_read_without_a_word() {
    for kind in KINDS {
        assert_eq!(check(kind), 0, "{kind}");
    }
}

#[test]
fn a_token_taken_out_breaks_its_own_declaration_only() {
    let (mut tried, mut told) = (0, 0);
    for kind in KINDS {
        // The first word says what it is; without it the text is no declaration of that kind.
        for (start, end) in tokens(kind).into_iter().skip(1) {
            tried += 1;
            told += usize::from(check(&format!("{}{}", &kind[..start], &kind[end..])) > 0);
        }
    }
    // Some words may be left out, such as default; most may not.
    assert!(tried > 180 && told * 10 > tried * 6, "{told} of {tried} told");
}

#[test]
fn a_token_put_in_breaks_its_own_declaration_only() {
    let mut tried = 0;
    for kind in KINDS {
        for (start, _) in tokens(kind).into_iter().skip(1) {
            for odd in [
                "(",
                ")",
                ",",
                "'",
                "\"",
                "=",
                "sum(",
                "where",
                "as",
                "§",
                ":",
                "--",
                "case when",
                "7",
                "1e",
                "per",
            ] {
                tried += 1;
                check(&format!("{}{odd} {}", &kind[..start], &kind[start..]));
            }
        }
    }
    assert!(tried > 2_500, "{tried}");
}

#[test]
fn a_declaration_cut_off_anywhere_leaves_the_next_one_whole() {
    for kind in KINDS {
        for at in (0..kind.len()).filter(|at| kind.is_char_boundary(*at)) {
            // What is cut off in an indented line ends there.
            check(&kind[..at]);
        }
    }
}

#[test]
fn clauses_of_a_query_are_found_behind_a_broken_one() {
    let whole =
        "rows a.b columns c.d show total where e = 1 having total > 1 sort total totals on rows keep empty";
    let clauses = |text: &str| {
        let parsed = parse_query(SourceId::default(), text);
        let kinds = parsed.root.descendants().map(|n| format!("{:?}", n.kind()));
        let mut kinds: Vec<String> = kinds.filter(|k| k.ends_with("Clause")).collect();
        kinds.dedup();
        (kinds, parsed.diagnostics.len())
    };
    let (all, said) = clauses(whole);
    assert_eq!(said, 0);
    assert_eq!(all.len(), 8, "{all:?}");
    for (broken, lacking) in [
        ("a.b", "a.b +"),
        ("e = 1", "e ="),
        ("total > 1", "total >"),
        ("show total", "show total +"),
        ("sort total", "sort"),
    ] {
        let (found, said) = clauses(&whole.replacen(broken, lacking, 1));
        assert!(said > 0, "{lacking}");
        let missing: Vec<&String> = all.iter().filter(|k| !found.contains(k)).collect();
        assert!(missing.is_empty(), "{lacking}: {missing:?} were not found");
    }
}

#[test]
fn deep_texts_end_with_a_message() {
    for (open, close) in [
        ("(", ")"),
        ("not ", ""),
        ("- ", ""),
        ("coalesce(", ")"),
        ("case when a then ", " end"),
        ("sum(", ")"),
    ] {
        for depth in [10_usize, 5_000, 60_000] {
            let text = format!("show {}a{}", open.repeat(depth), close.repeat(depth));
            let parsed = parse_query(SourceId::default(), &text);
            assert_eq!(parsed.root.to_string().len(), text.len());
            let told = !parsed.diagnostics.is_empty();
            assert!(told || depth == 10, "{open} {depth}");
            assert!(parsed.diagnostics.len() < 10, "{open} {depth}: {}", parsed.diagnostics.len());
        }
    }
    // A long chain is as deep as it is long.
    let chain = format!("show {}a", "a + ".repeat(50_000));
    assert!(!parse_query(SourceId::default(), &chain).diagnostics.is_empty());
}
