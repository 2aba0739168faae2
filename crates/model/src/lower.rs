//! The bridge from meaning to plan.
//!
//! A context is a list of steps from the query to the place where an expression stands: roles, filters, the axes,
//! what is forgotten, date ranges, conditions, further keys. An expression in a context becomes a node of the graph;
//! an aggregate in it becomes a scan, for which the steps are taken one after the other as its table sees them.

mod bridges;
mod context;
mod figures;
mod held;
mod limits;
mod rows;
mod scans;
mod working;

use crate::bound::{Bound, BoundKind, RoleUse};
use crate::ids::MeasureId;
use crate::messages;
use crate::model::{MeasureVariant, Model};
use crate::properties::{format_of, not_additive, parts_along};
use crate::query::{BoundAxis, BoundList, BoundQuery, BoundShow, BoundSummary, Params};
use context::{Context, Step};
pub use limits::limits;
use rows::RowScope;
use std::collections::{BTreeSet, HashMap};
use std::rc::Rc;
use vembra_plan::{
    Axis, ColumnId, Formula, Function, Graph, Kept, KeptRule, Key, KeyId, Level, List, ListColumn, Node,
    NodeId, NodeKind, NotAdditive, Output, Plan, Query, RoleId, RowExpr, Scalar, ScanId, Sort, SortKey,
    TableId, Term, Type, Variant,
};
use vembra_syntax::{Diagnostic, Sources};

/// The different values of a column, for messages about values that it never holds.
pub trait KnownValues {
    /// All values in order, without null; `None` if they are not known.
    fn values(&self, column: ColumnId) -> Option<Vec<Scalar>>;

    /// Whether a value is one of a column; `None` if its values are not known.
    fn holds(&self, column: ColumnId, value: &Scalar) -> Option<bool> {
        let values = self.values(column)?;
        Some(values.binary_search_by(|v| v.compare(value)).is_ok())
    }
}

/// The plan of a query, with notes and warnings; none if there are errors.
pub fn plan(
    model: &Model,
    sources: &Sources,
    query: &BoundQuery,
    known: &dyn KnownValues,
) -> (Option<Plan>, Vec<Diagnostic>) {
    let mut lowering = Lowering::new(model, sources);
    let plan = match query {
        BoundQuery::Summary(query) => lowering.query(query).map(|q| Plan::Query(Box::new(q))),
        BoundQuery::List(list) => lowering.list(list).map(|l| Plan::List(Box::new(l))),
    };
    lowering.never_held(query, known);
    let mut diagnostics = Vec::new();
    for diagnostic in lowering.diagnostics {
        if !diagnostics.contains(&diagnostic) {
            diagnostics.push(diagnostic);
        }
    }
    (plan, diagnostics)
}

/// What a column is used for.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Use {
    Split,
    Filter,
    Value,
}

/// What a key of the graph stands for.
struct KeyUse {
    expr: Bound,
    /// For an axis whose members were chosen and have a rest: whether a member was, and by which keys.
    rest: Option<(NodeId, Vec<KeyId>)>,
}

/// A sum of more figures is not looked at term by term.
const MOST_TERMS: usize = 20;
/// How many expressions are looked at for one query.
const MOST_STEPS: usize = 200_000;

pub(crate) struct Lowering<'a> {
    model: &'a Model,
    sources: &'a Sources,
    pub(crate) diagnostics: Vec<Diagnostic>,
    graph: Graph,
    keys: Vec<KeyUse>,
    /// How many of the keys are axes, and how many of these stand on rows.
    axes: (usize, usize),
    params: Params,
    /// Where the axes and the conditions of the query are evaluated: under its plain conditions.
    plain: Context,
    /// The context of the cells of the query.
    cells: Context,
    /// Roles that were asked for by a clause, and those that chose a link.
    asked: BTreeSet<RoleUse>,
    used: BTreeSet<RoleUse>,
    /// Roles of the query itself, which facts may lack.
    query_via: Vec<RoleUse>,
    /// The nodes of measures by their contexts.
    known: HashMap<NamedFigure, NodeId>,
    /// What is looked up where working days are counted.
    working: Option<working::WorkingNodes>,
    /// How many expressions were looked at.
    steps: usize,
}

impl<'a> Lowering<'a> {
    /// Tries something: what is said about it is given back, and counts only if the caller says it.
    fn attempt<T>(&mut self, work: impl FnOnce(&mut Self) -> T) -> (T, Vec<Diagnostic>) {
        let before = std::mem::take(&mut self.diagnostics);
        let done = work(self);
        (done, std::mem::replace(&mut self.diagnostics, before))
    }

