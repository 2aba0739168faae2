//! What there is one value of, and what settles what: both are known before any data are read.
//!
//! A **grain** is a row of some tables, the values of some keys, or the cell. An attribute **determines** another one of its table where
//! each of its members stands with one member of that; it **settles** another one also across links.

use crate::bound::{Bound, BoundKind, Detail, DetailKey, Grain};
use crate::model::Model;
use std::collections::BTreeSet;
use vembra_plan::{ColumnId, LinkDef, LinkId, Period, RoleId, TableId, TableKind, Type};

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
    /// the same table that it determines, or one of a table that links lead to from what it settles.
    pub fn settles(&self, finer: (ColumnId, Option<RoleId>), coarser: (ColumnId, Option<RoleId>)) -> bool {
        if finer == coarser {
            return true;
        }
        self.settled_by(finer).contains(&coarser) && self.one_way(finer, coarser)
    }

    /// All attributes that a value of one settles, as far as links and declarations say so.
    fn settled_by(&self, finer: (ColumnId, Option<RoleId>)) -> BTreeSet<(ColumnId, Option<RoleId>)> {
        let mut settled = BTreeSet::from([finer]);
        let mut open = vec![finer];
        while let Some((column, role)) = open.pop() {
            let mut next: Vec<(ColumnId, Option<RoleId>)> = Vec::new();
            let determined = self.determined.iter().filter(|(from, _)| *from == column);
            next.extend(determined.map(|(_, to)| (*to, role)));
            // Seen through a role, only the attributes of what the role leads to are known.
            if role.is_none() {
                next.extend(self.same_things(column).into_iter().map(|thing| (thing, None)));
                next.extend(self.linked_by(column, &settled));
            }
            open.extend(next.into_iter().filter(|attribute| settled.insert(*attribute)));
        }
        settled
    }

    /// What links lead to from a column that is settled, with others that are.
    fn linked_by(
        &self,
        column: ColumnId,
        settled: &BTreeSet<(ColumnId, Option<RoleId>)>,
    ) -> Vec<(ColumnId, Option<RoleId>)> {
        let starts = |link: &&LinkDef| {
            link.from.contains(&column) && link.from.iter().all(|c| settled.contains(&(*c, None)))
        };
        let mut reached = Vec::new();
        for link in self.schema.links.iter().filter(starts) {
            let table = self.schema.column(link.to[0]).table;
            let columns = if link.coarse { &link.to } else { &self.schema.table(table).columns };
            reached.extend(columns.iter().map(|c| (*c, link.role)));
        }
        reached
    }

    /// Whether all rows that come to both attributes do so by the same way: where an order has a region of its own and its customer has
    /// one too, the customer does not settle the region. What one role pins both to is reached by the same way.
    fn one_way(&self, finer: (ColumnId, Option<RoleId>), coarser: (ColumnId, Option<RoleId>)) -> bool {
        let home = |column: ColumnId| self.schema.column(column).table;
        if finer.1.is_some() || coarser.1.is_none() && home(finer.0) == home(coarser.0) {
            return true;
        }
        self.schema.table_ids().all(|table| match (self.start(table, finer), self.start(table, coarser)) {
            (Some((own, a)), Some((_, b))) => {
                let held = own.is_some_and(|own| b.iter().all(|column| self.determines(own, *column)));
                held || a.iter().any(|column| b.contains(column))
            }
            _ => true,
        })
    }

    /// The columns of a table from which its rows come to an attribute: its own, which is distinguished, or those of the first link.
    fn start(
        &self,
        table: TableId,
        (column, role): (ColumnId, Option<RoleId>),
    ) -> Option<(Option<ColumnId>, Vec<ColumnId>)> {
        let (thing, route) = self.route_to_thing(table, column, role, &[]).ok()?;
        Some(match route.path.first() {
            Some(link) => (None, self.schema.link(*link).from.clone()),
            None => (Some(thing), vec![thing]),
        })
    }

    /// Whether an attribute is one of a table, or the same thing as one of a dimension, or settles the key of that.
    pub fn is_of_table(&self, (column, role): (ColumnId, Option<RoleId>), table: TableId) -> bool {
        let def = self.schema.table(table);
        if self.schema.column(column).table == table {
            return true;
        }
        if role.is_some() || def.kind == TableKind::Fact {
            return false;
        }
        let same = self.same_things(column).iter().any(|c| self.schema.column(*c).table == table);
        same || !def.key.is_empty() && def.key.iter().all(|key| self.settles((column, None), (*key, None)))
    }

    /// From the rows of an attribute's own table to one that it settles: the column, and the links that lead there.
    pub fn way_within(
        &self,
        finer: (ColumnId, Option<RoleId>),
        coarser: (ColumnId, Option<RoleId>),
    ) -> Option<(ColumnId, Vec<LinkId>)> {
        let home = |column: ColumnId| self.schema.column(column).table;
        // What one role pins both to follows from the rows that it leads to.
        if home(finer.0) == home(coarser.0) {
            return Some((coarser.0, Vec::new()));
        }
        if finer.1.is_some() {
            return None;
        }
        let (column, route) = match coarser.1 {
            None => self.route_to_thing(home(finer.0), coarser.0, None, &[]).ok()?,
            role => (coarser.0, self.route(home(finer.0), coarser.0, role, &[]).ok()?),
        };
        Some((column, route.path))
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
                let names: Vec<String> = keys.iter().map(|k| self.written(k.column)).collect();
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
