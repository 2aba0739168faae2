//! Limits: which rows somebody sees.
//!
//! A condition hides rows of its table. A row of a table that links to a limited one is seen only if, by every role,
//! it reaches a row that is seen or has no key, and by at least one role it reaches one. By a link to a coarser attribute
//! a row reaches all rows that have its value, and any of them that is seen is enough; by a key that stands twice, which
//! only broken data have, all of them must be. A row that a bridge leads to is seen only if one of its rows there is, where these are
//! limited by what they, or rows that they lead to, hold: a limit that comes to them over the bridge itself says nothing of rows
//! that have none. What is hidden is left out when the tables are read: nothing that is worked out afterwards can depend on it.

use crate::error::EngineError;
use crate::execution::options::Options;
use crate::expression::prepare::{Preparer, Scope};
use crate::operators::evaluator::Evaluator;
use crate::storage::row_id::{RowId, Rows};
use crate::storage::star::{Reached, Star};
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use vembra_plan::{Formula, LinkId, TableId, TableKind};

impl Star {
    /// The rows of each table for which all conditions hold, each about the rows of its table, and of those that lead to
    /// them; `None` where no row is hidden. Derived tables are made again from what is left, so that none of their rows is.
    ///
    /// # Errors
    /// When a condition cannot be worked out.
    pub fn seen_rows(
        &self,
        conditions: &[(TableId, Formula)],
    ) -> Result<Vec<Option<Vec<RowId>>>, EngineError> {
        let mut seen: Vec<Option<Vec<bool>>> = vec![None; self.schema().tables.len()];
        for (table, formula) in conditions {
            let (options, scope) = (Options::default(), Scope::default());
            let roots = [(*table, &formula.expr)];
            let evaluator = Evaluator::new(self, &formula.graph, &options, &roots);
            let preparer =
                Preparer { evaluator: &evaluator, table: *table, scope: &scope, within_growing: false };
            let rows = self.rows(*table);
            let holds = preparer.prepare(&formula.expr)?.eval(Rows::Range(0, rows))?;
            let own = seen[table.index()].get_or_insert_with(|| vec![true; rows]);
            own.iter_mut().enumerate().for_each(|(row, seen)| *seen &= holds.is_true(row));
        }
        let limited: Vec<TableId> = conditions.iter().map(|(table, _)| *table).collect();
        while self.carry(&mut seen)? || self.carry_back(&mut seen, &limited)? {}
        Ok(seen
            .into_iter()
            .enumerate()
            .map(|(at, seen)| match self.schema().tables[at].kind {
                TableKind::Derived => Some(Vec::new()),
                TableKind::Calendar { .. } => None,
                _ => seen.map(|seen| RowId::all(seen.len(), |row| seen[row])),
            })
            .collect())
    }

    /// Carries what is seen along all links once; says whether anything changed.
    fn carry(&self, seen: &mut [Option<Vec<bool>>]) -> Result<bool, EngineError> {
        let schema = self.schema();
        let mut changed = false;
        for source in schema.table_ids().filter(|t| schema.table(*t).kind != TableKind::Derived) {
            let targets: Vec<TableId> =
                schema.table_ids().filter(|t| seen[t.index()].is_some() && *t != source).collect();
            for target in targets {
                let links: Vec<LinkId> = schema
                    .link_ids()
                    .filter(|l| schema.link_source(*l) == source && schema.link_target(*l) == target)
                    .collect();
                let Some(reached) = seen[target.index()].clone().filter(|_| !links.is_empty()) else {
                    continue;
                };
                let links = links
                    .into_iter()
                    .map(|link| Ok((link, self.reached_by(link, &reached)?)))
                    .collect::<Result<Vec<_>, EngineError>>()?;
                let mut own = seen[source.index()].clone().unwrap_or_else(|| vec![true; self.rows(source)]);
                for row in (0..own.len()).filter(|row| own[*row]).collect::<Vec<_>>() {
                    own[row] = self.may_see(&links, row)?;
                }
                if seen[source.index()].as_ref() != Some(&own) {
                    seen[source.index()] = Some(own);
                    changed = true;
                }
            }
        }
        Ok(changed)
    }

    /// Carries what is seen of the rows of bridges to the rows that they lead to; says whether anything changed.
    fn carry_back(&self, seen: &mut [Option<Vec<bool>>], limited: &[TableId]) -> Result<bool, EngineError> {
        let schema = self.schema();
        let mut changed = false;
        for link in schema.link_ids().filter(|l| schema.link(*l).bridge) {
            let (source, target) = (schema.link_source(link), schema.link_target(link));
            if !self.is_limited(source, limited, &mut Vec::new()) {
                continue;
            }
            let Some(several) = seen[source.index()].clone() else { continue };
            let mut reached = vec![false; self.rows(target)];
            for row in (0..several.len()).filter(|row| several[*row]) {
                if let Reached::Row(at) = self.linked_row(link, row)? {
                    reached[at] = true;
                }
            }
            // Now that it is limited, what leads to none of its rows is hidden, even if all of them are seen.
            changed |= seen[target.index()].is_none();
            let own = seen[target.index()].get_or_insert_with(|| vec![true; reached.len()]);
            for (own, reached) in own.iter_mut().zip(reached) {
                changed |= *own && !reached;
                *own &= reached;
            }
        }
        Ok(changed)
    }

    /// Whether a table is limited by a condition on its own rows, or on those of a table that links other than bridges lead to.
    fn is_limited(&self, table: TableId, limited: &[TableId], seen: &mut Vec<TableId>) -> bool {
        if limited.contains(&table) {
            return true;
        }
        if seen.contains(&table) {
            return false;
        }
        seen.push(table);
        let schema = self.schema();
        let leads = |l: &LinkId| schema.link_source(*l) == table && !schema.link(*l).bridge;
        schema.link_ids().filter(leads).any(|l| self.is_limited(schema.link_target(l), limited, seen))
    }

    /// Per row of a link's target whether a row that reaches it may be seen.
    fn reached_by(&self, link: LinkId, seen: &[bool]) -> Result<Vec<bool>, EngineError> {
        let def = self.schema().link(link);
        if matches!(self.schema().table(self.schema().link_target(link)).kind, TableKind::Calendar { .. })
            && !def.coarse
        {
            return Ok(seen.to_vec());
        }
        let keys: Vec<_> = def.to.iter().map(|c| self.column_key(*c)).collect::<Result<_, _>>()?;
        let key = |row: usize| -> Vec<u32> { keys.iter().map(|k| k.code(row)).collect() };
        let mut of_key: HashMap<Vec<u32>, bool, FixedState> = HashMap::default();
        for (row, seen) in seen.iter().enumerate() {
            let known = of_key.entry(key(row)).or_insert(!def.coarse);
            *known = if def.coarse { *known || *seen } else { *known && *seen };
        }
        Ok((0..seen.len()).map(|row| of_key.get(&key(row)).copied().unwrap_or(false)).collect())
    }

    fn may_see(&self, links: &[(LinkId, Vec<bool>)], row: usize) -> Result<bool, EngineError> {
        let mut any = false;
        for (link, reached) in links {
            match self.linked_row(*link, row)? {
                Reached::Row(at) if reached[at] => any = true,
                // A key that no row has may be anyone's.
                Reached::Row(_) | Reached::Unknown => return Ok(false),
                Reached::None => {}
            }
        }
        Ok(any)
    }
}
