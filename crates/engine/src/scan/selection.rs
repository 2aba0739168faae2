//! Which rows of a block pass conditions.

use crate::error::EngineError;
use crate::eval::Prepared;
use crate::vector::{Rows, Values, Vector};

/// A subset of a block: the rows, and their groups if there are several.
pub(super) struct Selected {
    pub(super) rows: Vec<u32>,
    pub(super) groups: Vec<u32>,
}

/// The rows for which all conditions hold; `None` if all rows pass.
pub(crate) fn choose(conditions: &[Prepared], rows: Rows<'_>) -> Result<Option<Vec<u32>>, EngineError> {
    let mut listed: Option<Vec<u32>> = None;
    for condition in conditions {
        let rows = listed.as_ref().map_or(rows, |list| Rows::List(list));
        let holds = condition.eval(rows)?;
        let kept = positions(&holds, rows.len());
        if kept.len() == rows.len() {
            continue;
        }
        listed = Some(match rows {
            Rows::Range(start, _) => kept.into_iter().map(|at| at + start as u32).collect(),
            Rows::List(list) => kept.into_iter().map(|at| list[at as usize]).collect(),
        });
    }
    Ok(listed)
}

/// The rows of a block, with their groups, for which all conditions hold; `None` if all rows pass.
pub(super) fn select(
    conditions: &[Prepared],
    rows: Rows<'_>,
    groups: &[u32],
) -> Result<Option<Selected>, EngineError> {
    let mut selected: Option<Selected> = None;
    for condition in conditions {
        let (current, of) = match &selected {
            Some(s) => (Rows::List(&s.rows), s.groups.as_slice()),
            None => (rows, groups),
        };
        let holds = condition.eval(current)?;
        let kept = positions(&holds, current.len());
        selected = Some(Selected {
            rows: kept.iter().map(|at| current.row(*at as usize) as u32).collect(),
            groups: if of.is_empty() { Vec::new() } else { kept.iter().map(|at| of[*at as usize]).collect() },
        });
    }
    Ok(selected)
}

/// Where a condition holds. Without a branch: which way it goes cannot be foretold.
fn positions(holds: &Vector, rows: usize) -> Vec<u32> {
    let Values::Bool(bools) = &holds.values else { return Vec::new() };
    if holds.constant {
        return if holds.is_true(0) { (0..rows as u32).collect() } else { Vec::new() };
    }
    let mut kept = vec![0; rows];
    let mut count = 0;
    let mut keep = |at: usize, holds: bool| {
        kept[count] = at as u32;
        count += usize::from(holds);
    };
    match &holds.valid {
        None => bools.iter().enumerate().for_each(|(at, holds)| keep(at, *holds)),
        Some(valid) => {
            bools.iter().zip(valid).enumerate().for_each(|(at, (holds, v))| keep(at, *holds && *v));
        }
    }
    kept.truncate(count);
    kept
}
