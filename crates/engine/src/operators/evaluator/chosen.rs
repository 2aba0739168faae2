//! Scans that take some of the groups of another one: those that a condition on their keys chose, as `having` and `top` do. What is
//! known of the others serves, and no row is read again.

use super::{Evaluator, Found};
use crate::error::EngineError;
use crate::execution::parallel::{each, many};
use crate::expression::vector::Vector;
use crate::operators::aggregate::{Accumulator, NO_GROUP, regrouped};
use crate::operators::cells::{Cells, Codes};
use crate::operators::groupings::Groupings;
use crate::storage::narrow::narrow;
use std::rc::Rc;
use vembra_plan::{Expr, KeyFrom, KeyId, Lookup, NodeKind, RowExpr, RowLeaf, Scan, ScanId};

/// Up to this many groups, folding finer ones is faster than reading rows.
const FEW_GROUPS: usize = 1 << 12;

impl Evaluator<'_> {
    /// The groups of a scan grouped by `position`, from those of another scan that read more rows; none if there is none.
    pub(super) fn chosen_of_others(
        &self,
        plan: &Scan,
        position: &[KeyId],
    ) -> Result<Option<Groupings>, EngineError> {
        let source = self.lines_chosen_from(plan).into_iter().find_map(|scan| {
            let others = self.graph.scan(scan);
            let chosen = chosen(others, plan, position)?;
            let mut keys = position.to_vec();
            let asked =
                chosen.conditions.iter().copied().chain(chosen.rests.iter().map(|(_, lookup)| *lookup));
            keys.extend(asked.flat_map(|lookup| lookup.keys.iter().map(|k| k.key)));
            let mut seen = Vec::new();
            keys.retain(|key| {
                !seen.contains(key) && {
                    seen.push(*key);
                    true
                }
            });
            Some((scan, keys, chosen))
        });
        let Some((scan, keys, Chosen { conditions, rests, places })) = source else { return Ok(None) };
        let groupings = self.found(scan, &keys, &self.cells(Vec::new(), Vec::new()))?;
        let mut stays = vec![true; groupings.groups];
        let cells = self.shared_cells(groupings.keys.clone(), groupings.codes.clone());
        if groupings.keys.is_empty() || cells.len != groupings.groups {
            return Ok(None);
        }
        for lookup in conditions {
            let holds = self.holds_at(lookup, &cells)?;
            stays.iter_mut().zip(holds).for_each(|(stays, holds)| *stays &= holds);
        }
        let kept = crate::expression::selection_vector::selection_vector(&stays, None, 0);
        let mut map = many(groupings.groups, NO_GROUP);
        kept.iter().enumerate().for_each(|(number, group)| map[*group as usize] = narrow(number));
        let wanted: Vec<&Accumulator> = places.iter().map(|at| &groupings.known.accumulators[*at]).collect();
        let mut codes: Vec<Vec<u32>> = groupings
            .codes
            .iter()
            .map(|codes| kept.iter().map(|group| codes[*group as usize]).collect())
            .collect();
        // Members that were not chosen are the rest.
        let whole = rests.is_empty();
        for (key, lookup) in rests {
            let rest = self.members(key)?.rest();
            let Some(at) = groupings.keys.iter().position(|own| *own == key) else { return Ok(None) };
            let holds = self.holds_at(lookup, &cells)?;
            let of_kept = codes[at].iter_mut().zip(&kept);
            of_kept.filter(|(_, group)| !holds[**group as usize]).for_each(|(code, _)| *code = rest);
        }
        let codes: Vec<Codes> = codes.into_iter().map(Rc::new).collect();
        let accumulators = regrouped(&wanted, &map, kept.len())?;
        let left = Groupings::new(groupings.keys.clone(), codes, kept.len(), accumulators);
        if left.keys == position && whole {
            return Ok(Some(left));
        }
        self.folded(&left, position).map(Some)
    }

    /// Whether a choice holds at each of some cells.
    fn holds_at(&self, lookup: &Lookup, cells: &Rc<Cells>) -> Result<Vec<bool>, EngineError> {
        let keys: Vec<KeyId> = lookup.keys.iter().map(|k| k.key).collect();
        let (asked, of_cell) = self.project(cells, &keys)?;
        let holds = self.node(lookup.node, &asked)?;
        let holds: &Vector = &holds;
        Ok(each(&of_cell, |at| holds.is_true(at as usize)))
    }

    /// The groups of a scan grouped by `position`, from those of another scan of the same rows that were found already; none if there are none.
    pub(super) fn of_same_rows(
        &self,
        plan: &Scan,
        position: &[KeyId],
    ) -> Result<Option<Groupings>, EngineError> {
        // Keys that give each row the same member distinguish groups once.
        let mut sources: Vec<KeyId> = Vec::with_capacity(position.len());
        for key in position {
            let known = sources.iter().find(|source| key_of(plan, **source) == key_of(plan, *key));
            sources.push(match known {
                Some(source) if self.are_like(plan, *source, *key)? => *source,
                _ => *key,
            });
        }
        let finer = {
            let found = self.found.borrow();
            let of = |known: &Found| {
                let others = self.graph.scan(known.scan);
                let has = |key: &KeyId| known.position.contains(key) && reads_alike(others, plan, *key);
                let same = known.given.is_none() && same_rows(others, plan) && sources.iter().all(has);
                same.then(|| places(others, plan)).flatten().map(|places| (known.groupings.clone(), places))
            };
            found.iter().filter_map(of).min_by_key(|(groupings, _)| groupings.groups)
        };
        let Some((groupings, places)) = finer else { return Ok(None) };
        let wanted = places.iter().map(|at| groupings.known.accumulators[*at].clone()).collect();
        let taken = Groupings::new(groupings.keys.clone(), groupings.codes.clone(), groupings.groups, wanted);
        let apart: Vec<KeyId> = sources
            .iter()
            .zip(position)
            .filter(|(source, key)| source == key)
            .map(|(source, _)| *source)
            .collect();
        let folded = self.folded(&taken, &apart)?;
        let codes: Vec<Codes> = sources.iter().filter_map(|key| folded.codes_of(*key)).cloned().collect();
        Ok((codes.len() == position.len()).then(|| folded.on(position.to_vec(), codes)))
    }

    /// The same where a scan asks only which groups have rows, and the same rows are to be read for finer groups anyway: these are found first.
    pub(super) fn of_same_rows_read_for_more(
        &self,
        plan: &Scan,
        position: &[KeyId],
    ) -> Result<Option<Groupings>, EngineError> {
        if let Some(same) = self.of_same_rows(plan, position)? {
            return Ok(Some(same));
        }
        let mut groups = 1_usize;
        for key in position {
            groups = groups.saturating_mul(self.members(*key)?.codes());
        }
        let finer = self.finer_of_same_rows(plan, position).filter(|_| groups <= FEW_GROUPS);
        let Some((scan, keys)) = finer else { return Ok(None) };
        self.found(scan, &keys, &self.cells(Vec::new(), Vec::new()))?;
        self.of_same_rows(plan, position)
    }

    /// A scan of the same rows that values at a detail are made of, and the keys by which it is asked.
    fn finer_of_same_rows(&self, plan: &Scan, position: &[KeyId]) -> Option<(ScanId, Vec<KeyId>)> {
        if !plan.aggregates.is_empty() || position.is_empty() {
            return None;
        }
        self.graph.nodes.iter().find_map(|node| {
            let NodeKind::Fold(fold) = &node.kind else { return None };
            let NodeKind::Aggregate(scan, _) = self.graph.node(fold.value).kind else { return None };
            let finer = self.graph.scan(scan);
            let fits = same_rows(finer, plan)
                && !finer.depends_on_cell()
                && position.iter().all(|key| reads_alike(finer, plan, *key))
                && fold.over.iter().all(|key| key_of(finer, *key).is_some());
            // By all of its keys: values at a detail within others are asked for by those of both.
            let all = finer.keys.iter().map(|own| &own.key).filter(|key| key_of(finer, **key).is_some());
            let more = all.filter(|key| !position.contains(key));
            fits.then(|| (scan, position.iter().chain(more).copied().collect()))
        })
    }

    /// Whether two keys of a scan give each row the same code.
    fn are_like(&self, plan: &Scan, a: KeyId, b: KeyId) -> Result<bool, EngineError> {
        let key = |id: KeyId| plan.keys.iter().find(|own| own.key == id && own.kept.is_none());
        let (Some(a), Some(b)) = (key(a), key(b)) else { return Ok(false) };
        Ok(self.scan_key(plan.table, a)?.is_like(&self.scan_key(plan.table, b)?))
    }
}

