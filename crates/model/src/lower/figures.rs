//! Figures of cells: expressions that become nodes.

use super::context::{Context, Derived, Step};
use super::{Lowering, NamedFigure, Use};
use crate::bound::{
    Bound, BoundAggregate, BoundKind, BoundWindow, Clauses, Detail, DetailKey, Over, What, WindowBy,
};
use crate::ids::MeasureId;
use crate::messages;
use std::collections::BTreeSet;
use vembra_plan::{
    ColumnId, ColumnRef, DateStep, Determining, Expr, Fold, Function, KeyId, Node, NodeId, NodeKind, RoleId,
    RowLeaf, Scalar, ScanId, Type, WindowCall, WindowOrder,
};
use vembra_syntax::Span;

/// What an expression with keys of its own stands in.
#[derive(Clone, Copy)]
enum Stand<'c> {
    /// In a cell: its keys must be on axes.
    Shown,
    /// In an aggregate over these keys.
    Folded(&'c [(DetailKey, KeyId)]),
}

/// A value per combination of keys, and where they come from.
struct Leaf<'b> {
    inner: &'b Bound,
    context: Context,
    keys: Vec<DetailKey>,
}

/// The key of the aggregate around that an attribute is.
fn key_of(stand: Stand<'_>, column: ColumnId, role: Option<RoleId>) -> Option<KeyId> {
    let Stand::Folded(known) = stand else { return None };
    known.iter().find(|(key, _)| (key.column, key.role) == (column, role)).map(|(_, id)| *id)
}

impl<'a> Lowering<'a> {
    /// The node of an expression of cells in a context.
    pub(super) fn figure(&mut self, bound: &Bound, context: &Context) -> Option<NodeId> {
        let context = self.dated(bound, context);
        self.node(bound, &context, Stand::Shown)
    }

    fn node(&mut self, bound: &Bound, context: &Context, stand: Stand<'_>) -> Option<NodeId> {
        self.step(bound.span)?;
        match &bound.kind {
            BoundKind::Literal(value) => Some(self.literal(value.clone(), bound.ty)),
            BoundKind::Param(id) => match self.params.get(id).cloned() {
                Some(value) => {
                    let value = vembra_plan::call::convert(value, bound.ty).unwrap_or(Scalar::Null);
                    Some(self.literal(value, bound.ty))
                }
                None => {
                    let name = self.model.param(*id).name.clone();
                    self.fail(messages::param_without_value(bound.span, &name))
                }
            },
            BoundKind::Measure(id) => {
                self.is_sound(*id, bound.span)?;
                self.measure(*id, context, stand)
            }
            BoundKind::Treatment(treatment) => self.node(&treatment.formula, context, stand),
            BoundKind::Call(function, args) => {
                let nodes: Vec<Option<NodeId>> = args.iter().map(|a| self.node(a, context, stand)).collect();
                let nodes: Option<Vec<NodeId>> = nodes.into_iter().collect();
                if let Function::WorkingDays | Function::WorkingDay = function {
                    return self.working_figure(*function, &nodes?, bound.span);
                }
                Some(self.call(*function, nodes?, bound.ty))
            }
            BoundKind::Claused(inner, clauses) => self.claused(inner, clauses, context, stand, bound.span),
            BoundKind::Aggregate(aggregate) => match &aggregate.over {
                Over::Rows(table) => self.scan_node(bound, aggregate, *table, context),
                Over::Keys(keys) => self.fold(bound, aggregate, keys, context),
            },
            BoundKind::StandsOn(what) => {
                let keys = self.stands_on(what, context);
                Some(self.graph.add(Node { kind: NodeKind::StandsOn, ty: Type::Boolean, keys }))
            }
            BoundKind::CellEdge { last } => self.edge(*last, context, bound.span),
            BoundKind::Window(window) => self.window(window, bound, context),
            BoundKind::Column(column, role) if key_of(stand, *column, *role).is_some() => {
                let key = key_of(stand, *column, *role)?;
                Some(self.graph.add(Node { kind: NodeKind::Member(key), ty: bound.ty, keys: vec![key] }))
            }
            BoundKind::Column(..) => {
                let text = self.sources.slice(bound.span).to_owned();
                self.fail(messages::row_in_cell(bound.span, &text, "its table", bound.ty.is_number()))
            }
        }
    }

