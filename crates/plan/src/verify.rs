//! The invariants of a plan, checked after it is made and after each rewrite.
//!
//! 1. Every path starts at the table that is read, each link starts where the one before ended, and the column
//!    belongs to the table that is reached.
//! 2. The type of every call is the one that its function gives, or a number type that holds it.
//! 3. Every filter and condition is a condition.
//! 4. Every scan has one key for each axis, and their types agree.
//! 5. Every aggregate that a formula names exists and has the type that the formula expects.
//! 6. The first level keeps all axes, and no level occurs twice.
//! 7. What is sorted by exists.

use crate::expr::{AggregateRef, ColumnRef, Expr, Leaf};
use crate::function::{AggregateFunction, Function};
use crate::ids::TableId;
use crate::query::{List, Query, Scan, SortKey};
use crate::schema::Schema;
use crate::types::Type;

/// A broken invariant: a fault of the program, named by its number.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("plan invariant {number} is broken after {pass}: {what}")]
pub struct Broken {
    /// The number in the list of this module.
    pub number: u8,
    /// The pass at fault.
    pub pass: &'static str,
    /// What is wrong.
    pub what: String,
}

struct Verifier<'a> {
    schema: &'a Schema,
    pass: &'static str,
}

/// Checks a summary after `pass`.
///
/// # Errors
/// The first broken invariant.
pub fn query(schema: &Schema, query: &Query, pass: &'static str) -> Result<(), Broken> {
    let verifier = Verifier { schema, pass };
    for scan in &query.scans {
        verifier.scan(query, scan)?;
    }
    for output in &query.outputs {
        verifier.types(&output.expr)?;
        let mut missing = None;
        output.expr.leaves(&mut |leaf: &AggregateRef| {
            let found = query.scans.get(leaf.scan.index()).and_then(|s| s.aggregates.get(leaf.index));
            if found.is_none_or(|a| a.ty != leaf.ty) {
                missing = Some(leaf.to_string());
            }
        });
        verifier.holds(5, missing.is_none(), || format!("{} has no aggregate {missing:?}", output.name))?;
    }
    let column_axes = query.axes.len() - query.row_axes;
    let full = query.levels.first().is_some_and(|l| l.rows == query.row_axes && l.columns == column_axes);
    let twice = query
        .levels
        .iter()
        .enumerate()
        .any(|(at, l)| query.levels[..at].iter().any(|o| o.rows == l.rows && o.columns == l.columns));
    verifier.holds(6, full && !twice, || "the levels are not in order".to_owned())?;
    let sorted = query.sort.iter().all(|s| match s.key {
        SortKey::Axis(at) => at < query.axes.len(),
        SortKey::Output(at) => at < query.outputs.len(),
    });
    verifier.holds(7, sorted, || "a sort names nothing".to_owned())
}

/// Checks a list after `pass`.
///
/// # Errors
/// The first broken invariant.
pub fn list(schema: &Schema, list: &List, pass: &'static str) -> Result<(), Broken> {
    let verifier = Verifier { schema, pass };
    verifier.conditions(list.table, &list.filter)?;
    let shown = list.columns.iter().map(|c| &c.expr);
    shown.chain(list.sort.iter().map(|(e, _)| e)).try_for_each(|e| verifier.row(list.table, e))
}

impl Verifier<'_> {
    fn holds(&self, number: u8, holds: bool, what: impl FnOnce() -> String) -> Result<(), Broken> {
        if holds { Ok(()) } else { Err(Broken { number, pass: self.pass, what: what() }) }
    }

    fn scan(&self, query: &Query, scan: &Scan) -> Result<(), Broken> {
        self.conditions(scan.table, &scan.filter)?;
        self.holds(4, scan.keys.len() == query.axes.len(), || format!("{scan} lacks keys"))?;
        for (key, axis) in scan.keys.iter().zip(&query.axes) {
            self.row(scan.table, key)?;
            self.holds(4, key.ty() == axis.ty, || format!("{key} is not {}", axis.ty))?;
        }
        for aggregate in &scan.aggregates {
            self.conditions(scan.table, &aggregate.condition)?;
            for expr in aggregate.value.iter().chain(&aggregate.by) {
                self.row(scan.table, expr)?;
            }
            let value = aggregate.value.as_ref().map_or(Type::Null, Expr::ty);
            let result = aggregate.function.result(value);
            let counts = aggregate.function == AggregateFunction::CountRows;
            self.holds(2, result == Ok(aggregate.ty) && counts == aggregate.value.is_none(), || {
                aggregate.to_string()
            })?;
        }
        Ok(())
    }

    fn conditions(&self, table: TableId, conditions: &[Expr<ColumnRef>]) -> Result<(), Broken> {
        for condition in conditions {
            self.row(table, condition)?;
            let fits = matches!(condition.ty(), Type::Boolean | Type::Null);
            self.holds(3, fits, || format!("{condition} is no condition"))?;
        }
        Ok(())
    }

    fn row(&self, table: TableId, expr: &Expr<ColumnRef>) -> Result<(), Broken> {
        let mut stray = None;
        expr.leaves(&mut |leaf| {
            let mut at = table;
            let chained = leaf.path.iter().all(|link| {
                let starts = self.schema.link_source(*link) == at;
                at = self.schema.link_target(*link);
                starts
            });
            let column = self.schema.column(leaf.column);
            if !chained || column.table != at || column.ty != leaf.ty {
                stray = Some(leaf.to_string());
            }
        });
        self.holds(1, stray.is_none(), || format!("{stray:?} does not start at {table}"))?;
        self.types(expr)
    }

    fn types<L: Leaf>(&self, expr: &Expr<L>) -> Result<(), Broken> {
        let Expr::Call { function, args, ty } = expr else { return Ok(()) };
        args.iter().try_for_each(|a| self.types(a))?;
        let given: Vec<Type> = args.iter().map(Expr::ty).collect();
        let fits = *function == Function::Cast || function.result(&given) == Ok(*ty);
        self.holds(2, fits, || format!("{expr} is not {ty}"))
    }
}
