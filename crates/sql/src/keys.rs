//! Keys in statements: a value that is never null, and what it stands for.

use crate::VALUE;
use crate::names::free_of_words;
use crate::values::Value;
use crate::words::Words;
use vembra_plan::{Graph, KeyId};

/// A key of a row or a cell.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct KeySql {
    pub(crate) value: String,
    pub(crate) stands: String,
}

impl KeySql {
    /// The key that stands in the columns of a relation.
    pub(crate) fn in_columns(graph: &Graph, key: KeyId, of: &str) -> Self {
        let (value, stands) = columns(graph, key);
        Self { value: format!("{of}.{value}"), stands: format!("{of}.{stands}") }
    }

    /// Its two columns, to be selected under the names that they have for a key.
    pub(crate) fn selected(&self, graph: &Graph, key: KeyId) -> [String; 2] {
        let (value, stands) = columns(graph, key);
        [format!("{} as {value}", self.value), format!("{} as {stands}", self.stands)]
    }

    /// Whether it is the key that stands in the columns of a relation.
    pub(crate) fn is_in(&self, graph: &Graph, key: KeyId, of: &str) -> String {
        let own = Self::in_columns(graph, key, of);
        format!("{} = {} and {} = {}", own.value, self.value, own.stands, self.stands)
    }

    /// The key of a value that may be null; `missing` says what null stands for.
    pub(crate) fn of(words: &dyn Words, value: &Value, missing: &str) -> Self {
        let nothing = words.nothing(value.ty);
        let value = &value.sql;
        Self {
            value: words.never_null(value, &nothing),
            stands: match missing.strip_prefix("case") {
                Some(cases) => format!("case when {value} is not null then {VALUE}{cases}"),
                None => format!("case when {value} is not null then {VALUE} else {missing} end"),
            },
        }
    }
}

/// The columns of a key.
pub(crate) fn columns(graph: &Graph, key: KeyId) -> (String, String) {
    let name = free_of_words(&graph.keys[key.index()].name);
    let again = graph.keys[..key.index()].iter().any(|other| free_of_words(&other.name) == name);
    let name = if again { format!("{name}_{}", key.0) } else { name };
    let stands = format!("{name}_is");
    (name, stands)
}

/// Whether two relations have the same member on each of some keys.
pub(crate) fn equal(graph: &Graph, keys: &[KeyId], left: &str, right: &str) -> String {
    let one = |key: &KeyId| {
        let (value, stands) = columns(graph, *key);
        format!("{left}.{value} = {right}.{value} and {left}.{stands} = {right}.{stands}")
    };
    if keys.is_empty() { "true".to_owned() } else { keys.iter().map(one).collect::<Vec<_>>().join(" and ") }
}

/// The columns of some keys in a relation, as they are to be selected.
pub(crate) fn selected(graph: &Graph, keys: &[KeyId], of: &str) -> Vec<String> {
    keys.iter()
        .flat_map(|key| {
            let (value, stands) = columns(graph, *key);
            [format!("{of}.{value}"), format!("{of}.{stands}")]
        })
        .collect()
}
