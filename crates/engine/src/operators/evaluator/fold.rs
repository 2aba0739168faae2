//! Aggregates over one value per combination of further keys.

use super::{Evaluator, picked, slices};
use crate::error::EngineError;
use crate::execution::parallel::none_is;
use crate::execution::threads::try_gather_of;
use crate::expression::vector::Vector;
use crate::operators::aggregate::{Accumulator, Block, Groups, Moved, Spec};
use crate::operators::cells::{Cells, Codes};
use crate::operators::group_index::{GroupIndex, NOWHERE};
use crate::operators::groupings::Groupings;
use crate::physical::group_index::parts_with_room;
use crate::storage::narrow::narrow;
use std::borrow::Cow;
use std::ops::Range;
use std::rc::Rc;
use vembra_plan::{Fold, KeyId, Type};

/// About how many bytes an aggregate takes for each cell.
const BYTES_OF_CELL: u128 = 16;

/// The combinations of some cells with further keys.
struct Combined {
    cells: Rc<Cells>,
    /// Per combination the number of its cell.
    of: Vec<u32>,
}

/// The values at the details of some cells.
struct Details<'a> {
    value: &'a Vector,
    by: Option<(&'a Vector, Type)>,
    condition: Option<&'a Vector>,
    /// Per value the number of its cell; none where there is one cell.
    of: Option<&'a [u32]>,
}

impl Details<'_> {
    /// The values of a range for which the condition holds.
    fn taken(&self, spec: &Spec, range: Range<usize>, cells: usize) -> Result<Accumulator, EngineError> {
        let mut accumulator = Accumulator::new(spec, false);
        accumulator.resize(cells);
        let kept = self.condition.map(|condition| condition.true_at(range.clone()));
        let rows = kept.as_ref().map_or(range.len(), Vec::len);
        if rows == 0 {
            return Ok(accumulator);
        }
        let read = |vector: &Vector| match &kept {
            _ if vector.constant => vector.clone().expand(rows),
            Some(kept) => vector.gather(kept),
            None => vector.part(range.clone()),
        };
        let (value, by) = (read(self.value), self.by.map(|(by, ty)| (read(by), ty)));
        let by = by.as_ref().map(|(by, ty)| (by, *ty));
        let block = Block { rows, value: Some(&value), ty: spec.value, by };
        let of: Option<Cow<'_, [u32]>> = self.of.map(|of| match &kept {
            Some(kept) => kept.iter().map(|at| of[*at as usize]).collect(),
            None => of[range].into(),
        });
        accumulator.update(of.as_deref().map_or(Groups::One, Groups::Each), &block)?;
        Ok(accumulator)
    }
}

/// Per combination its cell, and its code on each further key.
type Matched = (Vec<u32>, Vec<Codes>);

