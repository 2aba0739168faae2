//! Columnar files, Arrow IPC and Parquet: tables from them, and answers as such.

use crate::arrow::{BatchError, table};
use crate::input::Input;
use crate::loaded::{Loaded, ReadOptions, failed};
use crate::periods::physical;
use arrow_array::RecordBatch;
use arrow_ipc::reader::{FileReader, StreamReader};
use arrow_ipc::writer::{FileWriter, StreamWriter};
use arrow_schema::ArrowError;
#[cfg(feature = "parquet")]
use arrow_schema::Field;
#[cfg(feature = "parquet")]
use parquet::errors::ParquetError;
use std::io::Cursor;
use vembra_engine::{Column, ColumnBuilder, EngineError, Table};
use vembra_plan::{Code, Finding, Type};

/// A record batch as the bytes of an Arrow IPC file.
///
/// # Errors
/// When a column cannot be written, which would be a fault of the program.
pub fn ipc(batch: &RecordBatch) -> Result<Vec<u8>, ArrowError> {
    let mut writer = FileWriter::try_new(Vec::new(), &batch.schema())?;
    writer.write(batch)?;
    writer.finish()?;
    writer.into_inner()
}

/// A record batch as the bytes of an Arrow IPC stream, for pipes.
///
/// # Errors
/// When a column cannot be written, which would be a fault of the program.
pub fn ipc_stream(batch: &RecordBatch) -> Result<Vec<u8>, ArrowError> {
    let mut writer = StreamWriter::try_new(Vec::new(), &batch.schema())?;
    writer.write(batch)?;
    writer.finish()?;
    writer.into_inner()
}

/// A record batch as the bytes of a Parquet file, packed with Snappy.
///
/// # Errors
/// When a column cannot be written, which would be a fault of the program.
#[cfg(feature = "parquet")]
pub fn parquet(batch: &RecordBatch) -> Result<Vec<u8>, ParquetError> {
    use parquet::arrow::ArrowWriter;
    use parquet::basic::Compression;
    use parquet::file::properties::WriterProperties;

    let packed = WriterProperties::builder().set_compression(Compression::SNAPPY).build();
    let mut writer = ArrowWriter::try_new(Vec::new(), batch.schema(), Some(packed))?;
    writer.write(batch)?;
    writer.into_inner()
}

/// The table of an Arrow IPC file or stream.
pub(crate) fn read_arrow(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    let bytes = match input.whole(options.memory) {
        Ok(bytes) => bytes,
        Err(unread) => return failed(name, vec![unread.finding(name)]),
    };
    let read = || -> Result<Vec<RecordBatch>, ArrowError> {
        let (mut batches, schema): (Vec<RecordBatch>, _) = if bytes.starts_with(b"ARROW1") {
            let reader = FileReader::try_new(Cursor::new(&bytes), None)?;
            let schema = reader.schema();
            (reader.collect::<Result<_, _>>()?, schema)
        } else {
            let reader = StreamReader::try_new(Cursor::new(&bytes), None)?;
            let schema = reader.schema();
            (reader.collect::<Result<_, _>>()?, schema)
        };
        if batches.is_empty() {
            batches.push(RecordBatch::new_empty(schema));
        }
        Ok(batches)
    };
    match read() {
        Ok(batches) => of_batches(name, input, &batches, options),
        Err(error) => failed(name, vec![damaged(name, &error.to_string())]),
    }
}

pub(crate) fn damaged(name: &str, why: &str) -> Finding {
    let help = "it is damaged, or not all of it is there: fetch or write it again";
    Finding::new(Code::V612, name, format!("the file cannot be read on: {why}"), help)
}

fn of_batches(name: &str, input: &Input<'_>, batches: &[RecordBatch], options: &ReadOptions) -> Loaded {
    match table(name, batches, options.forms.zone.unwrap_or_default()) {
        Ok(table) => finished(name, input, table, options),
        Err(error) => failed(name, vec![unsupported_batch(name, &error)]),
    }
}

fn unsupported_batch(name: &str, error: &BatchError) -> Finding {
    Finding::new(
        error.code(),
        name,
        error.to_string(),
        "write the file with such types, or leave the column out",
    )
}

