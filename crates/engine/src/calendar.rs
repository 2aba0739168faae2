//! The calendar's own table: one row a day, one column a period.

use crate::column::Column;
use crate::narrow::day_after;
use vembra_plan::civil::period_of;
use vembra_plan::{Period, Type};

/// The column of a calendar that starts on day `first` and has `rows` days.
pub(crate) fn column(ty: Type, first: i32, rows: usize, fiscal_start: u8) -> Column {
    let days = (0..rows).map(|at| day_after(first, at));
    let lanes = match ty {
        Type::Period(period) => days.map(|day| lane(period, day, fiscal_start)).collect(),
        _ => days.map(i64::from).collect(),
    };
    Column::from_lanes(ty, lanes, None)
}

fn lane(period: Period, day: i32, fiscal_start: u8) -> i64 {
    period_of(period, day, i32::from(fiscal_start)).map_or(0, i64::from)
}
