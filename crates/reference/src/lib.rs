//! The plain evaluator: per cell it builds the context, walks all rows, tests every condition, and recurses.
//!
//! It judges the engine in tests, and explains single cells ([`explain`]). It knows meaning ([`BoundSummary`]) and values, but no
//! plan, no codes and no kernels; with the engine it shares only the scalar functions. It is plain on purpose: it keeps nothing
//! but where links lead and where rows stand.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod aggregate;
mod between;
mod bridge;
mod cell;
mod context;
mod data;
mod days;
mod explain;
mod guard;
mod lacking;
mod walk;
mod window;

pub use data::Data;
pub use explain::{Behind, DaysPart, KeyValues, Overlap, Part, Sieve, ToExplain, Trace, explain};

use context::{Context, Key, Step};
use std::cell::{Cell, OnceCell, RefCell};
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::rc::Rc;
use vembra_engine::Member;
use vembra_model::{Bound, BoundQuery, BoundSummary, Crossing, Model, RoleUse};
use vembra_plan::{ColumnId, EvalError, LinkId, RoleId, Scalar, TableId, Type};

/// A line: its members (all over which it totals stand as [`Member::All`]) and its values.
#[derive(Clone, Debug)]
pub struct ReferenceLine {
    /// A member per axis.
    pub members: Vec<Member>,
    /// A value per figure.
    pub values: Vec<Scalar>,
    /// For a total of numbers whether it is the sum of its detail lines.
    pub adds_up: Vec<Option<bool>>,
    /// For a figure that there is, whether its date range lacks days before the calendar: the first of them, where it can be known.
    pub lacking: Vec<Option<Option<i32>>>,
}

/// Answers a summary the plain way; the lines come in no particular order.
///
/// # Errors
/// Overflow, and values that cannot be worked out.
pub fn answer(model: &Model, data: &Data, query: &BoundSummary) -> Result<Vec<ReferenceLine>, EvalError> {
    let evaluator = Evaluator::new(model, data, Some(query));
    let columns = query.axes.len() - query.row_axes;
    let counts = |most: usize, totals: bool| if totals { (0..=most).collect() } else { vec![most] };
    let mut lines = Vec::new();
    for rows in counts(query.row_axes, query.totals_on_rows.is_some()) {
        for columns in counts(columns, query.totals_on_columns.is_some()) {
            let kept: Vec<usize> = (0..rows).chain((0..columns).map(|c| query.row_axes + c)).collect();
            lines.extend(evaluator.level(&kept, query)?);
        }
    }
    add_up(query, &mut lines);
    Ok(lines)
}

/// The single rows of a list in its order, up to its limit: rows without a value come last, equal ones stay in the order of the file.
///
/// # Errors
/// Overflow, and values that cannot be worked out.
pub fn rows(model: &Model, data: &Data, query: &BoundQuery) -> Result<Vec<Vec<Scalar>>, EvalError> {
    let BoundQuery::List(list) = query else { return Ok(Vec::new()) };
    let query = BoundSummary { params: list.params.clone(), ..BoundSummary::default() };
    let evaluator = Evaluator::new(model, data, Some(&query));
    let (plain, all) = evaluator.filters(&list.filters, &list.via);
    let mut rows: Vec<(Vec<Scalar>, Vec<Scalar>)> = Vec::new();
    for row in 0..data.rows(list.table) {
        let mut here = false;
        for way in evaluator.ways(list.table, row, &list.via)? {
            let mut all = guard::Conditions::default();
            let mut out = false;
            for condition in &list.filters {
                let holds = || evaluator.holds(condition, list.table, row, &list.via, &plain);
                out = out || all.leave_out(evaluator.looking(&way, holds));
            }
            here |= !out && all.hold()?;
        }
        if here {
            let value = |expr| evaluator.row(expr, list.table, row, &list.via, &all);
            let keys: Result<Vec<Scalar>, EvalError> =
                list.sort.iter().map(|(expr, _)| value(expr)).collect();
            let values: Result<Vec<Scalar>, EvalError> =
                list.columns.iter().map(|c| value(&c.expr)).collect();
            rows.push((keys?, values?));
        }
    }
    rows.sort_by(|(a, _), (b, _)| {
        let one =
            |((a, b), (_, descending)): ((&Scalar, &Scalar), &(Bound, bool))| null_last(a, b, *descending);
        a.iter().zip(b).zip(&list.sort).map(one).find(|o| o.is_ne()).unwrap_or(Ordering::Equal)
    });
    rows.truncate(list.limit.unwrap_or(usize::MAX));
    Ok(rows.into_iter().map(|(_, values)| values).collect())
}

/// Null last, whatever the direction.
fn null_last(a: &Scalar, b: &Scalar, descending: bool) -> Ordering {
    match (a.is_null(), b.is_null()) {
        (false, false) if descending => b.compare(a),
        (false, false) => a.compare(b),
        (a, b) => a.cmp(&b),
    }
}

