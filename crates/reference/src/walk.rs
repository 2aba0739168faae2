//! Values of rows: from a row along links to a column.

use crate::Evaluator;
use crate::data::Reached;
use vembra_model::{Bound, BoundKind, RoleUse};
use vembra_plan::{ColumnId, EvalError, LinkId, RoleId, Scalar, TableId, call};

/// Links are followed at most so far.
const FAR: usize = 6;

impl Evaluator<'_> {
    /// The value of a row expression.
    pub(crate) fn row(
        &self,
        bound: &Bound,
        table: TableId,
        row: usize,
        roles: &[RoleUse],
    ) -> Result<Scalar, EvalError> {
        match &bound.kind {
            BoundKind::Literal(value) => Ok(value.clone()),
            BoundKind::Column(column, role) => {
                let (column, path) = self.path(table, *column, *role, roles)?;
                Ok(match self.reach(&path, row) {
                    Reached::Row(row) => self.data.value(column, row),
                    _ => Scalar::Null,
                })
            }
            BoundKind::Call(function, args) => {
                let args: Result<Vec<Scalar>, EvalError> =
                    args.iter().map(|a| self.row(a, table, row, roles)).collect();
                call::call(*function, &args?, bound.ty)
            }
            _ => Err(EvalError::Internal("a figure in a row".to_owned())),
        }
    }

    /// Whether a row stands under (unknown): a link of a plain column leads to no row, or the first link of all
    /// columns of a formula does.
    pub(crate) fn is_unknown(&self, bound: &Bound, table: TableId, row: usize, roles: &[RoleUse]) -> bool {
        if let BoundKind::Column(column, role) = bound.kind {
            return self
                .path(table, column, role, roles)
                .is_ok_and(|(_, p)| self.reach(&p, row) == Reached::Unknown);
        }
        let firsts: Vec<Option<LinkId>> = bound
            .columns()
            .into_iter()
            .map(|(c, role, _)| self.path(table, c, role, roles).ok().and_then(|(_, p)| p.first().copied()))
            .collect();
        match firsts.split_first() {
            Some((Some(first), rest)) if rest.iter().all(|r| r.as_ref() == Some(first)) => {
                self.data.follow(self.model, *first, row) == Reached::Unknown
            }
            _ => false,
        }
    }

    fn reach(&self, path: &[LinkId], row: usize) -> Reached {
        path.iter().fold(Reached::Row(row), |at, link| match at {
            Reached::Row(row) => self.data.follow(self.model, *link, row),
            lost => lost,
        })
    }

    /// The shortest way to a column, or to one that is the same thing.
    fn path(
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
