//! What takes no part cannot fail: conditions that leave a row out, and functions that need not work out all arguments.

use vembra_plan::{EvalError, Function, Scalar, Type, call};

/// What several conditions say of a row: out if any of them says so, whatever fails beside it.
#[derive(Default)]
pub(crate) struct Conditions {
    error: Option<EvalError>,
}

impl Conditions {
    /// Takes what one says; whether the row is out.
    pub(crate) fn leave_out(&mut self, holds: Result<bool, EvalError>) -> bool {
        match holds {
            Ok(holds) => !holds,
            Err(error) => {
                self.error.get_or_insert(error);
                false
            }
        }
    }

    /// Whether the row is in, since no condition left it out.
    pub(crate) fn hold(self) -> Result<bool, EvalError> {
        self.error.map_or(Ok(true), Err)
    }
}

/// A call of a function that works its arguments out from left to right, as far as it needs them; none of other functions.
pub(crate) fn guarded(
    function: Function,
    args: usize,
    ty: Type,
    of: &mut dyn FnMut(usize) -> Result<Scalar, EvalError>,
) -> Option<Result<Scalar, EvalError>> {
    match function {
        Function::Case => Some(case(args, ty, of)),
        Function::Coalesce => Some(coalesce(args, ty, of)),
        Function::And => Some(until(args, function, &Scalar::Boolean(false), of)),
        Function::Or => Some(until(args, function, &Scalar::Boolean(true), of)),
        _ => None,
    }
}

fn case(
    args: usize,
    ty: Type,
    of: &mut dyn FnMut(usize) -> Result<Scalar, EvalError>,
) -> Result<Scalar, EvalError> {
    let mut at = 0;
    while at + 1 < args {
        if of(at)?.physical() == Some(1) {
            return call::convert(of(at + 1)?, ty);
        }
        at += 2;
    }
    if at < args { call::convert(of(at)?, ty) } else { Ok(Scalar::Null) }
}

fn coalesce(
    args: usize,
    ty: Type,
    of: &mut dyn FnMut(usize) -> Result<Scalar, EvalError>,
) -> Result<Scalar, EvalError> {
    for at in 0..args {
        let value = of(at)?;
        if !value.is_null() {
            return call::convert(value, ty);
        }
    }
    Ok(Scalar::Null)
}

/// Goes on until one argument settles the matter.
fn until(
    args: usize,
    function: Function,
    settled: &Scalar,
    of: &mut dyn FnMut(usize) -> Result<Scalar, EvalError>,
) -> Result<Scalar, EvalError> {
    let mut so_far = of(0)?;
    for at in 1..args {
        if so_far == *settled {
            break;
        }
        so_far = call::call(function, &[so_far, of(at)?], Type::Boolean)?;
    }
    Ok(so_far)
}
