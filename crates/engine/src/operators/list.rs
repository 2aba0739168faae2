//! Single rows of a table.

use crate::answer::{Heading, ListAnswer};
use crate::error::EngineError;
use crate::execution::options::Options;
use crate::execution::profile::{Pass, Step, profiled};
use crate::execution::threads::try_gather_of;
use crate::expression::prepare::{Preparer, Scope};
use crate::expression::vector::{Values, Vector};
use crate::operators::aggregate::OrderKey;
use crate::operators::evaluator::{Evaluator, NO_CLASS, as_written, predicate};
use crate::operators::members::Key;
use crate::operators::scan::{chosen, conditions_of};
use crate::operators::top_k::TopK;
use crate::physical::pass::PhysicalPass;
use crate::physical::predicates::Predicate;
use crate::storage::narrow::narrow;
use crate::storage::row_id::{RowId, Rows};
use crate::storage::star::Star;
use std::cmp::Ordering;
use vembra_plan::{List, Scan};

/// How many rows are gone through at a time.
const PART: usize = 1 << 16;
/// About how many bytes a row takes by itself, and each value in it, with what is kept while it is written.
const ROW_BYTES: usize = 64;
const VALUE_BYTES: usize = 90;

pub(crate) fn run(
    star: &Star,
    list: &List,
    options: &Options,
    plan_only: bool,
) -> Result<ListAnswer, EngineError> {
    let shown = list.columns.iter().map(|c| &c.expr).chain(list.sort.iter().map(|(e, _)| e));
    let mut roots: Vec<_> = shown.chain(&list.filter).map(|expr| (list.table, expr)).collect();
    roots.extend(list.bridges.iter().flat_map(|b| b.filter.iter().map(|expr| (b.table, expr))));
    let evaluator = Evaluator::new(star, &list.graph, options, &roots);
    let evaluator = if plan_only { evaluator.planning() } else { evaluator };
    let scope = Scope::default();
    let preparer =
        Preparer { evaluator: &evaluator, table: list.table, scope: &scope, within_growing: false };
    let filter = preparer.conditions(&list.filter)?;
    let all = star.rows(list.table);
    options.stop.will_read(all as u64);
    let meets: Vec<Key> =
        list.bridges.iter().map(|bridge| evaluator.meets(bridge)).collect::<Result<_, _>>()?;
    let first = match (list.sort.first(), list.limit) {
        (Some((first, descending)), Some(limit)) => {
            Some((preparer.prepare(first)?, TopK::new(*descending, limit)))
        }
        _ => None,
    };
    let tested = as_written(filter);
    let plan = planned(star, list, tested.iter().map(|own| predicate(&list.filter, own, all)).collect());
    if plan_only {
        for column in &list.columns {
            preparer.prepare(&column.expr)?;
        }
        profiled(options.profiler.as_deref(), || Ok::<(), EngineError>(()), |()| pass(plan, 0))?;
        return Ok(ListAnswer { columns: Vec::new(), rows: Vec::new(), found: 0 });
    }
    let filter = conditions_of(tested);
    let all_pass = filter.is_empty() && meets.is_empty();
    // Of each part those rows that may be among the first ones, and how many there were.
    let of_part = |start: usize| -> Result<(usize, Vec<RowId>), EngineError> {
        let range = start..(start + PART).min(all);
        options.stop.has_read(range.len());
        if let (Some((first, best)), true) = (&first, all_pass) {
            let mut rows = Vec::new();
            for from in range.clone().step_by(options.block) {
                options.stop.check()?;
                let count = options.block.min(range.end - from);
                let values = first.eval(Rows::Range(from, count))?;
                rows.extend(best.of(&values, count, |at| RowId::new(from + at)));
            }
            return Ok((range.len(), rows));
        }
        let mut rows = chosen(&filter, range, options)?;
        rows.retain(|row| meets.iter().all(|meets| meets.code(row.index()) != NO_CLASS));
        let found = rows.len();
        if let Some((first, best)) = &first {
            rows = best.of(&first.eval(Rows::List(&rows))?, rows.len(), |at| rows[at]);
        }
        Ok((found, rows))
    };
    let starts: Vec<usize> = (0..all).step_by(PART).collect();
    let read = || try_gather_of(starts, of_part);
    let parts = profiled(options.profiler.as_deref(), read, |_| pass(plan, all))?;
    let found = parts.iter().map(|(found, _)| found).sum();
    let mut rows: Vec<RowId> = parts.into_iter().flat_map(|(_, rows)| rows).collect();
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

/// How the rows of a list are found.
fn planned(star: &Star, list: &List, predicates: Vec<Predicate>) -> PhysicalPass {
    let scan = Scan { filter: list.filter.clone(), ..Scan::over(list.table) };
    let top_k = list.limit.filter(|_| !list.sort.is_empty());
    PhysicalPass { predicates, top_k, ..PhysicalPass::of(&scan, star.rows(list.table)) }
}

fn pass(plan: PhysicalPass, read: usize) -> Step {
    Step::Pass(Box::new(Pass { plan, read, groups: 0 }))
}

/// Nulls last; equal rows stay in the order of the file. Only those up to the limit are put in order.
fn sort(preparer: &Preparer<'_, '_>, list: &List, rows: &mut Vec<RowId>) -> Result<(), EngineError> {
    if list.sort.is_empty() || rows.is_empty() {
        return Ok(());
    }
    let wanted = list.limit.unwrap_or(usize::MAX);
    if wanted < rows.len()
        && let Some((first, descending)) = list.sort.first()
    {
        let vector = preparer.prepare(first)?.eval(Rows::List(rows))?;
        *rows = TopK::new(*descending, wanted).of(&vector, rows.len(), |at| rows[at]);
    }
    let mut keys: Vec<(SortKeys, bool)> = Vec::with_capacity(list.sort.len());
    for (expr, descending) in &list.sort {
        let vector = preparer.prepare(expr)?.eval(Rows::List(rows))?;
        // One value in all rows distinguishes none of them.
        if !vector.constant {
            keys.push((SortKeys::of(vector), *descending));
        }
    }
    let order = |a: &u32, b: &u32| {
        let by = |(keys, descending): &(SortKeys, bool)| keys.compare(*a as usize, *b as usize, *descending);
        keys.iter().map(by).find(|order| order.is_ne()).unwrap_or_else(|| a.cmp(b))
    };
    let mut places: Vec<u32> = (0..narrow(rows.len())).collect();
    if wanted == 0 {
        places.clear();
    } else if wanted < places.len() {
        places.select_nth_unstable_by(wanted - 1, order);
        places.truncate(wanted);
    }
    places.sort_unstable_by(order);
    *rows = places.into_iter().map(|place| rows[place as usize]).collect();
    Ok(())
}

/// The values of rows by which they are put in order.
struct SortKeys {
    values: SortValues,
    valid: Option<Vec<bool>>,
}

enum SortValues {
    Physicals(Vec<i64>),
    Codes(Vec<u32>),
    Others(Vec<OrderKey>),
}

impl SortKeys {
    fn of(vector: Vector) -> Self {
        let values = match vector.values {
            Values::Int(physicals) => SortValues::Physicals(physicals),
            Values::Code(codes, _) => SortValues::Codes(codes),
            _ => SortValues::Others((0..vector.len()).map(|at| OrderKey::at(&vector, at)).collect()),
        };
        Self { values, valid: vector.valid }
    }

    fn compare(&self, a: usize, b: usize, descending: bool) -> Ordering {
        let known = |at: usize| self.valid.as_ref().is_none_or(|valid| valid[at]);
        match (known(a), known(b)) {
            (true, true) => {
                let order = match &self.values {
                    SortValues::Physicals(physicals) => physicals[a].cmp(&physicals[b]),
                    SortValues::Codes(codes) => codes[a].cmp(&codes[b]),
                    SortValues::Others(keys) => keys[a].cmp(&keys[b]),
                };
                if descending { order.reverse() } else { order }
            }
            (a, b) => b.cmp(&a),
        }
    }
}
