//! Values in statements, and what aggregates read of them.

use vembra_plan::{AggregateFunction, Scalar, Type};

/// A value in a statement.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Value {
    pub(crate) sql: String,
    pub(crate) ty: Type,
    /// The value itself, where it is fixed.
    pub(crate) fixed: Option<Scalar>,
}

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
        let nothing = || Value { sql: "null".to_owned(), ty: Type::Null, fixed: None };
        let value = self.value.clone().unwrap_or_else(nothing);
        match &self.condition {
            // Some servers work values out for rows that a filter leaves out, too.
            Some(condition) if crate::reading::may_fail(&value.sql) => {
                Value { sql: format!("case when {condition} then {} end", value.sql), ..value }
            }
            _ => value,
        }
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
