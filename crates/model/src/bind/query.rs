//! Binding of queries: axes, figures, conditions, order, choices.

use super::Binder;
use super::params::{fits, givens, settled};
use crate::bound::{Bound, BoundKind, Grain, RoleUse};
use crate::ids::ParamId;
use crate::messages;
use crate::model::Model;
use crate::param::ParamValue;
use crate::query::{
    BoundAxis, BoundList, BoundQuery, BoundShow, BoundSort, BoundSummary, BoundTop, NamedMember, Params, Walk,
};
use crate::scope::BindScope;
use std::collections::{BTreeMap, BTreeSet};
use vembra_plan::{ColumnId, FiguresPlace, Opened, Scalar, SortKey, TotalsPlace, Type};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Code, Diagnostic, SourceId, Sources, Span, SyntaxKind, SyntaxNode};

/// Resolves the names of a query. `sources` has the texts of the model and of the query; `given` are values of
/// parameters from outside, over which those of the query itself go.
pub fn ask(
    model: &Model,
    sources: &Sources,
    source: SourceId,
    root: &SyntaxNode,
    given: &BTreeMap<ParamId, ParamValue>,
) -> (Option<BoundQuery>, Vec<Diagnostic>) {
    let mut diagnostics = Vec::new();
    let mut given = given.clone();
    let known = {
        let mut binder = Binder::new(model, sources, source, BindScope::FIGURE, &mut diagnostics);
        givens(&mut binder, root, &mut given)
    };
    let (choices, params) = settled(model, &given);
    let binder = Binder::new(model, sources, source, BindScope::FIGURE, &mut diagnostics);
    let binder = Binder { choices: Some(&choices), values: Some(&params), ..binder };
    let query = known.and_then(|()| Asker::new(binder, root, &params).query());
    tell_aliases(sources, root, &mut diagnostics);
    (query, diagnostics)
}

/// Where nothing has a name that the query itself gives to what it shows, that is said: only `sort` takes such names.
fn tell_aliases(sources: &Sources, root: &SyntaxNode, diagnostics: &mut [Diagnostic]) {
    for node in root.descendants() {
        let is_figure = node.parent().is_some_and(|p| p.kind() == SyntaxKind::ShowClause);
        let Some(item) = ast::Item::cast(node) else { continue };
        let (Some(alias), Some(expr)) = (item.alias(), item.expr()) else { continue };
        for diagnostic in diagnostics.iter_mut().filter(|d| d.code == Code::V201) {
            let Some(span) = diagnostic.labels.first().map(|l| l.span) else { continue };
            if sources.slice(span) == alias.name() {
                *diagnostic = messages::alias_as_name(span, &alias.name(), &plain_text(&expr), is_figure);
            }
        }
    }
}

pub(crate) struct Asker<'a, 'b> {
    pub(crate) binder: Binder<'a>,
    pub(crate) root: &'b SyntaxNode,
    pub(crate) params: Params,
    /// How many levels of a hierarchy that is walked are opened at every member, whatever the query names.
    pub(crate) open_levels: Option<usize>,
    /// The hierarchy that is walked, once it was met.
    pub(crate) walk: Option<Walk>,
}

impl<'a, 'b> Asker<'a, 'b> {
    pub(crate) fn new(binder: Binder<'a>, root: &'b SyntaxNode, params: &Params) -> Self {
        Self { binder, root, params: params.clone(), open_levels: None, walk: None }
    }
}

impl Asker<'_, '_> {
    pub(crate) fn query(&mut self) -> Option<BoundQuery> {
        match ast::ListQuery::cast(self.root.clone()) {
            Some(list) => self.list(&list).map(|l| BoundQuery::List(Box::new(l))),
            None => self.summary().map(|q| BoundQuery::Summary(Box::new(q))),
        }
    }

