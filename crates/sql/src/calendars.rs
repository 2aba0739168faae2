//! Calendars: sent along as rows, so that no calendar of a server is needed.

use crate::refused::Refused;
use crate::source::Source;
use vembra_plan::{ColumnId, TableId, Type};

/// How many days stand on a line.
const ON_A_LINE: usize = 6;

/// The column of a calendar that holds its days.
pub(crate) fn day_column(source: &Source<'_>, table: TableId) -> Option<ColumnId> {
    let schema = source.schema;
    schema.table(table).columns.iter().copied().find(|c| schema.column(*c).ty == Type::Date)
}

/// Refuses a column of a calendar that is worked out from tables of the server: calendars are made here.
pub(crate) fn is_known_here(source: &Source<'_>, column: ColumnId) -> Result<(), Refused> {
    let schema = source.schema;
    let Some(formula) = &schema.column(column).formula else { return Ok(()) };
    let mut there = !formula.graph.scans.is_empty();
    let mut read = Vec::new();
    let is_here = |table: TableId| {
        let hidden = source.limits.iter().any(|(limited, _)| *limited == table);
        !source.tables.contains_key(&table) || source.here.contains(&table) && !hidden
    };
    formula.expr.columns(&mut |c| {
        there |= !c.path.iter().all(|l| is_here(schema.link_target(*l)));
        read.push(c.column);
    });
    if there {
        return Err(Refused {
            what: format!("{}, which looks at a table of the server,", schema.qualified(column)),
            help: "read that table from a file: the days of a calendar are worked out here".to_owned(),
        });
    }
    read.into_iter().filter(|own| *own != column).try_for_each(|own| is_known_here(source, own))
}

/// Refuses date ranges of working days where these are worked out from tables of the server.
pub(crate) fn are_known_here(source: &Source<'_>, calendar: TableId) -> Result<(), Refused> {
    let columns = &source.schema.table(calendar).columns;
    let counted = |c: &&ColumnId| source.schema.column(**c).formula.as_ref().is_some_and(|f| f.counted);
    columns.iter().filter(counted).try_for_each(|column| is_known_here(source, *column))
}

/// The rows of a calendar with its day and some further columns.
pub(crate) fn rows(source: &Source<'_>, table: TableId, used: &[ColumnId]) -> Result<String, Refused> {
    let words = source.dialect.words();
    let wrap = |error: vembra_engine::EngineError| Refused::new(format!("the calendar ({error})"));
    let columns: Vec<_> =
        used.iter().map(|c| source.star.column(*c).map_err(wrap)).collect::<Result<_, _>>()?;
    let mut days = Vec::with_capacity(source.star.rows(table));
    for row in 0..source.star.rows(table) {
        let values: Vec<String> =
            columns.iter().map(|column| words.literal(&column.scalar(row), column.ty())).collect();
        days.push(format!("({})", values.join(", ")));
    }
    if days.is_empty() {
        let none: Vec<String> = columns.iter().map(|c| words.null(c.ty())).collect();
        return Ok(format!("select {} where false", none.join(", ")));
    }
    let lines: Vec<String> = days.chunks(ON_A_LINE).map(|line| line.join(", ")).collect();
    let names: Vec<String> = used.iter().map(|c| words.quoted_name(&source.schema.column(*c).name)).collect();
    Ok(format!("select * from (values\n{}\n) as d ({})", lines.join(",\n"), names.join(", ")))
}
