//! The rest of a bridge: how many of its rows also belong to a member shown.

use crate::session::Session;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use vembra_engine::{Answer, Line, Member, Options, Shared, Summary};
use vembra_model::{BoundQuery, BoundSummary, BoundTop, counting_rest, facts_of};
use vembra_plan::{Plan, Query, TableId};
use vembra_syntax::Sources;

/// Rows of each table by the members of lines.
type Counts = HashMap<String, Vec<usize>>;

impl Session {
    /// Marks the figures of a rest whose rows also belong to a member shown, with their number. It only says more of an answer that is there.
    pub(crate) fn mark_shared(
        &self,
        (sources, query): (&Sources, &BoundQuery),
        plan: &Plan,
        summary: &mut Summary,
        options: &Options,
    ) {
        let (BoundQuery::Summary(query), Plan::Query(plan)) = (query, plan) else { return };
        let Some(top) = query.top.as_ref().filter(|top| top.rest.is_some() && query.having.is_none()) else {
            return;
        };
        let tables = split_tables(plan, top.axis);
        let facts = facts_of(&self.model, query);
        if tables.is_empty() {
            return;
        }
        let mut levels: BTreeMap<Vec<usize>, Vec<usize>> = BTreeMap::new();
        for (at, line) in summary.lines.iter().enumerate() {
            let standing = standing(line);
            let whole = top.within.iter().all(|axis| standing.contains(axis));
            if whole && matches!(members(line).nth(top.axis), Some(Member::Rest(_))) {
                levels.entry(standing).or_default().push(at);
            }
        }
        for (standing, lines) in levels {
            let Some(shared) = self.shared_rows(sources, (query, top), (&standing, &tables), options) else {
                return;
            };
            for line in lines {
                let line = &mut summary.lines[line];
                let own =
                    shared.get(&key(standing.iter().filter(|a| **a != top.axis).map(|a| member(line, *a))));
                for (cell, fact) in line.cells.iter_mut().zip(&facts) {
                    let table = tables.iter().position(|table| Some(*table) == *fact);
                    let count = own.zip(table).map_or(0, |(own, table)| own[table]);
                    if count > 0 && !cell.value.is_null() {
                        cell.marked.get_or_insert_default().shared = Some(count);
                    }
                }
            }
        }
        let rest = top.rest.clone().unwrap_or_default();
        for (at, measure) in summary.measures.iter_mut().enumerate() {
            let rows: Vec<usize> = summary.lines.iter().filter_map(|line| line.cells[at].shared()).collect();
            let (few, many) = (rows.iter().min(), rows.iter().max());
            measure.shared = few.zip(many).map(|(few, many)| Shared {
                rest: rest.clone(),
                lines: rows.len(),
                rows: (*few, *many),
            });
        }
    }

    /// By the members of the other axes, how many rows of each table stand in the rest and under a chosen member as well: those of the rest and
    /// those of chosen members, less all.
    fn shared_rows(
        &self,
        sources: &Sources,
        (query, top): (&BoundSummary, &BoundTop),
        (standing, tables): (&[usize], &[TableId]),
        options: &Options,
    ) -> Option<Counts> {
        let others = standing.iter().copied().filter(|axis| *axis != top.axis);
        let axes: Vec<usize> = others.chain([top.axis]).collect();
        let counted = |rest: Option<String>| {
            let counting = BoundQuery::Summary(Box::new(counting_rest(query, top, &axes, tables, rest)));
            let mut plan = self.planned(sources, &counting, &mut Vec::new()).ok()?;
            let options = Options { profiler: None, ..options.clone() };
            match self.evaluate(&mut plan, &options) {
                Ok(Answer::Summary(summary)) => Some(summary),
                _ => None,
            }
        };
        let (with_rest, chosen) = (counted(top.rest.clone())?, counted(None)?);
        let last = axes.len() - 1;
        let by_others = |summary: &Summary, is: fn(&Member) -> bool| -> Counts {
            let lines = summary.lines.iter().filter(|line| is(member(line, last)) && standing_on(line, last));
            lines.map(|line| (key((0..last).map(|axis| member(line, axis))), counts(line))).collect()
        };
        let all = by_others(&with_rest, |member| *member == Member::All);
        let mut rest = by_others(&with_rest, |member| matches!(member, Member::Rest(_)));
        let chosen = by_others(&chosen, |member| *member == Member::All);
        for (others, own) in &mut rest {
            let (Some(all), Some(chosen)) = (all.get(others), chosen.get(others)) else { return None };
            let both = own.iter().zip(all.iter().zip(chosen));
            *own = both.map(|(rest, (all, chosen))| (rest + chosen).saturating_sub(*all)).collect();
        }
        Some(rest)
    }
}

/// The tables whose rows a bridge splits by an axis.
fn split_tables(plan: &Query, axis: usize) -> Vec<TableId> {
    let splits = |scan: &&vembra_plan::Scan| {
        scan.bridges.iter().flat_map(|bridge| &bridge.keys).any(|key| key.splits && key.key.index() == axis)
    };
    let tables: BTreeSet<TableId> = plan.graph.scans.iter().filter(splits).map(|scan| scan.table).collect();
    tables.into_iter().collect()
}

fn members(line: &Line) -> impl Iterator<Item = &Member> {
    line.rows.iter().chain(&line.columns)
}

fn member(line: &Line, axis: usize) -> &Member {
    members(line).nth(axis).unwrap_or(&Member::All)
}

/// The axes on which a line stands.
fn standing(line: &Line) -> Vec<usize> {
    let stands = |(axis, member): (usize, &Member)| (*member != Member::All).then_some(axis);
    members(line).enumerate().filter_map(stands).collect()
}

/// Whether a line stands on all axes before one.
fn standing_on(line: &Line, last: usize) -> bool {
    (0..last).all(|axis| *member(line, axis) != Member::All)
}

/// Members as a text that is equal for equal ones.
fn key<'m>(members: impl Iterator<Item = &'m Member>) -> String {
    members.map(|member| format!("{member:?}|")).collect()
}

/// The counts of a line.
fn counts(line: &Line) -> Vec<usize> {
    let count = |cell: &vembra_engine::Cell| cell.value.physical().and_then(|n| usize::try_from(n).ok());
    line.cells.iter().map(|cell| count(cell).unwrap_or(0)).collect()
}
