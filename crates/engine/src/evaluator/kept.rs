//! Choices of lines: those for which a condition holds, and the first ones by a figure.

use super::Evaluator;
use crate::cells::{Cells, Numbering};
use crate::error::EngineError;
use crate::vector::{Values, Vector};
use std::rc::Rc;
use vembra_plan::{Kept, KeptRule, KeyId, NodeId, ScanId};

impl Evaluator<'_> {
    /// Which cells were chosen, among the lines that have rows.
    pub(super) fn kept(&self, kept: &Kept, cells: &Rc<Cells>) -> Result<Vector, EngineError> {
        let (lines, numbering) = self.lines(&kept.domain, &cells.keys)?;
        let chosen = match &kept.rule {
            KeptRule::Having(condition) => {
                let holds = self.node(*condition, &lines)?;
                (0..lines.len).map(|line| holds.is_true(line)).collect()
            }
            KeptRule::Top { count, by, smallest, key, ties } => {
                self.top(&lines, *by, *key, *count, *smallest, *ties)?
            }
        };
        let is_chosen = |cell: usize| {
            let line = numbering.find(numbering.pack(|at| cells.codes[at][cell]));
            line.is_some_and(|line| chosen[line as usize])
        };
        let bools = (0..cells.len).map(is_chosen).collect();
        Ok(Vector::new(Values::Bool(bools), None, (0, 0)))
    }

    /// The cells on some keys that have rows in some scans.
    pub(crate) fn lines(
        &self,
        domain: &[ScanId],
        keys: &[KeyId],
    ) -> Result<(Rc<Cells>, Numbering), EngineError> {
        let mut numbering = self.numbering(keys)?;
        let nothing = self.cells(Vec::new(), Vec::new());
        for scan in domain {
            let found = self.found(*scan, keys, &nothing)?;
            let columns: Vec<_> = keys.iter().filter_map(|k| found.codes_of(*k)).collect();
            if columns.len() < keys.len() {
                return Err(EngineError::Internal("lines without their keys".to_owned()));
            }
            numbering.number_all(&columns, found.groups);
        }
        let mut cells = self.cells(keys.to_vec(), numbering.unpack());
        if keys.is_empty() {
            cells =
                Rc::new(Cells { keys: Vec::new(), codes: Vec::new(), len: numbering.len(), id: cells.id });
        }
        Ok((cells, numbering))
    }

    fn top(
        &self,
        lines: &Rc<Cells>,
        by: NodeId,
        key: KeyId,
        count: usize,
        smallest: bool,
        ties: bool,
    ) -> Result<Vec<bool>, EngineError> {
        let (vector, ty) = (self.node(by, lines)?, self.graph.node(by).ty);
        let ranks = self.ranks(key)?;
        let place = |line: usize| lines.codes_of(key).map_or(0, |codes| ranks[codes[line] as usize]);
        let within: Vec<KeyId> = lines.keys.iter().copied().filter(|k| *k != key).collect();
        let (groups, group_of) = self.project(lines, &within)?;
        let mut members: Vec<Vec<usize>> = vec![Vec::new(); groups.len.max(1)];
        (0..lines.len)
            .filter(|line| vector.is_valid(*line))
            .for_each(|line| members[group_of[line] as usize].push(line));
        let mut chosen = vec![false; lines.len];
        for mut lines in members {
            let value = |line: usize| vector.scalar(line, ty);
            let order = |a: &usize, b: &usize| {
                let order = value(*a).compare(&value(*b));
                if smallest { order } else { order.reverse() }
            };
            lines.sort_by(|a, b| order(a, b).then(place(*a).cmp(&place(*b))));
            let last = count.min(lines.len());
            for (at, line) in lines.iter().enumerate() {
                let equal = ties && last > 0 && order(line, &lines[last - 1]).is_eq();
                chosen[*line] = at < last || equal;
            }
        }
        Ok(chosen)
    }
}
