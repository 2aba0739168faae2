//! Contexts, step by step from the query to an expression, with the very members of one cell.

use crate::Evaluator;
use std::rc::Rc;
use vembra_engine::Member;
use vembra_model::{Bound, BoundKind, Clauses, DetailKey, RoleUse, ToDate, What, all_to_date};
use vembra_plan::{ColumnId, DateRange, EvalError, Function, LinkId, Period, RoleId, TableId, Type};

/// What a cell stands on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Key {
    Axis(usize),
    Detail(ColumnId, Option<RoleId>),
    /// An attribute that the cell's own members settle: unlike in a detail, a missing key and an unknown one are two members.
    Settled(ColumnId, Option<RoleId>),
}

impl Key {
    /// A member as the key has it: rows without a key of a detail are one value of it, whatever they lack.
    pub(crate) fn takes(self, member: Member) -> Member {
        match (self, member) {
            (Self::Detail(..), Member::Unknown) => Member::None,
            (_, member) => member,
        }
    }
}

#[derive(Clone)]
pub(crate) enum Step<'a> {
    Via(RoleUse),
    Where(&'a Bound, usize),
    Chosen(usize),
    Forget(&'a What, bool),
    During(DateRange),
    Keys(Vec<(Key, Member)>),
}

/// The lines of a level.
pub(crate) type Lines = Rc<Vec<Vec<(Key, Member)>>>;

#[derive(Clone, Default)]
pub(crate) struct Context<'a> {
    pub(crate) steps: Vec<Step<'a>>,
    /// The lines shown beside this one, and the number of steps before where it stands.
    pub(crate) lines: Option<(Lines, usize)>,
    /// The combination that an aggregate over keys is at.
    pub(crate) folded: Vec<(Key, Member)>,
    /// What the figure around takes to date, once it is known.
    pub(crate) to_date: Option<Rc<Vec<ToDate>>>,
}

/// What a row must be to belong to a cell.
#[derive(Clone, Default)]
pub(crate) struct Seen<'a> {
    pub(crate) position: Vec<(Key, Member)>,
    pub(crate) conditions: Vec<(&'a Bound, usize)>,
    pub(crate) chosen: Vec<usize>,
    /// The steps to the days that count, in place of those where the cell stands.
    pub(crate) during: Option<Vec<DayStep<'a>>>,
    /// The days themselves; none of them if the cell stays empty.
    #[allow(clippy::option_option)]
    // The outer one says whether days matter, the inner one whether there are any.
    pub(crate) days: Option<Option<Vec<i32>>>,
    /// Where there are none, since the cell begins after the last day with data: that day, and the links by which it was found.
    pub(crate) ended: Option<(i32, Vec<LinkId>)>,
}

#[derive(Clone)]
pub(crate) enum DayStep<'a> {
    At(Key, Member),
    Where(&'a Bound),
    Take(DateRange),
}

impl Seen<'_> {
    /// What it must be besides.
    pub(crate) fn with(&self, more: Self) -> Self {
        let mut all = self.clone();
        all.position.extend(more.position);
        all.conditions.extend(more.conditions);
        all.chosen.extend(more.chosen);
        all.days = all.days.or(more.days);
        all
    }
}

impl<'a> Context<'a> {
    pub(crate) fn roles(&self) -> Vec<RoleUse> {
        let roles = self.steps.iter().filter_map(|s| if let Step::Via(r) = s { Some(*r) } else { None });
        roles.collect()
    }

    /// The steps as a text: equal for equal contexts of one query.
    pub(crate) fn fingerprint(&self) -> String {
        let mut text = String::new();
        for step in &self.steps {
            text.push_str(&match step {
                Step::Via(used) => format!("v{} ", used.role.0),
                Step::Where(condition, seen) => format!("w{:p}/{seen} ", *condition),
                Step::Chosen(which) => format!("c{which} "),
                Step::Forget(what, filters) => format!("f{what:?}{filters} "),
                Step::During(date_range) => format!("d{date_range:?} "),
                Step::Keys(keys) => format!("k{keys:?} "),
            });
        }
        for (table, roles) in self.to_date.iter().flat_map(|facts| facts.iter()) {
            text.push_str(&format!("t{}/{:?} ", table.0, roles.iter().map(|r| r.role.0).collect::<Vec<_>>()));
        }
        text
    }

