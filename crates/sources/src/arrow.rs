//! Tables from Arrow record batches, and answers as one.
#![allow(clippy::from_iter_instead_of_collect)] // The array's type is said where it is made.

use crate::answer_names::{NOTES, has_notes, kind_name, notes, totalled};
use arrow_array::array::AnyDictionaryArray;
use arrow_array::cast::AsArray;
use arrow_array::types::{
    Date32Type, Date64Type, Decimal32Type, Decimal64Type, Decimal128Type, Float32Type, Float64Type, Int8Type,
    Int16Type, Int32Type, Int64Type, Time32MillisecondType, Time32SecondType, Time64MicrosecondType,
    Time64NanosecondType, TimestampMicrosecondType, TimestampMillisecondType, TimestampNanosecondType,
    TimestampSecondType, UInt8Type, UInt16Type, UInt32Type, UInt64Type,
};
use arrow_array::{
    Array, ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, Int32Array, Int64Array,
    RecordBatch, StringArray, Time64MicrosecondArray, TimestampMicrosecondArray,
};
use arrow_schema::{ArrowError, DataType, Field, Schema, TimeUnit};
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::Arc;
use vembra_engine::{Answer, Column, ColumnBuilder, Member, Table, TableColumn};
use vembra_plan::{Code, EvalError, LevelKind, Period, Scalar, Type, Zone, call, civil};

