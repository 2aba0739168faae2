//! All values of all tables, one by one.

use vembra_engine::Table;
use vembra_model::Model;
use vembra_plan::{
    ColumnId, ColumnRef, EvalError, Expr, LinkId, Scalar, TableId, TableKind, Type, call, civil,
};

/// All values by column and row.
pub struct Data {
    columns: Vec<Vec<Scalar>>,
    rows: Vec<usize>,
}

/// Where a link leads from a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Reached {
    Row(usize),
    /// There is no key.
    None,
    /// No row has the key.
    Unknown,
}

impl Data {
    /// Takes the values of tables in the order of the schema, makes the calendar, and works out computed columns.
    ///
    /// # Errors
    /// When a computed value cannot be worked out, or the calendar has no fixed range.
    pub fn new(model: &Model, tables: &[&Table]) -> Result<Self, EvalError> {
        let schema = &model.schema;
        let mut data = Self { columns: Vec::new(), rows: tables.iter().map(|t| t.rows).collect() };
        for def in &schema.columns {
            let calendar = match &schema.table(def.table).kind {
                TableKind::Calendar {
                    range: vembra_plan::CalendarRange::Days(first, last),
                    fiscal_start,
                } => Some((*first, *last, i32::from(*fiscal_start))),
                TableKind::Calendar { .. } => {
                    return Err(EvalError::Internal("the reference needs a calendar from … to …".to_owned()));
                }
                _ => None,
            };
            data.columns.push(match calendar {
                Some((first, last, start)) => {
                    data.rows[def.table.index()] = (last - first + 1) as usize;
                    (first..=last).map(|day| calendar_value(def.ty, day, start)).collect()
                }
                None => match tables[def.table.index()].column(&def.name) {
                    Some(column) => (0..column.len()).map(|row| column.scalar(row)).collect(),
                    None => Vec::new(),
                },
            });
        }
        // A computed column stands behind those that its formula names.
        for (at, def) in schema.columns.iter().enumerate() {
            if let Some(formula) = &def.formula {
                let rows = 0..data.rows(def.table);
                let values: Result<Vec<Scalar>, EvalError> =
                    rows.map(|row| data.formula(model, formula, row)).collect();
                data.columns[at] = values?;
            }
        }
        Ok(data)
    }

    pub(crate) fn rows(&self, table: TableId) -> usize {
        self.rows[table.index()]
    }

    pub(crate) fn value(&self, column: ColumnId, row: usize) -> Scalar {
        self.columns[column.index()].get(row).cloned().unwrap_or(Scalar::Null)
    }

    /// The first row of the target whose key is that of the row.
    pub(crate) fn follow(&self, model: &Model, link: LinkId, row: usize) -> Reached {
        let def = model.schema.link(link);
        let key: Vec<Scalar> = def.from.iter().map(|c| self.value(*c, row)).collect();
        if key.iter().any(Scalar::is_null) {
            return Reached::None;
        }
        let day = |value: &Scalar| match value {
            Scalar::Moment(m) => Scalar::Date(m.div_euclid(civil::MICROS_PER_DAY) as i32),
            other => other.clone(),
        };
        let target = model.schema.link_target(link);
        let same = |at: &usize| def.to.iter().zip(&key).all(|(c, k)| self.value(*c, *at) == day(k));
        (0..self.rows(target)).find(same).map_or(Reached::Unknown, Reached::Row)
    }

    fn formula(&self, model: &Model, expr: &Expr<ColumnRef>, row: usize) -> Result<Scalar, EvalError> {
        match expr {
            Expr::Literal(value) => Ok(value.clone()),
            Expr::Leaf(leaf) => {
                let mut at = Reached::Row(row);
                for link in &leaf.path {
                    if let Reached::Row(row) = at {
                        at = self.follow(model, *link, row);
                    }
                }
                Ok(if let Reached::Row(row) = at { self.value(leaf.column, row) } else { Scalar::Null })
            }
            Expr::Call { function, args, ty } => {
                let args: Result<Vec<Scalar>, EvalError> =
                    args.iter().map(|a| self.formula(model, a, row)).collect();
                call::call(*function, &args?, *ty)
            }
        }
    }
}

fn calendar_value(ty: Type, day: i32, fiscal_start: i32) -> Scalar {
    match ty {
        Type::Period(period) => {
            civil::period_of(period, day, fiscal_start).map_or(Scalar::Null, |i| Scalar::Period(period, i))
        }
        _ => Scalar::Date(day),
    }
}
