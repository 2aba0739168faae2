//! `and`, `or`, `not` and `is null` in the logic of three values.

use super::{Call, zip};
use crate::expression::vector::{Values, Vector};
use std::borrow::Cow;
use vembra_plan::Function;

pub(super) fn run(call: &Call<'_>) -> Option<Vector> {
    let rows = call.rows;
    match call.function {
        Function::And | Function::Or => join(call),
        Function::Not => {
            let [a] = call.args else { return None };
            let Values::Bool(bools) = &a.values else { return None };
            Some(Vector::new(Values::Bool(bools.iter().map(|b| !b).collect()), a.valid.clone(), (0, 1)))
        }
        Function::IsNull => {
            let [a] = call.args else { return None };
            let nulls = (0..rows).map(|at| !a.is_valid(at)).collect();
            Some(Vector::new(Values::Bool(nulls), None, (0, 1)))
        }
        _ => None,
    }
}

/// A side that decides (false of `and`, true of `or`) decides whatever the other is.
#[allow(clippy::needless_bitwise_bool)] // A branch could not be predicted.
fn join(call: &Call<'_>) -> Option<Vector> {
    let [a, b] = call.args else { return None };
    if !matches!((&a.values, &b.values), (Values::Bool(_), Values::Bool(_))) {
        return None;
    }
    let decides = call.function == Function::Or;
    if let (Values::Bool(x), Values::Bool(y), None, None) = (&a.values, &b.values, &a.valid, &b.valid) {
        let both = if decides { |x, y| x | y } else { |x, y| x & y };
        return Some(Vector::new(Values::Bool(zip(x, y, (a.constant, b.constant), both)), None, (0, 1)));
    }
    let ((x, known_x), (y, known_y)) = (side(a, call.rows)?, side(b, call.rows)?);
    let (mut values, mut valid) = (Vec::with_capacity(call.rows), Vec::with_capacity(call.rows));
    for ((x, known_x), (y, known_y)) in x.iter().zip(known_x.iter()).zip(y.iter().zip(known_y.iter())) {
        let decided = (known_x & (*x == decides)) | (known_y & (*y == decides));
        values.push(decided == decides);
        valid.push(decided | (known_x & known_y));
    }
    let valid = valid.contains(&false).then_some(valid);
    Some(Vector::new(Values::Bool(values), valid, (0, 1)))
}

/// The conditions of some rows, and which of them are known.
type Side<'a> = (Cow<'a, [bool]>, Cow<'a, [bool]>);

fn side(vector: &Vector, rows: usize) -> Option<Side<'_>> {
    let Values::Bool(bools) = &vector.values else { return None };
    if vector.constant {
        return Some((vec![bools[0]; rows].into(), vec![vector.is_valid(0); rows].into()));
    }
    let known =
        vector.valid.as_ref().map_or_else(|| vec![true; rows].into(), |valid| valid.as_slice().into());
    Some((bools.as_slice().into(), known))
}
