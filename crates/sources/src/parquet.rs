//! Parquet files. The end of a file says which columns there are and what is known of their values, so that a column is read when it is
//! needed, and never if it is not.

use crate::arrow::{PERIOD, column, type_of};
use crate::columnar::{damaged, finished, unsupported};
use crate::input::{Input, Stamp, Unread, stamp};
use crate::loaded::{Loaded, ReadOptions, failed};
use arrow_array::ArrayRef;
use arrow_schema::{DataType, Field, Schema, TimeUnit};
use bytes::Bytes;
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::{
    ArrowReaderMetadata, ArrowReaderOptions, ParquetRecordBatchReaderBuilder,
};
use parquet::errors::ParquetError;
use parquet::file::reader::{ChunkReader, Length};
use parquet::file::statistics::Statistics;
use std::fs::File;
use std::io::{self, BufReader, Read};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use vembra_engine::{Budget, Column, ColumnFacts, EngineError, Fetch, Table, TableColumn};
use vembra_plan::{Code, Finding, Type, Zone};

/// How many rows are read at a time.
const BATCH: usize = 1 << 17;

/// The table of a Parquet file. Columns of which all is known lie in the file until they are needed.
pub(crate) fn read(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    let file = match ParquetFile::open(name, input, options) {
        Ok(file) => Arc::new(file),
        Err(finding) => return failed(name, vec![*finding]),
    };
    match file.table() {
        Ok(table) => finished(name, input, table, options),
        Err(finding) => failed(name, vec![*finding]),
    }
}

/// Where the bytes of a file are.
#[derive(Clone)]
enum Place {
    /// On disk, as it was when it was opened; one that takes its name later is another.
    Disk(Arc<File>, Stamp),
    Memory(Bytes),
}

impl Place {
    /// Reads from a place of a file, whatever others read of it.
    fn read_at(file: &File, bytes: &mut [u8], at: u64) -> io::Result<usize> {
        #[cfg(unix)]
        return std::os::unix::fs::FileExt::read_at(file, bytes, at);
        #[cfg(windows)]
        return std::os::windows::fs::FileExt::seek_read(file, bytes, at);
    }
}

impl Length for Place {
    fn len(&self) -> u64 {
        match self {
            Self::Disk(_, (len, _)) => *len,
            Self::Memory(bytes) => bytes.len() as u64,
        }
    }
}

impl ChunkReader for Place {
    type T = BufReader<Onward>;

    fn get_read(&self, start: u64) -> Result<BufReader<Onward>, ParquetError> {
        Ok(BufReader::new(Onward { place: self.clone(), at: start }))
    }

    fn get_bytes(&self, start: u64, length: usize) -> Result<Bytes, ParquetError> {
        if start.checked_add(length as u64).is_none_or(|end| end > self.len()) {
            return Err(ParquetError::EOF("what it names lies behind its end".to_owned()));
        }
        let mut bytes = vec![0; length];
        Onward { place: self.clone(), at: start }.read_exact(&mut bytes)?;
        Ok(bytes.into())
    }
}

/// The bytes of a file from a place on.
struct Onward {
    place: Place,
    at: u64,
}

impl Read for Onward {
    fn read(&mut self, bytes: &mut [u8]) -> io::Result<usize> {
        let read = match &self.place {
            Place::Disk(file, _) => Place::read_at(file, bytes, self.at)?,
            Place::Memory(all) => all.get(self.at as usize..).unwrap_or(&[]).read(bytes)?,
        };
        self.at += read as u64;
        Ok(read)
    }
}

struct ParquetFile {
    name: String,
    place: Place,
    metadata: ArrowReaderMetadata,
    memory: Budget,
    zone: Zone,
}

impl ParquetFile {
    fn open(name: &str, input: &Input<'_>, options: &ReadOptions) -> Result<Self, Box<Finding>> {
        let memory = options.memory;
        let place = match input {
            Input::File(path, stamp) => {
                let opened = File::open(path).map_err(|error| Unread::from(error).finding(name))?;
                Place::Disk(Arc::new(opened), *stamp)
            }
            _ => Place::Memory(input.whole(memory).map_err(|unread| unread.finding(name))?.into()),
        };
        let metadata = || {
            let found = ArrowReaderMetadata::load(&place, ArrowReaderOptions::new())?;
            let narrow = ArrowReaderOptions::new().with_schema(Arc::new(as_stored(&found)));
            ArrowReaderMetadata::try_new(found.metadata().clone(), narrow)
        };
        let metadata = metadata().map_err(|error| damaged(name, &error.to_string()))?;
        let zone = options.forms.zone.unwrap_or_default();
        Ok(Self { name: name.to_owned(), place, metadata, memory, zone })
    }

    fn rows(&self) -> usize {
        usize::try_from(self.metadata.metadata().file_metadata().num_rows()).unwrap_or(0)
    }

