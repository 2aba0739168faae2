//! A kept table: a folder with a part a column, and a text that says what they are.

use super::hash::Mark;
use super::identity::identity;
use super::part::{drop_part, read_column, read_lines, write_column, write_lines};
use super::place::{aside, put, read_told, used, write_told};
use crate::loaded::Loaded;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use vembra_engine::{
    Budget, Column, ColumnFacts, EngineError, Fetch, FileRows, Lines, Table, TableColumn, Written,
};
use vembra_plan::{Finding, Severity, Type};

/// The file of a table's folder that says what is in it.
pub(super) const ABOUT: &str = "table.json";

/// What the text of a kept table says.
#[derive(Serialize, Deserialize)]
pub(super) struct About {
    /// The model that it was kept for.
    pub(super) model: String,
    /// Its name there.
    pub(super) name: String,
    /// Its files, as they were named.
    pub(super) files: Vec<String>,
    /// How many bytes its only file had, and their mark, so that lines behind them are noticed.
    source: Option<(u64, String)>,
    pub(super) rows: usize,
    origin: String,
    lines: KeptLines,
    columns: Vec<KeptColumn>,
    /// How columns were written, by their names.
    written: Vec<(String, KeptWritten)>,
    findings: Vec<Finding>,
}

#[derive(Serialize, Deserialize)]
enum KeptWritten {
    Alike,
    Values,
    Quoted,
    Decimals(KeptColumn, bool),
    Fields(KeptColumn),
}

#[derive(Serialize, Deserialize)]
struct KeptColumn {
    name: String,
    ty: Type,
    missing: usize,
    /// The smallest and largest physical value; as texts, since they may have 128 bits.
    range: Option<(String, String)>,
    /// None if nobody needed it yet: it lies in the source, which brings it alone.
    part: Option<(String, u64)>,
}

#[derive(Serialize, Deserialize)]
enum KeptLines {
    Unknown,
    From(u64),
    /// In a part of their own.
    Listed(String),
    /// The file, its first row, its lines.
    Files(Vec<(String, usize, KeptLines)>),
}

/// Brings a table that a part is missing of in another way.
pub(crate) type Again = Box<dyn Fn() -> Result<Table, String> + Send + Sync>;

/// Writes a table into a folder beside the others and puts it in its place.
pub(super) fn keep(place: &Path, model: &str, name: &str, key: &TableKey, loaded: &Loaded) -> io::Result<()> {
    let parent = place.parent().unwrap_or(place);
    let folder = aside(parent)?;
    let before = about(place).filter(|about| about.columns.len() == loaded.table.columns.len());
    let before = before.map(|about| (place, about));
    let written = write(&folder, (model, name), key, loaded, before).and_then(|()| put(&folder, place));
    if written.is_err() {
        // What is half written is of no use; if it cannot be taken away, it is swept up later.
        let _ = std::fs::remove_dir_all(&folder);
    }
    written
}

/// Whether columns of a kept table that lay in its source were needed since.
pub(super) fn has_grown(place: &Path, loaded: &Loaded) -> bool {
    let columns = about(place).map(|about| about.columns).unwrap_or_default();
    let pairs = columns.iter().zip(&loaded.table.columns);
    pairs.into_iter().any(|(cache, (_, column))| cache.part.is_none() && column.here().is_some())
}

/// Writes a table; parts that were written before are taken over.
fn write(
    folder: &Path,
    (model, name): (&str, &str),
    key: &TableKey,
    loaded: &Loaded,
    before: Option<(&Path, About)>,
) -> io::Result<()> {
    let files = &key.files;
    let table = &loaded.table;
    let mut columns = Vec::new();
    for (at, (name, column)) in table.columns.iter().enumerate() {
        let written =
            before.as_ref().and_then(|(place, about)| Some((place, about.columns[at].part.as_ref()?)));
        let part = match (written, column.here()) {
            (Some((place, part)), _) if take_over(place, folder, &part.0).is_ok() => Some(part.clone()),
            (_, Some(values)) => Some(write_column(folder, &at.to_string(), values)?),
            (_, None) => None,
        };
        columns.push(KeptColumn::of(name, column, part));
    }
    let mut written = Vec::new();
    for (name, way) in &table.written {
        let number = format!("written-{}", written.len());
        written.push((name.clone(), keep_written(folder, &number, way)?));
    }
    let about = About {
        model: model.to_owned(),
        name: name.to_owned(),
        files: files.iter().map(|f| f.display().to_string()).collect(),
        // Only where rows have lines can lines be added.
        source: if matches!(table.lines, Lines::Unknown) { None } else { key.source()? },
        rows: table.rows,
        origin: table.origin.clone(),
        lines: keep_lines(folder, &table.lines, "lines")?,
        columns,
        written,
        findings: loaded.findings.clone(),
    };
    write_told(&folder.join(ABOUT), &serde_json::to_string(&about)?)
}

