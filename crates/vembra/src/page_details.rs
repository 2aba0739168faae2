//! What a page holds beside a picture: the rows that readers open, and where single figures come from.

use crate::error::Error;
use crate::explain::Explanation;
use crate::pages::ReportPlan;
use crate::query_execution::{Asked, Given};
use crate::session::Session;
use std::collections::BTreeMap;
use vembra_draw::{OpenRows, PageDetails, PageNote, Picture};
use vembra_engine::{Answer, Line, Member, Summary};
use vembra_model::{BoundQuery, BoundSummary, Report, Walk};
use vembra_plan::drawing::{Drawing, Form};
use vembra_reference::ToExplain;
use vembra_syntax::SourceId;

/// A page holds this many lines of a table whose rows open, and no level that would be more.
const MOST_LINES: usize = 5_000;

/// A page explains this many figures of one table, and this many of one whose rows open.
const MOST_EXPLAINED: (usize, usize) = (400, 4_000);

/// Figures of larger tables are not explained on the page: the command does it for one at a time.
const MOST_ROWS_EXPLAINED: usize = 200_000;

impl Session {
    /// What its page holds beside a picture of a report.
    pub(crate) fn page_details(
        &self,
        report: &Report,
        given: &Given,
        mut query: BoundSummary,
        picture: &Picture,
    ) -> Result<PageDetails, Error> {
        let mut details = PageDetails::default();
        let is_table = picture.drawing.form == Form::Table;
        if let Some(walk) = query.walk.clone().filter(|_| is_table) {
            if let Some(reason) = reason_not_to_open(&query) {
                details.notes.push(reason);
            } else if let Some((opened, answer)) = self.opened(report, given, &walk, &mut details.notes)? {
                let first = opened.row_axes - opened.walk.as_ref().map_or(0, |walk| walk.shown);
                details.opens = Some(OpenRows { answer, first });
                query = opened;
            }
        }
        let answer = details.opens.as_ref().map_or(&picture.answer, |opens| &opens.answer);
        if let Answer::Summary(summary) = answer {
            let cells = self.cells_to_explain(summary, &picture.drawing, details.opens.is_some());
            if is_table && !cells.is_empty() {
                let all = summary.lines.len() * picture.drawing.shown;
                details.notes.push(PageNote::Explained { count: cells.len(), all });
            }
            details.explained = self.figures_explained(&query, summary, cells)?;
        }
        Ok(details)
    }

    /// The rows of a hierarchy opened at every member, down to the last level of which the page can hold all lines.
    fn opened(
        &self,
        report: &Report,
        given: &Given,
        walk: &Walk,
        notes: &mut Vec<PageNote>,
    ) -> Result<Option<(BoundSummary, Answer)>, Error> {
        let mut opened = None;
        for levels in walk.shown.max(2)..=walk.levels.len() {
            let ReportPlan { mut plan, query, .. } = self.report_plan(report, given, Some(levels))?;
            let BoundQuery::Summary(query) = query else { break };
            let answer = self.report_answer(report, &mut plan)?;
            let Answer::Summary(summary) = &answer else { break };
            if summary.lines.len() > MOST_LINES {
                notes.push(PageNote::Depth {
                    level: walk.levels[levels - 2].clone(),
                    next: walk.levels[levels - 1].clone(),
                    lines: summary.lines.len(),
                    most: MOST_LINES,
                });
                break;
            }
            opened = Some((*query, answer));
        }
        Ok(opened)
    }

    /// The cells that are explained: the coarse levels first, and as many as the page takes.
    fn cells_to_explain(&self, summary: &Summary, drawing: &Drawing, opens: bool) -> Vec<(usize, usize)> {
        let most = match drawing.form {
            Form::Number => 1,
            Form::Table if opens => MOST_EXPLAINED.1,
            Form::Table => MOST_EXPLAINED.0,
            _ => 0,
        };
        // Rows of a server stay there.
        let largest = self.model.schema.table_ids().map(|t| self.star.rows(t)).max().unwrap_or(0);
        let most = if self.server.is_some() || largest > MOST_ROWS_EXPLAINED { 0 } else { most };
        let depth = |line: &Line| line.rows.iter().filter(|m| **m != Member::All).count();
        let mut lines: Vec<(usize, usize)> =
            summary.lines.iter().enumerate().map(|(at, line)| (depth(line), at)).collect();
        lines.sort_unstable();
        let shown = if drawing.form == Form::Number { 1 } else { drawing.shown };
        let cells = lines.into_iter().flat_map(|(_, line)| (0..shown).map(move |figure| (line, figure)));
        cells.take(most).collect()
    }

    fn figures_explained(
        &self,
        query: &BoundSummary,
        summary: &Summary,
        cells: Vec<(usize, usize)>,
    ) -> Result<BTreeMap<(usize, usize), String>, Error> {
        if cells.is_empty() {
            return Ok(BTreeMap::new());
        }
        let asked = Asked {
            sources: self.model.sources.clone(),
            // No text of its own: what is said of places names the file and the line.
            source: SourceId(u32::MAX),
            meaning: BoundQuery::Summary(Box::new(query.clone())),
            notes: Vec::new(),
        };
        let cell = |(line, figure): &(usize, usize)| -> ToExplain {
            let line = &summary.lines[*line];
            (*figure, line.rows.iter().chain(&line.columns).cloned().collect())
        };
        let wanted: Vec<ToExplain> = cells.iter().map(cell).collect();
        let explained = self.explained(query, &wanted, summary, &asked)?;
        Ok(cells.into_iter().zip(explained.iter().map(Explanation::text)).collect())
    }
}

/// Why the rows of a hierarchy do not open on a page.
fn reason_not_to_open(query: &BoundSummary) -> Option<PageNote> {
    if query.having.is_some() {
        return Some(PageNote::ClosedByHaving);
    }
    query.figures.on_rows().then_some(PageNote::ClosedByFigures)
}
