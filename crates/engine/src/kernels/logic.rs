//! `and`, `or`, `not` and `is null` in the logic of three values.

use super::{Call, zip};
use crate::vector::{Values, Vector};
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
    let side = |v: &Vector, at: usize| (v.is_valid(at), v.is_true(at));
    let (mut values, mut valid) = (Vec::with_capacity(call.rows), Vec::with_capacity(call.rows));
    for at in 0..call.rows {
        let ((known_a, true_a), (known_b, true_b)) = (side(a, at), side(b, at));
        let decided = (known_a & (true_a == decides)) | (known_b & (true_b == decides));
        values.push(decided == decides);
        valid.push(decided | (known_a & known_b));
    }
    let valid = valid.contains(&false).then_some(valid);
    Some(Vector::new(Values::Bool(values), valid, (0, 1)))
}
