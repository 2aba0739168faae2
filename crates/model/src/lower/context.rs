//! Contexts: the steps from the question to the place where an expression stands.

use super::{Condition, Lowering};
use crate::bound::{Bound, Clauses, Forget, RoleUse, What};
use crate::model::MeasureId;
use std::rc::Rc;
use vembra_plan::{ColumnId, KeyId, LinkId, NodeId, Period, RoleId, Stretch, TableId, Type};
use vembra_syntax::Place;

/// One step.
#[derive(Clone)]
pub(super) enum Step {
    /// A role is asked for.
    Via(RoleUse),
    /// A condition is added; figures that it looks up see only so many steps.
    Where(Condition, usize),
    /// Lines are chosen by a looked-up condition.
    Choose(NodeId, Vec<KeyId>),
    /// Something is forgotten: where the cell stands on it, and perhaps filters, but not those on `but`.
    Forget { what: What, filters: bool, but: Vec<What> },
    /// Another stretch of the calendar.
    During(Stretch, Place),
    /// The cell stands on these keys besides.
    Keys(Vec<KeyId>),
}

/// The steps to a place.
#[derive(Clone, Default)]
pub(super) struct Context {
    pub(super) steps: Vec<Step>,
    /// The measure whose formula this is, as the question names it.
    pub(super) measure: Option<MeasureId>,
}

impl Context {
    pub(super) fn filter(&mut self, condition: &Bound, seen: usize) {
        self.steps.push(Step::Where(Rc::new(condition.clone()), seen));
    }

    /// What figures see that stand in a condition with so many steps before it.
    pub(super) fn up_to(&self, steps: usize) -> Self {
        Self { steps: self.steps[..steps].to_vec(), measure: self.measure }
    }

    pub(super) fn with_keys(&self, keys: Vec<KeyId>) -> Self {
        let mut context = self.clone();
        context.steps.push(Step::Keys(keys));
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
}

/// A condition in force, and how much of the context its figures see.
#[derive(Clone)]
pub(super) enum Filter {
    Condition(Condition, usize),
    Chosen(NodeId, Vec<KeyId>),
}

/// One step of the days of a cell.
#[derive(Clone)]
pub(super) enum WindowStep {
    Position(Vec<KeyId>),
    Where(Condition),
    Stretch(Stretch, Place),
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
    /// Another stretch than where the cell stands.
    pub(super) window: Option<Vec<WindowStep>>,
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
            What::Table(table) => own == *table,
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
        for forget in &clauses.forget {
            self.forget(forget, &mut inner, &mut derived);
        }
        if let Some((stretch, place)) = clauses.during {
            inner.steps.push(Step::During(stretch, place));
        }
        let seen = inner.steps.len();
        for condition in clauses.conditions.iter().flat_map(super::conjuncts) {
            inner.filter(condition, seen);
        }
        (inner, derived)
    }

    fn forget(&mut self, forget: &Forget, inner: &mut Context, derived: &mut Vec<Derived>) {
        let What::AllBut(but) = &forget.what else {
            let (what, filters) = (forget.what.clone(), forget.filters);
            inner.steps.push(Step::Forget { what, filters, but: Vec::new() });
            return;
        };
        let position = self.position(inner);
        let mut kept = Vec::new();
        for what in but.iter().flat_map(flat) {
            match what {
                // The value of an attribute is kept where the cell stands on it, or on something that settles it.
                What::Attribute(column, role) => {
                    let own = |k: &&KeyId| self.is_column(**k, *column, *role);
                    let own = position.iter().find(own).copied();
                    kept.extend(own);
                    let settles = |k: &&KeyId| {
                        self.plain_column(**k).is_some_and(|(c, pin)| {
                            self.model.schema.column(c).table == self.model.schema.column(*column).table
                                && self.model.settles((c, pin), (*column, *role))
                        })
                    };
                    // A total over the attribute's own axis may still stand on a finer one.
                    let finer = position.iter().filter(|k| Some(**k) != own && settles(k));
                    let from: Vec<KeyId> = finer.copied().collect();
                    if from.is_empty() {
                        continue;
                    }
                    let rest = from.iter().find_map(|k| self.graph.keys[k.index()].rest.clone());
                    if let Some(label) = rest {
                        let name = self.model.schema.qualified(*column);
                        self.diagnostics.push(crate::messages::rest_settles_nothing(
                            forget.place,
                            &label,
                            &name,
                        ));
                    }
                    let key = own.unwrap_or_else(|| self.detail_key(*column, *role, forget.place, inner));
                    kept.push(key);
                    derived.push(Derived { key, from, stands: own.is_some() });
                }
                other => kept.extend(position.iter().copied().filter(|k| self.key_covered(other, *k, None))),
            }
        }
        inner.steps.push(Step::Forget { what: What::All, filters: forget.filters, but: but.clone() });
        inner.steps.push(Step::Keys(kept));
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
    /// one may say which days are meant, while this one tells rows apart.
    pub(super) fn detail_key(
        &mut self,
        column: ColumnId,
        role: Option<RoleId>,
        place: Place,
        context: &Context,
    ) -> KeyId {
        let taken =
            |k: &KeyId| context.steps.iter().any(|s| matches!(s, Step::Keys(keys) if keys.contains(k)));
        let mut further = (self.axes.0 as u32..self.keys.len() as u32).map(KeyId);
        if let Some(key) = further.find(|k| self.is_column(*k, column, role) && !taken(k)) {
            return key;
        }
        let ty = self.model.schema.column(column).ty;
        let expr = Bound { kind: crate::bound::BoundKind::Column(column, role), ty, place };
        let order = self.model.order_of(&expr);
        self.add_key(self.model.schema.qualified(column), expr, order)
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
                Step::During(stretch, place) => self.moved(&mut seen, (*stretch, *place), table, roles),
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
        if covers_calendar && let Some(window) = &mut seen.window {
            // The stretch as a whole is where the cell stands; what was filtered stays filtered.
            let conditions = window.drain(..).filter_map(|step| match step {
                WindowStep::Where(condition) if !filters => Some(Filter::Condition(condition, 0)),
                _ => None,
            });
            let conditions: Vec<Filter> = conditions.collect();
            seen.filters.extend(conditions);
            seen.window = None;
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

    /// Where the cell stands on the calendar, and what it is filtered on there, becomes the days of a stretch.
    fn moved(&self, seen: &mut Seen, stretch: (Stretch, Place), table: TableId, roles: &[RoleUse]) {
        let dated = |bound: &Bound| bound.is_plain() && self.is_dated(bound, table, roles);
        let (dates, others): (Vec<KeyId>, Vec<KeyId>) =
            seen.keys.drain(..).partition(|k| dated(&self.keys[k.index()].expr));
        seen.keys = others;
        let mut window = seen.window.take().unwrap_or_default();
        if !dates.is_empty() {
            window.push(WindowStep::Position(dates));
        }
        for list in [&mut seen.filters, &mut seen.later] {
            let (moves, stays): (Vec<Filter>, Vec<Filter>) = list
                .drain(..)
                .partition(|f| matches!(f, Filter::Condition(condition, _) if dated(condition)));
            *list = stays;
            window.extend(moves.into_iter().filter_map(|f| match f {
                Filter::Condition(condition, _) => Some(WindowStep::Where(condition)),
                Filter::Chosen(..) => None,
            }));
        }
        window.push(WindowStep::Stretch(stretch.0, stretch.1));
        seen.window = Some(window);
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
