//! All values of all tables, one by one.

use crate::Evaluator;
use crate::context::Context;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::rc::Rc;
use vembra_engine::{EngineError, Table};
use vembra_model::Model;
use vembra_plan::{ColumnId, EvalError, LinkId, Scalar, TableId, TableKind, Type, civil};

/// The value of each row, or why it has none.
type Values = Rc<Vec<Result<Scalar, EvalError>>>;

/// All values by column and row; those of computed columns once they are asked for.
pub struct Data {
    columns: RefCell<Vec<Option<Values>>>,
    rows: Vec<usize>,
    /// Where each link leads from each row, once it is followed.
    links: RefCell<BTreeMap<LinkId, Rc<Vec<Reached>>>>,
    /// Per way to the calendar the last day on which rows stand, where these are not here.
    last_days: BTreeMap<Vec<LinkId>, Option<i32>>,
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
    /// Takes the values of tables in the order of the schema, and makes the calendar from its first to its last day.
    ///
    /// # Errors
    /// When a column that is kept outside is not to be had any more.
    pub fn new(model: &Model, tables: &[&Table], days: (i32, i32)) -> Result<Self, EngineError> {
        let schema = &model.schema;
        let mut rows: Vec<usize> = tables.iter().map(|t| t.rows).collect();
        let mut columns = Vec::new();
        for def in &schema.columns {
            let calendar = match &schema.table(def.table).kind {
                TableKind::Calendar { fiscal_start, .. } => Some(i32::from(*fiscal_start)),
                _ => None,
            };
            let own = tables[def.table.index()].column(&def.name);
            columns.push(match (calendar, &def.formula) {
                (_, Some(_)) => None,
                // What the file of a calendar says besides its days.
                (_, None) if own.is_some() || calendar.is_none() => {
                    let values = match own {
                        Some(column) => {
                            let column = column.get()?;
                            (0..column.len()).map(|row| Ok(column.scalar(row))).collect()
                        }
                        None => Vec::new(),
                    };
                    Some(Rc::new(values))
                }
                (start, None) => {
                    let start = start.unwrap_or(1);
                    rows[def.table.index()] = usize::try_from(days.1 - days.0 + 1).unwrap_or(0);
                    Some(Rc::new(
                        (days.0..=days.1).map(|day| Ok(calendar_value(def.ty, day, start))).collect(),
                    ))
                }
            });
        }
        Ok(Self {
            columns: RefCell::new(columns),
            rows,
            links: RefCell::default(),
            last_days: BTreeMap::new(),
        })
    }

    /// The same with the last days on which rows stand that are not here, by their way to the calendar.
    #[must_use]
    pub fn with_last_days(self, last_days: BTreeMap<Vec<LinkId>, Option<i32>>) -> Self {
        Self { last_days, ..self }
    }

    pub(crate) fn last_day_by(&self, path: &[LinkId]) -> Option<&Option<i32>> {
        self.last_days.get(path)
    }

    pub(crate) fn rows(&self, table: TableId) -> usize {
        self.rows[table.index()]
    }
}