    /// All columns; those of which the file does not say enough are read.
    fn table(self: &Arc<Self>) -> Result<Table, Box<Finding>> {
        let mut columns = Vec::new();
        for (at, field) in self.metadata.schema().fields().iter().enumerate() {
            let Some(ty) = type_of(field.data_type()) else {
                return Err(Box::new(unsupported(&self.name, field)));
            };
            let column = match self.facts(at, ty, field) {
                Some(facts) => TableColumn::outside(facts, One { file: self.clone(), at, facts }),
                None => self.column(at)?.into(),
            };
            columns.push((field.name().clone(), column));
        }
        Ok(Table { columns, rows: self.rows(), origin: self.name.clone(), ..Table::default() })
    }

    /// What the file says of a column: none if it does not say all of it, or the column takes more than reading.
    fn facts(&self, at: usize, ty: Type, field: &Field) -> Option<ColumnFacts> {
        let rows = self.rows();
        let leaf = self.leaf(at).filter(|_| rows > 0 && !field.metadata().contains_key(PERIOD))?;
        let is_physical = !matches!(ty, Type::Text | Type::Float);
        if is_physical && !has_plain_physicals(field.data_type()) {
            return None;
        }
        let (mut missing, mut range) = (0, None);
        for group in self.metadata.metadata().row_groups() {
            let statistics = group.column(leaf).statistics()?;
            let nulls = usize::try_from(statistics.null_count_opt()?).ok()?;
            missing += nulls;
            if is_physical && nulls < usize::try_from(group.num_rows()).ok()? {
                let (low, high) = physicals(statistics)?;
                range = Some(range.map_or((low, high), |(l, h): (i128, i128)| (l.min(low), h.max(high))));
            }
        }
        Some(ColumnFacts { ty, rows, missing, range })
    }

    /// The leaf of a column that has only one.
    fn leaf(&self, at: usize) -> Option<usize> {
        let schema = self.metadata.parquet_schema();
        let mut leaves = (0..schema.num_columns()).filter(|leaf| schema.get_column_root_idx(*leaf) == at);
        let leaf = leaves.next()?;
        leaves.next().is_none().then_some(leaf)
    }

    /// How many bytes a column takes before it is encoded as the engine has it.
    fn bytes(&self, at: usize) -> u64 {
        let Some(leaf) = self.leaf(at) else { return 0 };
        // Repeated values take next to nothing packed, and their full width here.
        let width = match self.metadata.schema().field(at).data_type() {
            DataType::Boolean => 1,
            DataType::Decimal128(..) => 16,
            DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View | DataType::Dictionary(..) => 4,
            _ => 8,
        };
        let of_group = |group: &parquet::file::metadata::RowGroupMetaData| {
            let packed = u64::try_from(group.column(leaf).uncompressed_size()).unwrap_or(0);
            packed.max(u64::try_from(group.num_rows()).unwrap_or(0).saturating_mul(width))
        };
        self.metadata.metadata().row_groups().iter().map(of_group).sum()
    }

    /// The values of a column.
    fn column(&self, at: usize) -> Result<Column, Box<Finding>> {
        let field = self.metadata.schema().field(at);
        let of_it = |finding| Box::new(Finding { column: Some(field.name().clone()), ..finding });
        self.is_as_it_was().map_err(|unread| Box::new(unread.finding(&self.name)))?;
        let read = self.memory.check_more(self.bytes(at).saturating_mul(2));
        read.map_err(|over| Box::new(Unread::from(over).finding(&self.name)))?;
        let broken = |error: ParquetError| of_it(damaged(&self.name, &error.to_string()));
        let parts = self.parts(at).map_err(broken)?;
        self.is_as_it_was().map_err(|unread| Box::new(unread.finding(&self.name)))?;
        let ty = type_of(field.data_type()).unwrap_or(Type::Null);
        let taken = parts.into_iter().collect::<Option<Vec<Column>>>().and_then(|p| Column::concat(ty, p));
        let taken = taken.ok_or_else(|| Box::new(unsupported(&self.name, field)))?;
        let taken = crate::arrow::with_period(taken, field);
        Ok(crate::arrow::in_zone(taken, field.data_type(), self.zone))
    }

    fn is_as_it_was(&self) -> Result<(), Unread> {
        match &self.place {
            Place::Disk(file, before) if stamp(&file.metadata()?) != *before => Err(Unread::Changed),
            _ => Ok(()),
        }
    }

    /// The values of a column by row group, read by as many threads as there are. Not by those that answer queries: one of them may wait for
    /// this very column.
    fn parts(&self, at: usize) -> Result<Vec<Option<Column>>, ParquetError> {
        let groups = self.metadata.metadata().num_row_groups();
        let next = AtomicUsize::new(0);
        let work = || {
            let mut done = Vec::new();
            loop {
                let group = next.fetch_add(1, Ordering::Relaxed);
                if group >= groups {
                    return done;
                }
                done.push((group, self.part(at, group)));
            }
        };
        let threads = rayon::current_num_threads().min(groups).max(1);
        let mut parts: Vec<(usize, Result<Option<Column>, ParquetError>)> = std::thread::scope(|scope| {
            let others: Vec<_> = (1..threads).map(|_| scope.spawn(work)).collect();
            let own = work();
            let lost = || vec![(groups, Err(ParquetError::General("a thread was lost".to_owned())))];
            let others = others.into_iter().flat_map(|o| o.join().unwrap_or_else(|_| lost()));
            own.into_iter().chain(others).collect()
        });
        parts.sort_by_key(|(group, _)| *group);
        parts.into_iter().map(|(_, part)| part).collect()
    }

