//! Several files as one table: a list, patterns, and folders named `year=2024` whose names become columns.

use crate::loaded::{ColumnOptions, Loaded, ReadOptions, failed};
#[cfg(feature = "csv")]
use crate::written::WrittenPiece;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use vembra_engine::{
    Column, ColumnBuilder, ColumnFacts, EngineError, Fetch, FileRows, Lines, Table, TableColumn, Written,
};
use vembra_plan::{Code, Finding, Scalar, Severity, Type};

/// The files that a table names: each path, and of each pattern all that fit it, in the order of their names. Paths are taken from a
/// folder.
///
/// # Errors
/// A finding when nothing fits a pattern, or it is none.
pub fn expand(folder: &Path, files: &[String]) -> Result<Vec<PathBuf>, Box<Finding>> {
    let mut found = Vec::new();
    for file in files {
        let path = folder.join(file);
        if !file.contains(['*', '?', '[']) || path.exists() {
            found.push(path);
            continue;
        }
        let pattern = Path::new(&glob::Pattern::escape(&folder.to_string_lossy())).join(file);
        let bad = |why: String| {
            let help = "a star stands for any part of a name, two stars for folders in between";
            Box::new(Finding::new(Code::V610, file, format!("this is no pattern of files: {why}"), help))
        };
        let paths = glob::glob(&pattern.to_string_lossy()).map_err(|error| bad(error.to_string()))?;
        let before = found.len();
        found.extend(paths.filter_map(Result::ok).filter(|p| p.is_file()));
        if found.len() == before {
            let help = "check the pattern; it is taken from the folder of the model";
            let message = "there is no file whose name fits this pattern".to_owned();
            return Err(Box::new(Finding::new(Code::V610, path.display().to_string(), message, help)));
        }
    }
    Ok(found)
}

/// The name of a table that comes from several files.
pub(crate) fn several(first: &Path, files: usize) -> String {
    format!("{} and {} more", first.display(), files - 1)
}

/// The columns that the names of folders give, below a folder: `year=2024` gives `year` with the text 2024.
fn folder_columns(folder: &Path, file: &Path) -> Vec<(String, String)> {
    let below = file.strip_prefix(folder).unwrap_or(file);
    let parents = below.parent().into_iter().flat_map(Path::components);
    let pair = |name: &str| name.split_once('=').map(|(k, v)| (k.to_owned(), v.to_owned()));
    parents.filter_map(|c| pair(&c.as_os_str().to_string_lossy())).filter(|(k, _)| !k.is_empty()).collect()
}

/// Reads one file or several as one table. Columns are matched by their names; one that a file does not have is null in its rows,
/// with a note.
pub fn read_files(folder: &Path, files: &[PathBuf], options: &ReadOptions) -> Loaded {
    let read = |file: &Path, options: &ReadOptions| read_with_folders(folder, file, options);
    match files {
        [one] if folder_columns(folder, one).is_empty() => return crate::read_table(one, options),
        _ => {}
    }
    let origin = match files {
        [] => String::new(),
        [one] => one.display().to_string(),
        [first, ..] => several(first, files.len()),
    };
    let mut parts: Vec<Loaded> = files.iter().map(|file| read(file, options)).collect();
    let types = match joined_types(&origin, &parts) {
        Ok(types) => types,
        Err(findings) => return failed(&origin, findings),
    };
    // A column that is a text in one file is a text in all of them: it is read again where it looked like something else.
    for (part, file) in parts.iter_mut().zip(files) {
        let changed = |(name, ty): &&(String, Type)| {
            part.table.column(name).is_some_and(|c| !goes_into(c.ty(), *ty) && c.missing() < c.len())
        };
        let fixed: Vec<&(String, Type)> = types.iter().filter(changed).collect();
        if !fixed.is_empty() && part.findings.iter().all(|f| f.severity != Severity::Error) {
            let mut again = options.clone();
            for (name, ty) in &fixed {
                let known = again.column(name).cloned().unwrap_or_default();
                again.columns.retain(|c| c.name != *name);
                again.columns.push(ColumnOptions { name: name.clone(), ty: Some(*ty), ..known });
            }
            *part = read(file, &again);
            let found = fixed.iter().filter(|(name, _)| options.column(name).is_none_or(|c| c.ty.is_none()));
            let written = found.filter(|_| options.parts).map(|(name, _)| (name.clone(), Written::Values));
            part.table.written.extend(written);
        }
    }
    together(origin, files, parts, &types)
}

