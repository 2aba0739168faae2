//! Links between tables as row ids: one way, the other way, and what is copied along them.

pub(crate) mod denormalised;
pub(crate) mod link;
pub(crate) mod reverse_index;
pub(crate) mod visible_rows;
