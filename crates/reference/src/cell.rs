//! The value of a cell.

use crate::Evaluator;
use crate::aggregate::aggregate;
use crate::context::{Context, DayStep, Key, Seen, Step};
use crate::guard::{Conditions, guarded};
use std::collections::BTreeSet;
use vembra_engine::Member;
use vembra_model::{Bound, BoundAggregate, BoundKind, Clauses, Detail, DetailKey, Over, RoleUse, What};
use vembra_plan::{EvalError, Scalar, TableId, call};

/// A value per combination of keys: its expression, its context, and its keys.
type Leaf<'a> = (&'a Bound, Context<'a>, &'a [DetailKey]);

impl<'a> Evaluator<'a> {
    /// The value of an expression in a cell. `folded` says that its keys are those of the aggregate around it.
    pub(crate) fn cell(
        &self,
        bound: &'a Bound,
        context: &Context<'a>,
        folded: bool,
    ) -> Result<Scalar, EvalError> {
        if context.to_date.is_none() {
            return self.cell(bound, &self.dated(bound, context), folded);
        }
        match &bound.kind {
            BoundKind::Literal(value) => Ok(value.clone()),
            BoundKind::Param(id) => {
                let value = self.query.and_then(|q| q.params.get(id)).cloned().unwrap_or(Scalar::Null);
                call::convert(value, bound.ty)
            }
            // A key of the aggregate around.
            BoundKind::Column(column, role) if folded => {
                let key = Key::Detail(*column, *role);
                match context.folded.iter().find(|(own, _)| *own == key) {
                    Some((_, Member::Value(value))) => Ok(value.clone()),
                    Some(_) => Ok(Scalar::Null),
                    None => Err(EvalError::Internal("a column that is no key".to_owned())),
                }
            }
            BoundKind::Column(..) => Err(EvalError::Internal("a column in a cell".to_owned())),
            BoundKind::Measure(id) => self.named(&self.model.measure(*id).formula, context, folded),
            BoundKind::Treatment(treatment) => self.named(&treatment.formula, context, folded),
            BoundKind::Call(function, args) => {
                let of = &mut |at: usize| self.cell(&args[at], context, folded);
                if let Some(value) = guarded(*function, args.len(), bound.ty, of) {
                    return value;
                }
                let args: Result<Vec<Scalar>, EvalError> = (0..args.len()).map(of).collect();
                self.called(*function, &args?, bound.ty)
            }
            BoundKind::Claused(inner, clauses) => self.claused(inner, clauses, context, folded),
            BoundKind::Aggregate(plan) => match &plan.over {
                Over::Rows(table) => self.over_rows(bound, plan, *table, context),
                Over::Keys(keys) => self.over_keys(bound, plan, keys, context),
            },
            BoundKind::StandsOn(what) => Ok(Scalar::Boolean(self.stands(what, context))),
            BoundKind::CellEdge { last } => self.edge(*last, context),
            BoundKind::Window(window) => self.window(window, bound.ty, context),
        }
    }

    /// The value of a formula that has a name: asked for again in the same cell it is not worked out again.
    fn named(&self, formula: &'a Bound, context: &Context<'a>, folded: bool) -> Result<Scalar, EvalError> {
        if !folded && context.folded.is_empty() {
            self.once(formula, context)
        } else {
            self.cell(formula, context, folded)
        }
    }

