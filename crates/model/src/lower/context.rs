//! Contexts: the steps from the query to the place where an expression stands.

use super::{Condition, Lowering};
use crate::bound::{Bound, Clauses, Forget, RoleUse, What};
use crate::ids::MeasureId;
use crate::to_date::{ToDate, all_to_date};
use std::hash::{Hash, Hasher};
use std::rc::Rc;
use vembra_plan::{ColumnId, DateRange, KeyId, LinkId, NodeId, Period, RoleId, TableId, Type};
use vembra_syntax::Span;

/// One step.
#[derive(Clone, PartialEq)]
pub(super) enum Step {
    /// A role is asked for.
    Via(RoleUse),
    /// A condition is added; figures that it looks up see only this many steps.
    Where(Condition, usize),
    /// Lines are chosen by a looked-up condition.
    Choose(NodeId, Vec<KeyId>),
    /// Something is forgotten: where the cell stands on it, and perhaps filters, but not those on `but`.
    Forget { what: What, filters: bool, but: Vec<What> },
    /// Another date range.
    During(DateRange, Span),
    /// The cell stands on these keys besides.
    Keys(Vec<KeyId>),
}

/// The steps to an expression. Two are equal if their steps are.
#[derive(Clone, Default, PartialEq)]
pub(super) struct Context {
    pub(super) steps: Vec<Step>,
    /// The measure whose formula this is, as the query names it.
    pub(super) measure: Option<MeasureId>,
    /// What the figure around takes to date, once it is known.
    pub(super) to_date: Option<Rc<Vec<ToDate>>>,
}

impl Eq for Context {}

/// Equal contexts have the same hash: of what distinguishes most, not of whole conditions.
impl Hash for Context {
    fn hash<H: Hasher>(&self, state: &mut H) {
        for step in &self.steps {
            std::mem::discriminant(step).hash(state);
            match step {
                Step::Via(used) => used.role.hash(state),
                Step::Where(condition, seen) => (condition.span.start, seen).hash(state),
                Step::Choose(node, keys) => (node, keys).hash(state),
                Step::Forget { filters, but, .. } => (filters, but.len()).hash(state),
                Step::During(date_range, _) => date_range.hash(state),
                Step::Keys(keys) => keys.hash(state),
            }
        }
    }
}

impl Context {
    pub(super) fn filter(&mut self, condition: &Bound, seen: usize) {
        self.steps.push(Step::Where(Rc::new(condition.clone()), seen));
    }

    /// What figures see that stand in a condition with this many steps before it.
    pub(super) fn up_to(&self, steps: usize) -> Self {
        Self { steps: self.steps[..steps].to_vec(), measure: self.measure, to_date: None }
    }

    pub(super) fn with_keys(&self, keys: Vec<KeyId>) -> Self {
        let mut context = self.clone();
        context.steps.push(Step::Keys(keys));
        context
    }

    /// The same for a figure that rows look up, which is another one than that around.
    pub(super) fn of_another_figure(mut self) -> Self {
        self.to_date = None;
        self
    }

    /// The keys on which the cell stands or stood.
    pub(super) fn taken(&self) -> impl Iterator<Item = KeyId> + '_ {
        self.steps
            .iter()
            .filter_map(|s| if let Step::Keys(keys) = s { Some(keys) } else { None })
            .flatten()
            .copied()
    }

    /// The same with another key in the place of one on which the cell came to stand last.
    pub(super) fn with_key_instead(&self, key: KeyId, other: KeyId) -> Self {
        let mut context = self.clone();
        let holds = |step: &&mut Step| matches!(step, Step::Keys(keys) if keys.contains(&key));
        if let Some(Step::Keys(keys)) = context.steps.iter_mut().rev().find(holds) {
            keys.iter_mut().filter(|k| **k == key).for_each(|k| *k = other);
        }
        context
    }

    /// All roles asked for, the outermost first.
    pub(super) fn roles(&self) -> Vec<RoleUse> {
        let roles =
            self.steps.iter().filter_map(|s| if let Step::Via(role) = s { Some(*role) } else { None });
        roles.collect()
    }
}

/// A key whose member others of the cell settle.
#[derive(Clone)]
pub(super) struct Derived {
    pub(super) key: KeyId,
    pub(super) from: Vec<KeyId>,
    /// Whether the cell may stand on the key itself, which then goes first.
    pub(super) stands: bool,
    /// The key to use where it does not: on an axis with a rest, a member that is determined may belong to the rest.
    pub(super) away: Option<KeyId>,
}

