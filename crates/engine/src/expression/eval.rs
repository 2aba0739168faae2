//! Evaluation of prepared expressions for a block of rows.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

use crate::error::EngineError;
use crate::execution::budget::Budget;
use crate::expression::guards::{Failed, all_hold, first_error, guard_rows};
use crate::expression::kernels::{self, Call};
use crate::expression::link_predicate::LinkPredicate;
use crate::expression::predicate_bitmap::PredicateBitmap;
use crate::expression::vector::{Values, Vector};
use crate::statistics::run_boundaries::changing;
use crate::storage::bitmap::Bitmap;
use crate::storage::column::Column;
use crate::storage::row_id::Rows;
use crate::storage::small_ints::{SmallInts, with_index};
use std::sync::Arc;
use vembra_plan::{Function, Scalar, Type};

/// An expression over the rows of one table, bound to columns in memory.
#[derive(Clone, Debug)]
pub(crate) enum Prepared {
    /// A column of the table.
    Own(Arc<Column>),
    /// Worked out once per entry of a table or dictionary, looked up by number.
    Indexed(Indexed),
    Literal(Scalar, Type),
    /// A condition that rows look up in several tables; false where it is null.
    LinkPredicate(Arc<LinkPredicate>),
    /// A condition that rows look up in one; false where it is null.
    PredicateBitmap(Arc<PredicateBitmap>),
    /// Whether what is asked of a row is something else than was asked of the row before.
    Changing(Arc<Bitmap>),
    /// Values some of which cannot be worked out: an error for a row that asks for one of these, by its number if rows have numbers.
    Failing {
        inner: Box<Prepared>,
        numbers: Option<Arc<SmallInts>>,
        failed: Arc<Failed>,
    },
    /// Whether all of some conditions hold, one of which may fail for a row that another one leaves out. Where it is `open` a row that fails is
    /// left in: what comes after asks again.
    All {
        conditions: Vec<Prepared>,
        open: bool,
    },
    /// Texts that may grow long: worked out for few rows at a time, as long as there is memory.
    Growing {
        inner: Box<Prepared>,
        memory: Budget,
    },
    /// A call that works its arguments out only where it needs them.
    Guard {
        function: Function,
        args: Vec<Prepared>,
        ty: Type,
    },
    Call {
        function: Function,
        args: Vec<Prepared>,
        types: Vec<Type>,
        ty: Type,
    },
}

/// Values by number, and the number of each row.
#[derive(Clone, Debug)]
pub(crate) struct Indexed {
    pub(crate) numbers: Arc<SmallInts>,
    pub(crate) values: Arc<Vector>,
    pub(crate) ty: Type,
    /// Whether the last entry stands for an unknown key, and the one before for none (as links have it), or
    /// only the last one for null (as dictionaries have it).
    pub(crate) linked: bool,
}

impl Prepared {
    pub(crate) fn ty(&self) -> Type {
        match self {
            Self::Own(column) => column.ty(),
            Self::Indexed(indexed) => indexed.ty,
            Self::Literal(_, ty) | Self::Call { ty, .. } | Self::Guard { ty, .. } => *ty,
            Self::Failing { inner, .. } | Self::Growing { inner, .. } => inner.ty(),
            Self::LinkPredicate(_) | Self::PredicateBitmap(_) | Self::Changing(_) | Self::All { .. } => {
                Type::Boolean
            }
        }
    }

    /// Whether a row may have no value.
    pub(crate) fn may_be_null(&self) -> bool {
        match self {
            Self::Own(column) => column.missing() > 0,
            Self::Indexed(indexed) => indexed.values.valid.is_some(),
            Self::Literal(value, _) => value.is_null(),
            Self::LinkPredicate(_) | Self::PredicateBitmap(_) | Self::Changing(_) | Self::All { .. } => false,
            Self::Failing { .. } | Self::Guard { .. } | Self::Growing { .. } => true,
            Self::Call { function, args, ty, .. } => {
                // NaN goes into float arithmetic as a value, and comes out as none.
                *ty == Type::Float
                    || !matches!(function, Function::Add | Function::Subtract | Function::Multiply)
                    || args.iter().any(Self::may_be_null)
            }
        }
    }

    /// A condition that rows look up.
    pub(crate) fn looked_up(&self) -> Option<&Indexed> {
        let Self::Indexed(indexed) = self else { return None };
        let conditional = matches!(indexed.values.values, Values::Bool(_)) && !indexed.values.constant;
        conditional.then_some(indexed)
    }

    /// The values for some rows; a constant where all are the same by form.
    ///
    /// # Errors
    /// When a value of one of these rows cannot be worked out.
    pub(crate) fn eval(&self, rows: Rows<'_>) -> Result<Vector, EngineError> {
        match self {
            Self::Own(column) => Ok(column.read(rows)),
            Self::Indexed(indexed) => Ok(indexed.read(rows)),
            Self::Literal(value, ty) => Ok(Vector::constant(value, *ty)),
            Self::LinkPredicate(link_predicate) => {
                Ok(Vector::new(Values::Bool(link_predicate.read(rows)), None, (0, 0)))
            }
            Self::PredicateBitmap(predicate_bitmap) => {
                Ok(Vector::new(Values::Bool(predicate_bitmap.read(rows)), None, (0, 0)))
            }
            Self::Changing(bits) => Ok(Vector::new(Values::Bool(changing(bits, rows)), None, (0, 0))),
            Self::Call { function: function @ Function::Case, args, ty, .. } => {
                guard_rows((*function, args, *ty), rows)
            }
            Self::Call { function, args, types, ty } => {
                let args: Vec<Vector> = args.iter().map(|a| a.eval(rows)).collect::<Result<_, _>>()?;
                let args: Vec<&Vector> = args.iter().collect();
                let call = Call { function: *function, args: &args, types, ty: *ty, rows: rows.len() };
                Ok(kernels::run(&call)?)
            }
            Self::Failing { inner, numbers, failed } => {
                first_error(failed, numbers.as_deref(), rows)?;
                inner.eval(rows)
            }
            Self::Growing { inner, memory } => few_at_a_time(inner, *memory, rows),
            Self::All { conditions, open } => all_hold(conditions, rows, *open),
            Self::Guard { function, args, ty } => guard_rows((*function, args, *ty), rows),
        }
    }
}

impl Indexed {
    fn read(&self, rows: Rows<'_>) -> Vector {
        with_index!(&*self.numbers, numbers => match rows {
            Rows::Range(start, length) => self.values.gather(&numbers[start..start + length]),
            Rows::List(list) => {
                let picked: Vec<u32> = list.iter().map(|row| u32::from(numbers[row.index()])).collect();
                self.values.gather(&picked)
            }
        })
    }
}

/// How many texts that may grow are made between two checks of the memory budget.
pub(crate) const FEW: usize = 64;

fn few_at_a_time(inner: &Prepared, memory: Budget, rows: Rows<'_>) -> Result<Vector, EngineError> {
    let (mut values, ty) = (Vec::with_capacity(rows.len()), inner.ty());
    for start in (0..rows.len()).step_by(FEW) {
        memory.check()?;
        let count = FEW.min(rows.len() - start);
        let vector = inner.eval(match rows {
            Rows::Range(first, _) => Rows::Range(first + start, count),
            Rows::List(list) => Rows::List(&list[start..start + count]),
        })?;
        values.extend((0..count).map(|at| vector.scalar(at, ty)));
    }
    Ok(Vector::from_scalars(&values, ty))
}
