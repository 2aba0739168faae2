//! Rows that belong to several members, since a bridge gives them.
//!
//! Rows are read once, grouped by their **class**: the set of different combinations that the rows of a bridge give to the row
//! that they lead to. What was found for a class is then put together under each of its combinations that the choices of
//! lines leave. So a row is never counted twice where its members are put together, whatever the aggregate.

use super::Evaluator;
use crate::error::EngineError;
use crate::expression::prepare::{CellKey, Preparer, Scope, scalar};
use crate::operators::aggregate::{NO_GROUP, regrouped};
use crate::operators::cells::Codes;
use crate::operators::group_index::{GroupIndex, Listing};
use crate::operators::members::{Key, Members};
use crate::operators::scan::{Scanned, choose};
use crate::storage::narrow::narrow;
use crate::storage::row_id::{RowId, Rows};
use crate::storage::small_ints::SmallInts;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::rc::Rc;
use std::sync::Arc;
use vembra_plan::{Bridged, Choice, KeyId, LinkId, Scalar, Scan};

/// The class of rows without any combination: they belong to no cell.
pub(crate) const NO_CLASS: u32 = 0;

/// What the rows of a bridge give to rows that are read.
pub(crate) struct Classes {
    /// The class of each row that is read.
    pub(crate) key: Key,
    /// The keys that rows are grouped by.
    ids: Vec<KeyId>,
    /// Per class its combinations.
    combinations: Vec<Vec<u32>>,
    /// Per key the code of each combination.
    codes: Vec<Vec<u32>>,
}

/// Groups under each of the combinations of their classes.
struct Candidates {
    /// The group of each.
    of: Vec<u32>,
    /// All keys that rows are grouped by, with the code of each candidate.
    keys: Vec<KeyId>,
    codes: Vec<Codes>,
}

impl Candidates {
    fn codes_of(&self, key: KeyId) -> Result<&Codes, EngineError> {
        let at = self.keys.iter().position(|k| *k == key);
        at.map(|at| &self.codes[at]).ok_or_else(lost_key)
    }

    /// The codes of the members themselves, where the rest takes the place of some.
    fn members_of(&self, key: KeyId) -> Result<&Codes, EngineError> {
        let at = self.keys.iter().rposition(|k| *k == key);
        at.map(|at| &self.codes[at]).ok_or_else(lost_key)
    }
}