/// Record batches that cannot become a table.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum BatchError {
    /// A column has a type that is not taken.
    #[error(
        "the column {column} of {table} has the Arrow type {found}; take integers, floats, decimal128, utf8, boolean, dates, times or timestamps without a time zone"
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
    pub fn code(&self) -> Code {
        match self {
            Self::Type { .. } => Code::V620,
            Self::Schema(_) => Code::V621,
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

/// A table from record batches of one schema. Nulls stay nulls; decimals and integers stay exact; instants are moments as the clocks of `zone`
/// show them.
///
/// # Errors
/// When a column has a type that is not taken, or the batches differ.
pub fn table(name: &str, batches: &[RecordBatch], zone: Zone) -> Result<Table, BatchError> {
    let Some(first) = batches.first() else {
        return Ok(Table { origin: name.to_owned(), ..Table::default() });
    };
    if batches.iter().any(|b| b.schema().fields() != first.schema().fields()) {
        return Err(BatchError::Schema(name.to_owned()));
    }
    let schema = first.schema();
    let read = |(at, field): (usize, &Arc<Field>)| {
        let arrays: Vec<&ArrayRef> = batches.iter().map(|b| b.column(at)).collect();
        let column = column(&arrays, field.data_type()).ok_or_else(|| BatchError::Type {
            table: name.to_owned(),
            column: field.name().clone(),
            found: field.data_type().to_string(),
        })?;
        Ok((
            field.name().clone(),
            TableColumn::from(in_zone(with_period(column, field), field.data_type(), zone)),
        ))
    };
    let columns = schema.fields().par_iter().enumerate().map(read).collect::<Result<_, BatchError>>()?;
    let rows = batches.iter().map(RecordBatch::num_rows).sum();
    Ok(Table { columns, rows, origin: name.to_owned(), ..Table::default() })
}

/// A column as the periods that the metadata of its field say its days are the first of; else as it is.
pub(crate) fn with_period(column: Column, field: &Field) -> Column {
    let period = field.metadata().get(PERIOD).and_then(|name| Type::from_name(name));
    period.and_then(|ty| as_period(&column, ty)).unwrap_or(column)
}

/// Instants as the clocks of a zone show them; other columns as they are.
pub(crate) fn in_zone(column: Column, found: &DataType, zone: Zone) -> Column {
    if zone.is_utc() || !matches!(found, DataType::Timestamp(_, Some(_))) {
        return column;
    }
    let mut builder = ColumnBuilder::new(Type::Moment);
    for row in 0..column.len() {
        let utc = column.scalar(row).physical().and_then(|physical| i64::try_from(physical).ok());
        builder.push_physical(utc.map(|utc| i128::from(zone.local(utc).unwrap_or(utc))));
    }
    builder.finish()
}

/// First days as the periods that the metadata of their field says; none if one is no first day, or the period repeats.
fn as_period(column: &Column, ty: Type) -> Option<Column> {
    let mut builder = ColumnBuilder::new(ty);
    for row in 0..column.len() {
        let value = column.scalar(row);
        let physical =
            if value.is_null() { None } else { Some(crate::periods::physical(&value.to_string(), ty)?) };
        builder.push_physical(physical);
    }
    Some(builder.finish())
}

/// A column of the values of arrays of one type, one behind the other; none if that type is not taken.
pub(crate) fn column(arrays: &[&ArrayRef], found: &DataType) -> Option<Column> {
    let ty = type_of(found)?;
    if arrays.is_empty() {
        return Some(ColumnBuilder::new(ty).finish());
    }
    let parts: Option<Vec<Column>> = arrays.iter().map(|array| part(array, ty)).collect();
    Column::concat(ty, parts?)
}

/// The values of one array.
pub(crate) fn part(array: &ArrayRef, ty: Type) -> Option<Column> {
    let mut builder = ColumnBuilder::new(ty);
    if let Some(dictionary) = array.as_any_dictionary_opt() {
        return coded(dictionary, ty);
    }
    macro_rules! physicals {
        ($($kind:pat => $native:ty),*) => {
            match array.data_type() {
                $($kind => {
                    let values = array.as_primitive::<$native>();
                    if values.null_count() == 0 {
                        builder.extend_narrow(values.values().iter().map(|value| i64::from(*value)));
                        return Some(builder.finish());
                    }
                    for row in 0..values.len() {
                        if values.is_null(row) {
                            builder.push_null();
                        } else {
                            builder.push_narrow(i64::from(values.value(row)));
                        }
                    }
                    return Some(builder.finish());
                })*
                _ => {}
            }
        };
    }
    physicals!(
        DataType::Int8 => Int8Type, DataType::Int16 => Int16Type, DataType::Int32 => Int32Type,
        DataType::Int64 => Int64Type, DataType::UInt8 => UInt8Type, DataType::UInt16 => UInt16Type,
        DataType::UInt32 => UInt32Type, DataType::Date32 => Date32Type,
        DataType::Decimal32(..) => Decimal32Type, DataType::Decimal64(..) => Decimal64Type,
        DataType::Time64(TimeUnit::Microsecond) => Time64MicrosecondType,
        DataType::Timestamp(TimeUnit::Microsecond, _) => TimestampMicrosecondType
    );
    match array.data_type() {
        DataType::Utf8 => array.as_string::<i32>().iter().for_each(|text| builder.push_text(text)),
        DataType::LargeUtf8 => array.as_string::<i64>().iter().for_each(|text| builder.push_text(text)),
        DataType::Utf8View => array.as_string_view().iter().for_each(|text| builder.push_text(text)),
        DataType::Decimal128(..) => {
            let values = array.as_primitive::<Decimal128Type>();
            values.iter().for_each(|value| match value.map(i64::try_from) {
                Some(Ok(narrow)) => builder.push_narrow(narrow),
                Some(Err(_)) => builder.push_physical(value),
                None => builder.push_null(),
            });
        }
        DataType::Float64 => {
            array.as_primitive::<Float64Type>().iter().for_each(|float| builder.push_float(float));
        }
        _ => {
            for row in 0..array.len() {
                builder.push(&value(array, row, ty)?);
            }
        }
    }
    Some(builder.finish())
}

/// The texts of an array that keeps them apart from its rows.
fn coded(array: &dyn AnyDictionaryArray, ty: Type) -> Option<Column> {
    if let Some(column) = coded_texts(array, ty) {
        return Some(column);
    }
    let (values, mut builder) = (part(array.values(), ty)?, ColumnBuilder::new(ty));
    for (row, key) in array.normalized_keys().into_iter().enumerate() {
        builder.push(&if array.keys().is_null(row) { Scalar::Null } else { values.scalar(key) });
    }
    Some(builder.finish())
}

/// Texts that are kept apart from their rows; none if they are kept in another way than is usual.
fn coded_texts(array: &dyn AnyDictionaryArray, ty: Type) -> Option<Column> {
    let values = array.values();
    let keys = array.keys().as_primitive_opt::<Int32Type>()?;
    if ty != Type::Text || values.null_count() > 0 {
        return None;
    }
    let texts: Vec<Arc<str>> = match values.data_type() {
        DataType::Utf8 => values.as_string::<i32>().iter().flatten().map(Arc::from).collect(),
        DataType::LargeUtf8 => values.as_string::<i64>().iter().flatten().map(Arc::from).collect(),
        _ => return None,
    };
    let codes: Vec<u32> = match keys.nulls() {
        None => keys.values().iter().map(|key| *key as u32).collect(),
        Some(there) => {
            let codes = keys.values().iter().zip(there.iter());
            codes.map(|(key, is_there)| if is_there { *key as u32 } else { u32::MAX }).collect()
        }
    };
    Some(Column::from_coded_texts(texts, codes))
}

pub(crate) fn type_of(found: &DataType) -> Option<Type> {
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
        DataType::Decimal32(_, scale) | DataType::Decimal64(_, scale) => {
            Type::Decimal(u8::try_from(*scale).ok()?)
        }
        DataType::UInt64 => Type::Integer,
        DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View => Type::Text,
        DataType::Dictionary(_, values) => type_of(values)?,
        DataType::Boolean => Type::Boolean,
        DataType::Date32 | DataType::Date64 => Type::Date,
        DataType::Time32(_) | DataType::Time64(_) => Type::Time,
        DataType::Timestamp(..) => Type::Moment,
        DataType::Null => Type::Null,
        _ => return None,
    })
}

