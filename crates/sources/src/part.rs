//! A part of the rows of a table, as if the others had not been in its file: their types and findings are those of the rows left.

use crate::cells::{Cells, Mode};
use crate::delimited::findings::{bad_findings, form_finding, mostly_finding, rounded_finding};
use crate::guess::type_of;
use crate::joined::Joined;
use crate::loaded::{Loaded, ReadOptions, failed};
use crate::written::AS_IT_STANDS;
use std::sync::Arc;
use vembra_engine::{Column, EngineError, Lines, RowId, Table, Written};
use vembra_plan::forms::{Forms, NOT_A_NUMBER};
use vembra_plan::{Code, Finding, Scalar, Type};

/// Some rows of a table that was read with `options`, by their numbers in order. No file is read for it. Rows have no lines any more:
/// these would say how many others lie between them.
///
/// # Errors
/// When a column that lies outside is not to be had any more.
pub fn part_of(table: &Table, rows: &[RowId], options: &ReadOptions) -> Result<Loaded, EngineError> {
    let origin = table.origin.clone();
    let mut part = Table { rows: rows.len(), origin, lines: Lines::Unknown, ..Table::default() };
    let mut findings = Vec::new();
    for (name, column) in &table.columns {
        let written = table.written.iter().find(|(known, _)| known == name).map(|(_, written)| written);
        let column = column.get()?;
        // Of numbers with three decimals it may be in doubt what they are.
        let is_sure =
            |written: &&Written| matches!(written, Written::Alike) && column.ty() != Type::Decimal(3);
        let Some(written) = written.filter(|written| !is_sure(written)) else {
            let only = column.only(rows);
            // Where no row that is left has a value, the type is not known any more.
            let is_lost = written.is_some() && only.missing() == only.len();
            part.columns.push((name.clone(), if is_lost { nothing(only.len()) } else { only }.into()));
            continue;
        };
        let fields = Fields::of(column, written)?;
        let found = read(&fields, rows, written, options, name);
        findings.extend(bad_findings(&part, name, (found.ty, None), &found.bad));
        findings.extend(found.spoiled.as_ref().and_then(|s| mostly_finding(&part, name, s)));
        findings.extend(found.doubts.findings(&part, name, found.ty));
        findings.extend(found.rounded.as_ref().and_then(|r| rounded_finding(&part, name, found.ty, r)));
        let Some(only) = found.parts.and_then(|parts| Column::concat(found.ty, parts)) else {
            let message = format!("the values do not fit into {}", found.ty.with_article());
            let help = "fix the type of the column to float, or to text";
            findings.push(Finding {
                column: Some(name.clone()),
                ..Finding::new(Code::V618, &part.origin, message, help)
            });
            return Ok(failed(&part.origin, findings));
        };
        if found.ty == Type::Text {
            findings.extend(form_finding(&part, name, &only));
        }
        part.columns.push((name.clone(), only.into()));
    }
    Ok(Loaded { table: part, findings })
}

fn nothing(rows: usize) -> Column {
    let mut builder = vembra_engine::ColumnBuilder::new(Type::Null);
    (0..rows).for_each(|_| builder.push_null());
    builder.finish()
}

/// A column and what its values do not say.
struct Fields<'c> {
    column: &'c Column,
    quoted: bool,
    more: Option<&'c Arc<Column>>,
}

impl<'c> Fields<'c> {
    fn of(column: &'c Column, written: &'c Written) -> Result<Self, EngineError> {
        let more = match written {
            Written::Alike | Written::Values | Written::Quoted => None,
            Written::Decimals { column, .. } | Written::Fields(column) => Some(column.get()?),
        };
        Ok(Self { column, quoted: matches!(written, Written::Quoted), more })
    }

    /// Gives the field of a row to the cells.
    fn push(&self, row: usize, cells: &mut Cells<'_>) {
        match (self.column.scalar(row), self.more.map(|more| more.scalar(row))) {
            (Scalar::Null, _) => cells.push(""),
            (_, Some(Scalar::Text(field))) => {
                if let Some(text) = field.strip_suffix(NOT_A_NUMBER) {
                    cells.push_as(&field, text);
                } else if let Some(raw) = field.strip_suffix(AS_IT_STANDS) {
                    cells.push(raw);
                } else {
                    cells.push_plain(&field);
                }
            }
            (Scalar::Decimal(value), Some(Scalar::Integer(scale))) => {
                let written = u8::try_from(scale).ok().and_then(|scale| value.rescale(scale));
                cells.push_again(&written.unwrap_or(value).to_string());
            }
            (Scalar::Text(text), _) if self.quoted => cells.push_as(&format!("{text}{NOT_A_NUMBER}"), &text),
            (Scalar::Text(text), _) => cells.push(&text),
            (value, _) => cells.push_plain(&value.to_string()),
        }
    }
}

fn read(fields: &Fields<'_>, rows: &[RowId], written: &Written, options: &ReadOptions, name: &str) -> Joined {
    let forms: Forms = options.forms_of(name);
    let all = |mode: Mode| {
        let mut cells = Cells::new(mode, &forms);
        rows.iter().for_each(|row| fields.push(row.index(), &mut cells));
        cells.finish()
    };
    let fixed = matches!(written, Written::Decimals { fixed: true, .. }).then_some(Type::Decimal(0));
    let mut done = all(fixed.map_or(Mode::Find(None), Mode::Fixed));
    if let (None, Some(look)) = (&done.column, done.look) {
        let again = all(Mode::As(type_of(look)));
        done.column = again.column;
        done.bad.extend(again.bad);
    }
    Joined::of(fixed, std::iter::once((done, &0)))
}
