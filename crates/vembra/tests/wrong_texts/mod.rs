//! Every wrong text in `cases/` gives a message with a code, a place and a way out, in exactly the words that
//! stand behind it in the file.
//!
//! A case is `name.txt`: the query, or with `model:` before it a model that is put behind the common one. Behind
//! the line `----` stands what the tool says. `VEMBRA_WRITE=1 cargo test -p vembra --test all wrong_texts` writes that part again;
//! read it before it is kept.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use vembra::{Code, Diagnostic, Error, Layout, Session};

/// A small star: enough for every message.
const MODEL: &str = "\
calendar from '2024-01-01' to '2025-12-31'
dimension product from 'product' key sku
dimension customer from 'customer' key code
fact sale from 'sale'
fact stock from 'stock'
fact goal from 'goal'
fact taste from 'taste'
bridge taste.code to customer
link sale.sku to product
link sale.code to customer
link sale.ordered_on to calendar as ordered default
link sale.shipped_on to calendar as shipped
link stock.sku to product
link stock.counted_on to calendar as counted
link goal.month to calendar by month as ordered
measure revenue = sum(amount)
measure on_hand_last = last(on_hand by counted_on)
measure goals = sum(wanted)
param least: integer
measure to_date(m) = m during year to date
measure part_of(m, a: attribute) = m / (m pooling a)
measure recent(m, n: integer) = m during last n months
measure dated(m, r: role) = m via r
";

fn open(more: &str) -> Result<Session, Error> {
    Session::builder()
        .model_text("shop.vembra", format!("{MODEL}{more}"))
        .csv_text("product", "sku,name,category\nA,Axe,Tools\nB,Bow,Toys\n")
        .csv_text("customer", "code,name,region\n1,Ann,North\n2,Ben,South\n")
        .csv_text("sale", "sku,code,ordered_on,shipped_on,quantity,amount,note\nA,1,2024-03-01,2024-03-04,2,10.50,x\nB,2,2024-04-01,,1,4.25,y\n")
        .csv_text("stock", "sku,counted_on,on_hand\nA,2024-03-04,7\n")
        .csv_text("shop", "code,name,region\n1,Ann,North\n")
        .csv_text("depot", "since,code\n2024-01-01,1\n")
        .csv_text("taste", "code,good,dish\n1,A,soup\n1,A,cake\n2,B,soup\n")
        .csv_text("goal", "month,wanted\n2024-03,20\n")
        .open()
}

fn said(text: &str) -> String {
    let asked = match text.strip_prefix("model:\n") {
        Some(model) => open(model)
            .map(|session| vembra::diagnostics_text(&session.model().sources, session.diagnostics(), false)),
        None => open("").and_then(|session| session.ask(text).map(|reply| reply.notes_text(false))),
    };
    match asked {
        Ok(notes) => notes,
        Err(failure) => format!("{failure}\n"),
    }
}

fn cases() -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/wrong_texts/cases");
    let mut cases: Vec<PathBuf> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    cases.sort();
    cases
}

#[test]
fn wrong_texts_say_what_is_wrong_where_and_what_to_write() {
    let mut faults = Vec::new();
    for path in cases() {
        let case = fs::read_to_string(&path).unwrap();
        let (text, wanted) = case.split_once("----\n").unwrap_or((&case, ""));
        let found = said(text.trim_end());
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        if std::env::var_os("VEMBRA_WRITE").is_some() {
            fs::write(&path, format!("{}\n----\n{found}", text.trim_end())).unwrap();
        } else if found != wanted {
            faults.push(format!("{name}\nwanted:\n{wanted}\nfound:\n{found}"));
        }
        let code = name.split('_').next().unwrap().to_owned();
        for part in [format!("[{code}]"), "help: ".to_owned(), "-->".to_owned()] {
            // A note has no help: nothing is wrong.
            if !found.contains(&part) && !found.starts_with("note") {
                faults.push(format!("{name} does not say {part}:\n{found}"));
            }
        }
    }
    assert!(faults.is_empty(), "{}", faults.join("\n\n"));
}