/// The finding about a column whose type is not taken.
#[cfg(feature = "parquet")]
pub(crate) fn unsupported(name: &str, field: &Field) -> Finding {
    let (table, column) = (name.to_owned(), field.name().clone());
    unsupported_batch(name, &BatchError::Type { table, column, found: field.data_type().to_string() })
}

/// The table of a file that has not changed meanwhile, with the types that the model fixes.
pub(crate) fn finished(name: &str, input: &Input<'_>, table: Table, options: &ReadOptions) -> Loaded {
    if let Err(unread) = input.unchanged() {
        return failed(name, vec![unread.finding(name)]);
    }
    typed(name, Ok(table), options)
}

/// A table with the types that the model fixes.
pub(crate) fn typed(name: &str, table: Result<Table, EngineError>, options: &ReadOptions) -> Loaded {
    match table.and_then(|table| retyped(table, options)) {
        Ok(loaded) => loaded,
        Err(EngineError::Unread(finding)) => failed(name, vec![*finding]),
        Err(error) => {
            let help = "read it again; if it stays so, it is a fault of the program";
            failed(
                name,
                vec![Finding::new(Code::V612, name, format!("the file cannot be read on: {error}"), help)],
            )
        }
    }
}

/// The types that the model fixes: numbers take more decimals, others have to be what they are.
fn retyped(mut table: Table, options: &ReadOptions) -> Result<Loaded, EngineError> {
    let mut findings = Vec::new();
    for known in &options.columns {
        let Some(ty) = known.ty else { continue };
        let Some((_, column)) = table.columns.iter_mut().find(|(name, _)| *name == known.name) else {
            continue;
        };
        let wanted = match (ty, column.ty()) {
            // A decimal of any scale is one.
            (Type::Decimal(_), own @ Type::Decimal(_)) if known.digits.is_none() => own,
            (wanted, _) => wanted,
        };
        if wanted == column.ty() && known.digits.is_none() {
            continue;
        }
        let values = column.get()?.clone();
        match as_type(&values, wanted).and_then(|c| within(c, known.digits)) {
            Ok(changed) => *column = changed.into(),
            Err(row) => {
                let found = values.scalar(row);
                let expected = match known.digits {
                    Some((digits, scale)) => {
                        format!("a decimal of {} digits and {scale} decimals", digits - scale)
                    }
                    None => wanted.with_article(),
                };
                let message = format!("expected {expected}, found '{found}'");
                let found =
                    Finding::new(Code::V618, &table.origin, message, "fix the value, or do not fix the type");
                let place = Finding { line: Some(row as u64 + 1), column: Some(known.name.clone()), ..found };
                findings.push(place);
            }
        }
    }
    Ok(Loaded { table, findings })
}

/// The column if all of its values have at most this many digits, or the first row of one that has more.
fn within(column: Column, digits: Option<(u8, u8)>) -> Result<Column, usize> {
    let most = digits.map(|(digits, _)| 10_i128.pow(digits.into()));
    let (Some(most), Some((low, high))) = (most, column.physical_range()) else { return Ok(column) };
    if low > -most && high < most {
        return Ok(column);
    }
    let is_long = |row: &usize| column.scalar(*row).physical().is_some_and(|physical| physical.abs() >= most);
    Err((0..column.len()).find(is_long).unwrap_or(0))
}

/// A column as one of another type, or the first row whose value is none of it.
fn as_type(column: &Column, ty: Type) -> Result<Column, usize> {
    if let Some(wider) = Column::concat(ty, vec![column.clone()]) {
        return Ok(wider);
    }
    let mut builder = ColumnBuilder::new(ty);
    for row in 0..column.len() {
        let value = column.scalar(row);
        if value.is_null() {
            builder.push_null();
            continue;
        }
        match ty {
            Type::Text => builder.push_text(Some(&value.to_string())),
            Type::Float => builder.push_float(Some(value.to_f64().ok_or(row)?)),
            _ => builder.push_physical(Some(physical(&value.to_string(), ty).ok_or(row)?)),
        }
    }
    Ok(builder.finish())
}
