//! Names in statements.

use std::collections::HashSet;

/// A name that needs no quotes, made of another one.
pub(crate) fn plain(name: &str) -> String {
    let letter = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '_' };
    let mut plain: String = name.chars().map(letter).collect();
    while plain.contains("__") {
        plain = plain.replace("__", "_");
    }
    let plain = plain.trim_matches('_');
    let first = plain.chars().next();
    if first.is_none_or(|c| c.is_ascii_digit()) { format!("x_{plain}") } else { plain.to_owned() }
}

/// The same, where words that mean something to a server get a mark.
pub(crate) fn free_of_words(name: &str) -> String {
    let plain = plain(name);
    if WORDS.contains(&plain.as_str()) { format!("{plain}_") } else { plain }
}

/// Words that `PostgreSQL`, the SQL standard and Spark keep for themselves, as far as they may stand for an attribute or a table.
const WORDS: [&str; 96] = [
    "all",
    "analyse",
    "analyze",
    "and",
    "anti",
    "any",
    "array",
    "as",
    "asc",
    "at",
    "authorization",
    "between",
    "binary",
    "both",
    "by",
    "case",
    "cast",
    "check",
    "collate",
    "column",
    "constraint",
    "create",
    "cross",
    "current",
    "date",
    "day",
    "default",
    "desc",
    "distinct",
    "do",
    "drop",
    "else",
    "end",
    "except",
    "exists",
    "false",
    "fetch",
    "filter",
    "for",
    "foreign",
    "freeze",
    "from",
    "full",
    "grant",
    "group",
    "having",
    "hour",
    "in",
    "inner",
    "intersect",
    "interval",
    "into",
    "is",
    "join",
    "lateral",
    "left",
    "like",
    "limit",
    "minus",
    "minute",
    "month",
    "natural",
    "not",
    "null",
    "offset",
    "on",
    "only",
    "or",
    "order",
    "outer",
    "over",
    "placing",
    "primary",
    "references",
    "returning",
    "right",
    "row",
    "rows",
    "second",
    "select",
    "semi",
    "some",
    "symmetric",
    "table",
    "then",
    "time",
    "timestamp",
    "to",
    "trailing",
    "true",
    "union",
    "unique",
    "user",
    "using",
    "values",
    "when",
];

/// The names that a statement has used up.
#[derive(Default)]
pub(crate) struct Names(HashSet<String>);

impl Names {
    /// Leaves a name to something else.
    pub(crate) fn taken(&mut self, name: &str) {
        self.0.insert(name.to_lowercase());
    }

    /// A name like this one that nothing else has.
    pub(crate) fn free(&mut self, wanted: &str) -> String {
        let wanted: String = free_of_words(wanted).chars().take(LONGEST).collect();
        let numbered = (1..).map(|n| if n == 1 { wanted.clone() } else { format!("{wanted}_{n}") });
        let free = numbered.into_iter().find(|name| !self.0.contains(name)).unwrap_or(wanted);
        self.0.insert(free.clone());
        free
    }
}

/// Servers cut names off at 63 bytes; a number may come behind.
const LONGEST: usize = 50;

#[cfg(test)]
mod tests {
    use super::{Names, plain};
    use crate::Dialect;

    #[test]
    fn names_are_quoted_or_made_plain() {
        let odd = "sales.Order \"lines\"";
        assert_eq!(Dialect::PostgreSql.quoted(odd), "\"sales\".\"Order \"\"lines\"\"\"");
        assert_eq!(Dialect::Spark.quoted("sales.a`b"), "`sales`.`a``b`");
        assert_eq!(
            [plain("calendar.year"), plain("Größe!"), plain("2 a")],
            ["calendar_year", "gr_e", "x_2_a"]
        );
        let mut names = Names::default();
        assert_eq!([names.free("a b"), names.free("a.b"), names.free("order")], ["a_b", "a_b_2", "order_"]);
    }
}
