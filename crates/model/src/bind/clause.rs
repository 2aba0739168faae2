//! Clauses after an expression: where it is evaluated.

use super::Binder;
use super::treatment::Argument;
use crate::bound::{Bound, BoundKind, Clauses, Detail, DetailKey, Forget, Grain, RoleUse, What};
use crate::messages;
use crate::names::{Named, Written};
use crate::scope::BindScope;
use vembra_plan::{DateRange, Period, TimeUnit};
use vembra_syntax::Span;
use vembra_syntax::ast::{self, Clause};

impl Binder<'_> {
    pub(super) fn claused(&mut self, claused: &ast::Claused) -> Option<Bound> {
        let span = self.span(claused);
        let nodes = claused.clauses();
        // Where the detail is said, a figure may stand.
        let detailed = nodes.iter().any(is_detail);
        let scope = if detailed { self.scope.detailed() } else { self.scope };
        let inner = self.within(scope, |b| claused.inner().and_then(|i| b.expr(&i)));
        let clauses = self.clauses(&nodes);
        let (inner, clauses) = (inner?, clauses?);
        if matches!(self.model.grain(&inner), Grain::Row(_)) {
            return self.fail(messages::clause_on_row(span));
        }
        let ty = inner.ty;
        Some(Bound { kind: BoundKind::Claused(Box::new(inner), Box::new(clauses)), ty, span })
    }

    /// All are looked at, so that each mistake is reported.
    fn clauses(&mut self, nodes: &[Clause]) -> Option<Clauses> {
        let mut clauses = Clauses::default();
        let mut failed = false;
        let details: Vec<Span> = nodes.iter().filter(|n| is_detail(n)).map(|n| self.span(n)).collect();
        if let [first, second, ..] = details.as_slice() {
            failed = self.fail::<()>(messages::two_details(*second, *first)).is_none();
        }
        for node in nodes {
            failed |= self.clause(node, &mut clauses).is_none();
        }
        (!failed).then_some(clauses)
    }

    fn clause(&mut self, node: &Clause, clauses: &mut Clauses) -> Option<()> {
        let span = self.span(node);
        match node {
            Clause::WhereClause(clause) => {
                let condition = clause.condition()?;
                let condition = self.within(self.scope.outside_rows(), |b| b.condition(&condition))?;
                clauses.conditions.push(condition);
            }
            Clause::ViaClause(clause) => {
                for name in clause.roles() {
                    let role = self.role(&name)?;
                    self.add_role(role, &mut clauses.via)?;
                }
            }
            Clause::PoolingClause(clause) => {
                let what = self.forgotten(&clause.forgotten()?)?;
                clauses.forget.push(Forget { what, filters: false, span });
            }
            Clause::RegardlessClause(clause) => {
                let what = self.forgotten(&clause.forgotten()?)?;
                clauses.forget.push(Forget { what, filters: true, span });
            }
            Clause::DuringClause(clause) => {
                let date_range = self.date_range(clause)?;
                if let Some((_, first)) = clauses.during.replace((date_range, span)) {
                    return self.fail(messages::clause_in_set_twice(span, first, "during"));
                }
            }
            Clause::PerClause(clause) if clause.is_cell() => clauses.detail = Some(Detail::Cell),
            Clause::PerClause(clause) => {
                clauses.detail = Some(Detail::Per(self.keys(&clause.keys())?));
            }
            Clause::OverallClause(_) => clauses.detail = Some(Detail::Overall),
        }
        Some(())
    }

    /// Adds a role to those that are asked for in one place.
    pub(crate) fn add_role(&mut self, role: RoleUse, roles: &mut Vec<RoleUse>) -> Option<()> {
        let target = self.model.role_target(role.role);
        let rival = roles.iter().find(|other| self.model.role_target(other.role) == target);
        if let Some(rival) = rival.filter(|rival| rival.role != role.role) {
            let table = target.map(|table| self.model.schema.table(table).name.as_str()).unwrap_or_default();
            return self.fail(messages::two_roles(role.span, rival.span, table));
        }
        roles.push(role);
        Some(())
    }

    /// The keys behind `per`; a table stands for its key.
    pub(crate) fn keys(&mut self, names: &[ast::NameRef]) -> Option<Vec<DetailKey>> {
        let mut keys: Vec<DetailKey> = Vec::new();
        for name in names {
            for key in self.key_or_table(name)? {
                if !keys.iter().any(|k| k.is(&key)) {
                    keys.push(key);
                }
            }
        }
        Some(keys)
    }

    fn key_or_table(&mut self, name: &ast::NameRef) -> Option<Vec<DetailKey>> {
        let own = name.name()?.name();
        let table = self.model.find_table(&own).filter(|_| name.qualifier().is_none());
        let Some(table) = table else { return Some(vec![self.attribute(name)?]) };
        let span = self.span(name);
        let key = &self.model.schema.table(table).key;
        let written = Written { qualifier: None, name: &own, span };
        let column =
            match self.model.lookup(&written, BindScope { measures: false, ..self.scope.outside_rows() }) {
                Ok(Named::Column(column, _)) => Some(self.model.written(column)),
                _ => None,
            };
        if let Some(column) = column {
            let mut names = vec![column];
            names.extend(key.iter().map(|k| self.model.written(*k)));
            return self.fail(messages::ambiguous(span, &own, &names));
        }
        if key.is_empty() {
            return self.fail(messages::table_without_key(span, &own));
        }
        Some(key.iter().map(|k| DetailKey { column: *k, role: None, span }).collect())
    }

    /// An attribute by name.
    pub(crate) fn attribute(&mut self, name: &ast::NameRef) -> Option<DetailKey> {
        let span = self.span(name);
        if let Some(key) = self.attribute_argument(name) {
            return Some(DetailKey { span, ..key });
        }
        let (qualifier, own) = (self.qualifier(name), name.name()?.name());
        let written = Written { qualifier: qualifier.as_deref(), name: &own, span };
        match self.model.lookup(&written, self.scope.outside_rows()) {
            Ok(Named::Column(column, role)) => Some(DetailKey { column, role, span }),
            Ok(Named::Measure(_)) => self.fail(messages::not_an_attribute(span, &own)),
            Err(diagnostic) => self.fail(*diagnostic),
        }
    }

    /// The attribute that a bare name stands for as an argument.
    fn attribute_argument(&self, name: &ast::NameRef) -> Option<DetailKey> {
        let own = name.name().filter(|_| name.qualifier().is_none())?.name();
        match self.argument(&own)? {
            Argument::Attribute(key) => Some(*key),
            _ => None,
        }
    }

    /// What a clause forgets.
    pub(super) fn forgotten(&mut self, forgotten: &ast::Forgotten) -> Option<What> {
        let mut names = Vec::new();
        for name in forgotten.names() {
            names.push(self.what(&name)?);
        }
        Some(match (forgotten.is_all(), forgotten.is_but()) {
            (_, true) => What::AllBut(names),
            (true, false) => What::All,
            _ if names.len() == 1 => names.swap_remove(0),
            _ => What::Several(names),
        })
    }

    /// A table, a role or an attribute.
    pub(super) fn what(&mut self, name: &ast::NameRef) -> Option<What> {
        if name.qualifier().is_none() {
            let own = name.name()?.name();
            match self.argument(&own) {
                Some(Argument::Attribute(key)) => return Some(What::Attribute(key.column, key.role)),
                Some(Argument::Role(role)) => return Some(What::Role(role.role)),
                _ => {}
            }
            if let Some(table) = self.model.find_table(&own) {
                return Some(What::Table(table));
            }
            if let Some(role) = self.model.find_role(&own) {
                return Some(What::Role(role));
            }
            // An axis by its name is what it is made of.
            if let Some((_, axis)) = self.axes.iter().find(|(name, _)| *name == own) {
                let parts = axis.columns().into_iter().map(|(c, role, _)| What::Attribute(c, role));
                return Some(What::Several(parts.collect()));
            }
        }
        let key = self.attribute(name)?;
        Some(What::Attribute(key.column, key.role))
    }

    fn date_range(&mut self, clause: &ast::DuringClause) -> Option<DateRange> {
        let span = self.span(clause);
        let words = clause.words();
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let count = match (clause.count().map(|t| t.text().parse::<i32>()), clause.counted()) {
            (Some(Ok(count)), _) => Some(count),
            (Some(Err(_)), _) => return self.fail(self.bad_date_range(span)),
            (None, Some(name)) => Some(self.counted(&name)?),
            (None, None) => None,
        };
        let date_range = match (count, words.as_slice()) {
            (None, ["all", "to", "date"]) => Some(DateRange::ToDate(None)),
            (None, [unit @ .., "to", "date"]) => time_unit(unit).map(|u| DateRange::ToDate(Some(u))),
            (None, ["all", "before"]) => Some(DateRange::AllBefore),
            (None, ["whole", unit @ ..]) => time_unit(unit).map(DateRange::Whole),
            (None, ["previous", unit @ ..]) => time_unit(unit).map(DateRange::Previous),
            (Some(count), ["last", unit @ ..]) if count > 0 => {
                time_unit(unit).map(|unit| DateRange::Last { count, unit })
            }
            (Some(count), [unit @ .., "earlier"]) => {
                time_unit(unit).map(|unit| DateRange::Earlier { count, unit, matched: false })
            }
            (Some(count), [unit @ .., "earlier", "matched"]) => {
                time_unit(unit).map(|unit| DateRange::Earlier { count, unit, matched: true })
            }
            _ => None,
        };
        match date_range {
            Some(
                DateRange::Earlier { unit: TimeUnit::WorkingDay, .. }
                | DateRange::Last { unit: TimeUnit::WorkingDay, .. }
                | DateRange::Previous(TimeUnit::WorkingDay),
            ) if !self.model.has_working_days => self.fail(messages::no_working_days(span)),
            // A working day has no days to date, and is no more than itself.
            Some(DateRange::ToDate(Some(TimeUnit::WorkingDay)) | DateRange::Whole(TimeUnit::WorkingDay)) => {
                self.fail(self.bad_date_range(span))
            }
            Some(date_range) => Some(date_range),
            None => self.fail(self.bad_date_range(span)),
        }
    }

    /// How many: an argument that stands for a whole number, or for a parameter whose value is known.
    fn counted(&mut self, name: &ast::Name) -> Option<i32> {
        let (span, own) = (self.span(name), name.name());
        let value = match self.argument(&own) {
            Some(Argument::Constant(Bound { kind: BoundKind::Literal(value), .. })) => value.physical(),
            Some(Argument::Constant(Bound { kind: BoundKind::Param(id), .. })) => {
                self.values.and_then(|values| values.get(id)?.physical())
            }
            _ => None,
        };
        match value.and_then(|count| i32::try_from(count).ok()) {
            Some(count) => Some(count),
            None => self.fail(messages::no_count(span, &own)),
        }
    }

    #[allow(clippy::unused_self)] // Reads like the other messages.
    fn bad_date_range(&self, span: Span) -> vembra_syntax::Diagnostic {
        messages::bad_parameter(
            span,
            "this is not a date range",
            "during year to date, during 1 year earlier, during previous month, during last 3 months, during 10 working days earlier",
        )
    }
}

fn is_detail(clause: &Clause) -> bool {
    matches!(clause, Clause::PerClause(_) | Clause::OverallClause(_))
}

fn time_unit(words: &[&str]) -> Option<TimeUnit> {
    let fiscal = words.first() == Some(&"fiscal");
    let working = words.first() == Some(&"working");
    let rest = if fiscal || working { &words[1..] } else { words };
    let [word] = rest else { return None };
    let period = match (word.trim_end_matches('s'), fiscal) {
        ("day", false) => return Some(if working { TimeUnit::WorkingDay } else { TimeUnit::Day }),
        _ if working => return None,
        ("week", false) => Period::Week,
        ("month", false) => Period::Month,
        ("quarter", false) => Period::Quarter,
        ("year", false) => Period::Year,
        ("month", true) => Period::FiscalMonth,
        ("quarter", true) => Period::FiscalQuarter,
        ("year", true) => Period::FiscalYear,
        _ => return None,
    };
    Some(TimeUnit::Of(period))
}