impl Evaluator<'_> {
    /// A value; that of a computed column is worked out by its formula, which knows no query.
    pub(crate) fn value(&self, column: ColumnId, row: usize) -> Result<Scalar, EvalError> {
        let known = self.data.columns.borrow()[column.index()].clone();
        let values = match known {
            Some(values) => values,
            None => {
                let outside = Evaluator::new(self.model, self.data, None);
                let values = Rc::new(outside.computed(column)?);
                self.data.columns.borrow_mut()[column.index()] = Some(values.clone());
                values
            }
        };
        values.get(row).cloned().unwrap_or(Ok(Scalar::Null))
    }

    fn computed(&self, column: ColumnId) -> Result<Vec<Result<Scalar, EvalError>>, EvalError> {
        let table = self.model.schema.column(column).table;
        let Some(formula) = self.model.column_formulas.get(&column) else { return Ok(Vec::new()) };
        let values: Vec<Result<Scalar, EvalError>> = (0..self.data.rows(table))
            .map(|row| self.row(formula, table, row, &[], &Context::default()))
            .collect();
        let counted = self.model.schema.column(column).formula.as_ref().is_some_and(|f| f.counted);
        if !counted {
            return Ok(values);
        }
        let values = values.into_iter().collect::<Result<Vec<Scalar>, EvalError>>()?;
        let up_to = |row: usize| values[..=row].iter().filter(|v| v.physical() == Some(1)).count();
        Ok((0..values.len()).map(|row| Ok(Scalar::Integer(up_to(row) as i64))).collect())
    }

    /// The first row of the target whose key is that of the row.
    pub(crate) fn follow(&self, link: LinkId, row: usize) -> Result<Reached, EvalError> {
        let known = self.data.links.borrow().get(&link).cloned();
        let reached = match known {
            Some(reached) => reached,
            None => {
                let reached = Rc::new(self.followed(link)?);
                self.data.links.borrow_mut().insert(link, reached.clone());
                reached
            }
        };
        Ok(reached.get(row).copied().unwrap_or(Reached::None))
    }

    fn followed(&self, link: LinkId) -> Result<Vec<Reached>, EvalError> {
        let def = self.model.schema.link(link);
        let (source, target) = (self.model.schema.link_source(link), self.model.schema.link_target(link));
        if let Some(as_of) = def.as_of {
            return self.held(link, as_of.until);
        }
        let mut first: BTreeMap<Vec<String>, usize> = BTreeMap::new();
        for row in 0..self.data.rows(target) {
            let key: Result<Vec<String>, EvalError> =
                def.to.iter().map(|column| Ok(as_key(&self.value(*column, row)?))).collect();
            first.entry(key?).or_insert(row);
        }
        // A table about some days of the calendar says nothing of the others.
        let sparse = matches!(self.model.schema.table(source).kind, TableKind::Calendar { .. });
        let lost = if sparse { Reached::None } else { Reached::Unknown };
        let mut reached = Vec::new();
        for row in 0..self.data.rows(source) {
            let values: Result<Vec<Scalar>, EvalError> =
                def.from.iter().map(|column| self.value(*column, row)).collect();
            let values = values?;
            reached.push(if values.iter().any(Scalar::is_null) {
                Reached::None
            } else {
                let key: Vec<String> = values.iter().map(as_key).collect();
                first.get(&key).map_or(lost, |row| Reached::Row(*row))
            });
        }
        Ok(reached)
    }
}

impl Evaluator<'_> {
    /// Of each row: of all rows of the target with its key the latest one that is not later than its day, if it still holds then.
    fn held(&self, link: LinkId, until: Option<ColumnId>) -> Result<Vec<Reached>, EvalError> {
        let def = self.model.schema.link(link);
        let (source, target) = (self.model.schema.link_source(link), self.model.schema.link_target(link));
        let last = def.from.len() - 1;
        let values = |columns: &[ColumnId], row: usize| -> Result<Vec<Scalar>, EvalError> {
            columns.iter().map(|column| self.value(*column, row)).collect()
        };
        let key = |values: &[Scalar]| values[..last].iter().map(as_key).collect::<Vec<String>>();
        let mut rows: BTreeMap<Vec<String>, Vec<(i64, usize)>> = BTreeMap::new();
        for row in 0..self.data.rows(target) {
            let own = values(&def.to, row)?;
            if let (Some(since), false) = (day(&own[last]), own.iter().any(Scalar::is_null)) {
                rows.entry(key(&own)).or_default().push((since, row));
            }
        }
        let mut reached = Vec::new();
        for row in 0..self.data.rows(source) {
            let own = values(&def.from, row)?;
            let Some(on) = day(&own[last]).filter(|_| !own.iter().any(Scalar::is_null)) else {
                reached.push(Reached::None);
                continue;
            };
            let mut latest: Option<(i64, usize)> = None;
            for (since, other) in rows.get(&key(&own)).into_iter().flatten() {
                if *since <= on && latest.is_none_or(|(best, _)| *since > best) {
                    latest = Some((*since, *other));
                }
            }
            let end = match (latest, until) {
                (Some((_, found)), Some(column)) => day(&self.value(column, found)?),
                _ => None,
            };
            let found = latest.filter(|_| end.is_none_or(|end| on < end));
            reached.push(found.map_or(Reached::Unknown, |(_, row)| Reached::Row(row)));
        }
        Ok(reached)
    }
}

/// The day of a date or moment.
fn day(value: &Scalar) -> Option<i64> {
    match value {
        Scalar::Moment(m) => Some(m.div_euclid(civil::MICROS_PER_DAY)),
        Scalar::Date(day) => Some(i64::from(*day)),
        _ => None,
    }
}

/// A value as a text that equal values share: a moment leads by its date, and numbers have no needless zeros.
fn as_key(value: &Scalar) -> String {
    match value {
        Scalar::Moment(m) => as_key(&Scalar::Date(m.div_euclid(civil::MICROS_PER_DAY) as i32)),
        Scalar::Integer(_) | Scalar::Decimal(_) => {
            let text = value.to_string();
            if text.contains('.') {
                text.trim_end_matches('0').trim_end_matches('.').to_owned()
            } else {
                text
            }
        }
        other => format!("{:?} {other}", other.ty()),
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