/// A key that `all but` may keep: one of the cell, or an attribute that keys of the cell settle.
struct Candidate {
    column: Option<(ColumnId, Option<RoleId>)>,
    /// The key of the cell that it is itself.
    own: Option<KeyId>,
    /// The keys of the cell that settle it.
    from: Vec<KeyId>,
    span: Span,
}

impl Candidate {
    /// Whether a cell that stands on a key has this one.
    fn is_given_by(&self, key: KeyId) -> bool {
        self.own == Some(key) || self.from.contains(&key)
    }
}

/// A condition in force, and how much of the context its figures see.
#[derive(Clone)]
pub(super) enum Filter {
    Condition(Condition, usize),
    Chosen(NodeId, Vec<KeyId>),
}

/// One step of the days of a cell.
#[derive(Clone)]
pub(super) enum DuringStep {
    Position(Vec<KeyId>),
    Where(Condition),
    DateRange(DateRange, Span),
}

/// A context as a table sees it.
#[derive(Clone, Default)]
pub(super) struct Seen {
    /// The keys by which rows belong to cells.
    pub(super) keys: Vec<KeyId>,
    /// Conditions that were there before the last keys came.
    pub(super) filters: Vec<Filter>,
    /// Conditions that came after.
    pub(super) later: Vec<Filter>,
    /// Another date range than where the cell stands.
    pub(super) during: Option<Vec<DuringStep>>,
}