impl Evaluator<'_> {
    /// The scans whose groups are read anyway to find which lines the conditions of a scan chose.
    fn lines_chosen_from(&self, plan: &Scan) -> Vec<ScanId> {
        let mut scans = Vec::new();
        let rests = plan.keys.iter().filter_map(|key| key.kept.as_ref());
        for condition in plan.filter.iter().chain(rests) {
            if let Expr::Leaf(RowLeaf::Lookup(lookup)) = condition
                && let NodeKind::Kept(kept) = &self.graph.node(lookup.node).kind
            {
                scans.extend(kept.domain.iter().copied());
            }
        }
        scans
    }
}

/// How a scan takes the groups of another one.
struct Chosen<'s> {
    /// What chose those that stay.
    conditions: Vec<&'s Lookup>,
    /// For keys with a rest what chose the members that stand for themselves.
    rests: Vec<(KeyId, &'s Lookup)>,
    /// Where its aggregates stand in the other one.
    places: Vec<usize>,
}

/// How a scan takes the groups of another one, if it differs from that by choices that are about keys alone.
fn chosen<'s>(others: &Scan, plan: &'s Scan, position: &[KeyId]) -> Option<Chosen<'s>> {
    if others.table != plan.table || !is_plain(others) || !is_plain(plan) {
        return None;
    }
    let by_keys = |condition: &'s RowExpr| {
        let Expr::Leaf(RowLeaf::Lookup(lookup)) = condition else { return None };
        let of_key = |k: &vembra_plan::LookupKey| match &k.from {
            KeyFrom::Row(expr) => key_of(others, k.key).is_some_and(|own: &RowExpr| own == expr),
            KeyFrom::Cell => false,
        };
        lookup.keys.iter().all(of_key).then_some(&**lookup)
    };
    let more = plan.filter.iter().filter(|c| !others.filter.contains(c));
    let conditions: Vec<&Lookup> = more.map(by_keys).collect::<Option<_>>()?;
    let with_rest = plan.keys.iter().filter(|key| position.contains(&key.key));
    let with_rest = with_rest.filter_map(|key| Some((key.key, key.kept.as_ref()?)));
    let rests: Vec<(KeyId, &Lookup)> =
        with_rest.map(|(key, kept)| Some((key, by_keys(kept)?))).collect::<Option<_>>()?;
    let whole = others.filter.iter().all(|c| plan.filter.contains(c));
    let alike = position.iter().all(|key| reads_alike(others, plan, *key));
    (whole && alike && !(conditions.is_empty() && rests.is_empty())).then_some(())?;
    Some(Chosen { conditions, rests, places: places(others, plan)? })
}

