//! Limits: which rows somebody sees.
//!
//! A condition hides rows of its table. A row of a table that links to a limited one is seen only if, by every role,
//! it reaches a row that is seen or has no key, and by at least one role it reaches one. What is hidden is taken out
//! of the tables themselves: nothing that is worked out afterwards can depend on it.

use crate::error::EngineError;
use crate::evaluator::Evaluator;
use crate::prepare::{Preparer, Scope};
use crate::run::Options;
use crate::star::Star;
use crate::vector::Rows;
use vembra_plan::{Formula, LinkId, TableId, TableKind};

impl Star {
    /// The same star with only the rows for which all conditions hold, each about the rows of its table, and those
    /// that lead to them.
    ///
    /// # Errors
    /// When a condition cannot be worked out.
    pub fn limited(&self, conditions: &[(TableId, Formula)]) -> Result<Self, EngineError> {
        let mut seen: Vec<Option<Vec<bool>>> = vec![None; self.schema().tables.len()];
        for (table, formula) in conditions {
            let (options, scope) = (Options::default(), Scope::default());
            let roots = [(*table, &formula.expr)];
            let evaluator = Evaluator::new(self, &formula.graph, &options, &roots);
            let preparer = Preparer { evaluator: &evaluator, table: *table, scope: &scope };
            let rows = self.rows(*table);
            let holds = preparer.prepare(&formula.expr)?.eval(Rows::Range(0, rows))?;
            let own = seen[table.index()].get_or_insert_with(|| vec![true; rows]);
            own.iter_mut().enumerate().for_each(|(row, seen)| *seen &= holds.is_true(row));
        }
        while self.carry(&mut seen)? {}
        let kept: Vec<Option<Vec<u32>>> = seen
            .iter()
            .enumerate()
            .map(|(at, seen)| match self.schema().tables[at].kind {
                // Made anew from what is left.
                TableKind::Derived => Some(Vec::new()),
                TableKind::Calendar { .. } => None,
                _ => seen.as_ref().map(|seen| (0..seen.len() as u32).filter(|r| seen[*r as usize]).collect()),
            })
            .collect();
        Ok(self.only(&kept))
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
                let mut own = seen[source.index()].clone().unwrap_or_else(|| vec![true; self.rows(source)]);
                for row in (0..own.len()).filter(|row| own[*row]).collect::<Vec<_>>() {
                    own[row] = self.may_see(&links, &reached, row)?;
                }
                if seen[source.index()].as_ref() != Some(&own) {
                    seen[source.index()] = Some(own);
                    changed = true;
                }
            }
        }
        Ok(changed)
    }

    fn may_see(&self, links: &[LinkId], reached: &[bool], row: usize) -> Result<bool, EngineError> {
        let mut any = false;
        for link in links {
            match self.linked_row(*link, row)? {
                Ok(at) if reached[at] => any = true,
                // A key that no row has may be anyone's.
                Ok(_) | Err(true) => return Ok(false),
                Err(false) => {}
            }
        }
        Ok(any)
    }
}
