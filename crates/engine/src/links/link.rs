//! Links as row numbers: per row the row that it reaches. Behind the last row of the target come a number
//! for rows without a key and one for keys that no row has.

use crate::operators::members::Key;
use crate::storage::column::Column;
use crate::storage::narrow::{fit, narrow};
use crate::storage::small_ints::SmallInts;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use vembra_plan::Type;
use vembra_plan::civil::MICROS_PER_DAY;

/// For one component of a key: the code of each row, among the members of the target's column.
struct Component {
    /// `u32::MAX` is null, `u32::MAX - 1` a value that the target does not have.
    source: Vec<u32>,
    /// `u32::MAX` is null.
    target: Vec<u32>,
}

const NONE: u32 = u32::MAX;
const UNKNOWN: u32 = u32::MAX - 1;

/// The row of a calendar that starts on a day, and has a number of rows without gaps, for each row of a column with dates.
pub(crate) fn by_day(column: &Column, first: i32, rows: usize) -> SmallInts {
    let day = |physical: i128| {
        if column.ty() == Type::Moment { physical.div_euclid(MICROS_PER_DAY.into()) } else { physical }
    };
    let reached = |row| match column.is_valid(row).then(|| day(column.physical(row)) - i128::from(first)) {
        None => narrow(rows),
        Some(day) if (0..rows as i128).contains(&day) => narrow(day),
        Some(_) => narrow(rows) + 1,
    };
    let numbers = (0..column.len()).map(reached);
    SmallInts::new(numbers.collect(), rows + 2)
}

/// The first of `rows` rows whose key is that of a row, for each row; `keys` gives of each column of the key where it starts and
/// where it leads.
pub(crate) fn by_key(keys: &[(Key, Key)], rows: usize) -> SmallInts {
    SmallInts::new(first_rows(keys, rows), rows + 2)
}

/// The days of a link that meets the latest row that is not later.
pub(crate) struct Spans<'a> {
    /// Of each row of the source its day.
    pub(crate) day: &'a Column,
    /// Of each row of the target the day from which on it holds.
    pub(crate) since: &'a Column,
    /// Of each row of the target the first day on which it does not hold any more; without a value it holds for good.
    pub(crate) until: Option<&'a Column>,
}

/// The row that holds on the day of each row, of those with its key: the latest one that is not later. Rows of both sides are put in the
/// order of key and day by counting, and then merged.
pub(crate) fn by_span(keys: &[(Key, Key)], spans: &Spans<'_>, rows: usize) -> SmallInts {
    let source_rows = spans.day.len();
    let (source, target) = groups(keys, source_rows, rows);
    let days =
        |column: &Column| -> Vec<Option<i64>> { (0..column.len()).map(|row| day(column, row)).collect() };
    let (on, since) = (days(spans.day), days(spans.since));
    let mut open: Vec<u32> = (0..narrow(rows)).collect();
    open.retain(|row| target[*row as usize] != NONE && since[*row as usize].is_some());
    open.sort_by_key(|row| (target[*row as usize], since[*row as usize], std::cmp::Reverse(*row)));
    let (mut numbers, mut asked) = (vec![narrow(rows) + 1; source_rows], Vec::with_capacity(source_rows));
    for row in 0..source_rows {
        match (source[row], on[row]) {
            (NONE, _) | (_, None) => numbers[row] = narrow(rows),
            (UNKNOWN, _) => {}
            _ => asked.push(narrow(row)),
        }
    }
    by_counting(&mut asked, |row| on[row as usize].unwrap_or_default());
    by_counting(&mut asked, |row| source[row as usize].into());
    let mut at = 0;
    for row in asked {
        let (group, on) = (source[row as usize], on[row as usize]);
        let is_before = |other: &u32| (target[*other as usize], since[*other as usize]) <= (group, on);
        while open.get(at).is_some_and(is_before) {
            at += 1;
        }
        let Some(latest) = at.checked_sub(1).map(|last| open[last]).filter(|l| target[*l as usize] == group)
        else {
            continue;
        };
        let end = spans.until.and_then(|until| day(until, latest as usize));
        if end.is_none_or(|end| on < Some(end)) {
            numbers[row as usize] = latest;
        }
    }
    SmallInts::new(numbers, rows + 2)
}

/// The day of a date or moment.
fn day(column: &Column, row: usize) -> Option<i64> {
    let physical = column.is_valid(row).then(|| column.physical(row))?;
    let day = if column.ty() == Type::Moment { physical.div_euclid(MICROS_PER_DAY.into()) } else { physical };
    i64::try_from(day).ok()
}

