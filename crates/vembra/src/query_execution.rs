//! A query on its way: from text to meaning, from meaning to plan, from plan to answer.

use crate::error::{Error, ErrorKind};
use crate::message_examples::with_own_names;
use crate::reply::Reply;
use crate::session::{Known, Session};
use std::collections::{BTreeMap, HashSet};
use vembra_engine::{Answer, Cell, EngineError, Line, Member, Options, Step, Summary, mark_partial, run};
use vembra_model::lower;
use vembra_model::{BoundQuery, NamedMember, ParamId, ParamValue};
use vembra_plan::{EvalError, Finding, Plan, Query, Scalar, Type, rewrite};
use vembra_syntax::{Code, Diagnostic, Severity, SourceId, Sources, Span, parse_query};

/// A query of more bytes is taken for something else.
const MOST_BYTES: usize = 1 << 20;

/// What parameters stand for.
pub(crate) type Given = BTreeMap<ParamId, ParamValue>;

/// A query whose names are bound.
pub(crate) struct Asked {
    /// All texts, that of the query last.
    pub(crate) sources: Sources,
    /// The text of the query.
    pub(crate) source: SourceId,
    /// What it means.
    pub(crate) meaning: BoundQuery,
    /// What is worth knowing of it; with errors among them it is not answered.
    pub(crate) notes: Vec<Diagnostic>,
}

impl Asked {
    /// The place of the whole query.
    pub(crate) fn span(&self) -> Span {
        whole(&self.sources, self.source)
    }
}

impl Session {
    /// Reads a query and binds its names.
    pub(crate) fn bound(&self, query: &str, given: &[(&str, &str)]) -> Result<Asked, Error> {
        let mut sources = self.model.sources.clone();
        let given = self.read_givens(&mut sources, given)?;
        if query.len() > MOST_BYTES {
            let message = format!("the query has {} MB", query.len() >> 20);
            let diagnostic = Diagnostic::new(Code::V605, message).help("a query has at most 1 MB");
            return Err(Error::text(sources, vec![diagnostic]));
        }
        let source = sources.add("query", query);
        let parsed = parse_query(source, query);
        if !parsed.diagnostics.is_empty() {
            return Err(Error::text(sources, with_own_names(self, parsed.diagnostics)));
        }
        let (meaning, notes) = vembra_model::ask(&self.model, &sources, source, &parsed.root, &given);
        match meaning {
            Some(meaning) => {
                let notes = notes.into_iter().chain(self.wrong_note()).collect();
                Ok(Asked { sources, source, meaning, notes })
            }
            None => Err(Error::text(sources, notes)),
        }
    }

    /// The plan of a bound query, unless something is wrong with it; notes on it are added to those that there are.
    pub(crate) fn planned(
        &self,
        sources: &Sources,
        meaning: &BoundQuery,
        notes: &mut Vec<Diagnostic>,
    ) -> Result<Plan, Error> {
        let (plan, more) = lower::plan(&self.model, sources, meaning, &Known(self));
        notes.extend(more);
        match plan.filter(|_| !is_refused(notes)) {
            Some(plan) => Ok(plan),
            None => Err(self.refused(sources, std::mem::take(notes))),
        }
    }

    /// The pipeline of a query: its text is read and bound, its meaning becomes a plan, the plan an answer.
    pub(crate) fn answer(
        &self,
        query: &str,
        given: &[(&str, &str)],
        options: &Options,
    ) -> Result<Reply, Error> {
        let mut asked = self.bound(query, given)?;
        let plan = self.planned(&asked.sources, &asked.meaning, &mut asked.notes)?;
        self.answered(asked, plan, options)
    }

    /// The answer to a plan of a query.
    pub(crate) fn answered(&self, asked: Asked, mut plan: Plan, options: &Options) -> Result<Reply, Error> {
        let mut answer = self
            .evaluate(&mut plan, options)
            .map_err(|error| evaluation_failure(&error, &asked.sources, asked.span()))?;
        let Asked { sources, mut notes, meaning, .. } = asked;
        if let Some(watch) = &options.profiler {
            watch.begins();
        }
        if let Answer::Summary(summary) = &mut answer {
            self.mark_shared((&sources, &meaning), &plan, summary, options);
        }
        notes.extend(blank_notes(&meaning, &answer));
        notes.extend(without_line_note(&meaning, &answer));
        notes.extend(not_opened_notes(&sources, &meaning, &answer));
        notes.extend(self.keyless_notes(&sources, &meaning, options));
        if let Some(watch) = &options.profiler {
            watch.ends(Step::Marks(lines_of(&answer)));
        }
        let (locale, fiscal_start) = (self.locale(), i32::from(self.model.fiscal_start));
        Ok(Reply { answer, notes, plan, sources, locale, fiscal_start })
    }

