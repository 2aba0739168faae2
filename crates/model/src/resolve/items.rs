//! Computed columns, measures and derived tables: each is resolved after those that it names.

use super::Resolver;
use crate::declarations::Declared;
use crate::messages;
use crate::model::WORKING_NUMBER;
use std::collections::{BTreeSet, HashMap};
use vembra_plan::TableId;
use vembra_syntax::SyntaxNode;
use vembra_syntax::ast::{self, View};

/// After how many mistakes formulas are not looked at any more: nobody reads on, and each takes time.
const MOST_MISTAKES: usize = 200;

/// What counts working days, or names their number.
const WORKING_WORDS: [&str; 3] = ["working_days", "working_day", WORKING_NUMBER];

/// What an item is.
#[derive(Clone, Copy)]
pub(super) enum ItemKind<'d> {
    Column(&'d Declared<ast::ColumnDecl>),
    Measure(usize, &'d Declared<ast::MeasureDecl>),
    Derived(&'d Declared<ast::DerivedDecl>),
    /// The working days of the calendar.
    Working(&'d Declared<ast::CalendarDecl>),
    /// A measure with arguments.
    Treatment(&'d Declared<ast::MeasureDecl>),
}

/// Something that waits for what it names.
pub(super) struct Item<'d> {
    kind: ItemKind<'d>,
    name: String,
    table: Option<TableId>,
    /// What it names: the qualifier, if any, and the name.
    names: Vec<(Option<String>, String)>,
    /// All names in it, of tables and roles too.
    words: BTreeSet<String>,
    /// Those of them that are no columns, by where they stand.
    others: BTreeSet<String>,
}

impl<'d> Item<'d> {
    pub(super) fn new(kind: ItemKind<'d>, name: String, table: Option<TableId>, node: &SyntaxNode) -> Self {
        let refs = node.descendants().filter_map(ast::NameRef::cast);
        let names = refs.filter_map(|r| Some((r.qualifier().map(|q| q.name()), r.name()?.name()))).collect();
        let words = node.descendants().filter_map(ast::Name::cast).map(|n| n.name()).collect();
        let is_column = |name: &ast::Name| {
            let of = name.node().parent().and_then(ast::NameRef::cast).and_then(|r| r.name());
            of.is_some_and(|own| own.node() == name.node())
        };
        let others = node.descendants().filter_map(ast::Name::cast).filter(|name| !is_column(name));
        let others = others.map(|name| name.name()).collect();
        Self { kind, name, table, names, words, others }
    }

    fn span(&self) -> vembra_syntax::Span {
        match self.kind {
            ItemKind::Column(declared) => declared.span(),
            ItemKind::Working(declared) => declared.span(),
            ItemKind::Measure(_, declared) => declared.span(),
            ItemKind::Derived(declared) => declared.span(),
            ItemKind::Treatment(declared) => declared.span(),
        }
    }
}

/// One ring among what is left: what is not done needs something else that is not done, and so on until one comes again.
fn a_ring(needs: &[Vec<usize>], done: &[bool]) -> Vec<usize> {
    let Some(mut at) = (0..needs.len()).find(|at| !done[*at]) else { return Vec::new() };
    let mut walked: Vec<usize> = Vec::new();
    let mut span = vec![None; needs.len()];
    loop {
        if let Some(first) = span[at] {
            let mut ring: Vec<usize> = walked.split_off(first);
            ring.sort_unstable();
            return ring;
        }
        span[at] = Some(walked.len());
        walked.push(at);
        match needs[at].iter().find(|n| !done[**n]) {
            Some(next) => at = *next,
            None => return vec![at],
        }
    }
}

/// Which items need none that needs itself.
fn without_rings(needed: &[Vec<usize>]) -> Vec<bool> {
    let mut sound = vec![false; needed.len()];
    loop {
        let more: Vec<usize> =
            (0..needed.len()).filter(|at| !sound[*at] && needed[*at].iter().all(|n| sound[*n])).collect();
        if more.is_empty() {
            return sound;
        }
        more.into_iter().for_each(|at| sound[at] = true);
    }
}

/// Which items one needs, directly or not; itself too.
fn all_needed(needed: &[Vec<usize>], item: usize) -> Vec<bool> {
    let mut all = vec![false; needed.len()];
    let mut open = vec![item];
    while let Some(at) = open.pop() {
        if !std::mem::replace(&mut all[at], true) {
            open.extend(&needed[at]);
        }
    }
    all
}

impl Resolver<'_> {
    /// Resolves all, and links that start from them as soon as they are there. Gives back the links that are left.
    pub(super) fn items(&mut self, mut pending_links: Vec<usize>) -> Vec<usize> {
        let declarations = self.declarations;
        let mut items = self.column_items(declarations);
        items.extend(self.working_item(declarations));
        items.extend(self.measure_items(declarations));
        items.extend(self.treatment_items(declarations));
        items.extend(self.derived_items(declarations));
        let needs = self.needs(&items);
        // Ready ones are taken in their order, so that messages do not depend on chance.
        let mut open: Vec<usize> = needs.iter().map(Vec::len).collect();
        let mut waiting: Vec<Vec<usize>> = vec![Vec::new(); items.len()];
        for (at, needed) in needs.iter().enumerate() {
            needed.iter().for_each(|n| waiting[*n].push(at));
        }
        let mut ready: BTreeSet<usize> = (0..items.len()).filter(|at| open[*at] == 0).collect();
        let mut done = vec![false; items.len()];
        while let Some(at) = ready.pop_first() {
            done[at] = true;
            for next in &waiting[at] {
                open[*next] -= 1;
                if open[*next] == 0 {
                    ready.insert(*next);
                }
            }
            if self.diagnostics.len() > MOST_MISTAKES {
                continue;
            }
            let item = &items[at];
            match (item.kind, item.table) {
                (ItemKind::Column(declared), Some(table)) => {
                    self.computed_column(declared, table, &item.name);
                }
                (ItemKind::Working(declared), Some(table)) => self.working_days(declared, table),
                (ItemKind::Measure(number, declared), _) => self.measure(number, declared),
                (ItemKind::Derived(declared), Some(table)) => self.derived(declared, table),
                _ => {}
            }
            let before = pending_links.len();
            if before > 0 && !matches!(item.kind, ItemKind::Measure(..) | ItemKind::Treatment(_)) {
                pending_links = self.links(pending_links, false);
                if pending_links.len() < before {
                    self.same_things();
                }
            }
        }
        let left: Vec<&Item<'_>> = items.iter().zip(&done).filter(|(_, d)| !**d).map(|(i, _)| i).collect();
        let ring = a_ring(&needs, &done);
        if let Some(first) = ring.first() {
            let names: Vec<String> = ring.iter().map(|at| items[*at].name.clone()).collect();
            self.diagnostics.push(messages::ring(items[*first].span(), &names));
            // They count as known from here on: what names them is not at fault.
            let columns: Vec<(TableId, String)> = left
                .iter()
                .filter(|i| matches!(i.kind, ItemKind::Column(_)))
                .filter_map(|i| Some((i.table?, i.name.clone())))
                .collect();
            for (table, name) in columns {
                self.add_column(table, &name, vembra_plan::Type::Null);
            }
        }
        pending_links
    }

    /// Per item the numbers of those that it names.
    fn needs(&self, items: &[Item<'_>]) -> Vec<Vec<usize>> {
        let mut called: HashMap<&str, Vec<usize>> = HashMap::new();
        for (at, item) in items.iter().enumerate() {
            called.entry(&item.name).or_default().push(at);
        }
        let working = items.iter().position(|i| matches!(i.kind, ItemKind::Working(_)));
        let reached_by = self.columns_by_role(items, &called);
        let needs = |(at, item): (usize, &Item<'_>)| {
            let by_name = item.names.iter().filter_map(|(_, name)| called.get(name.as_str()));
            let by_word = item.words.iter().filter_map(|word| called.get(word.as_str()));
            let named: BTreeSet<usize> = by_name.chain(by_word).flatten().copied().collect();
            let mut needed: BTreeSet<usize> =
                named.into_iter().filter(|n| *n != at && self.is_named(item, &items[*n])).collect();
            let by_role = item.words.iter().filter_map(|word| reached_by.get(word));
            needed.extend(by_role.flatten().filter(|n| **n != at));
            // A column of a derived table sees the columns that this is made with.
            let is_home =
                |n: &usize| matches!(items[*n].kind, ItemKind::Derived(_)) && items[*n].table == item.table;
            if matches!(item.kind, ItemKind::Column(_)) {
                needed.extend((0..items.len()).filter(is_home));
            }
            let counts = |word: &String| WORKING_WORDS.contains(&word.as_str());
            if item.words.iter().any(counts) {
                needed.extend(working.filter(|working| *working != at));
            }
            if self.names_itself(item) {
                needed.insert(at);
            }
            needed.into_iter().collect()
        };
        let mut needed: Vec<Vec<usize>> = items.iter().enumerate().map(needs).collect();
        self.wait_for_derived(items, &mut needed);
        needed
    }

    /// What looks along links may look along one that leads to a derived table: it waits for those tables that do not need it themselves, nor
    /// are needed by one that comes before them. So none waits for itself.
    fn wait_for_derived(&self, items: &[Item<'_>], needed: &mut [Vec<usize>]) {
        let targets: Vec<TableId> = self
            .declarations
            .links
            .iter()
            .filter_map(|link| self.model.find_table(&link.node.to()?.name()))
            .collect();
        let is_led_to = |item: &Item<'_>| {
            matches!(item.kind, ItemKind::Derived(_)) && item.table.is_some_and(|t| targets.contains(&t))
        };
        if !items.iter().any(is_led_to) {
            return;
        }
        let sound = without_rings(needed);
        let mut tables: Vec<(usize, Vec<bool>)> = (0..items.len())
            .filter(|at| sound[*at] && is_led_to(&items[*at]))
            .map(|at| (at, all_needed(needed, at)))
            .collect();
        // One that needs another one comes after it.
        tables.sort_by_key(|(_, all)| all.iter().filter(|needed| **needed).count());
        let mut before = vec![false; items.len()];
        for (table, all) in tables {
            before.iter_mut().zip(&all).for_each(|(before, own)| *before |= own);
            for (at, item) in items.iter().enumerate().filter(|(at, _)| !before[*at]) {
                let waits =
                    !matches!(item.kind, ItemKind::Working(_) | ItemKind::Treatment(_)) && at != table;
                if waits && !needed[at].contains(&table) {
                    needed[at].push(table);
                }
            }
        }
    }

    /// Whether an item names another one of which the name stands in it.
    fn is_named(&self, item: &Item<'_>, other: &Item<'_>) -> bool {
        match other.kind {
            // A name alone is a table only where no column is called so.
            ItemKind::Derived(_) => {
                item.others.contains(&other.name)
                    || (item.words.contains(&other.name) && self.model.columns_called(&other.name).is_empty())
            }
            ItemKind::Treatment(_) => item.words.contains(&other.name),
            // A column of the same name is an error of its own; until it is fixed the column is what is meant.
            ItemKind::Measure(..) => {
                self.model.columns_called(&other.name).is_empty()
                    && item
                        .names
                        .iter()
                        .any(|(q, n)| q.is_none() && *n == other.name && !self.is_own(item, n))
            }
            ItemKind::Column(_) | ItemKind::Working(_) => item.names.iter().any(|(qualifier, name)| {
                *name == other.name
                    && match qualifier {
                        None => item.table == other.table || !self.is_own(item, name),
                        Some(q) => self.model.find_table(q).is_none_or(|t| Some(t) == other.table),
                    }
            }),
        }
    }

    /// Whether a name is a column that the item's table has from outside.
    fn is_own(&self, item: &Item<'_>, name: &str) -> bool {
        item.table.and_then(|t| self.model.find_column(t, name)).is_some()
    }

    fn names_itself(&self, item: &Item<'_>) -> bool {
        match item.kind {
            ItemKind::Measure(..) => {
                self.model.columns_called(&item.name).is_empty()
                    && item.names.iter().any(|(q, n)| q.is_none() && *n == item.name)
            }
            ItemKind::Column(_) | ItemKind::Working(_) => item.names.iter().any(|(q, n)| {
                *n == item.name && q.as_ref().is_none_or(|q| self.model.find_table(q) == item.table)
            }),
            ItemKind::Derived(_) => self.is_named(item, item),
            ItemKind::Treatment(_) => item.words.contains(&item.name),
        }
    }

    /// Per role the computed columns from which its links start.
    fn columns_by_role(
        &self,
        items: &[Item<'_>],
        called: &HashMap<&str, Vec<usize>>,
    ) -> HashMap<String, Vec<usize>> {
        let mut by_role: HashMap<String, Vec<usize>> = HashMap::new();
        for link in &self.declarations.links {
            let Some(role) = link.node.role() else { continue };
            for from in link.node.from() {
                let (Some(table), Some(name)) = (from.qualifier(), from.name()) else { continue };
                let table = self.model.find_table(&table.name());
                let named = called.get(name.name().as_str()).into_iter().flatten();
                let starts = named.filter(|at| {
                    matches!(items[**at].kind, ItemKind::Column(_)) && items[**at].table == table
                });
                by_role.entry(role.name()).or_default().extend(starts);
            }
        }
        by_role
    }
}
