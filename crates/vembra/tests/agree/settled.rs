//! What settles what is known before any data are read. Here it is tried on data: where one attribute settles another, no two rows of any
//! table have the same member of the first and different ones of the second. Rows whose key leads nowhere have no member.

use crate::{Random, stars};
use std::collections::{BTreeMap, BTreeSet};
use vembra::inside::{ColumnId, RoleId};
use vembra::{Answer, Options, Scalar, Session};

type Attribute = (ColumnId, Option<RoleId>);

/// Each column, and each column of what a role leads to by that role, as a query names it.
fn attributes(session: &Session) -> Vec<(String, Attribute)> {
    let model = session.model();
    let schema = &model.schema;
    let mut all = Vec::new();
    for table in schema.table_ids() {
        let columns = &schema.table(table).columns;
        all.extend(columns.iter().map(|c| (schema.qualified(*c), (*c, None))));
    }
    for link in schema.links.iter().filter(|l| l.role.is_some()) {
        let reached = schema.column(link.to[0]).table;
        for column in &schema.table(reached).columns {
            let role = link.role.map(|role| model.role_name(role)).unwrap_or_default();
            let name = format!("{role}.{}", schema.column(*column).name);
            all.push((name, (*column, link.role)));
        }
    }
    all.sort();
    all.dedup();
    all
}

/// What the rows of a table say of an attribute; none where the table has no way to it.
fn values(session: &Session, table: &str, attribute: &str) -> Option<Vec<Scalar>> {
    let reply = session.ask(&format!("list {attribute} as x from {table}")).ok()?;
    let Answer::List(list) = reply.answer else { return None };
    Some(list.rows.into_iter().map(|mut row| row.remove(0)).collect())
}

/// The first rows that have the same member of the finer attribute and different ones of the coarser.
fn broken(finer: &[Scalar], coarser: &[Scalar]) -> Option<String> {
    let mut seen: BTreeMap<String, &Scalar> = BTreeMap::new();
    for (f, c) in finer.iter().zip(coarser).filter(|(f, c)| !f.is_null() && !c.is_null()) {
        let before = seen.entry(f.to_string()).or_insert(c);
        if *before != c {
            return Some(format!("{f} stands with {before} and with {c}"));
        }
    }
    None
}

#[test]
fn what_settles_another_does_so_in_all_data() {
    let mut wrong: BTreeMap<String, String> = BTreeMap::new();
    let (mut settled, mut free, mut apart) = (0, BTreeSet::new(), BTreeSet::new());
    for seed in 1..=8_u64 {
        let star = stars::star(&mut Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15)));
        let session = star.session(Options::default());
        let model = session.model();
        let attributes = attributes(&session);
        for table in ["sale", "visit", "goal", "buyer", "item", "area", "many", "buyer_sum"] {
            let columns: Vec<(&str, Attribute, Vec<Scalar>)> = attributes
                .iter()
                .filter_map(|(name, id)| Some((name.as_str(), *id, values(&session, table, name)?)))
                .collect();
            for (finer, f, of_finer) in &columns {
                for (coarser, c, of_coarser) in columns.iter().filter(|(_, c, _)| c != f) {
                    let broken = broken(of_finer, of_coarser);
                    if model.settles(*f, *c) {
                        settled += 1;
                        let said =
                            broken.map(|how| format!("{finer} settles {coarser}, but in {table} {how}"));
                        wrong.extend(said.map(|said| {
                            (format!("{finer} {coarser} {table}"), format!("seed {seed}: {said}"))
                        }));
                    } else {
                        let pair = format!("{finer} {coarser} {table}");
                        broken.is_some().then(|| apart.insert(pair.clone()));
                        free.insert(pair);
                    }
                }
            }
        }
    }
    let wrong: Vec<String> = wrong.into_values().collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    // Data that break nothing would prove nothing: of the pairs that settle nothing most are seen apart.
    let (free, apart) = (free.len(), apart.len());
    println!("{settled} times settled; {apart} of {free} other pairs seen apart");
    assert!(settled > 1_000 && apart * 2 > free, "{settled} settled, {apart} of {free} seen apart");
}
