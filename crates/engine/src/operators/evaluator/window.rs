//! Window functions: figures among the lines shown: ranks, running sums, the line before.

use super::Evaluator;
use crate::error::EngineError;
use crate::expression::vector::Vector;
use crate::operators::cells::Cells;
use std::cmp::Ordering;
use std::rc::Rc;
use vembra_plan::{EvalError, Function, KeyId, Scalar, Type, WindowCall, WindowFunction, WindowOrder, call};

impl Evaluator<'_> {
    pub(super) fn window(
        &self,
        window: &WindowCall,
        ty: Type,
        cells: &Rc<Cells>,
    ) -> Result<Vector, EngineError> {
        let among: Vec<KeyId> = window.among.iter().copied().filter(|k| cells.keys.contains(k)).collect();
        let stands = match window.order {
            WindowOrder::Key(key) if window.function.is_ordered() => {
                cells.keys.contains(&key) && !among.is_empty()
            }
            _ => !among.is_empty(),
        };
        if !stands {
            return Ok(Vector::constant(&Scalar::Null, ty));
        }
        let value_ty = self.graph.node(window.value).ty;
        let vector = self.node(window.value, cells)?;
        let values: Vec<Scalar> = (0..cells.len).map(|cell| vector.scalar(cell, value_ty)).collect();
        let others: Vec<KeyId> = cells.keys.iter().copied().filter(|k| !among.contains(k)).collect();
        let (groups, group_of) = self.project(cells, &others)?;
        let mut members: Vec<Vec<usize>> = vec![Vec::new(); groups.len.max(1)];
        (0..cells.len).for_each(|cell| members[group_of[cell] as usize].push(cell));
        let order = self.order(window, cells)?;
        // The line of the members that were not chosen takes no place among them.
        let mut is_rest = vec![false; cells.len];
        for key in among.iter().filter(|_| !window.function.is_ordered()) {
            let (members, codes) = (self.members(*key)?, cells.codes_of(*key));
            if let (true, Some(codes)) = (members.rest, codes) {
                is_rest
                    .iter_mut()
                    .zip(codes.iter())
                    .for_each(|(rest, code)| *rest |= *code == members.rest());
            }
        }
        let mut results = vec![Scalar::Null; cells.len];
        for mut lines in members {
            lines.retain(|line| !is_rest[*line]);
            if window.function.is_ordered() {
                lines.sort_by(|a, b| order(*a, *b));
            }
            match window.function {
                WindowFunction::Rank => rank(&lines, &values, &mut results),
                WindowFunction::Running => running(&lines, &values, ty, &mut results)?,
                WindowFunction::Lag => lag(&lines, &values, &mut results),
            }
        }
        Ok(Vector::from_scalars(&results, ty))
    }

    /// The order of two cells: what is asked for, then the order of their members.
    #[allow(clippy::type_complexity)] // An order, as sorting takes it.
    fn order(
        &self,
        window: &WindowCall,
        cells: &Rc<Cells>,
    ) -> Result<Box<dyn Fn(usize, usize) -> Ordering>, EngineError> {
        let mut ranks: Vec<Vec<u32>> = Vec::new();
        for (key, codes) in cells.keys.iter().zip(&cells.codes) {
            let order = self.ranks(*key)?;
            ranks.push(codes.iter().map(|code| order[*code as usize]).collect());
        }
        let by_members = {
            let ranks = ranks.clone();
            move |a: usize, b: usize| {
                ranks.iter().map(|r| r[a].cmp(&r[b])).find(|o| o.is_ne()).unwrap_or(Ordering::Equal)
            }
        };
        Ok(match window.order {
            WindowOrder::Key(key) => {
                let at = cells.keys.iter().position(|k| *k == key).unwrap_or(0);
                let own = ranks.swap_remove(at);
                Box::new(move |a, b| own[a].cmp(&own[b]).then_with(|| by_members(a, b)))
            }
            WindowOrder::Figure { node, descending } => {
                let (vector, ty) = (self.node(node, cells)?, self.graph.node(node).ty);
                let figures: Vec<Scalar> = (0..cells.len).map(|cell| vector.scalar(cell, ty)).collect();
                Box::new(move |a, b| {
                    figures[a].compare_in(&figures[b], descending).then_with(|| by_members(a, b))
                })
            }
        })
    }

    /// The place of each code of a key: the order by hand first, then that of the members.
    pub(crate) fn ranks(&self, key: KeyId) -> Result<Vec<u32>, EngineError> {
        Ok(self.members(key)?.ranks(&self.graph.keys[key.index()].order))
    }
}

/// The largest is first; equal ones share a place; lines without a value have none.
fn rank(lines: &[usize], values: &[Scalar], results: &mut [Scalar]) {
    let mut sorted: Vec<usize> = lines.iter().copied().filter(|line| !values[*line].is_null()).collect();
    sorted.sort_by(|a, b| values[*b].compare(&values[*a]));
    let mut place = 0;
    for (at, line) in sorted.iter().enumerate() {
        let equal = at > 0 && values[sorted[at - 1]].compare(&values[*line]) == Ordering::Equal;
        if !equal {
            place = at as i64 + 1;
        }
        results[*line] = Scalar::Integer(place);
    }
}

/// The first line has none before it.
fn lag(lines: &[usize], values: &[Scalar], results: &mut [Scalar]) {
    for pair in lines.windows(2) {
        results[pair[1]] = values[pair[0]].clone();
    }
}

/// Lines without a value leave the sum as it is.
fn running(lines: &[usize], values: &[Scalar], ty: Type, results: &mut [Scalar]) -> Result<(), EvalError> {
    let mut sum = Scalar::Null;
    for line in lines {
        sum = match (&sum, &values[*line]) {
            (_, Scalar::Null) => sum,
            (Scalar::Null, value) => call::convert(value.clone(), ty)?,
            (sum, value) => call::call(Function::Add, &[sum.clone(), value.clone()], ty)?,
        };
        results[*line] = sum.clone();
    }
    Ok(())
}