/// Each case with one change at a seeded place: whatever comes out, it comes out without a panic.
#[test]
fn changed_texts_never_panic() {
    let session = open("").unwrap();
    let mut seed = 7_u64;
    let mut next = |bound: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((seed >> 33) as usize) % bound.max(1)
    };
    let scraps = ["(", ")", "'", "\"", " where ", " via ", ".", ",", "--", "\u{0}", "é", " per ", "0", " - "];
    for path in cases() {
        let case = fs::read_to_string(&path).unwrap();
        let text = case.split_once("----\n").map_or(case.as_str(), |(text, _)| text);
        for _ in 0..40 {
            let mut chars: Vec<char> = text.chars().collect();
            let at = next(chars.len());
            match next(3) {
                0 => drop(chars.remove(at)),
                1 => chars.splice(at..at, scraps[next(scraps.len())].chars()).for_each(drop),
                _ => chars.swap(at, (at + 1).min(text.chars().count() - 1)),
            }
            let changed: String = chars.into_iter().collect();
            match changed.strip_prefix("model:\n") {
                Some(model) => drop(open(model)),
                None => drop(session.ask(&changed)),
            }
        }
    }
}

#[test]
fn random_bytes_give_messages() {
    let session = open("").unwrap();
    let mut seed = 99_u64;
    for round in 0..200 {
        let bytes: Vec<u8> = (0..round * 3)
            .map(|_| {
                seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
                (seed >> 40) as u8
            })
            .collect();
        let text = String::from_utf8_lossy(&bytes).into_owned();
        assert!(session.ask(&text).is_err());
        drop(Session::builder().model_text("random.vembra", text).open());
        // As the bytes of a table.
        let opened =
            Session::builder().model_text("m.vembra", "fact f from 'f'\n").csv_bytes("f", bytes).open();
        if let Err(failure) = opened {
            assert!(failure.to_string().contains("V6"), "{failure}");
        }
    }
}

#[test]
fn deep_and_long_texts_give_messages() {
    let session = open("").unwrap();
    let deep = [
        format!("show {}1{}", "(".repeat(5_000), ")".repeat(5_000)),
        format!("show {}1", "- ".repeat(9_999)),
        format!("show sum(amount{})", " + 1".repeat(50_000)),
        format!("show sum(amount) where {}vip", "not ".repeat(50_000)),
        format!("show {}", "case when ".repeat(10_000)),
        format!("show '{}", "x".repeat(1_000_000)),
    ];
    for text in deep {
        let failure = session.ask(&text).map(|_| ()).unwrap_err();
        assert!(failure.to_string().len() < 20_000, "the message quotes too much");
    }
}

/// Formulas that name each other in a long row, and measures that name others twice: what can be worked out is, what cannot
/// is said, and neither takes longer than its text.
#[test]
fn formulas_that_name_formulas_are_no_trees() {
    let twice = |levels: usize| -> String {
        let level = |at: usize| format!("measure m{at} = m{} + m{}\n", at - 1, at - 1);
        std::iter::once("measure m0 = sum(amount)\n".to_owned()).chain((1..=levels).map(level)).collect()
    };
    // 2 to the power of 40 times the sum: exact, and a figure of 40 nodes.
    let amount =
        |query: &str, model: &str| open(model).unwrap().ask(query).unwrap().csv(Layout::Tidy).unwrap();
    let once: f64 = amount("show m0", &twice(0)).lines().nth(1).unwrap().parse().unwrap();
    let all: f64 = amount("show m40", &twice(40)).lines().nth(1).unwrap().parse().unwrap();
    assert_eq!(all.to_bits(), (once * 2f64.powi(40)).to_bits());
    let chain = |levels: usize| -> String {
        let level = |at: usize| format!("measure m{at} = m{} + 1\n", at - 1);
        std::iter::once("measure m0 = sum(amount)\n".to_owned()).chain((1..=levels).map(level)).collect()
    };
    // What is too deep is told once, and what needs it cannot be asked for; the rest can.
    let long = open(&chain(6_000)).unwrap();
    let told: Vec<&str> = long.diagnostics().iter().map(|d| d.code.as_str()).collect();
    assert_eq!(told, ["V356"]);
    let failure = long.ask("show m6000").map(|_| ()).unwrap_err().to_string();
    assert!(failure.contains("error[V236]") && failure.len() < 20_000, "{failure}");
    assert!(long.ask("show m100").is_ok());
    let columns: String = (1..=2_000)
        .map(|at| match at {
            1 => "column sale.c1 = amount + 1\n".to_owned(),
            _ => format!("column sale.c{at} = c{} + 1\n", at - 1),
        })
        .collect();
    let long = open(&columns).map(|_| ()).unwrap_err().to_string();
    assert!(long.contains("error[V356]") && long.len() < 20_000, "{long}");
}

