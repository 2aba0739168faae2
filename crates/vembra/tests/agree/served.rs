//! The same generated queries have the same answers where the tables live on a server. `VEMBRA_POSTGRES` and `VEMBRA_FLIGHT` say where
//! servers are; without them this says that it was left out.

use crate::database::{Storing, difference, servers};
use crate::{Random, queries, setting, stars};
use std::collections::BTreeMap;
use vembra::{Options, Session};

/// Each star gets this many queries: putting its tables on the server takes longer than asking.
const QUERIES: usize = 25;
/// Who asks: everybody, and those from whom rows are hidden.
pub(crate) const VIEWERS: [Option<&str>; 11] = [
    None,
    Some("northern"),
    Some("elders"),
    Some("clerk"),
    Some("topical"),
    Some("marker"),
    Some("ranked"),
    Some("quoted"),
    Some("newly"),
    Some("recent"),
    Some("both"),
];

#[test]
fn server_and_engine_agree() {
    for mut place in servers("agree") {
        agree_on(&mut *place);
    }
}

fn agree_on(place: &mut dyn Storing) {
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
            let viewer = VIEWERS[at % VIEWERS.len()];
            let ask = |session: &Session| {
                let asked = session.query(&query);
                if let Some(viewer) = viewer { asked.viewer(viewer).ask() } else { asked.ask() }
            };
            let Ok(wanted) = ask(&here) else { continue };
            if std::env::var("VEMBRA_ASK").is_ok() {
                println!(
                    "{}\n{}",
                    there.query(&query).stage(vembra::Stage::Sql).unwrap_or_default(),
                    star.text()
                );
            }
            match ask(&there) {
                Ok(found) => match difference(&found.answer, &wanted.answer) {
                    None => agreed += 1,
                    Some(how) => differ.push(format!("seed {seed}, {viewer:?}: {query}\n  {how}")),
                },
                Err(error) => {
                    let told = error.to_string();
                    let first = told.lines().next().unwrap_or_default().to_owned();
                    if first.contains("V649") {
                        let entry = refused.entry(first).or_insert((0, query));
                        entry.0 += 1;
                    } else {
                        differ.push(format!(
                            "seed {seed}: {query}\n  {told}\n{}",
                            there.query(&query).stage(vembra::Stage::Sql).unwrap_or_default()
                        ));
                    }
                }
            }
        }
        assert!(differ.len() < crate::MOST_DIFFERENCES, "{}", differ.join("\n"));
    }
    println!("{agreed} queries agreed on {} from seed {first}", place.name());
    for (why, (count, query)) in &refused {
        println!("{count} refused: {why}\n    {query}");
    }
    assert!(differ.is_empty(), "{} differ:\n{}", differ.len(), differ.join("\n"));
    assert!(agreed as u64 > cases * 10, "only {agreed} agreed");
}
