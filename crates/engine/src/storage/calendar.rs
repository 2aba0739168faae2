//! The calendar's own table: one row a day, one column a period.

use crate::storage::column::Column;
use crate::storage::narrow::day_after;
use vembra_plan::civil::period_of;
use vembra_plan::{Period, Type};

/// The column of a calendar that starts on day `first` and has `rows` days.
pub(crate) fn column(ty: Type, first: i32, rows: usize, fiscal_start: u8) -> Column {
    let days = (0..rows).map(|at| day_after(first, at));
    let physicals = match ty {
        Type::Period(period) => days.map(|day| physical(period, day, fiscal_start)).collect(),
        _ => days.map(i64::from).collect(),
    };
    Column::from_physicals(ty, physicals, None)
}

fn physical(period: Period, day: i32, fiscal_start: u8) -> i64 {
    period_of(period, day, i32::from(fiscal_start)).map_or(0, i64::from)
}