impl Evaluator<'_> {
    /// Reads the rows of a scan, grouped by the keys of `position`, and behind them by `more`: where bridges give members, by the days of date ranges at most.
    pub(super) fn rows_at(
        &self,
        plan: &Scan,
        position: &[KeyId],
        more: &[&Key],
        scope: &Scope,
    ) -> Result<Scanned, EngineError> {
        if plan.bridges.is_empty() {
            let (keys, scope) = self.bound_keys(plan, position, scope)?;
            return self.pass(plan, &keys, more, &scope);
        }
        let days = more.first().copied();
        let looked_up = plan.looked_up();
        let asked: Vec<KeyId> =
            position.iter().copied().filter(|k| plan.is_several(*k) && looked_up.contains(k)).collect();
        if asked.is_empty() {
            return self.unfolded(plan, position, days, scope, &[]);
        }
        // What is looked up differs from member to member, and a row has several: the rows are read for each of them.
        let mut all: Option<Scanned> = None;
        for codes in self.members_of(plan, &asked)? {
            let stands: Vec<(KeyId, u32)> = asked.iter().copied().zip(codes).collect();
            let mut scope = scope.clone();
            scope.keys.extend(stands.iter().map(|(key, code)| (*key, CellKey::Fixed(*code))));
            let found = self.unfolded(plan, position, days, &scope, &stands)?;
            all = Some(match all {
                None => found,
                Some(all) => side_by_side(all, &found)?,
            });
        }
        match all {
            Some(all) => Ok(all),
            None => self.unfolded(plan, position, days, scope, &[]),
        }
    }

    /// The combinations of members of some keys of which rows may have several, freely combined.
    fn members_of(&self, plan: &Scan, keys: &[KeyId]) -> Result<Vec<Vec<u32>>, EngineError> {
        let mut all: Vec<Vec<u32>> = vec![Vec::new()];
        for key in keys {
            let members = self.members(*key)?;
            let mut codes: Vec<u32> = match plan.bridges.iter().find(|b| b.keys.iter().any(|k| k.key == *key))
            {
                Some(bridge) => self.classes(bridge, &[*key])?.codes.swap_remove(0),
                None => (0..narrow(members.codes())).collect(),
            };
            if members.rest && !codes.contains(&members.rest()) {
                codes.push(members.rest());
            }
            all = all
                .iter()
                .flat_map(|so_far| codes.iter().map(|code| [&so_far[..], &[*code]].concat()))
                .collect();
        }
        Ok(all)
    }

    /// One pass over the rows by their classes, put together under the members of `position`; only under those that stand where `only` says.
    fn unfolded(
        &self,
        plan: &Scan,
        position: &[KeyId],
        days: Option<&Key>,
        scope: &Scope,
        only: &[(KeyId, u32)],
    ) -> Result<Scanned, EngineError> {
        let own: Vec<KeyId> = position.iter().copied().filter(|k| !plan.is_bridged(*k)).collect();
        let (mut keys, scope) = self.bound_keys(plan, &own, scope)?;
        for (id, expr) in plan.choices.iter().flat_map(|c| &c.own) {
            // On a key with a rest a choice still looks at the member itself.
            let has_rest = plan.keys.iter().any(|k| k.key == *id && k.kept.is_some());
            let there = keys.iter().filter(|(known, _)| known == id).count();
            if there == 0 || has_rest && there == 1 && own.contains(id) {
                keys.push((*id, self.key(*id, plan.table, expr)?));
            }
        }
        let mut classes = Vec::new();
        for bridge in &plan.bridges {
            let chooses = |id: &KeyId| plan.choices.iter().any(|c| c.bridged.contains(id));
            let ids = bridge.keys.iter().map(|k| k.key).filter(|id| position.contains(id) || chooses(id));
            classes.push(self.classes(bridge, &ids.collect::<Vec<_>>())?);
        }
        let more: Vec<&Key> = classes.iter().map(|c| &c.key).chain(days).collect();
        let base = self.pass(plan, &keys, &more, &scope)?;
        let ids: Vec<KeyId> = keys.iter().map(|(id, _)| *id).collect();
        let mut candidates = candidates(&base, &ids, &classes);
        let mut stays = vec![true; candidates.of.len()];
        self.choose_lines(&plan.choices, &mut candidates, &mut stays)?;
        for (key, code) in only {
            let codes = candidates.codes_of(*key)?;
            stays.iter_mut().zip(codes.iter()).for_each(|(stays, own)| *stays &= own == code);
        }
        let by_days = days.map(|days| (&base.codes[ids.len() + classes.len()], days.members.codes()));
        self.put_together(&base, &candidates, &stays, position, by_days)
    }

    /// Leaves out the candidates that were not chosen, or makes them the rest.
    fn choose_lines(
        &self,
        choices: &[Choice],
        candidates: &mut Candidates,
        stays: &mut [bool],
    ) -> Result<(), EngineError> {
        let mut rests = Vec::new();
        for choice in choices {
            let keys = self.graph.node(choice.node).keys.clone();
            let columns: Vec<Codes> =
                keys.iter().map(|key| candidates.members_of(*key).cloned()).collect::<Result<_, _>>()?;
            let (cells, map) = self.distinct(keys, &columns, candidates.of.len())?;
            let chosen = self.node(choice.node, &cells)?;
            let chosen = map.iter().map(|cell| chosen.is_true(*cell as usize));
            match choice.rest {
                None => stays.iter_mut().zip(chosen).for_each(|(stays, chosen)| *stays &= chosen),
                Some(key) => rests.push((key, chosen.collect::<Vec<bool>>())),
            }
        }
        for (key, chosen) in rests {
            let Some(at) = candidates.keys.iter().position(|k| *k == key) else { continue };
            let rest = self.members(key)?.rest();
            let code = |(code, chosen): (&u32, bool)| if chosen { *code } else { rest };
            let codes = candidates.codes[at].iter().zip(chosen).map(code).collect();
            candidates.codes[at] = Rc::new(codes);
        }
        Ok(())
    }

    /// The groups of `position`: what was found for a class stands once under each of its members.
    fn put_together(
        &self,
        base: &Scanned,
        candidates: &Candidates,
        stays: &[bool],
        position: &[KeyId],
        by_days: Option<(&Vec<u32>, usize)>,
    ) -> Result<Scanned, EngineError> {
        let mut sizes: Vec<usize> =
            position.iter().map(|k| Ok(self.members(*k)?.codes())).collect::<Result<_, EngineError>>()?;
        sizes.extend(by_days.map(|(_, size)| size));
        let columns: Vec<&Codes> =
            position.iter().map(|key| candidates.codes_of(*key)).collect::<Result<_, _>>()?;
        let mut listing = Listing::new(GroupIndex::new(sizes, candidates.of.len())?);
        // The first target of each group, the second, and so on.
        let mut rounds: Vec<Vec<u32>> = vec![vec![NO_GROUP; base.groups]];
        let (mut of_group, mut last) = (Vec::new(), NO_GROUP);
        for at in (0..candidates.of.len()).filter(|at| stays[*at]) {
            let group = candidates.of[at];
            if group != last {
                of_group.clear();
                last = group;
            }
            let day = by_days.map_or(0, |(codes, _)| codes[group as usize]);
            let target = listing.number(|key| columns.get(key).map_or(day, |codes| codes[at]));
            if of_group.contains(&target) {
                continue;
            }
            if rounds.len() == of_group.len() {
                rounds.push(vec![NO_GROUP; base.groups]);
            }
            rounds[of_group.len()][group as usize] = target;
            of_group.push(target);
        }
        let groups = listing.len();
        let mut accumulators = regrouped(&base.accumulators, &rounds[0], groups)?;
        for map in &rounds[1..] {
            for (all, own) in accumulators.iter_mut().zip(&base.accumulators) {
                all.merge(own, map)?;
            }
        }
        Ok(Scanned { codes: listing.unpack(), groups, accumulators })
    }

    /// The classes of the rows of a scan by some keys of a bridge.
    fn classes(&self, bridge: &Bridged, ids: &[KeyId]) -> Result<Classes, EngineError> {
        let known = |id: &KeyId| bridge.keys.iter().find(|k| k.key == *id);
        let keys: Vec<Key> = ids
            .iter()
            .filter_map(known)
            .map(|k| self.key(k.key, bridge.table, &k.expr))
            .collect::<Result<_, _>>()?;
        let mut listing = Listing::new(self.group_index(ids, self.star.rows(bridge.table))?);
        let members: Vec<Arc<Members>> =
            ids.iter().map(|id| self.members(*id).cloned()).collect::<Result<_, _>>()?;
        let mut of_target = self.met(
            bridge,
            |row, listing: &mut Listing| listing.number(|at| keys[at].code(row)),
            &mut listing,
        )?;
        let nothing_holds = holds_for_nothing(bridge)?;
        let mut without = |code: &dyn Fn(&Members) -> u32| -> Vec<u32> {
            if nothing_holds { vec![listing.number(|at| code(&members[at]))] } else { Vec::new() }
        };
        let (none, unknown) = (without(&Members::none), without(&Members::unknown));
        let mut classes = ClassNumbers::default();
        classes.number(Vec::new());
        let own: Vec<u32> = of_target
            .iter_mut()
            .map(|met| match met.take() {
                Some(mut met) => {
                    met.sort_unstable();
                    met.dedup();
                    classes.number(met)
                }
                None => classes.number(none.clone()),
            })
            .collect();
        let (none, unknown) = (classes.number(none), classes.number(unknown));
        let combinations = classes.all;
        let key = self.carried(&bridge.path, own, [none, unknown], combinations.len())?;
        Ok(Classes { key, ids: ids.to_vec(), combinations, codes: listing.unpack() })
    }

    /// Per row that a bridge leads to what its rows give that meet all conditions; nothing at all where it has no row.
    #[allow(clippy::type_complexity)] // Per row perhaps some numbers.
    fn met(
        &self,
        bridge: &Bridged,
        number: impl Fn(usize, &mut Listing) -> u32,
        listing: &mut Listing,
    ) -> Result<Vec<Option<Vec<u32>>>, EngineError> {
        let targets = self.star.rows(self.star.schema().link_target(bridge.link));
        let mut of_target: Vec<Option<Vec<u32>>> = vec![None; targets];
        let links = self.star.link_rows(bridge.link)?;
        let rows = self.star.rows(bridge.table);
        for target in (0..rows).map(|row| links.get(row)).filter(|target| *target < targets) {
            of_target[target].get_or_insert_with(Vec::new);
        }
        let scope = Scope::default();
        let preparer =
            Preparer { evaluator: self, table: bridge.table, scope: &scope, within_growing: false };
        let chosen = choose(&preparer.all(&bridge.filter)?, Rows::Range(0, rows))?;
        let chosen = chosen.unwrap_or_else(|| RowId::all(rows, |_| true));
        for row in chosen {
            let target = links.get(row.index());
            if target < targets {
                let number = number(row.index(), listing);
                of_target[target].get_or_insert_with(Vec::new).push(number);
            }
        }
        Ok(of_target)
    }

    /// A key over the rows that are read, from the classes of the rows that `path` leads to, and those of rows without a key, or with one that
    /// no row has.
    fn carried(
        &self,
        path: &[LinkId],
        mut classes: Vec<u32>,
        [none, unknown]: [u32; 2],
        count: usize,
    ) -> Result<Key, EngineError> {
        let values = (0..count as i64).map(Scalar::Integer).collect();
        let members = Arc::new(Members::of(values));
        let Some((first, further)) = path.split_first() else {
            return Ok(Key { numbers: Arc::new(SmallInts::new(classes, count)), map: None, members });
        };
        for link in further.iter().rev() {
            classes.extend([none, unknown]);
            let numbers = self.star.link_rows(*link)?;
            classes = (0..numbers.len()).map(|row| classes[numbers.get(row)]).collect();
        }
        classes.extend([none, unknown]);
        Ok(Key::mapped(self.star.link_rows(*first)?.clone(), classes, members))
    }

    /// The class of each row of a table by conditions on a bridge alone: [`NO_CLASS`] where they do not hold.
    pub(crate) fn meets(&self, bridge: &Bridged) -> Result<Key, EngineError> {
        Ok(self.classes(bridge, &[])?.key)
    }
}

