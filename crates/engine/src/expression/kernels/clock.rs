//! Hours, minutes and seconds of physical values that stand for times and moments.

use super::{Call, valid_in_all};
use crate::expression::vector::{Values, Vector, range_of};
use vembra_plan::{Function, Type, Unit};

const SECOND: i64 = 1_000_000;
const DAY: i64 = 86_400 * SECOND;

/// `extract(hour from …)` and the like.
pub(super) fn run(call: &Call<'_>) -> Option<Vector> {
    let Function::Extract(unit) = call.function else { return None };
    let ([Type::Time | Type::Moment], [argument]) = (call.types, call.args) else { return None };
    let Values::Int(physicals) = &argument.values else { return None };
    let second = |physical: &i64| physical.rem_euclid(DAY) / SECOND;
    let parts: Vec<i64> = match unit {
        Unit::Hour => physicals.iter().map(|l| second(l) / 3600).collect(),
        Unit::Minute => physicals.iter().map(|l| second(l) / 60 % 60).collect(),
        Unit::Second => physicals.iter().map(|l| second(l) % 60).collect(),
        Unit::Period(_) => return None,
    };
    let range = range_of(&parts);
    Some(Vector::new(Values::Int(parts), valid_in_all(call.args, call.rows), range))
}
