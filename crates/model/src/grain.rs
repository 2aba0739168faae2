//! What there is one value of, and what settles what: both are known before any data are read.
//!
//! A **grain** is a row of some tables, the values of some keys, or the cell. An attribute **determines** another one of its table where
//! each of its members stands with one member of that; it **settles** another one also across links.

use crate::bound::{Bound, BoundKind, Detail, DetailKey, Grain};
use crate::model::Model;
use std::collections::BTreeSet;
use vembra_plan::{ColumnId, Period, RoleId, TableId, Type};

impl Model {
    /// Columns that stand for the same thing as this one, itself first.
    pub fn same_things(&self, id: ColumnId) -> Vec<ColumnId> {
        let group = self.same.get(id.index());
        let all = (0..self.same.len() as u32).map(ColumnId);
        let others = all.filter(|c| *c != id && self.same.get(c.index()) == group);
        std::iter::once(id).chain(others).collect()
    }

    /// Whether a member of `finer` always stands with one member of `coarser` (of the same table).
    pub fn determines(&self, finer: ColumnId, coarser: ColumnId) -> bool {
        let mut seen = BTreeSet::from([finer]);
        let mut open = vec![finer];
        while let Some(column) = open.pop() {
            if column == coarser {
                return true;
            }
            for (_, next) in self.determined.iter().filter(|(f, _)| *f == column) {
                if seen.insert(*next) {
                    open.push(*next);
                }
            }
        }
        false
    }

    /// Whether a value of one attribute settles that of another, whatever the row: the same thing, an attribute of
    /// the same table that it determines, or one of a table that a link leads to from it.
    pub fn settles(&self, finer: (ColumnId, Option<RoleId>), coarser: (ColumnId, Option<RoleId>)) -> bool {
        self.settles_within(finer, coarser, self.schema.tables.len()) && self.one_way(finer, coarser)
    }

    /// Whether all rows that come to both attributes do so by the same way: where an order has a region of its own and its customer has
    /// one too, the customer does not settle the region. A role before the dot says the way.
    fn one_way(&self, finer: (ColumnId, Option<RoleId>), coarser: (ColumnId, Option<RoleId>)) -> bool {
        let home = |column: ColumnId| self.schema.column(column).table;
        if finer.1.or(coarser.1).is_some() || home(finer.0) == home(coarser.0) {
            return true;
        }
        self.schema.table_ids().all(|table| {
            match (self.start(table, finer.0), self.start(table, coarser.0)) {
                (Some(a), Some(b)) => a.iter().any(|column| b.contains(column)),
                _ => true,
            }
        })
    }

    /// The columns of a table from which its rows come to an attribute: its own, or those of the first link.
    fn start(&self, table: TableId, column: ColumnId) -> Option<Vec<ColumnId>> {
        let (thing, route) = self.route_to_thing(table, column, None, &[]).ok()?;
        Some(route.path.first().map_or_else(|| vec![thing], |link| self.schema.link(*link).from.clone()))
    }

    fn settles_within(
        &self,
        finer: (ColumnId, Option<RoleId>),
        coarser: (ColumnId, Option<RoleId>),
        links: usize,
    ) -> bool {
        if finer.1 == coarser.1 {
            let things = if finer.1.is_some() { vec![finer.0] } else { self.same_things(finer.0) };
            let wanted = if coarser.1.is_some() { vec![coarser.0] } else { self.same_things(coarser.0) };
            if things.iter().any(|f| wanted.iter().any(|c| self.determines(*f, *c))) {
                return true;
            }
        }
        if links == 0 {
            return false;
        }
        // A key column settles all that its link leads to; only where no role could lead elsewhere.
        self.schema.links.iter().filter(|l| l.from == [finer.0] && finer.1.is_none()).any(|link| {
            let reached = link.to[0];
            match (link.role, coarser.1) {
                (None, None) => self.settles_within((reached, None), coarser, links - 1),
                (Some(role), Some(pinned)) if role == pinned => {
                    self.settles_within((reached, Some(pinned)), coarser, links - 1)
                }
                _ => false,
            }
        })
    }

    /// Whether each key of `smaller` is settled by one of `larger`.
    pub fn holds_keys(&self, larger: &[DetailKey], smaller: &[DetailKey]) -> bool {
        smaller.iter().all(|s| larger.iter().any(|l| self.settles((l.column, l.role), (s.column, s.role))))
    }

    /// How deep an expression is, with the formulas of all that it names.
    pub(crate) fn depth(&self, bound: &Bound) -> usize {
        let own = match &bound.kind {
            BoundKind::Measure(id) => self.measure(*id).known.depth,
            BoundKind::Column(column, _) => self.depths.get(column).copied().unwrap_or(0),
            _ => 0,
        };
        1 + bound.parts().into_iter().map(|part| self.depth(part)).fold(own, usize::max)
    }

