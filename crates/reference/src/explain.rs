//! Why a cell is what it is: each step of its formulas with its value, and the rows behind it.

use crate::context::{Context, DayStep, Key, Lines, Seen, Step};
use crate::{Data, Evaluator};
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::rc::Rc;
use vembra_engine::Member;
use vembra_model::{
    Bound, BoundAggregate, BoundKind, BoundSummary, Clauses, Detail, DetailKey, Model, Over, What,
};
use vembra_plan::{AggregateFunction, ColumnId, EvalError, LinkId, RoleId, Scalar, TableId};
use vembra_syntax::Span;

/// One step: an expression with its value, and what it is made of.
#[derive(Clone, Debug)]
pub struct Trace {
    /// Where the expression is written.
    pub span: Span,
    /// The measure, if it is the formula of one.
    pub measure: Option<String>,
    /// The value.
    pub value: Scalar,
    /// The rows behind it, for an aggregate over rows.
    pub behind: Option<Behind>,
    /// The values at keys, for an aggregate over keys.
    pub keys: Option<KeyValues>,
    /// What it is made of.
    pub steps: Vec<Trace>,
}

/// The rows behind an aggregate.
#[derive(Clone, Debug)]
pub struct Behind {
    /// The table.
    pub table: TableId,
    /// The roles in force, the last one that a table has wins.
    pub roles: Vec<RoleId>,
    /// All rows of the table, and how many each test leaves, one after the other.
    pub all: usize,
    /// The tests in their order.
    pub sieve: Vec<Sieve>,
    /// The rows that are left, where they are here.
    pub rows: Vec<usize>,
    /// How many are left.
    pub left: usize,
    /// For a count of different values: those that stand on several lines below a total.
    pub overlaps: Vec<Overlap>,
}

/// A test of rows.
#[derive(Clone, Debug)]
pub struct Sieve {
    /// What rows must be.
    pub part: Part,
    /// How many are left, where it was counted: otherwise the next test that was says so.
    pub left: Option<usize>,
}

/// What rows must be.
#[derive(Clone, Debug)]
pub enum Part {
    /// At a member of an axis of the query.
    Axis(usize, Member),
    /// At a member of a detail of its own.
    Detail(ColumnId, Option<RoleId>, Member),
    /// Under a condition, which is written here.
    Condition(Span),
    /// Among the lines that `having` (0) or `top` (1) chose.
    Chosen(usize),
    /// Within a date range.
    Days(DaysPart),
    /// Under the aggregate's own condition.
    Own(Span),
}

/// Days that rows must be on.
#[derive(Clone, Debug)]
pub struct DaysPart {
    /// The first, the last, and how many; none where the date range cannot be taken.
    pub taken: Option<(i32, i32, usize)>,
    /// What it is worked out from.
    pub from: Vec<Part>,
    /// For days to date that the cell begins after: the last day with data, and the links by which rows reach days.
    pub ended: Option<(i32, Vec<LinkId>)>,
}

/// A value that counts once in a total, though it stands on several lines.
#[derive(Clone, Debug, PartialEq)]
pub struct Overlap {
    /// The value.
    pub value: Scalar,
    /// The lines on which it stands: a member per axis that the total leaves open.
    pub lines: Vec<Vec<Member>>,
}

/// The values at keys.
#[derive(Clone, Debug)]
pub struct KeyValues {
    /// The attributes.
    pub keys: Vec<(ColumnId, Option<RoleId>)>,
    /// How many combinations there are.
    pub count: usize,
    /// The combinations with their values, where rows are here.
    pub values: Vec<(Vec<Member>, Scalar)>,
    /// How the value of the first combination comes about, and the condition that it passed.
    pub first: Vec<Trace>,
}

/// A figure of a query at a cell: the number of the figure, and a member per axis, [`Member::All`] for those that it
/// is a total over.
pub type ToExplain = (usize, Vec<Member>);