/// Compares each total of numbers with the sum of its detail lines.
fn add_up(query: &BoundSummary, lines: &mut [ReferenceLine]) {
    let is_detail = |l: &ReferenceLine| !l.members.contains(&Member::All);
    let details: Vec<ReferenceLine> = lines.iter().filter(|l| is_detail(l)).cloned().collect();
    for line in lines.iter_mut().filter(|l| !is_detail(l)) {
        let covered: Vec<&ReferenceLine> = details
            .iter()
            .filter(|d| line.members.iter().zip(&d.members).all(|(t, m)| *t == Member::All || t == m))
            .collect();
        for (at, show) in query.shows.iter().enumerate().filter(|(_, s)| s.expr.ty.is_number()) {
            let values: Vec<&Scalar> =
                covered.iter().map(|d| &d.values[at]).filter(|v| !v.is_null()).collect();
            let total = &line.values[at];
            if total.is_null() {
                continue;
            }
            line.adds_up[at] = Some(match (values.first(), show.expr.ty) {
                (None, _) => total.to_f64() == Some(0.0),
                (_, Type::Float) => {
                    let sum: f64 = values.iter().filter_map(|v| v.to_f64()).sum();
                    total.to_f64().is_some_and(|t| (t - sum).abs() <= 1e-9 * sum.abs().max(t.abs()))
                }
                _ => total.physical() == Some(values.iter().filter_map(|v| v.physical()).sum()),
            });
        }
    }
}

/// Chosen members, by what chooses them.
type Chosen = BTreeMap<usize, Rc<Vec<Vec<Member>>>>;

struct Evaluator<'a> {
    model: &'a Model,
    data: &'a Data,
    /// The query; none for the formulas of columns.
    query: Option<&'a BoundSummary>,
    /// Lines chosen by `having` (0) and `top` (1), once they are known.
    chosen: RefCell<Chosen>,
    /// The bridges of the model, and the ways in which rows are looked at, the innermost last.
    bridges: Vec<LinkId>,
    picks: RefCell<Vec<bridge::Picked>>,
    crossings: RefCell<BTreeMap<PathKey, Option<Crossing>>>,
    /// By the bridge and the row that it leads to.
    several: RefCell<BTreeMap<LinkId, bridge::Several>>,
    /// While lines are being chosen no axis has a rest.
    choosing: Cell<bool>,
    /// The roles of each table, once they are asked for.
    roles_of: Vec<OnceCell<Vec<RoleId>>>,
    /// The ways to columns that were looked for.
    paths: RefCell<BTreeMap<PathKey, (ColumnId, Vec<LinkId>)>>,
    /// Where the rows of tables stand on keys.
    standing: RefCell<BTreeMap<StandingKey, Rc<Standing>>>,
    /// Values `per cell` and `overall`, by their expression and context.
    fixed: RefCell<BTreeMap<(usize, String), Scalar>>,
    /// The days of the calendar, and the working days among them.
    days_known: OnceCell<Rc<Vec<i32>>>,
    working_known: OnceCell<Rc<Vec<i32>>>,
    /// The last days with data, by table and roles.
    last_days: RefCell<BTreeMap<LastDayKey, Option<i32>>>,
}

/// A table, a column with its pin, and the roles in force.
type PathKey = (TableId, ColumnId, Option<RoleId>, Vec<RoleId>);
/// A table, and the roles in force.
type LastDayKey = (TableId, Vec<RoleId>);
/// A key, a table, and the roles in force.
type StandingKey = (Key, TableId, Vec<RoleId>);

/// Where the rows of a table stand on a key.
struct Standing {
    /// The member of each row, or why it has none.
    members: Vec<Result<Member, EvalError>>,
    /// The rows that have none.
    failing: Vec<usize>,
    /// The rows of each member, by its text.
    rows: BTreeMap<String, Vec<usize>>,
}

impl<'a> Evaluator<'a> {
    fn new(model: &'a Model, data: &'a Data, query: Option<&'a BoundSummary>) -> Self {
        Self {
            model,
            data,
            query,
            chosen: RefCell::default(),
            bridges: bridge::asked_for(model, query),
            picks: RefCell::default(),
            crossings: RefCell::default(),
            several: RefCell::default(),
            choosing: Cell::default(),
            roles_of: vec![OnceCell::new(); model.schema.tables.len()],
            paths: RefCell::default(),
            standing: RefCell::default(),
            fixed: RefCell::default(),
            days_known: OnceCell::new(),
            working_known: OnceCell::new(),
            last_days: RefCell::default(),
        }
    }

