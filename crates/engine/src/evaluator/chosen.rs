//! Scans that take some of the groups of another one: those that a condition on their keys chose, as `having` and `top` do. What is
//! known of the others serves, and no row is read again.

use super::Evaluator;
use crate::aggregate::{Accumulator, NO_GROUP, regrouped};
use crate::cells::Codes;
use crate::error::EngineError;
use crate::groupings::Groupings;
use std::rc::Rc;
use vembra_plan::{Expr, KeyFrom, KeyId, Lookup, NodeKind, RowExpr, RowLeaf, Scan, ScanId};

impl Evaluator<'_> {
    /// The groups of a scan told apart by `position`, from those of another scan that read more rows; none if there is none.
    pub(super) fn chosen_of_others(
        &self,
        plan: &Scan,
        position: &[KeyId],
    ) -> Result<Option<Groupings>, EngineError> {
        let source = self.lines_chosen_from(plan).into_iter().find_map(|scan| {
            let others = self.graph.scan(scan);
            let (conditions, places) = chosen(others, plan)?;
            let mut keys = position.to_vec();
            keys.extend(conditions.iter().flat_map(|lookup| lookup.keys.iter().map(|k| k.key)));
            let mut seen = Vec::new();
            keys.retain(|key| {
                !seen.contains(key) && {
                    seen.push(*key);
                    true
                }
            });
            keys.iter().all(|key| reads_alike(others, plan, *key)).then_some((scan, keys, conditions, places))
        });
        let Some((scan, keys, conditions, places)) = source else { return Ok(None) };
        let groupings = self.found(scan, &keys, &self.cells(Vec::new(), Vec::new()))?;
        let mut stays = vec![true; groupings.groups];
        let cells = self.shared_cells(groupings.keys.clone(), groupings.codes.clone());
        if groupings.keys.is_empty() || cells.len != groupings.groups {
            return Ok(None);
        }
        for lookup in conditions {
            let keys: Vec<KeyId> = lookup.keys.iter().map(|k| k.key).collect();
            let (asked, of_group) = self.project(&cells, &keys)?;
            let holds = self.node(lookup.node, &asked)?;
            stays
                .iter_mut()
                .zip(of_group.iter())
                .for_each(|(stays, at)| *stays &= holds.is_true(*at as usize));
        }
        let kept: Vec<u32> = (0..groupings.groups as u32).filter(|group| stays[*group as usize]).collect();
        let mut map = vec![NO_GROUP; groupings.groups];
        kept.iter().enumerate().for_each(|(number, group)| map[*group as usize] = number as u32);
        let wanted: Vec<Accumulator> =
            places.iter().map(|at| groupings.known.accumulators[*at].clone()).collect();
        let codes: Vec<Codes> = groupings
            .codes
            .iter()
            .map(|codes| Rc::new(kept.iter().map(|group| codes[*group as usize]).collect()))
            .collect();
        let accumulators = regrouped(&wanted, &map, kept.len())?;
        let left = Groupings::new(groupings.keys.clone(), codes, kept.len(), accumulators);
        if left.keys == position {
            return Ok(Some(left));
        }
        self.folded(&left, position).map(Some)
    }
}

impl Evaluator<'_> {
    /// The scans whose groups are read anyway to find which lines the conditions of a scan chose.
    fn lines_chosen_from(&self, plan: &Scan) -> Vec<ScanId> {
        let mut scans = Vec::new();
        for condition in &plan.filter {
            if let Expr::Leaf(RowLeaf::Lookup(lookup)) = condition
                && let NodeKind::Kept(kept) = &self.graph.node(lookup.node).kind
            {
                scans.extend(kept.domain.iter().copied());
            }
        }
        scans
    }
}

/// The conditions by which a scan takes fewer rows than another one, if these are about keys alone, and where its aggregates stand there.
fn chosen<'s>(others: &Scan, plan: &'s Scan) -> Option<(Vec<&'s Lookup>, Vec<usize>)> {
    let plain = |scan: &Scan| scan.during.is_none() && scan.bridges.is_empty() && scan.choices.is_empty();
    if others.table != plan.table || !plain(others) || !plain(plan) {
        return None;
    }
    let mut conditions = Vec::new();
    for condition in plan.filter.iter().filter(|c| !others.filter.contains(c)) {
        let Expr::Leaf(RowLeaf::Lookup(lookup)) = condition else { return None };
        let of_key = |k: &vembra_plan::LookupKey| match &k.from {
            KeyFrom::Row(expr) => key_of(plan, k.key).is_some_and(|own: &RowExpr| own == expr),
            KeyFrom::Cell => false,
        };
        if !lookup.keys.iter().all(of_key) {
            return None;
        }
        conditions.push(&**lookup);
    }
    let more = others.filter.iter().any(|c| !plan.filter.contains(c));
    let places: Option<Vec<usize>> =
        plan.aggregates.iter().map(|a| others.aggregates.iter().position(|o| o == a)).collect();
    (!more && !conditions.is_empty()).then_some(())?;
    Some((conditions, places?))
}

/// The attribute of a key on which all members stand for themselves.
fn key_of(scan: &Scan, key: KeyId) -> Option<&RowExpr> {
    scan.keys.iter().find(|own| own.key == key && own.kept.is_none()).map(|own| &own.expr)
}

/// Whether two scans have the same key.
fn reads_alike(a: &Scan, b: &Scan, key: KeyId) -> bool {
    key_of(a, key).is_some() && key_of(a, key) == key_of(b, key)
}
