//! Tables from Arrow record batches, and answers as one.
#![allow(clippy::from_iter_instead_of_collect)] // The array's type is said where it is made.

use arrow_array::cast::AsArray;
use arrow_array::types::{
    Date32Type, Decimal128Type, Float32Type, Float64Type, Int8Type, Int16Type, Int32Type, Int64Type,
    Time64MicrosecondType, TimestampMicrosecondType, TimestampMillisecondType, TimestampSecondType,
    UInt8Type, UInt16Type, UInt32Type,
};
use arrow_array::{
    Array, ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, Int32Array, Int64Array,
    RecordBatch, StringArray, Time64MicrosecondArray, TimestampMicrosecondArray,
};
use arrow_schema::{ArrowError, DataType, Field, Schema, TimeUnit};
use std::collections::HashMap;
use std::sync::Arc;
use vembra_engine::{Answer, ColumnBuilder, Member, Table};
use vembra_plan::{LevelKind, Period, Scalar, Type, civil};

/// Record batches that cannot become a table.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum BatchError {
    /// A column has a type that is not taken.
    #[error(
        "the column {column} of {table} has the Arrow type {found}; take integers, floats, decimal128, utf8, boolean, date32, time64 or timestamps without a time zone"
    )]
    Type {
        /// The table.
        table: String,
        /// The column.
        column: String,
        /// Its type.
        found: String,
    },
    /// The batches of one table differ.
    #[error("the batches of {0} do not have the same columns")]
    Schema(String),
}

impl BatchError {
    /// The code of its message.
    pub fn code(&self) -> &'static str {
        match self {
            Self::Type { .. } => "V620",
            Self::Schema(_) => "V621",
        }
    }

    /// What to do about it.
    pub fn help(&self) -> &'static str {
        match self {
            Self::Type { .. } => "convert the column before it is given",
            Self::Schema(_) => "give batches of one schema",
        }
    }
}

/// A table from record batches of one schema. Nulls stay nulls; decimals and integers stay exact.
///
/// # Errors
/// When a column has a type that is not taken, or the batches differ.
pub fn table(name: &str, batches: &[RecordBatch]) -> Result<Table, BatchError> {
    let Some(first) = batches.first() else {
        return Ok(Table { origin: name.to_owned(), ..Table::default() });
    };
    if batches.iter().any(|b| b.schema().fields() != first.schema().fields()) {
        return Err(BatchError::Schema(name.to_owned()));
    }
    let mut columns = Vec::new();
    for (at, field) in first.schema().fields().iter().enumerate() {
        let unsuited = || BatchError::Type {
            table: name.to_owned(),
            column: field.name().clone(),
            found: field.data_type().to_string(),
        };
        let ty = type_of(field.data_type()).ok_or_else(unsuited)?;
        let mut builder = ColumnBuilder::new(ty);
        for batch in batches {
            let array = batch.column(at);
            (0..array.len())
                .try_for_each(|row| {
                    builder.push(&value(array, row, ty)?);
                    Some(())
                })
                .ok_or_else(unsuited)?;
        }
        columns.push((field.name().clone(), Arc::new(builder.finish())));
    }
    let rows = batches.iter().map(RecordBatch::num_rows).sum();
    Ok(Table { columns, rows, origin: name.to_owned(), ..Table::default() })
}

fn type_of(found: &DataType) -> Option<Type> {
    Some(match found {
        DataType::Int8
        | DataType::Int16
        | DataType::Int32
        | DataType::Int64
        | DataType::UInt8
        | DataType::UInt16
        | DataType::UInt32 => Type::Integer,
        DataType::Float32 | DataType::Float64 => Type::Float,
        DataType::Decimal128(_, scale) => Type::Decimal(u8::try_from(*scale).ok()?),
        DataType::Utf8 | DataType::LargeUtf8 => Type::Text,
        DataType::Boolean => Type::Boolean,
        DataType::Date32 => Type::Date,
        DataType::Time64(TimeUnit::Microsecond) => Type::Time,
        DataType::Timestamp(TimeUnit::Second | TimeUnit::Millisecond | TimeUnit::Microsecond, None) => {
            Type::Moment
        }
        _ => return None,
    })
}

