//! Values of rows: from a row along links to a column, and figures at a detail of its own.

use crate::context::{Context, Key, Step};
use crate::data::Reached;
use crate::guard::guarded;
use crate::{Evaluator, Standing};
use std::collections::BTreeMap;
use std::rc::Rc;
use std::sync::Arc;
use vembra_engine::Member;
use vembra_model::{Bound, BoundKind, Detail, RoleUse, What};
use vembra_plan::{ColumnId, EvalError, LinkId, RoleId, Scalar, TableId, call};

/// Links are followed at most so far.
const FAR: usize = 6;

impl<'a> Evaluator<'a> {
    /// The value of a row expression; figures at a detail of its own see `context`.
    pub(crate) fn row(
        &self,
        bound: &'a Bound,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
        context: &Context<'a>,
    ) -> Result<Scalar, EvalError> {
        match &bound.kind {
            BoundKind::Call(function, args) => {
                let of = &mut |at: usize| self.row(&args[at], table, row, roles, context);
                if let Some(value) = guarded(*function, args.len(), bound.ty, of) {
                    return value;
                }
                let args: Result<Vec<Scalar>, EvalError> = (0..args.len()).map(of).collect();
                self.called(*function, &args?, bound.ty)
            }
            BoundKind::Measure(id) => self.row(&self.model.measure(*id).formula, table, row, roles, context),
            BoundKind::Treatment(treatment) => self.row(&treatment.formula, table, row, roles, context),
            BoundKind::StandsOn(_) | BoundKind::CellEdge { .. } => self.cell(bound, context, false),
            BoundKind::Claused(..) => self.detail_of_row(bound, table, row, roles, context),
            _ => self.plain_row(bound, table, row, roles),
        }
    }

