//! The bridge from meaning to plan.
//!
//! A cell expression becomes aggregates of scans and a formula over them. Each aggregate gets a scan of its own
//! with the conditions and roles that are in force where it stands; equal scans are merged by a rewrite.

mod facts;

use crate::bound::{Bound, BoundAggregate, BoundKind, RoleUse};
use crate::messages;
use crate::model::{MeasureId, Model};
use crate::question::{BoundList, BoundQuery, Question, show_format};
use crate::route::RouteError;
use std::collections::BTreeSet;
use vembra_plan::{
    Aggregate, AggregateRef, Axis, ColumnId, ColumnRef, Expr, Function, Level, List, ListColumn, Output,
    Query, Scalar, Scan, ScanId, Sort, SortKey, TableId,
};
use vembra_syntax::{Diagnostic, Place, Sources};

pub use facts::format_of;

/// The different values of a column, for messages about values that it never holds.
pub trait KnownValues {
    /// All values in order, without null; `None` if they are not known.
    fn values(&self, column: ColumnId) -> Option<Vec<Scalar>>;
}

/// A plan.
#[derive(Clone, Debug)]
pub enum Plan {
    /// Of a summary.
    Query(Query),
    /// Of a list.
    List(List),
}

/// The plan of a question, with notes and warnings; none if there are errors.
pub fn plan(
    model: &Model,
    sources: &Sources,
    question: &Question,
    known: &dyn KnownValues,
) -> (Option<Plan>, Vec<Diagnostic>) {
    let mut lowering = Lowering::new(model, sources);
    let plan = match question {
        Question::Summary(query) => lowering.query(query).map(Plan::Query),
        Question::List(list) => lowering.list(list).map(Plan::List),
    };
    lowering.never_held(question, known);
    let mut diagnostics = Vec::new();
    for diagnostic in lowering.diagnostics {
        if !diagnostics.contains(&diagnostic) {
            diagnostics.push(diagnostic);
        }
    }
    (plan, diagnostics)
}

/// Where an expression is evaluated: the roles asked for, the outermost first, and the conditions added.
#[derive(Clone, Default)]
struct Context<'a> {
    roles: Vec<RoleUse>,
    conditions: Vec<&'a Bound>,
    /// The measure whose formula this is, as the question names it.
    measure: Option<MeasureId>,
}

/// The figure that a row expression belongs to, for messages.
#[derive(Clone, Copy)]
struct Figure<'a> {
    place: Place,
    aggregate: &'a BoundAggregate,
    measure: Option<MeasureId>,
}

/// What a column is used for.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Use {
    Split,
    Filter,
    Value,
}

pub(crate) struct Lowering<'a> {
    model: &'a Model,
    sources: &'a Sources,
    pub(crate) diagnostics: Vec<Diagnostic>,
    scans: Vec<Scan>,
    /// Roles that were asked for by a clause, and those that chose a link.
    asked: BTreeSet<RoleUse>,
    used: BTreeSet<RoleUse>,
}

impl<'a> Lowering<'a> {
    pub(crate) fn new(model: &'a Model, sources: &'a Sources) -> Self {
        Self {
            model,
            sources,
            diagnostics: Vec::new(),
            scans: Vec::new(),
            asked: BTreeSet::new(),
            used: BTreeSet::new(),
        }
    }

    fn fail<T>(&mut self, diagnostic: Diagnostic) -> Option<T> {
        if !self.diagnostics.contains(&diagnostic) {
            self.diagnostics.push(diagnostic);
        }
        None
    }

    /// The formula of a computed column.
    pub(crate) fn column_formula(&mut self, bound: &Bound, table: TableId) -> Option<Expr<ColumnRef>> {
        self.row(bound, table, &[], None, Use::Value)
    }

    fn query(&mut self, query: &BoundQuery) -> Option<Query> {
        let context = Context { roles: query.via.clone(), ..Context::default() };
        self.asked.extend(&query.via);
        let mut outputs = Vec::new();
        for show in &query.shows {
            let expr = self.cell(&show.expr, &context, query);
            outputs.push(expr.map(|expr| Output {
                name: show.name.clone(),
                label: show.label.clone(),
                expr,
                format: show_format(self.model, show),
                not_additive: facts::not_additive(self.model, self.sources, &show.expr),
            }));
        }
        let axes: Vec<Option<Axis>> = (0..query.axes.len()).map(|at| self.axis(query, at)).collect();
        let outputs: Option<Vec<Output>> = outputs.into_iter().collect();
        let axes: Option<Vec<Axis>> = axes.into_iter().collect();
        self.roles_without_effect();
        let sort = query.sort.iter().map(|s| Sort { key: s.key, descending: s.descending }).collect();
        let plan = Query {
            axes: axes?,
            row_axes: query.row_axes,
            scans: std::mem::take(&mut self.scans),
            outputs: outputs?,
            levels: levels(query),
            sort,
            keep_empty: query.keep_empty,
            totals_on_rows: query.totals_on_rows,
            totals_on_columns: query.totals_on_columns,
        };
        Some(plan)
    }

