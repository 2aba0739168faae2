//! Binding of expressions: names, types and grain.

mod across;
mod aggregate;
mod clause;
mod literal;
mod operator;
mod params;
mod query;
mod report;
mod treatment;
mod window;

pub use params::read_given;
pub(crate) use params::{param_value, settled};
pub(crate) use query::Asker;
pub use query::ask;
pub use report::{bind_report, bind_report_opened};

use crate::bound::{Bound, BoundKind, DetailKey, Grain, RoleUse};
use crate::ids::ParamId;
use crate::messages;
use crate::model::Model;
use crate::names::{Named, Written};
use crate::query::Params;
use crate::scope::BindScope;
use vembra_plan::{Function, Scalar, TableId, Type, TypeError, WindowFunction, call};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Diagnostic, SourceId, Sources, Span, nearest};

/// Functions that are bound by rules of their own, besides window functions.
const OWN: [&str; 6] = ["share", "stands_on", "cell_start", "cell_end", "start_of", "end_of"];

/// Whether a function is bound by rules of its own, or is an aggregate.
pub(crate) fn is_own_function(name: &str) -> bool {
    OWN.contains(&name)
        || WindowFunction::from_name(name).is_some()
        || name == "band"
        || vembra_plan::AggregateFunction::NAMED.iter().any(|(own, _)| *own == name)
}

/// The attribute that each parameter stands for, if it stands for one.
pub(crate) type Choices = std::collections::BTreeMap<ParamId, usize>;

/// Binds the expressions of one text. What cannot be bound is reported once, where it stands.
pub(crate) struct Binder<'a> {
    pub(crate) model: &'a Model,
    /// The texts, for messages that quote them.
    pub(crate) sources: &'a Sources,
    pub(crate) source: SourceId,
    /// Where the expression at hand stands.
    pub(crate) scope: BindScope,
    /// What attributes parameters stand for; none where only values may stand.
    pub(crate) choices: Option<&'a Choices>,
    /// The values of parameters; none where they are not known yet.
    pub(crate) values: Option<&'a Params>,
    /// The arguments of the treatment that is being bound.
    pub(crate) applied: treatment::Applied,
    /// The axes of the query by their names, once they are known.
    pub(crate) axes: Vec<(String, Bound)>,
    pub(crate) diagnostics: &'a mut Vec<Diagnostic>,
}

impl<'a> Binder<'a> {
    /// A binder for the text of a source.
    pub(crate) fn new(
        model: &'a Model,
        sources: &'a Sources,
        source: SourceId,
        scope: BindScope,
        diagnostics: &'a mut Vec<Diagnostic>,
    ) -> Self {
        Self {
            model,
            sources,
            source,
            scope,
            choices: None,
            values: None,
            applied: treatment::Applied::default(),
            axes: Vec::new(),
            diagnostics,
        }
    }

    /// Runs `work` where expressions stand elsewhere.
    pub(crate) fn within<T>(&mut self, scope: BindScope, work: impl FnOnce(&mut Self) -> T) -> T {
        let before = std::mem::replace(&mut self.scope, scope);
        let result = work(self);
        self.scope = before;
        result
    }
}

