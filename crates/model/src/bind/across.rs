//! `each across`: figures at some members of an attribute side by side, and compared.

use super::query::Asker;
use crate::bound::{Bound, BoundKind, BoundTreatment, Clauses};
use crate::messages;
use crate::query::{BoundAxis, BoundShow};
use vembra_plan::{ColumnId, Function, Type};
use vembra_syntax::ast;
use vembra_syntax::{Span, SyntaxKind};

/// How two members are compared.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Comparison {
    Difference,
    Ratio,
    Growth,
}

/// Members of one attribute: what is shown of each figure.
struct Across {
    attribute: Bound,
    /// The members in the order in which they are first named.
    members: Vec<Bound>,
    /// Which of them are compared with which.
    pairs: Vec<(usize, usize, Span)>,
    comparisons: Vec<Comparison>,
}

impl Asker<'_, '_> {
    /// In place of each figure the figure at the members that `each across` names, and these compared.
    pub(super) fn each_across<'x>(
        &mut self,
        shows: Vec<Option<BoundShow>>,
        axes: impl Iterator<Item = &'x BoundAxis>,
    ) -> Vec<Option<BoundShow>> {
        let clause = self.root.children().find(|c| c.kind() == SyntaxKind::ShowClause);
        let across = clause.and_then(|c| c.children().find_map(<ast::EachAcross as ast::View>::cast));
        let Some(node) = across else { return shows };
        let Some(across) = self.across(&node, axes) else { return vec![None] };
        let mut all = Vec::new();
        for shown in shows {
            let Some(shown) = shown else {
                all.push(None);
                continue;
            };
            if let BoundKind::Column(column, _) = across.attribute.kind
                && self.has_condition_on(&shown.expr, column)
            {
                let attribute = self.binder.model.written(column);
                let note = messages::condition_across(shown.expr.span, &shown.name, &attribute);
                self.binder.diagnostics.push(note);
            }
            let at: Vec<BoundShow> =
                across.members.iter().map(|m| self.at_member(&shown, &across.attribute, m)).collect();
            all.extend(at.iter().cloned().map(Some));
            for (one, other, span) in &across.pairs {
                let texts = [*one, *other].map(|at| self.member_text(&across.members[at]));
                for comparison in &across.comparisons {
                    let pair = (at[*one].expr.clone(), at[*other].expr.clone());
                    all.push(self.compared(&shown, pair, &texts, *comparison, *span));
                }
            }
        }
        all
    }

    fn across<'x>(
        &mut self,
        node: &ast::EachAcross,
        axes: impl Iterator<Item = &'x BoundAxis>,
    ) -> Option<Across> {
        let name = node.attribute()?;
        let key = self.binder.attribute(&name)?;
        let model = self.binder.model;
        let ty = model.schema.column(key.column).ty;
        let settles = |axis: &&BoundAxis| match axis.expr.kind {
            BoundKind::Column(column, role) => model.settles((column, role), (key.column, key.role)),
            _ => false,
        };
        if let Some(axis) = axes.into_iter().find(settles) {
            let attribute = model.written(key.column);
            return self.binder.fail(messages::across_an_axis(key.span, &attribute, &axis.name));
        }
        let attribute = Bound { kind: BoundKind::Column(key.column, key.role), ty, span: key.span };
        let mut across =
            Across { attribute, members: Vec::new(), pairs: Vec::new(), comparisons: Vec::new() };
        for item in node.items() {
            let mut at = Vec::new();
            for member in item.members() {
                let bound = self.binder.expr(&member);
                let bound = bound.and_then(|b| self.binder.fitted(b, ty))?;
                let text = self.member_text(&bound);
                let known = across.members.iter().position(|m| self.member_text(m) == text);
                at.push(known.unwrap_or(across.members.len()));
                if known.is_none() {
                    across.members.push(bound);
                }
            }
            if let [one, other] = at[..] {
                across.pairs.push((one, other, self.binder.span(&item)));
            }
        }
        across.comparisons = self.comparisons(node, &across)?;
        Some(across)
    }

    /// Whether a figure has a condition on an attribute within it.
    fn has_condition_on(&self, bound: &Bound, attribute: ColumnId) -> bool {
        let is_about =
            |condition: &Bound| condition.columns().iter().any(|(column, ..)| *column == attribute);
        match &bound.kind {
            BoundKind::Measure(id) => {
                self.has_condition_on(&self.binder.model.measure(*id).formula, attribute)
            }
            BoundKind::Treatment(treatment) => self.has_condition_on(&treatment.formula, attribute),
            BoundKind::Call(_, args) => args.iter().any(|arg| self.has_condition_on(arg, attribute)),
            BoundKind::Claused(inner, clauses) => {
                clauses.conditions.iter().any(is_about) || self.has_condition_on(inner, attribute)
            }
            BoundKind::Aggregate(aggregate) => {
                aggregate.condition.as_ref().is_some_and(is_about)
                    || aggregate.value.as_ref().is_some_and(|value| self.has_condition_on(value, attribute))
            }
            BoundKind::Window(window) => self.has_condition_on(&window.value, attribute),
            _ => false,
        }
    }

    fn comparisons(&mut self, node: &ast::EachAcross, across: &Across) -> Option<Vec<Comparison>> {
        let Some(names) = node.comparisons() else {
            return Some(vec![Comparison::Difference, Comparison::Ratio]);
        };
        if across.pairs.is_empty() {
            let span = self.binder.span(node);
            return self.binder.fail(messages::nothing_compared(span));
        }
        let mut found = Vec::new();
        for name in names {
            let comparison = match name.name().to_ascii_lowercase().as_str() {
                "difference" => Comparison::Difference,
                "ratio" => Comparison::Ratio,
                "growth" => Comparison::Growth,
                other => {
                    let span = self.binder.span(&name);
                    return self.binder.fail(messages::no_comparison(span, other));
                }
            };
            if !found.contains(&comparison) {
                found.push(comparison);
            }
        }
        Some(found)
    }

    /// How headings call a member: a parameter by its value.
    fn member_text(&self, member: &Bound) -> String {
        match &member.kind {
            BoundKind::Literal(value) => value.to_string(),
            BoundKind::Param(id) => self.params.get(id).map(ToString::to_string).unwrap_or_default(),
            _ => String::new(),
        }
    }

    /// A figure at one member compared with that at another.
    fn compared(
        &mut self,
        shown: &BoundShow,
        (one, other): (Bound, Bound),
        [first, second]: &[String; 2],
        comparison: Comparison,
        span: Span,
    ) -> Option<BoundShow> {
        let (name, label, format) = match comparison {
            Comparison::Difference => (format!("{first} - {second}"), format!("{first} − {second}"), None),
            Comparison::Ratio => (format!("{first} / {second}"), format!("{first} / {second}"), Some("0.00")),
            Comparison::Growth => {
                let text = format!("growth {second} to {first}");
                (text.clone(), text, Some("0.0%"))
            }
        };
        let formula = match comparison {
            Comparison::Difference => self.binder.apply(Function::Subtract, vec![one, other], span)?,
            Comparison::Ratio => self.binder.apply(Function::Divide, vec![one, other], span)?,
            Comparison::Growth => {
                let more = self.binder.apply(Function::Subtract, vec![one, other.clone()], span)?;
                self.binder.apply(Function::Divide, vec![more, other], span)?
            }
        };
        let (name, label) = (format!("{} {name}", shown.name), format!("{}, {label}", shown.label));
        // What is subtracted keeps its format, unless that is another kind of thing: days between dates have none.
        let own = crate::properties::format_of(self.binder.model, &shown.expr);
        let format = format.map(str::to_owned).or(own.filter(|_| formula.ty == shown.expr.ty));
        let treatment = BoundTreatment { name: name.clone(), label: Some(label.clone()), format, formula };
        let ty: Type = treatment.formula.ty;
        let expr = Bound { kind: BoundKind::Treatment(Box::new(treatment)), ty, span };
        Some(BoundShow { name, label, expr })
    }

    /// A figure where an attribute is one member.
    fn at_member(&self, shown: &BoundShow, attribute: &Bound, member: &Bound) -> BoundShow {
        let text = self.member_text(member);
        let equal = BoundKind::Call(Function::Equal, vec![attribute.clone(), member.clone()]);
        let condition = Bound { kind: equal, ty: Type::Boolean, span: member.span };
        let clauses = Clauses { conditions: vec![condition], ..Clauses::default() };
        let inner = Box::new(shown.expr.clone());
        let expr = Bound {
            ty: shown.expr.ty,
            kind: BoundKind::Claused(inner, Box::new(clauses)),
            span: shown.expr.span,
        };
        BoundShow { name: format!("{} {text}", shown.name), label: format!("{}, {text}", shown.label), expr }
    }
}