/// What is wrong with a case, and the text that it is about with the name of that text.
fn wrong(text: &str) -> (Vec<Diagnostic>, &'static str, String) {
    let (asked, name, whole) = match text.strip_prefix("model:\n") {
        Some(model) => {
            let opened = open(model).map(|session| session.diagnostics().to_vec());
            (opened, "shop.vembra", format!("{MODEL}{model}"))
        }
        None => {
            let asked = open("").and_then(|session| session.ask(text).map(|reply| reply.notes));
            (asked, "query", text.to_owned())
        }
    };
    let diagnostics = asked.unwrap_or_else(|failure| failure.diagnostics().to_vec());
    (diagnostics, name, whole)
}

#[test]
fn what_a_help_line_writes_fixes_what_it_is_about() {
    let mut tried = 0;
    for case in cases() {
        let text = fs::read_to_string(&case).unwrap();
        let text = text.split("\n----\n").next().unwrap();
        let (diagnostics, _, whole) = wrong(text);
        for diagnostic in &diagnostics {
            for fix in diagnostic.help.iter().filter_map(|h| h.fix.as_ref()) {
                let place = fix.span;
                // A fix of a text that was typed at the side, such as a given value, is tried by hand.
                let Some(before) = whole.get(..place.start) else { continue };
                let Some(after) = whole.get(place.end..) else { continue };
                let fixed = format!("{before}{}{after}", fix.text);
                let again = match text.strip_prefix("model:\n") {
                    Some(_) => match fixed.strip_prefix(MODEL) {
                        Some(own) => wrong(&format!("model:\n{own}")).0,
                        None => continue,
                    },
                    None => wrong(&fixed).0,
                };
                let same = again.iter().any(|d| d.code == diagnostic.code && d.message == diagnostic.message);
                let worse =
                    again.iter().any(|d| d.code.is_of_spelling() && !diagnostic.code.is_of_spelling());
                assert!(
                    !same && !worse,
                    "{}: {} becomes {fixed:?}\n{again:#?}",
                    case.display(),
                    diagnostic.message
                );
                tried += 1;
            }
        }
    }
    assert!(tried >= 25, "only {tried} fixes were tried");
}

/// The list of messages: one section a code, with each text that causes it and what is said.
fn listed() -> String {
    let head = fs::read_to_string(docs().join("messages_head.md")).unwrap();
    let mut sections: BTreeMap<String, String> = BTreeMap::new();
    for case in cases() {
        let text = fs::read_to_string(&case).unwrap();
        let (asked, said) = text.split_once("\n----\n").unwrap();
        let first = said.lines().next().unwrap_or_default();
        let Some(code) = first.split(['[', ']']).nth(1) else { continue };
        let kind = if asked.starts_with("model:\n") { "In a model" } else { "As a query" };
        let asked = asked.strip_prefix("model:\n").unwrap_or(asked);
        // Texts of thousands of characters show nothing.
        if text.len() > 4_000 {
            continue;
        }
        let section = sections.entry(code.to_owned()).or_default();
        section.push_str(&format!(
            "{kind}:\n\n```text\n{}\n```\n\n```text\n{}\n```\n\n",
            asked.trim_end(),
            said.trim_end()
        ));
    }
    let sections: String = sections.iter().map(|(code, text)| format!("## {code}\n\n{text}")).collect();
    let rows = Code::ALL
        .iter()
        .map(|code| format!("| {code} | {} | {} | {} |\n", code.severity(), code.cause(), code.way_out()));
    let table =
        "| code | | what is wrong | what to do |\n|---|---|---|---|\n".to_owned() + &rows.collect::<String>();
    format!("{}\n\n{table}\n{}\n", head.trim_end(), sections.trim_end())
}

fn docs() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs")
}

/// All codes that the sources make messages and findings of.
fn codes(folder: &Path, found: &mut BTreeSet<String>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            codes(&path, found);
        } else if path.extension().is_some_and(|e| e == "rs") {
            let text = fs::read_to_string(&path).unwrap();
            found.extend(text.split("Code::").skip(1).filter_map(|rest| rest.get(..4)).map(str::to_owned));
        }
    }
}

#[test]
fn every_message_is_listed() {
    let fresh = listed();
    let path = docs().join("messages.md");
    if std::env::var_os("VEMBRA_WRITE").is_some() {
        fs::write(&path, &fresh).unwrap();
    }
    assert!(fs::read_to_string(&path).unwrap() == fresh, "docs/messages.md is not what the messages say");
    let mut all = BTreeSet::new();
    for part in ["syntax", "plan", "model", "engine", "sources", "draw", "vembra", "cli"] {
        codes(&docs().join("../crates").join(part).join("src"), &mut all);
    }
    let unused: Vec<&Code> = Code::ALL.iter().filter(|code| !all.contains(code.as_str())).collect();
    assert!(unused.is_empty(), "nothing says {unused:?}");
}
