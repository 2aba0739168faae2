//! Assertions: what a model says must hold.

use crate::error::Error;
use crate::session::Session;
use std::collections::BTreeMap;
use std::collections::btree_map::Entry;
use vembra_engine::{Answer, Line, Summary};
use vembra_model::{Assertion, AssertionCheck};
use vembra_plan::Scalar;
use vembra_syntax::Code;

/// How an assertion came out.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Outcome {
    /// What must hold, in words.
    pub title: String,
    /// Who looked.
    pub seen_by: Option<String>,
    /// The condition, as it is written; empty for two queries.
    pub condition: String,
    /// How many cells were looked at.
    pub checked: usize,
    /// The cells that fail, each in words.
    pub failed: Vec<String>,
}

impl Outcome {
    /// Whether it holds.
    pub fn holds(&self) -> bool {
        self.failed.is_empty()
    }
}

impl Session {
    /// Checks the assertions of the model, each as the one who looks. In the session of a viewer those of other viewers are left out.
    ///
    /// # Errors
    /// When a query of an assertion cannot be answered.
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vembra", "fact sale from 'sale'\nassert 'two rows': count(rows of sale) = 2\n")
    ///     .csv_text("sale", "amount\n1\n2\n")
    ///     .open()?;
    /// assert!(session.assertions()?.iter().all(vembra::Outcome::holds));
    /// # Ok::<(), vembra::Error>(())
    /// ```
    pub fn assertions(&self) -> Result<Vec<Outcome>, Error> {
        let mut seen: BTreeMap<&str, Self> = BTreeMap::new();
        let mut outcomes = Vec::new();
        for assertion in &self.model.assertions {
            let viewer = assertion.seen_by.as_deref();
            let outcome = match (viewer, self.viewer.as_deref()) {
                (None, _) => self.tried(assertion)?,
                (Some(other), Some(own)) if other == own => self.tried(assertion)?,
                // What others see cannot be distinguished from what this one sees.
                (Some(_), Some(_)) => continue,
                (Some(name), None) => {
                    let session: &Self = match seen.entry(name) {
                        Entry::Occupied(session) => session.into_mut(),
                        Entry::Vacant(none) => none.insert(self.seen_by(name)?),
                    };
                    match session.model.assertions.iter().find(|a| a.span == assertion.span) {
                        Some(own) => session.tried(own)?,
                        None => continue,
                    }
                }
            };
            outcomes.push(outcome);
        }
        Ok(outcomes)
    }

    /// How an assertion came out; one that needs a wrong measure cannot hold.
    fn tried(&self, assertion: &Assertion) -> Result<Outcome, Error> {
        match self.outcome(assertion) {
            Err(error) => match error.diagnostics().iter().find(|d| d.code == Code::V236) {
                Some(broken) => Ok(Outcome {
                    title: assertion.title.clone(),
                    seen_by: assertion.seen_by.clone(),
                    condition: String::new(),
                    checked: 0,
                    failed: vec![format!("it cannot be tried: {}", broken.message)],
                }),
                None => Err(error),
            },
            outcome => outcome,
        }
    }

    fn outcome(&self, assertion: &Assertion) -> Result<Outcome, Error> {
        let session = self;
        let sources = &session.model.sources;
        let (condition, (checked, failed)) = match &assertion.check {
            AssertionCheck::Holds { query, text } => {
                let answer = session.answer_to(sources, query, assertion.span)?;
                (vembra_syntax::one_line(text), failing(&answer))
            }
            AssertionCheck::Matches(left, right) => {
                let left = session.answer_to(sources, left, assertion.span)?;
                let right = session.answer_to(sources, right, assertion.span)?;
                (String::new(), differing(&left, &right))
            }
        };
        Ok(Outcome {
            title: assertion.title.clone(),
            seen_by: assertion.seen_by.clone(),
            condition,
            checked,
            failed,
        })
    }
}

fn members(summary: &Summary, line: &Line) -> Vec<String> {
    let headings = summary.rows.iter().chain(&summary.columns);
    let members = line.rows.iter().chain(&line.columns);
    headings.zip(members).map(|(heading, member)| format!("{} {member}", heading.label)).collect()
}

