//! Aggregates that all servers say alike.

use crate::values::Read;
use crate::words::Words;
use vembra_plan::{AggregateFunction, Type};

/// An aggregate that all servers say alike.
pub(crate) fn plain(words: &dyn Words, function: AggregateFunction, read: &Read) -> String {
    use AggregateFunction as F;
    let (value, own) = (read.value(), read.filter(None));
    let sql = &value.sql;
    let boolean = value.ty == Type::Boolean;
    match function {
        F::CountRows if read.value.is_none() => format!("count(*){own}"),
        F::CountRows => format!("count({sql})"),
        F::Count => format!("count({sql}){own}"),
        F::CountDistinct => format!("count(distinct {sql}){own}"),
        F::Min if boolean => format!("bool_and({sql}){own}"),
        F::Max if boolean => format!("bool_or({sql}){own}"),
        F::Min => format!("min({sql}){own}"),
        F::Max => format!("max({sql}){own}"),
        F::Any => format!("bool_or({sql}){own}"),
        F::Every => format!("bool_and({sql}){own}"),
        F::StdDev => format!("stddev_samp({}){own}", words.float(&value)),
        F::Variance => format!("var_samp({}){own}", words.float(&value)),
        _ => format!("sum({sql}){own}"),
    }
}

/// What an aggregate gives where there are no rows.
pub(crate) fn of_nothing(function: AggregateFunction) -> Option<&'static str> {
    use AggregateFunction as F;
    match function {
        F::Count | F::CountRows | F::CountDistinct => Some("0"),
        F::Any => Some("false"),
        F::Every => Some("true"),
        _ => None,
    }
}
