//! Computed columns, measures and derived tables: each is resolved after those that it names.

use super::Resolver;
use crate::declarations::Declared;
use crate::messages;
use std::collections::BTreeSet;
use vembra_plan::TableId;
use vembra_syntax::SyntaxNode;
use vembra_syntax::ast::{self, View};

/// What an item is.
#[derive(Clone, Copy)]
pub(super) enum ItemKind<'d> {
    Column(&'d Declared<ast::ColumnDecl>),
    Measure(usize, &'d Declared<ast::MeasureDecl>),
    Derived(&'d Declared<ast::DerivedDecl>),
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
}

impl<'d> Item<'d> {
    pub(super) fn new(kind: ItemKind<'d>, name: String, table: Option<TableId>, node: &SyntaxNode) -> Self {
        let refs = node.descendants().filter_map(ast::NameRef::cast);
        let names = refs.filter_map(|r| Some((r.qualifier().map(|q| q.name()), r.name()?.name()))).collect();
        let words = node.descendants().filter_map(ast::Name::cast).map(|n| n.name()).collect();
        Self { kind, name, table, names, words }
    }

    fn place(&self) -> vembra_syntax::Place {
        match self.kind {
            ItemKind::Column(declared) => declared.place(),
            ItemKind::Measure(_, declared) => declared.place(),
            ItemKind::Derived(declared) => declared.place(),
        }
    }
}

impl Resolver<'_> {
    /// Resolves all, and links that start from them as soon as they are there. Gives back the links that are left.
    pub(super) fn items(&mut self, mut pending_links: Vec<usize>) -> Vec<usize> {
        let declarations = self.declarations;
        let mut items = self.column_items(declarations);
        items.extend(self.measure_items(declarations));
        items.extend(self.derived_items(declarations));
        let measures: Vec<String> = self.model.measures.iter().map(|m| m.name.clone()).collect();
        let needs: Vec<Vec<usize>> = items.iter().map(|item| self.needed(item, &items)).collect();
        let mut done = vec![false; items.len()];
        while let Some(at) = (0..items.len()).find(|at| !done[*at] && needs[*at].iter().all(|n| done[*n])) {
            done[at] = true;
            let item = &items[at];
            match (item.kind, item.table) {
                (ItemKind::Column(declared), Some(table)) => {
                    self.computed_column(declared, table, &item.name, &measures);
                }
                (ItemKind::Measure(number, declared), _) => self.measure(number, declared, &measures),
                (ItemKind::Derived(declared), Some(table)) => self.derived(declared, table, &measures),
                _ => {}
            }
            let before = pending_links.len();
            if before > 0 && !matches!(item.kind, ItemKind::Measure(..)) {
                pending_links = self.links(pending_links, false);
                if pending_links.len() < before {
                    self.same_things();
                }
            }
        }
        let left: Vec<&Item<'_>> = items.iter().zip(&done).filter(|(_, d)| !**d).map(|(i, _)| i).collect();
        if let Some(first) = left.first() {
            let names: Vec<String> = left.iter().map(|i| i.name.clone()).collect();
            self.diagnostics.push(messages::ring(first.place(), &names));
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

    /// The numbers of the items that one names.
    fn needed(&self, item: &Item<'_>, all: &[Item<'_>]) -> Vec<usize> {
        let needs = |other: &Item<'_>| match other.kind {
            ItemKind::Derived(_) => item.words.contains(&other.name),
            ItemKind::Measure(..) => {
                item.names.iter().any(|(q, n)| q.is_none() && *n == other.name && !self.is_own(item, n))
            }
            ItemKind::Column(_) => {
                let by_name = item.names.iter().any(|(qualifier, name)| {
                    *name == other.name
                        && match qualifier {
                            None => item.table == other.table || !self.is_own(item, name),
                            Some(q) => self.model.find_table(q).is_none_or(|t| Some(t) == other.table),
                        }
                });
                by_name || self.roles_from(other).iter().any(|role| item.words.contains(role))
            }
        };
        let itself = |at: &usize| std::ptr::eq(&raw const all[*at], item);
        (0..all.len())
            .filter(|at| if itself(at) { self.names_itself(item) } else { needs(&all[*at]) })
            .collect()
    }

    /// Whether a name is a column that the item's table has from outside.
    fn is_own(&self, item: &Item<'_>, name: &str) -> bool {
        item.table.and_then(|t| self.model.find_column(t, name)).is_some()
    }

    fn names_itself(&self, item: &Item<'_>) -> bool {
        match item.kind {
            ItemKind::Measure(..) => item.names.iter().any(|(q, n)| q.is_none() && *n == item.name),
            ItemKind::Column(_) => item.names.iter().any(|(q, n)| {
                *n == item.name && q.as_ref().is_none_or(|q| self.model.find_table(q) == item.table)
            }),
            ItemKind::Derived(_) => item.words.contains(&item.name),
        }
    }

    /// The roles of links that start from a computed column.
    fn roles_from(&self, item: &Item<'_>) -> Vec<String> {
        let from = |link: &&Declared<ast::LinkDecl>| {
            link.node.from().iter().any(|f| {
                f.name().is_some_and(|n| n.name() == item.name)
                    && f.qualifier().and_then(|q| self.model.find_table(&q.name())) == item.table
            })
        };
        self.declarations.links.iter().filter(from).filter_map(|l| l.node.role()).map(|r| r.name()).collect()
    }
}
