//! Passes: scans bound to columns, read, and folded to fewer keys.

use super::representatives::Representatives;
use super::{Evaluator, picked, slices};
use crate::error::EngineError;
use crate::execution::parallel::each;
use crate::execution::profile::{Pass, Step, profiled};
use crate::expression::eval::Prepared;
use crate::expression::prepare::{Preparer, Scope};
use crate::links::reverse_index::ReverseIndex;
use crate::operators::aggregate::{Spec, regrouped};
use crate::operators::cells::Codes;
use crate::operators::group_index::{GroupIndex, NOWHERE};
use crate::operators::groupings::Groupings;
use crate::operators::members::Key;
use crate::operators::scan::{
    Arranged, BoundAggregate, BoundScan, Read, RowKeys, Scanned, arranged, cannot_fail, conditions_of,
    left_of_some, predicate_form,
};
use crate::physical::access::{self, Access, Offers};
use crate::physical::accumulators;
use crate::physical::keys::{self, KeyOf, KeyRole, KeySource, PassKey};
use crate::physical::pass::PhysicalPass;
use crate::physical::predicates::{Predicate, PredicateForm};
use crate::statistics::functional_dependencies::Following;
use crate::storage::bitmap::Bitmap;
use crate::storage::narrow::narrow;
use crate::storage::row_id::RowId;
use crate::storage::small_ints::SmallInts;
use std::collections::BTreeMap;
use std::sync::Arc;
use vembra_plan::{Expr, KeyId, LinkId, RowExpr, RowLeaf, Scan};

/// Per dependent key its codes by those of the key that it follows from.
type Dependents = BTreeMap<usize, Following>;

/// What statistics say of a scan, and the rows that they lead to.
#[derive(Default)]
struct Statistics {
    representatives: Option<Representatives>,
    run_boundaries: Option<Arc<Bitmap>>,
    groups_at_most: Option<usize>,
}

/// A pass as it is planned, bound to columns in memory.
struct Planned<'k> {
    bound: BoundScan<'k>,
    pass: PhysicalPass,
    /// Per key its role, and of dependents how they follow.
    roles: Vec<KeyRole>,
    dependents: Dependents,
}