impl KeptColumn {
    fn of(name: &str, column: &TableColumn, part: Option<(String, u64)>) -> Self {
        Self {
            name: name.to_owned(),
            ty: column.ty(),
            missing: column.missing(),
            range: column.physical_range().map(|(low, high)| (low.to_string(), high.to_string())),
            part,
        }
    }

    fn facts(&self, rows: usize) -> Option<ColumnFacts> {
        let range = match &self.range {
            Some((low, high)) => Some((low.parse().ok()?, high.parse().ok()?)),
            None => None,
        };
        Some(ColumnFacts { ty: self.ty, rows, missing: self.missing, range })
    }
}

fn keep_written(folder: &Path, name: &str, written: &Written) -> io::Result<KeptWritten> {
    let column = |column: &TableColumn| {
        let values = column.get().map_err(|error| io::Error::other(error.to_string()))?;
        let part = Some(write_column(folder, name, values)?);
        io::Result::Ok(KeptColumn::of(name, column, part))
    };
    Ok(match written {
        Written::Alike => KeptWritten::Alike,
        Written::Values => KeptWritten::Values,
        Written::Quoted => KeptWritten::Quoted,
        Written::Decimals { column: decimals, fixed } => KeptWritten::Decimals(column(decimals)?, *fixed),
        Written::Fields(fields) => KeptWritten::Fields(column(fields)?),
    })
}

/// Brings a part into another folder.
fn take_over(from: &Path, to: &Path, part: &str) -> io::Result<()> {
    let (from, to) = (from.join(part), to.join(part));
    // Not every disk has two names for one file.
    std::fs::hard_link(&from, &to).or_else(|_| std::fs::copy(&from, &to).map(|_| ()))
}

fn keep_lines(folder: &Path, lines: &Lines, name: &str) -> io::Result<KeptLines> {
    Ok(match lines {
        Lines::Unknown => KeptLines::Unknown,
        Lines::From(first) => KeptLines::From(*first),
        Lines::Listed(lines) => KeptLines::Listed(write_lines(folder, name, lines)?.0),
        Lines::Files(files) => {
            let one = |(at, file): (usize, &FileRows)| {
                let lines = keep_lines(folder, &file.lines, &format!("{name}-{at}"))?;
                Ok((file.file.clone(), file.first, lines))
            };
            KeptLines::Files(files.iter().enumerate().map(one).collect::<io::Result<_>>()?)
        }
    })
}

/// What a kept table's text says, if it is whole.
pub(super) fn about(folder: &Path) -> Option<About> {
    serde_json::from_str(&read_told(&folder.join(ABOUT))?).ok()
}

/// A table as it was kept, its columns still outside; none if there is none that is whole. Names of files are those of now.
pub(super) fn open(folder: &Path, files: &[PathBuf], memory: Budget, again: Again) -> Option<Loaded> {
    let about = about(folder)?;
    if files.len() != about.files.len() {
        return None;
    }
    used(&folder.join(ABOUT));
    let now: Vec<String> = files.iter().map(|f| f.display().to_string()).collect();
    let renamed: HashMap<&str, &str> =
        about.files.iter().map(String::as_str).zip(now.iter().map(String::as_str)).collect();
    let named = |name: &str| renamed.get(name).map_or_else(|| name.to_owned(), |now| (*now).to_owned());
    let lines = lines(folder, &about.lines, &named)?;
    let origin = match (now.as_slice(), about.files.as_slice()) {
        ([now], [before]) if *before == about.origin => now.clone(),
        ([first, _, ..], _) => crate::files::several(Path::new(first), now.len()),
        _ => about.origin.clone(),
    };
    let findings = about.findings.iter().map(|f| Finding {
        file: if f.file == about.origin { origin.clone() } else { named(&f.file) },
        ..f.clone()
    });
    let findings = findings.collect();
    let cache = Arc::new(Kept { folder: folder.to_owned(), memory, again, read: OnceLock::new() });
    let mut columns = Vec::new();
    for (at, column) in about.columns.into_iter().enumerate() {
        let facts = column.facts(about.rows)?;
        let one = One { cache: cache.clone(), at: At::Column(at), part: column.part, facts };
        columns.push((column.name, TableColumn::outside(facts, one)));
    }
    let mut written = Vec::new();
    for (at, (name, way)) in about.written.into_iter().enumerate() {
        let outside = |column: KeptColumn| {
            let facts = column.facts(about.rows)?;
            let one = One { cache: cache.clone(), at: At::Written(at), part: column.part, facts };
            Some(TableColumn::outside(facts, one))
        };
        let way = match way {
            KeptWritten::Alike => Written::Alike,
            KeptWritten::Values => Written::Values,
            KeptWritten::Quoted => Written::Quoted,
            KeptWritten::Decimals(column, fixed) => Written::Decimals { column: outside(column)?, fixed },
            KeptWritten::Fields(column) => Written::Fields(outside(column)?),
        };
        written.push((name, way));
    }
    Some(Loaded { table: Table { columns, rows: about.rows, origin, lines, written }, findings })
}

