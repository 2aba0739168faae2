//! Values that a column never holds: a comparison with one is warned of.

use super::{KnownValues, Lowering};
use crate::bound::{Bound, BoundKind};
use crate::messages;
use crate::model::Model;
use crate::query::BoundQuery;
use vembra_plan::{Function, Scalar, Type};
use vembra_syntax::nearest;

impl Lowering<'_> {
    /// Warns of comparisons with a value that the column never holds.
    pub(super) fn never_held(&mut self, query: &BoundQuery, known: &dyn KnownValues) {
        let mut roots: Vec<&Bound> = Vec::new();
        match query {
            BoundQuery::Summary(query) => {
                roots.extend(&query.filters);
                roots.extend(query.shows.iter().map(|s| &s.expr));
                roots.extend(query.having.iter().chain(query.top.iter().map(|t| &t.by)));
            }
            BoundQuery::List(list) => roots.extend(&list.filters),
        }
        let mut at = 0;
        let mut measures = Vec::new();
        while at < roots.len() {
            let root = roots[at];
            at += 1;
            let mut more = Vec::new();
            root.walk(&mut |bound| match &bound.kind {
                BoundKind::Measure(id) if !measures.contains(id) => {
                    measures.push(*id);
                    more.push(&self.model.measure(*id).formula);
                }
                BoundKind::Call(Function::Equal | Function::NotEqual | Function::In, args) => {
                    self.diagnostics.extend(unheld(self.model, args, known));
                }
                _ => {}
            });
            roots.extend(more);
        }
    }
}

fn unheld(model: &Model, args: &[Bound], known: &dyn KnownValues) -> Vec<vembra_syntax::Diagnostic> {
    let column = args.iter().find_map(|a| if let BoundKind::Column(c, _) = a.kind { Some(c) } else { None });
    let Some(column) = column else { return Vec::new() };
    let ty = model.schema.column(column).ty;
    let listed = matches!(ty, Type::Text | Type::Boolean | Type::Period(_) | Type::Date);
    let literals: Vec<(&Scalar, &Bound)> = args
        .iter()
        .filter_map(|a| if let BoundKind::Literal(v) = &a.kind { Some((v, a)) } else { None })
        .filter(|(v, _)| !v.is_null() && listed && known.holds(column, v) == Some(false))
        .collect();
    // All values are listed only where one is not among them.
    let Some(values) = (!literals.is_empty()).then(|| known.values(column)).flatten() else {
        return Vec::new();
    };
    literals
        .into_iter()
        .map(|(value, at)| {
            let texts: Vec<String> = values.iter().map(ToString::to_string).collect();
            let near = nearest(&value.to_string(), texts.iter().map(String::as_str));
            let near = near.filter(|_| ty == Type::Text).map(|n| Scalar::text(n).literal());
            messages::never_held(at.span, &model.written(column), &value.literal(), near)
        })
        .collect()
}
