//! Tables of a model that nothing links with the others, as one that was added later may be: which links seem to be right.

use super::leads::{self, Lead};
use super::tables::{Origin, Seen, key_of};
use crate::session::Session;
use std::sync::Arc;
use vembra_engine::{Column, EngineError};
use vembra_plan::{Finding, TableId, TableKind, Type};
use vembra_syntax::{Code, quote_name};

impl Session {
    /// A note for each table without links that seems to belong to others, or to the calendar by its dates, with the lines to write.
    pub(crate) fn link_findings(&self) -> Result<Vec<Finding>, EngineError> {
        let schema = &self.model.schema;
        let is_data =
            |table: &TableId| matches!(schema.table(*table).kind, TableKind::Fact | TableKind::Dimension);
        let tables: Vec<TableId> = schema.table_ids().filter(is_data).collect();
        let is_linked = |table: TableId| {
            schema.link_ids().any(|l| schema.link_source(l) == table || schema.link_target(l) == table)
        };
        let alone: Vec<bool> = tables.iter().map(|t| !is_linked(*t)).collect();
        if !alone.contains(&true) {
            return Ok(Vec::new());
        }
        let seen: Vec<Seen> = tables.iter().map(|t| self.seen(*t)).collect::<Result<_, EngineError>>()?;
        let leads = leads::all(&seen, |from, to| alone[from] || alone[to]);
        let mut findings = Vec::new();
        for (at, table) in seen.iter().enumerate().filter(|(at, _)| alone[*at]) {
            let of_it = leads.iter().filter(|lead| lead.from.0 == at || lead.to == at);
            let mut lines: Vec<String> = of_it.map(|lead| line(&seen, lead)).collect();
            if schema.table(tables[at]).kind == TableKind::Fact {
                lines.extend(self.date_lines(table));
            }
            if lines.is_empty() {
                continue;
            }
            let message =
                "nothing links this table with others, so that none of their attributes can be asked with it";
            findings.push(Finding::new(
                Code::V526,
                table.name.clone(),
                message,
                format!("by its values, these lines seem to be right: {}", lines.join("; ")),
            ));
        }
        Ok(findings)
    }

    fn seen(&self, table: TableId) -> Result<Seen, EngineError> {
        let def = self.model.schema.table(table);
        let mut columns: Vec<(String, Arc<Column>)> = Vec::new();
        let stored = def.columns.iter().filter(|c| self.model.schema.column(**c).formula.is_none());
        for id in stored.copied() {
            columns.push((self.model.schema.column(id).name.clone(), self.star.column(id)?.clone()));
        }
        let named = |key: &str| columns.iter().position(|(name, _)| name == key);
        let key = match def.key.as_slice() {
            [] => key_of(&columns, &def.name),
            [one] => named(&self.model.schema.column(*one).name),
            _ => None,
        };
        let rows = self.star.rows(table);
        Ok(Seen { name: def.name.clone(), from: Origin::Model, rows, columns, said: Vec::new(), key })
    }

    /// Links of the dates of a table to the calendar, if there is one.
    fn date_lines(&self, table: &Seen) -> Option<String> {
        let calendar = self.model.calendar.map(|c| quote_name(&self.model.schema.table(c).name))?;
        let is_date = |(_, column): &&(String, Arc<Column>)| matches!(column.ty(), Type::Date | Type::Moment);
        let (name, _) = table.columns.iter().find(is_date)?;
        Some(format!("link {}.{} to {calendar}", quote_name(&table.name), quote_name(name)))
    }
}

fn line(seen: &[Seen], lead: &Lead) -> String {
    let (from, to) = (&seen[lead.from.0], &seen[lead.to]);
    let column = quote_name(from.column(lead.from.1).0);
    format!("link {}.{column} to {}", quote_name(&from.name), quote_name(&to.name))
}
