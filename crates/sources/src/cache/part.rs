//! A part on disk: one column, or the numbers of one link, as an Arrow file with one field. Its name ends in the sum over its bytes, so
//! that a damaged part is noticed before a byte of it is understood.

use super::hash::sum_of;
use super::place::write_new;
use arrow_array::types::{ArrowDictionaryKeyType, UInt8Type, UInt16Type, UInt32Type};
use arrow_array::{
    Array, ArrayRef, ArrowPrimitiveType, Decimal128Array, DictionaryArray, Float64Array, Int8Array,
    Int16Array, Int32Array, Int64Array, LargeStringArray, PrimitiveArray, RecordBatch, UInt8Array,
    UInt16Array, UInt32Array,
};
use arrow_buffer::{BooleanBuffer, Buffer, NullBuffer};
use arrow_ipc::convert::try_fb_to_schema;
use arrow_ipc::reader::{FileDecoder, read_footer_length};
use arrow_ipc::writer::FileWriter;
use arrow_ipc::{Block, root_as_footer};
use arrow_schema::{ArrowError, Field, Schema};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vembra_engine::{Column, Encoded, EncodedValues, Numbers};
use vembra_plan::Type;

/// Under this name the file says what the physical values stand for.
const MEANING: &str = "vembra";

/// How many bytes stand behind the footer of a file.
const TRAILER: usize = 10;

/// What stands in a file besides its values.
#[derive(Serialize, Deserialize)]
struct Meaning {
    ty: Type,
    /// The smallest and largest physical value.
    low: String,
    high: String,
}

/// Writes the values of a column as a part into a folder; gives the name of the file and its length.
pub(super) fn write_column(folder: &Path, name: &str, column: &Column) -> io::Result<(String, u64)> {
    let Encoded { ty, values, valid, range } = column.encoded();
    let rows = column.len();
    let nulls = match (&values, valid) {
        (EncodedValues::Text(codes, texts), _) if column.missing() > 0 => Some(coded(codes, texts.len())),
        (_, Some(words)) => {
            let bytes: Vec<u8> = words.iter().flat_map(|word| word.to_le_bytes()).collect();
            Some(NullBuffer::new(BooleanBuffer::new(Buffer::from_vec(bytes), 0, rows)))
        }
        _ => None,
    };
    let array: ArrayRef = match values {
        EncodedValues::I8(v) => Arc::new(Int8Array::new(v.into_owned().into(), nulls)),
        EncodedValues::I16(v) => Arc::new(Int16Array::new(v.into_owned().into(), nulls)),
        EncodedValues::I32(v) => Arc::new(Int32Array::new(v.into_owned().into(), nulls)),
        EncodedValues::I64(v) => Arc::new(Int64Array::new(v.into_owned().into(), nulls)),
        EncodedValues::I128(v) => {
            let wide = Decimal128Array::new(v.into_owned().into(), nulls);
            Arc::new(wide.with_precision_and_scale(38, 0).map_err(io::Error::other)?)
        }
        EncodedValues::Float(v) => Arc::new(Float64Array::new(v.into_owned().into(), nulls)),
        EncodedValues::Text(codes, texts) => texts_array(codes, &texts, nulls).map_err(io::Error::other)?,
    };
    let meaning = Meaning { ty, low: range.0.to_string(), high: range.1.to_string() };
    write(folder, name, array, Some(&meaning))
}

/// Writes numbers as a part.
pub(super) fn write_numbers(folder: &Path, name: &str, numbers: Numbers<'_>) -> io::Result<(String, u64)> {
    let array: ArrayRef = match numbers {
        Numbers::U8(n) => Arc::new(UInt8Array::new(n.into_owned().into(), None)),
        Numbers::U16(n) => Arc::new(UInt16Array::new(n.into_owned().into(), None)),
        Numbers::U32(n) => Arc::new(UInt32Array::new(n.into_owned().into(), None)),
    };
    write(folder, name, array, None)
}

/// Writes the lines in which rows stand as a part.
pub(super) fn write_lines(folder: &Path, name: &str, lines: &[u64]) -> io::Result<(String, u64)> {
    let lines: Vec<i64> = lines.iter().map(|line| *line as i64).collect();
    write(folder, name, Arc::new(Int64Array::new(lines.into(), None)), None)
}

