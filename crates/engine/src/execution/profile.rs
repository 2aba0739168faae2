//! Who is told what is done for an answer, step by step.

use vembra_plan::{KeyId, NodeId, Scan, TableId};

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
    /// What was read for what.
    pub scan: Scan,
    /// The keys that told rows apart.
    pub keys: Vec<KeyId>,
    /// Whether rows were grouped by the days of date ranges too.
    pub by_days: bool,
    /// Whether rows were grouped by what cells with conditions of their own ask for.
    pub by_classes: bool,
    /// How many rows the table has.
    pub rows: usize,
    /// How many of them were looked at.
    pub read: usize,
    /// Why the others need not be.
    pub left_out: LeftOut,
    /// How many groups were found.
    pub groups: usize,
    /// Whether they were remembered from an earlier query, and no row was looked at.
    pub remembered: bool,
}

/// Why a pass need not look at all rows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum LeftOut {
    /// It looks at all.
    #[default]
    Nothing,
    /// A link led to all that could count.
    NotLedTo,
    /// The others say the same again.
    SaidBefore,
    /// All groups that there can be were found before.
    AllFound,
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