/// Of each row the number of its key: `NONE` where a part is missing, `UNKNOWN` where the target does not have it.
fn groups(keys: &[(Key, Key)], source_rows: usize, rows: usize) -> (Vec<u32>, Vec<u32>) {
    let parts: Vec<Component> = keys.iter().map(|(from, to)| component(from, to)).collect();
    match parts.as_slice() {
        [] => (vec![0; source_rows], vec![0; rows]),
        [only] => (only.source.clone(), only.target.clone()),
        _ => {
            let mut numbers: HashMap<Vec<u32>, u32, FixedState> = HashMap::default();
            let key = |side: &dyn Fn(&Component) -> u32| parts.iter().map(side).collect::<Vec<u32>>();
            let mut target = Vec::with_capacity(rows);
            for row in 0..rows {
                let own = key(&|part| part.target[row]);
                let next = narrow(numbers.len());
                target.push(if own.contains(&NONE) { NONE } else { *numbers.entry(own).or_insert(next) });
            }
            let found = |row: usize| {
                let own = key(&|part| part.source[row]);
                if own.contains(&NONE) { NONE } else { numbers.get(&own).copied().unwrap_or(UNKNOWN) }
            };
            ((0..source_rows).map(found).collect(), target)
        }
    }
}

/// The most different places that are counted at once.
const MOST_COUNTED: i64 = 1 << 24;

/// Puts rows in the order of a number, those with the same one as they stand.
fn by_counting(rows: &mut Vec<u32>, number: impl Fn(u32) -> i64) {
    let numbers = rows.iter().map(|row| number(*row));
    let Some((low, high)) = numbers.map(|n| (n, n)).reduce(|(a, b), (c, d)| (a.min(c), b.max(d))) else {
        return;
    };
    if high - low >= MOST_COUNTED {
        rows.sort_by_key(|row| number(*row));
        return;
    }
    let mut starts = vec![0_u32; fit::<_, usize>(high - low) + 2];
    rows.iter().for_each(|row| starts[fit::<_, usize>(number(*row) - low) + 1] += 1);
    for at in 1..starts.len() {
        starts[at] += starts[at - 1];
    }
    let mut ordered = vec![0; rows.len()];
    for row in rows.iter() {
        let place = &mut starts[fit::<_, usize>(number(*row) - low)];
        ordered[*place as usize] = *row;
        *place += 1;
    }
    *rows = ordered;
}

fn first_rows(keys: &[(Key, Key)], rows: usize) -> Vec<u32> {
    let parts: Vec<Component> = keys.iter().map(|(from, to)| component(from, to)).collect();
    let place = |at: Option<&u32>, null: bool| match (null, at) {
        (true, _) => narrow(rows),
        (false, Some(row)) => *row,
        (false, None) => narrow(rows) + 1,
    };
    if let [part] = parts.as_slice() {
        let mut first: Vec<u32> = Vec::new();
        for (row, code) in part.target.iter().enumerate().filter(|(_, code)| **code != NONE) {
            let at = *code as usize;
            if at >= first.len() {
                first.resize(at + 1, NONE);
            }
            first[at] = first[at].min(narrow(row));
        }
        let reach = |code: u32| place(first.get(code as usize).filter(|r| **r != NONE), code == NONE);
        return part.source.iter().map(|code| reach(*code)).collect();
    }
    let mut first: HashMap<Vec<u32>, u32, FixedState> = HashMap::default();
    for row in 0..rows {
        let key: Vec<u32> = parts.iter().map(|p| p.target[row]).collect();
        if !key.contains(&NONE) {
            first.entry(key).or_insert(narrow(row));
        }
    }
    let source_rows = parts.first().map_or(0, |p| p.source.len());
    let reach = |row: usize| {
        let key: Vec<u32> = parts.iter().map(|p| p.source[row]).collect();
        place(first.get(&key), key.contains(&NONE))
    };
    (0..source_rows).map(reach).collect()
}

