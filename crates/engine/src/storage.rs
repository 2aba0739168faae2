//! Tables in memory: columns with their encodings, row ids, and the star that holds them.

pub(crate) mod bitmap;
pub(crate) mod calendar;
pub(crate) mod column;
pub(crate) mod dictionary;
pub(crate) mod narrow;
pub(crate) mod row_id;
pub(crate) mod small_ints;
pub(crate) mod star;
pub(crate) mod table;
pub(crate) mod table_column;
#[cfg(test)]
pub(crate) mod testing;
