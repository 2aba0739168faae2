//! Single rows of a table.

use crate::answer::{Heading, ListAnswer};
use crate::error::EngineError;
use crate::evaluator::{Evaluator, NO_CLASS};
use crate::options::Options;
use crate::prepare::{Preparer, Scope};
use crate::scan::choose;
use crate::star::Star;
use crate::vector::{Rows, Vector};
use std::cmp::Ordering;
use vembra_plan::{List, Scalar};

/// About how many bytes a row takes by itself, and each value in it, with what is kept while it is written.
const ROW_BYTES: usize = 64;
const VALUE_BYTES: usize = 90;

pub(crate) fn run(star: &Star, list: &List, options: &Options) -> Result<ListAnswer, EngineError> {
    let shown = list.columns.iter().map(|c| &c.expr).chain(list.sort.iter().map(|(e, _)| e));
    let mut roots: Vec<_> = shown.chain(&list.filter).map(|expr| (list.table, expr)).collect();
    roots.extend(list.bridges.iter().flat_map(|b| b.filter.iter().map(|expr| (b.table, expr))));
    let evaluator = Evaluator::new(star, &list.graph, options, &roots);
    let scope = Scope::default();
    let preparer = Preparer { evaluator: &evaluator, table: list.table, scope: &scope };
    let filter = preparer.all(&list.filter)?;
    let all = star.rows(list.table);
    let mut rows: Vec<u32> = Vec::new();
    options.stop.will_read(all as u64);
    let mut start = 0;
    while start < all {
        options.stop.check()?;
        let length = options.block.min(all - start);
        options.stop.has_read(length);
        match choose(&filter, Rows::Range(start, length))? {
            Some(chosen) => rows.extend(chosen),
            None => rows.extend((start..start + length).map(|row| row as u32)),
        }
        start += length;
    }
    for bridge in &list.bridges {
        let meets = evaluator.meets(bridge)?;
        rows.retain(|row| meets.code(*row as usize) != NO_CLASS);
    }
    let found = rows.len();
    sort(&preparer, list, &mut rows)?;
    rows.truncate(list.limit.unwrap_or(usize::MAX));
    options.memory.check_more((rows.len() * (ROW_BYTES + list.columns.len() * VALUE_BYTES)) as u64)?;
    let mut columns: Vec<Vector> = Vec::new();
    for column in &list.columns {
        columns.push(preparer.prepare(&column.expr)?.eval(Rows::List(&rows))?);
    }
    let value = |at: usize, column: usize| columns[column].scalar(at, list.columns[column].expr.ty());
    let headings = list.columns.iter().map(|c| Heading {
        name: c.name.clone(),
        label: c.label.clone(),
        ty: c.expr.ty(),
        format: c.format.clone(),
    });
    Ok(ListAnswer {
        columns: headings.collect(),
        rows: (0..rows.len())
            .map(|at| (0..columns.len()).map(|column| value(at, column)).collect())
            .collect(),
        found,
    })
}

/// Nulls last; equal rows stay in the order of the file.
fn sort(preparer: &Preparer<'_, '_>, list: &List, rows: &mut Vec<u32>) -> Result<(), EngineError> {
    if list.sort.is_empty() {
        return Ok(());
    }
    let mut keys: Vec<(Vec<Scalar>, u32)> = rows.iter().map(|row| (Vec::new(), *row)).collect();
    for (expr, _) in &list.sort {
        let vector = preparer.prepare(expr)?.eval(Rows::List(rows))?;
        keys.iter_mut().enumerate().for_each(|(at, key)| key.0.push(vector.scalar(at, expr.ty())));
    }
    keys.sort_by(|a, b| {
        for ((left, right), (_, descending)) in a.0.iter().zip(&b.0).zip(&list.sort) {
            let order = left.compare_in(right, *descending);
            if order != Ordering::Equal {
                return order;
            }
        }
        a.1.cmp(&b.1)
    });
    *rows = keys.into_iter().map(|(_, row)| row).collect();
    Ok(())
}
