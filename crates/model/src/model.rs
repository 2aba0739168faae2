//! A resolved model.

use crate::bound::{Bound, BoundKind, Grain};
use std::collections::{BTreeMap, BTreeSet};
use vembra_plan::{ColumnId, Period, RoleId, Scalar, Schema, TableId, Type};
use vembra_syntax::{Place, Sources};

/// A measure of the model.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct MeasureId(pub u32);

/// A formula with a name.
#[derive(Clone, Debug)]
pub struct Measure {
    /// The name.
    pub name: String,
    /// The formula.
    pub formula: Bound,
    /// The formula as it is written.
    pub text: String,
    /// The heading.
    pub label: Option<String>,
    /// The CLDR pattern.
    pub format: Option<String>,
    /// The description.
    pub about: Option<String>,
    /// Where it is declared.
    pub place: Place,
}

/// What a model says of a column besides its type.
#[derive(Clone, Debug, Default)]
pub struct ColumnInfo {
    /// The heading.
    pub label: Option<String>,
    /// The CLDR pattern.
    pub format: Option<String>,
    /// The description.
    pub about: Option<String>,
    /// The formula as it is written.
    pub text: Option<String>,
    /// Members in an order by hand.
    pub order: Vec<Scalar>,
}

/// Attributes of a table from coarse to fine.
#[derive(Clone, Debug)]
pub struct Hierarchy {
    /// The table.
    pub table: TableId,
    /// The name.
    pub name: String,
    /// The attributes, the coarsest first.
    pub levels: Vec<ColumnId>,
    /// Where it is declared.
    pub place: Place,
}

/// What a model's declarations mean.
#[derive(Clone, Debug, Default)]
pub struct Model {
    /// Tables, columns and links.
    pub schema: Schema,
    /// The texts of the model.
    pub sources: Sources,
    /// The measures by [`MeasureId`].
    pub measures: Vec<Measure>,
    /// What is said of columns.
    pub columns: BTreeMap<ColumnId, ColumnInfo>,
    /// The hierarchies.
    pub hierarchies: Vec<Hierarchy>,
    /// The currency of amounts, as an ISO 4217 code.
    pub currency: Option<String>,
    /// The table of the calendar.
    pub calendar: Option<TableId>,
    /// The first month of the fiscal year.
    pub fiscal_start: u8,
    /// For each column the number of its group: linked key columns of one name are one thing.
    pub(crate) same: Vec<u32>,
    /// What determines what, directly: the finer, then the coarser.
    pub(crate) determined: Vec<(ColumnId, ColumnId)>,
}

impl Model {
    /// The measure of an id.
    pub fn measure(&self, id: MeasureId) -> &Measure {
        &self.measures[id.0 as usize]
    }

    /// The measure of this name.
    pub fn find_measure(&self, name: &str) -> Option<MeasureId> {
        self.measures.iter().position(|m| m.name == name).map(|at| MeasureId(at as u32))
    }

    /// The table of this name.
    pub fn find_table(&self, name: &str) -> Option<TableId> {
        self.schema.table_ids().find(|id| self.schema.table(*id).name == name)
    }

    /// The column of this name in a table.
    pub fn find_column(&self, table: TableId, name: &str) -> Option<ColumnId> {
        self.schema.table(table).columns.iter().copied().find(|c| self.schema.column(*c).name == name)
    }

    /// The role of this name.
    pub fn find_role(&self, name: &str) -> Option<RoleId> {
        self.schema.roles.iter().position(|r| r == name).map(|at| RoleId(at as u32))
    }

    /// The name of a role.
    pub fn role_name(&self, role: RoleId) -> &str {
        self.schema.roles.get(role.index()).map_or("", String::as_str)
    }

    /// The table that a role leads to.
    pub fn role_target(&self, role: RoleId) -> Option<TableId> {
        let link = self.schema.link_ids().find(|l| self.schema.link(*l).role == Some(role))?;
        Some(self.schema.link_target(link))
    }

    /// What is said of a column.
    pub fn column_info(&self, id: ColumnId) -> ColumnInfo {
        self.columns.get(&id).cloned().unwrap_or_default()
    }

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

    /// What there is one value of.
    pub fn grain(&self, bound: &Bound) -> Grain {
        match &bound.kind {
            BoundKind::Literal(_) => Grain::Constant,
            BoundKind::Column(column, _) => Grain::Row(BTreeSet::from([self.schema.column(*column).table])),
            BoundKind::Measure(_) | BoundKind::Aggregate(_) => Grain::Cell,
            BoundKind::Claused { inner, .. } => self.grain(inner),
            BoundKind::Call(_, args) => {
                args.iter().fold(Grain::Constant, |grain, arg| match (grain, self.grain(arg)) {
                    (Grain::Constant, other) | (other, Grain::Constant) => other,
                    (Grain::Row(mut a), Grain::Row(b)) => {
                        a.extend(b);
                        Grain::Row(a)
                    }
                    _ => Grain::Cell,
                })
            }
        }
    }

    /// The order of members by hand that an axis over an expression has: that of its column, or of its bands.
    pub fn order_of(&self, bound: &Bound) -> Vec<Scalar> {
        match &bound.kind {
            BoundKind::Column(column, _) => self.column_info(*column).order,
            BoundKind::Call(vembra_plan::Function::Band, args) => {
                let bounds: Vec<Scalar> = args[1..]
                    .iter()
                    .filter_map(|a| if let BoundKind::Literal(v) = &a.kind { Some(v.clone()) } else { None })
                    .collect();
                vembra_plan::call::band_labels(&bounds).into_iter().map(Scalar::text).collect()
            }
            _ => Vec::new(),
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