    /// Nothing can be asked of a measure whose formula is wrong.
    pub(super) fn is_sound(&mut self, id: MeasureId, span: Span) -> Option<()> {
        let measure = self.model.measure(id);
        if measure.broken {
            return self.fail(messages::broken_measure(span, &measure.name));
        }
        Some(())
    }

    /// A measure is one node per context, however often it is named there.
    fn measure(&mut self, id: MeasureId, context: &Context, stand: Stand<'_>) -> Option<NodeId> {
        let over = match stand {
            Stand::Shown => Vec::new(),
            Stand::Folded(over) => over.iter().map(|(key, id)| (key.column, key.role, *id)).collect(),
        };
        let named = NamedFigure { measure: id, over, context: context.clone() };
        if let Some(node) = self.known.get(&named) {
            return Some(*node);
        }
        let model = self.model;
        let mut inside = context.clone();
        inside.measure = inside.measure.or(Some(id));
        let node = self.node(&model.measure(id).formula, &inside, stand)?;
        self.known.insert(named, node);
        Some(node)
    }

    fn literal(&mut self, value: Scalar, ty: Type) -> NodeId {
        self.graph.add(Node { kind: NodeKind::Literal(value), ty, keys: Vec::new() })
    }

    fn call(&mut self, function: Function, args: Vec<NodeId>, ty: Type) -> NodeId {
        let keys = self.keys_of(&args);
        self.graph.add(Node { kind: NodeKind::Call(function, args), ty, keys })
    }

    /// All keys that some nodes depend on.
    pub(super) fn keys_of(&self, nodes: &[NodeId]) -> Vec<KeyId> {
        let mut keys: Vec<KeyId> = nodes.iter().flat_map(|n| self.graph.node(*n).keys.clone()).collect();
        keys.sort();
        keys.dedup();
        keys
    }

    fn claused(
        &mut self,
        inner: &Bound,
        clauses: &Clauses,
        context: &Context,
        stand: Stand<'_>,
        span: Span,
    ) -> Option<NodeId> {
        let (inside, derived) = self.inside(clauses, context);
        let mut node = self.at_detail(inner, clauses, &inside, stand, span)?;
        // What is settled at an axis with a rest is worked out twice: where the cell stands on the axis, and where not.
        let (split, plain): (Vec<Derived>, Vec<Derived>) =
            derived.into_iter().partition(|derived| derived.away.is_some());
        let mut away = None;
        for derived in &split {
            let other = inside.with_key_instead(derived.key, derived.away.unwrap_or(derived.key));
            away = Some(self.at_detail(inner, clauses, &other, stand, span)?);
        }
        for derived in plain {
            away = away.map(|away| self.derive(away, &derived, None));
            node = self.derive(node, &derived, None);
        }
        for derived in &split {
            node = self.derive(node, derived, away);
        }
        Some(node)
    }

    /// An expression under clauses whose context is known, at its detail.
    fn at_detail(
        &mut self,
        inner: &Bound,
        clauses: &Clauses,
        inside: &Context,
        stand: Stand<'_>,
        span: Span,
    ) -> Option<NodeId> {
        match &clauses.detail {
            None => self.node(inner, inside, stand),
            Some(Detail::Cell) => self.figure(inner, inside),
            Some(Detail::Overall) => {
                let mut inside = inside.clone();
                inside.steps.push(Step::Forget { what: What::All, filters: true, but: Vec::new() });
                self.figure(inner, &inside)
            }
            Some(Detail::Per(keys)) => match stand {
                Stand::Folded(over) => {
                    let id = |key: &DetailKey| over.iter().find(|(k, _)| k.is(key)).map(|(_, id)| *id);
                    let ids = keys.iter().filter_map(id).collect();
                    self.figure(inner, &inside.with_keys(ids))
                }
                Stand::Shown => {
                    let lists = self.shown_at(keys, inside, span)?;
                    let node = self.figure(inner, inside)?;
                    Some(self.only_at(node, lists))
                }
            },
        }
    }