impl Lowering<'_> {
    /// Whether a role is the one by which a table's rows reach its target.
    fn in_force(&self, role: RoleId, table: TableId, roles: &[RoleUse]) -> bool {
        let target = self.model.role_target(role);
        let asked = roles.iter().rev().find(|r| self.model.role_target(r.role) == target);
        if let Some(asked) = asked.filter(|r| self.model.has_role(table, r.role)) {
            return asked.role == role;
        }
        let schema = &self.model.schema;
        let reached = self.model.reachable_tables(table);
        let links: Vec<LinkId> = schema
            .link_ids()
            .filter(|l| Some(schema.link_target(*l)) == target && reached.contains(&schema.link_source(*l)))
            .collect();
        links.iter().any(|l| {
            let def = schema.link(*l);
            def.role == Some(role) && (def.default || links.len() == 1)
        })
    }

    /// Whether something covers a column, seen through a role or as the roles in force have it.
    pub(super) fn covers(
        &self,
        what: &What,
        column: ColumnId,
        pin: Option<RoleId>,
        seen_from: Option<(TableId, &[RoleUse])>,
    ) -> bool {
        let own = self.model.schema.column(column).table;
        let in_force = |role: RoleId| {
            self.model.role_target(role) == Some(own)
                && seen_from.is_some_and(|(table, roles)| self.in_force(role, table, roles))
        };
        match what {
            What::All | What::AllBut(_) => true,
            What::Several(list) => list.iter().any(|w| self.covers(w, column, pin, seen_from)),
            What::Table(table) => self.model.is_of_table((column, pin), *table),
            What::Role(role) => pin == Some(*role) || (pin.is_none() && in_force(*role)),
            What::Attribute(attribute, role) => match (pin, role) {
                _ if pin == *role => self.model.settles((column, pin), (*attribute, *role)),
                (None, Some(role)) if in_force(*role) => {
                    self.model.settles((column, None), (*attribute, None))
                }
                _ => false,
            },
        }
    }

    fn key_covered(&self, what: &What, key: KeyId, seen_from: Option<(TableId, &[RoleUse])>) -> bool {
        let columns = self.keys[key.index()].expr.columns();
        let any = columns.iter().any(|(column, pin, _)| self.covers(what, *column, *pin, seen_from));
        any || matches!(what, What::All | What::AllBut(_))
    }

    /// The context inside the clauses of an expression, but for its keys. A clause that keeps what the position
    /// determines gives further keys, with the key that each is determined by.
    pub(super) fn inside(&mut self, clauses: &Clauses, context: &Context) -> (Context, Vec<Derived>) {
        let mut inner = context.clone();
        let mut derived = Vec::new();
        for used in &clauses.via {
            self.asked.insert(*used);
            inner.steps.push(Step::Via(*used));
        }
        self.forget_all(&clauses.forget, &mut inner, &mut derived);
        if let Some((date_range, span)) = clauses.during {
            inner.steps.push(Step::During(date_range, span));
        }
        let seen = inner.steps.len();
        for condition in clauses.conditions.iter().flat_map(super::conjuncts) {
            inner.filter(condition, seen);
        }
        (inner, derived)
    }

    /// What clauses forget together. They are a set: each looks at where the cell stood before any of them, and what is kept
    /// is what each of them keeps. `all but` keeps what it names, where the cell stands on it or on something that
    /// settles it, and what that settles in turn.
    fn forget_all(&mut self, forgets: &[Forget], inner: &mut Context, derived: &mut Vec<Derived>) {
        let position = self.position(inner);
        let mut lists: Vec<Vec<Candidate>> = Vec::new();
        for forget in forgets {
            let (what, filters) = (forget.what.clone(), forget.filters);
            let but = if let What::AllBut(but) = &what { but.clone() } else { Vec::new() };
            if matches!(what, What::AllBut(_)) {
                lists.push(self.candidates(&but, &position, forget.span));
                inner.steps.push(Step::Forget { what: What::All, filters, but });
            } else {
                inner.steps.push(Step::Forget { what, filters, but });
            }
        }
        if lists.is_empty() {
            return;
        }
        let mut kept: Vec<KeyId> = Vec::new();
        let mut known = Vec::new();
        for candidate in lists.iter().flatten() {
            let name = (candidate.column, candidate.own);
            if known.contains(&name) {
                continue;
            }
            known.push(name);
            let plainly = |f: &&Forget| !matches!(f.what, What::AllBut(_));
            let gone = forgets.iter().filter(plainly).any(|f| match (candidate.own, candidate.column) {
                (Some(own), _) => self.key_covered(&f.what, own, None),
                (None, Some((column, role))) => self.covers(&f.what, column, role, None),
                (None, None) => false,
            });
            if !gone {
                self.keep(candidate, &lists, inner, &mut kept, derived);
            }
        }
        inner.steps.push(Step::Keys(kept));
    }

    /// Keeps a candidate by those keys of the cell that let every list keep it.
    fn keep(
        &mut self,
        candidate: &Candidate,
        lists: &[Vec<Candidate>],
        inner: &Context,
        kept: &mut Vec<KeyId>,
        derived: &mut Vec<Derived>,
    ) {
        let settles = |other: &Candidate| {
            other.own.is_some() && other.own == candidate.own
                || matches!((other.column, candidate.column), (Some(a), Some(b)) if self.model.settles(a, b))
        };
        let serves =
            |key: &KeyId| lists.iter().all(|list| list.iter().any(|o| o.is_given_by(*key) && settles(o)));
        let own = candidate.own.filter(serves);
        let from: Vec<KeyId> = candidate.from.iter().copied().filter(serves).collect();
        let (Some((column, role)), false) = (candidate.column, from.is_empty()) else {
            kept.extend(own);
            return;
        };
        if let Some(label) = from.iter().find_map(|k| self.graph.keys[k.index()].rest.clone()) {
            let name = self.model.written(column);
            self.diagnostics.push(crate::messages::rest_settles_nothing(candidate.span, &label, &name));
        }
        let taken: Vec<KeyId> = inner.taken().chain(kept.iter().copied()).collect();
        let has_rest = own.is_none_or(|own| self.graph.keys[own.index()].rest.is_some());
        let of_detail = from.first().is_some_and(|key| self.graph.keys[key.index()].missing_as_one);
        let further = has_rest.then(|| self.further_key(column, role, candidate.span, &taken, of_detail));
        let (Some(key), away) = (own.or(further), own.and(further)) else { return };
        kept.push(key);
        derived.push(Derived { key, from, stands: own.is_some(), away });
    }

    /// What `all but` may keep of where the cell stands.
    fn candidates(&self, but: &[What], position: &[KeyId], span: Span) -> Vec<Candidate> {
        let mut candidates = Vec::new();
        for what in but.iter().flat_map(flat) {
            let What::Attribute(column, role) = what else {
                let own = position.iter().copied().filter(|k| self.key_covered(what, *k, None));
                candidates.extend(own.map(|key| Candidate {
                    column: self.plain_column(key),
                    own: Some(key),
                    from: Vec::new(),
                    span,
                }));
                continue;
            };
            let own = position.iter().copied().find(|k| self.is_column(*k, *column, *role));
            let settles = |k: &KeyId| {
                self.plain_column(*k).is_some_and(|own| {
                    self.model.settles(own, (*column, *role))
                        && self.model.way_within(own, (*column, *role)).is_some()
                })
            };
            // A total over the attribute's own axis may still stand on a finer one.
            let from: Vec<KeyId> =
                position.iter().copied().filter(|k| Some(*k) != own && settles(k)).collect();
            if own.is_some() || !from.is_empty() {
                candidates.push(Candidate { column: Some((*column, *role)), own, from, span });
            }
        }
        candidates
    }

    /// The column that a key is, if it is a plain one.
    pub(super) fn plain_column(&self, key: KeyId) -> Option<(ColumnId, Option<RoleId>)> {
        match self.keys[key.index()].expr.kind {
            crate::bound::BoundKind::Column(column, role) => Some((column, role)),
            _ => None,
        }
    }

    fn is_column(&self, key: KeyId, column: ColumnId, role: Option<RoleId>) -> bool {
        self.plain_column(key) == Some((column, role))
    }

    /// The key of an attribute at which values are fixed. It is never an axis: a total over an axis does not stand on
    /// it, while its values may be fixed at the same attribute. Nor is it one on which the cell stands already: that
    /// one may say which days are meant, while this one distinguishes rows.
    pub(super) fn detail_key(
        &mut self,
        column: ColumnId,
        role: Option<RoleId>,
        span: Span,
        context: &Context,
    ) -> KeyId {
        let taken: Vec<KeyId> = context.taken().collect();
        self.further_key(column, role, span, &taken, true)
    }

    /// A key of an attribute that is no axis and none of those that are taken; for a detail, rows without it are one member.
    fn further_key(
        &mut self,
        column: ColumnId,
        role: Option<RoleId>,
        span: Span,
        taken: &[KeyId],
        of_detail: bool,
    ) -> KeyId {
        let serves = |k: &KeyId| self.graph.keys[k.index()].missing_as_one == of_detail && !taken.contains(k);
        let mut further = (self.axes.0 as u32..self.keys.len() as u32).map(KeyId);
        if let Some(key) = further.find(|k| self.is_column(*k, column, role) && serves(k)) {
            return key;
        }
        let ty = self.model.schema.column(column).ty;
        let expr = Bound { kind: crate::bound::BoundKind::Column(column, role), ty, span };
        let order = self.model.order_of(&expr);
        let key = self.add_key(self.model.schema.qualified(column), expr, order);
        self.graph.keys[key.index()].missing_as_one = of_detail;
        key
    }

    /// The context of a figure, in which it is known what the whole of it takes to date.
    pub(super) fn dated(&self, bound: &Bound, context: &Context) -> Context {
        if context.to_date.is_some() {
            return context.clone();
        }
        let to_date = |step: &Step| matches!(step, Step::During(DateRange::ToDate(None), _));
        let within = context.steps.iter().any(to_date);
        let facts = all_to_date(self.model, bound, &context.roles(), within);
        Context { to_date: Some(Rc::new(facts)), ..context.clone() }
    }

    /// The keys on which the cell stands, whatever the table.
    pub(super) fn position(&self, context: &Context) -> Vec<KeyId> {
        let mut keys: Vec<KeyId> = Vec::new();
        for step in &context.steps {
            match step {
                Step::Keys(more) => more.iter().for_each(|k| {
                    if !keys.contains(k) {
                        keys.push(*k);
                    }
                }),
                Step::Forget { what, .. } => keys.retain(|k| !self.key_covered(what, *k, None)),
                _ => {}
            }
        }
        keys
    }

    /// The keys on which the cell stands and which something covers.
    pub(super) fn stands_on(&self, what: &What, context: &Context) -> Vec<KeyId> {
        let roles = context.roles();
        let asked = |role: &RoleId| roles.iter().any(|r| r.role == *role);
        let mut keys = self.position(context);
        keys.retain(|k| {
            self.key_covered(what, *k, None)
                || matches!(what, What::Role(role) if asked(role) && self.plain_column(*k).is_some_and(|(c, pin)| {
                    pin.is_none() && self.model.role_target(*role) == Some(self.model.schema.column(c).table)
                }))
        });
        keys
    }

    /// Takes the steps of a context one after the other, as a table sees them.
    pub(super) fn seen(&self, context: &Context, table: TableId, roles: &[RoleUse]) -> Seen {
        let mut seen = Seen::default();
        let mut so_far: Vec<RoleUse> = Vec::new();
        for step in &context.steps {
            match step {
                Step::Via(used) => so_far.push(*used),
                Step::Where(condition, steps) => {
                    seen.later.push(Filter::Condition(condition.clone(), *steps));
                }
                Step::Choose(node, keys) => seen.later.push(Filter::Chosen(*node, keys.clone())),
                Step::Keys(keys) => {
                    let later = std::mem::take(&mut seen.later);
                    seen.filters.extend(later);
                    for key in keys {
                        if !seen.keys.contains(key) {
                            seen.keys.push(*key);
                        }
                    }
                }
                Step::Forget { what, filters, but } => {
                    self.forgotten(&mut seen, what, *filters, but, (table, &so_far));
                }
                Step::During(date_range, span) => self.moved(&mut seen, (*date_range, *span), table, roles),
            }
        }
        seen
    }

    fn forgotten(
        &self,
        seen: &mut Seen,
        what: &What,
        filters: bool,
        but: &[What],
        from: (TableId, &[RoleUse]),
    ) {
        seen.keys.retain(|k| !self.key_covered(what, *k, Some(from)));
        let covers_calendar = self.model.calendar.is_some_and(|calendar| {
            let columns = &self.model.schema.table(calendar).columns;
            columns.iter().any(|c| self.covers(what, *c, None, Some(from)))
        });
        if covers_calendar && let Some(during) = &mut seen.during {
            // The date range as a whole is where the cell stands; what was filtered stays filtered.
            let conditions = during.drain(..).filter_map(|step| match step {
                DuringStep::Where(condition) if !filters => Some(Filter::Condition(condition, 0)),
                _ => None,
            });
            let conditions: Vec<Filter> = conditions.collect();
            seen.filters.extend(conditions);
            seen.during = None;
        }
        if filters {
            let stays = |filter: &Filter| !self.touches(filter, what, but, from);
            seen.filters.retain(stays);
            seen.later.retain(stays);
        }
    }

    /// Whether a condition is about something that is forgotten.
    fn touches(&self, filter: &Filter, what: &What, but: &[What], from: (TableId, &[RoleUse])) -> bool {
        let columns: Vec<(ColumnId, Option<RoleId>)> = match filter {
            Filter::Condition(condition, _) => {
                condition.columns().into_iter().map(|(c, pin, _)| (c, pin)).collect()
            }
            Filter::Chosen(_, keys) => keys
                .iter()
                .flat_map(|k| self.keys[k.index()].expr.columns())
                .map(|(c, pin, _)| (c, pin))
                .collect(),
        };
        if but.is_empty() {
            return matches!(what, What::All)
                || columns.iter().any(|(c, pin)| self.covers(what, *c, *pin, Some(from)));
        }
        // What is kept settles the columns of the conditions that stay.
        let kept = |c: ColumnId, pin: Option<RoleId>| {
            but.iter().flat_map(flat).any(|w| match w {
                What::Attribute(a, role) => self.model.settles((*a, *role), (c, pin)),
                other => self.covers(other, c, pin, Some(from)),
            })
        };
        columns.is_empty() || !columns.iter().all(|(c, pin)| kept(*c, *pin))
    }

    /// Where the cell stands on the calendar, and what it is filtered on there, becomes the days of a date range.
    fn moved(&self, seen: &mut Seen, date_range: (DateRange, Span), table: TableId, roles: &[RoleUse]) {
        let dated = |bound: &Bound| bound.is_plain() && self.is_dated(bound, table, roles);
        let (dates, others): (Vec<KeyId>, Vec<KeyId>) =
            seen.keys.drain(..).partition(|k| dated(&self.keys[k.index()].expr));
        seen.keys = others;
        let mut during = seen.during.take().unwrap_or_default();
        if !dates.is_empty() {
            during.push(DuringStep::Position(dates));
        }
        for list in [&mut seen.filters, &mut seen.later] {
            let (moves, stays): (Vec<Filter>, Vec<Filter>) = list
                .drain(..)
                .partition(|f| matches!(f, Filter::Condition(condition, _) if dated(condition)));
            *list = stays;
            during.extend(moves.into_iter().filter_map(|f| match f {
                Filter::Condition(condition, _) => Some(DuringStep::Where(condition)),
                Filter::Chosen(..) => None,
            }));
        }
        during.push(DuringStep::DateRange(date_range.0, date_range.1));
        seen.during = Some(during);
    }

    /// Whether an expression is about the calendar as the roles in force have it, and not about weekdays.
    pub(super) fn is_dated(&self, bound: &Bound, table: TableId, roles: &[RoleUse]) -> bool {
        let columns = bound.columns();
        let own = |column: ColumnId, pin: Option<RoleId>| {
            let def = self.model.schema.column(column);
            Some(def.table) == self.model.calendar
                && def.ty != Type::Period(Period::Weekday)
                && pin.is_none_or(|role| self.in_force(role, table, roles))
        };
        !columns.is_empty() && columns.iter().all(|(c, pin, _)| own(*c, *pin))
    }
}

/// The parts of something that is named.
fn flat(what: &What) -> Vec<&What> {
    match what {
        What::Several(list) => list.iter().flat_map(flat).collect(),
        other => vec![other],
    }
}
