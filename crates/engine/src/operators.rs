//! What a query does with rows: scan, group, aggregate, fold, window, sort, top k.

pub(crate) mod aggregate;
pub(crate) mod cells;
pub(crate) mod clustered_groups;
pub(crate) mod date_ranges;
pub(crate) mod evaluator;
pub(crate) mod frame;
pub(crate) mod group_index;
pub(crate) mod groupings;
pub(crate) mod key_encoding;
pub(crate) mod list;
pub(crate) mod members;
pub(crate) mod scan;
pub(crate) mod top_k;
