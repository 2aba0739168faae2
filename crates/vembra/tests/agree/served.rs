//! The same generated queries have the same answers where the tables live on a server. `VEMBRA_POSTGRES` says where one is; without it
//! this says that it was left out.

use crate::database::Place;
use crate::{Random, queries, setting, stars};
use std::collections::BTreeMap;
use vembra::{Answer, Options, Scalar, Session};

/// Each star gets so many queries: putting its tables on the server takes longer than asking.
const QUERIES: usize = 25;

#[test]
fn server_and_engine_agree() {
    let Some(mut place) = Place::new("agree") else { return };
    let (first, cases) = (setting("VEMBRA_SEED", 1), setting("VEMBRA_SERVED", 32));
    let (mut agreed, mut differ) = (0, Vec::new());
    let mut refused: BTreeMap<String, (usize, String)> = BTreeMap::new();
    for seed in first..first + cases {
        let mut random = Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15));
        let star = stars::star(&mut random);
        let here = star.session(Options::default());
        for table in star.names() {
            place.store(&here, table);
        }
        let there = Session::builder().model_text("generated.vembra", place.served(stars::MODEL)).open();
        let there = there.unwrap_or_else(|error| panic!("seed {seed}: {error}"));
        for at in 0..QUERIES {
            let generated = if at % 5 < 4 { queries::query(&mut random) } else { queries::rows(&mut random) };
            let query = std::env::var("VEMBRA_ASK").unwrap_or(generated);
            let Ok(wanted) = here.ask(&query) else { continue };
            if std::env::var("VEMBRA_ASK").is_ok() {
                println!(
                    "{}\n{}",
                    there.query(&query).stage(vembra::Stage::Sql).unwrap_or_default(),
                    star.text()
                );
            }
            match there.ask(&query) {
                Ok(found) => match difference(&found.answer, &wanted.answer) {
                    None => agreed += 1,
                    Some(how) => differ.push(format!("seed {seed}: {query}\n  {how}")),
                },
                Err(error) => {
                    let told = error.to_string();
                    let first = told.lines().next().unwrap_or_default().to_owned();
                    if first.contains("V649") {
                        let entry = refused.entry(first).or_insert((0, query));
                        entry.0 += 1;
                    } else {
                        differ.push(format!("seed {seed}: {query}\n  {told}"));
                    }
                }
            }
        }
        assert!(differ.len() < crate::MOST_DIFFERENCES, "{}", differ.join("\n"));
    }
    println!("{agreed} queries agreed on the server from seed {first}");
    for (why, (count, query)) in &refused {
        println!("{count} refused: {why}\n    {query}");
    }
    assert!(differ.is_empty(), "{} differ:\n{}", differ.len(), differ.join("\n"));
    assert!(agreed as u64 > cases * 10, "only {agreed} agreed");
}

/// How two answers differ, if they do by more than the last digits of floats.
pub(crate) fn difference(there: &Answer, here: &Answer) -> Option<String> {
    match (there, here) {
        (Answer::Summary(there), Answer::Summary(here)) => {
            if there.lines.len() != here.lines.len() {
                return Some(format!("{} lines, not {}", there.lines.len(), here.lines.len()));
            }
            let same = |a: &Scalar, b: &Scalar| a.is_null() == b.is_null() && a.alike(b);
            for (own, wanted) in there.lines.iter().zip(&here.lines) {
                let alike = own.rows == wanted.rows
                    && own.columns == wanted.columns
                    && own.kind == wanted.kind
                    && own.cells.iter().zip(&wanted.cells).all(|(a, b)| same(&a.value, &b.value));
                if !alike {
                    return Some(format!("{own:?}\n  not\n{wanted:?}"));
                }
            }
            None
        }
        (Answer::List(there), Answer::List(here)) => {
            let sorted = |rows: &[Vec<Scalar>]| {
                let mut rows: Vec<String> = rows.iter().map(|row| format!("{row:?}")).collect();
                rows.sort();
                rows
            };
            // Of rows that the sort leaves open a limit may take others: rows of a server have no order of their own.
            let same = there.rows.len() == here.rows.len()
                && (here.found > here.rows.len() || sorted(&there.rows) == sorted(&here.rows));
            (there.found != here.found || !same).then(|| {
                let (own, wanted) = (sorted(&there.rows), sorted(&here.rows));
                let odd = own.iter().find(|row| !wanted.contains(row));
                let lacks = wanted.iter().find(|row| !own.contains(row));
                format!(
                    "{} of {} rows, not {}: {odd:?}, not {lacks:?}",
                    there.rows.len(),
                    there.found,
                    here.found
                )
            })
        }
        _ => Some("another kind of answer".to_owned()),
    }
}