    /// A cell expression in a context.
    fn cell(
        &mut self,
        bound: &Bound,
        context: &Context<'_>,
        query: &BoundQuery,
    ) -> Option<Expr<AggregateRef>> {
        match &bound.kind {
            BoundKind::Literal(value) => Some(Expr::Literal(value.clone())),
            BoundKind::Measure(id) => {
                let formula = self.model.measure(*id).formula.clone();
                let mut context = context.clone();
                context.measure = context.measure.or(Some(*id));
                self.cell(&formula, &context, query)
            }
            BoundKind::Call(function, args) => {
                let args: Vec<Option<Expr<AggregateRef>>> =
                    args.iter().map(|a| self.cell(a, context, query)).collect();
                let args: Option<Vec<Expr<AggregateRef>>> = args.into_iter().collect();
                Some(Expr::Call { function: *function, args: args?, ty: bound.ty })
            }
            BoundKind::Claused { inner, via, conditions } => {
                self.asked.extend(via);
                let mut context = context.clone();
                context.roles.extend(via);
                context.conditions.extend(conditions);
                self.cell(inner, &context, query)
            }
            BoundKind::Aggregate(aggregate) => self.scan(bound, aggregate, context, query),
            BoundKind::Column(..) => {
                let text = self.sources.slice(bound.place).to_owned();
                self.fail(messages::row_in_cell(bound.place, &text, "its table", bound.ty.is_number()))
            }
        }
    }

    /// A scan for one aggregate.
    fn scan(
        &mut self,
        bound: &Bound,
        aggregate: &BoundAggregate,
        context: &Context<'_>,
        query: &BoundQuery,
    ) -> Option<Expr<AggregateRef>> {
        let table = aggregate.table;
        let roles = self.roles_of(table, context, query)?;
        let figure = Some(Figure { place: bound.place, aggregate, measure: context.measure });
        let keys = self.rows(query.axes.iter().map(|a| &a.expr), table, &roles, figure, Use::Split);
        let filter = self.rows(query.filters.iter(), table, &roles, figure, Use::Filter);
        let conditions = context.conditions.iter().copied().chain(&aggregate.condition);
        let condition = self.rows(conditions, table, &roles, figure, Use::Filter);
        let value = self.rows(aggregate.value.iter(), table, &roles, figure, Use::Value);
        let by = self.rows(aggregate.by.iter(), table, &roles, figure, Use::Value);
        let plan = Aggregate {
            function: aggregate.function,
            value: value?.pop(),
            by: by?.pop(),
            parameter: aggregate.parameter.clone(),
            condition: condition?,
            ty: bound.ty,
        };
        self.scans.push(Scan { table, filter: filter?, keys: keys?, aggregates: vec![plan] });
        let scan = ScanId(self.scans.len() as u32 - 1);
        Some(Expr::Leaf(AggregateRef { scan, index: 0, ty: bound.ty }))
    }

    /// The roles in force for a fact: a role of the question that the fact does not have leaves it on its default.
    fn roles_of(
        &mut self,
        table: TableId,
        context: &Context<'_>,
        query: &BoundQuery,
    ) -> Option<Vec<RoleUse>> {
        let mut roles = Vec::new();
        for used in &context.roles {
            if self.model.has_role(table, used.role) {
                roles.push(*used);
                continue;
            }
            let fact = self.model.schema.table(table).name.clone();
            let role = self.model.role_name(used.role).to_owned();
            self.used.insert(*used);
            if query.via.contains(used) {
                let note = messages::stays_on_default(used.place, &fact, &role);
                self.fail::<()>(note);
            } else {
                return self.fail(messages::no_role(used.place, &fact, &role));
            }
        }
        Some(roles)
    }

