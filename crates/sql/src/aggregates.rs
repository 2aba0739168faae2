//! Aggregates: those that all servers say alike, and what they read.

use crate::dialect::Words;
use crate::functions::Value;
use vembra_plan::{AggregateFunction, Scalar, Type};

/// What an aggregate reads of each row.
#[derive(Clone)]
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

impl Read {
    pub(crate) fn value(&self) -> Value {
        self.value.clone().unwrap_or(Value { sql: "null".to_owned(), ty: Type::Null, fixed: None })
    }

    /// What takes out the rows that do not count, with a further condition.
    pub(crate) fn filter(&self, more: Option<String>) -> String {
        let all: Vec<String> = self.condition.iter().cloned().chain(more).collect();
        if all.is_empty() { String::new() } else { format!(" filter (where {})", all.join(" and ")) }
    }

    /// The same with the condition inside: what does not count is null, which no aggregate counts.
    pub(crate) fn in_cases(&self) -> Self {
        let mut read = self.clone();
        if let Some(condition) = read.condition.take() {
            let one = || Value { sql: "1".to_owned(), ty: Type::Integer, fixed: None };
            let value = read.value.get_or_insert_with(one);
            value.sql = format!("case when {condition} then {} end", value.sql);
        }
        read
    }

    /// The part of a percentile; none for the median.
    pub(crate) fn part(&self, function: AggregateFunction) -> Option<Scalar> {
        let part = self.parameter.as_ref().filter(|_| function == AggregateFunction::Percentile)?;
        Some(Scalar::Float(part.to_f64().unwrap_or(0.5)))
    }

    /// What stands between the texts of a list.
    pub(crate) fn separator(&self) -> Scalar {
        self.parameter.clone().unwrap_or_else(|| Scalar::text(", "))
    }
}

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
    matches!(function, F::Count | F::CountRows | F::CountDistinct).then_some("0")
}
