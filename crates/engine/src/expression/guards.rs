//! Guards: what may fail is worked out only for the rows that ask for it.
//!
//! Usually an expression is worked out once for each row of a linked table, each text of a dictionary, or each cell that rows may look
//! up. If one of these fails, it need not be one that a row asks for which the conditions leave. The query is then answered once more
//! with [`Options::guarded`]: errors are kept beside values, and become the error of the query only where a row is met that needs one.
//!
//! The rules: a row that any condition leaves out takes no part, whichever of the conditions is tried first; `case`, `coalesce`, `and`
//! and `or` work their arguments out from left to right, as far as they need them.

use crate::error::EngineError;
use crate::execution::options::Options;
use crate::expression::eval::Prepared;
use crate::expression::vector::{Values, Vector};
use crate::storage::column::Column;
use crate::storage::row_id::Rows;
use crate::storage::small_ints::SmallInts;
use std::collections::BTreeMap;
use std::sync::Arc;
use vembra_plan::{EvalError, Function, Scalar, Type, call};

/// The entries for which there is no value, and why.
pub(crate) type Failed = BTreeMap<usize, EngineError>;

/// A column, null where its value cannot be worked out.
#[derive(Clone, Debug)]
pub(crate) struct Guarded {
    pub(crate) column: Arc<Column>,
    pub(crate) failed: Arc<Failed>,
}

/// How many entries the first batch tries together.
const TOGETHER: usize = 2_048;

impl EngineError {
    /// Whether it is the fault of a value, which nobody may have asked for.
    pub(crate) fn is_of_value(&self) -> bool {
        match self {
            Self::Value(error) => !matches!(error, EvalError::Internal(_)),
            Self::SumOverflow(_) => true,
            _ => false,
        }
    }
}

/// Does something; if a value fails in it, once more with guards.
pub(crate) fn guarding<T>(
    options: &Options,
    work: impl Fn(&Options) -> Result<T, EngineError>,
) -> Result<T, EngineError> {
    match work(options) {
        Err(error) if error.is_of_value() && !options.guarded => {
            work(&Options { guarded: true, ..options.clone() })
        }
        done => done,
    }
}

/// The values of entries from 0 to `count`, of which `of` works out some that stand together: where it fails, fewer are tried, down to the
/// ones that fail.
pub(crate) fn values_or_errors(
    count: usize,
    of: &dyn Fn(usize, usize) -> Result<Vec<Scalar>, EngineError>,
) -> Result<(Vec<Scalar>, Failed), EngineError> {
    let (mut values, mut failed) = (Vec::with_capacity(count), Failed::new());
    for start in (0..count).step_by(TOGETHER) {
        tried(start, TOGETHER.min(count - start), of, &mut values, &mut failed)?;
    }
    Ok((values, failed))
}

fn tried(
    start: usize,
    count: usize,
    of: &dyn Fn(usize, usize) -> Result<Vec<Scalar>, EngineError>,
    values: &mut Vec<Scalar>,
    failed: &mut Failed,
) -> Result<(), EngineError> {
    match of(start, count) {
        Ok(found) => values.extend(found),
        Err(error) if !error.is_of_value() => return Err(error),
        Err(error) if count <= 1 => {
            values.push(Scalar::Null);
            failed.insert(start, error);
        }
        Err(_) => {
            let half = count / 2;
            tried(start, half, of, values, failed)?;
            tried(start + half, count - half, of, values, failed)?;
        }
    }
    Ok(())
}

impl Prepared {
    /// The values of all rows of a table, and the rows that have none.
    pub(crate) fn or_errors(&self, rows: usize) -> Result<(Vec<Scalar>, Failed), EngineError> {
        let ty = self.ty();
        values_or_errors(rows, &|start, count| {
            let vector = self.eval(Rows::Range(start, count))?;
            Ok((0..count).map(|at| vector.scalar(at, ty)).collect())
        })
    }

    /// Values with the errors of rows that ask for one of `failed`, by their numbers if there are any.
    pub(crate) fn failing(self, numbers: Option<Arc<SmallInts>>, failed: Arc<Failed>) -> Self {
        if failed.is_empty() { self } else { Self::Failing { inner: Box::new(self), numbers, failed } }
    }

    /// One condition that holds where all of some do.
    pub(crate) fn all_of(conditions: Vec<Self>, open: bool) -> Vec<Self> {
        if conditions.is_empty() { Vec::new() } else { vec![Self::All { conditions, open }] }
    }
}

