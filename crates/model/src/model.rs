//! A resolved model, as data, and what has which name in it.

use crate::bound::{Bound, Grain};
use crate::ids::{MeasureId, ParamId};
use crate::param::Param;
use crate::query::BoundQuery;
use crate::report::{Dashboard, Report};
use std::collections::{BTreeMap, HashMap};
use vembra_plan::{ColumnId, NotAdditive, RoleId, Scalar, Schema, TableId};
use vembra_syntax::{Sources, Span, quote_after_dot, quote_name};

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
    pub span: Span,
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
    pub span: Span,
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
    pub span: Span,
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
    pub span: Span,
    /// What is known of its formula.
    pub(crate) known: Known,
    /// Whether its formula is wrong, so that nothing can be asked of it.
    pub(crate) broken: bool,
}

/// What is known of a measure once its formula is: worked out once, so that measures that name measures are not walked again
/// and again.
#[derive(Clone, Debug)]
pub(crate) struct Known {
    pub(crate) grain: Grain,
    /// Whether it looks along the lines shown.
    pub(crate) has_window: bool,
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
    /// Members in an order by hand, or in that of another column once the data are known.
    pub order: Vec<Scalar>,
    /// The column whose values say the order of the members.
    pub order_by: Option<ColumnId>,
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
    pub span: Span,
}

/// A finding that a model accepts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Accepted {
    /// The code.
    pub code: vembra_plan::Code,
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
    pub code: vembra_plan::Code,
    /// How much.
    pub severity: vembra_plan::Severity,
}

/// The attribute of the calendar that says whether a day is a working day.
pub(crate) const WORKING: &str = "working";
/// The attribute of the calendar that says how many working days there are up to a day.
pub(crate) const WORKING_NUMBER: &str = "working_number";

/// What a model's declarations mean.
#[derive(Clone, Debug, Default)]
pub struct Model {
    /// Tables, columns and links.
    pub schema: Schema,
    /// The texts of the model.
    pub sources: Sources,
    /// The measures by [`MeasureId`].
    pub measures: Vec<Measure>,
    /// The measures with arguments.
    pub treatments: Vec<crate::treatment::Treatment>,
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
    /// How readers write, as the tag of a locale.
    pub locale: Option<String>,
    /// The table of the calendar.
    pub calendar: Option<TableId>,
    /// The first month of the fiscal year.
    pub fiscal_start: u8,
    /// Whether the calendar says which days are working days.
    pub has_working_days: bool,
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

    /// The measure with arguments of this name.
    pub fn find_treatment(&self, name: &str) -> Option<&crate::treatment::Treatment> {
        self.treatments.iter().find(|t| t.name == name)
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
        Some(self.written(*column))
    }

    /// The role of this name.
    pub fn find_role(&self, name: &str) -> Option<RoleId> {
        self.schema.roles.iter().position(|r| r == name).map(|at| RoleId(at as u32))
    }

    /// The name of a role.
    pub fn role_name(&self, role: RoleId) -> &str {
        self.schema.roles.get(role.index()).map_or("", String::as_str)
    }

    /// A column as a query names it: by its table, and in double quotes where names need them.
    pub fn written(&self, column: ColumnId) -> String {
        let def = self.schema.column(column);
        format!("{}.{}", quote_name(&self.schema.table(def.table).name), quote_after_dot(&def.name))
    }

    /// The table that a role leads to.
    pub fn role_target(&self, role: RoleId) -> Option<TableId> {
        let bears = |l: &vembra_plan::LinkId| self.schema.link(*l).role == Some(role);
        // Links as of a day follow the role of another one, whichever stands first.
        let own = |l: &vembra_plan::LinkId| bears(l) && self.schema.link(*l).as_of.is_none();
        let link = self.schema.link_ids().find(own).or_else(|| self.schema.link_ids().find(bears))?;
        Some(self.schema.link_target(link))
    }

    /// What is said of a column.
    pub fn column_info(&self, id: ColumnId) -> ColumnInfo {
        self.columns.get(&id).cloned().unwrap_or_default()
    }

    /// The parameter of this name.
    pub fn find_param(&self, name: &str) -> Option<ParamId> {
        self.index.params.get(name).copied()
    }

    /// The parameter of an id.
    pub fn param(&self, id: ParamId) -> &Param {
        &self.params[id.0 as usize]
    }
}
