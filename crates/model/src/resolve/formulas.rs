//! Computed columns and measures, each after those that it names.

use super::Resolver;
use crate::bind::Binder;
use crate::bound::{Bound, BoundKind, Grain};
use crate::declarations::{Declared, type_from_name};
use crate::lower;
use crate::messages;
use crate::model::Measure;
use std::collections::BTreeMap;
use vembra_plan::{ColumnId, Function, Scalar, TableId, Type};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Diagnostic, Place};

/// A computed column or measure that waits for those that it names.
struct Pending<'a, V> {
    declared: &'a Declared<V>,
    name: String,
    table: Option<TableId>,
    /// What it names: the qualifier, if any, and the name.
    names: Vec<(Option<String>, String)>,
}

impl Resolver<'_> {
    pub(super) fn columns(&mut self) {
        let declarations = self.declarations;
        let mut pending = Vec::new();
        let mut places: BTreeMap<(TableId, String), Place> = BTreeMap::new();
        for declared in &declarations.columns {
            let Some(target) = declared.node.target() else { continue };
            let place = target.place(declared.source);
            let (Some(qualifier), Some(name)) = (target.qualifier(), target.name()) else {
                self.diagnostics.push(messages::column_needs_table(place, &target.text()));
                continue;
            };
            let Some(table) = self.table_of(&qualifier.name(), place) else { continue };
            let name = name.name();
            if let Some(first) = places.insert((table, name.clone()), place) {
                self.diagnostics.push(messages::declared_twice(place, first, &target.text()));
                continue;
            }
            match (declared.node.formula(), self.model.find_column(table, &name)) {
                (Some(_), Some(_)) => {
                    self.diagnostics.push(messages::name_taken(place, &name, "a column of the table"));
                }
                (Some(formula), None) => {
                    pending.push(Pending { declared, name, table: Some(table), names: names_in(&formula) });
                }
                (None, Some(column)) => self.describe_column(declared, column),
                (None, None) if self.model.schema.table(table).columns.is_empty() => {}
                (None, None) => self.unknown_described(table, &name, &target.text(), place),
            }
        }
        self.computed_columns(pending);
    }

    fn unknown_described(&mut self, table: TableId, name: &str, written: &str, place: Place) {
        let columns = &self.model.schema.table(table).columns;
        let known = columns.iter().map(|c| self.model.schema.column(*c).name.as_str());
        let message = match vembra_syntax::nearest(name, known) {
            Some(near) => {
                let table = &self.model.schema.table(table).name;
                messages::unknown_column(place, table, name, Some(near), &[])
            }
            None => messages::nothing_said(place, written),
        };
        self.diagnostics.push(message);
    }

    fn computed_columns(&mut self, mut pending: Vec<Pending<'_, ast::ColumnDecl>>) {
        while !pending.is_empty() {
            let waits: Vec<bool> = pending.iter().map(|p| pending.iter().any(|o| self.waits(p, o))).collect();
            let ready = waits.iter().position(|w| !w);
            let Some(at) = ready else {
                let names: Vec<String> = pending.iter().map(|p| p.name.clone()).collect();
                self.diagnostics.push(messages::ring(pending[0].declared.place(), &names));
                // They count as known from here on: what names them is not at fault.
                for p in pending {
                    if let Some(table) = p.table {
                        self.add_column(table, &p.name, Type::Null);
                    }
                }
                return;
            };
            let next = pending.remove(at);
            self.computed_column(&next);
        }
    }

    /// Whether a column names another one that is still to come.
    fn waits<V>(&self, this: &Pending<'_, V>, other: &Pending<'_, V>) -> bool {
        this.names.iter().any(|(qualifier, name)| {
            let own = this.table.and_then(|t| self.model.find_column(t, name)).is_some();
            *name == other.name
                && match qualifier {
                    None => this.table == other.table || !own,
                    Some(q) => self.model.find_table(q).is_none_or(|t| Some(t) == other.table),
                }
        })
    }

    fn binder<'b>(
        &'b self,
        source: vembra_syntax::SourceId,
        measures: &'b [String],
        prefer: Option<TableId>,
        diagnostics: &'b mut Vec<Diagnostic>,
    ) -> Binder<'b> {
        Binder {
            model: &self.model,
            sources: &self.model.sources,
            measures,
            source,
            prefer,
            rows: false,
            diagnostics,
        }
    }

    fn computed_column(&mut self, pending: &Pending<'_, ast::ColumnDecl>) {
        let (declared, Some(table)) = (pending.declared, pending.table) else { return };
        let mut diagnostics = Vec::new();
        let bound = {
            let mut binder = self.binder(declared.source, &[], Some(table), &mut diagnostics);
            declared
                .node
                .formula()
                .and_then(|f| binder.expr(&f))
                .and_then(|b| labelled(&mut binder, declared, b))
        };
        self.diagnostics.extend(diagnostics);
        let bound = bound.filter(|b| {
            let cell = self.model.grain(b) == Grain::Cell;
            if cell {
                let mut unused = Vec::new();
                let message = self.binder(declared.source, &[], None, &mut unused).cell_in_row(b);
                self.diagnostics.push(message);
            }
            !cell
        });
        let Some(bound) = bound.map(|b| with_type(declared, b)) else {
            self.add_column(table, &pending.name, Type::Null);
            return;
        };
        let mut lowering = lower::Lowering::new(&self.model, &self.model.sources);
        let formula = lowering.column_formula(&bound, table);
        let found = lowering.diagnostics;
        self.diagnostics.extend(found);
        let column = self.add_column(table, &pending.name, bound.ty);
        self.model.schema.columns[column.index()].formula = formula;
        let key = self.model.schema.table(table).key.clone();
        if let [key] = key.as_slice() {
            self.model.determined.push((*key, column));
        }
        let order = self.model.order_of(&bound);
        self.describe_column(declared, column);
        let info = self.model.columns.entry(column).or_default();
        info.text = declared.node.formula().map(|f| f.text());
        if info.order.is_empty() {
            info.order = order;
        }
    }

    /// Label, format, description and order.
    fn describe_column(&mut self, declared: &Declared<ast::ColumnDecl>, column: ColumnId) {
        let mut info = self.model.columns.get(&column).cloned().unwrap_or_default();
        let common = Common::read(&declared.node);
        (info.label, info.format, info.about) = (common.label, common.format, common.about);
        if let Some(order) = ast::property::<ast::OrderProp>(&declared.node) {
            info.order = self.order(declared, &order, self.model.schema.column(column).ty);
        }
        let labels = ast::property::<ast::LabelsProp>(&declared.node);
        if let Some(labels) = labels.filter(|_| declared.node.formula().is_none()) {
            let message = messages::bad_property(
                labels.place(declared.source),
                "labels stand with a formula",
                "name a column of its own: column TABLE.NAME = OTHER labels …",
            );
            self.diagnostics.push(message);
        }
        self.model.columns.insert(column, info);
    }

    fn order(
        &mut self,
        declared: &Declared<ast::ColumnDecl>,
        order: &ast::OrderProp,
        ty: Type,
    ) -> Vec<Scalar> {
        let mut diagnostics = Vec::new();
        let mut members = Vec::new();
        for member in order.members() {
            let mut binder = self.binder(declared.source, &[], None, &mut diagnostics);
            let bound = binder.expr(&member).and_then(|b| binder.fitted(b, ty));
            match bound.map(|b| b.kind) {
                Some(BoundKind::Literal(value)) => members.push(value),
                Some(_) => diagnostics.push(messages::bad_property(
                    member.place(declared.source),
                    "an order lists fixed values",
                    "write for example: order 'Club', 'Farm', 'Shop'",
                )),
                None => {}
            }
        }
        self.diagnostics.extend(diagnostics);
        members
    }

    /// A ring that goes through links which start from computed columns.
    pub(super) fn column_rings(&mut self) {
        let schema = &self.model.schema;
        let needs = |column: ColumnId| {
            let mut needed = Vec::new();
            if let Some(formula) = &schema.column(column).formula {
                formula.leaves(&mut |leaf| {
                    needed.push(leaf.column);
                    needed.extend(leaf.path.iter().flat_map(|l| schema.link(*l).from.clone()));
                });
            }
            needed
        };
        for start in (0..schema.columns.len() as u32).map(ColumnId) {
            let mut seen = needs(start);
            let mut at = 0;
            while at < seen.len() {
                let more: Vec<ColumnId> = needs(seen[at]).into_iter().filter(|c| !seen.contains(c)).collect();
                seen.extend(more);
                at += 1;
            }
            if seen.contains(&start) {
                let name = &schema.column(start).name;
                let declared = self
                    .declarations
                    .columns
                    .iter()
                    .find(|c| c.node.target().and_then(|t| t.name()).is_some_and(|n| n.name() == *name));
                if let Some(declared) = declared {
                    self.diagnostics.push(messages::ring(declared.place(), &[schema.qualified(start)]));
                    return;
                }
            }
        }
    }

    pub(super) fn measures(&mut self) {
        let declarations = self.declarations;
        let mut names: Vec<String> = Vec::new();
        let mut pending: Vec<Pending<'_, ast::MeasureDecl>> = Vec::new();
        for declared in &declarations.measures {
            let Some(name) = declared.node.name() else { continue };
            let (text, place) = (name.name(), name.place(declared.source));
            if let Some(first) = pending.iter().find(|p| p.name == text) {
                let what = format!("the measure {text}");
                self.diagnostics.push(messages::declared_twice(place, first.declared.place(), &what));
                continue;
            }
            let column = self.model.schema.columns.iter().position(|c| c.name == text);
            if let Some(column) = column {
                let by = format!("the column {}", self.model.schema.qualified(ColumnId(column as u32)));
                self.diagnostics.push(messages::name_taken(place, &text, &by));
            }
            names.push(text.clone());
            let formula = declared.node.formula();
            pending.push(Pending {
                declared,
                name: text,
                table: None,
                names: formula.as_ref().map(names_in).unwrap_or_default(),
            });
        }
        for declared in &pending {
            let node = &declared.declared.node;
            let unknown = Bound::literal(Scalar::Null, declared.declared.place());
            let common = Common::read(node);
            self.model.measures.push(Measure {
                name: declared.name.clone(),
                formula: unknown,
                text: node.formula().map(|f| f.text()).unwrap_or_default(),
                label: common.label,
                format: common.format,
                about: common.about,
                place: declared.declared.place(),
            });
            if let Some(later) = ast::property::<ast::LaterProp>(node) {
                let place = later.place(declared.declared.source);
                self.diagnostics.push(messages::not_built(place, &format!("{} = …", later.word())));
            }
        }
        self.bind_measures(&names, pending.into_iter().enumerate().collect());
    }

    fn bind_measures(&mut self, names: &[String], mut pending: Vec<(usize, Pending<'_, ast::MeasureDecl>)>) {
        while !pending.is_empty() {
            let waits = |p: &Pending<'_, ast::MeasureDecl>| {
                p.names.iter().any(|(q, n)| q.is_none() && pending.iter().any(|(_, o)| o.name == *n))
            };
            let Some(at) = pending.iter().position(|(_, p)| !waits(p)) else {
                let ring: Vec<String> = pending.iter().map(|(_, p)| p.name.clone()).collect();
                self.diagnostics.push(messages::ring(pending[0].1.declared.place(), &ring));
                return;
            };
            let (number, next) = pending.remove(at);
            let mut diagnostics = Vec::new();
            let mut binder = self.binder(next.declared.source, names, None, &mut diagnostics);
            let bound = next.declared.node.formula().and_then(|f| binder.expr(&f));
            let bound = bound.and_then(|b| match binder.model.grain(&b) {
                Grain::Row(_) => {
                    let message = binder.row_in_cell(&b);
                    binder.fail(message)
                }
                _ => Some(b),
            });
            self.diagnostics.extend(diagnostics);
            if let Some(bound) = bound {
                let format = self.model.measures[number].format.take();
                let inherited = format.or_else(|| lower::format_of(&self.model, &bound));
                self.model.measures[number].format = inherited;
                self.model.measures[number].formula = bound;
            }
        }
    }
}