    /// The contexts under the plain conditions, and under all.
    #[allow(clippy::unused_self)] // Reads like the others.
    fn filters(&self, filters: &'a [Bound], via: &[RoleUse]) -> (Context<'a>, Context<'a>) {
        let mut context = Context::default();
        context.steps.extend(via.iter().map(|v| Step::Via(*v)));
        let all: Vec<&'a Bound> = filters.iter().flat_map(context::conjuncts).collect();
        context.steps.extend(all.iter().filter(|c| c.is_plain()).map(|c| Step::Where(c, 0)));
        let plain = context.clone();
        let seen = context.steps.len();
        context.steps.extend(all.iter().filter(|c| !c.is_plain()).map(|c| Step::Where(c, seen)));
        (plain, context)
    }

    /// The context under the plain conditions of the query.
    fn plain(&self) -> Context<'a> {
        self.query.map(|q| self.filters(&q.filters, &q.via).0).unwrap_or_default()
    }

    /// The context of the cells of the query, but for where they stand.
    fn base(&self, query: &'a BoundSummary, chosen: usize) -> Context<'a> {
        let mut context = self.filters(&query.filters, &query.via).1;
        if query.having.is_some() && chosen > 0 {
            context.steps.push(Step::Chosen(0));
        }
        if query.top.as_ref().is_some_and(|t| t.rest.is_none()) && chosen > 1 {
            context.steps.push(Step::Chosen(1));
        }
        context
    }

    fn level(&self, kept: &[usize], query: &'a BoundSummary) -> Result<Vec<ReferenceLine>, EvalError> {
        let shown: Vec<&Bound> = query.shows.iter().map(|s| &s.expr).collect();
        let base = self.base(query, 2);
        let positions = self.positions(&shown, &base, kept)?;
        let mut positions = if query.axes.is_empty() { vec![Vec::new()] } else { positions };
        positions.extend(self.between(query, kept, &positions, &base)?);
        let lines = Rc::new(positions.clone());
        let mut found = Vec::new();
        for position in positions {
            let mut context = base.clone();
            context.lines = Some((lines.clone(), base.steps.len()));
            context.steps.push(Step::Keys(position.clone()));
            let mut members = vec![Member::All; query.axes.len()];
            for (key, member) in &position {
                if let Key::Axis(at) = key {
                    members[*at] = member.clone();
                }
            }
            let values: Result<Vec<Scalar>, EvalError> =
                query.shows.iter().map(|s| self.cell(&s.expr, &context, false)).collect();
            let values = values?;
            let mut lacking = Vec::new();
            for (show, value) in query.shows.iter().zip(&values) {
                let none = value.is_null() || members.iter().any(|m| matches!(m, Member::Rest(_)));
                lacking.push(if none { None } else { self.lacking(&show.expr, &context)? });
            }
            found.push(ReferenceLine { members, values, adds_up: vec![None; query.shows.len()], lacking });
        }
        Ok(found)
    }

    /// Where facts behind some figures have rows, on some axes.
    #[allow(clippy::type_complexity)] // Positions as everywhere here.
    fn positions(
        &self,
        shown: &[&'a Bound],
        base: &Context<'a>,
        kept: &[usize],
    ) -> Result<Vec<Vec<(Key, Member)>>, EvalError> {
        let keys: Vec<Key> = kept.iter().map(|at| Key::Axis(*at)).collect();
        let all: Vec<Key> = (0..self.query.map_or(0, |q| q.axes.len())).map(Key::Axis).collect();
        let mut positions: BTreeMap<String, Vec<(Key, Member)>> = BTreeMap::new();
        for (table, roles) in self.facts(shown) {
            let mut context = base.clone();
            context.steps.extend(roles.into_iter().map(Step::Via));
            let roles = self.own_roles(table, &context.roles());
            if all.iter().any(|k| !self.key_reached(k, table, &roles)) {
                continue;
            }
            let seen = self.seen(&context, table)?;
            if !self.can_decide(&seen, table, &roles) {
                continue;
            }
            for row in 0..self.data.rows(table) {
                for way in self.ways_in(&seen, None, (table, row), &context)? {
                    let position = self.looking(&way, || self.position_of(&keys, table, row, &roles))?;
                    positions.insert(format!("{position:?}"), position);
                }
            }
        }
        Ok(positions.into_values().collect())
    }

    /// Where a row stands on some keys.
    fn position_of(
        &self,
        keys: &[Key],
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Vec<(Key, Member)>, EvalError> {
        keys.iter().map(|key| Ok((*key, self.member(key, table, row, roles)?))).collect()
    }

    /// The facts behind figures, each with the roles asked for inside.
    fn facts(&self, shown: &[&Bound]) -> Vec<(TableId, Vec<RoleUse>)> {
        let mut facts = Vec::new();
        for bound in shown {
            self.collect_facts(bound, &[], &mut facts);
        }
        facts
    }
}
