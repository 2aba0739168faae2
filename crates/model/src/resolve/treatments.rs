//! Measures with arguments: what they are applied to is said here; their formulas are bound where they are applied.

use super::Resolver;
use super::formulas::Common;
use super::items::{Item, ItemKind};
use crate::bound::{Bound, BoundKind};
use crate::declarations::Declared;
use crate::ids::MeasureId;
use crate::messages;
use crate::scope::BindScope;
use crate::treatment::{ArgumentKind, Treatment, TreatmentArgument};
use std::collections::BTreeSet;
use vembra_plan::{Function, Type};
use vembra_syntax::ast::{self, View};
use vembra_syntax::{KeptNode, SyntaxNode};

impl Resolver<'_> {
    /// The treatments, each with its place in the model.
    pub(super) fn treatment_items<'d>(&mut self, declarations: &'d crate::Declarations) -> Vec<Item<'d>> {
        let mut items = Vec::new();
        for declared in &declarations.measures {
            let Some(arguments) = declared.node.arguments() else { continue };
            let (Some(name), Some(formula)) = (declared.node.name(), declared.node.formula()) else {
                continue;
            };
            let (text, span) = (name.name(), name.span(declared.source));
            if let Some(first) = self.model.find_treatment(&text) {
                let (first, what) = (first.span, format!("the measure {text}"));
                self.diagnostics.push(messages::declared_twice(span, first, &what));
                continue;
            }
            let is_function = Function::from_name(&text.to_ascii_lowercase()).is_some()
                || crate::bind::is_own_function(&text.to_ascii_lowercase());
            if is_function {
                self.diagnostics.push(messages::name_taken(span, &text, "a function"));
                continue;
            }
            if self.model.find_measure(&text).is_some() {
                self.diagnostics.push(messages::name_taken(span, &text, "a measure without arguments"));
                continue;
            }
            let arguments = self.arguments(declared, &arguments);
            self.unused_arguments(declared, &arguments, formula.node());
            self.only_for_plain(declared);
            let common = Common::read(&declared.node);
            self.model.treatments.push(Treatment {
                name: text.clone(),
                arguments,
                text: formula.text(),
                label: common.label,
                format: common.format,
                about: common.about,
                span: declared.span(),
                source: declared.source,
                formula: KeptNode::new(formula.node()),
            });
            items.push(Item::new(ItemKind::Treatment(declared), text, None, formula.node()));
        }
        items
    }

    /// Names in the formulas of treatments that nothing has.
    pub(super) fn try_treatments(&mut self) {
        let is_number = |m: &&crate::model::Measure| m.formula.ty.is_number();
        let Some(at) = self.model.measures.iter().position(|m| is_number(&m)) else { return };
        let ty = self.model.measures[at].formula.ty;
        let mut diagnostics = Vec::new();
        for treatment in &self.model.treatments {
            let figure = Bound { kind: BoundKind::Measure(MeasureId(at as u32)), ty, span: treatment.span };
            self.binder(treatment.source, BindScope::FIGURE, &mut diagnostics).tried(treatment, &figure);
        }
        // What was reported where it is applied is not reported again.
        let known: Vec<_> =
            self.diagnostics.iter().filter_map(|d| Some((d.code, d.labels.first()?.span))).collect();
        diagnostics.retain(|d| d.labels.first().is_none_or(|l| !known.contains(&(d.code, l.span))));
        self.diagnostics.extend(diagnostics);
    }

    fn arguments(
        &mut self,
        declared: &Declared<ast::MeasureDecl>,
        written: &[ast::Argument],
    ) -> Vec<TreatmentArgument> {
        let mut arguments: Vec<TreatmentArgument> = Vec::new();
        for argument in written {
            let Some(name) = argument.name() else { continue };
            let (own, span) = (name.name(), name.span(declared.source));
            if arguments.iter().any(|a| a.name == own) {
                self.diagnostics.push(messages::argument_twice(span, &own));
                continue;
            }
            let kind = match argument.kind() {
                None => ArgumentKind::Figure,
                Some(kind) => match kind.name().to_ascii_lowercase().as_str() {
                    "figure" => ArgumentKind::Figure,
                    "attribute" => ArgumentKind::Attribute,
                    "role" => ArgumentKind::Role,
                    word => match Type::from_name(word) {
                        Some(ty) => ArgumentKind::Constant(ty),
                        None => {
                            let span = kind.span(declared.source);
                            self.diagnostics.push(messages::unknown_argument_kind(span, &kind.name()));
                            ArgumentKind::Figure
                        }
                    },
                },
            };
            arguments.push(TreatmentArgument { name: own, kind });
        }
        arguments
    }

    fn unused_arguments(
        &mut self,
        declared: &Declared<ast::MeasureDecl>,
        arguments: &[TreatmentArgument],
        formula: &SyntaxNode,
    ) {
        let named: BTreeSet<String> =
            formula.descendants().filter_map(ast::Name::cast).map(|name| name.name()).collect();
        for argument in arguments.iter().filter(|a| !named.contains(&a.name)) {
            self.diagnostics.push(messages::argument_unused(declared.span(), &argument.name));
        }
    }

    /// Totals with a formula of their own belong to a measure that is one figure.
    fn only_for_plain(&mut self, declared: &Declared<ast::MeasureDecl>) {
        let subtotal = ast::property::<ast::SubtotalProp>(&declared.node).map(|p| p.span(declared.source));
        let total = ast::property::<ast::TotalProp>(&declared.node).map(|p| p.span(declared.source));
        for span in subtotal.into_iter().chain(total) {
            self.diagnostics.push(messages::bad_property(
                span,
                "a measure with arguments has one formula for lines and totals",
                "write a measure without arguments that names it, and give that one totals of its own",
            ));
        }
    }
}
