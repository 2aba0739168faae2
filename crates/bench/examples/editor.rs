//! Prints how long an editor waits for answers about a model of many declarations.
//!
//! `cargo run --release -p vembra-bench --example editor -- 2000`
#![allow(clippy::print_stdout, clippy::expect_used)] // It prints, and stops at the first fault.

use std::time::Instant;
use vembra::{Draft, SourceId, format_model};
use vembra_editor::{Known, TextKind, complete, describe, rename, target_at, uses};

/// How many times each thing is asked; the middle time counts.
const TIMES: usize = 15;

/// The demo, and as many further declarations: a parameter, a column, and measures that name each other in chains.
fn model(declarations: usize) -> String {
    let mut text = vembra_demo::MODEL.to_owned();
    for at in 0..declarations {
        text.push_str(&match at % 10 {
            0 => format!("param limit_{at}: integer default {at}\n"),
            1 => format!("column order_line.net_{at} = quantity * unit_price + {at}\n"),
            2 => format!("measure total_{at} = sum(net) where product.category <> 'C{at}'\n"),
            _ => format!(
                "measure total_{at} = total_{} + (revenue where quantity > :limit_{})\n",
                at - 1,
                at - at % 10
            ),
        });
    }
    text
}

fn middle(mut ask: impl FnMut()) -> f64 {
    let mut times: Vec<f64> = (0..TIMES)
        .map(|_| {
            let start = Instant::now();
            ask();
            start.elapsed().as_secs_f64() * 1e3
        })
        .collect();
    times.sort_by(f64::total_cmp);
    times[TIMES / 2]
}

fn main() {
    let declarations = std::env::args().nth(1).and_then(|a| a.parse().ok()).unwrap_or(2_000);
    let folder = std::env::temp_dir().join("vembra-editor-bench");
    std::fs::create_dir_all(&folder).expect("a folder");
    vembra_demo::write_to(&vembra_demo::Company::new(2_000), &folder).expect("the demo");
    let text = model(declarations);
    let mut draft = Draft::new(folder.join("bees.vembra"));
    draft.write("bees.vembra", text.clone());
    draft.read();
    println!("{declarations} declarations besides the demo's, {} KB", text.len() / 1024);
    let read = middle(|| {
        draft.read();
    });
    println!("read after a change: {read:.1} ms");
    let reading = draft.read();
    for d in reading.diagnostics.iter().take(3) {
        println!("  {}", d.message);
    }
    let members = |column| reading.members(column);
    let known = Known { model: &reading.model, members: &members };
    let end = text.len();
    let typed = format!("{text}measure new = to");
    let found = complete(known, TextKind::Model, &typed, typed.len()).items.len();
    let time = middle(|| drop(complete(known, TextKind::Model, &typed, typed.len())));
    println!("completion with {found} names: {time:.1} ms");
    let at = text.rfind("total_").expect("a measure");
    let named = || target_at(&reading.model, TextKind::Model, SourceId(0), &text, at);
    let (target, _) = named().expect("a name");
    println!("meaning of a name: {:.1} ms", middle(|| drop(named().map(|(t, _)| describe(known, t)))));
    println!("uses of a name: {:.1} ms", middle(|| drop(uses(&reading.model, target))));
    println!("renaming: {:.1} ms", middle(|| drop(rename(&reading.model, target, "another"))));
    println!("layout: {:.1} ms", middle(|| drop(format_model(&text[..end]))));
}
