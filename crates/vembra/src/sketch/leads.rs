//! Which columns lead to which tables.

use super::tables::{Seen, is_code, may_be_key, plain_name, singular};
use std::collections::HashSet;
use std::sync::Arc;
use vembra_engine::Column;
use vembra_plan::Type;

/// A column whose values are keys of a table.
#[derive(Clone, Debug)]
pub(super) struct Lead {
    /// The table and the column that it starts from.
    pub(super) from: (usize, usize),
    /// The table that it reaches.
    pub(super) to: usize,
    /// How many different values there are, and how many of them are no keys.
    pub(super) values: usize,
    pub(super) orphans: usize,
    /// Why by its name.
    pub(super) named: Named,
}

/// What a name says about a lead; the better first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Named {
    /// The column is called as the key is.
    AsKey,
    /// The column is called as the table is, with or without the name of its key.
    AsTable,
    /// The name of the table, or of its key, is the end of the column's: `ship_customer_id`.
    AsPart,
    /// Only its values say so.
    Not,
}

/// At least this many different values say something where a name does not.
const TELLING: usize = 3;
/// How many per cent of the different values may be no keys.
const MOST_ORPHANS: usize = 10;
/// The same where the column has the name of the key.
const MOST_NAMED_ORPHANS: usize = 40;
/// How many different values that are nearly all keys say something by themselves.
const NEARLY_ALL: usize = 20;
/// Of numbers that are keys, at most one in this many of their range is one, if being among them is to say anything.
const SPARSE: i128 = 4;

/// All leads between pairs of tables that are asked for, without rings: of two tables that lead to each other, the one with more rows
/// leads.
pub(super) fn all(seen: &[Seen], is_asked: impl Fn(usize, usize) -> bool) -> Vec<Lead> {
    let is_reached = |to: usize| (0..seen.len()).any(|from| is_asked(from, to));
    let key_values =
        |(at, s): (usize, &Seen)| s.key.filter(|_| is_reached(at)).map(|key| values(s.column(key).1));
    let keys: Vec<Option<HashSet<Value>>> = seen.iter().enumerate().map(key_values).collect();
    let mut leads: Vec<Lead> = Vec::new();
    for (from, table) in seen.iter().enumerate() {
        for at in 0..table.columns.len() {
            let (name, column) = table.column(at);
            let others: Vec<usize> =
                (0..seen.len()).filter(|to| *to != from && is_asked(from, *to)).collect();
            if others.is_empty() || !may_be_key(column.ty()) {
                continue;
            }
            let own = Leading { at: (from, at), name, ty: column.ty(), values: values(column) };
            let reached = others.into_iter().filter_map(|to| {
                let lead = own.lead(to, &seen[to], keys[to].as_ref()?)?;
                // A key leads to one that has it too only from a smaller table: one row each.
                let is_key = table.key == Some(at);
                (!is_key || table.rows < seen[to].rows || lead.named <= Named::AsTable).then_some(lead)
            });
            leads.extend(reached.min_by_key(|lead| (lead.named, lead.orphans * 1_000 / lead.values.max(1))));
        }
    }
    leads.sort_by_key(|l| (l.named, l.from));
    let mut kept: Vec<Lead> = Vec::new();
    for lead in leads {
        if !reaches(&kept, lead.to, lead.from.0) {
            kept.push(lead);
        }
    }
    kept.sort_by_key(|l| l.from);
    kept
}

/// Whether one table reaches another by leads.
fn reaches(leads: &[Lead], from: usize, to: usize) -> bool {
    from == to || leads.iter().filter(|l| l.from.0 == from).any(|l| reaches(leads, l.to, to))
}

/// A value that may be a key.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
enum Value {
    Text(Arc<str>),
    Number(i128),
}

/// The different values of a column.
fn values(column: &Column) -> HashSet<Value> {
    if !column.dictionary().is_empty() {
        return column.dictionary().iter().cloned().map(Value::Text).collect();
    }
    (0..column.len()).filter_map(|row| column.scalar(row).physical()).map(Value::Number).collect()
}

/// A column that may lead to a table.
struct Leading<'a> {
    /// Its table and its place there.
    at: (usize, usize),
    name: &'a str,
    ty: Type,
    values: HashSet<Value>,
}

impl Leading<'_> {
    /// What leads to a table with these keys; none if too little says so.
    fn lead(&self, to: usize, reached: &Seen, keys: &HashSet<Value>) -> Option<Lead> {
        let (key, key_column) = reached.column(reached.key?);
        let own = self.values.len();
        if key_column.ty() != self.ty || own == 0 {
            return None;
        }
        let orphans = self.values.iter().filter(|value| !keys.contains(value)).count();
        let named = named(&plain_name(self.name), &plain_name(key), &reached.name);
        let enough = match named {
            Named::Not => {
                let most = if own >= NEARLY_ALL { MOST_ORPHANS } else { 0 };
                // Small numbers are among the keys of everything that is numbered.
                let tells = match key_column.physical_range() {
                    None => own >= TELLING,
                    Some((low, high)) => own >= NEARLY_ALL && (high - low) / SPARSE > keys.len() as i128,
                };
                tells && orphans * 100 <= own * most
            }
            Named::AsKey => orphans * 100 <= own * MOST_NAMED_ORPHANS,
            _ => orphans * 100 <= own * MOST_ORPHANS,
        };
        enough.then_some(Lead { from: self.at, to, values: own, orphans, named })
    }
}

/// What the name of a column says about a table and its key.
fn named(column: &str, key: &str, table: &str) -> Named {
    let tables = [table.to_owned(), singular(table)];
    // A name that any table's key may have says nothing by itself.
    let is_plain = ["id", "key", "code", "no", "number", "name"].contains(&key);
    if column == key && !is_plain {
        return Named::AsKey;
    }
    let as_table = |column: &str| {
        tables.iter().any(|t| {
            let rest = column.strip_prefix(t.as_str()).map(|r| r.trim_start_matches('_'));
            rest.is_some_and(|rest| rest.is_empty() || rest == key || is_code(rest))
        })
    };
    if as_table(column) {
        return Named::AsTable;
    }
    let parts = column.match_indices('_').map(|(at, _)| &column[at + 1..]);
    if parts.into_iter().any(|part| as_table(part) || (part == key && !is_plain)) {
        return Named::AsPart;
    }
    Named::Not
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_say_where_columns_lead() {
        let cases = [
            ("sku", "sku", "products", Named::AsKey),
            ("customer_id", "customer_id", "customers", Named::AsKey),
            ("customer_id", "id", "customers", Named::AsTable),
            ("customer", "code", "customers", Named::AsTable),
            ("customerid", "id", "customers", Named::AsTable),
            ("category_id", "id", "categories", Named::AsTable),
            ("ship_customer_id", "id", "customers", Named::AsPart),
            ("payer_code", "code", "customers", Named::Not),
            ("id", "id", "customers", Named::Not),
            ("quantity", "id", "customers", Named::Not),
        ];
        for (column, key, table, wanted) in cases {
            assert_eq!(named(column, key, table), wanted, "{column} to {table} by {key}");
        }
    }
}
