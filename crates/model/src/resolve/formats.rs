//! The formats that a model gives, and its currency: whether they are understood, and whether numbers are there to be written by them.

use super::Resolver;
use crate::messages;
use vembra_plan::{LANGUAGES, Type, pattern_fault};
use vembra_syntax::ast::{self, View};
use vembra_syntax::{SourceId, SyntaxNode};

impl Resolver<'_> {
    /// Each format of the model.
    pub(super) fn formats(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.columns {
            self.patterns(declared.node.node(), declared.source);
            let Some(target) = declared.node.target() else { continue };
            let table = target.qualifier().and_then(|table| self.model.find_table(&table.name()));
            let column =
                table.zip(target.name()).and_then(|(t, name)| self.model.find_column(t, &name.name()));
            let ty = column.map(|column| self.model.schema.column(column).ty);
            self.used(ast::property(&declared.node), ty, declared.source);
        }
        for declared in &declarations.measures {
            self.patterns(declared.node.node(), declared.source);
            let measure = declared.node.name().and_then(|name| self.model.find_measure(&name.name()));
            let measure = measure.map(|id| self.model.measure(id)).filter(|m| !m.broken);
            let ty = measure.map(|m| m.formula.ty);
            self.used(ast::property(&declared.node), ty, declared.source);
        }
    }

    /// The patterns below a declaration.
    fn patterns(&mut self, node: &SyntaxNode, source: SourceId) {
        for format in node.descendants().filter_map(ast::FormatProp::cast) {
            let fault = format.text_value().and_then(|text| pattern_fault(&text));
            if let Some(fault) = fault {
                self.diagnostics.push(messages::bad_property(
                    format.span(source),
                    &format!("this is no format of numbers: {fault}"),
                    "write for example: format '#,##0.00', format '¤#,##0', format '0.0%'",
                ));
            }
        }
    }

    /// Only numbers are written by a format.
    fn used(&mut self, format: Option<ast::FormatProp>, ty: Option<Type>, source: SourceId) {
        let (Some(format), Some(ty)) = (format, ty) else { return };
        if !ty.is_number() && ty != Type::Null {
            self.diagnostics.push(messages::format_unused(format.span(source), ty));
        }
    }

    /// The model's locale, if it is the tag of one.
    pub(super) fn locale(&mut self) {
        let Some(declared) = &self.declarations.locale else { return };
        let Some(tag) = declared.node.tag() else { return };
        let span = declared.span();
        let Ok(locale) = tag.parse::<icu_locale_core::Locale>() else {
            self.diagnostics.push(messages::no_locale(span, &tag));
            return;
        };
        if !LANGUAGES.contains(&locale.id.language.as_str()) {
            self.diagnostics.push(messages::no_words(span, &tag));
        }
        self.model.locale = Some(tag);
    }

    /// The model's currency, if it is a code of one.
    pub(super) fn currency(&mut self) {
        let Some(declared) = &self.declarations.currency else { return };
        let Some(code) = declared.node.code() else { return };
        let is_code = code.len() == 3 && code.bytes().all(|b| b.is_ascii_uppercase());
        if is_code {
            self.model.currency = Some(code);
            return;
        }
        let upper = code.trim().to_ascii_uppercase();
        let near = upper.len() == 3 && upper.bytes().all(|b| b.is_ascii_uppercase());
        let help = if near { upper } else { "EUR".to_owned() };
        self.diagnostics.push(messages::bad_property(
            declared.span(),
            "a currency is named by the three capital letters of ISO 4217",
            &format!("write for example: currency '{help}'"),
        ));
    }
}
