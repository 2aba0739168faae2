//! Parameters and viewers.

use super::Resolver;
use super::formulas::Common;
use crate::bind::{Binder, param_value};
use crate::bound::Grain;
use crate::ids::ParamId;
use crate::messages;
use crate::model::Viewer;
use crate::param::Param;
use crate::query::{BoundShow, BoundSummary};
use crate::scope::BindScope;
use vembra_plan::Type;
use vembra_syntax::ast::View;

impl Resolver<'_> {
    /// Values with their types; what attributes may be chosen is known when all columns are.
    pub(super) fn params(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.params {
            let Some(name) = declared.node.name() else { continue };
            let (text, span) = (name.name(), name.span(declared.source));
            if let Some(first) = self.model.find_param(&text) {
                let (first, what) = (self.model.param(first).span, format!("the parameter {text}"));
                self.diagnostics.push(messages::declared_twice(span, first, &what));
                continue;
            }
            let attribute = declared.node.ty().is_none();
            let written = declared.node.ty().and_then(|t| t.name());
            let ty = written.as_ref().and_then(|n| Type::from_name(&n.name()));
            if let (Some(written), None) = (&written, ty) {
                self.diagnostics.push(messages::unknown_type(written.span(declared.source), &written.name()));
            }
            let id = ParamId(self.model.params.len() as u32);
            self.model.index.params.insert(text.clone(), id);
            self.model.params.push(Param {
                name: text,
                ty: ty.unwrap_or(Type::Null),
                attribute,
                choices: Vec::new(),
                default: None,
                figure: None,
                about: Common::read(&declared.node).about,
                span,
            });
            let default = declared.node.default().filter(|d| !is_figure(d));
            if !attribute && ty.is_some() {
                self.default(id, declared.source, default);
            }
        }
    }

    fn default(
        &mut self,
        id: ParamId,
        source: vembra_syntax::SourceId,
        value: Option<vembra_syntax::ast::Expr>,
    ) {
        let Some(value) = value else { return };
        let mut diagnostics = Vec::new();
        let found = {
            let mut binder: Binder<'_> = self.binder(source, BindScope::VALUE, &mut diagnostics);
            param_value(&mut binder, id, &value)
        };
        self.diagnostics.extend(diagnostics);
        self.model.params[id.0 as usize].default = found;
    }

    /// Defaults that come from the data: figures with one value, whatever is asked.
    pub(super) fn default_figures(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.params {
            let id = declared.node.name().and_then(|n| self.model.find_param(&n.name()));
            let Some(id) = id.filter(|id| !self.model.param(*id).attribute) else { continue };
            let Some(figure) = declared.node.default().filter(is_figure) else { continue };
            let (span, ty) = (figure.span(declared.source), self.model.param(id).ty);
            let mut diagnostics = Vec::new();
            let bound = self.binder(declared.source, BindScope::FIGURE, &mut diagnostics).expr(&figure);
            let bound = bound.filter(|bound| {
                let text = self.model.sources.slice(span).to_owned();
                let is_fixed = matches!(self.model.grain(bound), Grain::Fixed | Grain::Constant);
                let is_alike =
                    bound.ty == ty || matches!((bound.ty, ty), (Type::Decimal(_), Type::Decimal(_)));
                if !self.model.params_in(&[bound]).is_empty() || !is_fixed {
                    diagnostics.push(messages::default_of_many(span, &text));
                } else if !is_alike {
                    let name = self.model.param(id).name.clone();
                    diagnostics.push(messages::bad_given(span, &name, &ty.with_article()));
                }
                diagnostics.is_empty()
            });
            self.diagnostics.extend(diagnostics);
            self.model.params[id.0 as usize].figure = bound.map(|expr| {
                let show = BoundShow { name: "default".to_owned(), label: "default".to_owned(), expr };
                Box::new(BoundSummary { shows: vec![show], ..BoundSummary::default() })
            });
        }
    }

    /// The attributes that parameters may stand for.
    pub(super) fn attribute_params(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.params {
            let id = declared.node.name().and_then(|n| self.model.find_param(&n.name()));
            let Some(id) = id.filter(|id| self.model.param(*id).attribute) else { continue };
            let mut diagnostics = Vec::new();
            let choices = {
                let mut binder = self.binder(declared.source, BindScope::VALUE, &mut diagnostics);
                declared.node.choices().iter().map(|name| binder.attribute(name)).collect::<Option<Vec<_>>>()
            };
            let failed = choices.is_none();
            self.diagnostics.extend(diagnostics);
            self.model.params[id.0 as usize].choices = choices.unwrap_or_default();
            if !failed {
                self.default(id, declared.source, declared.node.default());
            }
        }
    }

    pub(super) fn viewers(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.viewers {
            let (Some(name), Some(condition)) = (declared.node.name(), declared.node.condition()) else {
                continue;
            };
            let (text, span) = (name.name(), name.span(declared.source));
            if let Some(first) = self.model.viewers.iter().find(|v| v.name == text) {
                let (first, what) = (first.span, format!("the viewer {text}"));
                self.diagnostics.push(messages::declared_twice(span, first, &what));
                continue;
            }
            let mut diagnostics = Vec::new();
            let bound = {
                let mut binder = self.binder(declared.source, BindScope::LIMIT, &mut diagnostics);
                binder.condition(&condition)
            };
            self.diagnostics.extend(diagnostics);
            let Some(bound) = bound else { continue };
            match crate::lower::limits(&self.model, &self.model.sources, std::slice::from_ref(&bound)) {
                Ok(_) => self.model.viewers.push(Viewer {
                    name: text,
                    conditions: vec![bound],
                    text: condition.text(),
                    span,
                }),
                Err(found) => self.diagnostics.extend(found),
            }
        }
    }
}

/// Whether an expression names something of the data.
fn is_figure(expr: &vembra_syntax::ast::Expr) -> bool {
    use vembra_syntax::SyntaxKind;
    let of_data = [SyntaxKind::Aggregate, SyntaxKind::NameRef, SyntaxKind::Claused];
    expr.node().descendants().any(|node| of_data.contains(&node.kind()))
}
