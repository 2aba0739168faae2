//! Expressions of rows: columns by route, and figures that are looked up.

use super::context::{Context, Step};
use super::{Lowering, Use};
use crate::bound::{Bound, BoundAggregate, BoundKind, Clauses, Detail, RoleUse, What};
use crate::ids::MeasureId;
use crate::messages;
use crate::route::RouteError;
use vembra_plan::{
    ColumnId, ColumnRef, Expr, Function, KeyFrom, KeyId, Lookup, LookupKey, NodeId, RowExpr, RowLeaf, Scalar,
    TableId, Type,
};
use vembra_syntax::{Diagnostic, Span};

/// The figure that a row expression belongs to, for messages.
#[derive(Clone, Copy)]
pub(super) struct Figure<'a> {
    pub(super) span: Span,
    pub(super) aggregate: Option<&'a BoundAggregate>,
    pub(super) measure: Option<MeasureId>,
}

/// Whose rows an expression is about, and what for.
#[derive(Clone, Copy)]
pub(super) struct RowScope<'a> {
    /// The table whose rows are read.
    pub(super) table: TableId,
    /// The roles that columns and keys follow.
    pub(super) roles: &'a [RoleUse],
    /// What figures that are looked up see.
    pub(super) context: &'a Context,
    /// The figure that it belongs to, if it does.
    pub(super) figure: Option<Figure<'a>>,
    pub(super) purpose: Use,
}

impl<'a> RowScope<'a> {
    /// The same rows for another purpose.
    pub(super) fn to(self, purpose: Use) -> Self {
        Self { purpose, ..self }
    }

    /// The same rows where figures that are looked up see something else.
    pub(super) fn seeing<'b>(self, context: &'b Context) -> RowScope<'b>
    where
        'a: 'b,
    {
        RowScope { context, ..self }
    }
}