fn read_with_folders(folder: &Path, file: &Path, options: &ReadOptions) -> Loaded {
    let mut loaded = crate::read_table(file, options);
    for (name, text) in folder_columns(folder, file) {
        if loaded.table.column(&name).is_some() {
            let message = format!("the file has a column {name}, and the name of its folder gives one too");
            let help = "leave out the column, or name the folder otherwise";
            let origin = loaded.table.origin.clone();
            loaded
                .findings
                .push(Finding { column: Some(name), ..Finding::new(Code::V638, &origin, message, help) });
            continue;
        }
        let fixed = options.column(&name).and_then(|c| c.ty);
        let column = constant(&text, fixed, loaded.table.rows);
        if options.parts && fixed.is_none() {
            let written = if column.ty() == Type::Text { Written::Values } else { Written::Alike };
            loaded.table.written.push((name.clone(), written));
        }
        loaded.table.columns.push((name, column.into()));
    }
    loaded
}

/// A column with the same value in each row.
fn constant(text: &str, fixed: Option<Type>, rows: usize) -> Column {
    let found = [Type::Integer, Type::Date].into_iter().find(|ty| {
        let is_code = text.len() > 1 && text.starts_with('0') && *ty == Type::Integer;
        !is_code && vembra_plan::call::parse(text, *ty).is_some()
    });
    let ty = fixed.or(found).unwrap_or(Type::Text);
    let value = vembra_plan::call::parse(text, ty).unwrap_or(Scalar::Null);
    let mut builder = ColumnBuilder::new(ty);
    (0..rows).for_each(|_| builder.push(&value));
    builder.finish()
}

/// Whether a column of one type becomes one of another without being read again.
fn goes_into(from: Type, to: Type) -> bool {
    match (from, to) {
        (Type::Integer, Type::Decimal(_)) | (Type::Null, _) => true,
        (Type::Decimal(a), Type::Decimal(b)) => a <= b,
        (from, to) => from == to,
    }
}

/// The columns of all files in the order in which they come up, each with the type that all of its values fit.
fn joined_types(origin: &str, parts: &[Loaded]) -> Result<Vec<(String, Type)>, Vec<Finding>> {
    let errors = parts.iter().flat_map(|p| &p.findings).filter(|f| f.severity == Severity::Error);
    let errors: Vec<Finding> = errors.cloned().collect();
    if !errors.is_empty() || parts.is_empty() {
        let none =
            || Finding::new(Code::V610, origin, "no file is named".to_owned(), "name at least one file");
        return Err(if errors.is_empty() { vec![none()] } else { errors });
    }
    let mut types: Vec<(String, Type)> = Vec::new();
    for (name, column) in parts.iter().flat_map(|p| &p.table.columns) {
        let own = if column.missing() == column.len() { Type::Null } else { column.ty() };
        match types.iter_mut().find(|(known, _)| known == name) {
            Some((_, ty)) => *ty = joined(*ty, own),
            None => types.push((name.clone(), own)),
        }
    }
    Ok(types)
}

fn joined(a: Type, b: Type) -> Type {
    match (a, b) {
        (a, b) if goes_into(a, b) => b,
        (a, b) if goes_into(b, a) => a,
        (Type::Float, Type::Integer | Type::Decimal(_)) | (Type::Integer | Type::Decimal(_), Type::Float) => {
            Type::Float
        }
        _ => Type::Text,
    }
}

