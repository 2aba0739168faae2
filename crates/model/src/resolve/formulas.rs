//! Computed columns and measures, each after those that it names.

use super::Resolver;
use super::items::{Item, ItemKind};
use crate::bind::Binder;
use crate::bound::{Bound, BoundKind, Grain};
use crate::declarations::Declared;
use crate::ids::MeasureId;
use crate::lower;
use crate::messages;
use crate::model::{Known, Measure, MeasureVariant, WORKING, WORKING_NUMBER};
use crate::properties::{format_of, not_additive};
use crate::scope::BindScope;
use std::collections::BTreeMap;
use vembra_plan::{ColumnId, Formula, Function, Scalar, TableId, Type};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Code, Diagnostic, Span};

/// How many formulas may stand in one another: by brackets and operators, and by names of measures and columns.
const MOST_LEVELS: usize = 250;

impl Resolver<'_> {
    /// The computed columns; others are described where they are.
    pub(super) fn column_items<'d>(&mut self, declarations: &'d crate::Declarations) -> Vec<Item<'d>> {
        let mut items = Vec::new();
        let mut places: BTreeMap<(TableId, String), Span> = BTreeMap::new();
        for declared in &declarations.columns {
            let Some(target) = declared.node.target() else { continue };
            let span = target.span(declared.source);
            let (Some(qualifier), Some(name)) = (target.qualifier(), target.name()) else {
                self.diagnostics.push(messages::column_needs_table(span, &target.text()));
                continue;
            };
            let Some(table) = self.table_of(&qualifier.name(), span) else { continue };
            let name = name.name();
            if let Some(first) = places.insert((table, name.clone()), span) {
                self.diagnostics.push(messages::declared_twice(span, first, &target.text()));
                continue;
            }
            match (declared.node.formula(), self.model.find_column(table, &name)) {
                (Some(_), Some(_)) => {
                    self.diagnostics.push(messages::name_taken(span, &name, "a column of the table"));
                }
                (Some(formula), None) => {
                    items.push(Item::new(ItemKind::Column(declared), name, Some(table), formula.node()));
                }
                (None, Some(column)) => self.describe_column(declared, column),
                // The columns of a derived table are known later.
                (None, None) if self.is_derived(table) => self.later_descriptions.push(span),
                (None, None) if self.model.schema.table(table).columns.is_empty() => {}
                (None, None) => self.unknown_described(table, &name, &target.text(), span),
            }
        }
        items
    }

    fn is_derived(&self, table: TableId) -> bool {
        self.model.schema.table(table).kind == vembra_plan::TableKind::Derived
    }

    /// What is said of columns of derived tables.
    pub(super) fn describe_derived(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.columns {
            let Some(target) = declared.node.target() else { continue };
            let span = target.span(declared.source);
            if !self.later_descriptions.contains(&span) {
                continue;
            }
            let (Some(table), Some(name)) = (target.qualifier(), target.name()) else { continue };
            let Some(table) = self.model.find_table(&table.name()) else { continue };
            match self.model.find_column(table, &name.name()) {
                Some(column) => self.describe_column(declared, column),
                None => self.unknown_described(table, &name.name(), &target.text(), span),
            }
        }
    }

    fn unknown_described(&mut self, table: TableId, name: &str, written: &str, span: Span) {
        let columns = &self.model.schema.table(table).columns;
        let known = columns.iter().map(|c| self.model.schema.column(*c).name.as_str());
        let message = match vembra_syntax::nearest(name, known) {
            Some(near) => {
                let table = &self.model.schema.table(table).name;
                messages::unknown_column(span, table, name, Some(near), &[])
            }
            None => messages::nothing_said(span, written),
        };
        self.diagnostics.push(message);
    }

    pub(super) fn binder<'b>(
        &'b self,
        source: vembra_syntax::SourceId,
        scope: BindScope,
        diagnostics: &'b mut Vec<Diagnostic>,
    ) -> Binder<'b> {
        Binder::new(&self.model, &self.model.sources, source, scope, diagnostics)
    }

    pub(super) fn computed_column(
        &mut self,
        declared: &Declared<ast::ColumnDecl>,
        table: TableId,
        name: &str,
    ) {
        let mut diagnostics = Vec::new();
        let bound = {
            let mut binder = self.binder(declared.source, BindScope::column(table), &mut diagnostics);
            declared
                .node
                .formula()
                .and_then(|f| binder.expr(&f))
                .and_then(|b| labelled(&mut binder, declared, b))
        };
        self.diagnostics.extend(diagnostics);
        let bound = bound.filter(|b| {
            let bare = self.model.bare_figure(b).is_some();
            if bare {
                let mut unused = Vec::new();
                let message = self.binder(declared.source, BindScope::VALUE, &mut unused).cell_in_row(b);
                self.diagnostics.push(message);
            }
            !bare
        });
        let bound = bound.map(|b| with_type(declared, b));
        let depth = bound.as_ref().map_or(0, |b| self.model.depth(b));
        let Some(bound) = bound.filter(|_| !self.is_too_deep(depth, declared.span())) else {
            self.add_column(table, name, Type::Null);
            return;
        };
        let mut lowering = lower::Lowering::new(&self.model, &self.model.sources);
        let formula = lowering.column_formula(&bound, table);
        let found = lowering.diagnostics;
        self.diagnostics.extend(found);
        let column = self.add_column(table, name, bound.ty);
        self.model.schema.columns[column.index()].formula = formula;
        self.model.depths.insert(column, depth);
        let key = self.model.schema.table(table).key.clone();
        if let [key] = key.as_slice() {
            self.model.determined.push((*key, column));
        }
        let order = self.model.order_of(&bound);
        self.model.column_formulas.insert(column, bound);
        self.describe_column(declared, column);
        let info = self.model.columns.entry(column).or_default();
        info.text = declared.node.formula().map(|f| f.text());
        if info.order.is_empty() {
            info.order = order;
        }
    }

    /// The working days of the calendar, which wait for what their condition names.
    pub(super) fn working_item<'d>(&self, declarations: &'d crate::Declarations) -> Option<Item<'d>> {
        let declared = declarations.calendar.as_ref()?;
        let condition = declared.node.working()?;
        Some(Item::new(
            ItemKind::Working(declared),
            WORKING.to_owned(),
            self.model.calendar,
            condition.node(),
        ))
    }

    /// Two attributes: whether a day is a working day, and how many there are up to it.
    pub(super) fn working_days(&mut self, declared: &Declared<ast::CalendarDecl>, table: TableId) {
        let mut diagnostics = Vec::new();
        let condition = declared.node.working();
        let bound = {
            let mut binder = self.binder(declared.source, BindScope::column(table), &mut diagnostics);
            condition.as_ref().and_then(|c| binder.expr(c)).and_then(|b| binder.fitted(b, Type::Boolean))
        };
        self.diagnostics.extend(diagnostics);
        for name in [WORKING, WORKING_NUMBER] {
            if self.model.find_column(table, name).is_some() {
                let message = messages::name_taken(declared.span(), name, "a column of the calendar's file");
                self.diagnostics.push(message);
                return;
            }
        }
        let depth = bound.as_ref().map_or(0, |b| self.model.depth(b));
        let mut lowering = lower::Lowering::new(&self.model, &self.model.sources);
        let formula = bound.as_ref().and_then(|b| lowering.column_formula(b, table));
        let found = lowering.diagnostics;
        self.diagnostics.extend(found);
        let counted = formula.clone().map(|formula| Formula { counted: true, ..formula });
        let text = condition.map(|c| c.text());
        for (name, ty, formula, about) in [
            (WORKING, Type::Boolean, formula, "Whether the day is a working day."),
            (WORKING_NUMBER, Type::Integer, counted, "How many working days there are up to the day."),
        ] {
            let column = self.add_column(table, name, ty);
            self.model.schema.columns[column.index()].formula = formula;
            self.model.depths.insert(column, depth);
            if let [key] = self.model.schema.table(table).key.as_slice() {
                self.model.determined.push((*key, column));
            }
            self.model.column_formulas.extend(bound.clone().map(|b| (column, b)));
            let info = self.model.columns.entry(column).or_default();
            (info.text, info.about) = (text.clone(), Some(about.to_owned()));
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
                labels.span(declared.source),
                "labels stand with a formula",
                "name a column of its own: column TABLE.NAME = OTHER labels …",
            );
            self.diagnostics.push(message);
        }
        self.model.columns.insert(column, info);
    }

    /// The columns whose order another column says, once all columns are known.
    pub(super) fn column_orders(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.columns {
            let by = ast::property::<ast::OrderProp>(&declared.node).and_then(|order| order.by());
            let (Some(by), Some(target)) = (by, declared.node.target()) else { continue };
            let (Some(qualifier), Some(name)) = (target.qualifier(), target.name()) else { continue };
            let Some(table) = self.model.find_table(&qualifier.name()) else { continue };
            let Some(column) = self.model.find_column(table, &name.name()) else { continue };
            let span = by.span(declared.source);
            let own = by.qualifier().is_none_or(|q| q.name() == qualifier.name());
            let found = by.name().filter(|_| own).and_then(|n| self.model.find_column(table, &n.name()));
            match found {
                Some(other) if other != column => {
                    self.model.columns.entry(column).or_default().order_by = Some(other);
                    self.model.determined.push((column, other));
                }
                _ => {
                    let columns = self.model.schema.table(table).columns.iter();
                    let known =
                        columns.filter(|c| **c != column).map(|c| self.model.schema.column(*c).name.as_str());
                    let known: Vec<&str> = known.collect();
                    self.diagnostics.push(messages::no_order_column(
                        span,
                        &by.text(),
                        &qualifier.name(),
                        &known,
                    ));
                }
            }
        }
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
            let mut binder = self.binder(declared.source, BindScope::VALUE, &mut diagnostics);
            let bound = binder.expr(&member).and_then(|b| binder.fitted(b, ty));
            match bound.map(|b| b.kind) {
                Some(BoundKind::Literal(value)) if members.contains(&value) => {
                    let what = format!("{} stands twice in this order", value.literal());
                    let span = member.span(declared.source);
                    diagnostics.push(messages::bad_property(span, &what, "leave one of them out"));
                }
                Some(BoundKind::Literal(value)) => members.push(value),
                Some(_) => diagnostics.push(messages::bad_property(
                    member.span(declared.source),
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
                let mut leaves: Vec<&vembra_plan::ColumnRef> = formula.graph.needs().1;
                formula.expr.columns(&mut |leaf| leaves.push(leaf));
                for leaf in leaves {
                    needed.push(leaf.column);
                    needed.extend(leaf.path.iter().flat_map(|l| schema.link(*l).from.clone()));
                }
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
                    self.diagnostics.push(messages::ring(declared.span(), &[schema.qualified(start)]));
                    return;
                }
            }
        }
    }

    /// The measures, each with a place in the model and its formula still to come.
    pub(super) fn measure_items<'d>(&mut self, declarations: &'d crate::Declarations) -> Vec<Item<'d>> {
        let mut items: Vec<Item<'d>> = Vec::new();
        for declared in &declarations.measures {
            let Some(name) = declared.node.name().filter(|_| declared.node.arguments().is_none()) else {
                continue;
            };
            let (text, span) = (name.name(), name.span(declared.source));
            if let Some(first) = self.model.find_measure(&text) {
                let (first, what) = (self.model.measure(first).span, format!("the measure {text}"));
                self.diagnostics.push(messages::declared_twice(span, first, &what));
                continue;
            }
            if let Some(column) = self.model.columns_called(&text).first() {
                let by = format!("the column {}", self.model.written(*column));
                self.diagnostics.push(messages::name_taken(span, &text, &by));
            }
            let number = self.model.measures.len();
            // Where a column has the name, that is what is meant until the mistake is fixed.
            if self.model.columns_called(&text).is_empty() {
                self.model.index.measures.insert(text.clone(), MeasureId(number as u32));
            }
            let kind = ItemKind::Measure(number, declared);
            items.push(Item::new(kind, text.clone(), None, declared.node.node()));
            let common = Common::read(&declared.node);
            self.model.measures.push(Measure {
                name: text,
                formula: Bound::literal(Scalar::Null, declared.span()),
                text: declared.node.formula().map(|f| f.text()).unwrap_or_default(),
                subtotal: None,
                total: None,
                label: common.label,
                format: common.format,
                about: common.about,
                span: declared.span(),
                known: Known { grain: Grain::Constant, has_window: false, not_additive: None, depth: 0 },
                broken: true,
            });
        }
        items
    }

    pub(super) fn measure(&mut self, number: usize, declared: &Declared<ast::MeasureDecl>) {
        let before = self.errors();
        let bound = declared.node.formula().and_then(|f| self.cell_formula(declared.source, &f));
        let subtotal = ast::property::<ast::SubtotalProp>(&declared.node);
        let total = ast::property::<ast::TotalProp>(&declared.node);
        let mut variant = |formula: Option<Expr>, format: Option<String>| {
            let formula = formula?;
            let text = formula.text();
            let formula = self.cell_formula(declared.source, &formula)?;
            if matches!(self.model.grain(&formula), Grain::Keys(_)) {
                self.diagnostics.push(messages::variant_needs_own(formula.span));
            }
            let format = format.or_else(|| format_of(&self.model, &formula));
            Some(MeasureVariant { formula, text, format })
        };
        let subtotal = subtotal.and_then(|p| variant(p.formula(), p.format()));
        let total = total.and_then(|p| variant(p.formula(), p.format()));
        let Some(bound) = bound else { return };
        let known = Known {
            grain: self.model.grain(&bound),
            has_window: self.model.has_window(&bound),
            not_additive: not_additive(&self.model, &self.model.sources, &bound),
            depth: self.model.depth(&bound),
        };
        if self.is_too_deep(known.depth, declared.span()) {
            return;
        }
        let format = self.model.measures[number].format.take();
        let inherited = format.or_else(|| format_of(&self.model, &bound));
        let sound = self.errors() == before;
        let measure = &mut self.model.measures[number];
        measure.broken = !sound;
        (measure.format, measure.subtotal, measure.total) = (inherited, subtotal, total);
        measure.known = known;
        measure.formula = bound;
    }

    /// How many errors there are so far.
    fn errors(&self) -> usize {
        self.diagnostics.iter().filter(|d| d.severity == vembra_syntax::Severity::Error).count()
    }

    /// Whether formulas stand in one another too deeply; says so once.
    fn is_too_deep(&mut self, depth: usize, span: Span) -> bool {
        let deep = depth > MOST_LEVELS;
        if deep && !self.diagnostics.iter().any(|d| d.code == Code::V356) {
            self.diagnostics.push(messages::named_too_deep(span, MOST_LEVELS));
        }
        deep
    }

    /// A formula of cells.
    fn cell_formula(&mut self, source: vembra_syntax::SourceId, formula: &Expr) -> Option<Bound> {
        let mut diagnostics = Vec::new();
        let mut binder = self.binder(source, BindScope::FIGURE, &mut diagnostics);
        let bound = binder.expr(formula).and_then(|b| match binder.model.grain(&b) {
            Grain::Row(_) => {
                let message = binder.row_in_cell(&b);
                binder.fail(message)
            }
            _ => Some(b),
        });
        self.diagnostics.extend(diagnostics);
        bound
    }
}