    pub(crate) fn up_to(&self, steps: usize) -> Self {
        Self { steps: self.steps[..steps.min(self.steps.len())].to_vec(), ..Self::default() }
    }

    pub(crate) fn and(&self, step: Step<'a>) -> Self {
        let mut context = self.clone();
        context.steps.push(step);
        context
    }
}

/// The conditions that `and` joins.
pub(crate) fn conjuncts(bound: &Bound) -> Vec<&Bound> {
    match &bound.kind {
        BoundKind::Call(Function::And, args) => args.iter().flat_map(conjuncts).collect(),
        _ => vec![bound],
    }
}

impl<'a> Evaluator<'a> {
    /// The context of a figure, in which it is known what the whole of it takes to date.
    pub(crate) fn dated(&self, bound: &Bound, context: &Context<'a>) -> Context<'a> {
        let to_date = |step: &Step<'_>| matches!(step, Step::During(DateRange::ToDate(None)));
        let within = context.steps.iter().any(to_date);
        let facts = all_to_date(self.model, bound, &context.roles(), within);
        Context { to_date: Some(Rc::new(facts)), ..context.clone() }
    }

    /// The columns of a key.
    pub(crate) fn key_columns(&self, key: &Key) -> Vec<(ColumnId, Option<RoleId>)> {
        match key {
            Key::Detail(column, role) | Key::Settled(column, role) => vec![(*column, *role)],
            Key::Axis(at) => self.axis(*at).columns().into_iter().map(|(c, r, _)| (c, r)).collect(),
        }
    }

    pub(crate) fn axis(&self, at: usize) -> &'a Bound {
        // Axes come from the query only: a column's formula never asks for one.
        let Some(query) = self.query else { unreachable!("an axis without a query") };
        &query.axes[at].expr
    }

    /// The key of a detail. It is never an axis: a total over an axis does not stand on it.
    #[allow(clippy::unused_self)] // Reads like the others.
    pub(crate) fn detail(&self, key: &DetailKey) -> Key {
        Key::Detail(key.column, key.role)
    }

    fn link_in_force(&self, role: RoleId, table: TableId, roles: &[RoleUse]) -> bool {
        let schema = &self.model.schema;
        let target = self.model.role_target(role);
        for used in roles.iter().rev() {
            if self.model.role_target(used.role) == target && self.has_role(table, used.role) {
                return used.role == role;
            }
        }
        let reached = self.model.reachable_tables(table);
        let all: Vec<LinkId> = schema
            .link_ids()
            .filter(|l| Some(schema.link_target(*l)) == target)
            .filter(|l| reached.contains(&schema.link_source(*l)))
            .collect();
        let bears = |l: &&LinkId| schema.link(**l).role == Some(role);
        all.iter().filter(bears).any(|l| schema.link(*l).default || all.len() == 1)
    }

    fn names(
        &self,
        what: &What,
        (column, pin): (ColumnId, Option<RoleId>),
        seen_from: Option<(TableId, &[RoleUse])>,
    ) -> bool {
        let table = self.model.schema.column(column).table;
        match what {
            What::All | What::AllBut(_) => true,
            What::Several(parts) => parts.iter().any(|p| self.names(p, (column, pin), seen_from)),
            What::Table(named) => self.model.is_of_table((column, pin), *named),
            What::Role(role) => {
                if pin.is_some() {
                    return pin == Some(*role);
                }
                self.model.role_target(*role) == Some(table)
                    && seen_from.is_some_and(|(t, roles)| self.link_in_force(*role, t, roles))
            }
            What::Attribute(attribute, role) => {
                if pin == *role {
                    return self.model.settles((column, pin), (*attribute, *role));
                }
                let (None, Some(role)) = (pin, *role) else { return false };
                self.model.role_target(role) == Some(table)
                    && seen_from.is_some_and(|(t, roles)| self.link_in_force(role, t, roles))
                    && self.model.settles((column, None), (*attribute, None))
            }
        }
    }

