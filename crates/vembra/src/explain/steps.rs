//! From what the plain evaluator did to what is said of it.

use super::parts::{ExplainedKeys, ExplainedRows, ExplainedStep, Explanation, SecondWay};
use super::{Explainer, TOLD, line_at, named};
use std::collections::BTreeMap;
use vembra_draw::format_value;
use vembra_engine::{Member, Summary};
use vembra_model::Bound;
use vembra_plan::{LevelKind, RoleId, Scalar};
use vembra_reference::{Behind, DaysPart, Part, ToExplain, Trace};
use vembra_syntax::Span;

impl Explainer<'_> {
    pub(super) fn explanation(
        &self,
        (show, members): &ToExplain,
        kind: LevelKind,
        trace: &Trace,
        summary: &Summary,
    ) -> Explanation {
        let model = &self.session.model;
        let measure = &summary.measures[*show];
        let cell = line_at(summary, members).map(|line| &line.cells[*show]);
        let (_, format) = measure.on(kind);
        let written = |value: &Scalar| match value {
            Scalar::Null => "no value".to_owned(),
            value => format_value(value, format, model.currency.as_deref()),
        };
        let viewer = |name: &String| model.viewers.iter().find(|v| v.name == *name);
        let limits = self.session.viewer.as_ref().and_then(viewer);
        Explanation {
            others: Vec::new(),
            second_way: SecondWay::RowByRow,
            viewer: self.session.viewer.clone(),
            figure: measure.heading.label.clone(),
            cell: named(members, summary),
            given: self.given(*show),
            limits: limits.map(|v| format!("{} sees only {}", v.name, v.text)),
            value: written(&trace.value),
            engine: cell.map(|c| written(&c.value)),
            agrees: cell.is_none_or(|c| c.value.alike(&trace.value)),
            not_a_sum: cell.filter(|c| c.adds_up == Some(false)).map(|_| vembra_draw::why_not_a_sum(measure)),
            shared: cell.and_then(vembra_engine::Cell::shared),
            lacking: cell.and_then(vembra_engine::Cell::lacking).map(|lacking| lacking.to_string()),
            step: self.step(trace, summary),
        }
    }

    /// The parameters that the figure and the query look at, with their values.
    fn given(&self, show: usize) -> Vec<(String, String)> {
        let params = &self.session.model.params;
        let mut bounds: Vec<&Bound> = vec![&self.query.shows[show].expr];
        bounds.extend(self.query.filters.iter().chain(&self.query.having));
        let used = self.session.model.params_in(&bounds);
        let named = self.query.params.iter().filter(|(id, _)| used.contains(id));
        named.map(|(id, value)| (params[id.0 as usize].name.clone(), value.to_string())).collect()
    }

    /// The text at a place on one line.
    fn written(&self, span: Span) -> String {
        vembra_syntax::one_line(self.sources.slice(span))
    }

    /// Where a text stands: in the query, or in a file.
    fn origin(&self, span: Span) -> String {
        if span.source == self.source {
            "the query".to_owned()
        } else {
            let (line, _) = self.sources.line_column(span);
            format!("{}, line {line}", self.sources.name(span.source))
        }
    }

    fn step(&self, trace: &Trace, summary: &Summary) -> ExplainedStep {
        let value = if trace.value.is_null() { "no value".to_owned() } else { trace.value.to_string() };
        let mut steps: Vec<ExplainedStep> = trace.steps.iter().map(|s| self.step(s, summary)).collect();
        let mut text = self.written(trace.span);
        if let Some(name) = &trace.measure {
            text.clone_from(name);
            // The measure and its formula are one step to its readers.
            if let [only] = steps.as_mut_slice() {
                let formula = std::mem::take(&mut only.text);
                let (behind, keys) = (only.behind.take(), only.keys.take());
                let steps = std::mem::take(&mut only.steps);
                return ExplainedStep { text: format!("{name} = {formula}"), value, behind, keys, steps };
            }
        }
        ExplainedStep {
            text,
            value,
            behind: trace.behind.as_ref().map(|b| self.behind(b, summary)),
            keys: trace.keys.as_ref().map(|k| ExplainedKeys {
                keys: k.keys.iter().map(|(column, role)| self.attribute(*column, *role)).collect(),
                count: k.count,
                values: k
                    .values
                    .iter()
                    .take(TOLD)
                    .map(|(members, value)| {
                        let names: Vec<String> = members.iter().map(Member::to_string).collect();
                        (
                            names.join(", "),
                            if value.is_null() { "no value".to_owned() } else { value.to_string() },
                        )
                    })
                    .collect(),
                first: k.first.iter().map(|first| self.step(first, summary)).collect(),
            }),
            steps,
        }
    }

    fn attribute(&self, column: vembra_plan::ColumnId, role: Option<RoleId>) -> String {
        let schema = &self.session.model.schema;
        match role {
            Some(role) => format!("{}.{}", self.session.model.role_name(role), schema.column(column).name),
            None => schema.qualified(column),
        }
    }

    fn behind(&self, behind: &Behind, summary: &Summary) -> ExplainedRows {
        let model = &self.session.model;
        let mut tests: Vec<(String, usize)> = Vec::new();
        let mut before = behind.all;
        let mut emptied_by = None;
        // Tests that were not counted by themselves are reported with the next one that was.
        let mut together: Vec<String> = Vec::new();
        for sieve in &behind.sieve {
            together.push(self.part(&sieve.part, summary));
            let Some(left) = sieve.left else { continue };
            let text = std::mem::take(&mut together).join("; ");
            if before > 0 && left == 0 {
                emptied_by = Some(text.clone());
            }
            before = left;
            tests.push((text, left));
        }
        let line =
            |members: &Vec<Member>| members.iter().map(Member::to_string).collect::<Vec<_>>().join(", ");
        ExplainedRows {
            table: model.schema.table(behind.table).name.clone(),
            roles: self.roles(behind),
            all: behind.all,
            tests,
            emptied_by,
            rows: behind.rows.clone(),
            overlaps: behind
                .overlaps
                .iter()
                .take(TOLD)
                .map(|o| (o.value.to_string(), o.lines.iter().map(line).collect()))
                .collect(),
            overlapping: behind.overlaps.len(),
            left: behind.left,
        }
    }

    /// The role of each link with roles from a table: the one asked for, or the default.
    fn roles(&self, behind: &Behind) -> Vec<String> {
        let model = &self.session.model;
        let schema = &model.schema;
        let mut told: BTreeMap<String, String> = BTreeMap::new();
        for link in schema.link_ids().filter(|l| schema.link_source(*l) == behind.table) {
            let target = schema.link_target(link);
            let Some(role) = schema.link(link).role else { continue };
            let asked = behind.roles.iter().rev().find(|r| model.role_target(**r) == Some(target));
            let name = schema.table(target).name.clone();
            if asked == Some(&role) {
                told.insert(name.clone(), format!("{name} by {} (asked for)", model.role_name(role)));
            } else if asked.is_none() && schema.link(link).default {
                told.insert(name.clone(), format!("{name} by {} (the default)", model.role_name(role)));
            }
        }
        told.into_values().collect()
    }

    fn part(&self, part: &Part, summary: &Summary) -> String {
        match part {
            Part::Axis(at, member) => {
                let label =
                    summary.rows.iter().chain(&summary.columns).nth(*at).map_or("", |h| h.label.as_str());
                format!("{label} is {member} (the cell)")
            }
            Part::Detail(column, role, member) => {
                format!("{} is {} (its own detail)", self.attribute(*column, *role), member)
            }
            Part::Condition(span) => format!("{} ({})", self.written(*span), self.origin(*span)),
            Part::Chosen(0) => "among the lines that 'having' chose (the query)".to_owned(),
            Part::Chosen(_) => "among the members that 'top' chose (the query)".to_owned(),
            Part::Days(days) => {
                let from: Vec<String> = days.from.iter().map(|p| self.part(p, summary)).collect();
                let from =
                    if from.is_empty() { String::new() } else { format!(", from {}", from.join(" and ")) };
                match &days.taken {
                    None => format!("no days: {}{from}", self.why_no_days(days)),
                    Some((first, last, count)) => {
                        let (first, last) = (Scalar::Date(*first), Scalar::Date(*last));
                        let days = if *count == 1 { "day" } else { "days" };
                        format!("{count} {days} from {first} to {last} (a date range{from})")
                    }
                }
            }
            Part::Own(span) => format!("{} (the aggregate's own condition)", self.written(*span)),
        }
    }

    /// Why a date range has no days.
    fn why_no_days(&self, days: &DaysPart) -> String {
        let Some((last, links)) = &days.ended else { return "the date range cannot be taken".to_owned() };
        let model = &self.session.model;
        let roles = links.iter().filter_map(|link| model.schema.link(*link).role);
        let mut names: Vec<&str> = roles.map(|role| model.role_name(role)).collect();
        names.dedup();
        let by = if names.is_empty() { String::new() } else { format!(" by {}", names.join(" or ")) };
        format!("the cell begins after {}, the last day on which rows stand{by}", Scalar::Date(*last))
    }
}