impl Evaluator<'_> {
    /// Reads the rows of a scan, grouped by `keys` and behind them by `more`, for a cell that stands where `scope` says.
    pub(super) fn pass(
        &self,
        scan: &Scan,
        keys: &[(KeyId, Key)],
        more: &[&Key],
        scope: &Scope,
    ) -> Result<Scanned, EngineError> {
        let work = || {
            let planned = self.plan_pass(scan, keys, more, scope)?;
            if self.plan_only { Ok(planned.unread()) } else { planned.read() }
        };
        let step = |(found, pass, read): &Made| {
            Step::Pass(Box::new(Pass { plan: pass.clone(), read: *read, groups: found.groups }))
        };
        profiled(self.options.profiler.as_deref(), work, step).map(|(found, ..)| found)
    }

    /// Plans the pass over the rows of a scan: all choices but that of the group index where that waits for the rows that pass.
    fn plan_pass<'k>(
        &'k self,
        scan: &Scan,
        keys: &'k [(KeyId, Key)],
        more: &[&'k Key],
        scope: &Scope,
    ) -> Result<Planned<'k>, EngineError> {
        let all: Vec<&Key> = keys.iter().map(|(_, key)| key).chain(more.iter().copied()).collect();
        let codes: Vec<usize> = all.iter().map(|key| key.members.codes()).collect();
        let mut dependents = Dependents::new();
        let same = |a: usize, b: usize| all[a].is_like(all[b]);
        let roles = keys::choose(&codes, same, |from, to| {
            let follows = self.star.follows.from(all[from], all[to]);
            let found = follows.is_some();
            dependents.extend(follows.map(|codes| (to, codes)));
            found
        });
        let grouped = all.iter().zip(&roles).filter(|(_, role)| **role == KeyRole::Grouping);
        let grouped: Vec<&Key> = grouped.map(|(key, _)| *key).collect();
        let may_spare = more.is_empty() && !self.options.guarded;
        let statistics = if may_spare { self.statistics(scan, keys)? } else { Statistics::default() };
        let mut pass = PhysicalPass::of(scan, self.star.rows(scan.table));
        pass.keys = self.pass_keys(scan, keys, more, &roles);
        let bound = self.bind_scan(scan, grouped, scope, statistics, &mut pass)?;
        Ok(Planned { bound, pass, roles, dependents })
    }

    /// What statistics say of a scan.
    fn statistics(&self, scan: &Scan, keys: &[(KeyId, Key)]) -> Result<Statistics, EngineError> {
        let representatives = self.representatives(scan, keys)?;
        let run_boundaries = if representatives.is_none() { self.run_boundaries(scan, keys)? } else { None };
        Ok(Statistics { representatives, run_boundaries, groups_at_most: self.groups_at_most(scan, keys)? })
    }

    /// Where the codes of each key come from, and whether rows are grouped by it.
    fn pass_keys(
        &self,
        scan: &Scan,
        keys: &[(KeyId, Key)],
        more: &[&Key],
        roles: &[KeyRole],
    ) -> Vec<PassKey> {
        let own = keys.iter().map(|(id, key)| {
            let expr = scan.keys.iter().find(|own| own.key == *id).map(|own| &own.expr);
            (KeyOf::Key(*id), key, self.key_source(expr))
        });
        let by_cells = if scan.during.is_some() { KeyOf::Days } else { KeyOf::Classes };
        let others = more.iter().enumerate().map(|(at, key)| {
            let of = if at < scan.bridges.len() { KeyOf::Bridge } else { by_cells };
            (of, *key, KeySource::Computed)
        });
        let all = own.chain(others).zip(roles);
        all.map(|((of, key, source), role)| PassKey { of, codes: key.members.codes(), source, role: *role })
            .collect()
    }

    fn key_source(&self, expr: Option<&RowExpr>) -> KeySource {
        let Some(Expr::Leaf(RowLeaf::Column(column))) = expr else { return KeySource::Computed };
        if column.path.is_empty() {
            KeySource::Column
        } else if self.star.attributes.carried(column).is_some() {
            KeySource::Denormalised(column.path.clone())
        } else {
            KeySource::Links(column.path.clone())
        }
    }

    /// Binds a scan to columns, and says in `pass` which rows are read and how conditions are tested.
    fn bind_scan<'k>(
        &'k self,
        scan: &Scan,
        keys: Vec<&'k Key>,
        scope: &Scope,
        statistics: Statistics,
        pass: &mut PhysicalPass,
    ) -> Result<BoundScan<'k>, EngineError> {
        if self.options.guarded {
            let bound = self.bind_guarded(scan, keys, scope)?;
            pass.accumulators = bound.aggregates.len();
            pass.predicates = (0..scan.filter.len()).map(|at| evaluated(&scan.filter, at)).collect();
            return Ok(bound);
        }
        let preparer = Preparer { evaluator: self, table: scan.table, scope, within_growing: false };
        let rows = self.star.rows(scan.table);
        let filter = preparer.all(&scan.filter)?;
        let led = self.few_rows(scan, &filter)?;
        let offers = Offers {
            reverse_index: led.as_ref().map(|(link, rows)| (*link, rows.len())),
            representatives: statistics.representatives.as_ref().map(|(from, rows)| (*from, rows.len())),
            run_boundaries: statistics.run_boundaries.as_ref().map(|first| first.count()),
            groups_at_most: statistics.groups_at_most,
            // What may fail has to see all rows.
            may_fail: !filter.iter().all(|condition| cannot_fail(condition, rows)),
        };
        (pass.access, pass.stop_at) = access::choose(offers);
        let listed = match pass.access {
            Access::ReverseIndex { .. } => led.map(|(_, rows)| rows),
            Access::RepresentativeRows { .. } => statistics.representatives.map(|(_, rows)| rows.to_vec()),
            _ => None,
        };
        // The rows of an index are tested as the query says.
        let tested = match pass.access {
            Access::ReverseIndex { .. } => as_written(filter),
            _ => arranged(filter, rows, &|at| self.plan_only && looks_up(&scan.filter[at])),
        };
        pass.predicates = tested.iter().map(|own| predicate(&scan.filter, own, rows)).collect();
        if self.plan_only {
            let pending = pass.predicates.iter_mut().filter(|own| !own.lookups.is_empty());
            pending.for_each(|own| own.form = PredicateForm::Pending);
        }
        let mut filter = conditions_of(tested);
        if let Access::RunBoundaries { .. } = pass.access {
            filter.splice(0..0, statistics.run_boundaries.map(Prepared::Changing));
        }
        let planned = accumulators::choose(&scan.aggregates);
        pass.accumulators = planned.of.len();
        let bind = |(condition, expr): &(usize, &RowExpr)| Ok((*condition, preparer.prepare(expr)?));
        let inputs: Vec<(usize, Prepared)> =
            planned.inputs.iter().map(bind).collect::<Result<_, EngineError>>()?;
        let aggregates = planned.of.iter().map(|own| {
            let nullable = own.value.is_some_and(|at| inputs[at].1.may_be_null());
            BoundAggregate {
                spec: Spec::of(&scan.aggregates[own.aggregate]),
                condition: own.condition,
                value: own.value,
                by: own.by,
                always: own.condition == 0 && !nullable,
            }
        });
        let bind = |conditions: &&[RowExpr]| {
            Ok(conditions_of(arranged(preparer.all(conditions)?, rows, &|_| false)))
        };
        Ok(BoundScan {
            rows,
            listed,
            stop_at: pass.stop_at,
            filter,
            keys: RowKeys::new(keys)?,
            aggregates: aggregates.collect(),
            conditions: planned.conditions.iter().map(bind).collect::<Result<_, EngineError>>()?,
            inputs,
            serving: planned.serving,
            options: self.options,
        })
    }

    /// The rows that the most selective condition on a linked table leaves, where they are few: found from there, none of the others
    /// is read.
    fn few_rows(&self, scan: &Scan, filter: &[Prepared]) -> Result<Option<Led>, EngineError> {
        let rows = self.star.rows(scan.table);
        if rows < access::MANY_ROWS {
            return Ok(None);
        }
        // What may fail has to see each row that it would see otherwise. A condition that leaves many of some rows leaves many of all.
        let leaves_few = |condition: &&Prepared| {
            let (left, of) = left_of_some(condition, rows);
            access::may_leave_few(left, of)
        };
        let known = |at: &usize| !(self.plan_only && looks_up(&scan.filter[*at]));
        let free = (0..filter.len()).take_while(|at| cannot_fail(&filter[*at], rows)).filter(known);
        let few: Vec<&Prepared> = free.map(|at| &filter[at]).filter(leaves_few).collect();
        let mut best: Option<(usize, LinkId, &ReverseIndex, Vec<u32>)> = None;
        for link in self.star.schema().link_ids().filter(|l| self.star.schema().link_source(*l) == scan.table)
        {
            let Some(numbers) = self.star.known_link_rows(link) else { continue };
            for condition in &few {
                let Some(targets) = self.reached_where(condition, link, numbers) else { continue };
                if !access::are_few_targets(
                    targets.len(),
                    self.star.rows(self.star.schema().link_target(link)),
                ) {
                    continue;
                }
                let Some(reverse_index) = self.star.reverse_index(link)? else { continue };
                let count = reverse_index.count(&targets);
                if access::are_few(count, rows) && best.as_ref().is_none_or(|(least, ..)| count < *least) {
                    best = Some((count, link, reverse_index, targets));
                }
            }
        }
        Ok(best.map(|(_, link, reverse_index, targets)| (link, reverse_index.leading_to(&targets))))
    }

    /// The rows behind a link for which a condition holds that rows look up there.
    fn reached_where(
        &self,
        condition: &Prepared,
        link: LinkId,
        numbers: &Arc<SmallInts>,
    ) -> Option<Vec<u32>> {
        let indexed = condition.looked_up()?;
        let holds = |entry: usize| indexed.values.is_true(entry);
        if Arc::ptr_eq(&indexed.numbers, numbers) {
            return Some((0..indexed.values.len()).filter(|entry| holds(*entry)).map(narrow).collect());
        }
        // Looked up by the codes of an attribute: those of the linked table know which rows have them.
        let carried = self.star.attributes.whose(&indexed.numbers, link)?;
        let of_codes: Vec<bool> = (0..indexed.values.len()).map(holds).collect();
        let rows = carried.own.numbers.len();
        let mut targets: Vec<u32> =
            (0..rows).filter(|row| of_codes[carried.own.code(*row) as usize]).map(narrow).collect();
        let members = &carried.own.members;
        targets.extend(of_codes[members.none() as usize].then_some(narrow(rows)));
        targets.extend(of_codes[members.unknown() as usize].then_some(narrow(rows + 1)));
        Some(targets)
    }

    /// The same groups grouped by fewer keys.
    pub(super) fn folded(&self, finer: &Groupings, keys: &[KeyId]) -> Result<Groupings, EngineError> {
        let work = || {
            let columns: Vec<Codes> = keys.iter().filter_map(|k| finer.codes_of(*k)).cloned().collect();
            if self.all_differ(keys, &columns, finer.groups)? {
                return Ok(finer.on(keys.to_vec(), columns));
            }
            let mut group_index = self.group_index(keys, finer.groups)?;
            let numbered = group_index.number_all(&slices(&columns), finer.groups);
            let (codes, groups) = (picked(&numbered, &columns), group_index.len());
            if numbered.all_new() {
                return Ok(finer.on(keys.to_vec(), codes));
            }
            let accumulators = regrouped(&finer.known.accumulators, &numbered.of, groups)?;
            Ok(Groupings::new(keys.to_vec(), codes, groups, accumulators))
        };
        let step = |folded: &Groupings| Step::Fold(finer.groups, folded.groups);
        profiled(self.options.profiler.as_deref(), work, step)
    }

    /// The group of each combination of codes, in the order of the groupings' keys.
    pub(super) fn numbering_of<'g>(&self, groupings: &'g Groupings) -> Result<&'g GroupIndex, EngineError> {
        if let Some(group_index) = groupings.group_index.get() {
            return Ok(group_index);
        }
        let mut group_index = self.group_index(&groupings.keys, groupings.groups)?;
        group_index.number_all(&slices(&groupings.codes), groupings.groups);
        Ok(groupings.group_index.get_or_init(|| group_index))
    }
}

