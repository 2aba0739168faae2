//! Nothing is answered as if a part of its text were not there: at every place between two tokens of a query something is put
//! that does not belong there; tokens are left out, and neighbours exchanged. Each result is refused, or means something else.
//!
//! Queries are those of the documents and generated ones: `VEMBRA_TEXTS=1000` says how many of these. Of the insertions each place takes
//! some in turn; with `VEMBRA_EVERY=1` it takes them all.

use crate::{Random, setting, stars};
use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use vembra::inside::parse_query;
use vembra::{Options, Session, SourceId, Stage};

/// What is put between tokens.
const INSERTED: [&str; 16] = [
    "blorf",
    "calendar.year = 2024",
    ",",
    "(",
    ")",
    "wher",
    "havng",
    "show",
    "where",
    "sort",
    "desc",
    "order by x",
    "group by x",
    "limit 5",
    "7",
    "und",
];

/// Words and signs that may be left out without a change: they say what would hold anyway, or part what is apart anyway, or say where
/// totals stand of which a warning tells that there are none.
const IDLE: [&str; 5] = ["ascending", "last", ",", "+", "first"];

/// What became of changed texts.
#[derive(Default)]
struct Counts {
    refused_by_parser: usize,
    refused_by_meaning: usize,
    mean_something_else: usize,
    mean_the_same: BTreeMap<String, usize>,
}

/// Ranges of the tokens of a text.
fn tokens(text: &str) -> Vec<(usize, usize)> {
    let root = parse_query(SourceId(0), text).root;
    let tokens = root.descendants_with_tokens().filter_map(|part| part.as_token().cloned());
    let ranges = tokens.filter(|t| !t.kind().is_trivia()).map(|t| t.text_range());
    ranges.map(|r| (usize::from(r.start()), usize::from(r.end()))).collect()
}

/// A plan without the names of what is shown, which may be pieces of the text.
fn plan(session: &Session, text: &str) -> Option<String> {
    let plan = session.query(text).stage(Stage::Plan).ok()?;
    let named = |line: &str| ["show ", "row ", "column "].iter().any(|word| line.starts_with(word));
    let bare = |line: &str| {
        let behind = line.split_once(" = ").filter(|_| named(line));
        behind.map_or_else(|| line.to_owned(), |(_, behind)| behind.to_owned())
    };
    Some(plan.lines().map(bare).collect::<Vec<_>>().join("\n"))
}

/// A query with what it means and what is done for it.
struct Original<'a> {
    session: &'a Session,
    text: &'a str,
    meaning: String,
    plan: String,
}

impl<'a> Original<'a> {
    fn new(session: &'a Session, text: &'a str) -> Option<Self> {
        let meaning = session.query(text).stage(Stage::Model).ok()?;
        Some(Self { session, text, meaning, plan: plan(session, text)? })
    }

    /// Whether a changed text says what this one does; `what` was changed. What was put in must change what is done; what is left out
    /// may stand where nothing depends on it, as a condition does that is forgotten around it: then it changes what is meant.
    fn judge(&self, changed: &str, what: &str, put_in: bool, counts: &mut Counts) -> Option<String> {
        if !parse_query(SourceId(0), changed).diagnostics.is_empty() {
            counts.refused_by_parser += 1;
            return None;
        }
        let Ok(meaning) = self.session.query(changed).stage(Stage::Model) else {
            counts.refused_by_meaning += 1;
            return None;
        };
        let Some(plan) = plan(self.session, changed) else {
            counts.refused_by_meaning += 1;
            return None;
        };
        let differs = (meaning != self.meaning, plan != self.plan);
        if if put_in { differs.0 && differs.1 } else { differs.0 || differs.1 } {
            counts.mean_something_else += 1;
            return None;
        }
        *counts.mean_the_same.entry(what.to_owned()).or_default() += 1;
        Some(format!("{what:?} changes nothing:\n  {}\n  {changed}", self.text))
    }

    fn insertions(&self, counts: &mut Counts, faults: &mut Vec<String>) {
        let tokens = tokens(self.text);
        let places = std::iter::once(0).chain(tokens.iter().map(|t| t.1));
        let every = setting("VEMBRA_EVERY", 4) as usize;
        for (at, place) in places.enumerate() {
            for inserted in INSERTED.iter().skip(at % every).step_by(every) {
                let (before, behind) = self.text.split_at(place);
                faults.extend(self.judge(&format!("{before} {inserted} {behind}"), inserted, true, counts));
            }
        }
    }

