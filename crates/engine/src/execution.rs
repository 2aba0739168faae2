//! How a plan is run: options, threads, memory, stopping, caches, and the profile of what was done.

pub(crate) mod budget;
pub(crate) mod lru_cache;
pub(crate) mod options;
pub(crate) mod parallel;
pub(crate) mod profile;
pub(crate) mod result_cache;
pub(crate) mod run;
pub(crate) mod stop;
pub(crate) mod threads;
