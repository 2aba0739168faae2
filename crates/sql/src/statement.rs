//! One statement, with the values that are bound to its parameters.

use vembra_plan::{Scalar, Type};

/// A statement that gives rows.
#[derive(Clone, Debug, PartialEq)]
pub struct Statement {
    /// The text, with parameters `$1`, `$2`, …
    pub sql: String,
    /// The values of the parameters.
    pub binds: Vec<Scalar>,
    /// The types of the columns that come back. A key is known by its value and a whole number behind it.
    pub columns: Vec<Type>,
}

impl Statement {
    /// The statement as it can be run by hand: prepared with the types of its parameters, and executed with their values.
    pub fn by_hand(&self) -> String {
        if self.binds.is_empty() {
            return format!("{};\n", self.sql);
        }
        let types: Vec<&str> = self.binds.iter().map(bind_type).collect();
        let values: Vec<String> = self.binds.iter().map(bind_literal).collect();
        format!(
            "prepare vembra({}) as\n{};\nexecute vembra({});\ndeallocate vembra;\n",
            types.join(", "),
            self.sql,
            values.join(", ")
        )
    }
}

/// The type that a parameter is bound as; what it is cast to stands in the text.
pub(crate) fn bind_type(value: &Scalar) -> &'static str {
    match value {
        Scalar::Integer(_) | Scalar::Period(..) => "bigint",
        Scalar::Float(_) => "double precision",
        Scalar::Boolean(_) => "boolean",
        _ => "text",
    }
}

fn bind_literal(value: &Scalar) -> String {
    match value {
        Scalar::Null => "null".to_owned(),
        Scalar::Integer(n) => n.to_string(),
        Scalar::Period(_, index) => index.to_string(),
        Scalar::Float(x) => format!("{x:e}"),
        Scalar::Boolean(b) => b.to_string(),
        other => format!("'{}'", other.to_string().replace('\'', "''")),
    }
}