fn value(array: &ArrayRef, row: usize, ty: Type) -> Option<Scalar> {
    // An array of nothing but nulls has no bits that say so.
    if array.is_null(row) || array.data_type() == &DataType::Null {
        return Some(Scalar::Null);
    }
    let physical = |physical: i64| Scalar::from_physical(ty, i128::from(physical));
    Some(match array.data_type() {
        DataType::Int8 => physical(array.as_primitive::<Int8Type>().value(row).into()),
        DataType::Int16 => physical(array.as_primitive::<Int16Type>().value(row).into()),
        DataType::Int32 => physical(array.as_primitive::<Int32Type>().value(row).into()),
        DataType::Int64 => physical(array.as_primitive::<Int64Type>().value(row)),
        DataType::UInt8 => physical(array.as_primitive::<UInt8Type>().value(row).into()),
        DataType::UInt16 => physical(array.as_primitive::<UInt16Type>().value(row).into()),
        DataType::UInt32 => physical(array.as_primitive::<UInt32Type>().value(row).into()),
        DataType::Float32 => Scalar::Float(array.as_primitive::<Float32Type>().value(row).into()),
        DataType::Float64 => Scalar::Float(array.as_primitive::<Float64Type>().value(row)),
        DataType::Decimal128(..) => {
            Scalar::from_physical(ty, array.as_primitive::<Decimal128Type>().value(row))
        }
        DataType::Decimal32(..) => {
            Scalar::from_physical(ty, array.as_primitive::<Decimal32Type>().value(row).into())
        }
        DataType::Decimal64(..) => {
            Scalar::from_physical(ty, array.as_primitive::<Decimal64Type>().value(row).into())
        }
        DataType::UInt64 => physical(i64::try_from(array.as_primitive::<UInt64Type>().value(row)).ok()?),
        DataType::Date64 => {
            let millis = array.as_primitive::<Date64Type>().value(row);
            Scalar::Date(i32::try_from(millis.div_euclid(86_400_000)).ok()?)
        }
        DataType::Time32(TimeUnit::Second) => {
            Scalar::Time(i64::from(array.as_primitive::<Time32SecondType>().value(row)) * 1_000_000)
        }
        DataType::Time32(_) => {
            Scalar::Time(i64::from(array.as_primitive::<Time32MillisecondType>().value(row)) * 1_000)
        }
        DataType::Time64(TimeUnit::Nanosecond) => {
            Scalar::Time(whole_micros(array.as_primitive::<Time64NanosecondType>().value(row))?)
        }
        DataType::Timestamp(TimeUnit::Nanosecond, _) => {
            Scalar::Moment(whole_micros(array.as_primitive::<TimestampNanosecondType>().value(row))?)
        }
        DataType::Utf8 => Scalar::text(array.as_string::<i32>().value(row)),
        DataType::LargeUtf8 => Scalar::text(array.as_string::<i64>().value(row)),
        DataType::Boolean => Scalar::Boolean(array.as_boolean().value(row)),
        DataType::Date32 => Scalar::Date(array.as_primitive::<Date32Type>().value(row)),
        DataType::Time64(TimeUnit::Microsecond) => {
            Scalar::Time(array.as_primitive::<Time64MicrosecondType>().value(row))
        }
        DataType::Timestamp(TimeUnit::Second, _) => {
            Scalar::Moment(array.as_primitive::<TimestampSecondType>().value(row).checked_mul(1_000_000)?)
        }
        DataType::Timestamp(TimeUnit::Millisecond, _) => {
            Scalar::Moment(array.as_primitive::<TimestampMillisecondType>().value(row).checked_mul(1_000)?)
        }
        DataType::Timestamp(TimeUnit::Microsecond, _) => {
            Scalar::Moment(array.as_primitive::<TimestampMicrosecondType>().value(row))
        }
        _ => return None,
    })
}