    /// Totals that are asked for twice, or over a side on which nothing stands.
    fn check_totals(&mut self, totals: &[ast::TotalsItem], on_rows: bool, on_columns: bool) {
        for (at, item) in totals.iter().enumerate() {
            let span = self.binder.span(item);
            let (side, stands) = if item.is_columns() { ("columns", on_columns) } else { ("rows", on_rows) };
            if let Some(first) = totals[..at].iter().find(|t| t.is_columns() == item.is_columns()) {
                let first = self.binder.span(first);
                self.binder.diagnostics.push(messages::totals_twice(span, first, side));
            } else if !stands {
                self.binder.diagnostics.push(messages::totals_without_axis(span, side));
            }
        }
    }

    fn summary(&mut self) -> Option<BoundSummary> {
        let rows: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::RowsClause);
        let columns: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::ColumnsClause);
        let row_axes = self.axes(&rows, true);
        let column_axes = self.axes(&columns, false);
        let named = row_axes.iter().chain(&column_axes).flatten();
        self.binder.axes = named.map(|a| (a.name.clone(), a.expr.clone())).collect();
        let items: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::ShowClause);
        let shows: Vec<Option<BoundShow>> = items.iter().map(|item| self.show(item)).collect();
        let shows = self.each_also(shows);
        let shows = self.each_across(shows, row_axes.iter().chain(&column_axes).flatten());
        let (filters, via) = (self.filters(), self.via());
        let shows: Option<Vec<BoundShow>> = shows.into_iter().collect();
        let (row_axes, column_axes, shows) = (row_axes?, column_axes?, shows?);
        let rows = row_axes.len();
        let axes: Vec<BoundAxis> = row_axes.into_iter().chain(column_axes).collect();
        self.unique_names(&axes, &shows)?;
        let sort = self.sort(&axes, &shows)?;
        let having = self.having()?;
        let top = self.top(&axes)?;
        let totals: Vec<ast::TotalsItem> = ast::clause_items(self.root, SyntaxKind::TotalsClause);
        self.check_totals(&totals, rows > 0, axes.len() > rows);
        let totals_on = |columns: bool| {
            let item = totals.iter().find(|t| t.is_columns() == columns)?;
            Some(if item.is_first() { TotalsPlace::First } else { TotalsPlace::Last })
        };
        let keep_empty = self.root.children().any(|c| c.kind() == SyntaxKind::KeepEmptyClause);
        Some(BoundSummary {
            totals_on_rows: totals_on(false).filter(|_| rows > 0),
            totals_on_columns: totals_on(true).filter(|_| axes.len() > rows),
            figures: self.figures_place(),
            axes,
            row_axes: rows,
            shows,
            extra: 0,
            walk: self.walk.take(),
            filters: filters?,
            via: via?,
            sort,
            keep_empty,
            having,
            top,
            params: self.params.clone(),
        })
    }

    /// Where the figures stand.
    fn figures_place(&self) -> FiguresPlace {
        let items: Vec<ast::TotalsItem> = ast::clause_items(self.root, SyntaxKind::FiguresClause);
        match items.first().map(|item| (item.is_columns(), item.is_first())) {
            Some((true, true)) => FiguresPlace::ColumnsFirst,
            Some((false, true)) => FiguresPlace::RowsFirst,
            Some((false, false)) => FiguresPlace::RowsLast,
            Some((true, false)) | None => FiguresPlace::ColumnsLast,
        }
    }

    fn axes(&mut self, items: &[ast::Item], on_rows: bool) -> Option<Vec<BoundAxis>> {
        let mut axes = Vec::new();
        let mut failed = false;
        for (at, item) in items.iter().enumerate() {
            let found = match item.open() {
                Some(open) => self.walked(item, &open, on_rows && at + 1 == items.len()),
                None => self.axis(item).map(|axis| vec![axis]),
            };
            match found {
                Some(found) => axes.extend(found),
                None => failed = true,
            }
        }
        (!failed).then_some(axes)
    }

    /// The axes of a hierarchy that is walked: a level for every one that is opened, and one more.
    fn walked(&mut self, item: &ast::Item, open: &ast::OpenProp, last: bool) -> Option<Vec<BoundAxis>> {
        let expr = item.expr()?;
        let span = self.binder.span(&expr);
        let hierarchy = self.hierarchy(&expr);
        let Some((levels, role)) = hierarchy else {
            let what = format!("{} is not a hierarchy, so it has no levels to open", plain_text(&expr));
            return self.binder.fail(messages::bad_open(span, &what));
        };
        if !last {
            return self
                .binder
                .fail(messages::bad_open(span, "a hierarchy that is walked stands last on rows"));
        }
        let named = self.members_opened(open, &levels)?;
        let on = |level: usize| -> Vec<Scalar> {
            let values = named.iter().flat_map(|member| &member.values);
            values.filter(|(at, _)| *at == level).map(|(_, value)| value.clone()).collect()
        };
        let deepest = named.iter().flat_map(|member| &member.values).map(|(level, _)| *level).max();
        let shown = self.open_levels.unwrap_or_else(|| deepest.map_or(1, |at| at + 2)).min(levels.len());
        let model = self.binder.model;
        let axis = |(level, column): (usize, &ColumnId)| {
            let name = match role {
                Some(role) => format!("{}.{}", model.role_name(role), model.schema.column(*column).name),
                None => model.schema.qualified(*column),
            };
            let label = model.column_info(*column).label.unwrap_or_else(|| name.clone());
            let kind = BoundKind::Column(*column, role);
            let expr = Bound { kind, ty: model.schema.column(*column).ty, span };
            let opened = (level > 0).then(|| match self.open_levels {
                Some(_) => Opened::All,
                None => Opened::These(on(level - 1)),
            });
            BoundAxis { name, label, expr, opened }
        };
        let axes: Vec<BoundAxis> = levels.iter().enumerate().map(axis).collect();
        self.walk = Some(Walk { levels: axes.iter().map(|a| a.label.clone()).collect(), shown, named });
        Some(axes.into_iter().take(shown).collect())
    }

    /// The members that are opened.
    fn members_opened(&mut self, open: &ast::OpenProp, levels: &[ColumnId]) -> Option<Vec<NamedMember>> {
        let mut opened = Vec::new();
        for member in open.members() {
            let span = self.binder.span(&member);
            let mut values = Vec::new();
            for (level, column) in levels.iter().enumerate().take(levels.len() - 1) {
                let ty = self.binder.model.schema.column(*column).ty;
                let (value, _) = self.binder.attempt(|binder| binder.literal_as(&member, ty));
                let value = value.filter(|v| fits(v, ty) && !v.is_null());
                values.extend(value.map(|value| (level, value)));
            }
            if values.is_empty() {
                let what = format!("{} is not a member that can be opened", member.text());
                return self.binder.fail(messages::bad_open(span, &what));
            }
            opened.push(NamedMember { span, values });
        }
        Some(opened)
    }

    /// The levels of the hierarchy that a name stands for, and the role before its dot.
    fn hierarchy(&self, expr: &Expr) -> Option<(Vec<ColumnId>, Option<vembra_plan::RoleId>)> {
        let Expr::NameRef(name) = expr else { return None };
        let (qualifier, own) = (name.qualifier()?.name(), name.name()?.name());
        let model = self.binder.model;
        let role = model.find_role(&qualifier).filter(|_| model.find_table(&qualifier).is_none());
        let table = model.find_table(&qualifier).or_else(|| role.and_then(|r| model.role_target(r)))?;
        let found = model.hierarchies.iter().find(|h| h.table == table && h.name == own)?;
        (found.levels.len() > 1).then(|| (found.levels.clone(), role))
    }

    #[allow(clippy::option_option)] // The outer one says whether it could be bound.
    fn having(&mut self) -> Option<Option<Bound>> {
        let Some(clause) = ast::query_clause::<ast::HavingClause>(self.root) else { return Some(None) };
        let bound = self.binder.expr(&clause.condition()?)?;
        if !matches!(bound.ty, Type::Boolean | Type::Null) {
            return self.binder.fail(messages::not_a_condition(bound.span, bound.ty));
        }
        if matches!(self.binder.model.grain(&bound), Grain::Row(_)) {
            let message = self.binder.row_in_cell(&bound);
            return self.binder.fail(message);
        }
        Some(Some(bound))
    }

    #[allow(clippy::option_option)] // The outer one says whether it could be bound.
    fn top(&mut self, axes: &[BoundAxis]) -> Option<Option<BoundTop>> {
        let Some(clause) = ast::query_clause::<ast::TopClause>(self.root) else { return Some(None) };
        let span = self.binder.span(&clause);
        let count = match (clause.count(), clause.count_param()) {
            (Some(token), _) => token.text().parse().ok(),
            (None, Some(param)) => {
                let bound = self.binder.expr(&Expr::ParamRef(param))?;
                let BoundKind::Param(id) = bound.kind else {
                    return self.binder.fail(messages::bad_top(bound.span, "this is not a number"));
                };
                let value = self.params.get(&id).and_then(Scalar::physical);
                value.and_then(|v| usize::try_from(v).ok())
            }
            _ => None,
        };
        let Some(count) = count else {
            return self.binder.fail(messages::bad_top(span, "how many are wanted is a whole number"));
        };
        let axis = self.axis_named(&clause.axis()?, axes)?;
        let within: Option<Vec<usize>> = clause.within().iter().map(|w| self.axis_named(w, axes)).collect();
        let within = within?;
        if within.contains(&axis) {
            return self
                .binder
                .fail(messages::bad_top(span, "members are chosen within others, not within themselves"));
        }
        let by = self.binder.expr(&clause.by()?)?;
        if matches!(self.binder.model.grain(&by), Grain::Row(_)) {
            let message = self.binder.row_in_cell(&by);
            return self.binder.fail(message);
        }
        if self.walk.is_some() {
            return self
                .binder
                .fail(messages::bad_top(span, "top does not go with a hierarchy that is walked"));
        }
        Some(Some(BoundTop {
            count,
            axis,
            by,
            smallest: clause.is_ascending(),
            within,
            ties: clause.keeps_ties(),
            rest: clause.rest(),
        }))
    }

    /// The axis that an expression names.
    fn axis_named(&mut self, expr: &Expr, axes: &[BoundAxis]) -> Option<usize> {
        let text = plain_text(expr);
        if let Some(at) = axes.iter().position(|a| a.name == text) {
            return Some(at);
        }
        let bound = self.binder.expr(expr)?;
        let same = |a: &BoundAxis| match (&a.expr.kind, &bound.kind) {
            (BoundKind::Column(a, r), BoundKind::Column(b, s)) => a == b && r == s,
            _ => false,
        };
        match axes.iter().position(same) {
            Some(at) => Some(at),
            None => self.binder.fail(messages::along_off_axis(bound.span, &text)),
        }
    }

    fn axis(&mut self, item: &ast::Item) -> Option<BoundAxis> {
        let expr = item.expr()?;
        let bound = self.binder.expr(&expr)?;
        let constant = match self.binder.model.grain(&bound) {
            Grain::Row(_) if self.binder.model.bare_figure(&bound).is_none() => None,
            Grain::Keys(_) if !bound.columns().is_empty() => None,
            Grain::Constant => Some(true),
            _ => Some(false),
        };
        if let Some(constant) = constant {
            return self.binder.fail(messages::not_an_axis(bound.span, constant));
        }
        // A parameter is called by what it stands for.
        let text = match (&expr, &bound.kind) {
            (Expr::ParamRef(_), BoundKind::Column(column, None)) => {
                self.binder.model.schema.qualified(*column)
            }
            (Expr::ParamRef(_), BoundKind::Column(column, Some(role))) => {
                let name = &self.binder.model.schema.column(*column).name;
                format!("{}.{name}", self.binder.model.role_name(*role))
            }
            _ => plain_text(&expr),
        };
        let name = item.alias().map_or(text, |a| a.name());
        let label = match (item.alias(), &bound.kind) {
            (None, BoundKind::Column(column, None)) => self.binder.model.column_info(*column).label,
            _ => None,
        };
        Some(BoundAxis { label: label.unwrap_or_else(|| name.clone()), name, expr: bound, opened: None })
    }

    pub(crate) fn show(&mut self, item: &ast::Item) -> Option<BoundShow> {
        let expr = item.expr()?;
        let bound = self.binder.expr(&expr)?;
        if matches!(self.binder.model.grain(&bound), Grain::Row(_)) {
            let message = self.binder.row_in_cell(&bound);
            return self.binder.fail(message);
        }
        Some(self.named(item, &expr, bound))
    }

    /// Behind each figure the treatments of it that `each also` asks for.
    fn each_also(&mut self, shows: Vec<Option<BoundShow>>) -> Vec<Option<BoundShow>> {
        let clause = self.root.children().find(|c| c.kind() == SyntaxKind::ShowClause);
        let also = clause.and_then(|c| c.children().find_map(ast::EachAlso::cast));
        let Some(also) = also else { return shows };
        let treatments = also.treatments();
        let mut all = Vec::new();
        for shown in shows {
            all.push(shown.clone());
            let Some(shown) = shown else { continue };
            for treatment in &treatments {
                all.push(self.binder.treated_shown(treatment, &shown.expr).map(|expr| {
                    let name = treated_name(treatment, &shown.name);
                    let label = match &expr.kind {
                        BoundKind::Treatment(treatment) => treatment.label.clone(),
                        _ => None,
                    };
                    BoundShow { label: label.unwrap_or_else(|| name.clone()), name, expr }
                }));
            }
        }
        all
    }

    /// A shown expression with its name: the one given, or its text.
    fn named(&self, item: &ast::Item, expr: &Expr, bound: Bound) -> BoundShow {
        let name = item.alias().map_or_else(|| plain_text(expr), |a| a.name());
        let model = self.binder.model;
        let label = match (item.alias(), &bound.kind) {
            (None, BoundKind::Measure(id)) => model.measure(*id).label.clone(),
            (None, BoundKind::Treatment(treatment)) => treatment.label.clone(),
            (None, BoundKind::Column(column, None)) => model.column_info(*column).label,
            _ => None,
        };
        BoundShow { label: label.unwrap_or_else(|| name.clone()), name, expr: bound }
    }

    fn unique_names(&mut self, axes: &[BoundAxis], shows: &[BoundShow]) -> Option<()> {
        let mut seen = BTreeSet::new();
        let axes = axes.iter().map(|a| (&a.name, a.expr.span));
        let shows = shows.iter().map(|s| (&s.name, s.expr.span));
        for (name, span) in axes.chain(shows) {
            if !seen.insert(name) {
                return self.binder.fail(messages::shown_twice(span, name));
            }
        }
        Some(())
    }

    fn filters(&mut self) -> Option<Vec<Bound>> {
        let clause = ast::query_clause::<ast::WhereClause>(self.root);
        let Some(condition) = clause.and_then(|c| c.condition()) else { return Some(Vec::new()) };
        self.binder.condition(&condition).map(|c| vec![c])
    }

    fn via(&mut self) -> Option<Vec<RoleUse>> {
        let clause = ast::query_clause::<ast::ViaClause>(self.root);
        let mut roles = Vec::new();
        for name in clause.map(|c| c.roles()).unwrap_or_default() {
            let role = self.binder.role(&name)?;
            self.binder.add_role(role, &mut roles)?;
        }
        Some(roles)
    }

    fn sort(&mut self, axes: &[BoundAxis], shows: &[BoundShow]) -> Option<Vec<BoundSort>> {
        let items: Vec<ast::SortItem> = ast::clause_items(self.root, SyntaxKind::SortClause);
        let mut sorts = Vec::new();
        for item in items {
            let expr = item.expr()?;
            let text = plain_text(&expr);
            match self.shown_as(&expr, axes, shows) {
                Some(key) => sorts.push(BoundSort { key, descending: item.is_descending() }),
                None => {
                    let span = expr.span(self.binder.source);
                    if self.binder.diagnostics.is_empty() {
                        self.binder.diagnostics.push(messages::sort_by_unshown(span, &text));
                    }
                    return None;
                }
            }
        }
        Some(sorts)
    }

    /// The axis or figure that an expression names: by its name in the answer, or by what it means.
    pub(crate) fn shown_as(
        &mut self,
        expr: &Expr,
        axes: &[BoundAxis],
        shows: &[BoundShow],
    ) -> Option<SortKey> {
        let text = plain_text(expr);
        let axis = axes.iter().position(|a| a.name == text).map(SortKey::Axis);
        let output = || shows.iter().position(|s| s.name == text).map(SortKey::Output);
        axis.or_else(output).or_else(|| self.sort_by_meaning(expr, axes, shows))
    }

    /// `sort month` where `calendar.month` is an axis, or a column under another spelling.
    fn sort_by_meaning(&mut self, expr: &Expr, axes: &[BoundAxis], shows: &[BoundShow]) -> Option<SortKey> {
        let bound = self.binder.expr(expr)?;
        match bound.kind {
            BoundKind::Column(column, role) => axes
                .iter()
                .position(|a| matches!(a.expr.kind, BoundKind::Column(c, r) if c == column && r == role))
                .map(SortKey::Axis),
            BoundKind::Measure(id) => shows
                .iter()
                .position(|s| matches!(s.expr.kind, BoundKind::Measure(m) if m == id))
                .map(SortKey::Output),
            _ => None,
        }
    }

    fn list(&mut self, list: &ast::ListQuery) -> Option<BoundList> {
        self.binder.scope = BindScope::listed(None);
        let items: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::ShowClause);
        let table = match list.table() {
            Some(name) => self.binder.table(&name)?,
            None => {
                let span = list.span(self.binder.source);
                return self.binder.fail(messages::no_rows_named(Span { start: span.end, ..span }));
            }
        };
        self.binder.scope = BindScope::listed(Some(table));
        let columns: Vec<Option<BoundShow>> = items.iter().map(|item| self.list_column(item)).collect();
        let (filters, via) = (self.filters(), self.via());
        let sort_items: Vec<ast::SortItem> = ast::clause_items(self.root, SyntaxKind::SortClause);
        let columns: Option<Vec<BoundShow>> = columns.into_iter().collect();
        let columns = columns?;
        let mut sort = Vec::new();
        for item in sort_items {
            let expr = item.expr()?;
            let text = plain_text(&expr);
            let bound = match columns.iter().find(|c| c.name == text) {
                Some(column) => column.expr.clone(),
                None => self.binder.expr(&expr)?,
            };
            sort.push((bound, item.is_descending()));
        }
        let limit = match list.limit() {
            Some(token) => match token.text().parse() {
                Ok(limit) => Some(limit),
                Err(_) => {
                    let range = token.text_range();
                    let source = self.binder.source;
                    let span = Span { source, start: range.start().into(), end: range.end().into() };
                    return self.binder.fail(messages::bad_parameter(
                        span,
                        "a limit is a whole number",
                        "limit 20",
                    ));
                }
            },
            None => None,
        };
        self.unique_names(&[], &columns)?;
        let params = self.params.clone();
        Some(BoundList { table, columns, filters: filters?, via: via?, sort, limit, params })
    }

    fn list_column(&mut self, item: &ast::Item) -> Option<BoundShow> {
        let expr = item.expr()?;
        let bound = self.binder.expr(&expr)?;
        if self.binder.model.bare_figure(&bound).is_some() {
            let message = self.binder.cell_in_row(&bound);
            return self.binder.fail(message);
        }
        Some(self.named(item, &expr, bound))
    }
}

/// What a treatment of a shown figure is called: as if it were written out.
fn treated_name(treatment: &Expr, shown: &str) -> String {
    let text = plain_text(treatment);
    match text.split_once('(') {
        Some((name, rest)) => format!("{}({shown}, {}", name.trim_end(), rest.trim_start()),
        None => format!("{text}({shown})"),
    }
}

/// The text of an expression without quotes around names and brackets around the whole, on one line.
fn plain_text(expr: &Expr) -> String {
    if let Expr::NameRef(name) = expr {
        let parts = name.qualifier().into_iter().chain(name.name());
        return parts.map(|n| n.name()).collect::<Vec<_>>().join(".");
    }
    let text = match expr {
        Expr::Paren(paren) => paren.inner().map_or_else(|| expr.text(), |inner| inner.text()),
        _ => expr.text(),
    };
    vembra_syntax::one_line(&text)
}