    fn claused(
        &self,
        inner: &'a Bound,
        clauses: &'a Clauses,
        context: &Context<'a>,
        folded: bool,
    ) -> Result<Scalar, EvalError> {
        let inside = self.inside(clauses, context);
        match &clauses.detail {
            None => self.cell(inner, &inside, folded),
            Some(Detail::Cell) => self.once(inner, &inside),
            Some(Detail::Overall) => self.once(inner, &inside.and(Step::Forget(&What::All, true))),
            Some(Detail::Per(keys)) if folded => {
                let own = keys.iter().map(|k| {
                    let key = self.detail(k);
                    let member = context.folded.iter().find(|(m, _)| *m == key).map(|(_, m)| m.clone());
                    (key, member.unwrap_or(Member::None))
                });
                let own = own.collect();
                self.cell(inner, &inside.and(Step::Keys(own)), false)
            }
            Some(Detail::Per(keys)) => {
                let position = self.position(&inside);
                let settled = keys.iter().all(|k| {
                    position.iter().any(|(p, _)| match p {
                        Key::Detail(c, r) | Key::Settled(c, r) => {
                            self.model.settles((*c, *r), (k.column, k.role))
                        }
                        Key::Axis(at) => matches!(self.axis(*at).kind, BoundKind::Column(c, r)
                            if self.model.settles((c, r), (k.column, k.role))),
                    })
                });
                if settled { self.cell(inner, &inside, false) } else { Ok(Scalar::Null) }
            }
        }
    }

    /// A value that is the same whatever rows and keys are around it: worked out once per context.
    pub(crate) fn once(&self, bound: &'a Bound, context: &Context<'a>) -> Result<Scalar, EvalError> {
        let key = (std::ptr::from_ref(bound) as usize, context.fingerprint());
        if let Some(known) = self.fixed.borrow().get(&key) {
            return Ok(known.clone());
        }
        let value = self.cell(bound, context, false)?;
        // What looks along lines depends on them too.
        if !self.model.has_window(bound) {
            self.fixed.borrow_mut().insert(key, value.clone());
        }
        Ok(value)
    }

    /// Whether a row belongs to a cell, in one of the ways to look at it.
    pub(crate) fn belongs(
        &self,
        seen: &Seen<'a>,
        table: TableId,
        row: usize,
        context: &Context<'a>,
    ) -> Result<bool, EvalError> {
        Ok(!self.ways_in(seen, None, (table, row), context)?.is_empty())
    }

    /// Whether a row belongs to a cell as it is looked at, and a further condition holds for it.
    pub(crate) fn stands_there(
        &self,
        seen: &Seen<'a>,
        further: Option<&'a Bound>,
        table: TableId,
        row: usize,
        context: &Context<'a>,
    ) -> Result<bool, EvalError> {
        let roles = self.own_roles(table, &context.roles());
        let mut all = Conditions::default();
        for (key, member) in &seen.position {
            let own = match self.standing(key, table, &roles) {
                Some(standing) => standing.members[row].clone(),
                None => self.member(key, table, row, &roles),
            };
            if all.leave_out(own.map(|own| own == *member)) {
                return Ok(false);
            }
        }
        for (condition, steps) in &seen.conditions {
            let before = context.up_to(*steps);
            if all.leave_out(self.holds(condition, table, row, &roles, &before)) {
                return Ok(false);
            }
        }
        if let Some(further) = further
            && all.leave_out(self.holds(further, table, row, &roles, context))
        {
            return Ok(false);
        }
        for which in &seen.chosen {
            let axes = self.chosen_axes(*which);
            let members: Result<Vec<Member>, EvalError> =
                axes.iter().map(|at| self.axis_member(*at, table, row, &roles)).collect();
            let chosen = self.chosen_lines(*which)?;
            if all.leave_out(members.map(|members| chosen.contains(&members))) {
                return Ok(false);
            }
        }
        if let Some(days) = &seen.days {
            let day = self.day_of_row(table, row, &roles).map(|day| day.map(|(day, _)| day));
            let is_there = |d: i32| days.as_ref().is_some_and(|days| days.contains(&d));
            if all.leave_out(day.map(|day| day.is_some_and(is_there))) {
                return Ok(false);
            }
        }
        all.hold()
    }