    /// The values of a column in one row group; none if their type is not taken.
    fn part(&self, at: usize, group: usize) -> Result<Option<Column>, ParquetError> {
        let rows = usize::try_from(self.metadata.metadata().row_group(group).num_rows()).unwrap_or(0);
        let of_file =
            ParquetRecordBatchReaderBuilder::new_with_metadata(self.place.clone(), self.metadata.clone());
        let only = ProjectionMask::roots(self.metadata.parquet_schema(), [at]);
        let size = rows.clamp(1, BATCH);
        let reader =
            of_file.with_projection(only).with_row_groups(vec![group]).with_batch_size(size).build()?;
        let mut arrays: Vec<ArrayRef> = Vec::new();
        for batch in reader {
            arrays.push(batch.map_err(ParquetError::from)?.column(0).clone());
        }
        let arrays: Vec<&ArrayRef> = arrays.iter().collect();
        Ok(column(&arrays, self.metadata.schema().field(at).data_type()))
    }
}

/// The columns as the file has them: texts that it keeps once are dictionaries, and decimals are as wide as they are stored.
fn as_stored(found: &ArrowReaderMetadata) -> Schema {
    let schema = found.schema();
    let fields = schema.fields().iter().map(|field| match field.data_type() {
        DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View => {
            let coded = DataType::Dictionary(Box::new(DataType::Int32), Box::new(DataType::Utf8));
            Arc::new(field.as_ref().clone().with_data_type(coded))
        }
        _ => field.clone(),
    });
    Schema::new_with_metadata(fields.collect::<Vec<_>>(), schema.metadata().clone())
}

/// Whether the physical values of a column are the very numbers that are stored, as statistics have them.
fn has_plain_physicals(ty: &DataType) -> bool {
    matches!(
        ty,
        DataType::Int8
            | DataType::Int16
            | DataType::Int32
            | DataType::Int64
            | DataType::Boolean
            | DataType::Date32
            | DataType::Decimal128(..)
            | DataType::Time64(TimeUnit::Microsecond)
            | DataType::Timestamp(TimeUnit::Microsecond, None)
    )
}

/// The smallest and largest physical value by the statistics of a row group; none if they do not have it exactly.
fn physicals(statistics: &Statistics) -> Option<(i128, i128)> {
    if statistics.is_min_max_deprecated() || !(statistics.min_is_exact() && statistics.max_is_exact()) {
        return None;
    }
    match statistics {
        Statistics::Boolean(s) => Some((i128::from(*s.min_opt()?), i128::from(*s.max_opt()?))),
        Statistics::Int32(s) => Some(((*s.min_opt()?).into(), (*s.max_opt()?).into())),
        Statistics::Int64(s) => Some(((*s.min_opt()?).into(), (*s.max_opt()?).into())),
        Statistics::FixedLenByteArray(s) => {
            Some((big_endian(s.min_opt()?.data())?, big_endian(s.max_opt()?.data())?))
        }
        Statistics::ByteArray(s) => {
            Some((big_endian(s.min_opt()?.data())?, big_endian(s.max_opt()?.data())?))
        }
        _ => None,
    }
}

/// A number of up to 16 bytes, the highest first.
fn big_endian(bytes: &[u8]) -> Option<i128> {
    let negative = *bytes.first()? >= 0x80;
    let mut wide = if negative { [0xff; 16] } else { [0; 16] };
    wide.get_mut(16_usize.checked_sub(bytes.len())?..)?.copy_from_slice(bytes);
    Some(i128::from_be_bytes(wide))
}

/// A column that lies in the file.
struct One {
    file: Arc<ParquetFile>,
    at: usize,
    facts: ColumnFacts,
}

impl Fetch for One {
    fn fetch(&self) -> Result<Column, EngineError> {
        let column = self.file.column(self.at).map_err(EngineError::Unread)?;
        let ColumnFacts { ty, rows, missing, range } = self.facts;
        if (column.ty(), column.len(), column.missing(), column.physical_range())
            == (ty, rows, missing, range)
        {
            return Ok(column);
        }
        let why = "what it says of its values is not so: their number, the smallest or the largest";
        let name = self.file.metadata.schema().field(self.at).name();
        let help = "write it again, with a program that counts its values right";
        let found =
            Finding::new(Code::V612, &self.file.name, format!("the file cannot be used: {why}"), help);
        Err(EngineError::Unread(Box::new(Finding { column: Some(name.clone()), ..found })))
    }
}
