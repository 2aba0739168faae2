//! The query profile: what is done for an answer, step by step.

use crate::physical::pass::PhysicalPass;
use vembra_plan::{NodeId, TableId};

/// Receives each step that is taken for an answer. Steps nest: what is looked up for a pass is evaluated within it.
pub trait Profiler: std::fmt::Debug + Send + Sync {
    /// A step begins.
    fn begins(&self);
    /// The step that began last has ended.
    fn ends(&self, step: Step);
}

/// Something that is done for an answer.
#[derive(Clone, Debug, PartialEq)]
pub enum Step {
    /// The rows of a table are read.
    Pass(Box<Pass>),
    /// The members of a key are found over the rows of a table.
    Members(TableId),
    /// Groups of a pass are folded to coarser ones: how many there were, and how many there are.
    Fold(usize, usize),
    /// A figure is worked out for this many cells, from passes or from other figures.
    Figure(NodeId, usize),
    /// The lines of a level are found, this many.
    Frame(usize),
    /// Lines are sorted and named, this many.
    Lines(usize),
    /// The rows of a list are chosen and read, this many.
    Rows(usize),
    /// Marks and notes for the figures of this many lines.
    Marks(usize),
    /// A server is asked; how many rows come back for each statement.
    Asked(Vec<usize>),
}

/// One pass over the rows of a table.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Pass {
    /// How the pass was made, and why in this way.
    pub plan: PhysicalPass,
    /// How many rows were looked at.
    pub read: usize,
    /// How many groups were found.
    pub groups: usize,
}

/// Does something and reports it as a step, if there is a watch; `step` says what it was once it is done.
pub(crate) fn profiled<T, E>(
    watch: Option<&dyn Profiler>,
    work: impl FnOnce() -> Result<T, E>,
    step: impl FnOnce(&T) -> Step,
) -> Result<T, E> {
    let Some(watch) = watch else { return work() };
    watch.begins();
    let done = work()?;
    watch.ends(step(&done));
    Ok(done)
}
