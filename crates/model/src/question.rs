//! Questions with their names resolved.

use crate::bind::Binder;
use crate::bound::{Bound, BoundKind, Grain, RoleUse};
use crate::lower;
use crate::messages;
use crate::model::Model;
use std::collections::BTreeSet;
use vembra_plan::{SortKey, TableId, TotalsPlace};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Diagnostic, Place, SourceId, Sources, SyntaxKind, SyntaxNode};

/// A question.
#[derive(Clone, Debug)]
pub enum Question {
    /// Cells over axes.
    Summary(BoundQuery),
    /// Single rows.
    List(BoundList),
}

/// A question that summarises.
#[derive(Clone, Debug, Default)]
pub struct BoundQuery {
    /// The axes, those of the rows first.
    pub axes: Vec<BoundAxis>,
    /// How many stand on rows.
    pub row_axes: usize,
    /// What is shown.
    pub shows: Vec<BoundShow>,
    /// Conditions that all must hold.
    pub filters: Vec<Bound>,
    /// Roles for all measures that have none of their own.
    pub via: Vec<RoleUse>,
    /// The order.
    pub sort: Vec<BoundSort>,
    /// Whether members without rows are shown.
    pub keep_empty: bool,
    /// Totals over rows.
    pub totals_on_rows: Option<TotalsPlace>,
    /// Totals over columns.
    pub totals_on_columns: Option<TotalsPlace>,
}

/// An axis.
#[derive(Clone, Debug)]
pub struct BoundAxis {
    /// The name in the answer.
    pub name: String,
    /// The heading.
    pub label: String,
    /// The attribute.
    pub expr: Bound,
}

/// A figure that is shown, or a column of a list.
#[derive(Clone, Debug)]
pub struct BoundShow {
    /// The name in the answer.
    pub name: String,
    /// The heading.
    pub label: String,
    /// The expression.
    pub expr: Bound,
}

/// One step of the order of a summary.
#[derive(Clone, Copy, Debug)]
pub struct BoundSort {
    /// By what.
    pub key: SortKey,
    /// Largest first.
    pub descending: bool,
}

/// A question for single rows.
#[derive(Clone, Debug)]
pub struct BoundList {
    /// The table.
    pub table: TableId,
    /// What is shown of each row.
    pub columns: Vec<BoundShow>,
    /// Conditions that all must hold.
    pub filters: Vec<Bound>,
    /// Roles for columns of linked tables.
    pub via: Vec<RoleUse>,
    /// The order, and whether it is descending.
    pub sort: Vec<(Bound, bool)>,
    /// How many rows at most.
    pub limit: Option<usize>,
}

/// Resolves the names of a question. `sources` has the texts of the model and of the question.
pub fn ask(
    model: &Model,
    sources: &Sources,
    source: SourceId,
    root: &SyntaxNode,
) -> (Option<Question>, Vec<Diagnostic>) {
    let names: Vec<String> = model.measures.iter().map(|m| m.name.clone()).collect();
    let mut diagnostics = Vec::new();
    let binder = Binder {
        model,
        sources,
        measures: &names,
        source,
        prefer: None,
        rows: false,
        diagnostics: &mut diagnostics,
    };
    let mut asker = Asker { binder, root };
    let question = match ast::ListQuery::cast(root.clone()) {
        Some(list) => asker.list(&list).map(Question::List),
        None => asker.summary().map(Question::Summary),
    };
    (question, diagnostics)
}

struct Asker<'a, 'b> {
    binder: Binder<'a>,
    root: &'b SyntaxNode,
}

impl Asker<'_, '_> {
    fn refuse_later(&mut self) {
        // Words inside a call are said by the call.
        let in_call = |n: &SyntaxNode| n.parent().is_some_and(|p| p.kind() == SyntaxKind::Call);
        let later = self.root.descendants().filter(|n| n.kind() == SyntaxKind::LaterClause && !in_call(n));
        let found: Vec<Diagnostic> = later
            .map(|n| messages::not_built(ast::place_of(&n, self.binder.source), &ast::first_word(&n)))
            .collect();
        self.binder.diagnostics.extend(found);
    }

