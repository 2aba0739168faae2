//! A column of a table: in memory, or where it is kept until it is needed.

use crate::error::EngineError;
use crate::storage::column::Column;
use std::fmt;
use std::sync::{Arc, OnceLock};
use vembra_plan::Type;

/// What is known of a column before its values are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ColumnFacts {
    /// The type of the values.
    pub ty: Type,
    /// How many rows there are.
    pub rows: usize,
    /// How many of them have no value.
    pub missing: usize,
    /// The smallest and largest physical value; none where there are no physical values.
    pub range: Option<(i128, i128)>,
}

/// Brings the values of a column that is kept outside.
pub trait Fetch: Send + Sync {
    /// The column, as it was when its facts were read.
    ///
    /// # Errors
    /// When it is not to be had any more, in any way.
    fn fetch(&self) -> Result<Column, EngineError>;
}

/// A column of a table: in memory, or kept outside and fetched when it is first needed. Clones share what was fetched.
///
/// # Examples
/// ```
/// use vembra_engine::{ColumnBuilder, TableColumn};
/// use vembra_plan::{Scalar, Type};
/// let mut builder = ColumnBuilder::new(Type::Integer);
/// builder.push(&Scalar::Integer(7));
/// let column = TableColumn::from(builder.finish());
/// assert_eq!((column.ty(), column.len(), column.physical_range()), (Type::Integer, 1, Some((7, 7))));
/// assert_eq!(column.get()?.scalar(0), Scalar::Integer(7));
/// # Ok::<(), vembra_engine::EngineError>(())
/// ```
#[derive(Clone)]
pub struct TableColumn(Place);

#[derive(Clone)]
enum Place {
    Here(Arc<Column>),
    Outside(Arc<Outside>),
}

struct Outside {
    facts: ColumnFacts,
    from: Box<dyn Fetch>,
    fetched: OnceLock<Result<Arc<Column>, EngineError>>,
}

impl TableColumn {
    /// A column that is fetched when it is first needed.
    pub fn outside(facts: ColumnFacts, from: impl Fetch + 'static) -> Self {
        Self(Place::Outside(Arc::new(Outside { facts, from: Box::new(from), fetched: OnceLock::new() })))
    }

    /// The values; fetched, if they are not in memory yet.
    ///
    /// # Errors
    /// When they are not to be had any more.
    pub fn get(&self) -> Result<&Arc<Column>, EngineError> {
        match &self.0 {
            Place::Here(column) => Ok(column),
            Place::Outside(outside) => {
                let fetched = outside.fetched.get_or_init(|| outside.from.fetch().map(Arc::new));
                fetched.as_ref().map_err(Clone::clone)
            }
        }
    }

    /// The values if they are in memory, as those of a table that was just read are.
    pub fn here(&self) -> Option<&Arc<Column>> {
        match &self.0 {
            Place::Here(column) => Some(column),
            Place::Outside(outside) => outside.fetched.get()?.as_ref().ok(),
        }
    }

    /// What is known without the values.
    pub fn facts(&self) -> ColumnFacts {
        match &self.0 {
            Place::Here(column) => ColumnFacts {
                ty: column.ty(),
                rows: column.len(),
                missing: column.missing(),
                range: column.physical_range(),
            },
            Place::Outside(outside) => outside.facts,
        }
    }

    /// The type of the values.
    pub fn ty(&self) -> Type {
        self.facts().ty
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.facts().rows
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// How many rows have no value.
    pub fn missing(&self) -> usize {
        self.facts().missing
    }

    /// The smallest and largest physical value; `None` when the column has no physical values or no values.
    pub fn physical_range(&self) -> Option<(i128, i128)> {
        self.facts().range
    }
}

impl From<Arc<Column>> for TableColumn {
    fn from(column: Arc<Column>) -> Self {
        Self(Place::Here(column))
    }
}

impl From<Column> for TableColumn {
    fn from(column: Column) -> Self {
        Self::from(Arc::new(column))
    }
}

impl fmt::Debug for TableColumn {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.here() {
            Some(column) => column.fmt(f),
            None => f.debug_tuple("Outside").field(&self.facts()).finish(),
        }
    }
}