    pub(super) fn detail_keys(&mut self, keys: &[DetailKey], context: &Context) -> Vec<KeyId> {
        keys.iter().map(|k| self.detail_key(k.column, k.role, k.span, context)).collect()
    }

    /// Per key the keys of the cell that settle it.
    fn shown_at(&mut self, keys: &[DetailKey], context: &Context, span: Span) -> Option<Vec<Vec<KeyId>>> {
        let position = self.position(context);
        let mut lists = Vec::new();
        for key in keys {
            let settles = |k: &KeyId| {
                self.plain_column(*k).is_some_and(|own| self.model.settles(own, (key.column, key.role)))
            };
            let list: Vec<KeyId> = position.iter().copied().filter(settles).collect();
            if list.is_empty() {
                let name = self.model.schema.column(key.column).name.clone();
                return self.fail(messages::keys_not_shown(span, &name));
            }
            lists.push(list);
        }
        Some(lists)
    }

    fn only_at(&mut self, node: NodeId, lists: Vec<Vec<KeyId>>) -> NodeId {
        let inner = self.graph.node(node).clone();
        let mut keys: Vec<KeyId> = inner.keys.iter().chain(lists.iter().flatten()).copied().collect();
        keys.sort();
        keys.dedup();
        self.graph.add(Node { kind: NodeKind::OnlyAt(node, lists), ty: inner.ty, keys })
    }

    /// A node at a member that another key of the cell determines; `away` is the node where the cell does not stand on the key.
    fn derive(&mut self, inner: NodeId, derived: &Derived, away: Option<NodeId>) -> NodeId {
        let Derived { key, from, stands, .. } = derived;
        let own = self.graph.node(inner).clone();
        let Some(column) = self.plain_column(*key).filter(|_| own.keys.contains(key)) else {
            return inner;
        };
        let away = away.zip(derived.away);
        let mut keys: Vec<KeyId> = own.keys.iter().copied().filter(|k| k != key || *stands).collect();
        if let Some((node, key)) = away {
            keys.extend(self.graph.node(node).keys.iter().copied().filter(|k| *k != key));
        }
        keys.extend(from);
        keys.sort();
        keys.dedup();
        let from = from.iter().filter_map(|from| self.determining(*from, column)).collect();
        let kind = NodeKind::Derive { inner, key: *key, away, from };
        self.graph.add(Node { kind, ty: own.ty, keys })
    }

    /// A key of the cell as what determines an attribute: by the rows of its own table.
    fn determining(&self, key: KeyId, column: (ColumnId, Option<RoleId>)) -> Option<Determining> {
        let finer = self.plain_column(key)?;
        let determined = self.model.way_within(finer, column)?;
        let ty = self.model.schema.column(determined.0).ty;
        let reference = ColumnRef { path: determined.1, column: determined.0, ty };
        Some(Determining {
            key,
            table: self.model.schema.column(finer.0).table,
            own: self.own_column(finer.0),
            determined: Expr::Leaf(RowLeaf::Column(reference)),
        })
    }