    fn over_rows(
        &self,
        bound: &'a Bound,
        plan: &'a BoundAggregate,
        table: TableId,
        context: &Context<'a>,
    ) -> Result<Scalar, EvalError> {
        let seen = self.seen(context, table)?;
        if seen.days == Some(None) {
            return Ok(Scalar::Null);
        }
        let roles = self.own_roles(table, &context.roles());
        let mut values = Vec::new();
        for row in self.rows_behind(plan, &seen, table, context)? {
            let eval = |e: &'a Option<Bound>| {
                e.as_ref().map(|e| self.row(e, table, row, &roles, context)).transpose()
            };
            values.push((eval(&plan.value)?, eval(&plan.by)?));
        }
        aggregate(plan.function, &values, plan.parameter.as_ref(), bound.ty)
    }

    /// The rows that an aggregate runs over.
    pub(crate) fn rows_behind(
        &self,
        plan: &'a BoundAggregate,
        seen: &Seen<'a>,
        table: TableId,
        context: &Context<'a>,
    ) -> Result<Vec<usize>, EvalError> {
        let roles = self.own_roles(table, &context.roles());
        let mut rows = Vec::new();
        for row in self.candidates(&seen.position, table, &roles) {
            if !self.ways_in(seen, plan.condition.as_ref(), (table, row), context)?.is_empty() {
                rows.push(row);
            }
        }
        Ok(rows)
    }

    fn over_keys(
        &self,
        bound: &'a Bound,
        plan: &'a BoundAggregate,
        keys: &'a [DetailKey],
        context: &Context<'a>,
    ) -> Result<Scalar, EvalError> {
        let values: Vec<(Option<Scalar>, Option<Scalar>)> =
            self.combinations(plan, keys, context)?.into_iter().map(|(_, v, by)| (Some(v), by)).collect();
        if plan.value.is_none() {
            return Ok(Scalar::Null);
        }
        aggregate(plan.function, &values, plan.parameter.as_ref(), bound.ty)
    }

    /// The combinations of keys that an aggregate runs over, each with its value and what it is ordered by.
    #[allow(clippy::type_complexity)] // Members, value, order.
    pub(crate) fn combinations(
        &self,
        plan: &'a BoundAggregate,
        keys: &'a [DetailKey],
        context: &Context<'a>,
    ) -> Result<Vec<(Vec<(Key, Member)>, Scalar, Option<Scalar>)>, EvalError> {
        let Some(value) = &plan.value else { return Ok(Vec::new()) };
        let mut leaves = Vec::new();
        self.leaves(value, context, &mut leaves);
        let mut all: Vec<DetailKey> = keys.to_vec();
        let mut beside = leaves.clone();
        for part in plan.by.iter().chain(&plan.condition) {
            self.leaves(part, context, &mut beside);
        }
        for (_, _, own) in &beside {
            for key in *own {
                if !all.iter().any(|k| k.is(key)) {
                    all.push(*key);
                }
            }
        }
        let mut values = Vec::new();
        for combination in self.with_rows(&leaves, keys, &all)? {
            let mut inner = context.clone();
            inner.folded.clone_from(&combination);
            if let Some(condition) = &plan.condition
                && self.cell(condition, &inner, true)?.physical() != Some(1)
            {
                continue;
            }
            let by = plan.by.as_ref().map(|by| self.cell(by, &inner, true)).transpose()?;
            values.push((combination, self.cell(value, &inner, true)?, by));
        }
        Ok(values)
    }

    /// The combinations of keys of which a value has rows.
    fn with_rows(
        &self,
        leaves: &[Leaf<'a>],
        keys: &'a [DetailKey],
        all: &[DetailKey],
    ) -> Result<Vec<Vec<(Key, Member)>>, EvalError> {
        let mut combinations: Vec<Vec<(Key, Member)>> = Vec::new();
        let mut known: BTreeSet<String> = BTreeSet::new();
        for (inner, inside, own) in leaves {
            if !self.model.holds_keys(own, keys) {
                continue;
            }
            for (table, roles) in self.facts(&[inner]) {
                let mut context = inside.clone();
                context.steps.extend(roles.into_iter().map(Step::Via));
                let roles = self.own_roles(table, &context.roles());
                // A fact that does not reach the keys need not reach the calendar either.
                if !all.iter().all(|k| self.key_reached(&self.detail(k), table, &roles)) {
                    continue;
                }
                let seen = self.seen(&context, table)?;
                if !self.can_decide(&seen, table, &roles) {
                    continue;
                }
                for row in self.candidates(&seen.position, table, &roles) {
                    for way in self.ways_in(&seen, None, (table, row), &context)? {
                        let keys: Vec<Key> = all.iter().map(|key| self.detail(key)).collect();
                        let members = self.looking(&way, || self.position_of(&keys, table, row, &roles))?;
                        if known.insert(format!("{members:?}")) {
                            combinations.push(members);
                        }
                    }
                }
            }
        }
        Ok(combinations)
    }

    /// The values per combination of keys, with their contexts and keys.
    fn leaves(&self, bound: &'a Bound, context: &Context<'a>, leaves: &mut Vec<Leaf<'a>>) {
        match &bound.kind {
            BoundKind::Call(_, args) => args.iter().for_each(|a| self.leaves(a, context, leaves)),
            BoundKind::Measure(id) => self.leaves(&self.model.measure(*id).formula, context, leaves),
            BoundKind::Treatment(treatment) => self.leaves(&treatment.formula, context, leaves),
            BoundKind::Claused(inner, clauses) => {
                let inside = self.inside(clauses, context);
                match &clauses.detail {
                    Some(Detail::Per(keys)) => leaves.push((inner, inside, keys)),
                    Some(_) => {}
                    None => self.leaves(inner, &inside, leaves),
                }
            }
            _ => {}
        }
    }

    /// The first or last day of the query's own cell.
    fn edge(&self, last: bool, context: &Context<'a>) -> Result<Scalar, EvalError> {
        let mut steps = Vec::new();
        let mut members: Vec<(usize, Member)> = Vec::new();
        for step in &context.steps {
            if let Step::Keys(keys) = step {
                for (key, member) in keys {
                    if let Key::Axis(at) = key {
                        members.retain(|(a, _)| a != at);
                        members.push((*at, member.clone()));
                    }
                }
            }
        }
        for (at, member) in members {
            if self.axis(at).is_plain() && self.only_calendar(self.axis(at)) {
                steps.push(DayStep::At(Key::Axis(at), member));
            }
        }
        for step in &context.steps {
            if let Step::Where(condition, _) = step
                && condition.is_plain()
                && self.only_calendar(condition)
            {
                steps.push(DayStep::Where(condition));
            }
        }
        let days = self.days_by(&steps, None)?.unwrap_or_default();
        let day = if last { days.last() } else { days.first() };
        Ok(day.map_or(Scalar::Null, |d| Scalar::Date(*d)))
    }

    fn only_calendar(&self, bound: &Bound) -> bool {
        let columns = bound.columns();
        let own = |c| Some(self.model.schema.column(c).table) == self.model.calendar;
        !columns.is_empty() && columns.iter().all(|(c, pin, _)| pin.is_none() && own(*c))
    }

    pub(crate) fn collect_facts(
        &self,
        bound: &Bound,
        roles: &[RoleUse],
        facts: &mut Vec<(TableId, Vec<RoleUse>)>,
    ) {
        match &bound.kind {
            BoundKind::Measure(id) => {
                // What was collected by the same roles is there already.
                let before = facts.len();
                self.collect_facts(&self.model.measure(*id).formula, roles, facts);
                let more = facts.split_off(before);
                for fact in more {
                    if !facts.contains(&fact) {
                        facts.push(fact);
                    }
                }
            }
            BoundKind::Call(_, args) => args.iter().for_each(|a| self.collect_facts(a, roles, facts)),
            BoundKind::Window(window) => self.collect_facts(&window.value, roles, facts),
            BoundKind::Treatment(treatment) => self.collect_facts(&treatment.formula, roles, facts),
            BoundKind::Claused(inner, clauses) => {
                let roles: Vec<RoleUse> = roles.iter().chain(&clauses.via).copied().collect();
                self.collect_facts(inner, &roles, facts);
            }
            BoundKind::Aggregate(plan) => match (&plan.over, &plan.value) {
                (Over::Rows(table), _) => facts.push((*table, roles.to_vec())),
                (Over::Keys(_), Some(value)) => self.collect_facts(value, roles, facts),
                _ => {}
            },
            _ => {}
        }
    }
}