fn value(array: &ArrayRef, row: usize, ty: Type) -> Option<Scalar> {
    if array.is_null(row) {
        return Some(Scalar::Null);
    }
    let lane = |lane: i64| Scalar::from_lane(ty, i128::from(lane));
    Some(match array.data_type() {
        DataType::Int8 => lane(array.as_primitive::<Int8Type>().value(row).into()),
        DataType::Int16 => lane(array.as_primitive::<Int16Type>().value(row).into()),
        DataType::Int32 => lane(array.as_primitive::<Int32Type>().value(row).into()),
        DataType::Int64 => lane(array.as_primitive::<Int64Type>().value(row)),
        DataType::UInt8 => lane(array.as_primitive::<UInt8Type>().value(row).into()),
        DataType::UInt16 => lane(array.as_primitive::<UInt16Type>().value(row).into()),
        DataType::UInt32 => lane(array.as_primitive::<UInt32Type>().value(row).into()),
        DataType::Float32 => Scalar::Float(array.as_primitive::<Float32Type>().value(row).into()),
        DataType::Float64 => Scalar::Float(array.as_primitive::<Float64Type>().value(row)),
        DataType::Decimal128(..) => Scalar::from_lane(ty, array.as_primitive::<Decimal128Type>().value(row)),
        DataType::Utf8 => Scalar::text(array.as_string::<i32>().value(row)),
        DataType::LargeUtf8 => Scalar::text(array.as_string::<i64>().value(row)),
        DataType::Boolean => Scalar::Boolean(array.as_boolean().value(row)),
        DataType::Date32 => Scalar::Date(array.as_primitive::<Date32Type>().value(row)),
        DataType::Time64(TimeUnit::Microsecond) => {
            Scalar::Time(array.as_primitive::<Time64MicrosecondType>().value(row))
        }
        DataType::Timestamp(TimeUnit::Second, None) => {
            Scalar::Moment(array.as_primitive::<TimestampSecondType>().value(row).checked_mul(1_000_000)?)
        }
        DataType::Timestamp(TimeUnit::Millisecond, None) => {
            Scalar::Moment(array.as_primitive::<TimestampMillisecondType>().value(row).checked_mul(1_000)?)
        }
        DataType::Timestamp(TimeUnit::Microsecond, None) => {
            Scalar::Moment(array.as_primitive::<TimestampMicrosecondType>().value(row))
        }
        _ => return None,
    })
}

/// What becomes of months, quarters and weeks in columnar files.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Periods {
    /// The date of their first day; the metadata of the field says under `vembra.period` which period it is. The fiscal year
    /// starts in this month (1 to 12).
    FirstDays(i32),
    /// Texts such as 2025-03.
    Texts,
}

/// Under this name the metadata of a field say which period its dates are the first days of.
pub const PERIOD: &str = "vembra.period";