    /// Of figures over details how many rows have no key, and so make up a value of their own.
    fn keyless_notes(&self, sources: &Sources, meaning: &BoundQuery, options: &Options) -> Vec<Diagnostic> {
        let BoundQuery::Summary(query) = meaning else { return Vec::new() };
        let (found, counting) = vembra_model::keyless(&self.model, query);
        let may_lack = |k: &vembra_model::Keyless| {
            self.server.is_some() || self.star.may_lack(&k.path, k.key).unwrap_or(false)
        };
        if !found.iter().any(may_lack) {
            return Vec::new();
        }
        // It only says more of an answer that is there, and those who watch it watch that.
        let options = Options { profiler: None, ..options.clone() };
        let counting = BoundQuery::Summary(Box::new(counting));
        let Ok(mut plan) = self.planned(sources, &counting, &mut Vec::new()) else { return Vec::new() };
        let Ok(Answer::Summary(counted)) = self.evaluate(&mut plan, &options) else { return Vec::new() };
        let count = |at: usize| {
            let value = counted.lines.first().and_then(|line| line.cells.get(at)).map(|cell| &cell.value);
            value.and_then(vembra_plan::Scalar::physical).and_then(|n| usize::try_from(n).ok()).unwrap_or(0)
        };
        let note = |(at, keyless): (usize, &vembra_model::Keyless)| {
            let (all, unknown) = (count(2 * at), count(2 * at + 1));
            let key = self.model.written(keyless.key);
            let rows = |n: usize, what: &str, name: &str| {
                let have = if n == 1 { "row has" } else { "rows have" };
                (n > 0).then(|| format!("{} {have} {what}, named {name}", vembra_draw::grouped(n)))
            };
            let parts = [rows(all - unknown.min(all), &format!("no {key}"), "(none)")];
            let parts = parts.into_iter().chain([rows(
                unknown,
                &format!("a {key} that its table lacks"),
                "(unknown)",
            )]);
            let parts: Vec<String> = parts.flatten().collect();
            let message = format!("{}: they make up a value of the detail", parts.join(", and "));
            let help = format!("leave them out by a condition: where {key} is not null");
            (all > 0).then(|| Diagnostic::new(Code::V422, message).at(keyless.span, "").help(help))
        };
        found.iter().enumerate().filter_map(note).collect()
    }

    /// The answer to a query that is bound already.
    pub(crate) fn answer_to(
        &self,
        sources: &Sources,
        meaning: &BoundQuery,
        span: Span,
    ) -> Result<Answer, Error> {
        let mut plan = self.planned(sources, meaning, &mut Vec::new())?;
        let mut answer = self
            .evaluate(&mut plan, &self.options)
            .map_err(|error| evaluation_failure(&error, sources, span))?;
        if let Answer::Summary(summary) = &mut answer {
            self.mark_shared((sources, meaning), &plan, summary, &self.options);
        }
        Ok(answer)
    }

    /// Rewrites a plan and evaluates it.
    pub(crate) fn evaluate(&self, plan: &mut Plan, options: &Options) -> Result<Answer, EngineError> {
        self.rewrite(plan)?;
        let mut answer = match &self.server {
            Some(server) => server.answer(&self.star, plan, options),
            None => run(&self.star, plan, options),
        };
        if let (Plan::Query(query), Ok(Answer::Summary(summary))) = (&*plan, &mut answer) {
            if let Some(watch) = &options.profiler {
                watch.begins();
            }
            mark_partial(&self.star, query, summary).map_err(|error| self.told(error))?;
            if let Some(server) = &self.server {
                let count = |plan: &Plan, options: &Options| server.answer(&self.star, plan, options);
                summary.without_line = without_line(query, summary, options, count);
            }
            if let Some(watch) = &options.profiler {
                watch.ends(Step::Marks(summary.lines.len()));
            }
        }
        answer.map_err(|error| self.told(error))
    }

