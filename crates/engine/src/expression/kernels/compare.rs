//! Comparisons of physical values and floats, and `in` a list of fixed physical values.

use super::{Call, floats, scaled, valid_in_all, zip};
use crate::expression::vector::{Values, Vector};
use std::cmp::Ordering;
use vembra_plan::{Function, Type};

fn scale(ty: Type) -> u8 {
    if let Type::Decimal(scale) = ty { scale } else { 0 }
}

pub(super) fn run(call: &Call<'_>) -> Option<Vector> {
    let [a, b] = call.args else { return None };
    let constant = (a.constant, b.constant);
    let results = if call.types.contains(&Type::Float) {
        let (x, y) = (floats(a, call.types[0])?, floats(b, call.types[1])?);
        if x.iter().chain(y.iter()).any(|x| x.is_nan()) {
            let ordered = |values: &[f64]| values.iter().map(|x| Ordered(*x)).collect::<Vec<_>>();
            compare(call.function, &ordered(&x), &ordered(&y), constant)?
        } else {
            compare(call.function, &x, &y, constant)?
        }
    } else {
        let common = scale(call.types[0]).max(scale(call.types[1]));
        let (x, _) = scaled(a, call.types[0], common)?;
        let (y, _) = scaled(b, call.types[1], common)?;
        compare(call.function, &x, &y, constant)?
    };
    Some(Vector::new(Values::Bool(results), valid_in_all(call.args, call.rows), (0, 1)))
}

/// A float as it is compared: not a number equals itself and comes behind all others.
#[derive(Clone, Copy)]
struct Ordered(f64);

impl PartialEq for Ordered {
    fn eq(&self, other: &Self) -> bool {
        self.0 == other.0 || (self.0.is_nan() && other.0.is_nan())
    }
}

impl PartialOrd for Ordered {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        self.0.partial_cmp(&other.0).or_else(|| Some(self.0.is_nan().cmp(&other.0.is_nan())))
    }
}

fn compare<T: Copy + PartialOrd + Sync + Send>(
    f: Function,
    x: &[T],
    y: &[T],
    constant: (bool, bool),
) -> Option<Vec<bool>> {
    Some(match f {
        Function::Equal => zip(x, y, constant, |x, y| x == y),
        Function::NotEqual => zip(x, y, constant, |x, y| x != y),
        Function::Less => zip(x, y, constant, |x, y| x < y),
        Function::LessEqual => zip(x, y, constant, |x, y| x <= y),
        Function::Greater => zip(x, y, constant, |x, y| x > y),
        Function::GreaterEqual => zip(x, y, constant, |x, y| x >= y),
        _ => return None,
    })
}

pub(super) fn is_in(call: &Call<'_>) -> Option<Vector> {
    if call.function != Function::In {
        return None;
    }
    let (value, choices) = call.args.split_first()?;
    let common = call.types.iter().map(|t| scale(*t)).max()?;
    if choices.iter().any(|c| !c.constant || c.valid.is_some()) {
        return None;
    }
    let wanted: Option<Vec<i64>> = choices
        .iter()
        .zip(&call.types[1..])
        .map(|(c, ty)| scaled(c, *ty, common).map(|(l, _)| l[0]))
        .collect();
    let wanted = wanted?;
    let (physicals, _) = scaled(value, call.types[0], common)?;
    let found = physicals.iter().map(|l| wanted.contains(l)).collect();
    Some(Vector::new(Values::Bool(found), value.valid.clone(), (0, 1)))
}
