//! Evaluation of prepared expressions for a block of rows.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

use crate::bits::Bits;
use crate::changes::changing;
use crate::column::Column;
use crate::holding::Holding;
use crate::index::{IndexArray, with_index};
use crate::kernels::{self, Call};
use crate::truths::Truths;
use crate::vector::{Rows, Values, Vector};
use std::sync::Arc;
use vembra_plan::{EvalError, Function, Scalar, Type};

/// An expression over the rows of one table, bound to columns in memory.
#[derive(Clone, Debug)]
pub(crate) enum Prepared {
    /// A column of the table.
    Own(Arc<Column>),
    /// Worked out once per entry of a table or dictionary, looked up by number.
    Indexed(Indexed),
    Literal(Scalar, Type),
    /// A condition that rows look up in several tables; false where it is null.
    Truths(Arc<Truths>),
    /// A condition that rows look up in one; false where it is null.
    Holding(Arc<Holding>),
    /// Whether what is asked of a row is something else than was asked of the row before.
    Changing(Arc<Bits>),
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
    pub(crate) numbers: Arc<IndexArray>,
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
            Self::Literal(_, ty) | Self::Call { ty, .. } => *ty,
            Self::Truths(_) | Self::Holding(_) | Self::Changing(_) => Type::Boolean,
        }
    }

    /// Whether a row may have no value.
    pub(crate) fn may_be_null(&self) -> bool {
        match self {
            Self::Own(column) => column.missing() > 0,
            Self::Indexed(indexed) => indexed.values.valid.is_some(),
            Self::Literal(value, _) => value.is_null(),
            Self::Truths(_) | Self::Holding(_) | Self::Changing(_) => false,
            Self::Call { function, args, .. } => {
                !matches!(function, Function::Add | Function::Subtract | Function::Multiply)
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
    pub(crate) fn eval(&self, rows: Rows<'_>) -> Result<Vector, EvalError> {
        match self {
            Self::Own(column) => Ok(column.read(rows)),
            Self::Indexed(indexed) => Ok(indexed.read(rows)),
            Self::Literal(value, ty) => Ok(Vector::constant(value, *ty)),
            Self::Truths(truths) => Ok(Vector::new(Values::Bool(truths.read(rows)), None, (0, 0))),
            Self::Holding(holding) => Ok(Vector::new(Values::Bool(holding.read(rows)), None, (0, 0))),
            Self::Changing(bits) => Ok(Vector::new(Values::Bool(changing(bits, rows)), None, (0, 0))),
            Self::Call { function: Function::Case, args, ty, .. } => case(args, *ty, rows),
            Self::Call { function, args, types, ty } => {
                let args: Vec<Vector> = args.iter().map(|a| a.eval(rows)).collect::<Result<_, _>>()?;
                let args: Vec<&Vector> = args.iter().collect();
                kernels::run(&Call { function: *function, args: &args, types, ty: *ty, rows: rows.len() })
            }
        }
    }
}

impl Indexed {
    fn read(&self, rows: Rows<'_>) -> Vector {
        with_index!(&*self.numbers, numbers => match rows {
            Rows::Range(start, length) => self.values.gather(&numbers[start..start + length]),
            Rows::List(list) => {
                let picked: Vec<u32> = list.iter().map(|row| u32::from(numbers[*row as usize])).collect();
                self.values.gather(&picked)
            }
        })
    }
}

/// Each branch is worked out only for the rows that reach it: a guard guards.
fn case(args: &[Prepared], ty: Type, rows: Rows<'_>) -> Result<Vector, EvalError> {
    let mut results = vec![Scalar::Null; rows.len()];
    // Positions among `rows` that no branch has taken yet.
    let mut open: Vec<usize> = (0..rows.len()).collect();
    for pair in args.chunks(2) {
        let listed: Vec<u32> = open.iter().map(|at| rows.row(*at) as u32).collect();
        let (taken, value) = match pair {
            [condition, value] => {
                let holds = condition.eval(Rows::List(&listed))?;
                let (taken, rest) = (0..open.len()).partition::<Vec<usize>, _>(|i| holds.is_true(*i));
                let taken: Vec<usize> = taken.into_iter().map(|i| open[i]).collect();
                open = rest.into_iter().map(|i| open[i]).collect();
                (taken, value)
            }
            rest => (std::mem::take(&mut open), &rest[0]),
        };
        let listed: Vec<u32> = taken.iter().map(|at| rows.row(*at) as u32).collect();
        let values = value.eval(Rows::List(&listed))?;
        for (i, at) in taken.into_iter().enumerate() {
            results[at] = vembra_plan::call::convert(values.scalar(i, value.ty()), ty)?;
        }
    }
    Ok(Vector::from_scalars(&results, ty))
}