fn lost_key() -> EngineError {
    EngineError::Internal("a choice without its key".to_owned())
}

/// Sets of combinations, numbered.
#[derive(Default)]
struct ClassNumbers {
    of: HashMap<Vec<u32>, u32, FixedState>,
    all: Vec<Vec<u32>>,
}

impl ClassNumbers {
    fn number(&mut self, combinations: Vec<u32>) -> u32 {
        let next = narrow(self.all.len());
        *self.of.entry(combinations).or_insert_with_key(|combinations| {
            self.all.push(combinations.clone());
            next
        })
    }
}

/// Whether the conditions on a bridge hold for a row that has no row of it.
fn holds_for_nothing(bridge: &Bridged) -> Result<bool, EngineError> {
    for condition in &bridge.filter {
        if scalar(condition, &mut |_| Scalar::Null)?.physical() != Some(1) {
            return Ok(false);
        }
    }
    Ok(true)
}

/// Each group under each combination of its classes.
fn candidates(base: &Scanned, own: &[KeyId], classes: &[Classes]) -> Candidates {
    let mut of: Vec<u32> = Vec::new();
    let mut taken: Vec<Vec<u32>> = vec![Vec::new(); classes.len()];
    for group in 0..base.groups {
        let sets: Vec<&Vec<u32>> = classes
            .iter()
            .enumerate()
            .map(|(at, c)| &c.combinations[base.codes[own.len() + at][group] as usize])
            .collect();
        let count: usize = sets.iter().map(|set| set.len()).product();
        for number in 0..count {
            of.push(narrow(group));
            let mut rest = number;
            for (taken, set) in taken.iter_mut().zip(&sets) {
                taken.push(set[rest % set.len()]);
                rest /= set.len();
            }
        }
    }
    let mut keys = own.to_vec();
    let of_group = |codes: &Vec<u32>| Rc::new(of.iter().map(|g| codes[*g as usize]).collect::<Vec<u32>>());
    let mut codes: Vec<Codes> = base.codes[..own.len()].iter().map(of_group).collect();
    for (class, taken) in classes.iter().zip(&taken) {
        keys.extend(&class.ids);
        let code = |of: &Vec<u32>| Rc::new(taken.iter().map(|c| of[*c as usize]).collect::<Vec<u32>>());
        codes.extend(class.codes.iter().map(code));
    }
    Candidates { of, keys, codes }
}

/// Groups of the same keys, none of which both have.
fn side_by_side(mut all: Scanned, more: &Scanned) -> Result<Scanned, EngineError> {
    let start = all.groups;
    for (codes, own) in all.codes.iter_mut().zip(&more.codes) {
        codes.extend(own);
    }
    all.groups += more.groups;
    let map: Vec<u32> = (0..more.groups).map(|group| narrow(start + group)).collect();
    for (all_of, own) in all.accumulators.iter_mut().zip(&more.accumulators) {
        all_of.resize(all.groups);
        all_of.merge(own, &map)?;
    }
    Ok(all)
}
