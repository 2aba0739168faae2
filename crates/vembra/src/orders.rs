//! Members in the order of another column: `order by size_rank`.

use crate::session::Session;
use std::collections::HashSet;
use std::sync::Arc;
use vembra_engine::EngineError;
use vembra_model::Model;
use vembra_plan::{ColumnId, Finding, Scalar};
use vembra_syntax::Code;

/// The columns that have the order of another one.
fn ordered(model: &Model) -> Vec<(ColumnId, ColumnId)> {
    model.columns.iter().filter_map(|(column, info)| Some((*column, info.order_by?))).collect()
}

impl Session {
    /// Puts members in the order of the columns that say it, now that their values are known. Of members with one value the smaller goes
    /// first; those without a value come last.
    pub(crate) fn order_members(&mut self) -> Result<(), EngineError> {
        let mut orders: Vec<(ColumnId, Vec<Scalar>)> = Vec::new();
        for (column, by) in ordered(&self.model) {
            let there = match &self.server {
                Some(server) => server.ordered(&self.model, &self.star, [column, by])?,
                None => None,
            };
            let mut ranked = match there {
                Some(pairs) => pairs,
                None => self.ranked(column, by)?,
            };
            ranked.sort_by(|(a, x), (b, y)| {
                let nulls_last = a.is_null().cmp(&b.is_null());
                nulls_last.then_with(|| a.compare(b)).then_with(|| x.compare(y))
            });
            orders.push((column, ranked.into_iter().map(|(_, member)| member).collect()));
        }
        if !orders.is_empty() {
            let model = Arc::make_mut(&mut self.model);
            for (column, order) in orders {
                model.columns.entry(column).or_default().order = order;
            }
        }
        Ok(())
    }

    /// The members of a column in memory, each with the first value that another one has beside it.
    fn ranked(&self, column: ColumnId, by: ColumnId) -> Result<Vec<(Scalar, Scalar)>, EngineError> {
        let (members, ranks) = (self.star.column(column)?, self.star.column(by)?);
        let mut ranked: Vec<(Scalar, Scalar)> = Vec::new();
        let mut seen: HashSet<String> = HashSet::new();
        for row in 0..members.len() {
            let member = members.scalar(row);
            if !member.is_null() && seen.insert(member.literal()) {
                ranked.push((ranks.scalar(row), member));
            }
        }
        Ok(ranked)
    }

    /// Members that stand with two values of the column that says their order.
    pub(crate) fn order_findings_of(&self) -> Result<Vec<Finding>, EngineError> {
        let mut findings = Vec::new();
        let schema = &self.model.schema;
        for (column, by) in ordered(&self.model) {
            let Some((first, second)) = self.star.undetermined(column, by)? else { continue };
            let table = self.star.table(schema.column(column).table);
            let value = |column: ColumnId, row| self.star.column(column).map(|c| c.scalar(row).literal());
            findings.push(Finding {
                line: table.and_then(|t| t.line(second)),
                column: Some(schema.column(column).name.clone()),
                ..Finding::new(
                    Code::V506,
                    table.map_or_else(String::new, |t| t.file(second).to_owned()),
                    format!(
                        "the order by {} does not hold: {} stands with {} and with {}",
                        schema.column(by).name,
                        value(column, second)?,
                        value(by, first)?,
                        value(by, second)?
                    ),
                    "fix the data, or list the members: order 'Small', 'Large'",
                )
            });
        }
        Ok(findings)
    }
}