/// Codes that stand for a text, as Arrow has them.
fn coded(codes: &Numbers<'_>, texts: usize) -> NullBuffer {
    let bools: Vec<bool> = match codes {
        Numbers::U8(n) => n.iter().map(|n| (*n as usize) < texts).collect(),
        Numbers::U16(n) => n.iter().map(|n| (*n as usize) < texts).collect(),
        Numbers::U32(n) => n.iter().map(|n| (*n as usize) < texts).collect(),
    };
    NullBuffer::from(bools)
}

fn texts_array(
    codes: Numbers<'_>,
    texts: &[Arc<str>],
    nulls: Option<NullBuffer>,
) -> Result<ArrayRef, ArrowError> {
    fn of<K: ArrowDictionaryKeyType>(
        codes: Cow<'_, [K::Native]>,
        nulls: Option<NullBuffer>,
        texts: ArrayRef,
    ) -> Result<ArrayRef, ArrowError> {
        let keys = PrimitiveArray::<K>::new(codes.into_owned().into(), nulls);
        Ok(Arc::new(DictionaryArray::try_new(keys, texts)?))
    }
    let texts: ArrayRef = Arc::new(LargeStringArray::from_iter_values(texts));
    match codes {
        Numbers::U8(n) => of::<UInt8Type>(n, nulls, texts),
        Numbers::U16(n) => of::<UInt16Type>(n, nulls, texts),
        Numbers::U32(n) => of::<UInt32Type>(n, nulls, texts),
    }
}

fn write(folder: &Path, name: &str, array: ArrayRef, meaning: Option<&Meaning>) -> io::Result<(String, u64)> {
    let mut metadata = HashMap::new();
    if let Some(meaning) = meaning {
        metadata.insert(MEANING.to_owned(), serde_json::to_string(meaning)?);
    }
    let field = Field::new("values", array.data_type().clone(), true);
    let schema = Arc::new(Schema::new_with_metadata(vec![field], metadata));
    let bytes = file_bytes(&schema, array).map_err(io::Error::other)?;
    let file = format!("{name}.{:016x}.arrow", sum_of(&bytes));
    write_new(&folder.join(&file), &bytes)?;
    Ok((file, bytes.len() as u64))
}

fn file_bytes(schema: &Arc<Schema>, array: ArrayRef) -> Result<Vec<u8>, ArrowError> {
    let mut bytes = Vec::with_capacity(array.get_buffer_memory_size() + (4 << 10));
    let mut writer = FileWriter::try_new(&mut bytes, schema)?;
    writer.write(&RecordBatch::try_new(schema.clone(), vec![array])?)?;
    writer.finish()?;
    drop(writer);
    Ok(bytes)
}

/// The name of a part, without the sum behind it.
pub(super) fn part_name(file: &str) -> Option<&str> {
    file.strip_suffix(".arrow")?.rsplit_once('.').map(|(name, _)| name)
}

/// The array of a part, and what its file says besides; none if the part is not whole.
fn read(file: &Path) -> Option<(ArrayRef, Arc<Schema>)> {
    let name = file.file_name()?.to_str()?;
    let sum = u64::from_str_radix(name.strip_suffix(".arrow")?.rsplit_once('.')?.1, 16).ok()?;
    let bytes = std::fs::read(file).ok()?;
    if sum_of(&bytes) != sum {
        return None;
    }
    let (batch, schema) = batch_of(Buffer::from_vec(bytes)).ok()??;
    Some((batch.columns().first()?.clone(), schema))
}

/// The only batch of a file in memory, whose values stay where they are.
fn batch_of(file: Buffer) -> Result<Option<(RecordBatch, Arc<Schema>)>, ArrowError> {
    let cut = || ArrowError::ParseError("the file is cut off".to_owned());
    let end = file.len().checked_sub(TRAILER).ok_or_else(cut)?;
    let trailer: [u8; TRAILER] = file[end..].try_into().map_err(|_| cut())?;
    let start = end.checked_sub(read_footer_length(trailer)?).ok_or_else(cut)?;
    let footer =
        root_as_footer(&file[start..end]).map_err(|error| ArrowError::ParseError(error.to_string()))?;
    let schema = Arc::new(try_fb_to_schema(footer.schema().ok_or_else(cut)?)?);
    let mut decoder = FileDecoder::new(schema.clone(), footer.version());
    let bytes = |block: &Block| -> Result<Buffer, ArrowError> {
        let length = block.bodyLength() as usize + block.metaDataLength() as usize;
        let at = block.offset() as usize;
        if at.checked_add(length).is_none_or(|end| end > file.len()) {
            return Err(cut());
        }
        Ok(file.slice_with_length(at, length))
    };
    for block in footer.dictionaries().iter().flatten() {
        decoder.read_dictionary(block, &bytes(block)?)?;
    }
    let Some(block) = footer.recordBatches().and_then(|blocks| blocks.iter().next().copied()) else {
        return Ok(None);
    };
    Ok(decoder.read_record_batch(&block, &bytes(&block)?)?.map(|batch| (batch, schema)))
}

