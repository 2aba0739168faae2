//! What the data of a server are like: rows are counted there, and keys, links and hierarchies looked at there.

use super::{Asking, ServerSide, outside};
use crate::error::Error;
use crate::load_report::Counts;
use std::collections::BTreeMap;
use vembra_engine::{EngineError, Options, Star, orphans_told};
use vembra_model::Model;
use vembra_plan::{ColumnId, Finding, LinkId, Scalar, TableId, TableKind};
use vembra_sql::{Refused, Source, Statement};
use vembra_syntax::Code;

impl ServerSide {
    /// Keys that stand twice: a row that is joined to two would count twice.
    pub(crate) fn check_keys(&self, model: &Model) -> Result<(), Error> {
        let mut asked = Vec::new();
        for (id, stored) in &self.tables {
            let def = model.schema.table(*id);
            let mut keys = vec![def.key.clone()];
            let reaches = |l: &&vembra_plan::LinkDef| !l.coarse && l.as_of.is_none() && !l.bridge;
            keys.extend(
                model
                    .schema
                    .links
                    .iter()
                    .filter(reaches)
                    .map(|l| l.to.clone())
                    .filter(|to| model.schema.column(to[0]).table == *id),
            );
            keys.retain(|key| !key.is_empty());
            keys.sort();
            keys.dedup();
            // The first day of a row that holds from then on is part of its key.
            for key in keys {
                let names: Vec<&str> = key.iter().map(|c| model.schema.column(*c).name.as_str()).collect();
                let statement = vembra_sql::twice(self.dialect, stored, &names);
                asked.extend(statement.map(|statement| (*id, names.join(", "), statement)));
            }
        }
        let statements: Vec<Statement> = asked.iter().map(|(.., statement)| statement.clone()).collect();
        let found = self.run(&statements, &Options::default()).map_err(|error| outside(&error))?;
        let twice = asked.iter().zip(found).filter_map(|((table, column, _), rows)| {
            let value = rows.first()?.first()?.clone();
            Some(Finding {
                column: Some(column.clone()),
                ..Finding::new(
                    Code::V501,
                    format!("{} {}", self.server.name, self.tables[table].name),
                    format!("the key {value} stands twice"),
                    "leave one of the rows out on the server: each key must lead to one row",
                )
            })
        });
        let twice: Vec<Finding> = twice.collect();
        if twice.is_empty() { Ok(()) } else { Err(Error::outside(twice)) }
    }

    /// How many rows each table of the server has, and for each of its columns how many of them have no value.
    pub(crate) fn counts(&self, star: &Star) -> Result<Counts, EngineError> {
        let asking = Asking { server: self, star, options: &Options::default() };
        let source = asking.source();
        let tables: Vec<TableId> = self.tables.keys().copied().collect();
        let statements: Result<Vec<Statement>, Refused> =
            tables.iter().map(|table| vembra_sql::counts(&source, *table)).collect();
        let found = self.run(&statements.map_err(|r| self.refusal(&r))?, &Options::default())?;
        let mut all = BTreeMap::new();
        for (table, rows) in tables.into_iter().zip(found) {
            let counted: Vec<usize> = rows
                .first()
                .into_iter()
                .flatten()
                .filter_map(Scalar::physical)
                .filter_map(|n| usize::try_from(n).ok())
                .collect();
            let Some((rows, present)) = counted.split_first() else { continue };
            let names =
                vembra_sql::stored(&source, table).into_iter().map(|c| source.schema.column(c).name.clone());
            let missing = names.zip(present).map(|(name, present)| (name, rows - present)).collect();
            all.insert(source.schema.table(table).name.clone(), (*rows, missing));
        }
        Ok(all)
    }

    /// What is wrong with links and hierarchies, found by the server.
    pub(crate) fn findings(&self, model: &Model, star: &Star) -> Result<Vec<Finding>, EngineError> {
        let asking = Asking { server: self, star, options: &Options::default() };
        let source = asking.source();
        let mut findings = Vec::new();
        for link in model.schema.link_ids().filter(|link| looked_at(model, *link)) {
            findings.extend(self.orphans(model, &source, link)?);
        }
        for hierarchy in model.hierarchies.iter().filter(|h| self.tables.contains_key(&h.table)) {
            for pair in hierarchy.levels.windows(2) {
                findings.extend(self.undetermined(model, &source, &hierarchy.name, [pair[0], pair[1]])?);
            }
        }
        findings.push(Finding::new(Code::V650, self.server.name.clone(), "of tables on a server keys, links and hierarchies were looked at, and nothing else", "for the rest, such as days in a wrong order, load the tables: declare the server with `database`"));
        Ok(findings)
    }

