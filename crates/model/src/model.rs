//! A resolved model.

use crate::bound::{Bound, BoundKind, Detail, DetailKey, Grain};
use crate::query::BoundQuery;
use crate::report::{Dashboard, Report};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use vembra_plan::{ColumnId, NotAdditive, Period, RoleId, Scalar, Schema, TableId, Type};
use vembra_syntax::{Place, Sources};

/// A measure of the model.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct MeasureId(pub u32);

/// A parameter of the model.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ParamId(pub u32);

/// A value or attribute that a query may choose.
#[derive(Clone, Debug)]
pub struct Param {
    /// The name.
    pub name: String,
    /// The type of its value; [`Type::Null`] if it stands for an attribute.
    pub ty: Type,
    /// Whether it stands for an attribute.
    pub attribute: bool,
    /// The attributes that it may stand for; empty if it has a value.
    pub choices: Vec<DetailKey>,
    /// The value if none is given: a value, or the number of an attribute.
    pub default: Option<ParamValue>,
    /// The description.
    pub about: Option<String>,
    /// Where it is declared.
    pub place: Place,
}

/// What a parameter stands for.
#[derive(Clone, Debug, PartialEq)]
pub enum ParamValue {
    /// A value.
    Value(Scalar),
    /// One of the attributes, by its number.
    Choice(usize),
}

/// Who sees only some rows.
#[derive(Clone, Debug)]
pub struct Viewer {
    /// The name.
    pub name: String,
    /// Conditions that all must hold for a row to be seen.
    pub conditions: Vec<Bound>,
    /// The conditions as they are written.
    pub text: String,
    /// Where it is declared.
    pub place: Place,
}

/// A table made from a query.
#[derive(Clone, Debug)]
pub struct Derived {
    /// The table.
    pub table: TableId,
    /// The query.
    pub query: BoundQuery,
    /// The query as it is written.
    pub text: String,
    /// Where it is declared.
    pub place: Place,
}

/// Something that must hold.
#[derive(Clone, Debug)]
pub struct Assertion {
    /// What must hold, in words.
    pub title: String,
    /// Who looks.
    pub seen_by: Option<String>,
    /// How it is checked.
    pub check: AssertionCheck,
    /// Where it is declared.
    pub place: Place,
}

/// How an assertion is checked.
#[derive(Clone, Debug)]
pub enum AssertionCheck {
    /// A query that shows the two sides of a condition, if it has two, and whether it holds.
    Holds {
        /// The query: its last figure is the condition.
        query: BoundQuery,
        /// The condition as it is written.
        text: String,
    },
    /// Two queries with one answer.
    Matches(BoundQuery, BoundQuery),
}

/// Another formula for totals.
#[derive(Clone, Debug)]
pub struct MeasureVariant {
    /// The formula.
    pub formula: Bound,
    /// The formula as it is written.
    pub text: String,
    /// Its CLDR pattern.
    pub format: Option<String>,
}

/// A formula with a name.
#[derive(Clone, Debug)]
pub struct Measure {
    /// The name.
    pub name: String,
    /// The formula.
    pub formula: Bound,
    /// The formula as it is written.
    pub text: String,
    /// The formula of subtotals.
    pub subtotal: Option<MeasureVariant>,
    /// The formula of totals.
    pub total: Option<MeasureVariant>,
    /// The heading.
    pub label: Option<String>,
    /// The CLDR pattern.
    pub format: Option<String>,
    /// The description.
    pub about: Option<String>,
    /// Where it is declared.
    pub place: Place,
    /// What is known of its formula.
    pub(crate) known: Known,
}

/// What is known of a measure once its formula is: worked out once, so that measures that name measures are not walked again
/// and again.
#[derive(Clone, Debug)]
pub(crate) struct Known {
    pub(crate) grain: Grain,
    /// Whether it looks along the lines shown.
    pub(crate) looks_along: bool,
    /// Why a total need not be the sum of its lines.
    pub(crate) not_additive: Option<NotAdditive>,
    /// How many formulas stand in one another, those that it names included.
    pub(crate) depth: usize,
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

/// A finding that a model accepts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Accepted {
    /// The code.
    pub code: String,
    /// In this table only.
    pub table: Option<TableId>,
    /// In this column only.
    pub column: Option<ColumnId>,
    /// Why.
    pub reason: String,
}

