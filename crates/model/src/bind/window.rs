//! Figures among the lines shown, and what is asked of the cell itself.

use super::Binder;
use crate::bound::{Bound, BoundKind, BoundWindow, Clauses, Forget, Grain, WindowBy};
use crate::messages;
use vembra_plan::{Function, Type, WindowFunction};
use vembra_syntax::Span;
use vembra_syntax::ast::{self, Expr};

impl Binder<'_> {
    /// `rank`, `share`, `running` and `lag`.
    pub(super) fn window(&mut self, call: &ast::Call, name: &str) -> Option<Bound> {
        let span = self.span(call);
        let args = call.args();
        let [value] = args.as_slice() else {
            return self.fail(messages::wrong_count(span, name, 1, 1));
        };
        let value = self.figure(value)?;
        // A share is a figure over itself at fewer keys, and no window function of the plan.
        let window = WindowFunction::from_name(name).filter(|function| function.is_ordered());
        if let (Some(by), None) = (call.by(), window) {
            let what = format!("{name}(…) takes no by: the largest comes first");
            let example = format!("{name}(revenue among product.name)");
            return self.fail(messages::bad_parameter(self.span(&by), &what, &example));
        }
        match window {
            None => {
                let Some(among) = call.among().and_then(|a| a.forgotten()) else {
                    let what = format!("{name}(…) says among which lines");
                    let example = format!("{name}(revenue among product.name)");
                    return self.fail(messages::bad_parameter(span, &what, &example));
                };
                let what = self.forgotten(&among)?;
                if name == "share" {
                    return self.share(value, Forget { what, filters: false, span: self.span(&among) }, span);
                }
                let window =
                    BoundWindow { function: WindowFunction::Rank, value, among: Some(what), by: None };
                Some(Bound { kind: BoundKind::Window(Box::new(window)), ty: Type::Integer, span })
            }
            Some(function) => {
                let Some(by) = call.by() else {
                    let what = format!("{name}(…) says by what lines are ordered");
                    let example = format!("{name}(revenue by calendar.month)");
                    return self.fail(messages::bad_parameter(span, &what, &example));
                };
                let key = by.key()?;
                let order = match self.axis_called(&key) {
                    Some(axis) => axis,
                    None => self.expr(&key)?,
                };
                let by = match self.model.grain(&order) {
                    Grain::Row(_) => WindowBy::Axis(order),
                    _ => WindowBy::Figure(order, by.is_descending()),
                };
                if function.form().numbers_only && !value.ty.is_number() {
                    return self.fail(messages::wrong_argument(value.span, "a number", value.ty, None));
                }
                let among = match call.among().and_then(|a| a.forgotten()) {
                    Some(among) => Some(self.forgotten(&among)?),
                    None => None,
                };
                let ty = value.ty;
                let window = BoundWindow { function, value, among, by: Some(by) };
                Some(Bound { kind: BoundKind::Window(Box::new(window)), ty, span })
            }
        }
    }

    /// The axis that a bare name calls.
    fn axis_called(&self, expr: &Expr) -> Option<Bound> {
        let Expr::NameRef(name) = expr else { return None };
        let own = name.name().filter(|_| name.qualifier().is_none())?.name();
        self.axes.iter().find(|(name, _)| *name == own).map(|(_, axis)| axis.clone())
    }

    /// A figure of cells.
    fn figure(&mut self, expr: &Expr) -> Option<Bound> {
        let bound = self.expr(expr)?;
        if matches!(self.model.grain(&bound), Grain::Row(_)) {
            let message = self.row_in_cell(&bound);
            return self.fail(message);
        }
        Some(bound)
    }

    /// The figure over itself, forgetting where the cell stands.
    fn share(&mut self, value: Bound, forget: Forget, span: Span) -> Option<Bound> {
        let ty = value.ty;
        let clauses = Clauses { forget: vec![forget], ..Clauses::default() };
        let kind = BoundKind::Claused(Box::new(value.clone()), Box::new(clauses));
        let whole = Bound { kind, ty, span: value.span };
        self.apply(Function::Divide, vec![value, whole], span)
    }

    /// `stands_on(A)`.
    pub(super) fn stands_on(&mut self, call: &ast::Call) -> Option<Bound> {
        let span = self.span(call);
        let args = call.args();
        let [Expr::NameRef(name)] = args.as_slice() else {
            return self.fail(messages::bad_parameter(
                span,
                "stands_on(…) takes an attribute, a table or a role",
                "stands_on(calendar.month)",
            ));
        };
        let what = self.what(name)?;
        if !self.scope.cell {
            return self.fail(messages::no_cell(span));
        }
        Some(Bound { kind: BoundKind::StandsOn(what), ty: Type::Boolean, span })
    }

    /// `cell_start(calendar)` and `cell_end(calendar)`.
    pub(super) fn cell_edge(&mut self, call: &ast::Call, last: bool) -> Option<Bound> {
        let span = self.span(call);
        let args = call.args();
        let named = match args.as_slice() {
            [Expr::NameRef(name)] if name.qualifier().is_none() => name.name().map(|n| n.name()),
            _ => None,
        };
        let table = named.and_then(|n| self.model.find_table(&n));
        if self.model.calendar.is_none() {
            return self.fail(messages::no_calendar(span));
        }
        if table != self.model.calendar {
            return self.fail(messages::bad_parameter(
                span,
                "this takes the calendar",
                "cell_start(calendar)",
            ));
        }
        if !self.scope.cell {
            return self.fail(messages::no_cell(span));
        }
        Some(Bound { kind: BoundKind::CellEdge { last }, ty: Type::Date, span })
    }
}
