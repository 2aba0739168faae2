//! Scans over other date ranges of the calendar than the cell's own.

use super::groups::{joined, shared};
use super::{Evaluator, picked, slices};
use crate::error::EngineError;
use crate::expression::prepare::{Scope, key};
use crate::operators::aggregate::{NO_GROUP, regrouped};
use crate::operators::cells::{Cells, Codes};
use crate::operators::date_ranges::{DayBuckets, Days};
use crate::operators::groupings::Groupings;
use crate::operators::members::Key;
use crate::storage::narrow::narrow;
use std::rc::Rc;
use vembra_plan::{ColumnRef, During, Expr, KeyId, Scan, TableId, TableKind, Type};

impl Evaluator<'_> {
    /// Rows grouped by date ranges, put together for the days of each cell: a row may serve several.
    pub(super) fn taking_days(
        &self,
        plan: &Scan,
        during: &During,
        position: &[KeyId],
        given: &Rc<Cells>,
        scope: &Scope,
    ) -> Result<Groupings, EngineError> {
        let date_ranges = self.date_ranges(during, given)?;
        let buckets = DayBuckets::of(date_ranges.iter().flatten());
        let first = self.star.calendar_start(during.calendar);
        let days = buckets.key(self.day_key(plan, during)?, first, self.star.rows(during.calendar));
        let base = self.rows_at(plan, position, &[&days], scope)?;
        let Some((bucket_of, codes)) = base.codes.split_last() else {
            return Err(EngineError::Internal("a pass without its days".to_owned()));
        };
        let mut parts = Vec::with_capacity(given.len);
        for (cell, days) in date_ranges.iter().enumerate() {
            let Some(days) = days else { continue };
            let inside = buckets.within(days);
            let kept: Vec<u32> =
                (0..narrow(base.groups)).filter(|g| inside[bucket_of[*g as usize] as usize]).collect();
            let of_kept =
                |codes: &Vec<u32>| Rc::new(kept.iter().map(|g| codes[*g as usize]).collect::<Vec<u32>>());
            let columns: Vec<Codes> = codes.iter().map(of_kept).collect();
            let mut group_index = self.group_index(position, kept.len())?;
            let numbered = group_index.number_all(&slices(&columns), kept.len());
            let mut map = vec![NO_GROUP; base.groups];
            kept.iter().zip(&numbered.of).for_each(|(group, number)| map[*group as usize] = *number);
            let groups = group_index.len();
            let accumulators = regrouped(&base.accumulators, &map, groups)?;
            let of_cell =
                Groupings::new(position.to_vec(), picked(&numbered, &columns), groups, accumulators);
            let one = self.cells(given.keys.clone(), given.codes.iter().map(|c| vec![c[cell]]).collect());
            parts.push(self.with_given(&of_cell, &one));
        }
        if parts.is_empty() {
            let keys: Vec<KeyId> = position.iter().chain(&given.keys).copied().collect();
            let codes = shared(vec![Vec::new(); keys.len()]);
            let accumulators = regrouped(&base.accumulators, &vec![NO_GROUP; base.groups], 0)?;
            return Ok(Groupings::new(keys, codes, 0, accumulators));
        }
        joined(parts, position, given)
    }

    /// The days of each cell on given keys; `None` where the cell stays empty.
    fn date_ranges(&self, during: &During, given: &Rc<Cells>) -> Result<Vec<Option<Days>>, EngineError> {
        let last_data = self.last_data(during)?;
        self.days_of(during.calendar, &during.steps, given, last_data)
    }

    /// For scans over other days: which cells have none.
    pub(super) fn without_date_range(
        &self,
        plan: &Scan,
        given: &Rc<Cells>,
        cells: &Rc<Cells>,
    ) -> Result<Option<Vec<bool>>, EngineError> {
        let Some(during) = &plan.during else { return Ok(None) };
        let date_ranges = self.date_ranges(during, given)?;
        let (_, map) = self.project(cells, &given.keys)?;
        Ok(Some(map.iter().map(|at| date_ranges[*at as usize].is_none()).collect()))
    }

    /// Per row of a scan the row of the calendar.
    fn day_key(&self, plan: &Scan, during: &During) -> Result<Key, EngineError> {
        let schema = self.star.schema();
        let date = schema
            .table(during.calendar)
            .columns
            .iter()
            .copied()
            .find(|c| schema.column(*c).ty == Type::Date);
        let Some(column) = date else {
            return Err(EngineError::Internal("a calendar without days".to_owned()));
        };
        let leaf = ColumnRef { path: during.path.clone(), column, ty: Type::Date };
        key(self.star, plan.table, &Expr::Leaf(leaf))
    }

    /// The last day of the calendar on which any row stands.
    fn last_data(&self, during: &During) -> Result<Option<i32>, EngineError> {
        let mut last = None;
        for way in during.ways() {
            last = last.max(self.last_day_by(&way)?);
        }
        Ok(last)
    }

    /// The same by its own way only.
    fn last_day_by(&self, during: &During) -> Result<Option<i32>, EngineError> {
        let Some(first_link) = during.path.first() else { return Ok(None) };
        let table = self.star.schema().link_source(*first_link);
        let calendar_days = narrow(self.star.rows(during.calendar));
        let days = self.day_key(&Scan::over(table), during)?;
        let used = self.star.rows_reached(*first_link)?;
        let entries = days.entries();
        let last = (0..used.len())
            .filter(|at| used[*at] && entries[*at] < calendar_days)
            .map(|at| entries[at])
            .max();
        let Some(last) = last else { return Ok(None) };
        Ok(Some(self.star.last_of_coarse(during, self.star.calendar_start(during.calendar) + last as i32)))
    }

    pub(super) fn fiscal_start(&self, calendar: TableId) -> i32 {
        match &self.star.schema().table(calendar).kind {
            TableKind::Calendar { fiscal_start, .. } => i32::from(*fiscal_start),
            _ => 1,
        }
    }
}