    /// Rewrites a plan in its place.
    pub(crate) fn rewrite(&self, plan: &mut Plan) -> Result<(), EngineError> {
        rewrite::run(&self.model.schema, plan).map_err(|error| EngineError::Internal(error.to_string()))
    }

    /// Whether parameters of these names take these values.
    ///
    /// # Errors
    /// What is wrong with a name or a value.
    pub fn check_given(&self, given: &[(&str, &str)]) -> Result<(), Error> {
        self.read_givens(&mut self.model.sources.clone(), given).map(drop)
    }

    pub(crate) fn read_givens(&self, sources: &mut Sources, given: &[(&str, &str)]) -> Result<Given, Error> {
        let mut values = BTreeMap::new();
        for (name, text) in given {
            match vembra_model::read_given(&self.model, sources, name, text) {
                Ok((id, value)) => drop(values.insert(id, value)),
                Err(diagnostics) => return Err(Error::text(sources.clone(), diagnostics)),
            }
        }
        Ok(values)
    }
}

/// How many lines or rows an answer has.
fn lines_of(answer: &Answer) -> usize {
    match answer {
        Answer::Summary(summary) => summary.lines.len(),
        Answer::List(list) => list.rows.len(),
    }
}

/// Sums and differences that are blank on lines where only one side has a value.
fn blank_notes(meaning: &BoundQuery, answer: &Answer) -> Vec<Diagnostic> {
    let (BoundQuery::Summary(query), Answer::Summary(summary)) = (meaning, answer) else { return Vec::new() };
    let blank = |(show, measure): (&vembra_model::BoundShow, &vembra_engine::MeasureHeading)| {
        let blank = measure.blank.as_ref()?;
        let (lines, of) = (vembra_draw::grouped(blank.lines), vembra_draw::grouped(blank.of));
        let label = &measure.heading.label;
        let message =
            format!("{label} has no value on {lines} of {of} lines, since {} has none there", blank.term);
        let note = Diagnostic::new(Code::V417, message).at(show.expr.span, "");
        Some(note.help(format!("where a missing one counts as nothing, write coalesce({}, 0)", blank.term)))
    };
    query.shows.iter().zip(&summary.measures).filter_map(blank).collect()
}

/// How many combinations of members are no lines of an answer from a server and have a value all the same: those of the details with `keep empty`
/// for which a figure says something. It only says more of an answer that is there.
fn without_line(
    query: &Query,
    summary: &Summary,
    options: &Options,
    answer: impl Fn(&Plan, &Options) -> Result<Answer, EngineError>,
) -> usize {
    let Some((level, reaching)) = query.outside_lines() else { return 0 };
    let says = |cells: &[Cell]| {
        let shown = query.shown(level).into_iter().zip(cells);
        shown.into_iter().any(|((node, _), cell)| {
            reaching.iter().any(|figure| figure.node == node && figure.says(&cell.value))
        })
    };
    let plan = Query { keep_empty: true, levels: vec![level.clone()], sort: Vec::new(), ..query.clone() };
    let options = Options { profiler: None, ..options.clone() };
    let Ok(Answer::Summary(all)) = answer(&Plan::Query(Box::new(plan)), &options) else { return 0 };
    let on_lines: HashSet<String> =
        summary.lines.iter().map(|line| format!("{:?}{:?}", line.rows, line.columns)).collect();
    let is_line = |line: &&Line| on_lines.contains(&format!("{:?}{:?}", line.rows, line.columns));
    all.lines.iter().filter(|line| !is_line(line) && says(&line.cells)).count()
}

/// Says where figures have values without being shown.
fn without_line_note(meaning: &BoundQuery, answer: &Answer) -> Option<Diagnostic> {
    let (BoundQuery::Summary(query), Answer::Summary(summary)) = (meaning, answer) else { return None };
    let (count, first) = (summary.without_line, query.shows.first()?);
    let lines = match count {
        0 => return None,
        1 => "1 line that is not shown has a value".to_owned(),
        n => format!("{} lines that are not shown have a value", vembra_draw::grouped(n)),
    };
    let message = format!("{lines}, though the fact has no rows there");
    let note = Diagnostic::new(Code::V423, message).at(first.expr.span, "");
    Some(note.help("add keep empty to the query to see them"))
}