/// Turns a formula into the texts that `labels` gives for its values.
fn labelled(binder: &mut Binder<'_>, declared: &Declared<ast::ColumnDecl>, bound: Bound) -> Option<Bound> {
    let Some(labels) = ast::property::<ast::LabelsProp>(&declared.node) else { return Some(bound) };
    let span = labels.span(declared.source);
    let mut args = Vec::new();
    for (value, shown) in labels.values().iter().zip(labels.shown()) {
        let value = binder.expr(value).and_then(|v| binder.fitted(v, bound.ty))?;
        args.push(binder.apply(Function::Equal, vec![bound.clone(), value], span)?);
        args.push(Bound::literal(Scalar::text(shown), span));
    }
    binder.apply(Function::Case, args, span)
}

/// Gives a formula the type that its declaration fixes.
fn with_type(declared: &Declared<ast::ColumnDecl>, bound: Bound) -> Bound {
    let name = declared.node.ty().and_then(|t| t.name());
    let Some(ty) = name.and_then(|n| Type::from_name(&n.name())) else { return bound };
    let alike = matches!((ty, bound.ty), (Type::Decimal(_), Type::Decimal(_)));
    if ty == bound.ty || alike {
        return bound;
    }
    let span = bound.span;
    Bound { kind: BoundKind::Call(Function::Cast, vec![bound]), ty, span }
}

/// Properties that columns and measures share.
pub(super) struct Common {
    pub(super) label: Option<String>,
    pub(super) format: Option<String>,
    pub(super) about: Option<String>,
}

impl Common {
    pub(super) fn read(node: &impl View) -> Self {
        Self {
            label: ast::property::<ast::LabelProp>(node).and_then(|p| p.text_value()),
            format: ast::property::<ast::FormatProp>(node).and_then(|p| p.text_value()),
            about: ast::property::<ast::AboutProp>(node).and_then(|p| p.text_value()),
        }
    }
}
