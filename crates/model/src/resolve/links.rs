//! Links, their roles, and which columns stand for one thing.

use super::Resolver;
use crate::messages;
use vembra_plan::{AsOf, ColumnId, LinkDef, LinkId, RoleId, TableId, TableKind, Type};
use vembra_syntax::Span;
use vembra_syntax::ast::View;

impl Resolver<'_> {
    /// Resolves links by their numbers; gives back those whose columns are not there yet, unless it is the last try.
    pub(super) fn links(&mut self, numbers: Vec<usize>, last: bool) -> Vec<usize> {
        let mut pending = Vec::new();
        for number in numbers {
            let declared = &self.declarations.links[number];
            let computed = declared.node.from().iter().any(|name| {
                let table = name.qualifier().and_then(|q| self.model.find_table(&q.name()));
                let column = name.name().map(|n| n.name()).unwrap_or_default();
                table.is_some_and(|t| self.model.find_column(t, &column).is_none())
            });
            let target = declared.node.to().and_then(|t| self.model.find_table(&t.name()));
            let derived = target.is_some_and(|t| {
                let table = self.model.schema.table(t);
                table.kind == TableKind::Derived && table.columns.is_empty()
            });
            if (computed || derived) && !last {
                pending.push(number);
            } else {
                self.link(number);
            }
        }
        pending
    }

    fn link(&mut self, number: usize) -> Option<()> {
        let declared = &self.declarations.links[number];
        let (source, span) = (declared.source, declared.span());
        let mut from = Vec::new();
        for name in declared.node.from() {
            let at = name.span(source);
            let (Some(table), Some(column)) = (name.qualifier(), name.name()) else {
                self.diagnostics.push(messages::column_needs_table(at, &name.text()));
                return None;
            };
            let table = self.table_of(&table.name(), at)?;
            from.push(self.column_of(table, &column.name(), at)?);
        }
        let to_name = declared.node.to()?;
        let target = self.table_of(&to_name.name(), to_name.span(source))?;
        let by = declared.node.by();
        let key = self.model.schema.table(target).key.clone();
        let to: Vec<ColumnId> = if by.is_empty() {
            key.clone()
        } else {
            by.iter().filter_map(|b| self.column_of(target, &b.name(), b.span(source))).collect()
        };
        if by.is_empty() && key.is_empty() {
            self.diagnostics.push(messages::no_key(span, &to_name.name()));
            return None;
        }
        if to.len() != from.len() {
            self.diagnostics.push(messages::key_width(span, from.len(), to.len()));
            return None;
        }
        let as_of = match declared.node.as_of() {
            Some(name) => Some(self.as_of(&declared.node, &name, source, &key, target)?),
            None => None,
        };
        // The role is known even where the link is not sound: what names it is not at fault.
        let role = match declared.node.role() {
            Some(role) => Some(self.role(&role.name(), target, as_of.is_some(), role.span(source))?),
            None => None,
        };
        self.check_types(&from, &to, target, as_of.is_some(), span)?;
        let coarse = !by.is_empty() && to != key;
        let (bridge, default) = (declared.node.is_bridge(), declared.node.is_default());
        if bridge && (coarse || role.is_some() || default || as_of.is_some()) {
            let from: Vec<String> = declared.node.from().iter().map(View::text).collect();
            self.diagnostics.push(messages::bridge_by_key(span, &from, &to_name.name()));
            return None;
        }
        let link = LinkDef { from, to, role, default, coarse, bridge, as_of };
        self.model.schema.links.push(link);
        self.link_places.push(span);
        Some(())
    }

    /// What `as of` names must be the last column of the key, and a day.
    fn as_of(
        &mut self,
        node: &vembra_syntax::ast::LinkDecl,
        name: &vembra_syntax::ast::Name,
        source: vembra_syntax::SourceId,
        key: &[ColumnId],
        target: TableId,
    ) -> Option<AsOf> {
        let span = name.span(source);
        let column = self.column_of(target, &name.name(), span)?;
        let is_day = |c: ColumnId, model: &crate::Model| {
            matches!(model.schema.column(c).ty, Type::Date | Type::Moment | Type::Null)
        };
        let table = self.model.schema.table(target).name.clone();
        if !is_day(column, &self.model) || !node.by().is_empty() {
            self.diagnostics.push(messages::as_of_no_day(span, &name.name(), &table));
            return None;
        }
        if key.last() != Some(&column) {
            self.diagnostics.push(messages::as_of_not_last(span, &name.name(), &table));
            return None;
        }
        let until = match node.until() {
            Some(until) => {
                let span = until.span(source);
                let found = self.column_of(target, &until.name(), span)?;
                if !is_day(found, &self.model) {
                    self.diagnostics.push(messages::as_of_no_day(span, &until.name(), &table));
                    return None;
                }
                Some(found)
            }
            None => None,
        };
        Some(AsOf { until })
    }

    fn check_types(
        &mut self,
        from: &[ColumnId],
        to: &[ColumnId],
        target: TableId,
        as_of: bool,
        span: Span,
    ) -> Option<()> {
        let calendar = matches!(self.model.schema.table(target).kind, TableKind::Calendar { .. });
        for (at, (f, t)) in from.iter().zip(to).enumerate() {
            let (from_ty, to_ty) = (self.model.schema.column(*f).ty, self.model.schema.column(*t).ty);
            let is_day = |ty| matches!(ty, Type::Date | Type::Moment);
            let moment = calendar && to_ty == Type::Date && from_ty == Type::Moment
                || as_of && at + 1 == from.len() && is_day(from_ty) && is_day(to_ty);
            let scaled = matches!((from_ty, to_ty), (Type::Decimal(_), Type::Decimal(_)));
            let numbered =
                matches!((from_ty, to_ty), (Type::Integer, Type::Period(p)) if p.reads_as_integer());
            // A column without any value fits anywhere.
            if from_ty != to_ty
                && !moment
                && !scaled
                && !numbered
                && from_ty != Type::Null
                && to_ty != Type::Null
            {
                let names = [f, t].map(|c| self.model.written(*c));
                self.diagnostics.push(messages::link_types(span, &names[0], from_ty, &names[1], to_ty));
                return None;
            }
        }
        Some(())
    }

    /// The role of a name; one name leads to one table, and to those that are met as of its day.
    fn role(&mut self, name: &str, target: TableId, as_of: bool, span: Span) -> Option<RoleId> {
        if self.model.find_table(name).is_some() {
            self.diagnostics.push(messages::role_clash(span, name, "a table"));
            return None;
        }
        if let Some(role) = self.model.find_role(name) {
            let has_own = self.model.schema.links.iter().any(|l| l.role == Some(role) && l.as_of.is_none());
            let other = self.model.role_target(role).filter(|t| *t != target && !as_of && has_own);
            if let Some(other) = other {
                let what = format!("a role of links to {}", self.model.schema.table(other).name);
                self.diagnostics.push(messages::role_clash(span, name, &what));
                return None;
            }
            return Some(role);
        }
        self.model.schema.roles.push(name.to_owned());
        Some(RoleId(self.model.schema.roles.len() as u32 - 1))
    }

    /// Several links between two tables need roles, at most one default, and no links go round.
    pub(super) fn check_links(&mut self) {
        let schema = &self.model.schema;
        let ends = |l: LinkId| (schema.link_source(l), schema.link_target(l));
        let links: Vec<LinkId> = schema.link_ids().collect();
        let mut found = Vec::new();
        for (at, link) in links.iter().enumerate() {
            let span = self.link_places[at];
            for (before, other) in links[..at].iter().enumerate().filter(|(_, o)| ends(**o) == ends(*link)) {
                let (def, first) = (schema.link(*link), schema.link(*other));
                let names = [ends(*link).0, ends(*link).1].map(|t| schema.table(t).name.clone());
                if def.role.is_none() || def.role == first.role {
                    found.push(messages::link_needs_role(
                        span,
                        self.link_places[before],
                        &names[0],
                        &names[1],
                    ));
                } else if def.default && first.default {
                    found.push(messages::two_defaults(span, self.link_places[before]));
                }
            }
            if let Some(ring) = self.ring_from(*link) {
                found.push(messages::link_ring(span, &ring));
            }
        }
        self.diagnostics.extend(found);
    }

    /// The tables of a ring that a link closes: the links before it lead from its target back to its source.
    fn ring_from(&self, link: LinkId) -> Option<Vec<String>> {
        let schema = &self.model.schema;
        let (source, target) = (schema.link_source(link), schema.link_target(link));
        let mut trails = vec![vec![target]];
        let mut seen = vec![target];
        while let Some(trail) = trails.pop() {
            let last = *trail.last()?;
            if last == source {
                let tables = std::iter::once(&source).chain(&trail);
                return Some(tables.map(|t| schema.table(*t).name.clone()).collect());
            }
            for next in schema.link_ids().filter(|l| l.0 < link.0 && schema.link_source(*l) == last) {
                let to = schema.link_target(next);
                if !seen.contains(&to) {
                    seen.push(to);
                    trails.push(trail.iter().copied().chain([to]).collect());
                }
            }
        }
        None
    }

    /// Linked key columns of one name are one thing.
    pub(super) fn same_things(&mut self) {
        let schema = &self.model.schema;
        let mut same: Vec<u32> = (0..schema.columns.len() as u32).collect();
        for link in &schema.links {
            // The day of a fact is not that from which on a row holds.
            let pairs = link.from.len() - usize::from(link.as_of.is_some());
            for (from, to) in link.from.iter().zip(&link.to).take(pairs) {
                if schema.column(*from).name == schema.column(*to).name {
                    let (old, new) = (same[from.index()], same[to.index()]);
                    same.iter_mut().filter(|s| **s == old).for_each(|s| *s = new);
                }
            }
        }
        self.model.same = same;
    }
}