impl Lowering<'_> {
    /// An expression of the rows of `table` that belongs to no figure. Its columns follow the roles of `context`; figures that it looks
    /// up see all of `context`.
    pub(super) fn row(
        &mut self,
        bound: &Bound,
        table: TableId,
        context: &Context,
        purpose: Use,
    ) -> Option<RowExpr> {
        let roles = context.roles();
        self.row_in(bound, RowScope { table, roles: &roles, context, figure: None, purpose })
    }

    /// An expression of rows.
    pub(super) fn row_in(&mut self, bound: &Bound, scope: RowScope<'_>) -> Option<RowExpr> {
        self.step(bound.span)?;
        match &bound.kind {
            BoundKind::Literal(value) => Some(Expr::Literal(value.clone())),
            BoundKind::Param(id) => match self.params.get(id).cloned() {
                Some(value) => {
                    let value = vembra_plan::call::convert(value, bound.ty).unwrap_or(Scalar::Null);
                    Some(Expr::Literal(value))
                }
                None => {
                    let name = self.model.param(*id).name.clone();
                    self.fail(messages::param_without_value(bound.span, &name))
                }
            },
            BoundKind::Call(function, args) => {
                let args: Vec<Option<RowExpr>> = args.iter().map(|a| self.row_in(a, scope)).collect();
                let args: Option<Vec<RowExpr>> = args.into_iter().collect();
                if let Function::WorkingDays | Function::WorkingDay = function {
                    return self.working_row(*function, &args?, bound.span);
                }
                Some(Expr::Call { function: *function, args: args?, ty: bound.ty })
            }
            BoundKind::Column(column, role) => {
                match self.model.route_to_thing(scope.table, *column, *role, scope.roles) {
                    Ok((column, route)) => {
                        self.used.extend(&route.chosen_by);
                        let ty = self.model.schema.column(column).ty;
                        Some(Expr::Leaf(RowLeaf::Column(ColumnRef { path: route.path, column, ty })))
                    }
                    Err(error) => {
                        if let Ok(Some(crossing)) =
                            self.model.bridged(scope.table, *column, *role, scope.roles)
                        {
                            let message =
                                self.model.several_rows(bound.span, scope.table, *column, &crossing);
                            return self.fail(message);
                        }
                        let message = self.route_message(&error, bound.span, *column, scope);
                        self.fail(message)
                    }
                }
            }
            BoundKind::Measure(id) => {
                self.is_sound(*id, bound.span)?;
                let model = self.model;
                self.row_in(&model.measure(*id).formula, scope)
            }
            BoundKind::Treatment(treatment) => self.row_in(&treatment.formula, scope),
            BoundKind::StandsOn(_) | BoundKind::CellEdge { .. } => {
                let node = self.figure(bound, &scope.context.clone().of_another_figure())?;
                Some(self.looked_up(node, Vec::new()))
            }
            BoundKind::Claused(inner, clauses) => self.lookup(inner, clauses, scope),
            BoundKind::Aggregate(_) | BoundKind::Window(_) => {
                let text = self.sources.slice(bound.span).to_owned();
                self.fail(messages::cell_in_row(
                    bound.span,
                    &text,
                    self.model.derived_column(&text).as_deref(),
                ))
            }
        }
    }

    /// The figure of a row at a detail of its own.
    fn lookup(&mut self, inner: &Bound, clauses: &Clauses, scope: RowScope<'_>) -> Option<RowExpr> {
        let (inside, derived) = self.inside(clauses, scope.context);
        let mut inside = inside.of_another_figure();
        if !derived.is_empty() {
            // The cell has no code for a member that it only settles.
            return self.fail(messages::along_inside(inner.span));
        }
        match &clauses.detail {
            None => self.row_in(inner, scope.seeing(&inside)),
            Some(Detail::Cell) => {
                let node = self.figure(inner, &inside)?;
                Some(self.looked_up(node, Vec::new()))
            }
            Some(Detail::Overall) => {
                inside.steps.push(Step::Forget { what: What::All, filters: true, but: Vec::new() });
                let node = self.figure(inner, &inside)?;
                Some(self.looked_up(node, Vec::new()))
            }
            Some(Detail::Per(keys)) => {
                let ids = self.detail_keys(keys, &inside);
                let node = self.figure(inner, &inside.with_keys(ids.clone()))?;
                let mut own = Vec::new();
                for (key, id) in keys.iter().zip(ids) {
                    if !self.graph.node(node).keys.contains(&id) {
                        continue;
                    }
                    let kind = BoundKind::Column(key.column, key.role);
                    let ty = self.model.schema.column(key.column).ty;
                    let column = Bound { kind, ty, span: key.span };
                    own.push((id, self.row_in(&column, scope)?));
                }
                Some(self.looked_up(node, own))
            }
        }
    }

    /// A looked-up figure: its own keys come from the row, all others from the cell.
    pub(super) fn looked_up(&mut self, node: NodeId, own: Vec<(KeyId, RowExpr)>) -> RowExpr {
        let found = self.graph.node(node);
        let (ty, mut own) = (found.ty, own);
        let keys = found
            .keys
            .iter()
            .map(|key| {
                let from = own.iter().position(|(k, _)| k == key).map(|at| own.swap_remove(at).1);
                LookupKey { key: *key, from: from.map_or(KeyFrom::Cell, KeyFrom::Row) }
            })
            .collect();
        Expr::Leaf(RowLeaf::Lookup(Box::new(Lookup { node, keys, ty })))
    }

    /// A column seen from its own table.
    pub(super) fn own_column(&self, column: ColumnId) -> RowExpr {
        let ty: Type = self.model.schema.column(column).ty;
        Expr::Leaf(RowLeaf::Column(ColumnRef { path: Vec::new(), column, ty }))
    }

    fn route_message(
        &self,
        error: &RouteError,
        span: Span,
        column: ColumnId,
        scope: RowScope<'_>,
    ) -> Diagnostic {
        let RowScope { table, figure, purpose, .. } = scope;
        let schema = &self.model.schema;
        let name = |t: TableId| vembra_syntax::quote_name(&schema.table(t).name);
        let target = schema.column(column).table;
        match error {
            RouteError::None => {
                let reached = self.model.reachable_tables(table);
                let reached: Vec<&str> =
                    reached.iter().skip(1).map(|t| schema.table(*t).name.as_str()).collect();
                let told = figure.map(|figure| (figure.span, self.figure_text(&figure)));
                messages::unreachable(&messages::Unreachable {
                    span,
                    figure: told.as_ref().map(|(span, text)| (*span, text.as_str())),
                    fact: &name(table),
                    attribute: &self.model.written(column),
                    target: &name(target),
                    reached: &reached,
                    splits: purpose == Use::Split,
                })
            }
            RouteError::NoDefault { from, to } => {
                let roles: Vec<String> = schema
                    .links
                    .iter()
                    .filter(|l| {
                        schema.column(l.from[0]).table == *from && schema.column(l.to[0]).table == *to
                    })
                    .filter_map(|l| l.role.map(|r| self.model.role_name(r).to_owned()))
                    .collect();
                messages::no_default(span, &name(*from), &name(*to), &schema.column(column).name, &roles)
            }
            RouteError::TooCoarse { link } => {
                let by: Vec<String> = schema.link(*link).to.iter().map(|c| self.model.written(*c)).collect();
                messages::too_coarse(span, &name(table), &by.join(", "), &self.model.written(column))
            }
            RouteError::Several { through } => {
                let through: Vec<String> = through.iter().map(|t| name(*t)).collect();
                messages::several_routes(span, &name(table), &name(target), &through)
            }
            RouteError::NoRole(role) => messages::no_role(span, &name(table), self.model.role_name(*role)),
        }
    }

    /// How a message calls a figure: by its text.
    fn figure_text(&self, figure: &Figure<'_>) -> String {
        if let Some(measure) = figure.measure {
            return self.model.measure(measure).name.clone();
        }
        let text = self.sources.slice(figure.span);
        match figure.aggregate {
            Some(aggregate) if text.is_empty() => aggregate.function.name().to_owned(),
            _ => text.to_owned(),
        }
    }
}
