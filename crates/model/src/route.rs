//! Routes: the links from the rows of a table to a column, chosen by the roles in force.

use crate::bound::RoleUse;
use crate::messages;
use crate::model::Model;
use std::collections::BTreeSet;
use vembra_plan::{ColumnId, LinkId, RoleId, TableId};
use vembra_syntax::{Diagnostic, Span};

/// A route to a column.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Route {
    /// The links, first one first.
    pub path: Vec<LinkId>,
    /// The roles in force that chose a link.
    pub chosen_by: Vec<RoleUse>,
}

/// The way from the rows of a table to a bridge, to be read against its direction.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Crossing {
    /// The links to the table that the bridge leads to.
    pub path: Vec<LinkId>,
    /// The roles in force that chose a link.
    pub chosen_by: Vec<RoleUse>,
    /// The bridge.
    pub link: LinkId,
    /// The table that it starts from.
    pub table: TableId,
}

/// Why a column cannot be reached. The caller adds the places.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RouteError {
    /// No links lead there.
    None,
    /// Several links lead on and none is the default.
    NoDefault {
        /// From this table.
        from: TableId,
        /// To this table.
        to: TableId,
    },
    /// The link reaches only a coarser attribute, which does not determine the column.
    TooCoarse {
        /// The link.
        link: LinkId,
    },
    /// Two routes of one length lead there.
    Several {
        /// Through these tables.
        through: Vec<TableId>,
    },
    /// No link of this role starts here.
    NoRole(RoleId),
}

/// A place reached on the way.
#[derive(Clone)]
struct Stop {
    table: TableId,
    path: Vec<LinkId>,
    chosen_by: Vec<RoleUse>,
    pinned: bool,
}

impl Model {
    /// The route from the rows of `table` to `column`. `pinned` is the role that stands before the dot; of `roles`
    /// the last one is the innermost.
    ///
    /// # Errors
    /// When there is none, or more than one.
    pub fn route(
        &self,
        table: TableId,
        column: ColumnId,
        pinned: Option<RoleId>,
        roles: &[RoleUse],
    ) -> Result<Route, RouteError> {
        let target = self.schema.column(column).table;
        if pinned.is_none() && table == target {
            return Ok(Route { path: Vec::new(), chosen_by: Vec::new() });
        }
        let mut failure = pinned.map_or(RouteError::None, RouteError::NoRole);
        let mut seen = BTreeSet::from([table]);
        let mut stops = vec![Stop { table, path: Vec::new(), chosen_by: Vec::new(), pinned: false }];
        while !stops.is_empty() {
            let mut next: Vec<Stop> = Vec::new();
            for stop in &stops {
                next.extend(self.steps(stop, pinned, roles, target, &mut failure));
            }
            let arrived: Vec<&Stop> =
                next.iter().filter(|s| s.table == target && (pinned.is_none() || s.pinned)).collect();
            match arrived.as_slice() {
                [] => {}
                [stop] => return self.checked(stop, column),
                several => {
                    let through = several.iter().map(|s| self.schema.link_source(s.path[s.path.len() - 1]));
                    return Err(RouteError::Several { through: through.collect() });
                }
            }
            next.retain(|s| s.pinned || seen.insert(s.table));
            next.retain(|s| s.path.len() < self.schema.tables.len() + 1);
            stops = next;
        }
        Err(failure)
    }

    /// The places one link further.
    fn steps(
        &self,
        stop: &Stop,
        pinned: Option<RoleId>,
        roles: &[RoleUse],
        target: TableId,
        failure: &mut RouteError,
    ) -> Vec<Stop> {
        let out: Vec<LinkId> =
            self.schema.link_ids().filter(|l| self.schema.link_source(*l) == stop.table).collect();
        let tables: BTreeSet<TableId> = out.iter().map(|l| self.schema.link_target(*l)).collect();
        let mut steps = Vec::new();
        for to in tables {
            let links: Vec<LinkId> =
                out.iter().copied().filter(|l| self.schema.link_target(*l) == to).collect();
            let role = |link: LinkId| self.schema.link(link).role;
            let by_pin = pinned.and_then(|p| links.iter().copied().find(|l| role(*l) == Some(p)));
            let by_role = roles
                .iter()
                .rev()
                .find_map(|u| links.iter().copied().find(|l| role(*l) == Some(u.role)).map(|l| (l, *u)));
            let default = links.iter().copied().find(|l| self.schema.link(*l).default);
            let step = |link: LinkId, chosen: Option<RoleUse>, pin: bool| Stop {
                table: to,
                path: stop.path.iter().copied().chain([link]).collect(),
                chosen_by: stop.chosen_by.iter().copied().chain(chosen).collect(),
                pinned: stop.pinned || pin,
            };
            match (by_pin, by_role, default, links.as_slice()) {
                (Some(link), ..) => steps.push(step(link, None, true)),
                (_, Some((link, used)), ..) => steps.push(step(link, Some(used), false)),
                (_, _, Some(link), _) => steps.push(step(link, None, false)),
                (_, _, None, [link]) => steps.push(step(*link, None, false)),
                _ if to == target && pinned.is_none() => {
                    *failure = RouteError::NoDefault { from: stop.table, to }
                }
                _ => {}
            }
        }
        steps
    }

