//! One pass over the rows of a table: filter, group, accumulate.
//!
//! The rows are cut into parts by their count alone; each part is read block by block, and the parts are merged
//! in order. So results, also sums of floats, do not depend on threads.

mod arrange;
mod group_finder;
mod mask;
mod selection;

pub(crate) use arrange::{Arranged, arranged, conditions_of, left_of_some, predicate_form};
pub(crate) use group_finder::RowKeys;
pub(crate) use mask::cannot_fail;
pub(crate) use selection::{choose, chosen};

use crate::error::EngineError;
use crate::execution::options::{MOST_PARTS, Options};
use crate::execution::threads::try_gather_of;
use crate::expression::eval::Prepared;
use crate::expression::vector::Vector;
use crate::operators::aggregate::{Accumulator, Block, Groups, Moved, Spec, regrouped};
use crate::physical::group_index::{self, Facts, GroupIndexForm, Grouping, Order};
use crate::storage::row_id::{RowId, Rows};
use group_finder::{ClusteredIndex, DirectIndex, FoundGroups, GroupFinder, HashIndex};
use selection::{Selected, select};
use std::ops::Range;
use vembra_plan::{AggregateFunction, Type};

/// Of more values than these the set of a group is none of bits.
const MOST_BITS: u128 = 1 << 25;
/// The bytes of a sum or a count.
const NUMBER_BYTES: u128 = 8;
/// A pass that is not made has at most this many groups.
const MOST_UNREAD: usize = 10_000;
/// After how many rows the memory that is taken is looked at.
const ROWS_BETWEEN_CHECKS: usize = 1 << 17;

/// A scan bound to columns in memory.
pub(crate) struct BoundScan<'a> {
    /// How many rows the table has.
    pub(crate) rows: usize,
    /// The only rows that may pass the filter, in their order, if they are known.
    pub(crate) listed: Option<Vec<RowId>>,
    /// No row is read once this many groups were met: there are no others.
    pub(crate) stop_at: Option<usize>,
    pub(crate) filter: Vec<Prepared>,
    pub(crate) keys: RowKeys<'a>,
    /// Different conditions of aggregates; the first one is none at all.
    pub(crate) conditions: Vec<Vec<Prepared>>,
    /// Different values, each under one of the conditions.
    pub(crate) inputs: Vec<(usize, Prepared)>,
    pub(crate) aggregates: Vec<BoundAggregate>,
    /// Per aggregate that is asked for, which of these serves it: an average keeps the sum, too.
    pub(crate) serving: Vec<usize>,
    pub(crate) options: &'a Options,
}

/// An aggregate of a scan, by the positions of what it reads.
pub(crate) struct BoundAggregate {
    pub(crate) spec: Spec,
    pub(crate) condition: usize,
    pub(crate) value: Option<usize>,
    pub(crate) by: Option<usize>,
    /// Every row has a value.
    pub(crate) always: bool,
}

/// What a scan gives: the groups that have rows.
pub(crate) struct Scanned {
    /// Per key the code of each group.
    pub(crate) codes: Vec<Vec<u32>>,
    pub(crate) groups: usize,
    /// One per aggregate.
    pub(crate) accumulators: Vec<Accumulator>,
}

/// What reading a scan gives.
pub(crate) struct Read {
    pub(crate) found: Scanned,
    /// How the groups were found.
    pub(crate) grouping: Grouping,
    /// How many rows were looked at.
    pub(crate) rows: usize,
}

/// What one part of the rows gives.
struct Part<F> {
    finder: F,
    /// How many rows were looked at.
    read: usize,
    accumulators: Vec<Accumulator>,
}