    pub(crate) fn new(model: &'a Model, sources: &'a Sources) -> Self {
        Self {
            model,
            sources,
            diagnostics: Vec::new(),
            graph: Graph::default(),
            keys: Vec::new(),
            axes: (0, 0),
            params: Params::new(),
            plain: Context::default(),
            cells: Context::default(),
            asked: BTreeSet::new(),
            used: BTreeSet::new(),
            query_via: Vec::new(),
            known: HashMap::new(),
            working: None,
            steps: 0,
        }
    }

    /// Counts an expression that is looked at; after too many there is a message.
    fn step(&mut self, span: vembra_syntax::Span) -> Option<()> {
        self.steps += 1;
        if self.steps > MOST_STEPS {
            if self.steps == MOST_STEPS + 1 {
                self.diagnostics.push(messages::too_large(span));
            }
            return None;
        }
        Some(())
    }

    fn fail<T>(&mut self, diagnostic: Diagnostic) -> Option<T> {
        if !self.diagnostics.contains(&diagnostic) {
            self.diagnostics.push(diagnostic);
        }
        None
    }

    /// The formula of a computed column, or a limit on rows.
    pub(crate) fn column_formula(&mut self, bound: &Bound, table: TableId) -> Option<Formula> {
        let expr = self.row(bound, table, &Context::default(), Use::Value)?;
        let mut formula = Formula { expr, graph: std::mem::take(&mut self.graph), counted: false };
        vembra_plan::rewrite::run_formula(&mut formula);
        Some(formula)
    }

    fn add_key(&mut self, name: String, expr: Bound, order: Vec<Scalar>) -> KeyId {
        self.graph.keys.push(Key { name, ty: expr.ty, order, rest: None, missing_as_one: false });
        self.keys.push(KeyUse { expr, rest: None });
        KeyId(self.keys.len() as u32 - 1)
    }

    /// Plain conditions first, then those that look up figures, which see the plain ones.
    fn filtered(&mut self, filters: &[Bound], via: &[RoleUse]) {
        self.query_via = via.to_vec();
        self.asked.extend(via);
        for used in via {
            self.plain.steps.push(Step::Via(*used));
        }
        let all: Vec<&Bound> = filters.iter().flat_map(conjuncts).collect();
        for condition in all.iter().filter(|c| c.is_plain()) {
            self.plain.filter(condition, 0);
        }
        self.cells = self.plain.clone();
        let seen = self.plain.steps.len();
        for condition in all.iter().filter(|c| !c.is_plain()) {
            self.cells.filter(condition, seen);
        }
    }

    fn query(&mut self, query: &BoundSummary) -> Option<Query> {
        self.params = query.params.clone();
        self.axes = (query.axes.len(), query.row_axes);
        for axis in &query.axes {
            let order = self.model.order_of(&axis.expr);
            self.add_key(axis.name.clone(), axis.expr.clone(), order);
        }
        self.filtered(&query.filters, &query.via);
        self.chosen(query)?;
        let all: Vec<KeyId> = (0..query.axes.len() as u32).map(KeyId).collect();
        self.cells.steps.push(Step::Keys(all.clone()));
        let cells = self.cells.clone();
        let mut outputs = Vec::new();
        for show in &query.shows {
            outputs.push(self.output(show, &query.axes, &cells));
        }
        let axes: Vec<Option<Axis>> = (0..query.axes.len()).map(|at| self.axis(query, at)).collect();
        let outputs: Option<Vec<Output>> = outputs.into_iter().collect();
        let axes: Option<Vec<Axis>> = axes.into_iter().collect();
        let (outputs, axes) = (outputs?, axes?);
        let shown = query.shows.iter().take(query.shows.len() - query.extra);
        let shown: Vec<&Bound> = shown.map(|s| &s.expr).collect();
        let domain = self.domain(&shown, &cells)?;
        self.roles_without_effect();
        let sort = query.sort.iter().map(|s| Sort { key: s.key, descending: s.descending }).collect();
        Some(Query {
            axes,
            row_axes: query.row_axes,
            graph: std::mem::take(&mut self.graph),
            domain,
            outputs,
            levels: levels(query),
            sort,
            keep_empty: query.keep_empty,
            totals_on_rows: query.totals_on_rows,
            totals_on_columns: query.totals_on_columns,
            figures: query.figures,
        })
    }

