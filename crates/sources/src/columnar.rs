//! Answers as columnar files: Arrow IPC and Parquet.

use arrow_array::RecordBatch;
use arrow_ipc::writer::{FileWriter, StreamWriter};
use arrow_schema::ArrowError;

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
pub fn parquet(batch: &RecordBatch) -> Result<Vec<u8>, parquet::errors::ParquetError> {
    use parquet::arrow::ArrowWriter;
    use parquet::basic::Compression;
    use parquet::file::properties::WriterProperties;

    let packed = WriterProperties::builder().set_compression(Compression::SNAPPY).build();
    let mut writer = ArrowWriter::try_new(Vec::new(), batch.schema(), Some(packed))?;
    writer.write(batch)?;
    writer.into_inner()
}