/// The first error that one of some rows asks for.
pub(crate) fn first_error(
    failed: &Failed,
    numbers: Option<&SmallInts>,
    rows: Rows<'_>,
) -> Result<(), EngineError> {
    let number = |row: usize| numbers.map_or(row, |numbers| numbers.get(row));
    match rows.iter().find_map(|row| failed.get(&number(row))) {
        Some(error) => Err(error.clone()),
        None => Ok(()),
    }
}

/// Whether all conditions hold for some rows. A row that one of them leaves out may fail in the others; where it is `open`, one that fails
/// and that none leaves out is left in.
pub(crate) fn all_hold(conditions: &[Prepared], rows: Rows<'_>, open: bool) -> Result<Vector, EngineError> {
    let mut holds = vec![true; rows.len()];
    let mut errors: BTreeMap<usize, EngineError> = BTreeMap::new();
    for condition in conditions {
        let left: Vec<usize> = (0..rows.len()).filter(|at| holds[*at]).collect();
        let listed = rows.ids(left.iter().copied());
        let (values, failed) = values_or_errors(left.len(), &|start, count| {
            let vector = condition.eval(Rows::List(&listed[start..start + count]))?;
            Ok((0..count).map(|at| Scalar::Boolean(vector.is_true(at))).collect())
        })?;
        for (i, at) in left.iter().enumerate() {
            match failed.get(&i) {
                Some(error) => drop(errors.entry(*at).or_insert_with(|| error.clone())),
                None => holds[*at] = values[i] == Scalar::Boolean(true),
            }
        }
    }
    match errors.into_iter().find(|(at, _)| holds[*at]) {
        Some((_, error)) if !open => Err(error),
        _ => Ok(Vector::new(Values::Bool(holds), None, (0, 0))),
    }
}

/// Whether a function works out an argument only where those before it leave the matter open.
pub(crate) fn is_guard(function: Function) -> bool {
    matches!(function, Function::Case | Function::And | Function::Or | Function::Coalesce)
}

/// Works out one argument at some entries.
type Asked<'a> = &'a dyn Fn(usize, &[usize]) -> Result<Vec<Scalar>, EngineError>;

/// A call of a guard at some entries: `of` works out one argument at some of them.
pub(crate) fn guard(
    function: Function,
    args: usize,
    ty: Type,
    entries: usize,
    of: Asked<'_>,
) -> Result<Vector, EngineError> {
    let mut results = vec![Scalar::Null; entries];
    let mut open: Vec<usize> = (0..entries).collect();
    if function == Function::Case {
        for pair in (0..args).collect::<Vec<_>>().chunks(2) {
            let (taken, value) = match pair {
                [condition, value] => {
                    let holds = of(*condition, &open)?;
                    let pairs = || open.iter().copied().zip(&holds);
                    let is_true = |holds: &Scalar| *holds == Scalar::Boolean(true);
                    let taken: Vec<usize> = pairs().filter(|(_, h)| is_true(h)).map(|(at, _)| at).collect();
                    open = pairs().filter(|(_, h)| !is_true(h)).map(|(at, _)| at).collect();
                    (taken, *value)
                }
                rest => (std::mem::take(&mut open), rest[0]),
            };
            let values = of(value, &taken)?;
            for (at, value) in taken.into_iter().zip(values) {
                results[at] = call::convert(value, ty)?;
            }
        }
        return Ok(Vector::from_scalars(&results, ty));
    }
    let settles = |value: &Scalar| match function {
        Function::And => *value == Scalar::Boolean(false),
        Function::Or => *value == Scalar::Boolean(true),
        _ => !value.is_null(),
    };
    for arg in 0..args {
        let values = of(arg, &open)?;
        for (at, value) in open.iter().zip(values) {
            let so_far = std::mem::replace(&mut results[*at], Scalar::Null);
            results[*at] = match function {
                Function::And | Function::Or if arg > 0 => call::call(function, &[so_far, value], ty)?,
                _ => call::convert(value, ty)?,
            };
        }
        open.retain(|at| !settles(&results[*at]));
    }
    Ok(Vector::from_scalars(&results, ty))
}

/// The same for an expression of rows.
pub(crate) fn guard_rows(
    (function, args, ty): (Function, &[Prepared], Type),
    rows: Rows<'_>,
) -> Result<Vector, EngineError> {
    guard(function, args.len(), ty, rows.len(), &|arg, entries| {
        let listed = rows.ids(entries.iter().copied());
        let (vector, ty) = (args[arg].eval(Rows::List(&listed))?, args[arg].ty());
        Ok((0..listed.len()).map(|at| vector.scalar(at, ty)).collect())
    })
}
