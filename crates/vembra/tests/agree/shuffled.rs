//! The order of declarations does not matter: a model whose declarations stand in any order answers as the one that was written.

use crate::{Random, queries, setting, stars};
use vembra::{Layout, Options, Session};

/// The declarations of a model, each with what belongs to it.
fn declarations(model: &str) -> Vec<String> {
    let mut all: Vec<String> = Vec::new();
    for line in model.lines().filter(|l| !l.is_empty()) {
        match all.last_mut().filter(|_| line.starts_with(' ')) {
            Some(last) => *last += &format!("\n{line}"),
            None => all.push(line.to_owned()),
        }
    }
    all
}

fn shuffled(random: &mut Random, mut all: Vec<String>) -> String {
    for at in (1..all.len()).rev() {
        all.swap(at, random.below(at + 1));
    }
    all.join("\n") + "\n"
}

/// What a session says to a query: its answer with its notes, or the code of its message.
fn told(session: &Session, query: &str) -> String {
    match session.ask(query) {
        Ok(reply) => reply.csv(Layout::Tidy).unwrap(),
        Err(error) => error.diagnostics().iter().map(|d| d.code.to_string()).collect::<Vec<_>>().join(" "),
    }
}

#[test]
fn declarations_may_stand_in_any_order() {
    let (first, cases) = (setting("VEMBRA_SEED", 1), setting("VEMBRA_CASES", 250).div_ceil(10));
    let (mut answered, mut refused) = (0, 0);
    for seed in first..first + cases {
        let mut random = Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ 0x0dec);
        let star = stars::star(&mut random);
        let written = star.session(Options::default());
        let model = shuffled(&mut random, declarations(stars::MODEL));
        let other = star.session_of(&model, Options::default());
        for _ in 0..12 {
            let query = queries::query(&mut random);
            let wanted = told(&written, &query);
            assert_eq!(told(&other, &query), wanted, "seed {seed}: {query}\n{model}");
            if wanted.starts_with('V') { refused += 1 } else { answered += 1 }
        }
    }
    assert!(answered > refused, "{answered} answered, {refused} refused");
}