/// An answer as one record batch: a column a key and a measure. A summary with totals starts with a column `line`
/// that says detail, subtotal or total; keys that are missing, unknown or totalled are null.
///
/// # Errors
/// When the columns do not make a batch, which would be a fault of the program.
pub fn record_batch(answer: &Answer, periods: Periods) -> Result<RecordBatch, ArrowError> {
    let mut fields = Vec::new();
    let mut arrays: Vec<ArrayRef> = Vec::new();
    let mut add = |name: &str, ty: Type, values: Vec<Scalar>| {
        let first = first_days(ty, periods);
        let array = match first {
            Some((period, start)) => days(&values, period, start),
            None => array(&values, ty)?,
        };
        let field = Field::new(name, array.data_type().clone(), true);
        let metadata: HashMap<String, String> = first
            .map(|(period, _)| (PERIOD.to_owned(), Type::Period(period).to_string()))
            .into_iter()
            .collect();
        fields.push(field.with_metadata(metadata));
        arrays.push(array);
        Ok::<(), ArrowError>(())
    };
    match answer {
        Answer::List(list) => {
            for (at, column) in list.columns.iter().enumerate() {
                add(&column.name, column.ty, list.rows.iter().map(|row| row[at].clone()).collect())?;
            }
        }
        Answer::Summary(summary) => {
            if summary.lines.iter().any(|l| l.kind != LevelKind::Detail) {
                let kinds =
                    summary.lines.iter().map(|l| Scalar::text(crate::answer_names::kind_name(l.kind)));
                add("line", Type::Text, kinds.collect())?;
            }
            let key = |member: &Member| match member {
                Member::Value(value) => value.clone(),
                Member::Rest(label) => Scalar::Text(label.clone()),
                _ => Scalar::Null,
            };
            for (at, heading) in summary.rows.iter().enumerate() {
                let ty = key_type(heading.ty, summary.lines.iter().map(|l| &l.rows[at]));
                add(&heading.name, ty, summary.lines.iter().map(|l| key(&l.rows[at])).collect())?;
            }
            for (at, heading) in summary.columns.iter().enumerate() {
                let ty = key_type(heading.ty, summary.lines.iter().map(|l| &l.columns[at]));
                add(&heading.name, ty, summary.lines.iter().map(|l| key(&l.columns[at])).collect())?;
            }
            for (at, measure) in summary.measures.iter().enumerate() {
                let values = summary.lines.iter().map(|l| l.cells[at].value.clone());
                add(&measure.heading.name, measure.common_type(), values.collect())?;
            }
        }
    }
    let schema = Arc::new(Schema::new(fields));
    let rows = arrays.first().map_or(0, Array::len);
    let options = arrow_array::RecordBatchOptions::new().with_row_count(Some(rows));
    RecordBatch::try_new_with_options(schema, arrays, &options)
}

/// The period of a type whose values become dates, and the month in which the fiscal year starts.
fn first_days(ty: Type, periods: Periods) -> Option<(Period, i32)> {
    use Period::{FiscalMonth, FiscalQuarter, Month, Quarter, Week};
    match (ty, periods) {
        (
            Type::Period(period @ (Month | Quarter | Week | FiscalMonth | FiscalQuarter)),
            Periods::FirstDays(start),
        ) => Some((period, start)),
        _ => None,
    }
}

fn days(values: &[Scalar], period: Period, start: i32) -> ArrayRef {
    let day = |value: &Scalar| match value {
        Scalar::Period(_, index) => civil::first_day(period, *index, start),
        _ => None,
    };
    Arc::new(Date32Array::from_iter(values.iter().map(day)))
}

/// A key with a line for the rest is a text.
fn key_type<'m>(ty: Type, mut members: impl Iterator<Item = &'m Member>) -> Type {
    if members.any(|m| matches!(m, Member::Rest(_))) { Type::Text } else { ty }
}

fn array(values: &[Scalar], ty: Type) -> Result<ArrayRef, ArrowError> {
    let lanes = || values.iter().map(|v| v.lane().and_then(|l| i64::try_from(l).ok()));
    let small = || values.iter().map(|v| v.lane().and_then(|l| i32::try_from(l).ok()));
    let text = |v: &Scalar| (!v.is_null()).then(|| v.to_string());
    Ok(match ty {
        Type::Integer => Arc::new(Int64Array::from_iter(lanes())),
        Type::Decimal(scale) => Arc::new(
            Decimal128Array::from_iter(values.iter().map(Scalar::lane))
                .with_precision_and_scale(38, scale as i8)?,
        ),
        Type::Float => Arc::new(Float64Array::from_iter(values.iter().map(Scalar::to_f64))),
        Type::Boolean => Arc::new(BooleanArray::from_iter(values.iter().map(|v| v.lane().map(|l| l != 0)))),
        Type::Date => Arc::new(Date32Array::from_iter(small())),
        Type::Time => Arc::new(Time64MicrosecondArray::from_iter(lanes())),
        Type::Moment => Arc::new(TimestampMicrosecondArray::from_iter(lanes())),
        Type::Period(Period::Year | Period::FiscalYear | Period::DayOfMonth | Period::DayOfYear) => {
            Arc::new(Int32Array::from_iter(small()))
        }
        Type::Null | Type::Text | Type::Period(_) => {
            Arc::new(StringArray::from_iter(values.iter().map(text)))
        }
    })
}
