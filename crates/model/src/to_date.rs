//! Figures of several roles under `all to date`: what was ordered to date less what was shipped to date, a backlog, is there up to the last
//! day on which either has rows, not only up to that of each.

use crate::bound::{Bound, BoundKind, Clauses, Over, RoleUse};
use crate::ids::MeasureId;
use crate::model::Model;
use std::collections::HashSet;
use vembra_plan::{DateRange, TableId};

/// A table whose rows are taken to date, and the roles in force there.
pub type ToDate = (TableId, Vec<RoleUse>);

/// The tables and roles of the aggregates of an expression that are taken to date, from the start of the calendar on. `around` are the roles
/// asked for around it, and `within` says whether it stands in such a date range as a whole.
pub fn all_to_date(model: &Model, bound: &Bound, around: &[RoleUse], within: bool) -> Vec<ToDate> {
    let mut finder = Finder { model, found: Vec::new(), seen: HashSet::new() };
    if within || finder.mentions(bound, &mut HashSet::new()) {
        finder.look(bound, around, within);
    }
    finder.found
}

/// Whether clauses take all days to date.
pub(crate) fn takes_all_to_date(clauses: &Clauses) -> bool {
    clauses.during.is_some_and(|(date_range, _)| date_range == DateRange::ToDate(None))
}

struct Finder<'a> {
    model: &'a Model,
    found: Vec<ToDate>,
    /// Measures name measures, many times over.
    seen: HashSet<(MeasureId, Vec<u32>, bool)>,
}

impl Finder<'_> {
    fn mentions(&self, bound: &Bound, seen: &mut HashSet<MeasureId>) -> bool {
        match &bound.kind {
            BoundKind::Claused(_, clauses) if takes_all_to_date(clauses) => true,
            BoundKind::Measure(id) => {
                seen.insert(*id) && self.mentions(&self.model.measure(*id).formula, seen)
            }
            _ => bound.parts().into_iter().any(|part| self.mentions(part, seen)),
        }
    }

    fn look(&mut self, bound: &Bound, roles: &[RoleUse], within: bool) {
        match &bound.kind {
            BoundKind::Measure(id)
                if self.seen.insert((*id, roles.iter().map(|used| used.role.0).collect(), within)) =>
            {
                self.look(&self.model.measure(*id).formula, roles, within);
            }
            BoundKind::Treatment(treatment) => self.look(&treatment.formula, roles, within),
            BoundKind::Call(_, args) => args.iter().for_each(|arg| self.look(arg, roles, within)),
            BoundKind::Window(window) => self.look(&window.value, roles, within),
            BoundKind::Claused(inner, clauses) => {
                let roles: Vec<RoleUse> = roles.iter().chain(&clauses.via).copied().collect();
                self.look(inner, &roles, within || takes_all_to_date(clauses));
            }
            BoundKind::Aggregate(aggregate) => match (&aggregate.over, &aggregate.value) {
                (Over::Rows(table), _) if within => {
                    let fact = (*table, roles.to_vec());
                    if !self.found.contains(&fact) {
                        self.found.push(fact);
                    }
                }
                (Over::Keys(_), Some(value)) => self.look(value, roles, within),
                _ => {}
            },
            _ => {}
        }
    }
}