fn together(origin: String, files: &[PathBuf], parts: Vec<Loaded>, types: &[(String, Type)]) -> Loaded {
    let mut findings: Vec<Finding> = Vec::new();
    let mut rows = 0;
    let mut lines = Vec::new();
    for (part, file) in parts.iter().zip(files) {
        findings.extend(part.findings.iter().cloned());
        lines.push(FileRows {
            file: file.display().to_string(),
            first: rows,
            lines: part.table.lines.clone(),
        });
        rows += part.table.rows;
        for (name, _) in types.iter().filter(|(name, _)| part.table.column(name).is_none()) {
            let message = format!("the file has no column {name}, as others of the table have");
            let found =
                Finding::new(Code::V637, &part.table.origin, message, "its values are missing in these rows");
            findings.push(Finding { column: Some(name.clone()), ..found });
        }
    }
    let mut table = Table { rows, origin, lines: Lines::Files(lines), ..Table::default() };
    let mut seen = BTreeSet::new();
    findings.retain(|f| seen.insert(format!("{f:?}")));
    for (name, ty) in types {
        let own: Vec<Part> =
            parts.iter().map(|part| (part.table.column(name).cloned(), part.table.rows)).collect();
        match one_behind_the_other(own, *ty) {
            Ok(Some(column)) => {
                table.columns.push((name.clone(), column));
                table.written.extend(written(&parts, name, *ty).map(|written| (name.clone(), written)));
            }
            Ok(None) => {
                let kinds: BTreeSet<String> = parts
                    .iter()
                    .filter_map(|p| Some(p.table.column(name)?.ty().to_string()))
                    .filter(|ty| ty != "null")
                    .collect();
                let kinds: Vec<String> = kinds.into_iter().collect();
                let message = format!("the column is of other types in other files: {}", kinds.join(", "));
                let found = Finding::new(Code::V638, &table.origin, message, "write the files with one type");
                findings.push(Finding { column: Some(name.clone()), ..found });
            }
            Err(EngineError::Unread(finding)) => findings.push(*finding),
            Err(error) => {
                let help = "read it again; if it stays so, it is a fault of the program";
                let message = format!("the file cannot be read on: {error}");
                let found = Finding::new(Code::V612, &table.origin, message, help);
                findings.push(Finding { column: Some(name.clone()), ..found });
            }
        }
    }
    Loaded { table, findings }
}

/// The column of one of several files, and how many rows the file has.
type Part = (Option<TableColumn>, usize);

/// A column over the rows of all files: outside, as long as all of it may stay there. None if its types do not go together.
fn one_behind_the_other(parts: Vec<Part>, ty: Type) -> Result<Option<TableColumn>, EngineError> {
    let mut facts = ColumnFacts { ty, rows: 0, missing: 0, range: None };
    let mut may_wait = true;
    for (column, rows) in &parts {
        facts.rows += rows;
        facts.missing += column.as_ref().map_or(*rows, TableColumn::missing);
        let Some(column) = column else { continue };
        may_wait &= column.ty() == ty && column.here().is_none();
        let widest = |(l, h): (i128, i128), (low, high)| (l.min(low), h.max(high));
        facts.range = match (facts.range, column.physical_range()) {
            (Some(range), Some(own)) => Some(widest(range, own)),
            (range, own) => range.or(own),
        };
    }
    if may_wait {
        return Ok(Some(TableColumn::outside(facts, Parts(parts, ty))));
    }
    Ok(together_now(&parts, ty)?.map(TableColumn::from))
}

/// How the fields of a column were written, in all files: none if any of these says its type.
#[cfg(feature = "csv")]
fn written(parts: &[Loaded], name: &str, ty: Type) -> Option<Written> {
    let mut pieces = Vec::new();
    for part in parts {
        let table = &part.table;
        let Some(column) = table.column(name) else {
            pieces.push(WrittenPiece::empty(table.rows));
            continue;
        };
        let (_, written) = table.written.iter().find(|(known, _)| known == name)?;
        pieces.push(WrittenPiece::of(column, written, ty)?);
    }
    crate::written::together(ty, true, pieces)
}

#[cfg(not(feature = "csv"))]
fn written(_: &[Loaded], _: &str, _: Type) -> Option<Written> {
    None
}

fn together_now(parts: &[Part], ty: Type) -> Result<Option<Column>, EngineError> {
    let values = |(column, rows): &Part| match column {
        Some(column) => column.get().map(|values| Column::clone(values)),
        None => Ok(nothing(*rows)),
    };
    Ok(Column::concat(ty, parts.iter().map(values).collect::<Result<_, EngineError>>()?))
}

/// A column that lies in several files.
struct Parts(Vec<Part>, Type);

impl Fetch for Parts {
    fn fetch(&self) -> Result<Column, EngineError> {
        let joined = together_now(&self.0, self.1)?;
        joined.ok_or_else(|| EngineError::Gone("a number gets too large".to_owned()))
    }
}

/// A column without any value.
fn nothing(rows: usize) -> Column {
    let mut builder = ColumnBuilder::new(Type::Null);
    (0..rows).for_each(|_| builder.push_null());
    builder.finish()
}