fn shown(value: &Scalar) -> String {
    if value.is_null() { "no value".to_owned() } else { value.to_string() }
}

/// What distinguishes two sides that read the same: a difference too small to be shown, or a type.
fn alike_but_apart(line: &Line) -> Option<String> {
    let [left, right, _] = line.cells.as_slice() else { return None };
    if left.value.is_null() || shown(&left.value) != shown(&right.value) {
        return None;
    }
    match (left.value.to_f64(), right.value.to_f64()) {
        (Some(a), Some(b)) if (a - b).abs() > 0.0 => Some(format!("they differ by {:e}", a - b)),
        _ => Some("they are equal, so it is the condition that does not hold".to_owned()),
    }
}

/// How many cells there are, and those for which the last figure is not true: it is null where a side has no value.
fn failing(answer: &Answer) -> (usize, Vec<String>) {
    let Answer::Summary(summary) = answer else { return (0, Vec::new()) };
    let fails = |line: &&Line| line.cells.last().is_none_or(|c| c.value.physical() != Some(1));
    let text = |line: &Line| {
        let sides = summary.measures.iter().zip(&line.cells).take(line.cells.len().saturating_sub(1));
        let sides: Vec<String> =
            sides.map(|(m, c)| format!("{} is {}", m.heading.label, shown(&c.value))).collect();
        let mut sides = sides;
        sides.extend(alike_but_apart(line));
        let at = members(summary, line).join(", ");
        match (at.is_empty(), sides.is_empty()) {
            (true, true) => "it does not hold".to_owned(),
            (true, false) => sides.join(", "),
            (false, true) => at,
            (false, false) => format!("{at}: {}", sides.join(", ")),
        }
    };
    (summary.lines.len(), summary.lines.iter().filter(fails).map(text).collect())
}

/// How many lines two answers have, and where they differ.
fn differing(left: &Answer, right: &Answer) -> (usize, Vec<String>) {
    match (left, right) {
        (Answer::Summary(left), Answer::Summary(right)) => summaries(left, right),
        (Answer::List(left), Answer::List(right)) => {
            let rows = left.rows.len().max(right.rows.len());
            let text = |row: Option<&Vec<Scalar>>| {
                row.map_or("no row".to_owned(), |r| r.iter().map(shown).collect::<Vec<_>>().join(", "))
            };
            let differs = |at: &usize| match (left.rows.get(*at), right.rows.get(*at)) {
                (Some(a), Some(b)) => !(a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.alike(b))),
                _ => true,
            };
            let found = (0..rows).filter(differs).map(|at| {
                format!("row {}: {} against {}", at + 1, text(left.rows.get(at)), text(right.rows.get(at)))
            });
            (rows, found.collect())
        }
        _ => (0, vec!["a summary cannot match a list".to_owned()]),
    }
}

fn summaries(left: &Summary, right: &Summary) -> (usize, Vec<String>) {
    if left.measures.len() != right.measures.len() {
        return (0, vec![format!("{} figures against {}", left.measures.len(), right.measures.len())]);
    }
    let key = |line: &Line| format!("{:?}", line.rows.iter().chain(&line.columns).collect::<Vec<_>>());
    let mut found = Vec::new();
    let others: std::collections::BTreeMap<String, &Line> = right.lines.iter().map(|l| (key(l), l)).collect();
    let mut matched = 0;
    for line in &left.lines {
        let at = members(left, line).join(", ");
        let Some(other) = others.get(&key(line)) else {
            found.push(format!("{at}: a line only on the left"));
            continue;
        };
        matched += 1;
        for ((measure, a), b) in left.measures.iter().zip(&line.cells).zip(&other.cells) {
            if !a.value.alike(&b.value) {
                let name = &measure.heading.label;
                found.push(format!("{at}: {name} is {} against {}", shown(&a.value), shown(&b.value)));
            }
        }
    }
    if matched < right.lines.len() {
        let own: std::collections::BTreeSet<String> = left.lines.iter().map(key).collect();
        let only = right.lines.iter().filter(|l| !own.contains(&key(l)));
        found.extend(only.map(|l| format!("{}: a line only on the right", members(right, l).join(", "))));
    }
    (left.lines.len(), found)
}
