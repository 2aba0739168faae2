//! Row expressions, evaluated a block at a time: kernels, guards, and the forms of predicates.

pub(crate) mod eval;
pub(crate) mod guards;
pub(crate) mod kernels;
pub(crate) mod link_predicate;
pub(crate) mod predicate_bitmap;
pub(crate) mod prepare;
pub(crate) mod selection_vector;
pub(crate) mod vector;
