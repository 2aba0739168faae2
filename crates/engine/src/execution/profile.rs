//! Who is told what is done for an answer, step by step.

use crate::physical::pass::PhysicalPass;
use vembra_plan::{NodeId, TableId};

/// Is told of each step that is taken for an answer. Steps nest: what is looked up for a pass is worked out within it.
pub trait Watch: std::fmt::Debug + Send + Sync {
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
    /// Groups of a pass are put together to coarser ones: from so many to so many.
    Fold(usize, usize),
    /// A figure is worked out for so many cells, from passes or from other figures.
    Figure(NodeId, usize),
    /// The lines of a level are found: so many.
    Frame(usize),
    /// So many lines are put in order and named.
    Lines(usize),
    /// The rows of a list are chosen and read: so many.
    Rows(usize),
    /// Marks and notes for the figures of this many lines.
    Marks(usize),
    /// A server is asked: so many rows come back for each statement.
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

/// Does something under the eyes of a watch, if there is one; `step` says what it was once it is done.
pub(crate) fn watched<T, E>(
    watch: Option<&dyn Watch>,
    work: impl FnOnce() -> Result<T, E>,
    step: impl FnOnce(&T) -> Step,
) -> Result<T, E> {
    let Some(watch) = watch else { return work() };
    watch.begins();
    let done = work()?;
    watch.ends(step(&done));
    Ok(done)
}