impl BoundScan<'_> {
    /// Reads the rows. Where groups are many, those that pass the filter are counted before it is chosen how groups are found.
    pub(crate) fn read(&self) -> Result<Read, EngineError> {
        let facts = self.grouping_facts();
        if let Some(grouping) = group_index::choose_before_filter(&facts) {
            return self.read_grouped(grouping, None);
        }
        let chosen = self.chosen()?;
        let rows = chosen.as_ref().map_or(self.rows, |lists| lists.iter().map(Vec::len).sum());
        self.read_grouped(group_index::choose(&facts, rows, self), chosen.as_deref())
    }

    /// How groups would be found, were about this many rows to pass the filter.
    pub(crate) fn grouping_for(&self, rows: usize) -> Grouping {
        let facts = self.grouping_facts();
        group_index::choose_before_filter(&facts).unwrap_or_else(|| group_index::choose(&facts, rows, self))
    }

    /// Groups of all members, without rows: they stand for those that a pass would find where it is planned and not made.
    pub(crate) fn unread(&self) -> Scanned {
        let mut accumulators: Vec<Accumulator> =
            self.aggregates.iter().map(|a| Accumulator::new(&a.spec, a.always)).collect();
        let (groups, codes) = self.keys.of_all_members(MOST_UNREAD);
        accumulators.iter_mut().for_each(|accumulator| accumulator.resize(groups));
        Scanned { codes, groups, accumulators }
    }

    fn grouping_facts(&self) -> Facts {
        let (encoding, finest) = (self.keys.encoding(), self.keys.finest());
        Facts {
            combinations: encoding.combinations(),
            finest: (finest, if self.keys.is_empty() { 1 } else { encoding.size(finest) }),
            group_bytes: self.bytes_of_group(),
            limit: self.options.direct_index_limit,
            listed: self.listed.is_some(),
            table_rows: self.rows,
        }
    }

    fn read_grouped(&self, grouping: Grouping, chosen: Option<&[Vec<RowId>]>) -> Result<Read, EngineError> {
        let (found, rows) = match grouping.index {
            GroupIndexForm::Direct { groups } => {
                self.read_by(&DirectIndex::new(groups), grouping.parts, chosen)
            }
            GroupIndexForm::Clustered { key, .. } => {
                self.read_by(&ClusteredIndex::new(key), grouping.parts, chosen)
            }
            GroupIndexForm::Hash => self.read_by(&HashIndex::new(&self.keys), grouping.parts, chosen),
        }?;
        Ok(Read { found, grouping, rows })
    }

    /// About how many bytes a group takes.
    fn bytes_of_group(&self) -> u128 {
        let of = |aggregate: &BoundAggregate| match (aggregate.spec.function, aggregate.value) {
            (AggregateFunction::CountDistinct, Some(value)) => match &self.inputs[value].1 {
                Prepared::Own(column) => column
                    .values_at_most()
                    .filter(|values| *values <= MOST_BITS)
                    .map_or(NUMBER_BYTES, |values| values / 8),
                _ => NUMBER_BYTES,
            },
            _ => NUMBER_BYTES,
        };
        1 + self.aggregates.iter().map(of).sum::<u128>()
    }

    /// The ranges of rows that are read apart, at most this many.
    fn ranges(&self, most: usize) -> Vec<Range<usize>> {
        self.options.ranges(self.rows, most)
    }

    /// The rows that pass the filter, by parts; none if there is no filter.
    fn chosen(&self) -> Result<Option<Vec<Vec<RowId>>>, EngineError> {
        if let Some(listed) = &self.listed {
            let mut all = Vec::new();
            for rows in listed.chunks(self.options.block) {
                match choose(&self.filter, Rows::List(rows))? {
                    Some(list) => all.extend(list),
                    None => all.extend_from_slice(rows),
                }
            }
            return Ok(Some(vec![all]));
        }
        if self.filter.is_empty() {
            return Ok(None);
        }
        let of_part = |range| chosen(&self.filter, range, self.options);
        try_gather_of(self.ranges(MOST_PARTS), of_part).map(Some)
    }

    fn read_by<F: GroupFinder>(
        &self,
        way: &F,
        most_parts: usize,
        chosen: Option<&[Vec<RowId>]>,
    ) -> Result<(Scanned, usize), EngineError> {
        let ranges = self.ranges(most_parts);
        let read = try_gather_of(ranges, |range| -> Result<Part<F>, EngineError> {
            let finder = way.for_part(&self.keys, range.clone());
            let mut part = match chosen {
                Some(lists) => self.part_of(finder, range, lists)?,
                None => self.part(finder, range)?,
            };
            part.accumulators.iter_mut().for_each(Accumulator::settle);
            Ok(part)
        })?;
        let looked_at: usize = read.iter().map(|part| part.read).sum();
        let mut all =
            way.for_all(&self.keys, 0..self.rows).filter(|_| read.len() > 1).map(|finder| self.empty(finder));
        let mut read = read.into_iter();
        let mut all = match all.take().or_else(|| read.next()) {
            Some(all) => all,
            None => self.empty(way.for_part(&self.keys, 0..0)),
        };
        all.merge(read.as_slice())?;
        let FoundGroups { codes, groups, map } = all.finder.finish(&self.keys);
        let mut accumulators = match map {
            Some(map) => regrouped(&all.accumulators, &map, groups)?,
            None => all.accumulators,
        };
        accumulators.iter_mut().for_each(|a| a.resize(groups));
        let read = match (&self.listed, self.stop_at) {
            (Some(listed), _) => listed.len(),
            (None, Some(_)) => looked_at,
            (None, None) => self.rows,
        };
        Ok((Scanned { codes, groups, accumulators }, read))
    }

    fn empty<F: GroupFinder>(&self, finder: F) -> Part<F> {
        let accumulators = self.aggregates.iter().map(|a| Accumulator::new(&a.spec, a.always)).collect();
        let mut part = Part { finder, read: 0, accumulators };
        part.make_room();
        part
    }

    /// Reads the rows of a range that pass the filter.
    fn part<F: GroupFinder>(&self, finder: F, range: Range<usize>) -> Result<Part<F>, EngineError> {
        let mut part = self.empty(finder);
        let mut start = range.start;
        while start < range.end {
            if (start - range.start) % ROWS_BETWEEN_CHECKS < self.options.block {
                self.options.memory.check()?;
            }
            self.options.stop.check()?;
            let length = self.options.block.min(range.end - start);
            self.options.stop.has_read(length);
            let listed = choose(&self.filter, Rows::Range(start, length))?;
            let rows = listed.as_ref().map_or(Rows::Range(start, length), |list| Rows::List(list));
            self.take(rows, &mut part)?;
            part.read += length;
            start += length;
            if self.stop_at.is_some_and(|most| part.finder.present() >= most) {
                break;
            }
        }
        Ok(part)
    }

    /// Reads the rows of a range that are listed: those that were found to pass the filter.
    fn part_of<F: GroupFinder>(
        &self,
        finder: F,
        range: Range<usize>,
        lists: &[Vec<RowId>],
    ) -> Result<Part<F>, EngineError> {
        let mut part = self.empty(finder);
        self.options.stop.has_read(range.len());
        for list in lists {
            let place = |row: usize| list.partition_point(|r| r.index() < row);
            for rows in list[place(range.start)..place(range.end)].chunks(self.options.block) {
                self.options.check()?;
                self.take(Rows::List(rows), &mut part)?;
            }
        }
        Ok(part)
    }

    /// Takes rows that pass the filter into a part.
    fn take<F: GroupFinder>(&self, rows: Rows<'_>, part: &mut Part<F>) -> Result<(), EngineError> {
        if rows.len() == 0 {
            return Ok(());
        }
        let groups = part.finder.find(&self.keys, rows);
        part.make_room();
        self.block(rows, &groups, &mut part.accumulators)
    }

    /// Takes the rows of a block into the accumulators.
    fn block(
        &self,
        rows: Rows<'_>,
        groups: &[u32],
        accumulators: &mut [Accumulator],
    ) -> Result<(), EngineError> {
        let mut chosen: Vec<Option<Selected>> = Vec::with_capacity(self.conditions.len());
        for condition in &self.conditions {
            chosen.push(select(condition, rows, groups)?);
        }
        let rows_of = |condition: usize| chosen[condition].as_ref().map_or(rows, |s| Rows::List(&s.rows));
        let mut vectors: Vec<Option<Vector>> = vec![None; self.inputs.len()];
        for (aggregate, accumulator) in self.aggregates.iter().zip(accumulators) {
            let rows = rows_of(aggregate.condition);
            if rows.len() == 0 {
                continue;
            }
            let each = chosen[aggregate.condition].as_ref().map_or(groups, |s| &s.groups);
            let groups = if self.keys.is_empty() { Groups::One } else { Groups::Each(each) };
            if self.as_kept(aggregate, accumulator, groups, rows) {
                continue;
            }
            for at in aggregate.value.iter().chain(&aggregate.by) {
                if vectors[*at].is_none() {
                    vectors[*at] = Some(self.inputs[*at].1.eval(rows)?);
                }
            }
            let vector = |at: usize| vectors[at].as_ref().map(|v| (v, self.inputs[at].1.ty()));
            let value = aggregate.value.and_then(vector);
            let block = Block {
                rows: rows.len(),
                value: value.map(|(v, _)| v),
                ty: value.map_or(Type::Null, |(_, ty)| ty),
                by: aggregate.by.and_then(vector),
            };
            accumulator.update(groups, &block)?;
        }
        Ok(())
    }

    /// The commonest aggregates read a column as it is kept, without a copy; says whether this one did.
    fn as_kept(
        &self,
        aggregate: &BoundAggregate,
        accumulator: &mut Accumulator,
        groups: Groups<'_>,
        rows: Rows<'_>,
    ) -> bool {
        let (Some(value), None, Rows::Range(start, length)) = (aggregate.value, aggregate.by, rows) else {
            return false;
        };
        let Prepared::Own(column) = &self.inputs[value].1 else { return false };
        match accumulator {
            Accumulator::Sum(sum) => {
                let physicals = column.physicals(start, length);
                physicals.is_some_and(|physicals| sum.update_physicals(groups, physicals, column.bounds()))
            }
            Accumulator::Distinct(distinct) => match column.texts() {
                Some((codes, dictionary)) if column.missing() == 0 => {
                    distinct.update_codes(groups, codes, start..start + length, dictionary.texts.len())
                }
                _ => false,
            },
            _ => false,
        }
    }
}

