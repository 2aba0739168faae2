//! Measures with arguments where they are applied: the formula is bound again, with what its arguments stand for there.

use super::Binder;
use crate::bound::{Bound, BoundKind, BoundTreatment, DetailKey, Grain, RoleUse};
use crate::messages;
use crate::properties::format_of;
use crate::scope::BindScope;
use crate::treatment::{ArgumentKind, Treatment, TreatmentArgument};
use vembra_plan::{Scalar, Type};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Span, nearest};

/// What an argument stands for.
#[derive(Clone, Debug)]
pub(crate) enum Argument {
    Figure(Bound),
    Attribute(DetailKey),
    Role(RoleUse),
    Constant(Bound),
}

/// The arguments of the treatment that is being bound, by their names, and the treatments around it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Applied {
    arguments: Vec<(String, Argument)>,
    around: Vec<String>,
}

impl Applied {
    pub(crate) fn find(&self, name: &str) -> Option<&Argument> {
        self.arguments.iter().find(|(own, _)| own == name).map(|(_, argument)| argument)
    }
}

impl Binder<'_> {
    /// What a bare name stands for if it is an argument of the treatment at hand.
    pub(crate) fn argument(&self, name: &str) -> Option<&Argument> {
        self.applied.find(name)
    }

    /// The value that a name stands for as an argument; the outer one says whether it is one.
    #[allow(clippy::option_option)]
    pub(super) fn argument_value(&mut self, name: &ast::NameRef) -> Option<Option<Bound>> {
        let own = name.name().filter(|_| name.qualifier().is_none())?.name();
        let span = self.span(name);
        match self.argument(&own)? {
            Argument::Figure(bound) | Argument::Constant(bound) => Some(Some(bound.clone())),
            Argument::Attribute(key) => {
                let ty = self.model.schema.column(key.column).ty;
                Some(Some(Bound { kind: BoundKind::Column(key.column, key.role), ty, span }))
            }
            Argument::Role(_) => Some(self.fail(messages::role_as_value(span, &own))),
        }
    }

    /// A treatment and what it is applied to.
    pub(super) fn treated(&mut self, call: &ast::Call, treatment: &Treatment) -> Option<Bound> {
        let span = self.span(call);
        let args = call.args();
        if args.len() != treatment.arguments.len() || call.among().is_some() || call.by().is_some() {
            return self.fail(messages::wrong_arguments(span, treatment, args.len()));
        }
        let pairs = treatment.arguments.iter().zip(&args);
        let found: Vec<Option<Argument>> =
            pairs.map(|(wanted, arg)| self.argument_for(treatment, wanted, arg)).collect();
        self.applied_to(treatment, found.into_iter().collect::<Option<_>>()?, span)
    }

    /// A treatment of a figure that is shown: the first argument is that, others are written.
    pub(crate) fn treated_shown(&mut self, expr: &Expr, shown: &Bound) -> Option<Bound> {
        let span = self.span(expr);
        let (name, args) = match expr {
            Expr::NameRef(name) if name.qualifier().is_none() => (name.name()?, Vec::new()),
            Expr::Call(call) => (call.name()?, call.args()),
            _ => return self.fail(messages::no_treatment(span, &expr.text(), None, &self.treatments())),
        };
        let name = name.name();
        let Some(treatment) = self.model.find_treatment(&name) else {
            let near = nearest(&name, self.model.treatments.iter().map(|t| t.name.as_str()));
            let near = near.map(str::to_owned);
            return self.fail(messages::no_treatment(span, &name, near.as_deref(), &self.treatments()));
        };
        let is_first = treatment.arguments.first().is_some_and(|a| a.kind == ArgumentKind::Figure);
        if !is_first || args.len() + 1 != treatment.arguments.len() {
            return self.fail(messages::wrong_each_also(span, treatment));
        }
        let mut found = vec![Some(Argument::Figure(shown.clone()))];
        let others = treatment.arguments.iter().skip(1).zip(&args);
        found.extend(others.map(|(wanted, arg)| self.argument_for(treatment, wanted, arg)));
        self.applied_to(treatment, found.into_iter().collect::<Option<_>>()?, span)
    }

    /// Binds the formula of a treatment that may stand nowhere yet, with plausible arguments, to see whether its names are known. Other
    /// mistakes depend on what it is applied to.
    pub(crate) fn tried(&mut self, treatment: &Treatment, figure: &Bound) {
        let model = self.model;
        let span = treatment.span;
        let column = model.schema.columns.iter().position(|c| Some(c.table) == model.calendar).unwrap_or(0);
        let sample = |kind: ArgumentKind| {
            Some(match kind {
                ArgumentKind::Figure => Argument::Figure(figure.clone()),
                ArgumentKind::Attribute => {
                    model.schema.columns.get(column)?;
                    let column = vembra_plan::ColumnId(column as u32);
                    Argument::Attribute(DetailKey { column, role: None, span })
                }
                ArgumentKind::Role => {
                    model.schema.roles.first()?;
                    Argument::Role(RoleUse { role: vembra_plan::RoleId(0), span })
                }
                ArgumentKind::Constant(Type::Text) => {
                    Argument::Constant(Bound::literal(Scalar::text(""), span))
                }
                ArgumentKind::Constant(ty) => {
                    Argument::Constant(Bound::literal(Scalar::from_physical(ty, 1), span))
                }
            })
        };
        let Some(found) = treatment.arguments.iter().map(|a| sample(a.kind)).collect() else { return };
        let (_, said) = self.attempt(|binder| binder.applied_to(treatment, found, span));
        let of_names = said.into_iter().filter(|diagnostic| diagnostic.code.is_of_names());
        self.diagnostics.extend(of_names.map(|mut diagnostic| {
            diagnostic.labels.retain(|label| label.span != span);
            diagnostic
        }));
    }

    fn treatments(&self) -> Vec<String> {
        self.model.treatments.iter().map(Treatment::signature).collect()
    }

    fn argument_for(
        &mut self,
        treatment: &Treatment,
        wanted: &TreatmentArgument,
        arg: &Expr,
    ) -> Option<Argument> {
        let span = self.span(arg);
        let other = || messages::wrong_kind(span, &arg.text(), treatment, wanted);
        match (wanted.kind, arg) {
            (ArgumentKind::Figure, _) => {
                let bound = self.expr(arg)?;
                if matches!(self.model.grain(&bound), Grain::Row(_)) {
                    let message = self.row_in_cell(&bound);
                    return self.fail(message);
                }
                Some(Argument::Figure(bound))
            }
            (ArgumentKind::Attribute, Expr::NameRef(name)) => {
                if let Some(Argument::Attribute(key)) = name.name().and_then(|n| self.argument(&n.name())) {
                    return Some(Argument::Attribute(*key));
                }
                self.attribute(name).map(Argument::Attribute)
            }
            (ArgumentKind::Attribute, Expr::ParamRef(_)) => match self.expr(arg)?.kind {
                BoundKind::Column(column, role) => {
                    Some(Argument::Attribute(DetailKey { column, role, span }))
                }
                _ => self.fail(other()),
            },
            (ArgumentKind::Role, Expr::NameRef(name)) if name.qualifier().is_none() => {
                self.role(&name.name()?).map(Argument::Role)
            }
            (ArgumentKind::Constant(ty), _) => {
                let bound = self.within(BindScope::VALUE, |b| b.expr(arg))?;
                let bound = self.fitted(folded(bound), ty)?;
                let is_fixed = matches!(bound.kind, BoundKind::Literal(_) | BoundKind::Param(_));
                let fits = bound.ty == ty
                    || matches!(
                        (bound.ty, ty),
                        (Type::Integer | Type::Decimal(_), Type::Decimal(_) | Type::Float)
                    );
                if is_fixed && fits { Some(Argument::Constant(bound)) } else { self.fail(other()) }
            }
            _ => self.fail(other()),
        }
    }

    /// The formula of a treatment with its arguments, as if it were written out there.
    fn applied_to(&mut self, treatment: &Treatment, found: Vec<Argument>, span: Span) -> Option<Bound> {
        if self.applied.around.contains(&treatment.name) {
            // The ring is reported where it is declared.
            return None;
        }
        let arguments: Vec<(String, Argument)> =
            treatment.arguments.iter().map(|a| a.name.clone()).zip(found).collect();
        let formula = Expr::cast(treatment.formula.node())?;
        let label = treatment.label.as_deref().map(|label| self.filled(label, &arguments));
        let first =
            arguments.iter().find_map(|(_, a)| if let Argument::Figure(b) = a { Some(b) } else { None });
        let format = treatment.format.clone().or_else(|| first.and_then(|b| format_of(self.model, b)));
        let mut around = self.applied.around.clone();
        around.push(treatment.name.clone());
        let outer = std::mem::replace(&mut self.applied, Applied { arguments, around });
        let (source, axes) = (self.source, std::mem::take(&mut self.axes));
        self.source = treatment.source;
        let scope = BindScope { prefer: None, ..self.scope.detailed() };
        let (bound, said) = self.attempt(|binder| binder.within(scope, |b| b.expr(&formula)));
        (self.source, self.axes, self.applied) = (source, axes, outer);
        let remark = format!("{} is applied here", treatment.name);
        self.diagnostics.extend(said.into_iter().map(|diagnostic| diagnostic.at(span, remark.clone())));
        let formula = bound?;
        if matches!(self.model.grain(&formula), Grain::Row(_)) {
            let message = self.row_in_cell(&formula);
            return self.fail(message);
        }
        let name = vembra_syntax::one_line(self.sources.slice(span));
        let ty = formula.ty;
        let kind = BoundKind::Treatment(Box::new(BoundTreatment { name, formula, label, format }));
        Some(Bound { kind, ty, span })
    }

    /// A label with the headings of what the arguments stand for.
    fn filled(&self, label: &str, arguments: &[(String, Argument)]) -> String {
        let mut label = label.to_owned();
        for (name, argument) in arguments {
            let shown = match argument {
                Argument::Figure(bound) | Argument::Constant(bound) => self.heading(bound),
                Argument::Attribute(key) => {
                    let info = self.model.column_info(key.column);
                    info.label.unwrap_or_else(|| self.model.schema.column(key.column).name.clone())
                }
                Argument::Role(role) => self.model.role_name(role.role).to_owned(),
            };
            label = label.replace(&format!("{{{name}}}"), &shown);
        }
        label
    }

    /// What a figure is called in a heading.
    fn heading(&self, bound: &Bound) -> String {
        let text = || vembra_syntax::one_line(self.sources.slice(bound.span));
        match &bound.kind {
            BoundKind::Measure(id) => {
                let measure = self.model.measure(*id);
                measure.label.clone().unwrap_or_else(|| measure.name.clone())
            }
            BoundKind::Treatment(treatment) => {
                treatment.label.clone().unwrap_or_else(|| treatment.name.clone())
            }
            BoundKind::Literal(value) => value.to_string(),
            _ => text(),
        }
    }
}

/// A negative number as the number that it is.
fn folded(bound: Bound) -> Bound {
    let BoundKind::Call(vembra_plan::Function::Negate, args) = &bound.kind else { return bound };
    match args.as_slice() {
        [Bound { kind: BoundKind::Literal(value), .. }] => {
            let negated =
                vembra_plan::call::call(vembra_plan::Function::Negate, std::slice::from_ref(value), bound.ty);
            negated.map_or_else(|_| bound.clone(), |value: Scalar| Bound::literal(value, bound.span))
        }
        _ => bound,
    }
}
