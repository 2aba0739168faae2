//! Which rows of a block pass conditions.

use super::mask;
use crate::error::EngineError;
use crate::execution::options::Options;
use crate::expression::eval::Prepared;
use crate::expression::selection_vector::selection_vector;
use crate::expression::vector::{Values, Vector};
use crate::storage::narrow::narrow;
use crate::storage::row_id::{RowId, Rows};
use std::ops::Range;

/// A subset of a block: the rows, and their groups if there are several.
pub(super) struct Selected {
    pub(super) rows: Vec<RowId>,
    pub(super) groups: Vec<u32>,
}

/// The rows for which all conditions hold; `None` if all rows pass.
pub(crate) fn choose(conditions: &[Prepared], rows: Rows<'_>) -> Result<Option<Vec<RowId>>, EngineError> {
    let kept = positions_of(conditions, rows)?;
    Ok(kept.map(|kept| rows.ids_at(&kept)))
}

/// The rows of a range for which all conditions hold, found block by block.
pub(crate) fn chosen(
    conditions: &[Prepared],
    range: Range<usize>,
    options: &Options,
) -> Result<Vec<RowId>, EngineError> {
    let mut all = Vec::new();
    for start in range.clone().step_by(options.block) {
        options.stop.check()?;
        let length = options.block.min(range.end - start);
        match choose(conditions, Rows::Range(start, length))? {
            Some(list) => all.extend(list),
            None => all.extend(RowId::range(start..start + length)),
        }
    }
    Ok(all)
}

/// The rows of a block, with their groups, for which all conditions hold; `None` if all rows pass.
pub(super) fn select(
    conditions: &[Prepared],
    rows: Rows<'_>,
    groups: &[u32],
) -> Result<Option<Selected>, EngineError> {
    let kept = positions_of(conditions, rows)?;
    Ok(kept.map(|kept| Selected {
        rows: rows.ids_at(&kept),
        groups: if groups.is_empty() {
            Vec::new()
        } else {
            kept.iter().map(|at| groups[*at as usize]).collect()
        },
    }))
}

/// The positions among some rows where all conditions hold; `None` if that is so everywhere.
fn positions_of(conditions: &[Prepared], rows: Rows<'_>) -> Result<Option<Vec<u32>>, EngineError> {
    let (mut kept, mut asked) = match mask::of_first(conditions, rows) {
        Some((holds, asked)) => (Some(selection_vector(&holds, None, 0)), asked),
        None => (None, 0),
    };
    kept = kept.filter(|kept| kept.len() < rows.len());
    while let Some(condition) = conditions.get(asked) {
        asked += 1;
        let listed = kept.as_ref().map(|kept| rows.ids_at(kept));
        let current = listed.as_ref().map_or(rows, |list| Rows::List(list));
        let left = positions(&condition.eval(current)?, current.len());
        if left.len() < current.len() {
            kept = Some(match kept {
                Some(kept) => left.into_iter().map(|at| kept[at as usize]).collect(),
                None => left,
            });
        }
    }
    Ok(kept)
}

/// Where a condition holds.
fn positions(holds: &Vector, rows: usize) -> Vec<u32> {
    let Values::Bool(bools) = &holds.values else { return Vec::new() };
    if holds.constant {
        return if holds.is_true(0) { (0..narrow(rows)).collect() } else { Vec::new() };
    }
    selection_vector(bools, holds.valid.as_deref(), 0)
}