    /// An aggregate over the combinations of keys that have rows.
    fn fold(
        &mut self,
        bound: &Bound,
        aggregate: &BoundAggregate,
        keys: &[DetailKey],
        context: &Context,
    ) -> Option<NodeId> {
        let mut leaves = Vec::new();
        self.leaves(aggregate.value.as_ref()?, context, &mut leaves, &mut BTreeSet::new());
        // Keys that others settle come along, so that every part finds its own.
        let beside = aggregate.by.iter().chain(&aggregate.condition);
        let mut others = Vec::new();
        for part in beside {
            self.leaves(part, context, &mut others, &mut BTreeSet::new());
        }
        let mut named: Vec<DetailKey> = keys.to_vec();
        for key in leaves.iter().chain(&others).flat_map(|l| l.keys.iter()) {
            if !named.iter().any(|k| k.is(key)) {
                named.push(*key);
            }
        }
        let ids = self.detail_keys(&named, context);
        let known: Vec<(DetailKey, KeyId)> = named.into_iter().zip(ids.iter().copied()).collect();
        let mut over = ids;
        over.sort();
        let stand = Stand::Folded(&known);
        let value = self.node(aggregate.value.as_ref()?, context, stand)?;
        let by = match &aggregate.by {
            Some(by) => Some(self.node(by, context, stand)?),
            None => None,
        };
        let condition = match &aggregate.condition {
            Some(condition) => Some(self.node(condition, context, stand)?),
            None => None,
        };
        let parts: Vec<NodeId> = [Some(value), by, condition].into_iter().flatten().collect();
        let domain = self.fold_domain(&leaves, keys, &over)?;
        let mut depends = self.keys_of(&parts);
        for scan in &domain {
            let scan = self.graph.scan(*scan);
            depends.extend(scan.key_ids().chain(scan.given.iter().copied()));
        }
        depends.retain(|k| !over.contains(k));
        depends.sort();
        depends.dedup();
        let fold = Fold {
            function: aggregate.function,
            value,
            by,
            parameter: aggregate.parameter.clone(),
            condition,
            over,
            domain,
        };
        Some(self.graph.add(Node { kind: NodeKind::Fold(fold), ty: bound.ty, keys: depends }))
    }

    /// The scans that say which combinations there are: those of the values that have all keys.
    fn fold_domain(
        &mut self,
        leaves: &[Leaf<'_>],
        keys: &[DetailKey],
        over: &[KeyId],
    ) -> Option<Vec<ScanId>> {
        let mut domain: Vec<ScanId> = Vec::new();
        for leaf in leaves {
            if self.model.holds_keys(&leaf.keys, keys) {
                let inside = leaf.context.with_keys(over.to_vec());
                domain.extend(self.domain(&[leaf.inner], &inside)?);
            }
        }
        domain.sort();
        domain.dedup();
        Some(domain)
    }

    /// The values per combination of keys in an expression, each with its context but for the keys.
    fn leaves<'b>(
        &mut self,
        bound: &'b Bound,
        context: &Context,
        leaves: &mut Vec<Leaf<'b>>,
        seen: &mut BTreeSet<MeasureId>,
    ) where
        'a: 'b,
    {
        match &bound.kind {
            BoundKind::Call(_, args) => args.iter().for_each(|a| self.leaves(a, context, leaves, seen)),
            BoundKind::Claused(inner, clauses) => {
                let (inside, _) = self.inside(clauses, context);
                match &clauses.detail {
                    Some(Detail::Per(keys)) => {
                        leaves.push(Leaf { inner, context: inside, keys: keys.clone() });
                    }
                    Some(_) => {}
                    // Another context: what was seen before has other values here.
                    None => self.leaves(inner, &inside, leaves, &mut BTreeSet::new()),
                }
            }
            // Named twice in one context it has the same values; only open keys make it a leaf.
            BoundKind::Treatment(treatment) => self.leaves(&treatment.formula, context, leaves, seen),
            BoundKind::Measure(id) if seen.insert(*id) && self.step(bound.span).is_some() => {
                let model = self.model;
                self.leaves(&model.measure(*id).formula, context, leaves, seen);
            }
            _ => {}
        }
    }

