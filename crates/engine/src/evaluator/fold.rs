//! Aggregates over one value per combination of further keys.

use super::{Evaluator, picked, slices};
use crate::aggregate::{Accumulator, Block, Groups, Spec};
use crate::cells::{Cells, Codes};
use crate::error::EngineError;
use crate::groupings::Groupings;
use crate::numbering::{NOWHERE, Numbering};
use crate::vector::Vector;
use std::rc::Rc;
use vembra_plan::{Fold, KeyId, NodeId, Type};

/// The combinations of some cells with further keys.
struct Combined {
    cells: Rc<Cells>,
    /// Per combination the number of its cell.
    of: Vec<u32>,
}

/// Per combination its cell, and its code on each further key.
type Matched = (Vec<u32>, Vec<Codes>);

impl Evaluator<'_> {
    pub(super) fn fold(&self, fold: &Fold, ty: Type, cells: &Rc<Cells>) -> Result<Vector, EngineError> {
        let combined = self.combined(fold, cells)?;
        let inner = &combined.cells;
        let each = |node: NodeId| -> Result<Rc<Vector>, EngineError> {
            let vector = self.node(node, inner)?;
            Ok(if vector.constant { Rc::new((*vector).clone().expand(inner.len)) } else { vector })
        };
        let mut value = each(fold.value)?;
        let mut by = match fold.by {
            Some(by) => Some((each(by)?, self.graph.node(by).ty)),
            None => None,
        };
        let mut of = combined.of;
        if let Some(condition) = fold.condition {
            let holds = self.node(condition, inner)?;
            let kept: Vec<u32> = (0..inner.len as u32).filter(|at| holds.is_true(*at as usize)).collect();
            of = kept.iter().map(|at| of[*at as usize]).collect();
            value = Rc::new(value.gather(&kept));
            by = by.map(|(by, ty)| (Rc::new(by.gather(&kept)), ty));
        }
        let spec = Spec {
            function: fold.function,
            value: self.graph.node(fold.value).ty,
            parameter: fold.parameter.clone(),
            ty,
        };
        let mut accumulator = Accumulator::new(&spec, false);
        accumulator.resize(cells.len);
        let block = Block {
            rows: of.len(),
            value: Some(&value),
            ty: spec.value,
            by: by.as_ref().map(|(by, ty)| (&**by, *ty)),
        };
        if block.rows > 0 {
            accumulator.update(Groups::Each(&of), &block)?;
        }
        accumulator.finish(&spec)
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
        let (projected, map) = self.project(cells, &common)?;
        let mut numbering = self.numbering(&common, groupings.groups.max(projected.len))?;
        numbering.number_all(&slices(&projected.codes), projected.len);
        let own: Vec<Codes> = common.iter().filter_map(|k| groupings.codes_of(*k)).cloned().collect();
        let found = numbering.find_all(&slices(&own), groupings.groups);
        let further: Vec<Codes> = more.iter().filter_map(|k| groupings.codes_of(*k)).cloned().collect();
        if projected.id == cells.id && !found.contains(&NOWHERE) {
            // Each group belongs to one cell.
            return Ok((found, further));
        }
        let mut cells_of: Vec<Vec<u32>> = vec![Vec::new(); projected.len];
        map.iter().enumerate().for_each(|(cell, at)| cells_of[*at as usize].push(cell as u32));
        let mut of = Vec::with_capacity(groupings.groups);
        let mut rows = Vec::with_capacity(groupings.groups);
        for (group, at) in found.iter().enumerate().filter(|(_, at)| **at != NOWHERE) {
            for own_cell in &cells_of[*at as usize] {
                of.push(*own_cell);
                rows.push(group as u32);
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
    let mut numbering = Numbering::new(sizes, expected)?;
    let mut all: Vec<Vec<u32>> = vec![Vec::new(); more + 1];
    for (of, columns) in several {
        let columns: Vec<Codes> = std::iter::once(Rc::new(of)).chain(columns).collect();
        let len = columns[0].len();
        let numbered = numbering.number_all(&slices(&columns), len);
        all.iter_mut().zip(picked(&numbered, &columns)).for_each(|(all, own)| all.extend(own.iter()));
    }
    let mut all = all.into_iter();
    let of = all.next().unwrap_or_default();
    Ok((of, all.map(Rc::new).collect()))
}
