//! What was read: rows, columns, types and missing values.

use serde::Serialize;
use std::collections::BTreeMap;
use vembra_engine::Table;
use vembra_sources::Loaded;

/// What was read of all tables.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct LoadReport {
    /// The tables in the order of the model.
    pub tables: Vec<TableReport>,
}

/// What was read of a table.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct TableReport {
    /// The name in the model.
    pub name: String,
    /// The file.
    pub file: String,
    /// How many rows.
    pub rows: usize,
    /// The columns in the order of the file.
    pub columns: Vec<ColumnReport>,
}

/// What was read of a column.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct ColumnReport {
    /// The name.
    pub name: String,
    /// The type.
    pub ty: String,
    /// How many rows have no value.
    pub missing: usize,
}

/// Per table how many rows it has, and how many of them lack a value in each column.
pub(crate) type Counts = BTreeMap<String, (usize, BTreeMap<String, usize>)>;

impl LoadReport {
    pub(crate) fn new(loaded: &[(String, Loaded)]) -> Self {
        Self::of(loaded.iter().map(|(name, loaded)| (name.as_str(), &loaded.table)))
    }

    /// The same with rows and missing values as they were counted, by table and column.
    pub(crate) fn with_counts(&self, counts: &Counts) -> Self {
        let mut counted = self.clone();
        for table in &mut counted.tables {
            let Some((rows, missing)) = counts.get(&table.name) else { continue };
            table.rows = *rows;
            for column in &mut table.columns {
                column.missing = missing.get(&column.name).copied().unwrap_or(0);
            }
        }
        counted
    }

    pub(crate) fn of<'t>(tables: impl Iterator<Item = (&'t str, &'t Table)>) -> Self {
        let tables = tables.map(|(name, table)| TableReport {
            name: name.to_owned(),
            file: table.origin.clone(),
            rows: table.rows,
            columns: table
                .columns
                .iter()
                .map(|(name, column)| ColumnReport {
                    name: name.clone(),
                    ty: match column.ty() {
                        vembra_plan::Type::Null => "no values".to_owned(),
                        ty => ty.to_string(),
                    },
                    missing: column.missing(),
                })
                .collect(),
        });
        Self { tables: tables.collect() }
    }
}