/// Explains figures of a query.
///
/// # Errors
/// Overflow, and values that cannot be worked out.
pub fn explain(
    model: &Model,
    data: &Data,
    query: &BoundSummary,
    cells: &[ToExplain],
) -> Result<Vec<Trace>, EvalError> {
    let evaluator = Evaluator::new(model, data, Some(query));
    let base = evaluator.base(query, 2);
    let mut levels: BTreeMap<Vec<usize>, Lines> = BTreeMap::new();
    let mut traces = Vec::new();
    let shared = RefCell::default();
    for (show, members) in cells {
        let on = |all: bool| (0..members.len()).filter(move |at| (members[*at] == Member::All) == all);
        let kept: Vec<usize> = on(false).collect();
        let position = kept.iter().map(|at| (Key::Axis(*at), members[*at].clone())).collect();
        let mut context = base.clone();
        // Ranks, shares and the like look along the lines of the level.
        if model.has_window(&query.shows[*show].expr) {
            if !levels.contains_key(&kept) {
                let shown = query.shows.iter().take(query.shows.len() - query.extra);
                let shown: Vec<&Bound> = shown.map(|s| &s.expr).collect();
                let mut lines = evaluator.positions(&shown, &base, &kept)?;
                lines.extend(evaluator.between(query, &kept, &lines, &base)?);
                levels.insert(kept.clone(), Rc::new(lines));
            }
            context.lines = levels.get(&kept).map(|lines| (lines.clone(), base.steps.len()));
        }
        context.steps.push(Step::Keys(position));
        let (open, told) = (on(true).collect(), Cell::new(0));
        let shared_steps = base.steps.len();
        let tracer = Tracer { evaluator: &evaluator, open, told, shared_steps, shared: &shared };
        traces.push(tracer.trace(&query.shows[*show].expr, &context, false)?);
    }
    Ok(traces)
}

struct Tracer<'e, 'a> {
    evaluator: &'e Evaluator<'a>,
    /// The axes that the cell is a total over.
    open: Vec<usize>,
    /// How many steps were reported.
    told: Cell<usize>,
    /// How many steps the contexts of all cells begin with.
    shared_steps: usize,
    /// The rows that tests leave, by the table, its roles and the tests: cells share the conditions of the query and the members
    /// above them.
    shared: &'e RefCell<HashMap<String, Vec<usize>>>,
}

/// After how many steps a measure says its value only: nobody reads on.
const MOST_STEPS: usize = 1_000;

