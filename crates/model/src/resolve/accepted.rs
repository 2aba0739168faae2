//! What a model accepts of findings, and how much they matter to it.

use super::Resolver;
use crate::messages;
use crate::model::{Accepted, Treated};
use vembra_plan::{Code, Severity};
use vembra_syntax::SourceId;
use vembra_syntax::ast::{self, NameRef, View};

impl Resolver<'_> {
    pub(super) fn accepted(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.accepted {
            let (Some(code), Some(reason)) = (declared.node.code(), declared.node.reason()) else { continue };
            let Some(code) = self.finding_code(&code, declared.source) else { continue };
            let (table, column) = match declared.node.target() {
                None => (None, None),
                Some(target) => match self.about(&target, declared.source) {
                    Some(about) => about,
                    None => continue,
                },
            };
            self.model.accepted.push(Accepted { code, table, column, reason });
        }
        for declared in &declarations.treated {
            let (Some(code), Some(name)) = (declared.node.code(), declared.node.severity()) else { continue };
            let Some(code) = self.finding_code(&code, declared.source) else { continue };
            let severity = match name.name().to_ascii_lowercase().as_str() {
                "error" => Severity::Error,
                "warning" => Severity::Warning,
                _ => Severity::Note,
            };
            self.model.treated.push(Treated { code, severity });
        }
    }

    /// Only findings about data and unused things can be accepted: texts that are wrong have no meaning.
    fn finding_code(&mut self, written: &ast::Code, source: SourceId) -> Option<Code> {
        let text = written.code();
        let code = Code::from_text(&text).filter(|code| code.is_finding());
        if code.is_none() {
            self.diagnostics.push(messages::not_a_finding(written.span(source), &text));
        }
        code
    }

    /// A table, or a column of one.
    #[allow(clippy::type_complexity)] // A table and a column, either of which may be left open.
    fn about(
        &mut self,
        target: &NameRef,
        source: SourceId,
    ) -> Option<(Option<vembra_plan::TableId>, Option<vembra_plan::ColumnId>)> {
        let name = target.name()?;
        match target.qualifier() {
            None => {
                let table = self.table_named(&name, source)?;
                Some((Some(table), None))
            }
            Some(qualifier) => {
                let table = self.table_named(&qualifier, source)?;
                let column = self.column_of(table, &name.name(), target.span(source))?;
                Some((Some(table), Some(column)))
            }
        }
    }

    fn table_named(
        &mut self,
        name: &vembra_syntax::ast::Name,
        source: SourceId,
    ) -> Option<vembra_plan::TableId> {
        let text = name.name();
        if let Some(table) = self.model.find_table(&text) {
            return Some(table);
        }
        let known: Vec<&str> = self.model.schema.tables.iter().map(|t| t.name.as_str()).collect();
        let near = vembra_syntax::nearest(&text, known.iter().copied());
        let message = messages::unknown_table(name.span(source), &text, near, &known);
        self.diagnostics.push(message);
        None
    }
}