/// Turns a formula into the texts that `labels` gives for its values.
fn labelled(binder: &mut Binder<'_>, declared: &Declared<ast::ColumnDecl>, bound: Bound) -> Option<Bound> {
    let Some(labels) = ast::property::<ast::LabelsProp>(&declared.node) else { return Some(bound) };
    let place = labels.place(declared.source);
    let mut args = Vec::new();
    for (value, shown) in labels.values().iter().zip(labels.shown()) {
        let value = binder.expr(value).and_then(|v| binder.fitted(v, bound.ty))?;
        args.push(binder.apply(Function::Equal, vec![bound.clone(), value], place)?);
        args.push(Bound::literal(Scalar::text(shown), place));
    }
    binder.apply(Function::Case, args, place)
}

/// Gives a formula the type that its declaration fixes.
fn with_type(declared: &Declared<ast::ColumnDecl>, bound: Bound) -> Bound {
    let name = declared.node.ty().and_then(|t| t.name());
    let Some(ty) = name.and_then(|n| type_from_name(&n.name())) else { return bound };
    let alike = matches!((ty, bound.ty), (Type::Decimal(_), Type::Decimal(_)));
    if ty == bound.ty || alike {
        return bound;
    }
    let place = bound.place;
    Bound { kind: BoundKind::Call(Function::Cast, vec![bound]), ty, place }
}

/// Properties that columns and measures share.
struct Common {
    label: Option<String>,
    format: Option<String>,
    about: Option<String>,
}

impl Common {
    fn read(node: &impl View) -> Self {
        Self {
            label: ast::property::<ast::LabelProp>(node).and_then(|p| p.text_value()),
            format: ast::property::<ast::FormatProp>(node).and_then(|p| p.text_value()),
            about: ast::property::<ast::AboutProp>(node).and_then(|p| p.text_value()),
        }
    }
}

/// The names in an expression.
fn names_in(expr: &Expr) -> Vec<(Option<String>, String)> {
    let refs = expr.node().descendants().filter_map(ast::NameRef::cast);
    refs.filter_map(|r| Some((r.qualifier().map(|q| q.name()), r.name()?.name()))).collect()
}