impl<'a> Tracer<'_, 'a> {
    fn trace(&self, bound: &'a Bound, context: &Context<'a>, folded: bool) -> Result<Trace, EvalError> {
        if context.to_date.is_none() {
            return self.trace(bound, &self.evaluator.dated(bound, context), folded);
        }
        let plain = |value: Scalar| Trace {
            span: bound.span,
            measure: None,
            value,
            behind: None,
            keys: None,
            steps: Vec::new(),
        };
        match &bound.kind {
            BoundKind::Measure(id) => {
                let measure = self.evaluator.model.measure(*id);
                if self.told.replace(self.told.get() + 1) > MOST_STEPS {
                    let value = self.evaluator.cell(bound, context, folded)?;
                    return Ok(Trace { measure: Some(measure.name.clone()), ..plain(value) });
                }
                let step = self.trace(&measure.formula, context, folded)?;
                let value = step.value.clone();
                Ok(Trace { measure: Some(measure.name.clone()), steps: vec![step], ..plain(value) })
            }
            BoundKind::Treatment(treatment) => {
                let step = self.trace(&treatment.formula, context, folded)?;
                let value = step.value.clone();
                Ok(Trace { measure: Some(treatment.name.clone()), steps: vec![step], ..plain(value) })
            }
            BoundKind::Call(function, args) => {
                let steps: Result<Vec<Trace>, EvalError> =
                    args.iter().map(|a| self.trace(a, context, folded)).collect();
                let steps = steps?;
                let values: Vec<Scalar> = steps.iter().map(|s| s.value.clone()).collect();
                let value = self.evaluator.called(*function, &values, bound.ty)?;
                // What is written outright explains itself.
                let told =
                    steps.into_iter().zip(args).filter(|(_, a)| !matches!(a.kind, BoundKind::Literal(_)));
                Ok(Trace { steps: told.map(|(s, _)| s).collect(), ..plain(value) })
            }
            BoundKind::Claused(inner, clauses) => {
                let value = self.evaluator.cell(bound, context, folded)?;
                let still_folded = folded && clauses.detail.is_none();
                let step = self.trace(inner, &self.inside(clauses, context, folded), still_folded)?;
                // A detail that the cell does not settle has no value, and no steps to it.
                let steps = if value == step.value { vec![step] } else { Vec::new() };
                Ok(Trace { steps, ..plain(value) })
            }
            BoundKind::Aggregate(plan) => {
                let value = self.evaluator.cell(bound, context, folded)?;
                match &plan.over {
                    Over::Rows(table) => {
                        Ok(Trace { behind: Some(self.behind(plan, *table, context)?), ..plain(value) })
                    }
                    Over::Keys(keys) => {
                        Ok(Trace { keys: Some(self.keys(plan, keys, context)?), ..plain(value) })
                    }
                }
            }
            BoundKind::Window(window) => {
                let value = self.evaluator.cell(bound, context, folded)?;
                Ok(Trace { steps: vec![self.trace(&window.value, context, folded)?], ..plain(value) })
            }
            _ => Ok(plain(self.evaluator.cell(bound, context, folded)?)),
        }
    }

    /// The context inside of clauses, with the keys that a detail fixes.
    fn inside(&self, clauses: &'a Clauses, context: &Context<'a>, folded: bool) -> Context<'a> {
        let inside = self.evaluator.inside(clauses, context);
        match &clauses.detail {
            Some(Detail::Overall) => inside.and(Step::Forget(&What::All, true)),
            Some(Detail::Per(keys)) if folded => {
                let own = keys.iter().map(|k| {
                    let key = self.evaluator.detail(k);
                    let found = context.folded.iter().find(|(m, _)| *m == key);
                    (key, found.map_or(Member::None, |(_, m)| m.clone()))
                });
                inside.and(Step::Keys(own.collect()))
            }
            _ => inside,
        }
    }

    fn keys(
        &self,
        plan: &'a BoundAggregate,
        keys: &'a [DetailKey],
        context: &Context<'a>,
    ) -> Result<KeyValues, EvalError> {
        let combinations = self.evaluator.combinations(plan, keys, context)?;
        let first = match (combinations.first(), &plan.value) {
            (Some((members, _, _)), Some(value)) => {
                let mut inner = context.clone();
                inner.folded.clone_from(members);
                let parts = std::iter::once(value).chain(&plan.condition);
                parts.map(|part| self.trace(part, &inner, true)).collect::<Result<_, EvalError>>()?
            }
            _ => Vec::new(),
        };
        let names = combinations.first().map(|(members, _, _)| members.clone()).unwrap_or_default();
        Ok(KeyValues {
            keys: names
                .iter()
                .filter_map(|(key, _)| match key {
                    Key::Detail(column, role) | Key::Settled(column, role) => Some((*column, *role)),
                    Key::Axis(_) => None,
                })
                .collect(),
            count: combinations.len(),
            values: combinations
                .into_iter()
                .map(|(members, value, _)| (members.into_iter().map(|(_, m)| m).collect(), value))
                .collect(),
            first,
        })
    }

    /// The rows behind an aggregate, test by test.
    fn behind(
        &self,
        plan: &'a BoundAggregate,
        table: TableId,
        context: &Context<'a>,
    ) -> Result<Behind, EvalError> {
        let evaluator = self.evaluator;
        let roles = evaluator.own_roles(table, &context.roles());
        let seen = evaluator.seen(context, table)?;
        let all = evaluator.data.rows(table);
        let mut rows: Vec<usize> = (0..all).collect();
        let mut sieve = Vec::new();
        // Each test alone, so that the one that lets nothing through is known.
        let mut so_far = Seen::default();
        let mut past = Some(String::new());
        for (part, test) in tests(&seen) {
            // What is said of the rows of a bridge must hold of one of them together.
            let test = if evaluator.bridges.is_empty() { test } else { so_far.with(test) };
            so_far = test.clone();
            rows = self.that_belong(rows, (&test, &mut past), table, context)?;
            sieve.push(Sieve { part, left: Some(rows.len()) });
        }
        if let Some(condition) = &plan.condition {
            let mut left = Vec::new();
            for row in rows {
                if !evaluator.ways_in(&so_far, Some(condition), (table, row), context)?.is_empty() {
                    left.push(row);
                }
            }
            rows = left;
            sieve.push(Sieve { part: Part::Own(condition.span), left: Some(rows.len()) });
        }
        let overlaps = self.overlaps(plan, table, context, (&rows, &so_far))?;
        let roles = roles.iter().map(|r| r.role).collect();
        Ok(Behind { table, roles, all, sieve, left: rows.len(), rows, overlaps })
    }

    /// The rows that belong to a cell as it is looked at. `past` names what they were asked for before where that is the same for
    /// all cells that ask for it, and is none after anything else.
    fn that_belong(
        &self,
        rows: Vec<usize>,
        (test, past): (&Seen<'a>, &mut Option<String>),
        table: TableId,
        context: &Context<'a>,
    ) -> Result<Vec<usize>, EvalError> {
        let evaluator = self.evaluator;
        let roles = evaluator.own_roles(table, &context.roles());
        let is_of_query = |(_, steps): &(&Bound, usize)| *steps <= self.shared_steps;
        let is_shared =
            test.chosen.is_empty() && test.days.is_none() && test.conditions.iter().all(is_of_query);
        if let Some(known) = past.as_mut().filter(|_| is_shared) {
            let own: Vec<RoleId> = roles.iter().map(|r| r.role).collect();
            let conditions: Vec<_> = test.conditions.iter().map(|(c, steps)| (c.span, steps)).collect();
            known.push_str(&format!("{table:?}{own:?}{:?}{conditions:?};", test.position));
            if let Some(rows) = self.shared.borrow().get(known) {
                return Ok(rows.clone());
            }
        } else {
            *past = None;
        }
        let standing = |(key, member): &(Key, Member)| {
            let standing = evaluator.standing(key, table, &roles).filter(|s| s.failing.is_empty())?;
            Some((standing, format!("{member:?}")))
        };
        let only_members = is_shared && test.conditions.is_empty();
        let at_members: Option<Vec<_>> = test.position.iter().map(standing).collect();
        let left = match at_members.filter(|_| only_members) {
            Some(at_members) => at_members.iter().fold(rows, |left, (standing, member)| {
                standing.rows.get(member).map_or_else(Vec::new, |there| among(left, there))
            }),
            None => {
                let belongs = |row: &usize| evaluator.belongs(test, table, *row, context);
                let left =
                    rows.into_iter().filter_map(|row| belongs(&row).map(|is| is.then_some(row)).transpose());
                left.collect::<Result<_, _>>()?
            }
        };
        if let Some(known) = past {
            self.shared.borrow_mut().insert(known.clone(), left.clone());
        }
        Ok(left)
    }

    /// Of a count of different values in a total, those that stand on several of its lines; of other figures, what stands on several lines behind
    /// a bridge, by its key.
    fn overlaps(
        &self,
        plan: &'a BoundAggregate,
        table: TableId,
        context: &Context<'a>,
        (rows, seen): (&[usize], &Seen<'a>),
    ) -> Result<Vec<Overlap>, EvalError> {
        let roles = self.evaluator.own_roles(table, &context.roles());
        let open: Vec<Key> = self
            .open
            .iter()
            .map(|at| Key::Axis(*at))
            .filter(|key| self.evaluator.key_reached(key, table, &roles))
            .collect();
        let crosses = |key: &Key| {
            let mut columns = self.evaluator.key_columns(key).into_iter();
            columns.find_map(|(column, role)| self.evaluator.crossing(table, column, role, &roles))
        };
        let counted = plan.value.as_ref().filter(|_| plan.function == AggregateFunction::CountDistinct);
        let bridge = open.iter().find_map(crosses);
        if open.is_empty() || counted.is_none() && bridge.is_none() {
            return Ok(Vec::new());
        }
        let own = |row: usize| match (counted, &bridge) {
            (Some(value), _) => self.evaluator.row(value, table, row, &roles, context),
            (None, Some(bridge)) => {
                let key = self.evaluator.model.schema.link(bridge.link).to[0];
                match self.evaluator.reach(&bridge.path, row)? {
                    crate::data::Reached::Row(at) => self.evaluator.value(key, at),
                    _ => Ok(Scalar::Null),
                }
            }
            (None, None) => Ok(Scalar::Null),
        };
        // By the text of a value: the value, and the lines on which it stands.
        let mut found: BTreeMap<String, Overlap> = BTreeMap::new();
        let mut known: BTreeSet<(String, String)> = BTreeSet::new();
        for row in rows {
            let own = own(*row)?;
            if own.is_null() {
                continue;
            }
            let name = own.literal();
            let entry =
                found.entry(name.clone()).or_insert_with(|| Overlap { value: own, lines: Vec::new() });
            for way in self.evaluator.ways_in(seen, plan.condition.as_ref(), (table, *row), context)? {
                let position = || self.evaluator.position_of(&open, table, *row, &roles);
                let members: Vec<Member> =
                    self.evaluator.looking(&way, position)?.into_iter().map(|(_, member)| member).collect();
                if known.insert((name.clone(), format!("{members:?}"))) {
                    entry.lines.push(members);
                }
            }
        }
        let mut overlaps: Vec<Overlap> = found.into_values().filter(|o| o.lines.len() > 1).collect();
        overlaps.sort_by_key(|o| std::cmp::Reverse(o.lines.len()));
        Ok(overlaps)
    }
}

/// What rows must be, each test alone.
fn tests<'a>(seen: &Seen<'a>) -> Vec<(Part, Seen<'a>)> {
    let mut tests = Vec::new();
    for (condition, steps) in &seen.conditions {
        let test = Seen { conditions: vec![(condition, *steps)], ..Seen::default() };
        tests.push((Part::Condition(condition.span), test));
    }
    for which in &seen.chosen {
        tests.push((Part::Chosen(*which), Seen { chosen: vec![*which], ..Seen::default() }));
    }
    for (key, member) in &seen.position {
        let part = match key {
            Key::Axis(at) => Part::Axis(*at, member.clone()),
            Key::Detail(column, role) | Key::Settled(column, role) => {
                Part::Detail(*column, *role, member.clone())
            }
        };
        tests.push((part, Seen { position: vec![(*key, member.clone())], ..Seen::default() }));
    }
    if let Some(days) = &seen.days {
        let ends = days.as_ref().and_then(|d| Some((*d.first()?, *d.last()?, d.len())));
        let from = seen.during.iter().flatten().filter_map(|step| match step {
            DayStep::At(Key::Axis(at), member) => Some(Part::Axis(*at, member.clone())),
            DayStep::At(Key::Detail(column, role) | Key::Settled(column, role), member) => {
                Some(Part::Detail(*column, *role, member.clone()))
            }
            DayStep::Where(condition) => Some(Part::Condition(condition.span)),
            DayStep::Take(_) => None,
        });
        let part = Part::Days(DaysPart { taken: ends, from: from.collect(), ended: seen.ended.clone() });
        tests.push((part, Seen { days: Some(days.clone()), ..Seen::default() }));
    }
    tests
}

/// The rows that are among others; both ascend.
fn among(rows: Vec<usize>, others: &[usize]) -> Vec<usize> {
    let mut rest = others.iter().peekable();
    let is_among = |row: &usize| {
        while rest.next_if(|other| *other < row).is_some() {}
        rest.peek() == Some(&row)
    };
    rows.into_iter().filter(is_among).collect()
}
