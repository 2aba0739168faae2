//! Aggregates over rows: a scan of the table under what its context comes to.

use super::bridges::Bridges;
use super::context::{Context, DuringStep, Filter, Seen, Step};
use super::rows::{Figure, RowScope};
use super::{Lowering, Use, unpin};
use crate::bound::{Bound, BoundAggregate, RoleUse};
use crate::messages;
use crate::route::RouteError;
use vembra_plan::{
    Aggregate, ColumnId, DateRange, DateStep, During, KeyId, LinkId, Node, NodeId, NodeKind, RowExpr, Scan,
    ScanId, ScanKey, TableId, TimeUnit, position_or_push,
};
use vembra_syntax::Span;

impl Lowering<'_> {
    /// The node of an aggregate over the rows of a table.
    pub(super) fn scan_node(
        &mut self,
        bound: &Bound,
        aggregate: &BoundAggregate,
        table: TableId,
        context: &Context,
    ) -> Option<NodeId> {
        // Columns and keys follow the roles that the table has; figures that are looked up may have the others too.
        let own = self.with_roles_of(table, context)?;
        let roles = own.roles();
        let seen = self.seen(&own, table, &roles);
        let figure = Some(Figure { span: bound.span, aggregate: Some(aggregate), measure: context.measure });
        let scope = RowScope { table, roles: &roles, context, figure, purpose: Use::Value };
        let mut bridges = Bridges::default();
        let keys = self.scan_keys(&seen.keys, scope, &mut bridges);
        let filter = self.conditions(&seen.filters, scope, &mut bridges);
        let mut condition = self.conditions(&seen.later, scope, &mut bridges);
        for own in aggregate.condition.iter().flat_map(super::conjuncts) {
            let own = self.condition(own, scope.to(Use::Filter), &mut bridges);
            condition = condition.zip(own).map(|(mut all, own)| {
                all.extend(own);
                all
            });
        }
        let part = |lowering: &mut Self, part: &Option<Bound>| match part {
            None => Some(None),
            Some(part) => lowering.row_in(part, scope).map(Some),
        };
        let (value, by) = (part(self, &aggregate.value), part(self, &aggregate.by));
        let during = self.during(&seen, (table, &roles), context, bound.span);
        let plan = Aggregate {
            function: aggregate.function,
            value: value?,
            by: by?,
            parameter: aggregate.parameter.clone(),
            condition: condition?,
            ty: bound.ty,
        };
        let rows =
            Scan { during: during?, aggregates: vec![plan], ..scan_of(table, filter?, keys?, bridges) };
        let scan = self.add_scan(rows);
        let keys = self.scan_depends(scan);
        Some(self.graph.add(Node { kind: NodeKind::Aggregate(scan, 0), ty: bound.ty, keys }))
    }

    /// A scan that only says which cells have rows.
    pub(super) fn domain_scan(&mut self, table: TableId, context: &Context, span: Span) -> Option<ScanId> {
        let own = self.with_roles_of(table, context)?;
        let roles = own.roles();
        let seen = self.seen(&own, table, &roles);
        let figure = Some(Figure { span, aggregate: None, measure: context.measure });
        let scope = RowScope { table, roles: &roles, context, figure, purpose: Use::Filter };
        let mut bridges = Bridges::default();
        let keys = self.scan_keys(&seen.keys, scope, &mut bridges)?;
        let all: Vec<Filter> = seen.filters.iter().chain(&seen.later).cloned().collect();
        let filter = self.conditions(&all, scope, &mut bridges)?;
        let during = self.during(&seen, (table, &roles), context, span)?;
        Some(self.add_scan(Scan { during, ..scan_of(table, filter, keys, bridges) }))
    }

    fn add_scan(&mut self, mut scan: Scan) -> ScanId {
        let mut given: Vec<KeyId> = scan.during.iter().flat_map(During::keys).collect();
        scan.row_exprs(&mut |_, expr| {
            expr.cell_keys(&mut |key| given.push(key));
        });
        given.retain(|k| !scan.key_ids().any(|own| own == *k));
        given.sort();
        given.dedup();
        scan.given = given;
        ScanId(position_or_push(&mut self.graph.scans, scan) as u32)
    }

    /// The keys that a scan depends on.
    fn scan_depends(&self, scan: ScanId) -> Vec<KeyId> {
        let scan = self.graph.scan(scan);
        let mut keys: Vec<KeyId> = scan.key_ids().chain(scan.given.iter().copied()).collect();
        keys.sort();
        keys
    }

    /// The context without roles that the table does not have: one of the query leaves it on its default.
    fn with_roles_of(&mut self, table: TableId, context: &Context) -> Option<Context> {
        let mut kept = context.clone();
        // Steps are counted by conditions, so none is taken out.
        for at in 0..kept.steps.len() {
            let Step::Via(used) = kept.steps[at] else { continue };
            if self.model.has_role(table, used.role) {
                continue;
            }
            let fact = self.model.schema.table(table).name.clone();
            let role = self.model.role_name(used.role).to_owned();
            self.used.insert(used);
            if !self.query_via.contains(&used) {
                return self.fail(messages::no_role(used.span, &fact, &role));
            }
            let note = messages::stays_on_default(used.span, &fact, &role);
            self.fail::<()>(note);
            kept.steps[at] = Step::Keys(Vec::new());
        }
        Some(kept)
    }

    fn scan_keys(
        &mut self,
        keys: &[KeyId],
        scope: RowScope<'_>,
        bridges: &mut Bridges,
    ) -> Option<Vec<ScanKey>> {
        let plain = self.plain.clone();
        let scope = scope.seeing(&plain).to(Use::Split);
        let mut all = Vec::new();
        let mut failed = false;
        for key in keys {
            let expr = self.keys[key.index()].expr.clone();
            let rest = self.keys[key.index()].rest.clone();
            let by_bridge = match &rest {
                None => false,
                Some((node, within)) => self.bridge_choice((*node, within), Some(*key), scope, bridges)?,
            };
            if let Some(crossing) = self.crossing(&expr, scope)? {
                self.bridge_key(*key, &crossing, scope, true, bridges)?;
                continue;
            }
            let Some(expr) = self.row_in(&expr, scope) else {
                failed = true;
                continue;
            };
            let kept = match rest.filter(|_| !by_bridge) {
                None => None,
                Some((node, within)) => Some(self.chosen_row(node, &within, scope)?),
            };
            all.push(ScanKey { key: *key, expr, kept });
        }
        (!failed).then_some(all)
    }

    /// Whether the line of a row was chosen.
    fn chosen_row(&mut self, node: NodeId, keys: &[KeyId], scope: RowScope<'_>) -> Option<RowExpr> {
        let plain = self.plain.clone();
        let scope = scope.seeing(&plain).to(Use::Split);
        let mut own = Vec::new();
        for key in keys {
            let expr = self.keys[key.index()].expr.clone();
            own.push((*key, self.row_in(&expr, scope)?));
        }
        Some(self.looked_up(node, own))
    }

    /// Conditions on the rows themselves; those on the rows of bridges go there.
    fn conditions(
        &mut self,
        filters: &[Filter],
        scope: RowScope<'_>,
        bridges: &mut Bridges,
    ) -> Option<Vec<RowExpr>> {
        let mut all = Vec::new();
        let mut failed = false;
        for filter in filters {
            let lowered = match filter {
                // Columns and keys follow the roles of the aggregate, figures see what was there before.
                Filter::Condition(condition, steps) => {
                    let before = scope.context.up_to((*steps).min(scope.context.steps.len()));
                    self.condition(condition, scope.seeing(&before).to(Use::Filter), bridges)
                }
                Filter::Chosen(node, keys) => match self.bridge_choice((*node, keys), None, scope, bridges) {
                    Some(true) => Some(None),
                    Some(false) => self.chosen_row(*node, keys, scope).map(Some),
                    None => None,
                },
            };
            match lowered {
                Some(lowered) => all.extend(lowered),
                None => failed = true,
            }
        }
        (!failed).then_some(all)
    }

    /// A condition; `Some(None)` where it went to a bridge.
    #[allow(clippy::option_option)] // The outer one says whether it could be made.
    pub(super) fn condition(
        &mut self,
        condition: &Bound,
        scope: RowScope<'_>,
        bridges: &mut Bridges,
    ) -> Option<Option<RowExpr>> {
        match self.crossing(condition, scope)? {
            Some(crossing) => {
                self.bridge_condition(condition, &crossing, scope, bridges)?;
                Some(None)
            }
            None => self.row_in(condition, scope).map(Some),
        }
    }

    /// The days whose rows a cell takes; `Some(None)` where it takes those where it stands.
    #[allow(clippy::option_option)] // The outer one says whether it could be made.
    fn during(
        &mut self,
        seen: &Seen,
        (table, roles): (TableId, &[RoleUse]),
        context: &Context,
        span: Span,
    ) -> Option<Option<During>> {
        let Some(steps) = &seen.during else { return Some(None) };
        let fact = self.model.schema.table(table).name.clone();
        let Some(calendar) = self.model.calendar else { return self.fail(messages::no_calendar(span)) };
        let Some((path, coarse)) = self.way_to_days(calendar, table, roles) else {
            let at =
                steps.iter().find_map(|s| if let DuringStep::DateRange(_, p) = s { Some(*p) } else { None });
            return self.fail(messages::no_dates(at.unwrap_or(span), &fact));
        };
        let plain = super::context::Context::default();
        let mut lowered = Vec::new();
        for step in steps {
            lowered.push(match step {
                DuringStep::Position(keys) => {
                    let mut exprs = Vec::new();
                    for key in keys {
                        let expr = unpin(&self.keys[key.index()].expr);
                        exprs.push((*key, self.row(&expr, calendar, &plain, Use::Value)?));
                    }
                    DateStep::Position(exprs)
                }
                DuringStep::Where(condition) => {
                    let condition = unpin(condition);
                    DateStep::Where(vec![self.row(&condition, calendar, &plain, Use::Filter)?])
                }
                DuringStep::DateRange(date_range, span) => {
                    if let Some(by) = coarse.filter(|_| is_fine(*date_range)) {
                        let by = self.model.written(by);
                        return self.fail(messages::date_range_too_fine(*span, &fact, &by));
                    }
                    DateStep::DateRange(*date_range)
                }
            });
        }
        self.used.extend(roles.iter().filter(|r| self.model.role_target(r.role) == Some(calendar)));
        let all_to_date = lowered.contains(&DateStep::DateRange(DateRange::ToDate(None)));
        let beside = if all_to_date { self.ways_beside(calendar, table, &path, context) } else { Vec::new() };
        Some(Some(During { calendar, path, coarse, beside, steps: lowered }))
    }

    /// The other ways by which the figure around takes rows of a table to date.
    fn ways_beside(
        &self,
        calendar: TableId,
        table: TableId,
        own: &[LinkId],
        context: &Context,
    ) -> Vec<(Vec<LinkId>, Option<ColumnId>)> {
        let mut ways: Vec<(Vec<LinkId>, Option<ColumnId>)> = Vec::new();
        for (fact, roles) in context.to_date.iter().flat_map(|facts| facts.iter()) {
            let known: Vec<RoleUse> =
                roles.iter().filter(|used| self.model.has_role(table, used.role)).copied().collect();
            let Some(way) = self.way_to_days(calendar, table, &known) else { continue };
            if *fact == table && way.0 != own && !ways.contains(&way) {
                ways.push(way);
            }
        }
        ways.sort();
        ways
    }

    /// The links from a table to the calendar, and the attribute by which the last one reaches it if it is coarser.
    fn way_to_days(
        &self,
        calendar: TableId,
        table: TableId,
        roles: &[RoleUse],
    ) -> Option<(Vec<LinkId>, Option<ColumnId>)> {
        let date = *self.model.schema.table(calendar).key.first()?;
        match self.model.route(table, date, None, roles) {
            Ok(route) => Some((route.path, None)),
            Err(RouteError::TooCoarse { link }) => {
                let by = *self.model.schema.link(link).to.first()?;
                let route = self.model.route(table, by, None, roles).ok()?;
                Some((route.path, Some(by)))
            }
            Err(_) => None,
        }
    }
}

/// Whether a date range distinguishes days or weeks.
fn is_fine(date_range: DateRange) -> bool {
    let fine = |unit: TimeUnit| unit.is_shorter_than_month();
    match date_range {
        DateRange::ToDate(unit) => unit.is_some_and(fine),
        DateRange::AllBefore => false,
        DateRange::Whole(unit) | DateRange::Previous(unit) => fine(unit),
        DateRange::Earlier { unit, .. } | DateRange::Last { unit, .. } => fine(unit),
    }
}

/// A scan of the rows of a table, without figures yet.
fn scan_of(table: TableId, filter: Vec<RowExpr>, keys: Vec<ScanKey>, bridges: Bridges) -> Scan {
    let Bridges { bridges, choices } = bridges;
    Scan { filter, keys, bridges, choices, ..Scan::over(table) }
}