    fn key_named(&self, what: &What, key: &Key, seen_from: Option<(TableId, &[RoleUse])>) -> bool {
        matches!(what, What::All | What::AllBut(_))
            || self.key_columns(key).into_iter().any(|c| self.names(what, c, seen_from))
    }

    /// Where the cell stands, whatever the table.
    pub(crate) fn position(&self, context: &Context<'a>) -> Vec<(Key, Member)> {
        let mut position: Vec<(Key, Member)> = Vec::new();
        for step in &context.steps {
            match step {
                Step::Keys(keys) => {
                    for (key, member) in keys {
                        position.retain(|(k, _)| k != key);
                        position.push((*key, member.clone()));
                    }
                }
                Step::Forget(what, _) => position.retain(|(k, _)| !self.key_named(what, k, None)),
                _ => {}
            }
        }
        position
    }

    /// Whether the cell has a place on something.
    pub(crate) fn stands(&self, what: &What, context: &Context<'a>) -> bool {
        self.position(context).iter().any(|(key, _)| {
            self.key_named(what, key, None)
                || match (what, self.key_columns(key).as_slice()) {
                    (What::Role(role), [(column, None)]) => {
                        self.model.role_target(*role) == Some(self.model.schema.column(*column).table)
                            && context.roles().iter().any(|r| r.role == *role)
                            && self.is_plain_key(key)
                    }
                    _ => false,
                }
        })
    }

    fn is_plain_key(&self, key: &Key) -> bool {
        match key {
            Key::Detail(..) | Key::Settled(..) => true,
            Key::Axis(at) => matches!(self.axis(*at).kind, BoundKind::Column(..)),
        }
    }