/// How many bytes the only file of a kept table had, if it still starts with them and has more.
pub(super) fn grown_from(folder: &Path, file: &Path) -> Option<u64> {
    let (bytes, mark) = about(folder)?.source?;
    if std::fs::metadata(file).ok()?.len() <= bytes {
        return None;
    }
    let start = Mark::of_all(File::open(file).ok()?.take(bytes)).ok()?;
    (start.to_string() == mark).then_some(bytes)
}

fn lines(folder: &Path, cache: &KeptLines, named: &impl Fn(&str) -> String) -> Option<Lines> {
    Some(match cache {
        KeptLines::Unknown => Lines::Unknown,
        KeptLines::From(first) => Lines::From(*first),
        KeptLines::Listed(part) => Lines::Listed(read_lines(&folder.join(part))?),
        KeptLines::Files(files) => {
            let one = |(file, first, cache): &(String, usize, KeptLines)| {
                Some(FileRows { file: named(file), first: *first, lines: lines(folder, cache, named)? })
            };
            Lines::Files(files.iter().map(one).collect::<Option<_>>()?)
        }
    })
}

struct Kept {
    folder: PathBuf,
    memory: Budget,
    again: Again,
    /// The table in the other way, once it was needed.
    read: OnceLock<Result<Table, String>>,
}

/// Which column of a table it is.
#[derive(Clone, Copy)]
enum At {
    Column(usize),
    /// How one is written.
    Written(usize),
}

/// One column of a kept table.
struct One {
    cache: Arc<Kept>,
    at: At,
    part: Option<(String, u64)>,
    facts: ColumnFacts,
}

impl One {
    fn fits(&self, column: &Column) -> bool {
        column.ty() == self.facts.ty
            && column.len() == self.facts.rows
            && column.missing() == self.facts.missing
            && column.physical_range() == self.facts.range
    }

    /// Where the part is damaged or gone, or was never there, the source is read again, if it is what it was.
    fn otherwise(&self) -> Result<Column, EngineError> {
        let read = self.cache.read.get_or_init(|| (self.cache.again)());
        let table = read.as_ref().map_err(|why| EngineError::Gone(why.clone()))?;
        let column = match self.at {
            At::Column(at) => table.columns.get(at).map(|(_, column)| column),
            At::Written(at) => table.written.get(at).and_then(|(_, written)| match written {
                Written::Decimals { column, .. } | Written::Fields(column) => Some(column),
                Written::Alike | Written::Values | Written::Quoted => None,
            }),
        };
        let column = column.map(TableColumn::get).transpose()?;
        match column {
            Some(column) if self.fits(column) => Ok(Column::clone(column)),
            _ => Err(EngineError::Gone(format!("{} is not as it was", table.origin))),
        }
    }
}

impl Fetch for One {
    fn fetch(&self) -> Result<Column, EngineError> {
        let Some((file, bytes)) = &self.part else { return self.otherwise() };
        // The bytes of the file, and the values that are made of them.
        self.cache.memory.check_more(bytes.saturating_mul(2))?;
        let file = self.cache.folder.join(file);
        if let Some(column) = read_column(&file).filter(|column| self.fits(column)) {
            return Ok(column);
        }
        // The next command caches the table again.
        drop_part(&self.cache.folder.join(ABOUT));
        self.otherwise()
    }
}

/// The mark under which a table is kept: what it is, and what it was made of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TableKey {
    pub(super) what: Mark,
    pub(super) mark: Mark,
    pub(super) identity: Mark,
    pub(super) files: Vec<PathBuf>,
    pub(super) bytes: u64,
}

impl TableKey {
    /// What the table was made of.
    pub fn mark(&self) -> Mark {
        self.mark
    }

    /// Its only file.
    pub fn file(&self) -> Option<&Path> {
        match self.files.as_slice() {
            [file] => Some(file),
            _ => None,
        }
    }

    /// How many bytes its only file has, and their mark; none if it has several, or has changed since the key was made.
    fn source(&self) -> io::Result<Option<(u64, String)>> {
        let [file] = self.files.as_slice() else { return Ok(None) };
        let mark = Mark::of_all(File::open(file)?)?;
        let is_same = identity(&self.files)?.is_some_and(|now| now.mark == self.identity);
        Ok(is_same.then(|| (self.bytes, mark.to_string())))
    }

    pub(super) fn folder(&self) -> String {
        format!("{}-{}", self.what, self.mark)
    }
}

/// Whether a table may be kept: one with an error is not.
pub(super) fn may_be_kept(loaded: &Loaded) -> bool {
    loaded.findings.iter().all(|f| f.severity != Severity::Error)
}
