//! The days of all combinations of members of a calendar, for engines that have no calendar of their own.

use super::{Evaluator, slices};
use crate::error::EngineError;
use crate::execution::options::Options;
use crate::storage::star::Star;
use std::rc::Rc;
use vembra_plan::{DateStep, Graph, KeyId, RowExpr, Scalar, TableId};

/// The members of a combination, none where it has no day, and its days as date ranges from a day to a day.
type MemberDays = (Vec<Option<Scalar>>, Vec<(i32, i32)>);

/// Days by members of attributes of a calendar.
#[derive(Clone, Debug, PartialEq)]
pub struct DaysByMembers {
    /// The keys that members stand on.
    pub keys: Vec<KeyId>,
    /// Per combination its members and its days. A combination is missing where a date range gives no days to speak of.
    pub days: Vec<MemberDays>,
}

/// More combinations of members are not reported.
const MOST_COMBINATIONS: usize = 50_000;

/// The days that steps lead to for each combination of members of the calendar on those keys of the steps on which cells stand. A
/// combination with a member that no day has is reported once, without members.
///
/// # Errors
/// When a column of the calendar cannot be worked out.
pub fn days_of_members(
    star: &Star,
    graph: &Graph,
    (calendar, steps): (TableId, &[DateStep]),
    standing: &[KeyId],
    last_data: Option<i32>,
) -> Result<DaysByMembers, EngineError> {
    let options = Options::default();
    let evaluator = Evaluator::new(star, graph, &options, &[]);
    let parts = between_date_ranges(steps, standing);
    let ids: Vec<KeyId> = parts.iter().flatten().map(|(key, _)| *key).collect();
    let cells = if ids.is_empty() {
        evaluator.cells(Vec::new(), Vec::new())
    } else {
        let rows = star.rows(calendar);
        let mut all: Vec<Vec<u32>> = Vec::new();
        for part in &parts {
            let own = combinations(&evaluator, calendar, rows, part)?;
            all = crossed(all, own)?;
        }
        evaluator.cells(ids.clone(), all)
    };
    let found = evaluator.days_of(calendar, steps, &cells, last_data)?;
    let mut days = Vec::new();
    for (cell, own) in found.into_iter().enumerate() {
        let Some(own) = own else { continue };
        let mut members = Vec::with_capacity(ids.len());
        for (id, codes) in ids.iter().zip(&cells.codes) {
            members.push(evaluator.members(*id)?.values.get(codes[cell] as usize).cloned());
        }
        days.push((members, own.0));
    }
    Ok(DaysByMembers { keys: ids, days })
}

/// The attributes on which cells stand, by the date ranges that lie between them: within a part members come together on a day, those of two
/// parts need not, since a date range has led from the one to other days.
fn between_date_ranges<'s>(steps: &'s [DateStep], standing: &[KeyId]) -> Vec<Vec<(KeyId, &'s RowExpr)>> {
    let mut parts: Vec<Vec<(KeyId, &RowExpr)>> = vec![Vec::new()];
    for step in steps {
        match step {
            DateStep::Position(keys) => {
                for (key, expr) in keys {
                    let known = parts.iter().flatten().any(|(known, _)| known == key);
                    if standing.contains(key) && !known {
                        parts.last_mut().into_iter().for_each(|part| part.push((*key, expr)));
                    }
                }
            }
            DateStep::DateRange(_) => parts.push(Vec::new()),
            DateStep::Where(_) => {}
        }
    }
    parts.retain(|part| !part.is_empty());
    parts
}

/// The combinations of members that some day has, and that of none; a column of codes an attribute.
fn combinations(
    evaluator: &Evaluator<'_>,
    calendar: TableId,
    rows: usize,
    part: &[(KeyId, &RowExpr)],
) -> Result<Vec<Vec<u32>>, EngineError> {
    let ids: Vec<KeyId> = part.iter().map(|(key, _)| *key).collect();
    let mut columns = Vec::new();
    for (id, expr) in part {
        let key = evaluator.key(*id, calendar, expr)?;
        let mut codes: Vec<u32> = (0..rows).map(|row| key.code(row)).collect();
        codes.push(key.members.none());
        columns.push(Rc::new(codes));
    }
    let mut group_index = evaluator.group_index(&ids, rows + 1)?;
    let numbered = group_index.number_all(&slices(&columns), rows + 1);
    Ok(columns.iter().map(|codes| numbered.pick(codes)).collect())
}

/// Each combination of the one with each of the other.
fn crossed(one: Vec<Vec<u32>>, other: Vec<Vec<u32>>) -> Result<Vec<Vec<u32>>, EngineError> {
    let Some(first) = one.first().map(Vec::len) else { return Ok(other) };
    let second = other.first().map_or(0, Vec::len);
    if first.saturating_mul(second) > MOST_COMBINATIONS {
        return Err(EngineError::TooManyLines((first as u128) * (second as u128)));
    }
    let each =
        one.iter().map(|codes| codes.iter().flat_map(|code| std::iter::repeat_n(*code, second)).collect());
    let all = other.iter().map(|codes| codes.iter().copied().cycle().take(first * second).collect());
    Ok(each.chain(all).collect())
}