    /// The first or last day of the cell of the query.
    fn edge(&mut self, last: bool, context: &Context, span: Span) -> Option<NodeId> {
        let Some(calendar) = self.model.calendar else { return self.fail(messages::no_calendar(span)) };
        let plain = Context::default();
        let mut steps = Vec::new();
        let mut keys = Vec::new();
        // In the conditions of the query no cell stands anywhere yet.
        let taken: Vec<KeyId> = context.taken().collect();
        for axis in (0..self.axes.0 as u32).map(KeyId).filter(|axis| taken.contains(axis)) {
            let expr = self.keys[axis.index()].expr.clone();
            if expr.is_plain() && self.only_calendar(&expr) {
                keys.push((axis, self.row(&super::unpin(&expr), calendar, &plain, Use::Value)?));
            }
        }
        let mut depends: Vec<KeyId> = keys.iter().map(|(key, _)| *key).collect();
        depends.sort();
        steps.push(DateStep::Position(keys));
        // Where a filter came from makes no difference, and nothing that is forgotten takes it away here.
        let conditions: Vec<Bound> = context
            .steps
            .iter()
            .filter_map(|s| match s {
                Step::Where(condition, _) if condition.is_plain() && self.only_calendar(condition) => {
                    Some((**condition).clone())
                }
                _ => None,
            })
            .collect();
        let mut filters = Vec::new();
        for condition in conditions {
            filters.push(self.row(&super::unpin(&condition), calendar, &plain, Use::Filter)?);
        }
        steps.push(DateStep::Where(filters));
        let kind = NodeKind::Edge { last, calendar, steps };
        Some(self.graph.add(Node { kind, ty: Type::Date, keys: depends }))
    }

    /// Whether an expression is about shared attributes of the calendar.
    fn only_calendar(&self, bound: &Bound) -> bool {
        let columns = bound.columns();
        let own = |c| Some(self.model.schema.column(c).table) == self.model.calendar;
        !columns.is_empty() && columns.iter().all(|(c, pin, _)| pin.is_none() && own(*c))
    }

    fn window(&mut self, window: &BoundWindow, bound: &Bound, context: &Context) -> Option<NodeId> {
        // The cells must be lines: those of the query, or those that are chosen from.
        let position = self.position(context);
        let shown = (0..self.axes.0 as u32).map(KeyId).filter(|k| position.contains(k)).count();
        if shown == 0 || shown < position.len() || self.has_forgotten(context) {
            return self.fail(messages::along_inside(bound.span));
        }
        let value = self.figure(&window.value, context)?;
        let told = match &window.among {
            Some(what) => {
                let among = self.stands_on(what, context);
                if among.is_empty() {
                    let text = self.sources.slice(bound.span).to_owned();
                    return self.fail(messages::among_off_axis(bound.span, &text));
                }
                Some(among)
            }
            None => None,
        };
        let (among, order) = match &window.by {
            Some(WindowBy::Axis(axis)) => self.along_axis(axis, &position)?,
            Some(WindowBy::Figure(figure, descending)) => {
                let node = self.figure(figure, context)?;
                let rows: Vec<KeyId> = position.iter().copied().filter(|k| k.index() < self.axes.1).collect();
                let among = if rows.is_empty() { position.clone() } else { rows };
                (among, WindowOrder::Figure { node, descending: *descending })
            }
            None => (Vec::new(), WindowOrder::Key(*told.as_ref()?.first()?)),
        };
        let among = told.unwrap_or(among);
        let function = window.function;
        let order = if function.is_ordered() { order } else { WindowOrder::Key(among[0]) };
        let kind = NodeKind::Window(WindowCall { function, value, among, order });
        Some(self.graph.add(Node { kind, ty: bound.ty, keys: position }))
    }

