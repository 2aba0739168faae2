//! The cells of a grid in which no fact has rows, though its row and its column are shown: what has a value there all the same is shown too.

use crate::Evaluator;
use crate::context::{Context, Key, Step};
use vembra_engine::Member;
use vembra_model::{Bound, BoundKind, BoundSummary, Detail, Over, What};
use vembra_plan::{AggregateFunction, EvalError, Scalar};

type Position = Vec<(Key, Member)>;

impl<'a> Evaluator<'a> {
    /// The positions between those that have rows, each row with each column, on which a figure says something.
    pub(crate) fn between(
        &self,
        query: &'a BoundSummary,
        kept: &[usize],
        positions: &[Position],
        base: &Context<'a>,
    ) -> Result<Vec<Position>, EvalError> {
        let rows = kept.iter().filter(|axis| **axis < query.row_axes).count();
        if rows == 0 || rows == kept.len() {
            return Ok(Vec::new());
        }
        let mut between: Vec<Position> = Vec::new();
        for row in positions {
            for column in positions {
                let cell: Position = row[..rows].iter().chain(&column[rows..]).cloned().collect();
                if !positions.contains(&cell)
                    && !between.contains(&cell)
                    && self.says_something(query, &cell, base)?
                {
                    between.push(cell);
                }
            }
        }
        Ok(between)
    }

    /// Whether a figure says something of a cell without rows.
    fn says_something(
        &self,
        query: &'a BoundSummary,
        cell: &Position,
        base: &Context<'a>,
    ) -> Result<bool, EvalError> {
        let context = base.and(Step::Keys(cell.clone()));
        let axes: Vec<Key> = cell.iter().map(|(key, _)| *key).collect();
        for show in query.shows.iter().filter(|show| !self.model.has_window(&show.expr)) {
            let mut reaching = Vec::new();
            self.reaching(&show.expr, &context, &axes, &mut reaching)?;
            if reaching.is_empty() {
                continue;
            }
            let value = self.cell(&show.expr, &context, false)?;
            let nothing = value.to_f64() == Some(0.0) || value == Scalar::Boolean(false);
            let counted = reaching.iter().all(|function| function.counts());
            if !(value.is_null() || nothing && counted) {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// The functions of aggregates over other rows than those of the cell: of other days, or not grouped by all of its axes.
    fn reaching(
        &self,
        bound: &'a Bound,
        context: &Context<'a>,
        axes: &[Key],
        found: &mut Vec<AggregateFunction>,
    ) -> Result<(), EvalError> {
        match &bound.kind {
            BoundKind::Measure(id) => {
                self.reaching(&self.model.measure(*id).formula, context, axes, found)?;
            }
            BoundKind::Treatment(treatment) => self.reaching(&treatment.formula, context, axes, found)?,
            BoundKind::Call(_, args) => {
                args.iter().try_for_each(|arg| self.reaching(arg, context, axes, found))?;
            }
            BoundKind::Claused(inner, clauses) => {
                let inside = self.inside(clauses, context);
                match &clauses.detail {
                    Some(Detail::Overall) => {
                        self.reaching(inner, &inside.and(Step::Forget(&What::All, true)), axes, found)?;
                    }
                    _ => self.reaching(inner, &inside, axes, found)?,
                }
            }
            BoundKind::Aggregate(plan) => match (&plan.over, &plan.value) {
                (Over::Rows(table), _) if plan.function != AggregateFunction::Every => {
                    let seen = self.seen(context, *table)?;
                    let covered = axes.iter().all(|key| seen.position.iter().any(|(own, _)| own == key));
                    if seen.during.is_some() || !covered {
                        found.push(plan.function);
                    }
                }
                (Over::Keys(_), Some(value)) => self.reaching(value, context, axes, found)?,
                _ => {}
            },
            _ => {}
        }
        Ok(())
    }
}
