//! The command `check`.

use crate::Exit;
use crate::advice::in_options;
use crate::arguments::{Check, Written};
use crate::cache::{CachedAtEnd, shown_folder};
use crate::commands::{builder_with_input, open};
use crate::output::{answer, colours, data, failure, styled};
use vembra::{Checked, Code, Diagnostic, Error, ErrorKind, Outcome, Session, Severity, TextTable, grouped};

pub(crate) fn check(arguments: &Check) -> Exit {
    let as_data = arguments.format == Written::Json;
    let builder = match builder_with_input(&arguments.opened) {
        Ok(builder) => builder,
        Err(exit) => return exit,
    };
    let session = match open(builder) {
        Ok(session) => match session.counted() {
            Ok(session) => CachedAtEnd(session),
            Err(error) => return failure(&error),
        },
        Err(error) if as_data => {
            let told = data(pretty(&error.json()).as_bytes());
            let text = error.kind() == ErrorKind::Text;
            return if told == Exit::Fine { if text { Exit::Wrong } else { Exit::Findings } } else { told };
        }
        // A check that finds bad data has done its work.
        Err(error) if error.kind() == ErrorKind::Outside && error.diagnostics().is_empty() => {
            let missing = error.findings().iter().any(|f| f.code == Code::V610);
            styled(&error.render(colours()));
            return if missing { Exit::Outside } else { Exit::Findings };
        }
        Err(error) => return failure(&error),
    };
    let found = match Found::in_session(&session) {
        Ok(found) => found,
        Err(error) => return failure(&error),
    };
    let told = if as_data {
        data(pretty(&checked_json(&session, &found)).as_bytes())
    } else {
        answer(&format!("{}\n{}", report(&session), found.text(&session)))
    };
    match told {
        Exit::Fine if is_wrong(&session) => Exit::Wrong,
        Exit::Fine if found.matters(&session) => Exit::Findings,
        exit => exit,
    }
}

/// Whether a report, a dashboard or an assertion of the model is wrong.
fn is_wrong(session: &Session) -> bool {
    session.diagnostics().iter().any(|d| d.severity == Severity::Error)
}

/// What a check found.
pub(crate) struct Found {
    checked: Checked,
    outcomes: Vec<Outcome>,
}

impl Found {
    pub(crate) fn in_session(session: &Session) -> Result<Self, Error> {
        Ok(Self { checked: session.check_all()?, outcomes: session.assertions()? })
    }

    /// Whether there is more than notes.
    fn matters(&self, session: &Session) -> bool {
        self.checked.findings.iter().any(|f| f.severity != Severity::Note)
            || !session.diagnostics().is_empty()
            || !self.outcomes.iter().all(Outcome::holds)
    }

    pub(crate) fn text(&self, session: &Session) -> String {
        let notes = vembra::diagnostics_text(&session.model().sources, session.diagnostics(), false);
        let others = session.model().assertions.len() - self.outcomes.len();
        let others = match others {
            0 => String::new(),
            n => format!("not looked at: what {n} assertions say that others see\n\n"),
        };
        in_options(&format!(
            "{notes}{}{others}{}",
            assertions_text(&self.outcomes),
            findings_text(&self.checked, session.diagnostics())
        ))
    }
}

fn pretty(value: &serde_json::Value) -> String {
    in_options(&format!("{value:#}\n"))
}

/// What a check found, as data.
fn checked_json(session: &Session, found: &Found) -> serde_json::Value {
    let Found { checked, outcomes } = found;
    let accepted = checked.accepted.iter();
    let accepted = accepted.map(|(f, reason)| serde_json::json!({ "finding": f, "because": reason }));
    let assertions = outcomes.iter().map(|o| {
        serde_json::json!({ "title": o.title, "holds": o.holds(), "checked": o.checked, "failed": o.failed })
    });
    serde_json::json!({
        "diagnostics": vembra::diagnostics_json(&session.model().sources, session.diagnostics()),
        "findings": checked.findings,
        "accepted": accepted.collect::<Vec<_>>(),
        "assertions": assertions.collect::<Vec<_>>(),
    })
}

