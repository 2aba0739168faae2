//! `+ - * /` on physical values whose bounds prove that nothing overflows, and on floats.

use super::{Call, fits, floats as as_floats, scaled, valid_in_all, zip};
use crate::expression::vector::{Values, Vector};
use vembra_plan::{Function, Type};

pub(super) fn physicals(call: &Call<'_>) -> Option<Vector> {
    let [a, b] = call.args else { return None };
    let [left, right] = call.types else { return None };
    let scale = match call.ty {
        Type::Decimal(scale) => scale,
        Type::Integer | Type::Date => 0,
        _ => return None,
    };
    let own = |ty: Type| if let Type::Decimal(scale) = ty { scale } else { 0 };
    let multiplies = call.function == Function::Multiply;
    let (x, x_range) = scaled(a, *left, if multiplies { own(*left) } else { scale })?;
    let (y, y_range) = scaled(b, *right, if multiplies { own(*right) } else { scale })?;
    let range = bounds(call.function, x_range, y_range).and_then(fits)?;
    if call.ty == Type::Date && (i32::try_from(range.0).is_err() || i32::try_from(range.1).is_err()) {
        return None;
    }
    let constant = (a.constant, b.constant);
    let physicals = match call.function {
        Function::Add => zip(&x, &y, constant, i64::wrapping_add),
        Function::Subtract => zip(&x, &y, constant, i64::wrapping_sub),
        _ => zip(&x, &y, constant, i64::wrapping_mul),
    };
    Some(Vector::new(Values::Int(physicals), valid_in_all(call.args, call.rows), range))
}

fn bounds(function: Function, (a, b): (i128, i128), (c, d): (i128, i128)) -> Option<(i128, i128)> {
    match function {
        Function::Add => Some((a.checked_add(c)?, b.checked_add(d)?)),
        Function::Subtract => Some((a.checked_sub(d)?, b.checked_sub(c)?)),
        Function::Multiply => {
            let corners = [a.checked_mul(c)?, a.checked_mul(d)?, b.checked_mul(c)?, b.checked_mul(d)?];
            Some((*corners.iter().min()?, *corners.iter().max()?))
        }
        _ => None,
    }
}

pub(super) fn floats(call: &Call<'_>) -> Option<Vector> {
    let [a, b] = call.args else { return None };
    let divides = call.function == Function::Divide;
    if call.ty != Type::Float
        || !matches!(
            call.function,
            Function::Add | Function::Subtract | Function::Multiply | Function::Divide
        )
    {
        return None;
    }
    let (x, y) = (as_floats(a, call.types[0])?, as_floats(b, call.types[1])?);
    let constant = (a.constant, b.constant);
    let results = match call.function {
        Function::Add => zip(&x, &y, constant, |x, y| x + y),
        Function::Subtract => zip(&x, &y, constant, |x, y| x - y),
        Function::Multiply => zip(&x, &y, constant, |x, y| x * y),
        _ => zip(&x, &y, constant, |x, y| if y == 0.0 { 0.0 } else { x / y }),
    };
    let mut valid = valid_in_all(call.args, call.rows);
    let divisor = |at: usize| y[if b.constant { 0 } else { at }];
    if divides && y.contains(&0.0) {
        let kept = valid.get_or_insert_with(|| vec![true; call.rows]);
        kept.iter_mut().enumerate().for_each(|(at, v)| *v &= divisor(at) != 0.0);
    }
    // What is not finite goes through the definition, which says whether it is an error.
    results.iter().all(|r| r.is_finite()).then(|| Vector::new(Values::Float(results), valid, (0, 0)))
}
