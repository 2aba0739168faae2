//! Bridges: a row is looked at once for every one of the rows that a bridge gives it.
//!
//! What a row must be, it must be with one and the same of them. A row that has none is looked at with nothing in their place.

use crate::Evaluator;
use crate::context::{Context, Seen};
use crate::data::Reached;
use crate::guard::Conditions;
use std::collections::{BTreeMap, BTreeSet};
use vembra_engine::Member;
use vembra_model::{Bound, BoundKind, BoundSummary, Crossing, Detail, Model, RoleUse};
use vembra_plan::{ColumnId, EvalError, LinkId, RoleId, Scalar, TableId};

/// The row that each bridge gives: [`Reached::None`] where there is none, [`Reached::Unknown`] where the row leads to none that it could come from.
pub(crate) type Picked = BTreeMap<LinkId, Reached>;

/// The rows of a bridge by the row that they lead to.
pub(crate) type Several = BTreeMap<usize, Vec<Reached>>;

impl<'a> Evaluator<'a> {
    /// The bridge behind which a column lies.
    pub(crate) fn crossing(
        &self,
        table: TableId,
        column: ColumnId,
        role: Option<RoleId>,
        roles: &[RoleUse],
    ) -> Option<Crossing> {
        if self.bridges.is_empty() {
            return None;
        }
        let key = (table, column, role, roles.iter().map(|r| r.role).collect::<Vec<_>>());
        if let Some(known) = self.crossings.borrow().get(&key) {
            return known.clone();
        }
        let found = self.model.bridged(table, column, role, roles).ok().flatten();
        self.crossings.borrow_mut().insert(key, found.clone());
        found
    }

    /// The bridge behind which the columns of an expression lie.
    pub(crate) fn crossing_of(&self, bound: &Bound, table: TableId, roles: &[RoleUse]) -> Option<Crossing> {
        bound.columns().into_iter().find_map(|(column, role, _)| self.crossing(table, column, role, roles))
    }

    /// The row that a bridge gives, as the row in question is looked at.
    pub(crate) fn picked(&self, crossing: &Crossing) -> Reached {
        self.picks.borrow().last().and_then(|p| p.get(&crossing.link).copied()).unwrap_or(Reached::None)
    }