/// Nanoseconds as microseconds; none if that would lose something.
fn whole_micros(nanos: i64) -> Option<i64> {
    (nanos % 1_000 == 0).then_some(nanos / 1_000)
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
            let down = summary.figures_down();
            let summary = down.as_ref().unwrap_or(summary);
            if summary.lines.iter().any(|l| l.kind != LevelKind::Detail) {
                let kinds = summary.lines.iter().map(|l| Scalar::text(kind_name(l.kind)));
                add("line", Type::Text, kinds.collect())?;
                let over = summary.lines.iter().map(|l| Scalar::text(totalled(summary, l)));
                add("over", Type::Text, over.collect())?;
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
                let ty = measure.common_type();
                let value = |value: &Scalar| match ty {
                    // Figures under one another may have fewer decimals each.
                    Type::Decimal(_) => call::convert(value.clone(), ty),
                    _ => Ok(value.clone()),
                };
                let values: Result<Vec<Scalar>, EvalError> =
                    summary.lines.iter().map(|l| value(&l.cells[at].value)).collect();
                let values = values.map_err(|error| ArrowError::ComputeError(error.to_string()))?;
                add(&measure.heading.name, ty, values)?;
            }
            if has_notes(summary) {
                let notes = summary.lines.iter().map(|line| Scalar::text(notes(summary, line)));
                add(NOTES, Type::Text, notes.collect())?;
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
    let physicals = || values.iter().map(|v| v.physical().and_then(|l| i64::try_from(l).ok()));
    let small = || values.iter().map(|v| v.physical().and_then(|l| i32::try_from(l).ok()));
    let text = |v: &Scalar| (!v.is_null()).then(|| v.to_string());
    Ok(match ty {
        Type::Integer => Arc::new(Int64Array::from_iter(physicals())),
        Type::Decimal(scale) => Arc::new(
            Decimal128Array::from_iter(values.iter().map(Scalar::physical))
                .with_precision_and_scale(38, scale as i8)?,
        ),
        Type::Float => Arc::new(Float64Array::from_iter(values.iter().map(Scalar::to_f64))),
        Type::Boolean => {
            Arc::new(BooleanArray::from_iter(values.iter().map(|v| v.physical().map(|l| l != 0))))
        }
        Type::Date => Arc::new(Date32Array::from_iter(small())),
        Type::Time => Arc::new(Time64MicrosecondArray::from_iter(physicals())),
        Type::Moment => Arc::new(TimestampMicrosecondArray::from_iter(physicals())),
        Type::Period(Period::Year | Period::FiscalYear | Period::DayOfMonth | Period::DayOfYear) => {
            Arc::new(Int32Array::from_iter(small()))
        }
        Type::Null | Type::Text | Type::Period(_) => {
            Arc::new(StringArray::from_iter(values.iter().map(text)))
        }
    })
}