    fn deletions(&self, counts: &mut Counts, faults: &mut Vec<String>) {
        for (start, end) in tokens(self.text) {
            let (deleted, text) = (&self.text[start..end], self.text);
            let changed = format!("{} {}", &text[..start], &text[end..]);
            let fault = self.judge(&changed, &format!("without {deleted}"), false, counts);
            faults.extend(fault.filter(|_| !IDLE.contains(&deleted.to_ascii_lowercase().as_str())));
        }
    }

    fn exchanges(&self, counts: &mut Counts, faults: &mut Vec<String>) {
        for pair in tokens(self.text).windows(2) {
            let [(a, b), (c, d)] = [pair[0], pair[1]];
            let text = self.text;
            let (first, second) = (&text[a..b], &text[c..d]);
            if first.eq_ignore_ascii_case(second) {
                continue;
            }
            let changed = format!("{} {second} {first} {}", &text[..a], &text[d..]);
            let fault = self.judge(&changed, &format!("{first} {second}"), false, counts);
            // Brackets that stand around one value only may move over it.
            let bracket = ["(", ")"].iter().any(|b| *b == first || *b == second);
            faults.extend(fault.filter(|_| !bracket));
        }
    }
}

pub(crate) fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// Every query that the documents ask of the demo, with or without parameters.
pub(crate) fn documented() -> Vec<String> {
    let mut found = Vec::new();
    for name in ["README.md", "docs/reference.md", "docs/guide.md", "docs/mistakes.md"] {
        let text = std::fs::read_to_string(root().join(name)).unwrap();
        for line in text.lines().filter_map(|l| l.strip_prefix("$ vembra ask ")) {
            found.extend(line.split('"').nth(1).map(str::to_owned));
        }
    }
    found.sort();
    found.dedup();
    found
}

#[test]
fn no_token_is_read_as_if_it_were_not_there() {
    let texts = setting("VEMBRA_TEXTS", 1_000);
    let total = Mutex::new((Counts::default(), Vec::<String>::new(), 0_usize));
    let note = |original: &Original<'_>| {
        let (mut counts, mut faults) = (Counts::default(), Vec::new());
        original.insertions(&mut counts, &mut faults);
        original.deletions(&mut counts, &mut faults);
        original.exchanges(&mut counts, &mut faults);
        let mut total = total.lock().unwrap();
        total.0.refused_by_parser += counts.refused_by_parser;
        total.0.refused_by_meaning += counts.refused_by_meaning;
        total.0.mean_something_else += counts.mean_something_else;
        counts
            .mean_the_same
            .into_iter()
            .for_each(|(what, n)| *total.0.mean_the_same.entry(what).or_default() += n);
        total.1.extend(faults);
        total.2 += 1;
    };
    let demo = Session::open(root().join("demo/bees.vembra")).unwrap();
    let documented = documented();
    let next = Mutex::new(0);
    let work = || {
        for query in next_of(&next, documented.len()).map(|at| &documented[at as usize]) {
            if let Some(original) = Original::new(&demo, query) {
                note(&original);
            }
        }
    };
    both(&work);
    let next = Mutex::new(0);
    let work = || {
        for seed in next_of(&next, texts as usize) {
            let mut random = Random(seed.wrapping_mul(0x517c_c1b7_2722_0a95));
            let star = stars::star(&mut random);
            let session = star.session(Options::default());
            let query = crate::queries::query(&mut random);
            if let Some(original) = Original::new(&session, &query) {
                note(&original);
            }
        }
    };
    both(&work);
    let (counts, faults, queries) = total.into_inner().unwrap();
    let mut told = String::new();
    let _ = writeln!(
        told,
        "{queries} queries; changed texts: {} refused by the parser, {} by their meaning, {} mean something else, the same: {:?}",
        counts.refused_by_parser, counts.refused_by_meaning, counts.mean_something_else, counts.mean_the_same
    );
    println!("{told}");
    assert!(
        faults.is_empty(),
        "{told}{} faults:\n{}",
        faults.len(),
        faults[..faults.len().min(40)].join("\n")
    );
    assert!(counts.refused_by_parser > 1_000 && queries > documented.len() / 2);
}

fn next_of(next: &Mutex<usize>, end: usize) -> impl Iterator<Item = u64> + '_ {
    std::iter::from_fn(move || {
        let mut at = next.lock().unwrap();
        *at += 1;
        (*at <= end).then(|| *at as u64 - 1)
    })
}

fn both(work: &(dyn Fn() + Sync)) {
    std::thread::scope(|scope| {
        scope.spawn(work);
        work();
    });
}
