//! Rows that a viewer sees: the others are taken out in the innermost step, so that nothing can lift a limit.
//!
//! A row is seen if the conditions on its table hold, if by every link to a table of which rows are hidden it reaches a row that is seen or
//! has no key, and by at least one of these it reaches one, and if of each bridge whose rows are limited by what they hold, or rows
//! that they lead to, one of its rows there is seen. What comes to the rows of a bridge over the bridge itself says nothing of rows that
//! have none.

use crate::builder::Builder;
use crate::names::plain;
use crate::refused::Refused;
use crate::rows::Rows;
use vembra_plan::{LinkId, TableId, TableKind};

impl Builder<'_> {
    /// Whether rows of a table may be hidden.
    pub(crate) fn is_limited(&self, table: TableId) -> bool {
        !self.without_limits && self.limits_reach(table, &mut Vec::new())
    }

    fn limits_reach(&self, table: TableId, seen: &mut Vec<TableId>) -> bool {
        if self.source.limits.iter().any(|(limited, _)| *limited == table) {
            return true;
        }
        if seen.contains(&table) || self.source.schema.table(table).kind == TableKind::Derived {
            return false;
        }
        seen.push(table);
        !self.limited_bridges(table, None).is_empty()
            || self.linked_tables(table, None).into_iter().any(|target| self.limits_reach(target, seen))
    }

    /// The bridges to the rows of a table whose own rows are limited by what they hold, or rows that they lead to.
    fn limited_bridges(&self, table: TableId, but: Option<TableId>) -> Vec<LinkId> {
        let schema = self.source.schema;
        let leads = |l: &LinkId| schema.link(*l).bridge && schema.link_target(*l) == table;
        let source = |l: LinkId| schema.link_source(l);
        let limited =
            |l: &LinkId| Some(source(*l)) != but && self.is_limited_itself(source(*l), &mut Vec::new());
        schema.link_ids().filter(leads).filter(limited).collect()
    }

    /// Whether a table is limited by a condition on its own rows, or on those of a table that links other than bridges lead to.
    fn is_limited_itself(&self, table: TableId, seen: &mut Vec<TableId>) -> bool {
        if self.source.limits.iter().any(|(limited, _)| *limited == table) {
            return true;
        }
        if seen.contains(&table) {
            return false;
        }
        seen.push(table);
        let schema = self.source.schema;
        let leads = |l: &LinkId| schema.link_source(*l) == table && !schema.link(*l).bridge;
        schema.link_ids().filter(leads).any(|l| self.is_limited_itself(schema.link_target(l), seen))
    }

    fn links_to(&self, table: TableId, target: TableId) -> Vec<LinkId> {
        let schema = self.source.schema;
        schema
            .link_ids()
            .filter(|l| schema.link_source(*l) == table && schema.link_target(*l) == target)
            .collect()
    }

    /// The other tables that links lead to.
    fn linked_tables(&self, table: TableId, but: Option<TableId>) -> Vec<TableId> {
        let mut targets = Vec::new();
        let schema = self.source.schema;
        for link in schema.link_ids().filter(|l| schema.link_source(*l) == table) {
            let target = schema.link_target(link);
            if target != table && Some(target) != but && !targets.contains(&target) {
                targets.push(target);
            }
        }
        targets
    }

    /// The step that has the rows of a table that are seen.
    pub(crate) fn limited(&mut self, table: TableId) -> Result<String, Refused> {
        self.limited_but(table, None)
    }

    /// The step that has the rows of a table that would be seen if none of another table were hidden.
    fn limited_but(&mut self, table: TableId, but: Option<TableId>) -> Result<String, Refused> {
        if let Some(known) = self.seen.get(&(table, but)) {
            // What is asked for while it is worked out goes round.
            return known
                .clone()
                .ok_or_else(|| Refused::new("what a viewer sees where limits go round by a bridge"));
        }
        self.seen.insert((table, but), None);
        let relation = self.unlimited(|builder| builder.plain_relation(table))?;
        let mut rows = Rows::of_step("r", table, &relation);
        let mut conditions = Vec::new();
        let limits = self.source.limits.iter().filter(|(limited, _)| *limited == table);
        for (_, formula) in limits {
            // What a limit itself looks at is not limited.
            let holds = self.unlimited(|builder| builder.expr(&mut rows, &formula.graph, &formula.expr))?;
            conditions.push(holds.sql);
        }
        for target in self.linked_tables(table, but) {
            if self.limits_reach(target, &mut vec![table]) {
                conditions.extend(self.limits_behind(&mut rows, target)?);
            }
        }
        for bridge in self.limited_bridges(table, but) {
            conditions.push(self.limit_of_bridge(&mut rows, bridge)?);
        }
        let body = format!("select r.*\nfrom {}\nwhere {}", rows.from(), conditions.join("\n  and "));
        let seen = self.step(&format!("{}_seen", plain(&self.source.schema.table(table).name)), body);
        self.seen.insert((table, but), Some(seen.clone()));
        Ok(seen)
    }

    /// Works something out as if no row were hidden, from what was worked out so, too.
    fn unlimited<T>(&mut self, work: impl FnOnce(&mut Self) -> Result<T, Refused>) -> Result<T, Refused> {
        let groups = std::mem::take(&mut self.groups);
        let figures = std::mem::take(&mut self.figures);
        let derived = std::mem::take(&mut self.derived);
        let before = std::mem::replace(&mut self.without_limits, true);
        let found = work(self);
        (self.without_limits, self.groups, self.figures, self.derived) = (before, groups, figures, derived);
        found
    }

    /// Joins the rows of a table that is linked, as far as they are seen, by each link; gives what must hold of them.
    fn limits_behind(&mut self, rows: &mut Rows, target: TableId) -> Result<Vec<String>, Refused> {
        let seen = self.limited(target)?;
        let seen = self.unlimited(|builder| builder.keyed(target, seen))?;
        let (mut every, mut any) = (Vec::new(), Vec::new());
        for link in self.links_to(rows.table, target) {
            let (def, name) = (self.source.schema.link(link).clone(), format!("seen_{}", link.0));
            let from = self.unlimited(|builder| builder.link_values(rows, link))?;
            let to: Vec<String> = if def.as_of.is_some() {
                // Which row holds on a day does not depend on who asks.
                let held = format!("held_{}", link.0);
                let join = self.unlimited(|builder| {
                    let whole = builder.relation(target)?;
                    builder.join_held(link, (&held, &whole), &from)
                })?;
                rows.join(join);
                def.to.iter().map(|to| self.column_at(&held, target, *to)).collect()
            } else {
                from.clone()
            };
            let equal: Vec<String> = def
                .to
                .iter()
                .zip(&to)
                .map(|(column, to)| format!("{} = {to}", self.column_at(&name, target, *column)))
                .collect();
            // By a link to a coarser attribute any row that has its value is enough.
            let keys = self.names_of(&def.to);
            rows.join(format!(
                "left join (select distinct {keys}, true as here from {seen} as s) as {name} on {}",
                equal.join(" and ")
            ));
            let known: Vec<String> = from.iter().map(|from| format!("{from} is not null")).collect();
            every.push(format!("({name}.here or not ({}))", known.join(" and ")));
            any.push(format!("{name}.here"));
        }
        every.push(format!("({})", any.join(" or ")));
        Ok(every)
    }

    /// Joins the rows to which seen rows of a bridge lead; gives what must hold of them.
    fn limit_of_bridge(&mut self, rows: &mut Rows, bridge: LinkId) -> Result<String, Refused> {
        let source = self.source.schema.link_source(bridge);
        if self.links_to(source, rows.table).len() > 1 {
            return Err(Refused::new("what a viewer sees where a bridge leads to a table twice"));
        }
        let seen = self.limited_but(source, Some(rows.table))?;
        let (def, name) = (self.source.schema.link(bridge).clone(), format!("led_{}", bridge.0));
        let mut led = Rows::of_step("b", source, &seen);
        let from = self.unlimited(|builder| builder.link_values(&mut led, bridge))?;
        let columns: Vec<String> = from
            .iter()
            .zip(&def.to)
            .map(|(from, to)| format!("{from} as {}", self.names_of(&[*to])))
            .collect();
        let to: Vec<String> = def
            .to
            .iter()
            .map(|to| format!("{name}.{} = {}", self.names_of(&[*to]), self.own_column(rows.table, *to)))
            .collect();
        rows.join(format!(
            "left join (select distinct {}, true as here from {}) as {name} on {}",
            columns.join(", "),
            led.from(),
            to.join(" and ")
        ));
        Ok(format!("{name}.here"))
    }

    fn names_of(&self, columns: &[vembra_plan::ColumnId]) -> String {
        let name =
            |c: &vembra_plan::ColumnId| self.source.dialect.quoted_name(&self.source.schema.column(*c).name);
        columns.iter().map(name).collect::<Vec<_>>().join(", ")
    }
}
