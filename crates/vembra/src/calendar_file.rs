//! A calendar from a file: a row per day from the first to the last, with what the file says of it.

use crate::column_finding::column_finding;
use std::collections::BTreeMap;
use vembra_engine::{Column, ColumnBuilder, Table, TableColumn};
use vembra_plan::civil::{format_date, period_of};
use vembra_plan::{Finding, Period, Scalar, Type};
use vembra_sources::Loaded;
use vembra_syntax::Code;

/// The name of the calendar's own column of days.
const DATE: &str = "date";
/// A calendar has at most this many days: a thousand years.
const MOST_DAYS: i64 = 366_000;

/// Puts the rows of a file in the order of their days, with empty ones for days that it leaves out.
pub(crate) fn every_day(loaded: Loaded, days: &str) -> Loaded {
    let Loaded { table, mut findings } = loaded;
    let Some(dates) = table.column(days).and_then(TableColumn::here).cloned() else {
        let message = format!("the calendar's file has no column {days}");
        findings.push(finding(
            &table,
            None,
            days,
            message,
            "name the column with the days: calendar from '…' key day",
        ));
        return Loaded { table, findings };
    };
    if days != DATE && table.column(DATE).is_some() {
        let message = format!("{DATE} is the name of the calendar's own days, and {days} is its key");
        findings.push(finding(
            &table,
            None,
            DATE,
            message,
            "give the column another name, or make it the key",
        ));
    }
    let rows = rows_by_day(&table, &dates, days, &mut findings);
    let (first, last) = match (rows.keys().next(), rows.keys().next_back()) {
        (Some(first), Some(last)) => (*first, *last),
        _ => return Loaded { table: Table { origin: table.origin, ..Table::default() }, findings },
    };
    if i64::from(last) - i64::from(first) >= MOST_DAYS {
        let message = "the calendar is longer than a thousand years".to_owned();
        findings.push(finding(
            &table,
            rows.get(&last).copied(),
            days,
            message,
            "fix the day that is far off",
        ));
        return Loaded { table, findings };
    }
    let mut columns = vec![(DATE.to_owned(), {
        let mut builder = ColumnBuilder::new(Type::Date);
        (first..=last).for_each(|day| builder.push(&Scalar::Date(day)));
        TableColumn::from(builder.finish())
    })];
    for (name, column) in table.columns.iter().filter(|(name, _)| name != days) {
        let column = match column.get() {
            Ok(column) => column,
            Err(error) => {
                findings.push(column_finding(name, &error));
                continue;
            }
        };
        let name = match own_attribute(name) {
            Some(period) if is_own(period, column, &rows) => continue,
            Some(_) => renamed(&table, name, &mut findings),
            None => name.clone(),
        };
        let mut builder = ColumnBuilder::new(column.ty());
        for day in first..=last {
            builder.push(&rows.get(&day).map_or(Scalar::Null, |row| column.scalar(*row)));
        }
        columns.push((name, builder.finish().into()));
    }
    let table =
        Table { columns, rows: (last - first + 1) as usize, origin: table.origin, ..Table::default() };
    Loaded { table, findings }
}

/// The row of each day; a row without a day and a day that stands twice are reported.
fn rows_by_day(
    table: &Table,
    dates: &Column,
    days: &str,
    findings: &mut Vec<Finding>,
) -> BTreeMap<i32, usize> {
    let mut rows: BTreeMap<i32, usize> = BTreeMap::new();
    for row in 0..table.rows {
        let Scalar::Date(day) = dates.scalar(row) else {
            let message = "a row of the calendar has no day".to_owned();
            findings.push(finding(table, Some(row), days, message, "fill in the day, or remove the row"));
            continue;
        };
        if rows.insert(day, row).is_some() {
            let message = format!("the day {} stands twice in the calendar", format_date(day));
            findings.push(finding(table, Some(row), days, message, "keep one row per day"));
        }
    }
    rows
}

/// Another name for a column whose name the calendar's own attribute has.
fn renamed(table: &Table, name: &str, findings: &mut Vec<Finding>) -> String {
    let other = free_name(table, name);
    findings.push(Finding {
        code: Code::V529,
        severity: Code::V529.severity(),
        ..finding(
            table,
            None,
            name,
            format!("the column {name} of the file is not the {name} that every calendar has"),
            &format!("the file's is reached as calendar.{other}, the calendar's own as calendar.{name}"),
        )
    });
    other
}

/// The period that an attribute of every calendar stands for, by its name.
fn own_attribute(name: &str) -> Option<Period> {
    Period::ALL.into_iter().find(|period| period.name() == name)
}

/// Whether a column of the file says for every one of its days what the calendar itself says: by its text, or by its number where periods
/// are numbers. Fiscal ones depend on the model, and are never taken for it.
fn is_own(period: Period, column: &Column, rows: &BTreeMap<i32, usize>) -> bool {
    if matches!(period, Period::FiscalYear | Period::FiscalQuarter | Period::FiscalMonth) {
        return false;
    }
    rows.iter().all(|(day, row)| {
        let Some(index) = period_of(period, *day, 1) else { return false };
        let own = Scalar::Period(period, index);
        match column.scalar(*row) {
            Scalar::Integer(number) => period.reads_as_integer() && number == i64::from(index),
            other => other.to_string() == own.to_string(),
        }
    })
}

/// A name for a column of the file that no other has.
fn free_name(table: &Table, name: &str) -> String {
    let mut other = format!("file_{name}");
    while table.column(&other).is_some() {
        other = format!("file_{other}");
    }
    other
}

fn finding(table: &Table, row: Option<usize>, column: &str, message: String, help: &str) -> Finding {
    Finding {
        line: row.and_then(|row| table.line(row)),
        column: Some(column.to_owned()),
        ..Finding::new(
            Code::V528,
            row.map_or_else(|| table.origin.clone(), |row| table.file(row).to_owned()),
            message,
            help,
        )
    }
}