fn component(source: &Key, target: &Key) -> Component {
    let mut map: Vec<u32> =
        source.members.values.iter().map(|v| target.members.find(v).unwrap_or(UNKNOWN)).collect();
    map.extend([NONE, UNKNOWN]);
    let none = target.members.none();
    let or_none = |code: u32| if code == none { NONE } else { code };
    Component {
        source: (0..source.numbers.len()).map(|row| map[source.code(row) as usize]).collect(),
        target: (0..target.numbers.len()).map(|row| or_none(target.code(row))).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::{Spans, by_day, by_key, by_span};
    use crate::expression::vector::Vector;
    use crate::operators::members::{Key, column_key};
    use crate::storage::column::Column;
    use vembra_plan::{Scalar, Type};

    fn column(ty: Type, values: &[Option<i64>]) -> Column {
        let scalar = |v: &Option<i64>| match (v, ty) {
            (None, _) => Scalar::Null,
            (Some(v), Type::Text) => Scalar::text(v.to_string()),
            (Some(v), _) => Scalar::from_physical(ty, i128::from(*v)),
        };
        let scalars: Vec<Scalar> = values.iter().map(scalar).collect();
        Column::from_vector(ty, Vector::from_scalars(&scalars, ty), scalars.len())
    }

    fn key(ty: Type, values: &[Option<i64>]) -> Key {
        column_key(&column(ty, values))
    }

    fn numbers(found: &crate::storage::small_ints::SmallInts) -> Vec<usize> {
        (0..found.len()).map(|row| found.get(row)).collect()
    }

    #[test]
    fn a_day_is_its_distance_from_the_first() {
        let found = by_day(&column(Type::Date, &[Some(10), None, Some(12), Some(13), Some(9)]), 10, 3);
        assert_eq!(numbers(&found), [0, 3, 2, 4, 4], "none is 3, a day outside is 4");
        let noon = 12 * 3_600_000_000;
        let day = 24 * 3_600_000_000_i64;
        let found = by_day(&column(Type::Moment, &[Some(10 * day + noon), Some(10 * day - 1)]), 10, 3);
        assert_eq!(numbers(&found), [0, 4], "a moment is on its day");
    }

    #[test]
    fn a_key_leads_to_the_first_row_that_has_it() {
        for ty in [Type::Integer, Type::Text] {
            let (from, to) = (
                key(ty, &[Some(7), Some(5), None, Some(6), Some(5)]),
                key(ty, &[Some(5), Some(7), Some(5), None]),
            );
            assert_eq!(numbers(&by_key(&[(from, to)], 4)), [1, 0, 4, 5, 0]);
        }
    }

    fn spans(
        keys: &[(Key, Key)],
        day: &[Option<i64>],
        since: &[Option<i64>],
        until: &[Option<i64>],
    ) -> Vec<usize> {
        let (day, since) = (column(Type::Date, day), column(Type::Date, since));
        let until = column(Type::Date, until);
        let spans = Spans { day: &day, since: &since, until: Some(&until) };
        numbers(&by_span(keys, &spans, since.len()))
    }

    #[test]
    fn a_day_leads_to_the_latest_row_that_still_holds() {
        let target = [Some(1), Some(1), Some(2), Some(1), None];
        let (since, until) =
            ([Some(10), Some(30), Some(10), Some(20), Some(10)], [Some(15), None, Some(12), None, None]);
        let cases = [
            (1, 9, 6),
            (1, 10, 0),
            (1, 14, 0),
            (1, 15, 6),
            (1, 19, 6),
            (1, 20, 3),
            (1, 29, 3),
            (1, 30, 1),
            (1, 9_999, 1),
            (2, 11, 2),
            (2, 12, 6),
            (7, 11, 6),
        ];
        let source: Vec<Option<i64>> = cases.iter().map(|(key, _, _)| Some(*key)).collect();
        let days: Vec<Option<i64>> = cases.iter().map(|(_, day, _)| Some(*day)).collect();
        let wanted: Vec<usize> = cases.iter().map(|(_, _, row)| *row).collect();
        let keys = || [(key(Type::Integer, &source), key(Type::Integer, &target))];
        assert_eq!(spans(&keys(), &days, &since, &until), wanted, "5 is none, 6 is unknown");
        // In whatever order the rows stand.
        let mut order: Vec<usize> = (0..cases.len()).collect();
        order.sort_by_key(|at| at * 7 % cases.len());
        let source: Vec<Option<i64>> = order.iter().map(|at| source[*at]).collect();
        let days: Vec<Option<i64>> = order.iter().map(|at| days[*at]).collect();
        let wanted: Vec<usize> = order.iter().map(|at| wanted[*at]).collect();
        let keys = [(key(Type::Integer, &source), key(Type::Integer, &target))];
        assert_eq!(spans(&keys, &days, &since, &until), wanted);
    }

    #[test]
    fn a_day_or_a_key_that_is_missing_leads_nowhere() {
        let keys = [(key(Type::Integer, &[Some(1), None, Some(1)]), key(Type::Integer, &[Some(1), Some(1)]))];
        let found = spans(&keys, &[None, Some(5), Some(5)], &[Some(1), None], &[None, None]);
        assert_eq!(found, [2, 2, 0], "a row without a first day is never met");
        assert_eq!(
            spans(&[], &[Some(5), Some(0)], &[Some(3), Some(1)], &[None, Some(2)]),
            [0, 3],
            "days alone are a key"
        );
    }

    #[test]
    fn a_key_of_two_columns_must_have_both() {
        let from = [
            key(Type::Integer, &[Some(1), Some(1), Some(2), None, Some(9)]),
            key(Type::Text, &[Some(1), Some(2), Some(1), Some(1), Some(1)]),
        ];
        let to = [
            key(Type::Integer, &[Some(1), Some(2), Some(1), None]),
            key(Type::Text, &[Some(2), Some(1), Some(2), Some(1)]),
        ];
        let keys: Vec<(Key, Key)> = from.into_iter().zip(to).collect();
        assert_eq!(numbers(&by_key(&keys, 4)), [5, 0, 1, 4, 5], "4 is none, 5 is unknown");
    }
}
