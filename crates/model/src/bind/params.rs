//! Binding of parameters: what they stand for in a query, and the values that are given.

use super::{Binder, Choices, fixed};
use crate::ids::ParamId;
use crate::messages;
use crate::model::Model;
use crate::param::ParamValue;
use crate::query::Params;
use crate::scope::BindScope;
use std::collections::BTreeMap;
use vembra_plan::{Scalar, Type};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Diagnostic, Sources, SyntaxKind, SyntaxNode};

/// Reads the value of a parameter, as `given NAME = TEXT` would.
///
/// # Errors
/// What is wrong with the name or the value.
pub fn read_given(
    model: &Model,
    sources: &mut Sources,
    name: &str,
    text: &str,
) -> Result<(ParamId, ParamValue), Vec<Diagnostic>> {
    let mut first = Vec::new();
    for written in [text.to_owned(), Scalar::text(text).literal()] {
        let written = format!("{} = {written}", vembra_syntax::quote_name(name));
        let source = sources.add(format!("given {name}"), written.clone());
        let parsed = vembra_syntax::parse_given(source, &written);
        let mut diagnostics = parsed.diagnostics;
        if let Some(item) = ast::GivenItem::cast(parsed.root).filter(|_| diagnostics.is_empty()) {
            let mut binder = Binder::new(model, sources, source, BindScope::VALUE, &mut diagnostics);
            if let Some(found) = given(&mut binder, &item).filter(|_| binder.diagnostics.is_empty()) {
                return Ok(found);
            }
        }
        if first.is_empty() {
            first = diagnostics;
        }
    }
    Err(first)
}

/// The attributes and values that parameters stand for.
pub(crate) fn settled(model: &Model, given: &BTreeMap<ParamId, ParamValue>) -> (Choices, Params) {
    let (mut choices, mut params) = (Choices::new(), Params::new());
    for (at, param) in model.params.iter().enumerate() {
        let id = ParamId(at as u32);
        match given.get(&id).or(param.default.as_ref()) {
            Some(ParamValue::Choice(choice)) => {
                choices.insert(id, *choice);
            }
            Some(ParamValue::Value(value)) => {
                params.insert(id, value.clone());
            }
            None => {}
        }
    }
    (choices, params)
}

/// The values that a query gives to parameters.
pub(super) fn givens(
    binder: &mut Binder<'_>,
    root: &SyntaxNode,
    given: &mut BTreeMap<ParamId, ParamValue>,
) -> Option<()> {
    let items: Vec<ast::GivenItem> = ast::clause_items(root, SyntaxKind::GivenClause);
    let mut failed = false;
    for item in items.into_iter().filter(|item| item.name().is_some() && item.value().is_some()) {
        match self::given(binder, &item) {
            Some((id, value)) => drop(given.insert(id, value)),
            None => failed = true,
        }
    }
    (!failed).then_some(())
}

/// The parameter that an item names, and its value.
fn given(binder: &mut Binder<'_>, item: &ast::GivenItem) -> Option<(ParamId, ParamValue)> {
    let (name, value) = (item.name()?, item.value()?);
    let span = binder.span(&name);
    if let Some(id) = binder.model.find_param(&name.name()) {
        return Some((id, param_value(binder, id, &value)?));
    }
    let known: Vec<&str> = binder.model.params.iter().map(|p| p.name.as_str()).collect();
    let near = vembra_syntax::nearest(&name.name(), known.iter().copied());
    binder.fail(match near {
        Some(near) => messages::unknown_given(span, &name.name(), near),
        None => messages::unknown_param(span, &name.name(), near, &known),
    })
}

/// The value or attribute that an expression gives to a parameter.
pub(crate) fn param_value(binder: &mut Binder<'_>, id: ParamId, value: &Expr) -> Option<ParamValue> {
    let param = binder.model.param(id).clone();
    let span = binder.span(value);
    if !param.attribute {
        let bound = binder.expr(value).and_then(|b| binder.fitted(b, param.ty))?;
        return match fixed(&bound).filter(|v| fits(v, param.ty)) {
            Some(value) => Some(ParamValue::Value(value)),
            None => binder.fail(messages::bad_given(span, &param.name, &param.ty.with_article())),
        };
    }
    let names: Vec<String> = param.choices.iter().map(|c| binder.model.written(c.column)).collect();
    let wanted = format!("one of {}", names.join(", "));
    let Expr::NameRef(name) = value else {
        return binder.fail(messages::bad_given(span, &param.name, &wanted));
    };
    let key = binder.attribute(name)?;
    match param.choices.iter().position(|c| c.is(&key)) {
        Some(at) => Some(ParamValue::Choice(at)),
        None => binder.fail(messages::bad_given(span, &param.name, &wanted)),
    }
}

pub(super) fn fits(value: &Scalar, ty: Type) -> bool {
    let own = value.ty();
    value.is_null()
        || own == ty
        || matches!((own, ty), (Type::Integer | Type::Decimal(_), Type::Decimal(_) | Type::Float))
}