impl Evaluator<'_> {
    pub(super) fn fold(&self, fold: &Fold, ty: Type, cells: &Rc<Cells>) -> Result<Vector, EngineError> {
        let mut combined = self.combined(fold, cells)?;
        if self.options.guarded {
            self.leave_out(fold, &mut combined)?;
        }
        let inner = &combined.cells;
        let value = self.node(fold.value, inner)?;
        let by = fold.by.map(|by| self.node(by, inner)).transpose()?;
        let by_ty = fold.by.map_or(Type::Null, |by| self.graph.node(by).ty);
        let condition = fold.condition.map(|condition| self.node(condition, inner)).transpose()?;
        let spec = Spec {
            function: fold.function,
            value: self.graph.node(fold.value).ty,
            parameter: fold.parameter.clone(),
            ty,
            memory: self.options.memory,
        };
        let details = Details {
            value: &value,
            by: by.as_deref().map(|by| (by, by_ty)),
            condition: condition.as_deref(),
            of: (cells.len != 1).then_some(&combined.of),
        };
        self.options.stop.check()?;
        let cells = cells.len;
        // Each part has a physical value or two for each cell.
        let most = parts_with_room(inner.len, BYTES_OF_CELL * cells as u128).min(inner.len / cells.max(1));
        let ranges = self.options.ranges(inner.len, most);
        let read = try_gather_of(ranges, |range| details.taken(&spec, range, cells))?;
        let mut read = read.into_iter();
        let mut all = read.next().unwrap_or_else(|| Accumulator::new(&spec, false));
        let others: Vec<&Accumulator> = read.as_slice().iter().collect();
        let moved: Vec<Moved> = others.iter().map(|_| Moved::Together(0, cells)).collect();
        all.merge_all(&others, &moved)?;
        all.finish(&spec)
    }

    /// Leaves combinations out for which the condition of a fold does not hold: nothing else is worked out there.
    fn leave_out(&self, fold: &Fold, combined: &mut Combined) -> Result<(), EngineError> {
        let Some(condition) = fold.condition else { return Ok(()) };
        let holds = self.node(condition, &combined.cells)?;
        let left: Vec<usize> = (0..combined.cells.len).filter(|at| holds.is_true(*at)).collect();
        combined.of = left.iter().map(|at| combined.of[*at]).collect();
        combined.cells = self.some_cells(&combined.cells, &left);
        Ok(())
    }

    /// Per cell the combinations of further keys that have rows there.
    fn combined(&self, fold: &Fold, cells: &Rc<Cells>) -> Result<Combined, EngineError> {
        let more: Vec<KeyId> = fold.over.iter().copied().filter(|k| !cells.keys.contains(k)).collect();
        let mut found = Vec::new();
        for scan in &fold.domain {
            let plan = self.graph.scan(*scan);
            let position = self.position(plan, cells, &fold.over);
            let given: Vec<KeyId> = cells
                .keys
                .iter()
                .copied()
                .filter(|k| plan.given.contains(k) && !position.contains(k))
                .collect();
            let (given, _) = self.project(cells, &given)?;
            found.push(self.found(*scan, &position, &given)?);
        }
        let sizes: Result<Vec<usize>, EngineError> =
            more.iter().map(|k| Ok(self.members(*k)?.codes())).collect();
        let mut sizes = sizes?;
        sizes.insert(0, cells.len);
        let mut combinations: Vec<Matched> = Vec::new();
        for groupings in &found {
            combinations.push(self.matched(groupings, cells, &more)?);
        }
        let (of, columns) = match <[_; 1]>::try_from(combinations) {
            // No combination comes twice from one scan.
            Ok([only]) => only,
            Err(several) => distinct(several, sizes, more.len())?,
        };
        let keys: Vec<KeyId> = cells.keys.iter().chain(&more).copied().collect();
        // Combinations that are exactly the groups of one scan share its codes, which spares looking them up.
        let shared: Option<Vec<Codes>> = match found.as_slice() {
            [only] if of.len() == only.groups && keys.len() == only.keys.len() => {
                keys.iter().map(|k| only.codes_of(*k).cloned()).collect()
            }
            _ => None,
        };
        let codes = shared.unwrap_or_else(|| {
            let own =
                cells.codes.iter().map(|codes| Rc::new(of.iter().map(|c| codes[*c as usize]).collect()));
            own.chain(columns).collect()
        });
        let mut inner = self.shared_cells(keys, codes);
        if inner.keys.is_empty() {
            inner = Rc::new(Cells { keys: Vec::new(), codes: Vec::new(), len: of.len(), id: inner.id });
        }
        Ok(Combined { cells: inner, of })
    }

    /// Per group and each cell where it belongs: the number of the cell, and the codes of further keys.
    fn matched(
        &self,
        groupings: &Groupings,
        cells: &Rc<Cells>,
        more: &[KeyId],
    ) -> Result<Matched, EngineError> {
        let common: Vec<KeyId> = cells.keys.iter().copied().filter(|k| groupings.keys.contains(k)).collect();
        if cells.keys.is_empty() && cells.len == 1 {
            let further = more.iter().filter_map(|k| groupings.codes_of(*k)).cloned().collect();
            return Ok((vec![0; groupings.groups], further));
        }
        let (projected, map) = self.project(cells, &common)?;
        let mut group_index = self.group_index(&common, groupings.groups.max(projected.len))?;
        group_index.number_all(&slices(&projected.codes), projected.len);
        let own: Vec<Codes> = common.iter().filter_map(|k| groupings.codes_of(*k)).cloned().collect();
        let found = group_index.find_all(&slices(&own), groupings.groups);
        let further: Vec<Codes> = more.iter().filter_map(|k| groupings.codes_of(*k)).cloned().collect();
        if projected.id == cells.id && none_is(&found, NOWHERE) {
            // Each group belongs to one cell.
            return Ok((found, further));
        }
        let mut cells_of: Vec<Vec<u32>> = vec![Vec::new(); projected.len];
        map.iter().enumerate().for_each(|(cell, at)| cells_of[*at as usize].push(narrow(cell)));
        let mut of = Vec::with_capacity(groupings.groups);
        let mut rows = Vec::with_capacity(groupings.groups);
        for (group, at) in found.iter().enumerate().filter(|(_, at)| **at != NOWHERE) {
            for own_cell in &cells_of[*at as usize] {
                of.push(*own_cell);
                rows.push(narrow(group));
            }
        }
        let columns = further
            .into_iter()
            .map(|codes| Rc::new(rows.iter().map(|row| codes[*row as usize]).collect::<Vec<u32>>()))
            .collect();
        Ok((of, columns))
    }
}

/// The different ones among the combinations of several scans.
fn distinct(several: Vec<Matched>, sizes: Vec<usize>, more: usize) -> Result<Matched, EngineError> {
    let expected = several.iter().map(|(of, _)| of.len()).max().unwrap_or(0);
    let mut group_index = GroupIndex::new(sizes, expected)?;
    let mut all: Vec<Vec<u32>> = vec![Vec::new(); more + 1];
    for (of, columns) in several {
        let columns: Vec<Codes> = std::iter::once(Rc::new(of)).chain(columns).collect();
        let len = columns[0].len();
        let numbered = group_index.number_all(&slices(&columns), len);
        all.iter_mut().zip(picked(&numbered, &columns)).for_each(|(all, own)| all.extend(own.iter()));
    }
    let mut all = all.into_iter();
    let of = all.next().unwrap_or_default();
    Ok((of, all.map(Rc::new).collect()))
}