/// How much a finding matters to a model.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Treated {
    /// The code.
    pub code: String,
    /// How much.
    pub severity: vembra_plan::Severity,
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
    /// The parameters by [`ParamId`].
    pub params: Vec<Param>,
    /// How deep the formulas of computed columns are.
    pub(crate) depths: BTreeMap<ColumnId, usize>,
    /// The viewers.
    pub viewers: Vec<Viewer>,
    /// The derived tables, each after those that it is made from.
    pub derived: Vec<Derived>,
    /// The assertions.
    pub assertions: Vec<Assertion>,
    /// Findings that are accepted.
    pub accepted: Vec<Accepted>,
    /// Findings that matter more or less than usual.
    pub treated: Vec<Treated>,
    /// The reports.
    pub reports: Vec<Report>,
    /// The dashboards.
    pub dashboards: Vec<Dashboard>,
    /// The formulas of computed columns.
    pub column_formulas: BTreeMap<ColumnId, Bound>,
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
    /// Where things of a name are.
    pub(crate) index: Index,
    /// Per column the number of its group: linked key columns of one name are one thing.
    pub(crate) same: Vec<u32>,
    /// What determines what, directly: the finer, then the coarser.
    pub(crate) determined: Vec<(ColumnId, ColumnId)>,
}

/// Things by their names. Whoever adds one to the lists of a model adds it here too; of two with one name the first counts.
#[derive(Clone, Debug, Default)]
pub(crate) struct Index {
    pub(crate) tables: HashMap<String, TableId>,
    pub(crate) columns: HashMap<String, Vec<ColumnId>>,
    pub(crate) measures: HashMap<String, MeasureId>,
    pub(crate) params: HashMap<String, ParamId>,
}

impl Model {
    /// The measure of an id.
    pub fn measure(&self, id: MeasureId) -> &Measure {
        &self.measures[id.0 as usize]
    }

    /// The measure of this name.
    pub fn find_measure(&self, name: &str) -> Option<MeasureId> {
        self.index.measures.get(name).copied()
    }

    /// The table of this name.
    pub fn find_table(&self, name: &str) -> Option<TableId> {
        self.index.tables.get(name).copied()
    }

    /// The column of this name in a table.
    pub fn find_column(&self, table: TableId, name: &str) -> Option<ColumnId> {
        self.columns_called(name).iter().copied().find(|c| self.schema.column(*c).table == table)
    }

    /// The columns of this name in all tables, in the order of the schema.
    pub fn columns_called(&self, name: &str) -> &[ColumnId] {
        self.index.columns.get(name).map_or(&[], Vec::as_slice)
    }

    /// The column of a derived table of this name, with that of the table: bare names do not look into these.
    pub(crate) fn derived_column(&self, name: &str) -> Option<String> {
        let kind = |c: ColumnId| &self.schema.table(self.schema.column(c).table).kind;
        let column =
            self.columns_called(name).iter().find(|c| *kind(**c) == vembra_plan::TableKind::Derived)?;
        Some(self.schema.qualified(*column))
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

    /// The parameter of this name.
    pub fn find_param(&self, name: &str) -> Option<ParamId> {
        self.index.params.get(name).copied()
    }

    /// The parameter of an id.
    pub fn param(&self, id: ParamId) -> &Param {
        &self.params[id.0 as usize]
    }

    /// Whether a value of one attribute settles that of another, whatever the row: the same thing, an attribute of
    /// the same table that it determines, or one of a table that a link leads to from it.
    pub fn settles(&self, finer: (ColumnId, Option<RoleId>), coarser: (ColumnId, Option<RoleId>)) -> bool {
        self.settles_within(finer, coarser, self.schema.tables.len())
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
            BoundKind::Aggregate(_) | BoundKind::Along(_) => Grain::Cell,
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

    /// The measures that expressions name, directly or by other measures, each once, in the order in which they are met.
    pub fn measures_in<'b>(&'b self, bounds: impl IntoIterator<Item = &'b Bound>) -> Vec<MeasureId> {
        let mut open: std::collections::VecDeque<&Bound> = bounds.into_iter().collect();
        let mut found: Vec<MeasureId> = Vec::new();
        while let Some(bound) = open.pop_front() {
            bound.walk(&mut |b| match b.kind {
                BoundKind::Measure(id) if !found.contains(&id) => {
                    found.push(id);
                    open.push_back(&self.measure(id).formula);
                }
                _ => {}
            });
        }
        found
    }

    /// The parameters of which expressions, and the measures in them, read the value.
    pub fn params_in(&self, bounds: &[&Bound]) -> BTreeSet<ParamId> {
        let measures = self.measures_in(bounds.iter().copied());
        let formulas = measures.iter().map(|id| &self.measure(*id).formula);
        let mut used = BTreeSet::new();
        for bound in bounds.iter().copied().chain(formulas) {
            bound.walk(&mut |b| {
                if let BoundKind::Param(id) = &b.kind {
                    used.insert(*id);
                }
            });
        }
        used
    }

    /// The same in words.
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
            BoundKind::Measure(_) | BoundKind::Aggregate(_) | BoundKind::Along(_) => {
                (self.grain(bound) == Grain::Cell).then_some(bound)
            }
            BoundKind::Call(_, args) => args.iter().find_map(|a| self.bare_figure(a)),
            BoundKind::Claused(inner, clauses) if clauses.detail.is_none() => {
                self.bare_figure(inner).map(|_| bound)
            }
            _ => None,
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
