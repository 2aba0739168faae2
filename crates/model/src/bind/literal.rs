//! Fixed values, and the texts that take the type of their place.

use super::Binder;
use crate::bound::{Bound, BoundKind};
use crate::messages;
use vembra_plan::{Decimal, Scalar, Type, call};
use vembra_syntax::SyntaxKind;
use vembra_syntax::ast;

impl Binder<'_> {
    pub(super) fn literal(&mut self, literal: &ast::Literal) -> Option<Bound> {
        let span = self.span(literal);
        let token = literal.token()?;
        let text = token.text();
        let value = match token.kind() {
            SyntaxKind::Text => Scalar::text(literal.text_value()?),
            SyntaxKind::Number => match number(text) {
                Some(value) => value,
                // What is no number at all was reported by the parser.
                None if text.parse::<f64>().is_err() => return None,
                None => return self.fail(messages::number_too_large(span, text)),
            },
            _ => match text.to_ascii_lowercase().as_str() {
                "true" => Scalar::Boolean(true),
                "false" => Scalar::Boolean(false),
                _ => Scalar::Null,
            },
        };
        Some(Bound::literal(value, span))
    }

    /// A member that a text or number stands for, as a value of a type.
    #[allow(clippy::unused_self)] // Reads like the others.
    pub(crate) fn literal_as(&self, literal: &ast::Literal, ty: Type) -> Option<Scalar> {
        let text = literal.text_value();
        match ty {
            Type::Text => text.map(Scalar::text),
            _ => call::parse(text.as_deref().unwrap_or(literal.token()?.text()), ty),
        }
    }

    pub(super) fn typed_literal(&mut self, literal: &ast::TypedLiteral) -> Option<Bound> {
        let span = self.span(literal);
        let ty = match literal.word().as_str() {
            "date" => Type::Date,
            "time" => Type::Time,
            _ => Type::Moment,
        };
        let text = literal.text_value()?;
        match call::parse(&text, ty) {
            Some(value) => Some(Bound::literal(value, span)),
            None => self.fail(messages::unreadable_literal(span, &text, ty)),
        }
    }

    /// Gives a text in quotes the type of its place: dates, times and periods are written as texts.
    pub(crate) fn fitted(&mut self, bound: Bound, ty: Type) -> Option<Bound> {
        let dated = matches!(ty, Type::Date | Type::Time | Type::Moment | Type::Period(_));
        match &bound.kind {
            BoundKind::Literal(Scalar::Text(text)) if dated => match call::parse(text, ty) {
                Some(value) => Some(Bound::literal(value, bound.span)),
                None => {
                    let message = messages::unreadable_literal(bound.span, text, ty);
                    self.fail(message)
                }
            },
            _ => Some(bound),
        }
    }
}

/// A number: whole, exact with a point, or a float with an exponent.
fn number(text: &str) -> Option<Scalar> {
    if text.contains(['e', 'E']) {
        text.parse().ok().filter(|x: &f64| x.is_finite()).map(Scalar::Float)
    } else if text.contains('.') {
        Decimal::parse(text).map(Scalar::Decimal)
    } else {
        text.parse().ok().map(Scalar::Integer)
    }
}
