//! All values of all tables, one by one.

use crate::Evaluator;
use crate::context::Context;
use std::cell::RefCell;
use std::rc::Rc;
use vembra_engine::Table;
use vembra_model::Model;
use vembra_plan::{ColumnId, EvalError, LinkId, Scalar, TableId, TableKind, Type, civil};

/// All values by column and row; those of computed columns once they are asked for.
pub struct Data {
    columns: RefCell<Vec<Option<Rc<Vec<Scalar>>>>>,
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
    /// Takes the values of tables in the order of the schema, and makes the calendar.
    ///
    /// # Errors
    /// When the calendar has no fixed range.
    pub fn new(model: &Model, tables: &[&Table]) -> Result<Self, EvalError> {
        let schema = &model.schema;
        let mut rows: Vec<usize> = tables.iter().map(|t| t.rows).collect();
        let mut columns = Vec::new();
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
            columns.push(match (calendar, &def.formula) {
                (_, Some(_)) => None,
                (Some((first, last, start)), None) => {
                    rows[def.table.index()] = (last - first + 1) as usize;
                    Some(Rc::new((first..=last).map(|day| calendar_value(def.ty, day, start)).collect()))
                }
                (None, None) => {
                    let column = tables[def.table.index()].column(&def.name);
                    let values = column.map(|c| (0..c.len()).map(|row| c.scalar(row)).collect());
                    Some(Rc::new(values.unwrap_or_default()))
                }
            });
        }
        Ok(Self { columns: RefCell::new(columns), rows })
    }

    pub(crate) fn rows(&self, table: TableId) -> usize {
        self.rows[table.index()]
    }
}

impl Evaluator<'_> {
    /// A value; that of a computed column is worked out by its formula, which knows no question.
    pub(crate) fn value(&self, column: ColumnId, row: usize) -> Result<Scalar, EvalError> {
        let known = self.data.columns.borrow()[column.index()].clone();
        let values = match known {
            Some(values) => values,
            None => {
                let outside = Evaluator {
                    model: self.model,
                    data: self.data,
                    query: None,
                    chosen: RefCell::default(),
                    choosing: std::cell::Cell::default(),
                };
                let values = Rc::new(outside.computed(column)?);
                self.data.columns.borrow_mut()[column.index()] = Some(values.clone());
                values
            }
        };
        Ok(values.get(row).cloned().unwrap_or(Scalar::Null))
    }

    fn computed(&self, column: ColumnId) -> Result<Vec<Scalar>, EvalError> {
        let table = self.model.schema.column(column).table;
        let Some(formula) = self.model.column_formulas.get(&column) else { return Ok(Vec::new()) };
        (0..self.data.rows(table))
            .map(|row| self.row(formula, table, row, &[], &Context::default()))
            .collect()
    }

    /// The first row of the target whose key is that of the row.
    pub(crate) fn follow(&self, link: LinkId, row: usize) -> Result<Reached, EvalError> {
        let def = self.model.schema.link(link);
        let mut key = Vec::new();
        for column in &def.from {
            key.push(match self.value(*column, row)? {
                Scalar::Null => return Ok(Reached::None),
                Scalar::Moment(m) => Scalar::Date(m.div_euclid(civil::MICROS_PER_DAY) as i32),
                value => value,
            });
        }
        let target = self.model.schema.link_target(link);
        for at in 0..self.data.rows(target) {
            let mut same = true;
            for (column, key) in def.to.iter().zip(&key) {
                same = same && self.value(*column, at)? == *key;
            }
            if same {
                return Ok(Reached::Row(at));
            }
        }
        Ok(Reached::Unknown)
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
