//! Passes: scans bound to columns, read, and folded to fewer keys.

use super::{Evaluator, picked, slices};
use crate::aggregate::{Spec, regrouped};
use crate::cells::Codes;
use crate::error::EngineError;
use crate::eval::Prepared;
use crate::groupings::Groupings;
use crate::members::Key;
use crate::numbering::Numbering;
use crate::prepare::{Preparer, Scope};
use crate::scan::{BoundAggregate, BoundScan, RowKeys, Scanned};
use crate::watch::{Pass, Step, watched};
use std::rc::Rc;
use vembra_plan::{KeyId, RowExpr, Scan};

impl Evaluator<'_> {
    /// Reads the rows of a scan, told apart by `keys` and behind them by `more`, for a cell that stands where `scope` says.
    pub(super) fn pass(
        &self,
        scan: &Scan,
        keys: &[(KeyId, Key)],
        more: &[&Key],
        scope: &Scope,
    ) -> Result<Scanned, EngineError> {
        let all: Vec<&Key> = keys.iter().map(|(_, key)| key).chain(more.iter().copied()).collect();
        let step = |found: &Scanned| {
            Step::Pass(Box::new(Pass {
                scan: scan.clone(),
                keys: keys.iter().map(|(id, _)| *id).collect(),
                by_days: scan.during.is_some() && more.len() > scan.bridges.len(),
                rows: self.star.rows(scan.table),
                groups: found.groups,
            }))
        };
        watched(self.options.watch.as_deref(), || self.read_rows(scan, &all, scope), step)
    }

    fn read_rows(&self, scan: &Scan, keys: &[&Key], scope: &Scope) -> Result<Scanned, EngineError> {
        // Keys that give each row the same code tell rows apart once.
        let mut different: Vec<&Key> = Vec::new();
        let mut places = Vec::with_capacity(keys.len());
        for key in keys {
            let known = different.iter().position(|d| d.is_like(key));
            places.push(known.unwrap_or(different.len()));
            if known.is_none() {
                different.push(key);
            }
        }
        let alike = different.len() < keys.len();
        let mut found = self.bind_scan(scan, different, scope)?.read()?;
        if alike {
            found.codes = places.into_iter().map(|at| found.codes[at].clone()).collect();
        }
        Ok(found)
    }

    fn bind_scan<'k>(
        &'k self,
        scan: &Scan,
        keys: Vec<&'k Key>,
        scope: &Scope,
    ) -> Result<BoundScan<'k>, EngineError> {
        let preparer = Preparer { evaluator: self, table: scan.table, scope };
        let filter = preparer.all(&scan.filter)?;
        let mut condition_exprs: Vec<&[RowExpr]> = vec![&[]];
        let mut inputs = Inputs { preparer: &preparer, known: Vec::new() };
        let mut aggregates = Vec::new();
        for plan in &scan.aggregates {
            let condition = place(&mut condition_exprs, &plan.condition[..]);
            let value = inputs.place(condition, plan.value.as_ref())?;
            let by = inputs.place(condition, plan.by.as_ref())?;
            let nullable = value.is_some_and(|at| inputs.known[at].2.may_be_null());
            let always = condition == 0 && !nullable;
            aggregates.push(BoundAggregate { spec: Spec::of(plan), condition, value, by, always });
        }
        let conditions: Result<Vec<Vec<Prepared>>, EngineError> =
            condition_exprs.iter().map(|c| preparer.all(c)).collect();
        Ok(BoundScan {
            rows: self.star.rows(scan.table),
            filter,
            keys: RowKeys::new(keys)?,
            conditions: conditions?,
            inputs: inputs.known.into_iter().map(|(condition, _, input)| (condition, input)).collect(),
            aggregates,
            options: self.options,
        })
    }

    /// The same groups told apart by fewer keys.
    pub(super) fn folded(&self, finer: &Groupings, keys: &[KeyId]) -> Result<Groupings, EngineError> {
        let work = || {
            let mut numbering = self.numbering(keys, finer.groups)?;
            let columns: Vec<Codes> = keys.iter().filter_map(|k| finer.codes_of(*k)).cloned().collect();
            let numbered = numbering.number_all(&slices(&columns), finer.groups);
            let (codes, groups) = (picked(&numbered, &columns), numbering.len());
            // Where each group stays one by itself, what is known of it stays too.
            let accumulators = match numbered.all_new() {
                true => finer.accumulators.clone(),
                false => Rc::new(regrouped(&finer.accumulators, &numbered.of, groups)?),
            };
            Ok(Groupings::sharing(keys.to_vec(), codes, groups, accumulators))
        };
        let step = |folded: &Groupings| Step::Fold(finer.groups, folded.groups);
        watched(self.options.watch.as_deref(), work, step)
    }

    /// The group of each combination of codes, in the order of the groupings' keys.
    pub(super) fn numbering_of<'g>(&self, groupings: &'g Groupings) -> Result<&'g Numbering, EngineError> {
        if let Some(numbering) = groupings.numbering.get() {
            return Ok(numbering);
        }
        let mut numbering = self.numbering(&groupings.keys, groupings.groups)?;
        numbering.number_all(&slices(&groupings.codes), groupings.groups);
        Ok(groupings.numbering.get_or_init(|| numbering))
    }
}

/// The different values that the aggregates of a scan read.
struct Inputs<'s, 'a, 'b, 'e> {
    preparer: &'s Preparer<'a, 'b>,
    /// Each with the condition under which it is read.
    known: Vec<(usize, &'e RowExpr, Prepared)>,
}

impl<'e> Inputs<'_, '_, '_, 'e> {
    fn place(&mut self, condition: usize, expr: Option<&'e RowExpr>) -> Result<Option<usize>, EngineError> {
        let Some(expr) = expr else { return Ok(None) };
        let known = self.known.iter().position(|(c, e, _)| *c == condition && *e == expr);
        if known.is_none() {
            self.known.push((condition, expr, self.preparer.prepare(expr)?));
        }
        Ok(known.or(Some(self.known.len() - 1)))
    }
}

fn place<T: PartialEq>(list: &mut Vec<T>, item: T) -> usize {
    list.iter().position(|i| *i == item).unwrap_or_else(|| {
        list.push(item);
        list.len() - 1
    })
}