    /// Lines that differ only in an axis, or in what it settles.
    fn along_axis(&mut self, axis: &Bound, position: &[KeyId]) -> Option<(Vec<KeyId>, WindowOrder)> {
        let wanted = match axis.kind {
            BoundKind::Column(column, role) => Some((column, role)),
            _ => None,
        };
        let text = self.sources.slice(axis.span).to_owned();
        let own = |k: &&KeyId| {
            let key = &self.keys[k.index()];
            wanted.is_some() && self.plain_column(**k) == wanted
                || wanted.is_none() && self.sources.slice(key.expr.span) == text
        };
        let Some(key) = position.iter().find(own).copied() else {
            return self.fail(messages::along_off_axis(axis.span, &text));
        };
        let settled = |k: &KeyId| match (self.plain_column(key), self.plain_column(*k)) {
            (Some(own), Some(other)) => self.model.settles(own, other),
            _ => *k == key,
        };
        let among = position.iter().copied().filter(|k| *k == key || settled(k)).collect();
        Some((among, WindowOrder::Key(key)))
    }

    #[allow(clippy::unused_self)] // Reads like the others.
    fn has_forgotten(&self, context: &Context) -> bool {
        context.steps.iter().any(|s| matches!(s, Step::Forget { .. }))
    }

    /// The facts whose rows stand behind expressions, each with the roles by which they are read.
    pub(super) fn domain(&mut self, bounds: &[&Bound], context: &Context) -> Option<Vec<ScanId>> {
        let mut facts = Vec::new();
        for bound in bounds {
            self.facts(bound, &Vec::new(), &mut facts, &mut BTreeSet::new());
        }
        let mut scans: Vec<ScanId> = Vec::new();
        let mut refused: Option<Vec<vembra_syntax::Diagnostic>> = None;
        for (table, roles, span) in facts {
            let mut context = context.clone();
            // They choose the links by which the keys are read; what conditions look up does not see them.
            context.steps.extend(roles.into_iter().map(Step::Via));
            match self.attempt(|lowering| lowering.domain_scan(table, &context, span)) {
                (Some(scan), _) if scans.contains(&scan) => {}
                (Some(scan), _) => scans.push(scan),
                // A figure that forgets what its fact cannot reach makes no lines.
                (None, diagnostics) => refused = refused.or(Some(diagnostics)),
            }
        }
        match refused {
            Some(diagnostics) if scans.is_empty() => {
                self.diagnostics.extend(diagnostics);
                None
            }
            _ => Some(scans),
        }
    }

    #[allow(clippy::type_complexity)] // A fact, its roles, and where it is named.
    fn facts(
        &self,
        bound: &Bound,
        roles: &Vec<crate::RoleUse>,
        facts: &mut Vec<(vembra_plan::TableId, Vec<crate::RoleUse>, Span)>,
        seen: &mut BTreeSet<(MeasureId, Vec<crate::RoleUse>)>,
    ) {
        match &bound.kind {
            BoundKind::Measure(id) if seen.insert((*id, roles.clone())) => {
                self.facts(&self.model.measure(*id).formula, roles, facts, seen);
            }
            BoundKind::Call(_, args) => args.iter().for_each(|a| self.facts(a, roles, facts, seen)),
            BoundKind::Claused(inner, clauses) => {
                let roles = roles.iter().chain(&clauses.via).copied().collect();
                self.facts(inner, &roles, facts, seen);
            }
            BoundKind::Window(window) => self.facts(&window.value, roles, facts, seen),
            BoundKind::Treatment(treatment) => self.facts(&treatment.formula, roles, facts, seen),
            BoundKind::Aggregate(aggregate) => match (&aggregate.over, &aggregate.value) {
                (Over::Rows(table), _) => {
                    let known = facts.iter().any(|(t, r, _)| t == table && r == roles);
                    facts.extend((!known).then(|| (*table, roles.clone(), bound.span)));
                }
                (Over::Keys(_), Some(value)) => self.facts(value, roles, facts, seen),
                (Over::Keys(_), None) => {}
            },
            _ => {}
        }
    }
}