/// The column of a part; none if the part is not whole.
pub(super) fn read_column(file: &Path) -> Option<Column> {
    let (array, schema) = read(file)?;
    let meaning: Meaning = serde_json::from_str(schema.metadata().get(MEANING)?).ok()?;
    let range = (meaning.low.parse().ok()?, meaning.high.parse().ok()?);
    let values = values_of(&array)?;
    let is_text = matches!(values, EncodedValues::Text(..));
    let nulls = array.nulls().filter(|_| !is_text);
    let valid = nulls.map(|nulls| words(nulls).into());
    Column::from_encoded(Encoded { ty: meaning.ty, values, valid, range })
}

/// The numbers of a part; none if the part is not whole.
pub(super) fn read_numbers(file: &Path) -> Option<Numbers<'static>> {
    let (array, _) = read(file)?;
    numbers_of(&array)
}

/// The lines of a part; none if the part is not whole.
pub(super) fn read_lines(file: &Path) -> Option<Vec<u64>> {
    let (array, _) = read(file)?;
    let lines = array.as_any().downcast_ref::<Int64Array>()?;
    lines.values().iter().map(|line| u64::try_from(*line).ok()).collect()
}

fn own<T: ArrowPrimitiveType>(array: &ArrayRef) -> Option<Cow<'static, [T::Native]>> {
    let array = array.as_any().downcast_ref::<PrimitiveArray<T>>()?;
    Some(array.values().to_vec().into())
}

fn numbers_of(array: &ArrayRef) -> Option<Numbers<'static>> {
    let narrow = || own::<UInt8Type>(array).map(Numbers::U8);
    let middle = || own::<UInt16Type>(array).map(Numbers::U16);
    narrow().or_else(middle).or_else(|| own::<UInt32Type>(array).map(Numbers::U32))
}

fn values_of(array: &ArrayRef) -> Option<EncodedValues<'static>> {
    use arrow_array::types::{Decimal128Type, Float64Type, Int8Type, Int16Type, Int32Type, Int64Type};
    use arrow_schema::DataType;
    Some(match array.data_type() {
        DataType::Int8 => EncodedValues::I8(own::<Int8Type>(array)?),
        DataType::Int16 => EncodedValues::I16(own::<Int16Type>(array)?),
        DataType::Int32 => EncodedValues::I32(own::<Int32Type>(array)?),
        DataType::Int64 => EncodedValues::I64(own::<Int64Type>(array)?),
        DataType::Decimal128(..) => EncodedValues::I128(own::<Decimal128Type>(array)?),
        DataType::Float64 => EncodedValues::Float(own::<Float64Type>(array)?),
        DataType::Dictionary(..) => {
            let coded = coded_of::<UInt8Type>(array).or_else(|| coded_of::<UInt16Type>(array));
            let (codes, texts) = coded.or_else(|| coded_of::<UInt32Type>(array))?;
            EncodedValues::Text(codes, texts.into())
        }
        _ => return None,
    })
}

fn coded_of<K: ArrowDictionaryKeyType>(array: &ArrayRef) -> Option<(Numbers<'static>, Vec<Arc<str>>)> {
    let array = array.as_any().downcast_ref::<DictionaryArray<K>>()?;
    let keys: ArrayRef = Arc::new(array.keys().clone());
    let texts = array.values().as_any().downcast_ref::<LargeStringArray>()?;
    Some((numbers_of(&keys)?, texts.iter().map(|text| text.map(Arc::from)).collect::<Option<_>>()?))
}

/// A bit per row, 64 a word; those past the end are not set.
fn words(nulls: &NullBuffer) -> Vec<u64> {
    let mut words = vec![0; nulls.len().div_ceil(64)];
    nulls.valid_indices().for_each(|row| words[row / 64] |= 1_u64 << (row % 64));
    words
}

/// A part that is not whole is taken away: it would be read in vain each time.
pub(super) fn drop_part(file: &PathBuf) {
    // That it stays changes nothing but time.
    let _ = std::fs::remove_file(file).or_else(|_| std::fs::remove_dir_all(file));
}