    /// What there is one value of.
    pub fn grain(&self, bound: &Bound) -> Grain {
        match &bound.kind {
            BoundKind::Literal(_) | BoundKind::Param(_) => Grain::Constant,
            BoundKind::Column(column, _) => Grain::Row(BTreeSet::from([self.schema.column(*column).table])),
            BoundKind::Measure(id) => match self.measures.get(id.0 as usize).map(|m| &m.known.grain) {
                Some(grain @ (Grain::Keys(_) | Grain::Fixed)) => grain.clone(),
                _ => Grain::Cell,
            },
            BoundKind::Treatment(treatment) => match self.grain(&treatment.formula) {
                grain @ (Grain::Keys(_) | Grain::Fixed) => grain,
                _ => Grain::Cell,
            },
            BoundKind::Aggregate(_) | BoundKind::Window(_) => Grain::Cell,
            BoundKind::StandsOn(_) | BoundKind::CellEdge { .. } => Grain::Fixed,
            BoundKind::Claused(inner, clauses) => match &clauses.detail {
                Some(Detail::Per(keys)) => Grain::Keys(keys.clone()),
                Some(Detail::Cell | Detail::Overall) => Grain::Fixed,
                None => self.grain(inner),
            },
            BoundKind::Call(_, args) => {
                args.iter().fold(Grain::Constant, |grain, arg| self.join(grain, self.grain(arg)))
            }
        }
    }

    /// What there is one value of, in words.
    pub fn grain_in_words(&self, bound: &Bound) -> String {
        match self.grain(bound) {
            Grain::Constant => "the same everywhere".to_owned(),
            Grain::Row(_) => "one per row".to_owned(),
            Grain::Keys(keys) => {
                let names: Vec<String> = keys.iter().map(|k| self.schema.qualified(k.column)).collect();
                format!("one per {}", names.join(", "))
            }
            Grain::Fixed | Grain::Cell => "one per cell".to_owned(),
        }
    }

    fn join(&self, a: Grain, b: Grain) -> Grain {
        match (a, b) {
            (Grain::Constant, other) | (other, Grain::Constant) => other,
            (Grain::Row(mut a), Grain::Row(b)) => {
                a.extend(b);
                Grain::Row(a)
            }
            (Grain::Row(tables), Grain::Keys(_) | Grain::Fixed)
            | (Grain::Keys(_) | Grain::Fixed, Grain::Row(tables)) => Grain::Row(tables),
            (Grain::Keys(a), Grain::Keys(b)) => Grain::Keys(if self.holds_keys(&a, &b) { a } else { b }),
            (Grain::Keys(keys), _) | (_, Grain::Keys(keys)) => Grain::Keys(keys),
            (Grain::Fixed, Grain::Fixed) => Grain::Fixed,
            _ => Grain::Cell,
        }
    }

    /// The first figure of a row or key expression that does not say for which detail it is.
    pub fn bare_figure<'b>(&self, bound: &'b Bound) -> Option<&'b Bound> {
        match &bound.kind {
            BoundKind::Measure(_)
            | BoundKind::Treatment(_)
            | BoundKind::Aggregate(_)
            | BoundKind::Window(_) => (self.grain(bound) == Grain::Cell).then_some(bound),
            BoundKind::Call(_, args) => args.iter().find_map(|a| self.bare_figure(a)),
            BoundKind::Claused(inner, clauses) if clauses.detail.is_none() => {
                self.bare_figure(inner).map(|_| bound)
            }
            _ => None,
        }
    }
}

/// Which calendar columns a calendar column determines, directly.
pub(crate) fn calendar_determines(fiscal_start: u8) -> Vec<(Type, Type)> {
    use Period as P;
    let mut pairs: Vec<(Type, Type)> = Vec::new();
    let mut add = |finer: P, coarser: &[P]| {
        pairs.extend(coarser.iter().map(|c| (Type::Period(finer), Type::Period(*c))));
    };
    add(P::Month, &[P::Quarter, P::MonthOfYear, P::FiscalMonth]);
    add(P::FiscalMonth, &[P::Month, P::FiscalQuarter]);
    add(P::Quarter, &[P::Year, P::QuarterOfYear]);
    add(P::FiscalQuarter, &[P::FiscalYear]);
    add(P::MonthOfYear, &[P::QuarterOfYear]);
    if fiscal_start % 3 == 1 {
        add(P::Quarter, &[P::FiscalQuarter]);
        add(P::FiscalQuarter, &[P::Quarter]);
    }
    if fiscal_start == 1 {
        add(P::Year, &[P::FiscalYear]);
        add(P::FiscalYear, &[P::Year]);
    }
    pairs
}