/// Whether the rows of a scan depend on nothing but its filter.
fn is_plain(scan: &Scan) -> bool {
    scan.during.is_none() && scan.bridges.is_empty() && scan.choices.is_empty()
}

/// Whether two scans read the same rows.
fn same_rows(a: &Scan, b: &Scan) -> bool {
    a.table == b.table
        && is_plain(a)
        && is_plain(b)
        // One condition may stand twice on one side.
        && a.filter.iter().all(|c| b.filter.contains(c))
        && b.filter.iter().all(|c| a.filter.contains(c))
        && b.keys.iter().all(|key| key.kept.is_none())
}

/// Where the aggregates of a scan stand in another one.
fn places(others: &Scan, plan: &Scan) -> Option<Vec<usize>> {
    plan.aggregates.iter().map(|a| others.aggregates.iter().position(|o| o == a)).collect()
}

/// The attribute of a key on which all members stand for themselves.
fn key_of(scan: &Scan, key: KeyId) -> Option<&RowExpr> {
    scan.keys.iter().find(|own| own.key == key && own.kept.is_none()).map(|own| &own.expr)
}

/// Whether a key of a scan is one of another one's, with all members there.
fn reads_alike(others: &Scan, scan: &Scan, key: KeyId) -> bool {
    let own = scan.keys.iter().find(|own| own.key == key).map(|own| &own.expr);
    key_of(others, key).is_some() && key_of(others, key) == own
}
