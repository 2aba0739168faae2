//! Aggregates, as `PostgreSQL` says them.

use crate::functions::{Value, float};
use vembra_plan::{AggregateFunction, Scalar, Type};

/// What an aggregate reads of each row.
pub(crate) struct Read {
    /// The value; none for a count of rows.
    pub(crate) value: Option<Value>,
    /// What `first` and `last` choose by.
    pub(crate) by: Option<Value>,
    /// The part of a percentile, or a separator.
    pub(crate) parameter: Option<Scalar>,
    /// Which rows count, if not all.
    pub(crate) condition: Option<String>,
}

/// An aggregate over the rows of a group; `bind` gives a parameter for a fixed value.
pub(crate) fn aggregate(
    function: AggregateFunction,
    read: &Read,
    bind: &mut impl FnMut(&Scalar) -> String,
) -> String {
    use AggregateFunction as F;
    let filter = |more: Option<String>| {
        let all: Vec<String> = read.condition.iter().cloned().chain(more).collect();
        if all.is_empty() { String::new() } else { format!(" filter (where {})", all.join(" and ")) }
    };
    let own = || filter(None);
    let missing = || Value { sql: "null".to_owned(), ty: Type::Null, fixed: None };
    let value = read.value.clone().unwrap_or_else(missing);
    let sql = &value.sql;
    let boolean = value.ty == Type::Boolean;
    match function {
        F::CountRows => format!("count(*){}", own()),
        F::Count => format!("count({sql}){}", own()),
        F::CountDistinct => format!("count(distinct {sql}){}", own()),
        F::Sum => match value.ty {
            Type::Integer => format!("sum({sql}){}::bigint", own()),
            _ => format!("sum({sql}){}", own()),
        },
        F::Avg => format!("(sum({sql}){0}::double precision / nullif(count({sql}){0}, 0))", own()),
        F::Min if boolean => format!("bool_and({sql}){}", own()),
        F::Max if boolean => format!("bool_or({sql}){}", own()),
        F::Min => format!("min({sql}){}", own()),
        F::Max => format!("max({sql}){}", own()),
        F::Any => format!("bool_or({sql}){}", own()),
        F::Every => format!("bool_and({sql}){}", own()),
        F::StdDev => format!("stddev_samp({}){}", float(&value), own()),
        F::Variance => format!("var_samp({}){}", float(&value), own()),
        F::Median | F::Percentile => {
            let part = match &read.parameter {
                Some(part) if function == F::Percentile => bind(&Scalar::Float(part.to_f64().unwrap_or(0.5))),
                _ => "0.5".to_owned(),
            };
            format!("percentile_cont({part}) within group (order by {}){}", float(&value), own())
        }
        F::ListAgg | F::ListAggDistinct => {
            let separator = read.parameter.clone().unwrap_or_else(|| Scalar::text(", "));
            let distinct = if function == F::ListAggDistinct { "distinct " } else { "" };
            format!("string_agg({distinct}{sql}, {} order by {sql}){}", bind(&separator), own())
        }
        F::First | F::Last => {
            let by = read.by.as_ref().map_or("null", |by| by.sql.as_str());
            let order = if function == F::Last { " desc" } else { "" };
            let known = filter(Some(format!("{sql} is not null and {by} is not null")));
            format!("(array_agg({sql} order by {by}{order}, {sql}){known})[1]")
        }
    }
}

/// What an aggregate gives where there are no rows.
pub(crate) fn of_nothing(function: AggregateFunction) -> Option<&'static str> {
    use AggregateFunction as F;
    matches!(function, F::Count | F::CountRows | F::CountDistinct).then_some("0")
}
