//! What was read: rows, columns, types and missing values.

use serde::Serialize;
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

impl LoadReport {
    pub(crate) fn new(loaded: &[(String, Loaded)]) -> Self {
        Self::of(loaded.iter().map(|(name, loaded)| (name.as_str(), &loaded.table)))
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
