//! Assertions as queries: what they show says whether they hold.

use super::Resolver;
use crate::bind::{Asker, Binder, settled};
use crate::bound::{Bound, BoundKind, Grain};
use crate::declarations::Declared;
use crate::messages;
use crate::model::{Assertion, AssertionCheck};
use crate::query::{BoundAxis, BoundQuery, BoundShow, BoundSummary};
use crate::scope::BindScope;
use std::collections::BTreeMap;
use vembra_plan::Function;
use vembra_syntax::ast::{self, Expr, View};

impl Resolver<'_> {
    pub(super) fn assertions(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.assertions {
            let Some(title) = declared.node.title() else { continue };
            let seen_by = match declared.node.seen_by() {
                None => None,
                Some(name) => {
                    let known: Vec<&str> = self.model.viewers.iter().map(|v| v.name.as_str()).collect();
                    if !known.contains(&name.name().as_str()) {
                        let span = name.span(declared.source);
                        let message = messages::unknown_viewer(Some(span), &name.name(), &known);
                        self.diagnostics.push(message);
                        continue;
                    }
                    Some(name.name())
                }
            };
            let mut diagnostics = Vec::new();
            let check = self.assertion(declared, &mut diagnostics);
            self.diagnostics.extend(diagnostics);
            let Some(check) = check else { continue };
            self.model.assertions.push(Assertion { title, seen_by, check, span: declared.span() });
        }
    }

    fn assertion(
        &self,
        declared: &Declared<ast::AssertDecl>,
        diagnostics: &mut Vec<vembra_syntax::Diagnostic>,
    ) -> Option<AssertionCheck> {
        let (choices, params) = settled(&self.model, &BTreeMap::new());
        if let Some((left, right)) = declared.node.matches() {
            let mut ask = |root| {
                let binder = self.binder(declared.source, BindScope::FIGURE, diagnostics);
                let binder = Binder { choices: Some(&choices), ..binder };
                Asker::new(binder, &root, &params).query()
            };
            let (left, right) = (ask(left), ask(right));
            return Some(AssertionCheck::Matches(left?, right?));
        }
        let holds = declared.node.holds()?;
        let condition = holds.condition()?;
        let mut binder = self.binder(declared.source, BindScope::FIGURE, diagnostics);
        let keys = binder.keys(&declared.node.keys())?;
        let bound = binder.expr(&condition)?;
        let span = bound.span;
        if !matches!(bound.ty, vembra_plan::Type::Boolean | vembra_plan::Type::Null) {
            return binder.fail(messages::not_a_condition(span, bound.ty));
        }
        if let Grain::Row(_) = binder.model.grain(&bound) {
            let message = binder.row_in_cell(&bound);
            return binder.fail(message);
        }
        let (sides, checked) = match holds.tolerance() {
            None => (sides(&bound), bound),
            Some(tolerance) => {
                let tolerance = binder.expr(&Expr::Literal(tolerance))?;
                let BoundKind::Call(Function::Equal, args) = &bound.kind else {
                    return binder
                        .fail(messages::bad_assertion(span, "within stands behind an equation of numbers"));
                };
                let difference = binder.apply(Function::Subtract, args.clone(), span)?;
                let distance = binder.apply(Function::Abs, vec![difference], span)?;
                (args.clone(), binder.apply(Function::LessEqual, vec![distance, tolerance], span)?)
            }
        };
        let axes = keys.iter().map(|key| {
            let name = self.model.written(key.column);
            let kind = BoundKind::Column(key.column, key.role);
            let expr = Bound { kind, ty: self.model.schema.column(key.column).ty, span: key.span };
            BoundAxis { label: name.clone(), name, expr, opened: None }
        });
        let axes: Vec<BoundAxis> = axes.collect();
        let mut shows: Vec<BoundShow> = sides
            .into_iter()
            .map(|side| {
                let name = self.model.sources.slice(side.span).to_owned();
                BoundShow { label: name.clone(), name, expr: side }
            })
            .collect();
        shows.push(BoundShow { name: "holds".to_owned(), label: "holds".to_owned(), expr: checked });
        let query = BoundSummary { row_axes: axes.len(), axes, shows, params, ..BoundSummary::default() };
        let query = BoundQuery::Summary(Box::new(query));
        Some(AssertionCheck::Holds { query, text: condition.text() })
    }
}

/// The two sides of a comparison, for those who look why it fails.
fn sides(bound: &Bound) -> Vec<Bound> {
    match &bound.kind {
        BoundKind::Call(
            Function::Equal
            | Function::NotEqual
            | Function::Less
            | Function::LessEqual
            | Function::Greater
            | Function::GreaterEqual,
            args,
        ) => args.clone(),
        _ => Vec::new(),
    }
}
