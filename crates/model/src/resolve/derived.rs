//! Derived tables: made from queries, linked on as the columns that they carry.

use super::Resolver;
use super::items::{Item, ItemKind};
use crate::bind::Asker;
use crate::bound::{Bound, BoundKind};
use crate::declarations::Declared;
use crate::messages;
use crate::model::Derived;
use crate::properties::format_of;
use crate::query::{BoundQuery, Params};
use crate::scope::BindScope;
use vembra_plan::{ColumnId, LinkDef, TableId, TableKind, Type};
use vembra_syntax::ast::{self, View};

impl Resolver<'_> {
    /// Their names; their columns come with their queries.
    pub(super) fn derived_tables(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.derived {
            let Some(name) = declared.node.name() else { continue };
            let (text, span) = (name.name(), name.span(declared.source));
            if self.model.find_table(&text).is_some() || text == "calendar" {
                self.diagnostics.push(messages::name_taken(span, &text, "a table of the model"));
                continue;
            }
            self.add_table(&text, TableKind::Derived);
        }
    }

    pub(super) fn derived_items<'d>(&mut self, declarations: &'d crate::Declarations) -> Vec<Item<'d>> {
        let mut items = Vec::new();
        for declared in &declarations.derived {
            let Some(name) = declared.node.name().map(|n| n.name()) else { continue };
            let table = self.model.find_table(&name);
            let is_derived = |t: &TableId| self.model.schema.table(*t).kind == TableKind::Derived;
            let (Some(table), Some(query)) = (table.filter(is_derived), declared.node.query()) else {
                continue;
            };
            items.push(Item::new(ItemKind::Derived(declared), name, Some(table), &query));
        }
        items
    }

    pub(super) fn derived(&mut self, declared: &Declared<ast::DerivedDecl>, table: TableId) {
        let Some(root) = declared.node.query() else { return };
        let mut diagnostics = Vec::new();
        let query = {
            let binder = self.binder(declared.source, BindScope::FIGURE, &mut diagnostics);
            Asker::new(binder, &root, &Params::new()).query()
        };
        self.diagnostics.extend(diagnostics);
        let Some(query) = query else { return };
        if let Some(param) = self.param_in(&query) {
            let name = self.model.param(param.1).name.clone();
            self.diagnostics.push(messages::param_in_data(param.0, &name));
            return;
        }
        let columns: Vec<(String, Bound)> = match &query {
            BoundQuery::Summary(query) => {
                let axes = query.axes.iter().map(|a| (a.name.clone(), a.expr.clone()));
                axes.chain(query.shows.iter().map(|s| (s.name.clone(), s.expr.clone()))).collect()
            }
            BoundQuery::List(list) => list.columns.iter().map(|c| (c.name.clone(), c.expr.clone())).collect(),
        };
        let mut made: Vec<(ColumnId, Bound)> = Vec::new();
        for (name, bound) in columns {
            // `customer.code` becomes the column code.
            let short = name.rsplit('.').next().unwrap_or(&name).to_owned();
            let short =
                if self.model.find_column(table, &short).is_some() { name.replace('.', "_") } else { short };
            let column = self.add_column(table, &short, bound.ty);
            let (format, order) = (format_of(&self.model, &bound), self.model.order_of(&bound));
            let info = crate::model::ColumnInfo { format, order, ..Default::default() };
            self.model.columns.insert(column, info);
            made.push((column, bound));
        }
        let mut key = Vec::new();
        for name in declared.node.key() {
            key.extend(self.column_of(table, &name.name(), name.span(declared.source)));
        }
        if let [only] = key.as_slice() {
            let others = made.iter().map(|(c, _)| *c).filter(|c| c != only);
            self.model.determined.extend(others.map(|c| (*only, c)).collect::<Vec<_>>());
        }
        self.model.schema.tables[table.index()].key = key;
        for (column, bound) in &made {
            self.carried_links(*column, bound, declared);
        }
        self.same_things();
        let text = self.model.sources.slice(ast::place_of(&root, declared.source)).to_owned();
        self.model.derived.push(Derived { table, query, text, span: declared.span() });
    }

    /// A column that starts a link, or is the key that links reach, is linked on.
    fn carried_links(&mut self, column: ColumnId, bound: &Bound, declared: &Declared<ast::DerivedDecl>) {
        let BoundKind::Column(carried, role) = bound.kind else { return };
        let schema = &self.model.schema;
        let mut links: Vec<LinkDef> = schema
            .links
            .iter()
            .filter(|l| l.from == [carried])
            .map(|l| LinkDef { from: vec![column], bridge: false, ..l.clone() })
            .collect();
        let table = schema.column(carried).table;
        let key = schema.table(table).key.clone();
        let calendar = Some(table) == self.model.calendar;
        if key == [carried] || calendar && matches!(bound.ty, Type::Period(p) if p.is_unique()) {
            links.push(LinkDef {
                from: vec![column],
                to: vec![carried],
                role,
                default: false,
                coarse: key != [carried],
                bridge: false,
                as_of: None,
            });
        }
        for link in links {
            // One link without a role, or one of each role, leads to a table.
            let target = self.model.schema.column(link.to[0]).table;
            let own = self.model.schema.column(column).table;
            let clash = self.model.schema.links.iter().any(|l| {
                self.model.schema.column(l.from[0]).table == own
                    && self.model.schema.column(l.to[0]).table == target
                    && (l.role == link.role || link.role.is_none() || l.role.is_none())
            });
            // Where the model leads from that table here, it does not lead back.
            if !clash && !self.is_led_to(own, target) {
                self.model.schema.links.push(link);
                self.link_places.push(declared.span());
            }
        }
    }

    /// Whether the model links a table to a derived one.
    fn is_led_to(&self, derived: TableId, from: TableId) -> bool {
        let name = |t: TableId| self.model.schema.table(t).name.as_str();
        self.declarations.links.iter().any(|link| {
            let starts =
                link.node.from().iter().any(|f| f.qualifier().is_some_and(|q| q.name() == name(from)));
            starts && link.node.to().is_some_and(|to| to.name() == name(derived))
        })
    }

    /// A parameter in a query, also in the measures that it names.
    fn param_in(&self, query: &BoundQuery) -> Option<(vembra_syntax::Span, crate::ParamId)> {
        let mut roots: Vec<&Bound> = query.expressions();
        let (mut at, mut measures) = (0, Vec::new());
        while at < roots.len() {
            let root = roots[at];
            at += 1;
            let (mut found, mut more) = (None, Vec::new());
            root.walk(&mut |bound| match &bound.kind {
                BoundKind::Param(id) => found = Some((bound.span, *id)),
                BoundKind::Measure(id) if !measures.contains(id) => {
                    measures.push(*id);
                    more.push(&self.model.measure(*id).formula);
                }
                _ => {}
            });
            if found.is_some() {
                return found;
            }
            roots.extend(more);
        }
        None
    }
}
