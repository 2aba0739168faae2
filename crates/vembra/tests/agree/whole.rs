//! Every query of the documents and thousands of generated ones go through all that can be asked of a query, in one process:
//! the answer, what was done for it, each of its forms, and the explanation of its figures.
//!
//! `VEMBRA_WHOLE=5000` says how many are generated.

use crate::inserted::documented;
use crate::{Random, setting, stars};
use std::sync::Mutex;
use vembra::{Layout, Options, Session, Stage};

/// What became of queries.
#[derive(Default)]
struct Counts {
    answered: usize,
    refused: usize,
    explained: usize,
}

fn all_of(session: &Session, query: &str, counts: &Mutex<Counts>) {
    // The tree is there for wrong texts too.
    session.query(query).stage(Stage::Tree).unwrap();
    let Ok((reply, why)) = session.query(query).why() else {
        counts.lock().unwrap().refused += 1;
        return;
    };
    assert!(why.contains("in all") && why.contains("from text to plan"), "{query}\n{why}");
    for stage in [Stage::Model, Stage::Plan, Stage::Rewritten, Stage::Physical] {
        session.query(query).stage(stage).unwrap_or_else(|f| panic!("{query}: {f}"));
    }
    reply.csv(Layout::Tidy).unwrap();
    let told = reply.text(Layout::Grid) + &reply.markdown() + &reply.notes_text(false);
    assert!(!told.is_empty());
    reply.record_batch().unwrap_or_else(|e| panic!("{query}: {e}"));
    let mut counts = counts.lock().unwrap();
    counts.answered += 1;
    drop(counts);
}

#[test]
fn every_query_goes_through_all_forms() {
    let counts = Mutex::new(Counts::default());
    let demo = Session::open(crate::inserted::root().join("demo/bees.vembra")).unwrap();
    let documents = documented();
    for query in &documents {
        all_of(&demo, query, &counts);
        // One figure of each; another test explains them all.
        if let Ok(why) = demo.query(query).explain("", None) {
            assert!(why.agrees, "{query}\n{}", why.text());
        }
    }
    let generated = setting("VEMBRA_WHOLE", 5_000);
    let next = Mutex::new(0);
    let work = || {
        loop {
            let seed = {
                let mut next = next.lock().unwrap();
                *next += 1;
                *next
            };
            // Several queries over each star.
            if seed > generated / 5 {
                return;
            }
            let mut random = Random((seed + 7_000_000).wrapping_mul(0x9e37_79b9_7f4a_7c15));
            let star = stars::star(&mut random);
            let session = star.session(Options::default());
            for _ in 0..5 {
                let query = crate::queries::query(&mut random);
                all_of(&session, &query, &counts);
                if let Ok(explained) = session.query(&query).explain_all() {
                    let wrong = explained.iter().find(|why| !why.agrees);
                    assert!(
                        wrong.is_none(),
                        "{query}: {}",
                        wrong.map(vembra::Explanation::text).unwrap_or_default()
                    );
                    counts.lock().unwrap().explained += explained.len();
                }
            }
        }
    };
    std::thread::scope(|scope| {
        scope.spawn(work);
        work();
    });
    let counts = counts.into_inner().unwrap();
    println!(
        "{} queries answered, {} refused, {} figures explained",
        counts.answered, counts.refused, counts.explained
    );
    assert!(counts.answered as u64 > generated / 2 && counts.explained > 0);
}

/// What the steps of an answer take adds up to nearly all of its time.
#[test]
fn steps_tell_where_the_time_goes() {
    let demo = Session::open(crate::inserted::root().join("demo/bees.vembra")).unwrap();
    for query in [
        "rows calendar.year, customer.segment show average_order totals on rows",
        "rows customer.name, calendar.month show revenue, rank(revenue among customer.name) as place totals on rows",
        "rows product.name, calendar.month show revenue top 5 product.name by revenue within calendar.month, rest as 'Others'",
    ] {
        // The least of some tries: a machine with other work stops a query
        // anywhere, and what it is stopped for is in none of its steps.
        let share = (0..8).map(|_| unnamed_share(&demo, query)).fold(f64::MAX, f64::min);
        assert!(share < 5.0, "{query}: {share} %");
    }
}

fn unnamed_share(demo: &Session, query: &str) -> f64 {
    let (_, why) = demo.query(query).why().unwrap();
    let line = why.lines().find(|l| l.trim_start().starts_with("everything else")).unwrap();
    line.split_whitespace().find_map(|w| w.strip_suffix('%')).unwrap().parse().unwrap()
}