impl Order for BoundScan<'_> {
    fn determines(&self) -> bool {
        self.keys.determines(self.keys.finest(), self.rows)
    }

    fn is_clustered(&self) -> bool {
        self.keys.is_clustered(self.keys.finest(), &self.ranges(MOST_PARTS))
    }
}

impl<F: GroupFinder> Part<F> {
    /// Accumulators have room for every group that was found.
    fn make_room(&mut self) {
        let groups = self.finder.groups();
        self.accumulators.iter_mut().for_each(|a| a.resize(groups));
    }

    /// Takes in other parts in their order, each aggregate on a thread of its own.
    fn merge(&mut self, others: &[Self]) -> Result<(), EngineError>
    where
        F: GroupFinder,
    {
        // What has no groups has nothing to give.
        let others: Vec<&Self> = others.iter().filter(|other| other.finder.groups() > 0).collect();
        self.finder.reserve(others.iter().map(|other| other.finder.groups()).sum());
        let moved: Vec<Moved> = others.iter().map(|other| self.finder.merge(&other.finder)).collect();
        self.make_room();
        let own: Vec<(usize, &mut Accumulator)> = self.accumulators.iter_mut().enumerate().collect();
        let merged = try_gather_of(own, |(at, own)| {
            let parts: Vec<&Accumulator> = others.iter().map(|other| &other.accumulators[at]).collect();
            own.merge_all(&parts, &moved)
        });
        merged.map(drop)
    }
}
