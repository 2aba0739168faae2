//! Links as row numbers: per row the row that it reaches. Behind the last row of the target come a number
//! for rows without a key and one for keys that no row has.

use crate::error::EngineError;
use crate::index::IndexArray;
use crate::star::Star;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use vembra_plan::civil::MICROS_PER_DAY;
use vembra_plan::{ColumnId, LinkId, TableKind, Type};

/// For one component of a key: the code of each row, among the members of the target's column.
struct Component {
    /// `u32::MAX` is null, `u32::MAX - 1` a value that the target does not have.
    source: Vec<u32>,
    /// `u32::MAX` is null.
    target: Vec<u32>,
}

const NONE: u32 = u32::MAX;
const UNKNOWN: u32 = u32::MAX - 1;

pub(crate) fn resolve(star: &Star, link: LinkId) -> Result<IndexArray, EngineError> {
    let def = star.schema().link(link);
    let target = star.schema().link_target(link);
    let rows = star.rows(target);
    let numbers = match (&star.schema().table(target).kind, def.coarse) {
        (TableKind::Calendar { .. }, false) => by_day(star, def.from[0], target, rows)?,
        _ => by_key(star, &def.from, &def.to, rows)?,
    };
    Ok(IndexArray::new(numbers, rows + 2))
}

/// A calendar has a row a day without gaps.
fn by_day(
    star: &Star,
    from: ColumnId,
    calendar: vembra_plan::TableId,
    rows: usize,
) -> Result<Vec<u32>, EngineError> {
    let column = star.column(from)?;
    let first = i128::from(star.calendar_start(calendar));
    let per_day = if column.ty() == Type::Moment { i128::from(MICROS_PER_DAY) } else { 1 };
    let day = |row| column.lane(row).div_euclid(per_day) - first;
    Ok((0..column.len())
        .map(|row| match column.is_valid(row).then(|| day(row)) {
            None => rows as u32,
            Some(day) if (0..rows as i128).contains(&day) => day as u32,
            Some(_) => rows as u32 + 1,
        })
        .collect())
}

fn by_key(star: &Star, from: &[ColumnId], to: &[ColumnId], rows: usize) -> Result<Vec<u32>, EngineError> {
    let parts: Result<Vec<Component>, EngineError> =
        from.iter().zip(to).map(|(f, t)| component(star, *f, *t)).collect();
    let parts = parts?;
    let place = |at: Option<&u32>, null: bool| match (null, at) {
        (true, _) => rows as u32,
        (false, Some(row)) => *row,
        (false, None) => rows as u32 + 1,
    };
    if let [part] = parts.as_slice() {
        let mut first: Vec<u32> = Vec::new();
        for (row, code) in part.target.iter().enumerate().filter(|(_, code)| **code != NONE) {
            let at = *code as usize;
            if at >= first.len() {
                first.resize(at + 1, NONE);
            }
            first[at] = first[at].min(row as u32);
        }
        let reach = |code: u32| place(first.get(code as usize).filter(|r| **r != NONE), code == NONE);
        return Ok(part.source.iter().map(|code| reach(*code)).collect());
    }
    let mut first: HashMap<Vec<u32>, u32, FixedState> = HashMap::default();
    for row in 0..rows {
        let key: Vec<u32> = parts.iter().map(|p| p.target[row]).collect();
        if !key.contains(&NONE) {
            first.entry(key).or_insert(row as u32);
        }
    }
    let source_rows = parts.first().map_or(0, |p| p.source.len());
    Ok((0..source_rows)
        .map(|row| {
            let key: Vec<u32> = parts.iter().map(|p| p.source[row]).collect();
            place(first.get(&key), key.contains(&NONE))
        })
        .collect())
}

fn component(star: &Star, from: ColumnId, to: ColumnId) -> Result<Component, EngineError> {
    let (source, target) = (star.column_key(from)?, star.column_key(to)?);
    let mut map: Vec<u32> =
        source.members.values.iter().map(|v| target.members.find(v).unwrap_or(UNKNOWN)).collect();
    map.extend([NONE, UNKNOWN]);
    let none = target.members.none();
    let or_none = |code: u32| if code == none { NONE } else { code };
    Ok(Component {
        source: (0..source.numbers.len()).map(|row| map[source.code(row) as usize]).collect(),
        target: (0..target.numbers.len()).map(|row| or_none(target.code(row))).collect(),
    })
}
