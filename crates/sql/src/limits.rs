//! Rows that a viewer sees: the others are taken out in the innermost step, so that nothing can lift a limit.
//!
//! A row is seen if the conditions on its table hold, and if by every link to a table of which rows are hidden it reaches a row that
//! is seen or has no key, and by at least one of these it reaches one.

use crate::builder::Builder;
use crate::names::plain;
use crate::refused::Refused;
use vembra_plan::{LinkId, TableId, TableKind};

impl Builder<'_> {
    /// Whether rows of a table may be hidden.
    pub(crate) fn is_limited(&self, table: TableId) -> bool {
        !self.without_limits && self.limits_reach(table, true, &mut Vec::new())
    }

    fn limits_reach(&self, table: TableId, bridges: bool, seen: &mut Vec<TableId>) -> bool {
        if self.source.limits.iter().any(|(limited, _)| *limited == table) {
            return true;
        }
        if seen.contains(&table) || self.source.schema.table(table).kind == TableKind::Derived {
            return false;
        }
        seen.push(table);
        let schema = self.source.schema;
        let counts = |l: &LinkId| bridges || !schema.link(*l).bridge;
        self.links_of(table)
            .into_iter()
            .filter(counts)
            .any(|l| self.limits_reach(schema.link_target(l), bridges, seen))
    }

    fn links_of(&self, table: TableId) -> Vec<LinkId> {
        let schema = self.source.schema;
        schema
            .link_ids()
            .filter(|l| schema.link_source(*l) == table && schema.link_target(*l) != table)
            .collect()
    }

    /// The step that has the rows of a table that are seen.
    pub(crate) fn limited(&mut self, table: TableId) -> Result<String, Refused> {
        if let Some(seen) = self.seen.get(&table) {
            return Ok(seen.clone());
        }
        let schema = self.source.schema;
        // What comes to the rows of a bridge over the bridge itself says nothing of rows that have none.
        let limited = |l: &LinkId| {
            schema.link(*l).bridge && self.limits_reach(schema.link_source(*l), false, &mut Vec::new())
        };
        if schema.link_ids().any(|l| limited(&l)) {
            return Err(Refused::new("what a viewer sees where rows of a bridge are hidden"));
        }
        // What a limit itself looks at is not limited.
        self.without_limits = true;
        let found = self.limits_on(table);
        self.without_limits = false;
        let (mut from, mut conditions) = found?;
        let mut targets: Vec<TableId> = Vec::new();
        for link in self.links_of(table) {
            let target = schema.link_target(link);
            if !targets.contains(&target) && self.limits_reach(target, true, &mut vec![table]) {
                targets.push(target);
            }
        }
        for target in targets {
            let (joins, own) = self.limits_behind(table, target)?;
            from.extend(joins);
            conditions.extend(own);
        }
        let body = format!("select r.*\nfrom {}\nwhere {}", from.join("\n"), conditions.join("\n  and "));
        let seen = self.step(&format!("{}_seen", plain(&schema.table(table).name)), body);
        self.seen.insert(table, seen.clone());
        Ok(seen)
    }

    /// All rows of a table, with what the conditions on it need, and these conditions.
    fn limits_on(&mut self, table: TableId) -> Result<(Vec<String>, Vec<String>), Refused> {
        let mut rows = self.rows(table)?;
        let mut conditions = Vec::new();
        for (limited, formula) in self.source.limits {
            if *limited == table {
                conditions.push(self.expr(&mut rows, &formula.graph, &formula.expr)?.sql);
            }
        }
        Ok((vec![rows.from()], conditions))
    }

    /// The rows of a table that is linked, as far as they are seen, joined by each link, and what must hold of them.
    fn limits_behind(
        &mut self,
        table: TableId,
        target: TableId,
    ) -> Result<(Vec<String>, Vec<String>), Refused> {
        let schema = self.source.schema;
        let seen = self.limited(target)?;
        let (mut joins, mut every, mut any) = (Vec::new(), Vec::new(), Vec::new());
        let links: Vec<LinkId> =
            self.links_of(table).into_iter().filter(|l| schema.link_target(*l) == target).collect();
        for link in links {
            let def = schema.link(link).clone();
            if def.as_of.is_some() {
                return Err(Refused::new("what a viewer sees behind a link as of a day"));
            }
            let name = format!("seen_{}", link.0);
            let (mut equal, mut known) = (Vec::new(), Vec::new());
            self.without_limits = true;
            for (from, to) in def.from.iter().zip(&def.to) {
                if [from, to].iter().any(|c| schema.column(**c).formula.is_some()) {
                    self.without_limits = false;
                    return Err(Refused::new("what a viewer sees behind a computed key"));
                }
                let left = self.own_column(table, *from);
                let right = self.column_at(&name, target, *to);
                equal.push(format!("{right} = {left}"));
                known.push(format!("{left} is not null"));
            }
            self.without_limits = false;
            // By a link to a coarser attribute any row that has its value is enough.
            let keys: Vec<String> =
                def.to.iter().map(|to| self.source.dialect.quoted_name(&schema.column(*to).name)).collect();
            joins.push(format!(
                "left join (select distinct {}, true as here from {seen} as s) as {name} on {}",
                keys.join(", "),
                equal.join(" and ")
            ));
            every.push(format!("({name}.here or not ({}))", known.join(" and ")));
            any.push(format!("{name}.here"));
        }
        let any = format!("({})", any.join(" or "));
        Ok((joins, every.into_iter().chain([any]).collect()))
    }
}