    /// The members of a column on the server, each with its value of another one that says their order; none where the column is not there.
    pub(crate) fn ordered(
        &self,
        model: &Model,
        star: &Star,
        [column, by]: [ColumnId; 2],
    ) -> Result<Option<Vec<(Scalar, Scalar)>>, EngineError> {
        let schema = &model.schema;
        if !self.tables.contains_key(&schema.column(column).table) {
            return Ok(None);
        }
        let asking = Asking { server: self, star, options: &Options::default() };
        let statement = vembra_sql::pairs(&asking.source(), column, by);
        let statement = statement.map_err(|refused| self.refusal(&refused))?;
        let found = self.run(&[statement], &Options::default())?;
        let mut pairs: Vec<(Scalar, Scalar)> =
            found.into_iter().flatten().map(|row| (row[1].clone(), row[0].clone())).collect();
        pairs.sort_by(|(a, x), (b, y)| x.compare(y).then_with(|| a.compare(b)));
        if let Some(twice) = pairs.windows(2).find(|pair| pair[0].1.compare(&pair[1].1).is_eq()) {
            let message = format!(
                "the order by {} does not hold: {} stands with {} and with {}",
                schema.column(by).name,
                twice[0].1.literal(),
                twice[0].0.literal(),
                twice[1].0.literal()
            );
            let help = "fix the data, or list the members: order 'Small', 'Large'";
            let finding = self.finding(Code::V506, model, column, message, help);
            return Err(EngineError::Unread(Box::new(finding)));
        }
        Ok(Some(pairs))
    }

    /// The one row that a statement gives.
    fn only_row(&self, statement: Result<Statement, Refused>) -> Result<Option<Vec<Scalar>>, EngineError> {
        let statement = statement.map_err(|refused| self.refusal(&refused))?;
        let found = self.run(&[statement], &Options::default())?;
        Ok(found.into_iter().next().and_then(|rows| rows.into_iter().next()))
    }

    fn orphans(
        &self,
        model: &Model,
        source: &Source<'_>,
        link: LinkId,
    ) -> Result<Option<Finding>, EngineError> {
        let schema = &model.schema;
        let Some(row) = self.only_row(vembra_sql::orphans(source, link))? else { return Ok(None) };
        let others = match row[1].physical().unwrap_or(0) {
            0 => return Ok(None),
            1 => String::new(),
            2 => " (and 1 other row like it)".to_owned(),
            more => format!(
                " (and {} other rows like it)",
                vembra_draw::grouped(usize::try_from(more - 1).unwrap_or(0))
            ),
        };
        let target = schema.table(schema.link_target(link));
        let of = &target.name;
        let (code, message, help) = if matches!(target.kind, TableKind::Calendar { .. }) {
            let message = format!("{} is outside {of}{others}", row[0]);
            (Code::V504, message, format!("widen {of} so that it covers all dates"))
        } else {
            let message = format!("{} is in no row of {of}{others}", row[0].literal());
            (Code::V503, message, orphans_told(target).1)
        };
        let finding = self.finding(code, model, schema.link(link).from[0], message, &help);
        Ok(Some(Finding { severity: orphans_told(target).0, ..finding }))
    }

    fn undetermined(
        &self,
        model: &Model,
        source: &Source<'_>,
        hierarchy: &str,
        [coarser, finer]: [ColumnId; 2],
    ) -> Result<Option<Finding>, EngineError> {
        let Some(row) = self.only_row(vembra_sql::undetermined(source, finer, coarser))? else {
            return Ok(None);
        };
        let message = format!(
            "the hierarchy {hierarchy} does not hold: {} stands with {} {} and with {}",
            row[0].literal(),
            model.schema.column(coarser).name,
            row[1].literal(),
            row[2].literal()
        );
        let help = "fix the data, or leave the level out of the hierarchy";
        Ok(Some(self.finding(Code::V505, model, finer, message, help)))
    }

    fn finding(&self, code: Code, model: &Model, column: ColumnId, message: String, help: &str) -> Finding {
        let def = model.schema.column(column);
        let file = match self.tables.get(&def.table) {
            Some(stored) => format!("{} {}", self.server.name, stored.name),
            None => model.schema.table(def.table).name.clone(),
        };
        Finding { column: Some(def.name.clone()), ..Finding::new(code, file, message, help) }
    }
}

/// Whether it is looked whether a link leads everywhere: a table about some days says nothing of the others. Of a row that holds from a day on another link may say the same.
fn looked_at(model: &Model, link: LinkId) -> bool {
    let schema = &model.schema;
    let from = schema.table(schema.link_source(link));
    let def = schema.link(link);
    let alone = |l: LinkId| l != link && schema.link(l).from[..] == def.from[..1];
    let follows_other = def.as_of.is_some() && schema.link_ids().any(alone);
    !follows_other && !matches!(from.kind, TableKind::Calendar { .. } | TableKind::Derived)
}
