//! Date ranges of the calendar: what `during` takes instead of the cell's own dates.

use crate::expr::RowExpr;
use crate::ids::{ColumnId, KeyId, LinkId, TableId};
use crate::types::Period;
use serde::{Deserialize, Serialize};

/// A unit of time.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum TimeUnit {
    /// A day.
    Day,
    /// A working day of the calendar.
    WorkingDay,
    /// One of the calendar's periods that are unique over time.
    Of(Period),
}

impl TimeUnit {
    /// How many months it has, if it is made of whole months.
    pub fn months(self) -> Option<i32> {
        match self {
            Self::Of(Period::Month | Period::FiscalMonth) => Some(1),
            Self::Of(Period::Quarter | Period::FiscalQuarter) => Some(3),
            Self::Of(Period::Year | Period::FiscalYear) => Some(12),
            _ => None,
        }
    }

    /// Whether months are made of whole ones of it.
    pub fn is_shorter_than_month(self) -> bool {
        self.months().is_none()
    }
}

/// A date range, worked out from a set of days.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum DateRange {
    /// From the start of the unit to the last day, but not past the last day with data. Without a unit: from the
    /// start of the calendar.
    ToDate(Option<TimeUnit>),
    /// The whole units around the days.
    Whole(TimeUnit),
    /// The days moved back.
    Earlier {
        /// By how many.
        count: i32,
        /// Of these.
        unit: TimeUnit,
        /// Only the days up to the last one with data.
        matched: bool,
    },
    /// The unit before the one in which the first day lies.
    Previous(TimeUnit),
    /// All days before the first one.
    AllBefore,
    /// A number of units, of which the last one ends where the days end.
    Last {
        /// How many.
        count: i32,
        /// Of these.
        unit: TimeUnit,
    },
}

impl DateRange {
    /// The unit that it is measured in, if any.
    pub fn unit(self) -> Option<TimeUnit> {
        match self {
            Self::ToDate(unit) => unit,
            Self::Whole(unit)
            | Self::Previous(unit)
            | Self::Earlier { unit, .. }
            | Self::Last { unit, .. } => Some(unit),
            Self::AllBefore => None,
        }
    }
}

/// One step from all days of the calendar to those that a cell takes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum DateStep {
    /// Days where these attributes of the calendar have the cell's members.
    Position(Vec<(KeyId, RowExpr)>),
    /// Days for which these conditions hold.
    Where(Vec<RowExpr>),
    /// Another date range instead.
    DateRange(DateRange),
}

/// The days whose rows a cell takes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct During {
    /// The calendar.
    pub calendar: TableId,
    /// The links that lead to it.
    pub path: Vec<LinkId>,
    /// The attribute by which the last link reaches it, if it is coarser than a day.
    pub coarse: Option<ColumnId>,
    /// Other ways from the same rows to the calendar, with the attribute that the last link of each reaches it by: the last day on which
    /// rows stand is the latest by any of them.
    pub beside: Vec<(Vec<LinkId>, Option<ColumnId>)>,
    /// From all days to those of the cell.
    pub steps: Vec<DateStep>,
}

impl During {
    /// The keys of the cell that it depends on.
    pub fn keys(&self) -> Vec<KeyId> {
        step_keys(&self.steps)
    }

    /// The days by each way to the calendar alone, its own first.
    pub fn ways(&self) -> impl Iterator<Item = Self> + '_ {
        let alone = |path: &Vec<LinkId>, coarse: Option<ColumnId>| Self {
            calendar: self.calendar,
            path: path.clone(),
            coarse,
            beside: Vec::new(),
            steps: Vec::new(),
        };
        let beside = self.beside.iter().map(move |(path, coarse)| alone(path, *coarse));
        std::iter::once(alone(&self.path, self.coarse)).chain(beside)
    }
}

/// The keys of the cell that some steps depend on.
pub fn step_keys(steps: &[DateStep]) -> Vec<KeyId> {
    let mut keys: Vec<KeyId> = steps
        .iter()
        .flat_map(|step| match step {
            DateStep::Position(keys) => keys.iter().map(|(key, _)| *key).collect(),
            _ => Vec::new(),
        })
        .collect();
    keys.sort();
    keys.dedup();
    keys
}