fn report(session: &Session) -> String {
    use vembra::Align::{Left, Right};
    let mut table = TextTable::new(vec![Left, Right, Left, Left, Right]);
    table.heading(["table", "rows", "column", "type", "missing"].map(str::to_owned).to_vec());
    for report in &session.load_report().tables {
        for (at, column) in report.columns.iter().enumerate() {
            let first = at == 0;
            let missing = if column.missing == 0 { String::new() } else { grouped(column.missing) };
            table.row(vec![
                if first { report.name.clone() } else { String::new() },
                if first { grouped(report.rows) } else { String::new() },
                column.name.clone(),
                column.ty.clone(),
                missing,
            ]);
        }
    }
    let model = session.model();
    let counts = [
        (model.schema.links.len(), "links"),
        (model.measures.len(), "measures"),
        (model.derived.len(), "derived tables"),
        (model.params.len(), "parameters"),
        (model.viewers.len(), "viewers"),
        (model.assertions.len(), "assertions"),
        (model.reports.len(), "reports"),
        (model.dashboards.len(), "dashboards"),
    ];
    let counts = counts.iter().filter(|(count, _)| *count > 0).map(|(count, what)| {
        if *count == 1 { format!("1 {}", what.trim_end_matches('s')) } else { format!("{count} {what}") }
    });
    let cache = session.cache().map(|cache| {
        let folder = shown_folder(cache.folder());
        format!("what was read is cached in {folder} for the next command; vembra cache lists it\n")
    });
    format!("{table}\n{}\n{}", counts.collect::<Vec<_>>().join(", "), cache.unwrap_or_default())
}

/// How many cells at most of an assertion are listed.
const MOST_CELLS: usize = 5;

fn assertions_text(outcomes: &[Outcome]) -> String {
    let mut text = String::new();
    for outcome in outcomes {
        let seen = outcome.seen_by.as_ref().map(|v| format!(", seen by {v}")).unwrap_or_default();
        let cells = if outcome.checked == 1 { "cell" } else { "cells" };
        if outcome.holds() {
            let checked = grouped(outcome.checked);
            text.push_str(&format!("holds: {}{seen} ({checked} {cells})\n", outcome.title));
            continue;
        }
        let (failed, all) = (grouped(outcome.failed.len()), grouped(outcome.checked));
        let within =
            if outcome.checked == 0 { String::new() } else { format!(" (in {failed} of {all} {cells})") };
        text.push_str(&format!("FAILS: {}{seen}{within}\n", outcome.title));
        if !outcome.condition.is_empty() {
            text.push_str(&format!("  asserted: {}\n", outcome.condition));
        }
        for failed in outcome.failed.iter().take(MOST_CELLS) {
            text.push_str(&format!("  found:    {failed}\n"));
        }
        if outcome.failed.len() > MOST_CELLS {
            text.push_str(&format!("  and {} more\n", grouped(outcome.failed.len() - MOST_CELLS)));
        }
    }
    if !outcomes.is_empty() {
        text.push('\n');
    }
    text
}

fn findings_text(checked: &Checked, diagnostics: &[Diagnostic]) -> String {
    let findings = &checked.findings;
    let mut text = String::new();
    for (finding, reason) in &checked.accepted {
        text.push_str(&format!("accepted: {finding}\n  because {reason}\n"));
    }
    for finding in findings {
        text.push_str(&format!("{finding}\n  help: {}\n", finding.help));
    }
    // What the text of the model has wrong is reported before, and counts too.
    let all = findings.iter().map(|f| f.severity).chain(diagnostics.iter().map(|d| d.severity));
    let all: Vec<Severity> = all.collect();
    let count = |severity: Severity| all.iter().filter(|own| **own == severity).count();
    let plural = |n: usize, what: &str| format!("{n} {what}{}", if n == 1 { "" } else { "s" });
    if all.is_empty() {
        let more = if checked.accepted.is_empty() { "" } else { " besides what is accepted" };
        text.push_str(&format!("nothing wrong was found{more}\n"));
    } else {
        let errors = plural(count(Severity::Error), "error");
        let notes = match count(Severity::Note) {
            0 => String::new(),
            notes => format!(", {}", plural(notes, "note")),
        };
        text.push_str(&format!("\n{errors}, {}{notes}\n", plural(count(Severity::Warning), "warning")));
    }
    text
}
