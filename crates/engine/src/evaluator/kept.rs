//! Choices of lines: those for which a condition holds, and the first ones by a figure.

use super::{Evaluator, picked, slices};
use crate::aggregate::OrderKey;
use crate::cells::{Cells, Codes};
use crate::each::each;
use crate::error::EngineError;
use crate::numbering::{NOWHERE, Numbering};
use crate::vector::{Values, Vector};
use std::rc::Rc;
use vembra_plan::{Kept, KeptRule, KeyId, ScanId};

/// So many lines by the values that they have.
struct Choice<'v> {
    values: &'v Vector,
    count: usize,
    smallest: bool,
    ties: bool,
}

impl Evaluator<'_> {
    /// Which cells were chosen, among the lines that have rows.
    pub(super) fn kept(&self, kept: &Kept, cells: &Rc<Cells>) -> Result<Vector, EngineError> {
        let (lines, numbering) = self.lines(&kept.domain, &cells.keys)?;
        let chosen = match &kept.rule {
            KeptRule::Having(condition) => {
                let holds = self.node(*condition, &lines)?;
                match (&holds.values, &holds.valid) {
                    (Values::Bool(bools), None) if !holds.constant => bools.clone(),
                    _ => (0..lines.len).map(|line| holds.is_true(line)).collect(),
                }
            }
            KeptRule::Top { count, by, smallest, key, ties } => {
                let values = self.node(*by, &lines)?;
                let choice = Choice { values: &values, count: *count, smallest: *smallest, ties: *ties };
                self.top(&lines, *key, choice)?
            }
        };
        let alike = |(a, b): (&Codes, &Codes)| Rc::ptr_eq(a, b);
        if lines.len == cells.len
            && lines.keys == cells.keys
            && lines.codes.iter().zip(&cells.codes).all(alike)
        {
            // The lines themselves are asked for.
            return Ok(Vector::new(Values::Bool(chosen), None, (0, 0)));
        }
        let lines = match numbering {
            Some(numbering) => numbering.find_all(&slices(&cells.codes), cells.len),
            None => {
                let mut numbering = self.numbering(&cells.keys, lines.len)?;
                numbering.number_all(&slices(&lines.codes), lines.len);
                numbering.find_all(&slices(&cells.codes), cells.len)
            }
        };
        let bools = each(&lines, |line| line != NOWHERE && chosen[line as usize]);
        Ok(Vector::new(Values::Bool(bools), None, (0, 0)))
    }

    /// The cells on some keys that have rows in some scans, and where there are several scans, the number of each.
    pub(crate) fn lines(
        &self,
        domain: &[ScanId],
        keys: &[KeyId],
    ) -> Result<(Rc<Cells>, Option<Numbering>), EngineError> {
        let nothing = self.cells(Vec::new(), Vec::new());
        let mut found = Vec::with_capacity(domain.len());
        for scan in domain {
            found.push(self.found(*scan, keys, &nothing)?);
        }
        if let [only] = found.as_slice()
            && !keys.is_empty()
            && only.keys == keys
        {
            return Ok((self.shared_cells(keys.to_vec(), only.codes.clone()), None));
        }
        let mut numbering = self.numbering(keys, found.iter().map(|f| f.groups).max().unwrap_or(0))?;
        let mut codes: Vec<Codes> = vec![Codes::default(); keys.len()];
        for found in &found {
            let columns: Vec<Codes> = keys.iter().filter_map(|k| found.codes_of(*k)).cloned().collect();
            if columns.len() < keys.len() {
                return Err(EngineError::Internal("lines without their keys".to_owned()));
            }
            let first = numbering.len() == 0;
            let numbered = numbering.number_all(&slices(&columns), found.groups);
            let new = picked(&numbered, &columns);
            if first {
                codes = new;
            } else {
                codes.iter_mut().zip(&new).for_each(|(all, own)| Rc::make_mut(all).extend(own.iter()));
            }
        }
        let mut cells = self.shared_cells(keys.to_vec(), codes);
        if keys.is_empty() {
            cells =
                Rc::new(Cells { keys: Vec::new(), codes: Vec::new(), len: numbering.len(), id: cells.id });
        }
        Ok((cells, Some(numbering)))
    }

    fn top(&self, lines: &Rc<Cells>, key: KeyId, choice: Choice<'_>) -> Result<Vec<bool>, EngineError> {
        let Choice { values, count, smallest, ties } = choice;
        let ranks = self.ranks(key)?;
        let place = |line: usize| lines.codes_of(key).map_or(0, |codes| ranks[codes[line] as usize]);
        let within: Vec<KeyId> = lines.keys.iter().copied().filter(|k| *k != key).collect();
        let (groups, group_of) = self.project(lines, &within)?;
        let mut members: Vec<Vec<usize>> = vec![Vec::new(); groups.len.max(1)];
        (0..lines.len)
            .filter(|line| values.is_valid(*line))
            .for_each(|line| members[group_of[line] as usize].push(line));
        let mut chosen = vec![false; lines.len];
        for lines in members {
            let mut order: Vec<(OrderKey, usize)> =
                lines.into_iter().map(|line| (OrderKey::at(values, line), line)).collect();
            let by_value = |a: &OrderKey, b: &OrderKey| if smallest { a.cmp(b) } else { b.cmp(a) };
            let by_place = |a: &(OrderKey, usize), b: &(OrderKey, usize)| {
                by_value(&a.0, &b.0).then_with(|| place(a.1).cmp(&place(b.1)))
            };
            let last = count.min(order.len());
            if last == 0 {
                continue;
            }
            // Only the last one that is wanted must stand in its place: what is before it was chosen too.
            let (before, edge, behind) = order.select_nth_unstable_by(last - 1, by_place);
            before.iter().for_each(|(_, line)| chosen[*line] = true);
            chosen[edge.1] = true;
            let equal = |other: &&(OrderKey, usize)| ties && by_value(&other.0, &edge.0).is_eq();
            behind.iter().filter(equal).for_each(|(_, line)| chosen[*line] = true);
        }
        Ok(chosen)
    }
}
