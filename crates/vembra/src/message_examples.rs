//! Examples in messages about texts that could not be parsed, with names of the model at hand: a parser knows none.

use crate::session::Session;
use vembra_model::Model;
use vembra_plan::{ColumnId, TableKind, Type};
use vembra_syntax::{Diagnostic, quote_name};

/// What stands in the examples of parser messages, and what is meant by it.
struct Names {
    replaced: Vec<(&'static str, String)>,
}

impl Names {
    fn of(session: &Session) -> Self {
        let model = &*session.model;
        let attribute = attribute(model);
        let name = |column: ColumnId| model.written(column);
        let member =
            attribute.and_then(|a| session.star.members(a).ok()?.first().map(vembra_plan::Scalar::literal));
        let fact =
            model.schema.tables.iter().find(|t| t.kind == TableKind::Fact).map(|t| quote_name(&t.name));
        let rows = fact.as_ref().map(|fact| format!("count(rows of {fact})"));
        let figure = model.measures.first().map(|m| quote_name(&m.name)).or(rows);
        let key = model.schema.tables.iter().find(|t| t.kind == TableKind::Fact);
        let key = key.and_then(|t| t.columns.first()).map(|c| quote_name(&model.schema.column(*c).name));
        let year = model.calendar.is_none().then(|| attribute.map(name)).flatten();
        let mut replaced = Vec::new();
        let mut add = |old: &'static str, new: Option<String>, known: bool| {
            replaced.extend(new.filter(|_| !known).map(|new| (old, new)));
        };
        let has = |table: &str, column: &str| {
            model.find_table(table).is_some_and(|t| model.find_column(t, column).is_some())
        };
        let region = has("customer", "region");
        add("'Dunlow'", member, region);
        add("customer.region", attribute.map(name), region);
        add("product.name", attribute.map(name), has("product", "name"));
        add("order_no", key, !model.columns_called("order_no").is_empty());
        add("order_line", fact, model.find_table("order_line").is_some());
        add("revenue", figure, model.find_measure("revenue").is_some());
        add("calendar.year", year, false);
        Self { replaced }
    }

    /// Each place once: a name of the model may hold another one of the examples.
    fn put_into(&self, text: &str) -> String {
        let (mut whole, mut rest) = (String::new(), text);
        while let Some(next) = rest.chars().next() {
            let (old, new) = match self.replaced.iter().find(|(old, _)| rest.starts_with(old)) {
                Some((old, new)) => (*old, new.as_str()),
                None => (&rest[..next.len_utf8()], &rest[..next.len_utf8()]),
            };
            whole.push_str(new);
            rest = &rest[old.len()..];
        }
        whole
    }
}

/// A column that distinguishes members: a text of a dimension that is no key, else any text.
fn attribute(model: &Model) -> Option<ColumnId> {
    let columns = || (0..model.schema.columns.len() as u32).map(ColumnId);
    let is_text = |c: &ColumnId| {
        let def = model.schema.column(*c);
        def.ty == Type::Text
            && matches!(model.schema.table(def.table).kind, TableKind::Fact | TableKind::Dimension)
    };
    let is_key = |c: &ColumnId| model.schema.table(model.schema.column(*c).table).key.contains(c);
    let in_dimension =
        |c: &ColumnId| model.schema.table(model.schema.column(*c).table).kind == TableKind::Dimension;
    columns().find(|c| is_text(c) && in_dimension(c) && !is_key(c)).or_else(|| columns().find(is_text))
}

/// The diagnostics of a parser with names of the session's model in their examples.
pub(crate) fn with_own_names(session: &Session, mut diagnostics: Vec<Diagnostic>) -> Vec<Diagnostic> {
    let names = Names::of(session);
    for diagnostic in diagnostics.iter_mut().filter(|d| d.code.is_of_spelling()) {
        for help in diagnostic.help.iter_mut().filter(|h| h.fix.is_none()) {
            help.text = names.put_into(&help.text);
        }
    }
    diagnostics
}

#[cfg(test)]
mod tests {
    use super::Names;

    #[test]
    fn a_name_that_was_put_in_is_not_replaced_again() {
        let replaced = vec![("order_line", "revenue_line".to_owned()), ("revenue", "sold".to_owned())];
        let names = Names { replaced };
        assert_eq!(
            names.put_into("show revenue, count(rows of order_line) – à"),
            "show sold, count(rows of revenue_line) – à"
        );
    }
}