    /// `having` and `top` choose lines: they are filters by looked-up conditions.
    fn chosen(&mut self, query: &BoundSummary) -> Option<()> {
        if let Some(having) = &query.having {
            let rows = if query.row_axes > 0 { query.row_axes } else { query.axes.len() };
            let keys: Vec<KeyId> = (0..rows as u32).map(KeyId).collect();
            let mut context = self.cells.clone();
            context.steps.push(Step::Keys(keys.clone()));
            let condition = self.figure(having, &context)?;
            let domain = self.domain(&[having], &context)?;
            let node = self.kept(domain, KeptRule::Having(condition), keys.clone());
            self.cells.steps.push(Step::Choose(node, keys));
        }
        if let Some(top) = &query.top {
            let key = KeyId(top.axis as u32);
            let mut keys: Vec<KeyId> = top.within.iter().map(|at| KeyId(*at as u32)).chain([key]).collect();
            keys.sort();
            let mut context = self.cells.clone();
            context.steps.push(Step::Keys(keys.clone()));
            let by = self.figure(&top.by, &context)?;
            let domain = self.domain(&[&top.by], &context)?;
            let rule = KeptRule::Top { count: top.count, by, smallest: top.smallest, key, ties: top.ties };
            let node = self.kept(domain, rule, keys.clone());
            match &top.rest {
                None => self.cells.steps.push(Step::Choose(node, keys)),
                Some(label) => {
                    self.graph.keys[top.axis].rest = Some(label.clone());
                    self.keys[top.axis].rest = Some((node, keys));
                    // From here on rows are grouped otherwise on this axis.
                    self.known.clear();
                }
            }
        }
        Some(())
    }

    fn kept(&mut self, domain: Vec<ScanId>, rule: KeptRule, keys: Vec<KeyId>) -> NodeId {
        self.graph.add(Node { kind: NodeKind::Kept(Kept { domain, rule }), ty: Type::Boolean, keys })
    }

    fn output(&mut self, show: &BoundShow, axes: &[BoundAxis], cells: &Context) -> Option<Output> {
        // The terms of a sum are taken to date as the whole of it is.
        let cells = &self.dated(&show.expr, cells);
        let node = self.figure(&show.expr, cells)?;
        let (subtotal, total) = match variants(self.model, &show.expr) {
            (None, None) => (None, None),
            (subtotal, total) => {
                let mut variant = |v: Option<&MeasureVariant>| match v {
                    None => Some(None),
                    Some(v) => self.variant(&show.expr, v, cells).map(Some),
                };
                (variant(subtotal)?, variant(total)?)
            }
        };
        let own = subtotal.is_some() || total.is_some();
        let not_additive = not_additive(self.model, self.sources, &show.expr).or_else(|| self.bridged_axis());
        let parts_along = parts_along(self.model, self.sources, &show.expr, axes);
        Some(Output {
            name: show.name.clone(),
            label: show.label.clone(),
            node,
            ty: show.expr.ty,
            format: format_of(self.model, &show.expr),
            subtotal,
            total,
            not_additive: if own { Some(NotAdditive::Variant) } else { not_additive },
            parts_along: if own { Vec::new() } else { parts_along },
            terms: self.terms(&show.expr, cells),
        })
    }

    /// Where an axis lies behind a bridge: rows belong to several of its members.
    fn bridged_axis(&self) -> Option<NotAdditive> {
        let splits =
            |b: &&vembra_plan::Bridged| b.keys.iter().any(|k| k.splits && k.key.index() < self.axes.0);
        let bridge = self.graph.scans.iter().flat_map(|s| &s.bridges).find(splits)?;
        Some(NotAdditive::Bridge(self.model.schema.table(bridge.table).name.clone()))
    }