/// The groups that a pass found, how it was made, and how many rows it looked at.
type Made = (Scanned, PhysicalPass, usize);

/// A link, and the rows that its reverse index leads to.
type Led = (LinkId, Vec<RowId>);

impl Planned<'_> {
    /// A pass that is planned and not made. The rows that would pass its filter are estimated from samples.
    fn unread(self) -> Made {
        let Self { bound, mut pass, roles, dependents } = self;
        let all = bound.listed.as_ref().map_or(bound.rows, Vec::len);
        // A condition of run boundaries stands before those of the scan.
        let first = bound.filter.len().saturating_sub(pass.predicates.len());
        let known = bound.filter[first..].iter().zip(&pass.predicates);
        let known =
            known.filter(|(own, predicate)| predicate.lookups.is_empty() && cannot_fail(own, bound.rows));
        let left = known.fold(all, |rows, (condition, _)| {
            let (left, of) = left_of_some(condition, bound.rows);
            rows * left / of.max(1)
        });
        pass.grouping = Some(bound.grouping_for(left));
        let mut found = with_all_keys(served(bound.unread(), &bound), &roles, &dependents);
        // A member without rows determines nothing: any code serves.
        let codes = found.codes.iter_mut().flatten();
        codes.filter(|code| **code == NOWHERE).for_each(|code| *code = 0);
        (found, pass, 0)
    }

    /// Makes the pass.
    fn read(self) -> Result<Made, EngineError> {
        let Self { bound, mut pass, roles, dependents } = self;
        let Read { found, grouping, rows } = bound.read()?;
        pass.grouping = Some(grouping);
        // Rows of which the same was said before are only looked at for whether they begin a run.
        let rows = match (pass.access, pass.stop_at) {
            (Access::RunBoundaries { rows }, None) => rows,
            _ => rows,
        };
        let found = served(found, &bound);
        Ok((with_all_keys(found, &roles, &dependents), pass, rows))
    }
}