impl Binder<'_> {
    /// Tries something: what is said about it is given back, and counts only if the caller says it.
    pub(crate) fn attempt<T>(&mut self, work: impl FnOnce(&mut Self) -> T) -> (T, Vec<Diagnostic>) {
        let before = std::mem::take(self.diagnostics);
        let done = work(self);
        (done, std::mem::replace(self.diagnostics, before))
    }

    /// Reports and gives nothing.
    pub(crate) fn fail<T>(&mut self, diagnostic: Diagnostic) -> Option<T> {
        self.diagnostics.push(diagnostic);
        None
    }

    pub(crate) fn span(&self, view: &impl View) -> Span {
        view.span(self.source)
    }

    /// Binds any expression.
    pub(crate) fn expr(&mut self, expr: &Expr) -> Option<Bound> {
        let span = self.span(expr);
        match expr {
            Expr::NameRef(name) => self.name(name),
            Expr::Literal(literal) => self.literal(literal),
            Expr::TypedLiteral(literal) => self.typed_literal(literal),
            Expr::ParamRef(param) => self.param(param),
            Expr::Call(call) => self.call(call),
            Expr::Aggregate(aggregate) => self.aggregate(aggregate),
            Expr::Binary(binary) => self.binary(binary),
            Expr::Unary(unary) => {
                let operand = self.expr(&unary.operand()?)?;
                let function = match unary.operator().as_str() {
                    "not" => Function::Not,
                    "+" => return Some(operand),
                    _ => Function::Negate,
                };
                self.apply(function, vec![operand], span)
            }
            Expr::Paren(paren) => self.expr(&paren.inner()?),
            Expr::Case(case) => self.case(case),
            Expr::InList(list) => {
                let operands = self.exprs(&list.operands())?;
                self.compare(Function::In, operands, span).and_then(|b| self.negated(b, list.is_negated()))
            }
            Expr::Like(like) => {
                let operands = self.exprs(&like.operands())?;
                self.apply(Function::Like, operands, span).and_then(|b| self.negated(b, like.is_negated()))
            }
            Expr::IsNull(is_null) => {
                let operand = self.expr(&is_null.operand()?)?;
                self.apply(Function::IsNull, vec![operand], span)
                    .and_then(|b| self.negated(b, is_null.is_negated()))
            }
            Expr::Between(between) => self.between(between),
            Expr::Cast(cast) => self.cast(cast),
            Expr::Extract(extract) => self.extract(extract),
            Expr::Claused(claused) => self.claused(claused),
        }
    }

    /// Binds several; all are looked at, so that each mistake is reported.
    pub(crate) fn exprs(&mut self, exprs: &[Expr]) -> Option<Vec<Bound>> {
        let bound: Vec<Option<Bound>> = exprs.iter().map(|e| self.expr(e)).collect();
        bound.into_iter().collect()
    }

    fn name(&mut self, name: &ast::NameRef) -> Option<Bound> {
        let span = self.span(name);
        if let Some(argument) = self.argument_value(name) {
            return argument;
        }
        let (qualifier, own) = (self.qualifier(name), name.name()?.name());
        if qualifier.is_none()
            && let Some(treatment) = self.model.find_treatment(&own)
            && self.model.find_measure(&own).is_none()
        {
            return self.fail(messages::treatment_without_arguments(span, treatment));
        }
        let written = Written { qualifier: qualifier.as_deref(), name: &own, span };
        match self.model.lookup(&written, self.scope) {
            Ok(Named::Column(column, role)) => {
                let ty = self.model.schema.column(column).ty;
                Some(Bound { kind: BoundKind::Column(column, role), ty, span })
            }
            Ok(Named::Measure(measure)) => {
                let ty = self.model.measures.get(measure.0 as usize).map_or(Type::Null, |m| m.formula.ty);
                Some(Bound { kind: BoundKind::Measure(measure), ty, span })
            }
            // Double quotes around what is no name: a text was meant, unless a name is nearly the same.
            Err(unknown) if qualifier.is_none() && self.sources.slice(span).starts_with('"') => {
                let is_near = unknown.help.iter().any(|help| help.fix.is_some());
                self.fail(if is_near {
                    messages::or_single_quotes(*unknown, &own)
                } else {
                    messages::double_quotes(span, &own)
                })
            }
            Err(diagnostic) => self.fail(*diagnostic),
        }
    }

    fn call(&mut self, call: &ast::Call) -> Option<Bound> {
        let span = self.span(call);
        let name = call.name()?.name().to_ascii_lowercase();
        match name.as_str() {
            _ if name == "share" || WindowFunction::from_name(&name).is_some() => {
                return self.window(call, &name);
            }
            "stands_on" => return self.stands_on(call),
            "cell_start" => return self.cell_edge(call, false),
            "cell_end" => return self.cell_edge(call, true),
            "start_of" | "end_of" => return self.edge(call, &name),
            "band" => return self.band(call),
            _ => {}
        }
        let model = self.model;
        if let Some(treatment) = call.name().and_then(|n| model.find_treatment(&n.name())) {
            return self.treated(call, treatment);
        }
        let Some(function) = Function::from_name(&name) else {
            let aggregates = vembra_plan::AggregateFunction::NAMED.iter().map(|(n, _)| *n);
            let known = Function::NAMED.iter().map(|(n, _)| *n).chain(["upper"]).chain(aggregates).chain(OWN);
            let known = known.chain(model.treatments.iter().map(|t| t.name.as_str()));
            let near = nearest(&name, known);
            let span = call.name().map_or(span, |n| self.span(&n));
            return self.fail(messages::unknown_function(span, &name, near));
        };
        let args = self.exprs(&call.args())?;
        match function {
            Function::Coalesce | Function::NullIf | Function::Greatest | Function::Least => {
                self.compare(function, args, span)
            }
            Function::WorkingDays | Function::WorkingDay if !self.model.has_working_days => {
                self.fail(messages::no_working_days(span))
            }
            Function::WorkingDay => {
                let mut args = args.into_iter();
                let date = match args.next() {
                    Some(date) => Some(self.day_of(date)?),
                    None => None,
                };
                self.apply(function, date.into_iter().chain(args).collect(), span)
            }
            Function::WorkingDays => {
                let days: Option<Vec<Bound>> = args.into_iter().map(|a| self.day_of(a)).collect();
                self.apply(function, days?, span)
            }
            // A date in quotes is one.
            Function::Apart(_) => {
                let dates: Option<Vec<Bound>> =
                    args.into_iter().map(|a| self.fitted(a, Type::Date)).collect();
                self.apply(function, dates?, span)
            }
            _ => self.apply(function, args, span),
        }
    }

    /// A day: a date, one in quotes, or that of a moment.
    fn day_of(&mut self, bound: Bound) -> Option<Bound> {
        if bound.ty == Type::Moment {
            let span = bound.span;
            return Some(Bound { kind: BoundKind::Call(Function::Cast, vec![bound]), ty: Type::Date, span });
        }
        self.fitted(bound, Type::Date)
    }

    /// A call of a function whose arguments are bound.
    pub(crate) fn apply(&mut self, function: Function, args: Vec<Bound>, span: Span) -> Option<Bound> {
        let types: Vec<Type> = args.iter().map(|a| a.ty).collect();
        match function.result(&types) {
            Ok(ty) => self.joined(Bound { kind: BoundKind::Call(function, args), ty, span }),
            Err(error) => {
                if let Some(message) = self.telling(function, &args) {
                    return self.fail(message);
                }
                let name = format!("{function:?}").to_ascii_lowercase();
                let message = type_message(self.model, &error, &name, &args, span);
                self.fail(message)
            }
        }
    }

    /// What is known to be meant by arguments that do not suit.
    fn telling(&self, function: Function, args: &[Bound]) -> Option<Diagnostic> {
        // 2025-03-03 without quotes is a difference of numbers.
        let dated = |a: &&Bound| vembra_plan::civil::parse_date(self.sources.slice(a.span)).is_some();
        if let Some(date) = args.iter().find(dated) {
            return Some(messages::unquoted_date(date.span, self.sources.slice(date.span)));
        }
        // 2025-03 too, beside a month.
        let month = |a: &&Bound| is_month(self.sources.slice(a.span));
        if let Some(month) = args.iter().find(month)
            && args.iter().any(|a| matches!(a.ty, Type::Period(_)))
        {
            return Some(messages::unquoted_month(month.span, self.sources.slice(month.span)));
        }
        if let (Function::Not, [only]) = (function, args) {
            return self.labels_of(only).map(|labels| {
                messages::labels_not_negated(only.span, self.sources.slice(only.span), &labels)
            });
        }
        None
    }

    /// The labels of the values of a column.
    fn labels_of(&self, bound: &Bound) -> Option<Vec<vembra_plan::Scalar>> {
        let BoundKind::Column(column, _) = bound.kind else { return None };
        let BoundKind::Call(Function::Case, args) = &self.model.column_formulas.get(&column)?.kind else {
            return None;
        };
        let shown = args.chunks(2).filter_map(|pair| pair.last());
        let labels =
            shown.filter_map(|b| if let BoundKind::Literal(v) = &b.kind { Some(v.clone()) } else { None });
        Some(labels.filter(|v| v.ty() == Type::Text).collect())
            .filter(|l: &Vec<vembra_plan::Scalar>| !l.is_empty())
    }

    /// Refuses rows and figures side by side, and keys of which none hold the others.
    fn joined(&mut self, bound: Bound) -> Option<Bound> {
        let BoundKind::Call(_, args) = &bound.kind else { return Some(bound) };
        let grains: Vec<Grain> = args.iter().map(|a| self.model.grain(a)).collect();
        let figures = grains.contains(&Grain::Cell);
        if let Some(at) = grains.iter().position(|g| matches!(g, Grain::Row(_))).filter(|_| figures) {
            let message = match self.model.bare_figure(&bound).filter(|_| self.scope.row_values) {
                Some(figure) => self.cell_in_row(figure),
                None => self.row_in_cell(&args[at]),
            };
            return self.fail(message);
        }
        let keyed: Vec<(&Vec<DetailKey>, &Bound)> = grains
            .iter()
            .zip(args)
            .filter_map(|(g, a)| if let Grain::Keys(keys) = g { Some((keys, a)) } else { None })
            .collect();
        for (at, (keys, arg)) in keyed.iter().enumerate() {
            for (others, other) in &keyed[..at] {
                if !self.model.holds_keys(keys, others) && !self.model.holds_keys(others, keys) {
                    let message = messages::keys_apart(arg.span, other.span);
                    return self.fail(message);
                }
            }
        }
        Some(bound)
    }

    /// A parameter: its value, or the attribute that it stands for.
    fn param(&mut self, param: &ast::ParamRef) -> Option<Bound> {
        let (span, name) = (self.span(param), param.name());
        let Some(id) = self.model.find_param(&name) else {
            let known: Vec<&str> = self.model.params.iter().map(|p| p.name.as_str()).collect();
            let near = nearest(&name, known.iter().copied());
            return self.fail(messages::unknown_param(span, &name, near, &known));
        };
        let declared = self.model.param(id);
        if !declared.attribute {
            if !self.scope.cell && self.choices.is_none() {
                return self.fail(messages::param_in_data(span, &name));
            }
            return Some(Bound { kind: BoundKind::Param(id), ty: declared.ty, span });
        }
        let Some(choices) = self.choices else {
            return self.fail(messages::attribute_param(span, &name));
        };
        let Some(choice) = choices.get(&id).and_then(|at| declared.choices.get(*at)) else {
            return self.fail(messages::param_without_value(span, &name));
        };
        let ty = self.model.schema.column(choice.column).ty;
        Some(Bound { kind: BoundKind::Column(choice.column, choice.role), ty, span })
    }

    /// The message for a value of rows where a figure is wanted.
    pub(crate) fn row_in_cell(&self, bound: &Bound) -> Diagnostic {
        let columns = bound.columns();
        let table = columns.first().map_or("", |(c, _, _)| {
            let table = self.model.schema.column(*c).table;
            self.model.schema.table(table).name.as_str()
        });
        let text = self.sources.slice(bound.span);
        let name = match columns.as_slice() {
            [(column, _, _)] if text.is_empty() => self.model.schema.column(*column).name.as_str(),
            _ => text,
        };
        messages::row_in_cell(bound.span, name, table, bound.ty.is_number())
    }

    /// A condition on rows.
    pub(crate) fn condition(&mut self, expr: &Expr) -> Option<Bound> {
        let bound = self.within(self.scope.of_rows(), |b| b.expr(expr))?;
        if !matches!(bound.ty, Type::Boolean | Type::Null) {
            return self.fail(messages::not_a_condition(bound.span, bound.ty));
        }
        if let Some(figure) = self.model.bare_figure(&bound) {
            let message = self.cell_in_row(figure);
            return self.fail(message);
        }
        match self.model.grain(&bound) {
            Grain::Row(_) | Grain::Keys(_) | Grain::Fixed => Some(bound),
            Grain::Constant => {
                self.diagnostics.push(messages::constant_condition(bound.span));
                Some(bound)
            }
            Grain::Cell => {
                let message = self.cell_in_row(&bound);
                self.fail(message)
            }
        }
    }

    /// The message for a figure where a value of rows is wanted; the figure is named, not what stands around it.
    pub(crate) fn cell_in_row(&self, bound: &Bound) -> Diagnostic {
        let figure = self.model.bare_figure(bound).unwrap_or(bound);
        let name = self.sources.slice(figure.span);
        messages::cell_in_row(figure.span, name, self.model.derived_column(name).as_deref())
    }

    /// What stands before the dot of a name; an argument that stands for a role is that role.
    pub(crate) fn qualifier(&self, name: &ast::NameRef) -> Option<String> {
        let own = name.qualifier()?.name();
        match self.argument(&own) {
            Some(treatment::Argument::Role(role)) => Some(self.model.role_name(role.role).to_owned()),
            _ => Some(own),
        }
    }

    /// A role by name.
    pub(crate) fn role(&mut self, name: &ast::Name) -> Option<RoleUse> {
        let (span, text) = (self.span(name), name.name());
        if let Some(treatment::Argument::Role(role)) = self.argument(&text) {
            return Some(*role);
        }
        if let Some(role) = self.model.find_role(&text) {
            return Some(RoleUse { role, span });
        }
        let known: Vec<&str> = self.model.schema.roles.iter().map(String::as_str).collect();
        let near = nearest(&text, known.iter().copied());
        self.fail(messages::unknown_role(span, &text, near, &known))
    }

    /// A table by name.
    pub(crate) fn table(&mut self, name: &ast::Name) -> Option<TableId> {
        let (span, text) = (self.span(name), name.name());
        if let Some(table) = self.model.find_table(&text) {
            return Some(table);
        }
        let known: Vec<&str> = self.model.schema.tables.iter().map(|t| t.name.as_str()).collect();
        let near = nearest(&text, known.iter().copied());
        self.fail(messages::unknown_table(span, &text, near, &known))
    }
}