    /// The value of a row expression without figures.
    pub(crate) fn plain_row(
        &self,
        bound: &Bound,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Scalar, EvalError> {
        match &bound.kind {
            BoundKind::Literal(value) => Ok(value.clone()),
            BoundKind::Param(id) => {
                let value = self.query.and_then(|q| q.params.get(id)).cloned().unwrap_or(Scalar::Null);
                call::convert(value, bound.ty)
            }
            BoundKind::Column(column, role) => {
                if let Some(crossing) = self.crossing(table, *column, *role, roles) {
                    return self.value_behind(bound, &crossing, roles);
                }
                let (column, path) = self.path(table, *column, *role, roles)?;
                match self.reach(&path, row)? {
                    Reached::Row(row) => self.value(column, row),
                    _ => Ok(Scalar::Null),
                }
            }
            BoundKind::Call(function, args) => {
                let of = &mut |at: usize| self.plain_row(&args[at], table, row, roles);
                if let Some(value) = guarded(*function, args.len(), bound.ty, of) {
                    return value;
                }
                let args: Result<Vec<Scalar>, EvalError> = (0..args.len()).map(of).collect();
                call::call(*function, &args?, bound.ty)
            }
            _ => Err(EvalError::Internal("a figure in a row".to_owned())),
        }
    }

    fn detail_of_row(
        &self,
        bound: &'a Bound,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
        context: &Context<'a>,
    ) -> Result<Scalar, EvalError> {
        let BoundKind::Claused(inner, clauses) = &bound.kind else { return Ok(Scalar::Null) };
        let inside = Context { to_date: None, ..self.inside(clauses, context) };
        match &clauses.detail {
            None => self.row(inner, table, row, roles, &inside),
            Some(Detail::Cell) => self.once(inner, &inside),
            Some(Detail::Overall) => self.once(inner, &inside.and(Step::Forget(&What::All, true))),
            // Behind a bridge that gives no row there is nothing to look up.
            Some(Detail::Per(_)) if self.crossing_of(bound, table, roles).is_some() => Ok(Scalar::Null),
            Some(Detail::Per(keys)) => {
                let mut own = Vec::new();
                for key in keys {
                    let key = self.detail(key);
                    own.push((key, self.member(&key, table, row, roles)?));
                }
                let inside = inside.and(Step::Keys(own));
                // Rows of one key ask for the same value.
                if inside.folded.is_empty() {
                    self.once(inner, &inside)
                } else {
                    self.cell(inner, &inside, false)
                }
            }
        }
    }

    /// Where a row stands on a key.
    pub(crate) fn member(
        &self,
        key: &Key,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Member, EvalError> {
        match key {
            Key::Detail(column, role) | Key::Settled(column, role) => {
                Ok(key.takes(self.column_member((*column, *role), table, row, roles)?))
            }
            Key::Axis(at) => {
                let top =
                    self.query.and_then(|q| q.top.as_ref()).filter(|t| t.axis == *at && !self.choosing.get());
                let Some(label) = top.and_then(|t| t.rest.as_ref()) else {
                    return self.axis_member(*at, table, row, roles);
                };
                let members: Result<Vec<Member>, EvalError> =
                    self.chosen_axes(1).iter().map(|at| self.axis_member(*at, table, row, roles)).collect();
                if self.chosen_lines(1)?.contains(&members?) {
                    self.axis_member(*at, table, row, roles)
                } else {
                    Ok(Member::Rest(Arc::from(label.as_str())))
                }
            }
        }
    }

    /// Where the rows of a table stand on a key; not for an axis with a rest, which depends on what is chosen.
    pub(crate) fn standing(&self, key: &Key, table: TableId, roles: &[RoleUse]) -> Option<Rc<Standing>> {
        let top = self.query.and_then(|q| q.top.as_ref());
        let crosses =
            |(column, role): (ColumnId, Option<RoleId>)| self.crossing(table, column, role, roles).is_some();
        if self.key_columns(key).into_iter().any(crosses) {
            return None;
        }
        if matches!(key, Key::Axis(at) if top.is_some_and(|t| t.axis == *at && t.rest.is_some())) {
            return None;
        }
        let name = (*key, table, roles.iter().map(|r| r.role).collect::<Vec<_>>());
        if let Some(known) = self.standing.borrow().get(&name) {
            return Some(known.clone());
        }
        let mut standing = Standing { members: Vec::new(), rows: BTreeMap::new(), failing: Vec::new() };
        for row in 0..self.data.rows(table) {
            let member = self.member(key, table, row, roles);
            match &member {
                Ok(member) => standing.rows.entry(format!("{member:?}")).or_default().push(row),
                Err(_) => standing.failing.push(row),
            }
            standing.members.push(member);
        }
        let standing = Rc::new(standing);
        self.standing.borrow_mut().insert(name, standing.clone());
        Some(standing)
    }

    /// The rows of a table that may stand at a position: those of its key with the fewest.
    pub(crate) fn candidates(
        &self,
        position: &[(Key, Member)],
        table: TableId,
        roles: &[RoleUse],
    ) -> Vec<usize> {
        let own = position.iter().filter(|(key, _)| self.key_reached(key, table, roles));
        let standing = own.filter_map(|(key, member)| {
            let standing = self.standing(key, table, roles)?;
            let member = format!("{member:?}");
            let count = standing.rows.get(&member).map_or(0, Vec::len) + standing.failing.len();
            Some((count, standing, member))
        });
        let Some((_, standing, member)) = standing.min_by_key(|(count, ..)| *count) else {
            return (0..self.data.rows(table)).collect();
        };
        let mut rows = standing.rows.get(&member).cloned().unwrap_or_default();
        // Something else may leave them out.
        rows.extend(&standing.failing);
        rows.sort_unstable();
        rows
    }

    /// Where a row stands on an axis, whatever was chosen.
    pub(crate) fn axis_member(
        &self,
        at: usize,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Member, EvalError> {
        self.member_of(self.axis(at), table, row, roles)
    }

    /// Where a row stands on a column.
    pub(crate) fn column_member(
        &self,
        (column, role): (ColumnId, Option<RoleId>),
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Member, EvalError> {
        let ty = self.model.schema.column(column).ty;
        let span = vembra_syntax::Span::default();
        let bound = Bound { kind: BoundKind::Column(column, role), ty, span };
        if let Some(crossing) = self.crossing(table, column, role, roles) {
            let member = |table, row| self.column_member((column, role), table, row, roles);
            return self.member_behind(&crossing, member);
        }
        Ok(match self.plain_row(&bound, table, row, roles)? {
            Scalar::Null if self.is_unknown(&bound, table, row, roles)? => Member::Unknown,
            Scalar::Null => Member::None,
            value => Member::Value(value),
        })
    }

    pub(crate) fn member_of(
        &self,
        expr: &'a Bound,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Member, EvalError> {
        if let Some(crossing) = self.crossing_of(expr, table, roles) {
            return self.member_behind(&crossing, |table, row| self.member_of(expr, table, row, roles));
        }
        Ok(match self.row(expr, table, row, roles, &self.plain())? {
            Scalar::Null if self.is_unknown(expr, table, row, roles)? => Member::Unknown,
            Scalar::Null => Member::None,
            value => Member::Value(value),
        })
    }

    /// Whether a row is listed as (unknown): a link of a plain column leads to no row, or the first link of all
    /// columns of a formula does.
    fn is_unknown(
        &self,
        bound: &Bound,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<bool, EvalError> {
        if let BoundKind::Column(column, role) = bound.kind {
            let (_, path) = self.path(table, column, role, roles)?;
            return Ok(self.reach(&path, row)? == Reached::Unknown);
        }
        if !bound.is_plain() {
            return Ok(false);
        }
        let firsts: Vec<Option<LinkId>> = bound
            .columns()
            .into_iter()
            .map(|(c, role, _)| self.path(table, c, role, roles).ok().and_then(|(_, p)| p.first().copied()))
            .collect();
        match firsts.split_first() {
            Some((Some(first), rest)) if rest.iter().all(|r| r.as_ref() == Some(first)) => {
                Ok(self.follow(*first, row)? == Reached::Unknown)
            }
            _ => Ok(false),
        }
    }

    pub(crate) fn reach(&self, path: &[LinkId], row: usize) -> Result<Reached, EvalError> {
        path.iter().try_fold(Reached::Row(row), |at, link| match at {
            Reached::Row(row) => self.follow(*link, row),
            lost => Ok(lost),
        })
    }

    /// Whether the rows have a value of a column of a table, over a bridge too.
    fn has_value_of(&self, table: TableId, column: ColumnId, pin: Option<RoleId>, roles: &[RoleUse]) -> bool {
        self.model.route_to_thing(table, column, pin, roles).is_ok()
            || self.crossing(table, column, pin, roles).is_some()
    }

    /// Whether all columns of a key can be reached.
    pub(crate) fn key_reached(&self, key: &Key, table: TableId, roles: &[RoleUse]) -> bool {
        self.key_columns(key).into_iter().all(|(column, pin)| self.has_value_of(table, column, pin, roles))
    }

    /// Whether all that rows must be can be known of the rows of a table.
    pub(crate) fn can_decide(
        &self,
        seen: &crate::context::Seen<'a>,
        table: TableId,
        roles: &[RoleUse],
    ) -> bool {
        let reached =
            |(column, pin): (ColumnId, Option<RoleId>)| self.has_value_of(table, column, pin, roles);
        let conditions = seen.conditions.iter().flat_map(|(b, _)| b.columns()).map(|(c, pin, _)| (c, pin));
        let chosen = seen.chosen.iter().flat_map(|which| self.chosen_axes(*which));
        let chosen: Vec<_> = chosen.flat_map(|at| self.key_columns(&Key::Axis(at))).collect();
        conditions.chain(chosen).all(reached)
            && seen.position.iter().all(|(key, _)| self.key_reached(key, table, roles))
    }

    /// The shortest way to a column, or to one that is the same thing.
    pub(crate) fn path(
        &self,
        table: TableId,
        column: ColumnId,
        pinned: Option<RoleId>,
        roles: &[RoleUse],
    ) -> Result<(ColumnId, Vec<LinkId>), EvalError> {
        let key = (table, column, pinned, roles.iter().map(|r| r.role).collect::<Vec<_>>());
        if let Some(known) = self.paths.borrow().get(&key) {
            return Ok(known.clone());
        }
        let found = self.search(table, column, pinned, roles)?;
        self.paths.borrow_mut().insert(key, found.clone());
        Ok(found)
    }

    fn search(
        &self,
        table: TableId,
        column: ColumnId,
        pinned: Option<RoleId>,
        roles: &[RoleUse],
    ) -> Result<(ColumnId, Vec<LinkId>), EvalError> {
        for thing in self.model.same_things(column) {
            for far in 0..FAR {
                if let Some(path) = self.way(table, thing, pinned, roles, far) {
                    return Ok((thing, path));
                }
            }
        }
        Err(EvalError::Internal(format!("no way to {}", self.model.schema.qualified(column))))
    }

    /// A way of exactly `far` links.
    fn way(
        &self,
        table: TableId,
        column: ColumnId,
        pinned: Option<RoleId>,
        roles: &[RoleUse],
        far: usize,
    ) -> Option<Vec<LinkId>> {
        let schema = &self.model.schema;
        if far == 0 {
            return (schema.column(column).table == table && pinned.is_none()).then(Vec::new);
        }
        schema.link_ids().filter(|l| schema.link_source(*l) == table).find_map(|link| {
            let takes_pin = pinned.is_some() && schema.link(link).role == pinned;
            if !takes_pin && !self.in_force(link, pinned, roles) {
                return None;
            }
            let rest = if takes_pin { None } else { pinned };
            let mut path = self.way(schema.link_target(link), column, rest, roles, far - 1)?;
            path.insert(0, link);
            Some(path)
        })
    }

    /// Whether a link is the one to follow among those between its two tables.
    fn in_force(&self, link: LinkId, pinned: Option<RoleId>, roles: &[RoleUse]) -> bool {
        let schema = &self.model.schema;
        let ends = |l: LinkId| (schema.link_source(l), schema.link_target(l));
        let rivals: Vec<LinkId> = schema.link_ids().filter(|l| ends(*l) == ends(link)).collect();
        let bears = |role: RoleId| rivals.iter().find(|l| schema.link(**l).role == Some(role));
        if pinned.is_some_and(|p| bears(p).is_some()) {
            return false;
        }
        match roles.iter().rev().find_map(|r| bears(r.role)) {
            Some(chosen) => *chosen == link,
            None => rivals.len() == 1 || schema.link(link).default,
        }
    }
}

/// The same with every column seen from its own table.
pub(crate) fn unpinned(bound: &Bound) -> Bound {
    let kind = match &bound.kind {
        BoundKind::Column(column, _) => BoundKind::Column(*column, None),
        BoundKind::Call(function, args) => BoundKind::Call(*function, args.iter().map(unpinned).collect()),
        other => other.clone(),
    };
    Bound { kind, ty: bound.ty, span: bound.span }
}