    /// The context inside clauses, but for their keys.
    pub(crate) fn inside(&self, clauses: &'a Clauses, context: &Context<'a>) -> Context<'a> {
        let mut inner = context.clone();
        inner.steps.extend(clauses.via.iter().map(|v| Step::Via(*v)));
        // They are a set: each looks at where the cell stood before any of them.
        let kept = self.kept_by_all(clauses, &inner);
        inner.steps.extend(clauses.forget.iter().map(|f| Step::Forget(&f.what, f.filters)));
        if !kept.is_empty() {
            inner.steps.push(Step::Keys(kept));
        }
        inner.steps.extend(clauses.during.iter().map(|(date_range, _)| Step::During(*date_range)));
        let seen = inner.steps.len();
        let conditions = clauses.conditions.iter().flat_map(conjuncts);
        inner.steps.extend(conditions.map(|c| Step::Where(c, seen)));
        inner
    }

    /// What all clauses keep of what any `all but` names: each other one keeps it too, or keeps what determines it.
    fn kept_by_all(&self, clauses: &'a Clauses, context: &Context<'a>) -> Vec<(Key, Member)> {
        let is_but = |what: &What| matches!(what, What::AllBut(_));
        let (buts, others): (Vec<&What>, Vec<&What>) =
            clauses.forget.iter().map(|f| &f.what).partition(|what| is_but(what));
        let lists: Vec<_> = buts.iter().map(|what| self.kept_by(what, context)).collect();
        let mut kept: Vec<(Key, Member)> = Vec::new();
        for (key, member) in lists.iter().flatten() {
            let in_list =
                |list: &Vec<(Key, Member)>| list.iter().any(|(k, _)| k == key || self.key_gives(k, key));
            let stays =
                lists.iter().all(in_list) && !others.iter().any(|what| self.key_named(what, key, None));
            if stays && !kept.iter().any(|(k, _)| k == key) {
                kept.push((*key, member.clone()));
            }
        }
        kept
    }

    /// Whether a plain key, an axis or that of a detail, determines another one.
    fn key_gives(&self, finer: &Key, coarser: &Key) -> bool {
        match (self.key_columns(finer).as_slice(), self.key_columns(coarser).as_slice()) {
            ([a], [b]) => {
                self.is_plain_key(finer) && self.is_plain_key(coarser) && self.model.settles(*a, *b)
            }
            _ => false,
        }
    }

    /// What `all but` keeps: members where the cell stands on them, and those that its members determine.
    fn kept_by(&self, what: &What, context: &Context<'a>) -> Vec<(Key, Member)> {
        let What::AllBut(but) = what else { return Vec::new() };
        let position = self.position(context);
        let home = |column: ColumnId| self.model.schema.column(column).table;
        let mut kept = Vec::new();
        for part in flat(but) {
            let What::Attribute(column, role) = part else {
                kept.extend(position.iter().filter(|(k, _)| self.key_named(part, k, None)).cloned());
                continue;
            };
            let own = |k: &Key| self.is_plain_key(k) && self.key_columns(k) == [(*column, *role)];
            if let Some(found) = position.iter().find(|(k, _)| own(k)) {
                kept.push(found.clone());
                continue;
            }
            // Look the member up in the table that holds both.
            let finer = position.iter().find(|(k, _)| match self.key_columns(k).as_slice() {
                [(c, pin)] => {
                    self.is_plain_key(k)
                        && self.model.settles((*c, *pin), (*column, *role))
                        && (pin.is_none() || home(*c) == home(*column))
                }
                _ => false,
            });
            let Some((finer, member)) = finer else { continue };
            let key = match finer {
                Key::Detail(..) => Key::Detail(*column, *role),
                _ => Key::Settled(*column, *role),
            };
            let from = self.key_columns(finer)[0].0;
            let table = home(from);
            // Within one table the role has led there already.
            let role = role.filter(|_| home(*column) != table);
            let member = match member {
                Member::Value(value) => (0..self.data.rows(table))
                    .rev()
                    .find(|row| self.value(from, *row).is_ok_and(|v| v == *value))
                    .and_then(|row| self.column_member((*column, role), table, row, &[]).ok())
                    .unwrap_or(Member::None),
                other => other.clone(),
            };
            kept.push((key, key.takes(member)));
        }
        kept
    }

    /// Takes the steps one after the other, as a table sees them.
    pub(crate) fn seen(&self, context: &Context<'a>, table: TableId) -> Result<Seen<'a>, EvalError> {
        let all_roles = self.own_roles(table, &context.roles());
        let mut seen = Seen::default();
        let mut so_far = Vec::new();
        for step in &context.steps {
            match step {
                Step::Via(used) => {
                    if self.has_role(table, used.role) {
                        so_far.push(*used);
                    }
                }
                Step::Where(condition, steps) => seen.conditions.push((condition, *steps)),
                Step::Chosen(which) => seen.chosen.push(*which),
                Step::Keys(keys) => {
                    for (key, member) in keys {
                        seen.position.retain(|(k, _)| k != key);
                        seen.position.push((*key, member.clone()));
                    }
                }
                Step::Forget(what, filters) => self.forget(&mut seen, what, *filters, (table, &so_far)),
                Step::During(date_range) => {
                    let dated = |b: &Bound| {
                        b.is_plain()
                            && self.is_dated(
                                &b.columns().into_iter().map(|(c, p, _)| (c, p)).collect::<Vec<_>>(),
                                table,
                                &all_roles,
                            )
                    };
                    let mut steps = seen.during.take().unwrap_or_default();
                    let key_dated = |key: &Key| {
                        self.is_dated(&self.key_columns(key), table, &all_roles)
                            && match key {
                                Key::Axis(at) => self.axis(*at).is_plain(),
                                Key::Detail(..) | Key::Settled(..) => true,
                            }
                    };
                    for (key, member) in std::mem::take(&mut seen.position) {
                        if key_dated(&key) {
                            steps.push(DayStep::At(key, member));
                        } else {
                            seen.position.push((key, member));
                        }
                    }
                    for (condition, at) in std::mem::take(&mut seen.conditions) {
                        if dated(condition) {
                            steps.push(DayStep::Where(condition));
                        } else {
                            seen.conditions.push((condition, at));
                        }
                    }
                    steps.push(DayStep::Take(*date_range));
                    seen.during = Some(steps);
                }
            }
        }
        if let Some(steps) = &seen.during {
            let to_date = steps.iter().any(|step| matches!(step, DayStep::Take(DateRange::ToDate(None))));
            let beside = context.to_date.iter().filter(|_| to_date).flat_map(|facts| facts.iter());
            let beside = beside.filter(|(fact, _)| *fact == table).map(|(_, r)| self.own_roles(table, r));
            let ways: Vec<Vec<RoleUse>> = std::iter::once(all_roles.clone()).chain(beside).collect();
            seen.days = Some(self.days(steps, table, &ways)?);
            if seen.days == Some(None) {
                seen.ended = self.ended(steps, table, &ways)?;
            }
        }
        Ok(seen)
    }

    fn forget(&self, seen: &mut Seen<'a>, what: &'a What, filters: bool, from: (TableId, &[RoleUse])) {
        seen.position.retain(|(k, _)| !self.key_named(what, k, Some(from)));
        let calendar = self.model.calendar;
        let about_dates = calendar.is_some_and(|c| {
            self.model.schema.table(c).columns.iter().any(|c| self.names(what, (*c, None), Some(from)))
        });
        if about_dates && let Some(steps) = seen.during.take() {
            // The date range goes; conditions stay, unless they are forgotten too.
            for step in steps {
                if let (DayStep::Where(condition), false) = (step, filters) {
                    seen.conditions.push((condition, 0));
                }
            }
        }
        if !filters {
            return;
        }
        let but: Vec<&What> = if let What::AllBut(parts) = what { flat(parts) } else { Vec::new() };
        let gone = |columns: &[(ColumnId, Option<RoleId>)]| {
            if !matches!(what, What::AllBut(_)) {
                return matches!(what, What::All) || columns.iter().any(|c| self.names(what, *c, Some(from)));
            }
            let kept = |(c, pin): (ColumnId, Option<RoleId>)| {
                but.iter().any(|w| match w {
                    What::Attribute(a, role) => self.model.settles((*a, *role), (c, pin)),
                    other => self.names(other, (c, pin), Some(from)),
                })
            };
            columns.is_empty() || !columns.iter().all(|c| kept(*c))
        };
        seen.conditions.retain(|(b, _)| {
            let columns: Vec<_> = b.columns().into_iter().map(|(c, p, _)| (c, p)).collect();
            !gone(&columns)
        });
        seen.chosen.retain(|which| {
            let columns: Vec<_> =
                self.chosen_axes(*which).iter().flat_map(|at| self.key_columns(&Key::Axis(*at))).collect();
            !gone(&columns)
        });
    }

    /// Whether columns are of the calendar as the roles in force have it, and none is the weekday.
    pub(crate) fn is_dated(
        &self,
        columns: &[(ColumnId, Option<RoleId>)],
        table: TableId,
        roles: &[RoleUse],
    ) -> bool {
        !columns.is_empty()
            && columns.iter().all(|(column, pin)| {
                let def = self.model.schema.column(*column);
                Some(def.table) == self.model.calendar
                    && def.ty != Type::Period(Period::Weekday)
                    && pin.is_none_or(|role| self.link_in_force(role, table, roles))
            })
    }

    /// Whether a table has a role. It is asked for every cell, and always the same.
    fn has_role(&self, table: TableId, role: RoleId) -> bool {
        let known = self.roles_of[table.index()].get_or_init(|| {
            let links = self.model.schema.links.iter();
            links.filter_map(|link| link.role).filter(|role| self.model.has_role(table, *role)).collect()
        });
        known.contains(&role)
    }

    /// The roles that a table has.
    pub(crate) fn own_roles(&self, table: TableId, roles: &[RoleUse]) -> Vec<RoleUse> {
        roles.iter().copied().filter(|r| self.has_role(table, r.role)).collect()
    }
}

fn flat(parts: &[What]) -> Vec<&What> {
    let mut all = Vec::new();
    for part in parts {
        match part {
            What::Several(inner) => all.extend(flat(inner)),
            other => all.push(other),
        }
    }
    all
}