/// Members that are opened and have no line, or whose parent is closed.
fn not_opened_notes(sources: &Sources, meaning: &BoundQuery, answer: &Answer) -> Vec<Diagnostic> {
    let (BoundQuery::Summary(query), Answer::Summary(summary)) = (meaning, answer) else { return Vec::new() };
    let Some(walk) = &query.walk else { return Vec::new() };
    let first = query.row_axes - walk.shown;
    let is_opened = |(level, value): &(usize, Scalar)| {
        let at = first + level;
        let below = |line: &Line| line.rows.get(at + 1).is_some_and(|m| *m != Member::All);
        summary.lines.iter().any(|line| line.rows[at] == Member::Value(value.clone()) && below(line))
    };
    let unopened = walk.named.iter().filter(|member| !member.values.iter().any(is_opened));
    unopened
        .map(|NamedMember { span, .. }| {
            let member = sources.slice(*span);
            Diagnostic::new(Code::V424, format!("{member} opens nothing: no line shows this member"))
                .at(*span, "")
                .help("write a member as the answer shows it, and open those above it too: open '2025', '2025-Q1'")
        })
        .collect()
}

pub(crate) fn is_refused(notes: &[Diagnostic]) -> bool {
    notes.iter().any(|d| d.severity == Severity::Error)
}

/// The place of a whole text.
pub(crate) fn whole(sources: &Sources, source: SourceId) -> Span {
    Span { source, start: 0, end: sources.text(source).len() }
}

pub(crate) fn evaluation_failure(error: &EngineError, sources: &Sources, span: Span) -> Error {
    if let EngineError::Unread(finding) = error {
        return Error::outside(vec![Finding::clone(finding)]);
    }
    let mut code = Code::V511;
    let help = match error {
        EngineError::TooManyLines(_) => "filter the query, or split it by fewer attributes",
        EngineError::OverBudget(_) => {
            code = Code::V512;
            "allow more with `SessionBuilder::memory`, filter the query, or split it by fewer attributes"
        }
        EngineError::Gone(_) => {
            code = Code::V515;
            "ask again: it is read from its file, as it is now"
        }
        EngineError::Unread(finding) => finding.help.as_str(),
        EngineError::Stopped => {
            code = Code::V513;
            "ask again when there is time for it, or ask for less"
        }
        EngineError::Internal(_) | EngineError::Value(EvalError::Internal(_)) => {
            "this is a fault of the program: please report it with the model and the query"
        }
        EngineError::SumOverflow(Type::Integer) => {
            "sum a decimal, which has 38 digits: sum(cast(… as decimal)); or fix the data"
        }
        EngineError::SumOverflow(Type::Float) => {
            "leave out what is far too large by a condition, or fix the data"
        }
        EngineError::SumOverflow(_) => "turn the value into a float (cast(… as float)), or fix the data",
        EngineError::Value(EvalError::Overflow(Type::Integer)) => {
            "work it out as a decimal or a float: cast(… as decimal), cast(… as float); or fix the data"
        }
        EngineError::Value(EvalError::Overflow(Type::Decimal(_))) => {
            "turn one of the values into a float: cast(… as float); or fix the data"
        }
        EngineError::Value(EvalError::Overflow(_)) => "fix the data: a value lies far outside what is usual",
        EngineError::Value(EvalError::TextTooLong) => {
            "make texts shorter before they are put together: left(…, 100)"
        }
        EngineError::Value(EvalError::Digits { .. }) => {
            "allow more digits: cast(… as decimal(38, 4)); or leave such values out by a condition"
        }
        EngineError::Value(EvalError::Cast { .. }) => {
            "leave such values out by a condition, or let the column be a text"
        }
    };
    let diagnostic = Diagnostic::new(code, format!("the query cannot be answered: {error}"));
    let kind = if *error == EngineError::Stopped { ErrorKind::Stopped } else { ErrorKind::Outside };
    Error::text(sources.clone(), vec![diagnostic.at(span, "").help(help)]).caused(kind, error.clone())
}