/// Groups with an accumulator for each aggregate, where some share one.
fn served(found: Scanned, bound: &BoundScan<'_>) -> Scanned {
    if bound.serving.len() == bound.aggregates.len() {
        return found;
    }
    let accumulators = bound.serving.iter().map(|at| found.accumulators[*at].clone()).collect();
    Scanned { accumulators, ..found }
}

/// Groups on all keys, from those on the keys that rows were grouped by.
fn with_all_keys(found: Scanned, roles: &[KeyRole], dependents: &Dependents) -> Scanned {
    let mut grouped = found.codes.into_iter();
    let mut codes: Vec<Vec<u32>> = Vec::with_capacity(roles.len());
    for role in roles {
        codes.push(if *role == KeyRole::Grouping { grouped.next().unwrap_or_default() } else { Vec::new() });
    }
    for (at, role) in roles.iter().enumerate() {
        if let (KeyRole::DependentOn(from), Some(follows)) = (role, dependents.get(&at)) {
            codes[at] = each(&codes[*from], |code| follows[code as usize]);
        }
    }
    for (at, role) in roles.iter().enumerate() {
        if let KeyRole::SameAs(other) = role {
            let (before, from) = codes.split_at_mut(at);
            from[0].clone_from(&before[*other]);
        }
    }
    Scanned { codes, ..found }
}

/// Conditions in the order in which they are written.
pub(crate) fn as_written(conditions: Vec<Prepared>) -> Vec<Arranged> {
    let all = conditions.into_iter().enumerate();
    all.map(|(position, condition)| Arranged { position, condition, sample: None }).collect()
}

fn looks_up(expr: &RowExpr) -> bool {
    let mut found = false;
    expr.lookups(&mut |_| found = true);
    found
}

/// What is said of a condition.
pub(crate) fn predicate(filter: &[RowExpr], own: &Arranged, rows: usize) -> Predicate {
    let form = predicate_form(&own.condition, rows);
    Predicate { form, sample: own.sample, ..evaluated(filter, own.position) }
}

/// A condition that is evaluated row by row.
fn evaluated(filter: &[RowExpr], condition: usize) -> Predicate {
    let mut lookups = Vec::new();
    filter[condition].lookups(&mut |lookup| lookups.push(lookup.node));
    Predicate { condition, form: PredicateForm::Evaluate, sample: None, lookups }
}
