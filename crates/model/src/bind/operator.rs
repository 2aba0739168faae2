//! Operators and the functions with a form of their own.

use super::Binder;
use crate::bound::{Bound, BoundKind};
use crate::messages;
use vembra_plan::{Function, Period, Scalar, Type, Unit};
use vembra_syntax::Span;
use vembra_syntax::ast::{self, Expr, View};

impl Binder<'_> {
    pub(super) fn binary(&mut self, binary: &ast::Binary) -> Option<Bound> {
        let span = self.span(binary);
        let operands = self.exprs(&binary.operands())?;
        if let Some(sign) = binary.operator_token().filter(|t| t.text() == "!=") {
            let (start, end) = (sign.text_range().start().into(), sign.text_range().end().into());
            self.diagnostics.push(messages::other_not_equal(Span { source: self.source, start, end }));
        }
        let function = match binary.operator().as_str() {
            "+" => Function::Add,
            "-" => Function::Subtract,
            "*" => Function::Multiply,
            "/" => Function::Divide,
            "||" => Function::Concat,
            "and" => Function::And,
            "or" => Function::Or,
            "=" => Function::Equal,
            "<>" | "!=" => Function::NotEqual,
            "<" => Function::Less,
            "<=" => Function::LessEqual,
            ">" => Function::Greater,
            _ => Function::GreaterEqual,
        };
        match function {
            Function::Concat | Function::And | Function::Or => self.apply(function, operands, span),
            _ => self.compare(function, operands, span),
        }
    }

    /// A function whose arguments are of one kind: texts in quotes take the type of the others.
    pub(super) fn compare(&mut self, function: Function, args: Vec<Bound>, span: Span) -> Option<Bound> {
        let dated = args
            .iter()
            .map(|a| a.ty)
            .find(|ty| matches!(ty, Type::Date | Type::Time | Type::Moment | Type::Period(_)));
        let Some(ty) = dated else { return self.apply(function, args, span) };
        let fitted: Vec<Option<Bound>> = args.into_iter().map(|a| self.fitted(a, ty)).collect();
        let fitted: Option<Vec<Bound>> = fitted.into_iter().collect();
        self.apply(function, fitted?, span)
    }

    pub(super) fn negated(&mut self, bound: Bound, negated: bool) -> Option<Bound> {
        let span = bound.span;
        if negated { self.apply(Function::Not, vec![bound], span) } else { Some(bound) }
    }

    pub(super) fn between(&mut self, between: &ast::Between) -> Option<Bound> {
        let span = self.span(between);
        let operands = self.exprs(&between.operands())?;
        let [value, low, high] = <[Bound; 3]>::try_from(operands).ok()?;
        let upper = if between.is_before() { Function::Less } else { Function::LessEqual };
        let from = self.compare(Function::GreaterEqual, vec![value.clone(), low], span);
        let to = self.compare(upper, vec![value, high], span);
        self.apply(Function::And, vec![from?, to?], span).and_then(|b| self.negated(b, between.is_negated()))
    }

    pub(super) fn case(&mut self, case: &ast::Case) -> Option<Bound> {
        let span = self.span(case);
        let mut parts: Vec<Option<Bound>> = Vec::new();
        for branch in case.branches() {
            parts.extend(branch.parts().iter().map(|p| self.expr(p)));
        }
        parts.extend(case.otherwise().map(|e| self.expr(&e)));
        let parts: Option<Vec<Bound>> = parts.into_iter().collect();
        self.apply(Function::Case, parts?, span)
    }

    pub(super) fn cast(&mut self, cast: &ast::Cast) -> Option<Bound> {
        let span = self.span(cast);
        let operand = self.expr(&cast.operand()?);
        let written = cast.ty()?;
        let name = written.name()?;
        let Some(ty) = Type::from_name(&name.name()) else {
            let span = self.span(&name);
            return self.fail(messages::unknown_type(span, &name.name()));
        };
        let operand = operand?;
        if !castable(operand.ty, ty) {
            return self.fail(messages::unlike(span, operand.ty, ty));
        }
        let cast = |ty| Bound { kind: BoundKind::Call(Function::Cast, vec![operand]), ty, span };
        let parts = written.digits();
        let [digits, scale] = parts.as_slice() else { return Some(cast(ty)) };
        let Some((digits, scale)) = crate::declarations::digits_and_scale(digits, scale) else {
            let span = self.span(&written);
            return self.fail(messages::odd_digits(span));
        };
        let cast = cast(Type::Decimal(scale));
        self.apply(Function::Within(digits), vec![cast], span)
    }

    pub(super) fn extract(&mut self, extract: &ast::Extract) -> Option<Bound> {
        let span = self.span(extract);
        let operand = self.expr(&extract.operand()?);
        let name = extract.unit()?;
        let Some(unit) = Unit::from_name(&name.name().to_ascii_lowercase()) else {
            let message = messages::bad_parameter(
                self.span(&name),
                "extract takes year, quarter, month, day, weekday, day_of_year, hour, minute or second",
                "extract(hour from placed_at)",
            );
            return self.fail(message);
        };
        self.apply(Function::Extract(unit), vec![operand?], span)
    }

    /// `start_of(year, d)` and `end_of(month, d)`.
    pub(super) fn edge(&mut self, call: &ast::Call, name: &str) -> Option<Bound> {
        let span = self.span(call);
        let args = call.args();
        let [unit, date] = args.as_slice() else {
            return self.fail(messages::wrong_count(span, name, 2, 2));
        };
        let word = if let Expr::NameRef(n) = unit { n.text().to_ascii_lowercase() } else { String::new() };
        let Some(period) = Period::IN_TIME.iter().copied().find(|p| p.name() == word) else {
            let message = messages::bad_parameter(
                self.span(unit),
                "this takes year, quarter, month, week, fiscal_year, fiscal_quarter or fiscal_month",
                "start_of(year, ordered_on)",
            );
            return self.fail(message);
        };
        let date = self.expr(date).and_then(|d| self.fitted(d, Type::Date))?;
        let start = self.model.fiscal_start;
        let function = if name == "start_of" {
            Function::StartOf(period, start)
        } else {
            Function::EndOf(period, start)
        };
        self.apply(function, vec![date], span)
    }

    pub(super) fn band(&mut self, call: &ast::Call) -> Option<Bound> {
        let span = self.span(call);
        let args = self.exprs(&call.args())?;
        let bounds: Vec<&Scalar> = args
            .iter()
            .skip(1)
            .filter_map(|a| if let BoundKind::Literal(value) = &a.kind { Some(value) } else { None })
            .collect();
        let rises = bounds.windows(2).all(|b| b[0].compare(b[1]).is_lt());
        if bounds.is_empty() || bounds.len() + 1 != args.len() || !rises {
            return self.fail(messages::bad_bounds(span));
        }
        self.apply(Function::Band, args, span)
    }
}

/// Whether a cast can be right for some value.
fn castable(from: Type, to: Type) -> bool {
    match (from, to) {
        (a, b) if a == b => true,
        (Type::Null | Type::Text, _) | (_, Type::Text) => true,
        (a, b) if a.is_number() && b.is_number() => true,
        (Type::Date, Type::Moment | Type::Period(_)) | (Type::Moment, Type::Date | Type::Time) => true,
        (Type::Boolean | Type::Period(_), Type::Integer) => true,
        (Type::Integer, Type::Period(p)) => p.reads_as_integer(),
        _ => false,
    }
}