    fn summary(&mut self) -> Option<BoundQuery> {
        self.refuse_later();
        let rows: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::RowsClause);
        let columns: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::ColumnsClause);
        let row_axes = rows.len();
        let axes: Vec<Option<BoundAxis>> = rows.iter().chain(&columns).map(|item| self.axis(item)).collect();
        let items: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::ShowClause);
        let shows: Vec<Option<BoundShow>> = items.iter().map(|item| self.show(item)).collect();
        let (filters, via) = (self.filters(), self.via());
        let axes: Option<Vec<BoundAxis>> = axes.into_iter().collect();
        let shows: Option<Vec<BoundShow>> = shows.into_iter().collect();
        let (axes, shows) = (axes?, shows?);
        self.unique_names(&axes, &shows)?;
        let sort = self.sort(&axes, &shows)?;
        let totals: Vec<ast::TotalsItem> = ast::clause_items(self.root, SyntaxKind::TotalsClause);
        let totals_on = |columns: bool| {
            let item = totals.iter().find(|t| t.is_columns() == columns)?;
            Some(if item.is_first() { TotalsPlace::First } else { TotalsPlace::Last })
        };
        let keep_empty = self.root.children().any(|c| c.kind() == SyntaxKind::KeepEmptyClause);
        Some(BoundQuery {
            totals_on_rows: totals_on(false).filter(|_| row_axes > 0),
            totals_on_columns: totals_on(true).filter(|_| axes.len() > row_axes),
            axes,
            row_axes,
            shows,
            filters: filters?,
            via: via?,
            sort,
            keep_empty,
        })
    }

    fn axis(&mut self, item: &ast::Item) -> Option<BoundAxis> {
        let expr = item.expr()?;
        let bound = self.binder.expr(&expr)?;
        let constant = match self.binder.model.grain(&bound) {
            Grain::Row(_) => None,
            Grain::Constant => Some(true),
            Grain::Cell => Some(false),
        };
        if let Some(constant) = constant {
            return self.binder.fail(messages::not_an_axis(bound.place, constant));
        }
        let name = item.alias().map_or_else(|| plain_text(&expr), |a| a.name());
        let label = match (item.alias(), &bound.kind) {
            (None, BoundKind::Column(column, None)) => self.binder.model.column_info(*column).label,
            _ => None,
        };
        Some(BoundAxis { label: label.unwrap_or_else(|| name.clone()), name, expr: bound })
    }

    fn show(&mut self, item: &ast::Item) -> Option<BoundShow> {
        let expr = item.expr()?;
        let bound = self.binder.expr(&expr)?;
        if matches!(self.binder.model.grain(&bound), Grain::Row(_)) {
            let message = self.binder.row_in_cell(&bound);
            return self.binder.fail(message);
        }
        Some(self.named(item, &expr, bound))
    }

    /// A shown expression with its name: the one given, or its text.
    fn named(&self, item: &ast::Item, expr: &Expr, bound: Bound) -> BoundShow {
        let name = item.alias().map_or_else(|| plain_text(expr), |a| a.name());
        let model = self.binder.model;
        let label = match (item.alias(), &bound.kind) {
            (None, BoundKind::Measure(id)) => model.measure(*id).label.clone(),
            (None, BoundKind::Column(column, None)) => model.column_info(*column).label,
            _ => None,
        };
        BoundShow { label: label.unwrap_or_else(|| name.clone()), name, expr: bound }
    }

    fn unique_names(&mut self, axes: &[BoundAxis], shows: &[BoundShow]) -> Option<()> {
        let mut seen = BTreeSet::new();
        let axes = axes.iter().map(|a| (&a.name, a.expr.place));
        let shows = shows.iter().map(|s| (&s.name, s.expr.place));
        for (name, place) in axes.chain(shows) {
            if !seen.insert(name) {
                return self.binder.fail(messages::shown_twice(place, name));
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
        clause.map(|c| c.roles()).unwrap_or_default().iter().map(|name| self.binder.role(name)).collect()
    }

    fn sort(&mut self, axes: &[BoundAxis], shows: &[BoundShow]) -> Option<Vec<BoundSort>> {
        let items: Vec<ast::SortItem> = ast::clause_items(self.root, SyntaxKind::SortClause);
        let mut sorts = Vec::new();
        for item in items {
            let expr = item.expr()?;
            let text = plain_text(&expr);
            let axis = axes.iter().position(|a| a.name == text).map(SortKey::Axis);
            let output = || shows.iter().position(|s| s.name == text).map(SortKey::Output);
            let key = axis.or_else(output).or_else(|| self.sort_by_meaning(&expr, axes, shows));
            match key {
                Some(key) => sorts.push(BoundSort { key, descending: item.is_descending() }),
                None => {
                    let place = expr.place(self.binder.source);
                    if self.binder.diagnostics.is_empty() {
                        self.binder.diagnostics.push(messages::sort_by_unshown(place, &text));
                    }
                    return None;
                }
            }
        }
        Some(sorts)
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
        self.refuse_later();
        let items: Vec<ast::Item> = ast::clause_items(self.root, SyntaxKind::ShowClause);
        let table = match list.table() {
            Some(name) => self.binder.table(&name)?,
            None => {
                let place = list.place(self.binder.source);
                return self.binder.fail(messages::no_rows_named(Place { start: place.end, ..place }));
            }
        };
        self.binder.prefer = Some(table);
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
                    let place = Place { source, start: range.start().into(), end: range.end().into() };
                    return self.binder.fail(messages::bad_parameter(
                        place,
                        "a limit is a whole number",
                        "limit 20",
                    ));
                }
            },
            None => None,
        };
        self.unique_names(&[], &columns)?;
        Some(BoundList { table, columns, filters: filters?, via: via?, sort, limit })
    }

    fn list_column(&mut self, item: &ast::Item) -> Option<BoundShow> {
        let expr = item.expr()?;
        let bound = self.binder.expr(&expr)?;
        if self.binder.model.grain(&bound) == Grain::Cell {
            let message = self.binder.cell_in_row(&bound);
            return self.binder.fail(message);
        }
        Some(self.named(item, &expr, bound))
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
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The format that a shown expression inherits.
pub(crate) fn show_format(model: &Model, show: &BoundShow) -> Option<String> {
    lower::format_of(model, &show.expr)
}