    /// The figures of a sum or difference. What looks along the lines is blank by nature where there are none, so it is left out.
    fn terms(&mut self, bound: &Bound, cells: &Context) -> Vec<Term> {
        let model = self.model;
        let mut open = vec![bound];
        let mut found: Vec<&Bound> = Vec::new();
        while let Some(bound) = open.pop() {
            match &bound.kind {
                BoundKind::Call(Function::Add | Function::Subtract, args) => open.extend(args.iter().rev()),
                BoundKind::Measure(id) => match &model.measure(*id).formula.kind {
                    BoundKind::Call(Function::Add | Function::Subtract, args) => {
                        open.extend(args.iter().rev());
                    }
                    _ => found.push(bound),
                },
                BoundKind::Treatment(treatment) => match &treatment.formula.kind {
                    BoundKind::Call(Function::Add | Function::Subtract, args) => {
                        open.extend(args.iter().rev());
                    }
                    _ => found.push(bound),
                },
                BoundKind::Literal(_) | BoundKind::Param(_) => {}
                _ => found.push(bound),
            }
            if found.len() + open.len() > MOST_TERMS {
                return Vec::new();
            }
        }
        if found.len() < 2 || found.iter().any(|b| model.has_window(b)) {
            return Vec::new();
        }
        let mut terms = Vec::new();
        for term in found {
            let text = match term.kind {
                BoundKind::Measure(id) => model.measure(id).name.clone(),
                _ => self.term_text(term),
            };
            // What is wrong with a term is wrong with the whole, and said of that.
            let (figure, _) = self.attempt(|lowering| lowering.figure(term, cells));
            terms.extend(figure.map(|node| Term { node, text }));
        }
        terms
    }

    /// A figure as it is written; one at a member that `each across` names as it would be.
    fn term_text(&self, term: &Bound) -> String {
        let text = vembra_syntax::one_line(self.sources.slice(term.span));
        if let BoundKind::Claused(inner, clauses) = &term.kind
            && inner.span == term.span
            && let [condition] = clauses.conditions.as_slice()
            && let BoundKind::Call(Function::Equal, args) = &condition.kind
            && let [Bound { kind: BoundKind::Column(column, _), .. }, member] = args.as_slice()
        {
            let member = match &member.kind {
                BoundKind::Literal(value) => value.literal(),
                _ => vembra_syntax::one_line(self.sources.slice(member.span)),
            };
            return format!("({text} where {} = {member})", self.model.written(*column));
        }
        text
    }

    /// The formula of totals, under the clauses around the measure.
    fn variant(&mut self, shown: &Bound, variant: &MeasureVariant, cells: &Context) -> Option<Variant> {
        let formula = under_clauses(shown, &variant.formula);
        let node = self.figure(&formula, cells)?;
        Some(Variant { node, ty: variant.formula.ty, format: variant.format.clone() })
    }

    /// An axis with the table that holds its members.
    fn axis(&mut self, query: &BoundSummary, at: usize) -> Option<Axis> {
        let axis = &query.axes[at];
        let (home, pinned) = self.home(&axis.expr);
        let same_home = |other: usize| self.home(&query.axes[other].expr) == (home, pinned);
        let together = (0..query.axes.len()).find(|other| same_home(*other)).unwrap_or(at);
        let unpinned = unpin(&axis.expr);
        let plain = self.plain.clone();
        let member = self.row(&unpinned, home, &plain, Use::Value)?;
        let mut member_filter = Vec::new();
        for condition in query.filters.iter().flat_map(conjuncts).filter(|c| c.is_plain()) {
            if self.home(condition) == (home, pinned) && self.only_home(condition, home) {
                member_filter.push(self.row(&unpin(condition), home, &plain, Use::Filter)?);
            }
        }
        Some(Axis {
            name: axis.name.clone(),
            label: axis.label.clone(),
            ty: axis.expr.ty,
            order: self.model.order_of(&axis.expr),
            format: format_of(self.model, &axis.expr)
                .filter(|_| axis.expr.ty.is_number())
                .map(|pattern| self.with_currency(&pattern)),
            home,
            member,
            member_filter,
            opened: axis.opened.clone(),
            together,
        })
    }

