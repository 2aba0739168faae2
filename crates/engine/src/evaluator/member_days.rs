//! The days of all combinations of members of a calendar, for engines that have no calendar of their own.

use super::{Evaluator, slices};
use crate::error::EngineError;
use crate::options::Options;
use crate::star::Star;
use std::rc::Rc;
use vembra_plan::{DateStep, Graph, KeyId, RowExpr, Scalar, TableId};

/// The members of a combination, none where it stands under no day, and its days as stretches from a day to a day.
type MemberDays = (Vec<Option<Scalar>>, Vec<(i32, i32)>);

/// Days by members of attributes of a calendar.
#[derive(Clone, Debug, PartialEq)]
pub struct DaysByMembers {
    /// The keys that members stand on.
    pub keys: Vec<KeyId>,
    /// Per combination its members and its days. A combination is missing where a stretch gives no days to speak of.
    pub days: Vec<MemberDays>,
}

/// The days that steps lead to for each combination of members of the calendar on those keys of the steps on which cells stand. A
/// combination with a member that no day has is told once, without members.
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
    let mut attributes: Vec<(KeyId, &RowExpr)> = Vec::new();
    for step in steps {
        let DateStep::Position(keys) = step else { continue };
        for (key, expr) in keys {
            if standing.contains(key) && !attributes.iter().any(|(known, _)| known == key) {
                attributes.push((*key, expr));
            }
        }
    }
    let ids: Vec<KeyId> = attributes.iter().map(|(key, _)| *key).collect();
    let rows = star.rows(calendar);
    let mut columns = Vec::new();
    for (id, expr) in &attributes {
        let key = evaluator.key(*id, calendar, expr)?;
        let mut codes: Vec<u32> = (0..rows).map(|row| key.code(row)).collect();
        codes.push(key.members.none());
        columns.push(Rc::new(codes));
    }
    let cells = if ids.is_empty() {
        evaluator.cells(Vec::new(), Vec::new())
    } else {
        let mut numbering = evaluator.numbering(&ids, rows + 1)?;
        let numbered = numbering.number_all(&slices(&columns), rows + 1);
        evaluator.cells(ids.clone(), columns.iter().map(|codes| numbered.pick(codes)).collect())
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
