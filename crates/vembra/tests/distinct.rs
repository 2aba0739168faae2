//! Counts of different values, by bits, by packed numbers and by wide ones, in one part and in many: the same figures as a
//! set of the test's own.

use std::collections::{BTreeMap, BTreeSet};
use vembra::{Options, Session};

/// Rows of a shop and a number, the numbers `apart` from each other, each about three times behind another.
fn rows(apart: i64) -> Vec<(usize, i64)> {
    let mut state = 7_u64;
    let mut rows = Vec::new();
    for at in 0..6_000_i64 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let shop = (state >> 33) as usize % 300;
        let number = (at / 3 + (state >> 60) as i64) * apart - 1_000_000;
        rows.push((shop, number));
    }
    rows
}

#[test]
fn different_values_are_counted_exactly_however_far_apart() {
    // Within a few bits, within 32 bits, beyond them.
    for apart in [1, 900_001, 4_000_000_000_000] {
        let rows = rows(apart);
        let mut sets: BTreeMap<usize, BTreeSet<i64>> = BTreeMap::new();
        rows.iter().for_each(|(shop, number)| {
            sets.entry(*shop).or_default().insert(*number);
        });
        let all: BTreeSet<i64> = rows.iter().map(|(_, number)| *number).collect();
        let wanted: String =
            sets.iter().map(|(shop, set)| format!("detail,,s{shop:03},{}\n", set.len())).collect();
        let csv: String = rows.iter().map(|(shop, number)| format!("s{shop:03},{number}\n")).collect();
        for (parts, block) in [(1, 4096), (7, 64)] {
            let session = Session::builder()
                .model_text("m.vembra", "fact t from 't'\n")
                .csv_text("t", format!("shop,number\n{csv}"))
                .options(Options { parts: Some(parts), block, ..Options::default() })
                .open()
                .unwrap();
            let reply = session.ask("rows t.shop show count(distinct number) as n totals on rows").unwrap();
            let found = reply.csv(vembra::Layout::Tidy).unwrap();
            assert_eq!(
                found,
                format!("line,over,t.shop,n\n{wanted}total,t.shop,,{}\n", all.len()),
                "{apart} in {parts} parts"
            );
        }
    }
}
