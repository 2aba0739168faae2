//! Explanations as text.

use super::{ExplainedKeys, ExplainedRows, ExplainedStep, Explanation, SecondWay};
use vembra_draw::grouped;

fn rows(count: usize) -> String {
    if count == 1 { "1 row".to_owned() } else { format!("{} rows", grouped(count)) }
}

impl Explanation {
    /// The explanation for people.
    pub fn text(&self) -> String {
        let at: Vec<String> = self.cell.iter().map(|(axis, member)| format!("{axis} {member}")).collect();
        let at = if at.is_empty() { String::new() } else { format!(" at {}", at.join(", ")) };
        let mut text = format!("{}{at}: {}\n", self.figure, self.value);
        if !self.given.is_empty() {
            let given: Vec<String> =
                self.given.iter().map(|(name, value)| format!(":{name} = {value}")).collect();
            text.push_str(&format!("  given {}\n", given.join(", ")));
        }
        if let Some(limits) = &self.limits {
            text.push_str(&format!("  {limits}\n"));
        }
        if let Some(why) = &self.not_a_sum {
            text.push_str(&format!("  not the sum of its lines: {why}\n"));
        }
        if let Some(lacking) = &self.lacking {
            text.push_str(&format!("  of a part of its date range only: {lacking}\n"));
        }
        match self.shared {
            None => {}
            Some(1) => text.push_str("  1 row of it also belongs to a member shown\n"),
            Some(rows) => {
                let rows = grouped(rows);
                text.push_str(&format!("  {rows} rows of it also belong to a member shown\n"));
            }
        }
        text.push('\n');
        step(&mut text, &self.step, 0);
        text.push_str(&match (&self.engine, self.agrees) {
            (Some(_), true) => {
                let how = match self.second_way {
                    SecondWay::RowByRow => "row by row",
                    SecondWay::PlainStatement => {
                        "on the server, where the rows stay, by a statement written the plain way"
                    }
                };
                format!("\nWorked out a second time, {how}: the same as in the answer.\n")
            }
            (None, _) => "\nThe answer has no such line: no row stands there.\n".to_owned(),
            (Some(engine), false) => format!(
                "\nThis is a fault of the program: the answer shows {engine}. Please report it with the model and the query.\n"
            ),
        });
        if !self.others.is_empty() {
            text.push_str(&format!(
                "The first of several figures; others that can be named: {}.\n",
                self.others.join(", ")
            ));
        }
        text
    }
}

fn line(text: &mut String, depth: usize, what: &str) {
    text.push_str(&"  ".repeat(depth));
    text.push_str(what);
    text.push('\n');
}

fn step(text: &mut String, explained: &ExplainedStep, depth: usize) {
    line(text, depth, &format!("{}  →  {}", explained.text, explained.value));
    if let Some(behind) = &explained.behind {
        tests(text, behind, depth + 1);
    }
    if let Some(keys) = &explained.keys {
        at_keys(text, keys, depth + 1);
    }
    explained.steps.iter().for_each(|s| step(text, s, depth + 1));
}

fn tests(text: &mut String, behind: &ExplainedRows, depth: usize) {
    let roles =
        if behind.roles.is_empty() { String::new() } else { format!("; {}", behind.roles.join(", ")) };
    line(text, depth, &format!("{} of {}{roles}", rows(behind.all), behind.table));
    let widest = behind.tests.iter().map(|(_, left)| rows(*left).len()).max().unwrap_or(0);
    for (test, left) in &behind.tests {
        line(text, depth, &format!("{:>widest$}  {test}", rows(*left)));
    }
    if let Some(test) = &behind.emptied_by {
        line(text, depth, &format!("no row is left since: {test}"));
    }
    if behind.overlapping > 0 {
        line(
            text,
            depth,
            &format!("{} count once here but stand on several lines:", grouped(behind.overlapping)),
        );
        for (value, lines) in &behind.overlaps {
            line(text, depth + 1, &format!("{value}: {}", lines.join("; ")));
        }
        if behind.overlapping > behind.overlaps.len() {
            line(
                text,
                depth + 1,
                &format!("and {} more", grouped(behind.overlapping - behind.overlaps.len())),
            );
        }
    }
}

fn at_keys(text: &mut String, keys: &ExplainedKeys, depth: usize) {
    let (names, count) = (keys.keys.join(", "), grouped(keys.count));
    let s = if keys.count == 1 { "" } else { "s" };
    let colon = if keys.values.is_empty() { "" } else { ":" };
    line(text, depth, &format!("over {count} value{s}, one per {names}{colon}"));
    for (members, value) in &keys.values {
        line(text, depth + 1, &format!("{members}: {value}"));
    }
    if keys.count > keys.values.len() && !keys.values.is_empty() {
        line(text, depth + 1, &format!("and {} more", grouped(keys.count - keys.values.len())));
    }
    if !keys.first.is_empty() {
        line(text, depth, "the first of them:");
        keys.first.iter().for_each(|first| step(text, first, depth + 1));
    }
}
