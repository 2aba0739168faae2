//! Hours, minutes and seconds of lanes that stand for times and moments.

use super::{Call, valid_in_all};
use crate::vector::{Values, Vector, range_of};
use vembra_plan::{Function, Type, Unit};

const SECOND: i64 = 1_000_000;
const DAY: i64 = 86_400 * SECOND;

/// `extract(hour from …)` and the like.
pub(super) fn run(call: &Call<'_>) -> Option<Vector> {
    let Function::Extract(unit) = call.function else { return None };
    let ([Type::Time | Type::Moment], [argument]) = (call.types, call.args) else { return None };
    let Values::Int(lanes) = &argument.values else { return None };
    let second = |lane: &i64| lane.rem_euclid(DAY) / SECOND;
    let parts: Vec<i64> = match unit {
        Unit::Hour => lanes.iter().map(|l| second(l) / 3600).collect(),
        Unit::Minute => lanes.iter().map(|l| second(l) / 60 % 60).collect(),
        Unit::Second => lanes.iter().map(|l| second(l) % 60).collect(),
        Unit::Period(_) => return None,
    };
    let range = range_of(&parts);
    Some(Vector::new(Values::Int(parts), valid_in_all(call.args, call.rows), range))
}