    /// Every way to look at a row: with each of the rows that each bridge gives it.
    pub(crate) fn ways(
        &self,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Vec<Picked>, EvalError> {
        let mut ways = vec![Picked::new()];
        for link in &self.bridges {
            let key = self.model.schema.link(*link).to[0];
            let Ok((_, path)) = self.path(table, key, None, roles) else { continue };
            let rows = match self.reach(&path, row)? {
                Reached::Row(at) => self.several(*link, at)?,
                lost => vec![lost],
            };
            ways = ways
                .iter()
                .flat_map(|way| {
                    rows.iter().map(|row| {
                        let mut way = way.clone();
                        way.insert(*link, *row);
                        way
                    })
                })
                .collect();
        }
        Ok(ways)
    }

    /// The rows of a bridge that lead to a row.
    fn several(&self, link: LinkId, to: usize) -> Result<Vec<Reached>, EvalError> {
        if !self.several.borrow().contains_key(&link) {
            let mut all = Several::new();
            for row in 0..self.data.rows(self.model.schema.link_source(link)) {
                if let Reached::Row(to) = self.follow(link, row)? {
                    all.entry(to).or_default().push(Reached::Row(row));
                }
            }
            self.several.borrow_mut().insert(link, all);
        }
        let several = self.several.borrow();
        let rows = several.get(&link).and_then(|all| all.get(&to)).cloned();
        Ok(rows.unwrap_or_else(|| vec![Reached::None]))
    }

    /// Looks at a row in one way.
    pub(crate) fn looking<T>(&self, way: &Picked, look: impl FnOnce() -> T) -> T {
        self.picks.borrow_mut().push(way.clone());
        let found = look();
        self.picks.borrow_mut().pop();
        found
    }

    /// The ways to look at a row in which it belongs to a cell and meets a further condition.
    pub(crate) fn ways_in(
        &self,
        seen: &Seen<'a>,
        further: Option<&'a Bound>,
        (table, row): (TableId, usize),
        context: &Context<'a>,
    ) -> Result<Vec<Picked>, EvalError> {
        let roles = self.own_roles(table, &context.roles());
        let mut found = Vec::new();
        for way in self.ways(table, row, &roles)? {
            let belongs = self.looking(&way, || self.stands_there(seen, further, table, row, context))?;
            if belongs {
                found.push(way);
            }
        }
        Ok(found)
    }

    /// Whether a condition holds for a row, each part of it where its columns are.
    pub(crate) fn holds(
        &self,
        condition: &'a Bound,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
        context: &Context<'a>,
    ) -> Result<bool, EvalError> {
        let mut all = Conditions::default();
        for part in crate::context::conjuncts(condition) {
            let crossing = self.crossing_of(part, table, roles);
            let (table, row) = match crossing.map(|crossing| (crossing.table, self.picked(&crossing))) {
                Some((several, Reached::Row(at))) => (several, at),
                _ => (table, row),
            };
            let value = self.row(part, table, row, roles, context);
            if all.leave_out(value.map(|value| value.physical() == Some(1))) {
                return Ok(false);
            }
        }
        all.hold()
    }

    /// Where a row stands behind a bridge, given where each row of that stands.
    pub(crate) fn member_behind(
        &self,
        crossing: &Crossing,
        member: impl FnOnce(TableId, usize) -> Result<Member, EvalError>,
    ) -> Result<Member, EvalError> {
        match self.picked(crossing) {
            Reached::Row(at) => member(crossing.table, at),
            Reached::None => Ok(Member::None),
            Reached::Unknown => Ok(Member::Unknown),
        }
    }

    /// The value of a column behind a bridge.
    pub(crate) fn value_behind(
        &self,
        bound: &Bound,
        crossing: &Crossing,
        roles: &[RoleUse],
    ) -> Result<Scalar, EvalError> {
        match self.picked(crossing) {
            Reached::Row(at) => self.plain_row(bound, crossing.table, at, roles),
            _ => Ok(Scalar::Null),
        }
    }
}

/// The bridges that a query may look at: what it names, in its own text or in the formulas of measures, lies behind them. Without a
/// query all of them.
pub(crate) fn asked_for(model: &Model, query: Option<&BoundSummary>) -> Vec<LinkId> {
    let schema = &model.schema;
    let mut bridges: Vec<LinkId> = schema.link_ids().filter(|l| schema.link(*l).bridge).collect();
    // A list comes with its parameters alone.
    let is_summary = |query: &&BoundSummary| !bridges.is_empty() && !query.shows.is_empty();
    let Some(query) = query.filter(is_summary) else { return bridges };
    let axes = query.axes.iter().map(|a| &a.expr);
    let chosen = query.having.iter().chain(query.top.iter().map(|t| &t.by));
    let mut open: Vec<&Bound> =
        axes.chain(query.shows.iter().map(|s| &s.expr)).chain(&query.filters).chain(chosen).collect();
    let (mut tables, mut measures) = (BTreeSet::new(), BTreeSet::new());
    while let Some(bound) = open.pop() {
        bound.walk(&mut |part| match &part.kind {
            BoundKind::Column(column, _) => {
                tables.insert(schema.column(*column).table);
            }
            BoundKind::Claused(_, clauses) => {
                if let Some(Detail::Per(keys)) = &clauses.detail {
                    tables.extend(keys.iter().map(|key| schema.column(key.column).table));
                }
            }
            BoundKind::Measure(id) if measures.insert(*id) => open.push(&model.measure(*id).formula),
            _ => {}
        });
    }
    bridges.retain(|link| {
        let direct = model.reachable_tables(schema.link_target(*link));
        let behind = model.reachable_tables(schema.link_source(*link));
        behind.iter().any(|table| tables.contains(table) && !direct.contains(table))
    });
    bridges
}
