//! Choices of lines: those for which a condition holds, and the first ones by a figure.

use super::{Evaluator, picked, slices};
use crate::error::EngineError;
use crate::execution::parallel::each;
use crate::execution::threads::of_pieces;
use crate::expression::vector::{Values, Vector};
use crate::operators::aggregate::OrderKey;
use crate::operators::cells::{Cells, Codes};
use crate::operators::group_index::{GroupIndex, NOWHERE};
use std::ops::Range;
use std::rc::Rc;
use vembra_plan::{Kept, KeptRule, KeyId, ScanId};

/// The first lines by a figure: how many, in which order, and whether ties count.
struct Choice<'v> {
    values: &'v Vector,
    count: usize,
    smallest: bool,
    ties: bool,
}

/// The value of a line, and the line.
type Placed = (OrderKey, usize);

/// How many lines are looked at together.
const LINES_AT_ONCE: usize = 1 << 14;

impl Evaluator<'_> {
    /// Which cells were chosen, among the lines that have rows.
    pub(super) fn kept(&self, kept: &Kept, cells: &Rc<Cells>) -> Result<Vector, EngineError> {
        let (lines, group_index) = self.lines(&kept.domain, &cells.keys)?;
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
        // Where no row is read, what comes after is planned for the lines that stay.
        let chosen = if self.plan_only { vec![true; lines.len] } else { chosen };
        let alike = |(a, b): (&Codes, &Codes)| Rc::ptr_eq(a, b);
        if lines.len == cells.len
            && lines.keys == cells.keys
            && lines.codes.iter().zip(&cells.codes).all(alike)
        {
            // The lines themselves are asked for.
            return Ok(Vector::new(Values::Bool(chosen), None, (0, 0)));
        }
        let lines = match group_index {
            Some(group_index) => group_index.find_all(&slices(&cells.codes), cells.len),
            None => {
                let mut group_index = self.group_index(&cells.keys, lines.len)?;
                group_index.number_all(&slices(&lines.codes), lines.len);
                group_index.find_all(&slices(&cells.codes), cells.len)
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
    ) -> Result<(Rc<Cells>, Option<GroupIndex>), EngineError> {
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
        let mut group_index = self.group_index(keys, found.iter().map(|f| f.groups).max().unwrap_or(0))?;
        let mut codes: Vec<Codes> = vec![Codes::default(); keys.len()];
        for found in &found {
            let columns: Vec<Codes> = keys.iter().filter_map(|k| found.codes_of(*k)).cloned().collect();
            if columns.len() < keys.len() {
                return Err(EngineError::Internal("lines without their keys".to_owned()));
            }
            let first = group_index.len() == 0;
            let numbered = group_index.number_all(&slices(&columns), found.groups);
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
                Rc::new(Cells { keys: Vec::new(), codes: Vec::new(), len: group_index.len(), id: cells.id });
        }
        Ok((cells, Some(group_index)))
    }

    fn top(&self, lines: &Rc<Cells>, key: KeyId, choice: Choice<'_>) -> Result<Vec<bool>, EngineError> {
        let ranks = self.ranks(key)?;
        let codes: &[u32] = lines.codes_of(key).map_or(&[], |codes| codes.as_slice());
        let place = |line: usize| codes.get(line).map_or(0, |code| ranks[*code as usize]);
        let within: Vec<KeyId> = lines.keys.iter().copied().filter(|k| *k != key).collect();
        let mut chosen = vec![false; lines.len];
        let mut choose = |first: Vec<Placed>| first.iter().for_each(|(_, line)| chosen[*line] = true);
        if within.is_empty() {
            // What is first of all is first in its piece.
            let pieces =
                of_pieces(lines.len, LINES_AT_ONCE, |piece| choice.first(choice.placed(piece), &place));
            choose(choice.first(pieces.into_iter().flatten().collect(), &place));
            return Ok(chosen);
        }
        let (groups, group_of) = self.project(lines, &within)?;
        let mut members: Vec<Vec<Placed>> = vec![Vec::new(); groups.len.max(1)];
        choice.placed(0..lines.len).into_iter().for_each(|p| members[group_of[p.1] as usize].push(p));
        members.into_iter().for_each(|lines| choose(choice.first(lines, &place)));
        Ok(chosen)
    }
}

impl Choice<'_> {
    /// Some lines that have values.
    fn placed(&self, lines: Range<usize>) -> Vec<Placed> {
        let known = lines.filter(|line| self.values.is_valid(*line));
        known.map(|line| (OrderKey::at(self.values, line), line)).collect()
    }

    /// The first of some lines, and, if ties count, those that equal the last of them. Of equal ones the first is that whose `place` is.
    fn first(&self, mut lines: Vec<Placed>, place: &impl Fn(usize) -> u32) -> Vec<Placed> {
        let by_value = |a: &Placed, b: &Placed| if self.smallest { a.0.cmp(&b.0) } else { b.0.cmp(&a.0) };
        let by_place = |a: &Placed, b: &Placed| by_value(a, b).then_with(|| place(a.1).cmp(&place(b.1)));
        let last = self.count.min(lines.len());
        if last == 0 {
            return Vec::new();
        }
        // Only the last one that is wanted must stand in its place: what is before it was chosen too.
        let (_, edge, behind) = lines.select_nth_unstable_by(last - 1, by_place);
        let tied = behind.iter().filter(|other| self.ties && by_value(other, edge).is_eq());
        let tied: Vec<Placed> = tied.cloned().collect();
        lines.truncate(last);
        lines.extend(tied);
        lines
    }
}
