//! What is learnt from the data before rows are read: functional dependencies, run boundaries, representative rows, and faults.

pub(crate) mod data_checks;
pub(crate) mod functional_dependencies;
pub(crate) mod representative_rows;
pub(crate) mod run_boundaries;