    /// Coarser links reach only what their attribute determines.
    fn checked(&self, stop: &Stop, column: ColumnId) -> Result<Route, RouteError> {
        for (at, link) in stop.path.iter().enumerate() {
            let def = self.schema.link(*link);
            let wanted: Vec<ColumnId> = match stop.path.get(at + 1) {
                Some(next) => self.schema.link(*next).from.clone(),
                None => vec![column],
            };
            let known = |wanted: &ColumnId| def.to.iter().any(|to| self.determines(*to, *wanted));
            if def.coarse && !wanted.iter().all(known) {
                return Err(RouteError::TooCoarse { link: *link });
            }
        }
        Ok(Route { path: stop.path.clone(), chosen_by: stop.chosen_by.clone() })
    }

    /// The same for whichever column stands for the same thing and can be reached.
    ///
    /// # Errors
    /// Why the column itself cannot be reached, if none can.
    pub fn route_to_thing(
        &self,
        table: TableId,
        column: ColumnId,
        pinned: Option<RoleId>,
        roles: &[RoleUse],
    ) -> Result<(ColumnId, Route), RouteError> {
        let own = self.route(table, column, pinned, roles);
        match own {
            Ok(route) => Ok((column, route)),
            Err(error) => self
                .same_things(column)
                .into_iter()
                .filter(|_| pinned.is_none())
                .find_map(|c| self.route(table, c, None, roles).ok().map(|route| (c, route)))
                .ok_or(error),
        }
    }

    /// Whether links lead from the rows of a table to a column at all.
    pub(crate) fn reaches(&self, table: TableId, column: ColumnId, pinned: Option<RoleId>) -> bool {
        !matches!(
            self.route_to_thing(table, column, pinned, &[]),
            Err(RouteError::None | RouteError::NoRole(_))
        )
    }

    /// That a column behind a bridge is no value of a row of a table.
    pub(crate) fn several_rows(
        &self,
        span: Span,
        table: TableId,
        column: ColumnId,
        crossing: &Crossing,
    ) -> Diagnostic {
        let name = |t: TableId| self.schema.table(t).name.as_str();
        let to = name(self.schema.link_target(crossing.link));
        let column = self.written(column);
        messages::several_rows(span, &column, name(table), name(crossing.table), to)
    }

    /// The bridge over which the rows of a table reach a column, where links alone do not lead there; `None` if no bridge leads there either.
    ///
    /// # Errors
    /// When several do.
    pub fn bridged(
        &self,
        table: TableId,
        column: ColumnId,
        pinned: Option<RoleId>,
        roles: &[RoleUse],
    ) -> Result<Option<Crossing>, RouteError> {
        if !self.schema.links.iter().any(|l| l.bridge) || self.reaches(table, column, pinned) {
            return Ok(None);
        }
        let mut found: Vec<Crossing> = Vec::new();
        for link in self.schema.link_ids().filter(|l| self.schema.link(*l).bridge) {
            let source = self.schema.link_source(link);
            let onward = self.route_to_thing(source, column, pinned, roles).is_ok();
            let to = self.route(table, self.schema.link(link).to[0], None, roles);
            if let (true, Ok(route)) = (onward, to) {
                found.push(Crossing { path: route.path, chosen_by: route.chosen_by, link, table: source });
            }
        }
        if found.len() > 1 {
            let through = found.iter().map(|c| self.schema.link_target(c.link)).collect();
            return Err(RouteError::Several { through });
        }
        Ok(found.pop())
    }

    /// The tables that links lead to from a table, itself first.
    pub fn reachable_tables(&self, table: TableId) -> Vec<TableId> {
        let mut reached = vec![table];
        let mut at = 0;
        while at < reached.len() {
            let table = reached[at];
            for link in self.schema.link_ids().filter(|l| self.schema.link_source(*l) == table) {
                let to = self.schema.link_target(link);
                if !reached.contains(&to) {
                    reached.push(to);
                }
            }
            at += 1;
        }
        reached
    }

    /// Whether a link of this role can be followed from the rows of a table.
    pub fn has_role(&self, table: TableId, role: RoleId) -> bool {
        let reached = self.reachable_tables(table);
        self.schema
            .link_ids()
            .any(|l| self.schema.link(l).role == Some(role) && reached.contains(&self.schema.link_source(l)))
    }
}