    fn rows<'b>(
        &mut self,
        exprs: impl Iterator<Item = &'b Bound>,
        table: TableId,
        roles: &[RoleUse],
        figure: Option<Figure<'_>>,
        purpose: Use,
    ) -> Option<Vec<Expr<ColumnRef>>> {
        let lowered: Vec<Option<Expr<ColumnRef>>> =
            exprs.map(|e| self.row(e, table, roles, figure, purpose)).collect();
        lowered.into_iter().collect()
    }

    /// A row expression, seen from the rows of `table`.
    fn row(
        &mut self,
        bound: &Bound,
        table: TableId,
        roles: &[RoleUse],
        figure: Option<Figure<'_>>,
        purpose: Use,
    ) -> Option<Expr<ColumnRef>> {
        match &bound.kind {
            BoundKind::Literal(value) => Some(Expr::Literal(value.clone())),
            BoundKind::Call(function, args) => {
                let args: Vec<Option<Expr<ColumnRef>>> =
                    args.iter().map(|a| self.row(a, table, roles, figure, purpose)).collect();
                let args: Option<Vec<Expr<ColumnRef>>> = args.into_iter().collect();
                Some(Expr::Call { function: *function, args: args?, ty: bound.ty })
            }
            BoundKind::Column(column, role) => {
                match self.model.route_to_thing(table, *column, *role, roles) {
                    Ok((column, route)) => {
                        self.used.extend(&route.chosen_by);
                        let ty = self.model.schema.column(column).ty;
                        Some(Expr::Leaf(ColumnRef { path: route.path, column, ty }))
                    }
                    Err(error) => {
                        let message =
                            self.route_message(&error, bound.place, table, *column, figure, purpose);
                        self.fail(message)
                    }
                }
            }
            _ => {
                let text = self.sources.slice(bound.place).to_owned();
                self.fail(messages::cell_in_row(bound.place, &text))
            }
        }
    }

    fn route_message(
        &self,
        error: &RouteError,
        place: Place,
        table: TableId,
        column: ColumnId,
        figure: Option<Figure<'_>>,
        purpose: Use,
    ) -> Diagnostic {
        let schema = &self.model.schema;
        let name = |t: TableId| schema.table(t).name.clone();
        let target = schema.column(column).table;
        match error {
            RouteError::None => {
                let reached = self.model.reachable_tables(table);
                let reached: Vec<&str> =
                    reached.iter().skip(1).map(|t| schema.table(*t).name.as_str()).collect();
                let figure_place = figure.map_or(place, |f| f.place);
                let figure_text = figure.map(|f| self.figure_text(&f)).unwrap_or_default();
                messages::unreachable(&messages::Unreachable {
                    place,
                    figure: figure_place,
                    figure_text: &figure_text,
                    fact: &name(table),
                    attribute: &schema.qualified(column),
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
                messages::no_default(place, &name(*from), &name(*to), &schema.column(column).name, &roles)
            }
            RouteError::TooCoarse { link } => {
                let by: Vec<String> = schema.link(*link).to.iter().map(|c| schema.qualified(*c)).collect();
                messages::too_coarse(place, &name(table), &by.join(", "), &schema.qualified(column))
            }
            RouteError::Several { through } => {
                let through: Vec<String> = through.iter().map(|t| name(*t)).collect();
                messages::several_routes(place, &name(table), &name(target), &through)
            }
            RouteError::NoRole(role) => messages::no_role(place, &name(table), self.model.role_name(*role)),
        }
    }

    /// How a message calls a figure: by its text.
    fn figure_text(&self, figure: &Figure<'_>) -> String {
        if let Some(measure) = figure.measure {
            return self.model.measure(measure).name.clone();
        }
        let text = self.sources.slice(figure.place);
        if text.is_empty() { figure.aggregate.function.name().to_owned() } else { text.to_owned() }
    }

    /// An axis with the table that holds its members.
    fn axis(&mut self, query: &BoundQuery, at: usize) -> Option<Axis> {
        let axis = &query.axes[at];
        let (home, pinned) = self.home(&axis.expr);
        let same_home = |other: usize| self.home(&query.axes[other].expr) == (home, pinned);
        let together = (0..query.axes.len()).find(|other| same_home(*other)).unwrap_or(at);
        let unpinned = unpin(&axis.expr);
        let member = self.row(&unpinned, home, &[], None, Use::Value)?;
        let mut member_filter = Vec::new();
        for condition in query.filters.iter().flat_map(conjuncts) {
            if self.home(condition) == (home, pinned) && self.only_home(condition, home) {
                member_filter.push(self.row(&unpin(condition), home, &[], None, Use::Filter)?);
            }
        }
        Some(Axis {
            name: axis.name.clone(),
            label: axis.label.clone(),
            ty: axis.expr.ty,
            order: self.model.order_of(&axis.expr),
            format: format_of(self.model, &axis.expr).filter(|_| axis.expr.ty.is_number()),
            home,
            member,
            member_filter,
            together,
        })
    }

    /// The table whose rows have the values of a row expression, and the role that pins it.
    fn home(&self, bound: &Bound) -> (TableId, Option<vembra_plan::RoleId>) {
        let columns = bound.columns();
        let tables: Vec<TableId> =
            columns.iter().map(|(c, _, _)| self.model.schema.column(*c).table).collect();
        let all = |t: &TableId| columns.iter().all(|(c, _, _)| self.model.reaches(*t, *c, None));
        let home = tables
            .iter()
            .copied()
            .find(|t| all(t))
            .unwrap_or_else(|| tables.first().copied().unwrap_or(TableId(0)));
        (home, columns.iter().find_map(|(_, role, _)| *role))
    }

    fn only_home(&self, bound: &Bound, home: TableId) -> bool {
        bound.columns().iter().all(|(c, _, _)| self.model.schema.column(*c).table == home)
    }

    /// Warns of clauses that changed nothing.
    fn roles_without_effect(&mut self) {
        let idle: Vec<RoleUse> = self.asked.difference(&self.used).copied().collect();
        for used in idle {
            let target = self.model.role_target(used.role);
            let target = target.map_or(String::new(), |t| self.model.schema.table(t).name.clone());
            let role = self.model.role_name(used.role).to_owned();
            self.diagnostics.push(messages::via_without_effect(used.place, &role, &target));
        }
    }

    fn list(&mut self, list: &BoundList) -> Option<List> {
        let roles = &list.via;
        let table = list.table;
        let filter = self.rows(list.filters.iter(), table, roles, None, Use::Filter);
        let exprs = self.rows(list.columns.iter().map(|c| &c.expr), table, roles, None, Use::Value);
        let sorts = self.rows(list.sort.iter().map(|(e, _)| e), table, roles, None, Use::Value);
        let columns = list.columns.iter().zip(exprs?).map(|(column, expr)| ListColumn {
            name: column.name.clone(),
            label: column.label.clone(),
            expr,
            format: show_format(self.model, column),
        });
        Some(List {
            table,
            columns: columns.collect(),
            filter: filter?,
            sort: sorts?.into_iter().zip(list.sort.iter().map(|(_, descending)| *descending)).collect(),
            limit: list.limit,
        })
    }
}

/// The levels of lines: for each shown count of row axes each shown count of column axes, the details first.
/// Values that rows are sorted by need a level over all columns.
fn levels(query: &BoundQuery) -> Vec<Level> {
    let (rows, columns) = (query.row_axes, query.axes.len() - query.row_axes);
    let counts = |most: usize, totals: bool| -> Vec<usize> {
        if totals { (0..=most).rev().collect() } else { vec![most] }
    };
    let shown_columns = counts(columns, query.totals_on_columns.is_some());
    let mut levels = Vec::new();
    for rows in counts(rows, query.totals_on_rows.is_some()) {
        levels.extend(shown_columns.iter().map(|columns| Level { rows, columns: *columns, shown: true }));
    }
    let by_value = query.sort.iter().any(|s| matches!(s.key, SortKey::Output(_)));
    if by_value {
        let depths = if query.totals_on_rows.is_some() { 1..=rows } else { rows..=rows };
        for rows in depths {
            if !levels.iter().any(|l| l.rows == rows && l.columns == 0) {
                levels.push(Level { rows, columns: 0, shown: false });
            }
        }
    }
    levels
}

/// The conditions that `and` joins.
pub(crate) fn conjuncts(bound: &Bound) -> Vec<&Bound> {
    match &bound.kind {
        BoundKind::Call(Function::And, args) => args.iter().flat_map(conjuncts).collect(),
        _ => vec![bound],
    }
}

/// The same with every column seen from its own table.
fn unpin(bound: &Bound) -> Bound {
    let kind = match &bound.kind {
        BoundKind::Column(column, _) => BoundKind::Column(*column, None),
        BoundKind::Call(function, args) => BoundKind::Call(*function, args.iter().map(unpin).collect()),
        other => other.clone(),
    };
    Bound { kind, ty: bound.ty, place: bound.place }
}
