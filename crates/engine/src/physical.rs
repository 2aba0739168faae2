//! How rows are read for figures, as data: a plan for each pass over a table, chosen from the schema and from statistics before any row is
//! read. A file makes one choice and gives its reason; its tests run no query.
//!
//! In the order in which they are made:
//! 1. [`access`]: which rows are read at all;
//! 2. [`predicates`]: in which order conditions are tested;
//! 3. [`keys`]: which keys rows are grouped by, and which ones follow from these;
//! 4. [`accumulators`]: which values are worked out once for several aggregates;
//! 5. [`group_index`]: how the group of a row is found. Where groups are many this waits until the rows that pass are counted.

pub(crate) mod access;
pub(crate) mod accumulators;
pub(crate) mod group_index;
pub(crate) mod keys;
pub(crate) mod pass;
pub(crate) mod predicates;