    /// A pattern in which the sign of the model's currency stands outright: members are written without asking the model.
    fn with_currency(&self, pattern: &str) -> String {
        let sign = vembra_plan::currency_sign(self.model.currency.as_deref());
        pattern.replace('¤', &format!("'{sign}'"))
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
            self.diagnostics.push(messages::via_without_effect(used.span, &role, &target));
        }
    }

    fn list(&mut self, list: &BoundList) -> Option<List> {
        self.params = list.params.clone();
        self.filtered(&list.filters, &list.via);
        let (table, cells, plain) = (list.table, self.cells.clone(), self.plain.clone());
        let mut failed = false;
        let mut each = |lowering: &mut Self, bound: &Bound, context: &Context, purpose: Use| {
            let lowered = lowering.row(bound, table, context, purpose);
            failed |= lowered.is_none();
            lowered
        };
        let conditions: Vec<&Bound> = list.filters.iter().flat_map(conjuncts).collect();
        let (roles, mut filter, mut bridges) = (plain.roles(), Vec::new(), bridges::Bridges::default());
        let scope = RowScope { table, roles: &roles, context: &plain, figure: None, purpose: Use::Filter };
        for condition in conditions {
            filter.extend(self.condition(condition, scope, &mut bridges)?);
        }
        let exprs: Vec<RowExpr> =
            list.columns.iter().filter_map(|c| each(self, &c.expr, &cells, Use::Value)).collect();
        let sorts: Vec<RowExpr> =
            list.sort.iter().filter_map(|(e, _)| each(self, e, &cells, Use::Value)).collect();
        if failed {
            return None;
        }
        let columns = list.columns.iter().zip(exprs).map(|(column, expr)| ListColumn {
            name: column.name.clone(),
            label: column.label.clone(),
            expr,
            format: format_of(self.model, &column.expr),
        });
        let columns = columns.collect();
        Some(List {
            table,
            graph: std::mem::take(&mut self.graph),
            columns,
            filter,
            bridges: bridges.bridges,
            sort: sorts.into_iter().zip(list.sort.iter().map(|(_, descending)| *descending)).collect(),
            limit: list.limit,
        })
    }
}

/// The formulas of totals of a shown measure.
fn variants<'m>(model: &'m Model, shown: &Bound) -> (Option<&'m MeasureVariant>, Option<&'m MeasureVariant>) {
    match &shown.kind {
        BoundKind::Measure(id) => {
            let measure = model.measure(*id);
            (measure.subtotal.as_ref(), measure.total.as_ref())
        }
        BoundKind::Claused(inner, clauses) if clauses.detail.is_none() => variants(model, inner),
        _ => (None, None),
    }
}

/// The formula of a shown figure on lines of a kind: totals may have one of their own.
pub fn formula_on(model: &Model, shown: &Bound, kind: vembra_plan::LevelKind) -> Bound {
    let (subtotal, total) = variants(model, shown);
    let own = match kind {
        vembra_plan::LevelKind::Detail => None,
        vembra_plan::LevelKind::Subtotal => subtotal,
        vembra_plan::LevelKind::Total => total,
    };
    own.map_or_else(|| shown.clone(), |variant| under_clauses(shown, &variant.formula))
}

/// Another formula under the clauses that stand around a measure.
fn under_clauses(shown: &Bound, formula: &Bound) -> Bound {
    match &shown.kind {
        BoundKind::Claused(inner, clauses) => {
            let inner = under_clauses(inner, formula);
            Bound {
                ty: inner.ty,
                kind: BoundKind::Claused(Box::new(inner), clauses.clone()),
                span: shown.span,
            }
        }
        _ => formula.clone(),
    }
}

/// The levels of lines: to every shown count of row axes each shown count of column axes, the details first.
/// Values that rows are sorted by need a level over all columns.
fn levels(query: &BoundSummary) -> Vec<Level> {
    let (rows, columns) = (query.row_axes, query.axes.len() - query.row_axes);
    let counts = |most: usize, totals: bool| -> Vec<usize> {
        if totals { (0..=most).rev().collect() } else { vec![most] }
    };
    let shown_columns = counts(columns, query.totals_on_columns.is_some());
    let mut shown_rows = counts(rows, query.totals_on_rows.is_some());
    // Where a hierarchy is walked, each of its levels is shown.
    let walked = query.axes.iter().position(|a| a.opened.is_some());
    if let (Some(first), None) = (walked, query.totals_on_rows) {
        shown_rows = (first..=rows).rev().collect();
    }
    let mut levels = Vec::new();
    for rows in &shown_rows {
        levels.extend(shown_columns.iter().map(|columns| Level {
            rows: *rows,
            columns: *columns,
            shown: true,
        }));
    }
    let by_value = query.sort.iter().any(|s| matches!(s.key, SortKey::Output(_)));
    if by_value {
        let nested = query.totals_on_rows.is_some() || walked.is_some();
        let depths = if nested { 1..=rows } else { rows..=rows };
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
    Bound { kind, ty: bound.ty, span: bound.span }
}

/// A measure in a context.
#[derive(PartialEq, Eq, Hash)]
struct NamedFigure {
    measure: MeasureId,
    /// The keys of the detail around, over which its values are aggregated.
    over: Vec<(ColumnId, Option<RoleId>, KeyId)>,
    context: Context,
}

/// A shared condition.
type Condition = Rc<Bound>;