/// The message for arguments that do not suit.
pub(crate) fn type_message(
    model: &Model,
    error: &TypeError,
    name: &str,
    args: &[Bound],
    span: Span,
) -> Diagnostic {
    match error {
        TypeError::Count { least, most } => messages::wrong_count(span, name, *least, *most),
        TypeError::Argument { at, wanted } => match args.get(*at) {
            Some(arg) => {
                let column = match arg.kind {
                    BoundKind::Column(column, _) => Some(model.written(column)),
                    _ => None,
                };
                messages::wrong_argument(arg.span, wanted, arg.ty, column.as_deref())
            }
            None => messages::wrong_argument(span, wanted, Type::Null, None),
        },
        TypeError::Unlike(a, b) => messages::unlike(span, *a, *b),
        TypeError::TooManyDecimals => messages::too_many_decimals(span),
    }
}

/// Whether a text is the number of a year and that of a month, such as 2025-03.
fn is_month(text: &str) -> bool {
    let parts = text.split_once('-').map(|(year, month)| (year.trim(), month.trim()));
    let number = |text: &str, digits: usize| {
        text.len() == digits
            && text.bytes().all(|b| b.is_ascii_digit())
            && text.parse().is_ok_and(|n: u32| n > 0)
    };
    parts.is_some_and(|(year, month)| number(year, 4) && number(month, 2) && month <= "12")
}

/// A value that is written outright, with a sign perhaps.
pub(crate) fn fixed(bound: &Bound) -> Option<Scalar> {
    match &bound.kind {
        BoundKind::Literal(value) => Some(value.clone()),
        BoundKind::Call(Function::Negate, args) => {
            call::call(Function::Negate, &[fixed(args.first()?)?], bound.ty).ok()
        }
        _ => None,
    }
}
