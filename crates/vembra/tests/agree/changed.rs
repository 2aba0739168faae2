//! Viewers of whom nobody asked before all files of the session changed: they see what the rows that it holds show, and no row of the
//! files as they are now.

use crate::served::VIEWERS;
use crate::stars::MODEL;
use crate::{Random, queries, setting, stars};
use std::path::Path;
use vembra::{Layout, Options, Session};

/// An answer as text, or the codes of what was refused.
fn told(session: &Session, query: &str) -> Result<String, Vec<String>> {
    let codes = |error: vembra::Error| error.diagnostics().iter().map(|d| d.code.to_string()).collect();
    session.ask(query).map_err(codes).map(|reply| reply.csv(Layout::Tidy).unwrap())
}

fn write(folder: &Path, star: &stars::Generated) {
    for (name, csv) in star.texts() {
        std::fs::write(folder.join(format!("{name}.csv")), csv).unwrap();
    }
}

#[test]
fn a_viewer_sees_the_rows_that_the_session_holds_whatever_becomes_of_its_files() {
    let (first, cases) = (setting("VEMBRA_SEED", 1), setting("VEMBRA_CASES", 250).div_ceil(10));
    let mut answered = 0;
    for seed in first..first + cases {
        let mut random = Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15));
        let star = stars::star(&mut random);
        let other = stars::star(&mut random);
        let folder = tempfile::tempdir().unwrap();
        let model = folder.path().join("generated.vembra");
        std::fs::write(&model, MODEL).unwrap();
        write(folder.path(), &star);
        let session = Session::open(&model).unwrap_or_else(|e| panic!("seed {seed}\n{e}"));
        // The same rows in another order, those of another star, or no file at all.
        match seed % 3 {
            0 => write(folder.path(), &star.turned()),
            1 => write(folder.path(), &other),
            _ => star.names().for_each(|name| {
                std::fs::remove_file(folder.path().join(format!("{name}.csv"))).unwrap();
            }),
        }
        let held = star.session(Options::default());
        for viewer in VIEWERS.into_iter().flatten() {
            let query =
                if random.chance(20) { queries::rows(&mut random) } else { queries::query(&mut random) };
            let seen = |session: &Session| told(&session.seen_by(viewer).unwrap(), &query);
            let (found, wanted) = (seen(&session), seen(&held));
            assert_eq!(found, wanted, "seed {seed}, {viewer}: {query}\n{}", star.text());
            answered += usize::from(found.is_ok());
        }
    }
    assert!(answered as u64 > 4 * cases, "only {answered} answered");
}
