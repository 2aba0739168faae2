//! Tables of `SQLite` databases.

use crate::fields::{Field, FieldTable};
use crate::input::Input;
use crate::loaded::{Loaded, ReadOptions, failed, over_budget};
use rusqlite::types::ValueRef;
use rusqlite::{Connection, OpenFlags};
use std::path::Path;
use std::time::Duration;
use vembra_plan::{Code, Finding, Type};

/// So long is waited for a database that another program writes.
const WAIT: Duration = Duration::from_secs(5);
/// After how many rows the memory that is taken is looked at.
const ROWS_BETWEEN_CHECKS: usize = 1 << 16;

pub(crate) fn read(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    let told = |error: &rusqlite::Error| {
        let help = "check that the database is whole, and that no other program has locked it";
        Finding::new(Code::V641, name, format!("the database cannot be read: {error}"), help)
    };
    let opened = match input {
        Input::File(path, _) => open(path),
        // A database in memory is laid down where it can be opened.
        Input::Bytes(bytes) => return laid_down(name, bytes, options),
        Input::Kept(bytes) => return laid_down(name, bytes, options),
    };
    let connection = match opened {
        Ok(connection) => connection,
        Err(error) => return failed(name, vec![told(&error)]),
    };
    match table(name, &connection, options) {
        Ok(Ok(table)) => table.load(name, options, Vec::new()),
        Ok(Err(finding)) => failed(name, vec![*finding]),
        Err(error) => failed(name, vec![told(&error)]),
    }
}

fn open(path: &Path) -> Result<Connection, rusqlite::Error> {
    let connection = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
    connection.busy_timeout(WAIT)?;
    Ok(connection)
}

fn laid_down(name: &str, bytes: &[u8], options: &ReadOptions) -> Loaded {
    let written = tempfile::NamedTempFile::new().and_then(|mut file| {
        std::io::Write::write_all(&mut file, bytes)?;
        Ok(file)
    });
    let loaded = written.map(|file| match Input::of(file.path(), options) {
        Ok(input) => read(name, &input, options),
        Err(unread) => failed(name, vec![unread.finding(name)]),
    });
    loaded.unwrap_or_else(|error| failed(name, vec![crate::input::Unread::from(error).finding(name)]))
}

/// A name in double quotes.
fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

fn table(
    name: &str,
    connection: &Connection,
    options: &ReadOptions,
) -> Result<Result<FieldTable, Box<Finding>>, rusqlite::Error> {
    let known: Vec<String> = connection
        .prepare("select name from sqlite_master where type in ('table', 'view') and name not like 'sqlite_%' order by name")?
        .query_map([], |row| row.get(0))?
        .collect::<Result<_, _>>()?;
    let wanted = match (&options.table, known.as_slice()) {
        (Some(told), known) if known.contains(told) => told,
        (None, [one]) => one,
        (told, _) => {
            let message = match told {
                Some(told) => format!("there is no table {told} in the database"),
                None => format!("the database has {} tables", known.len()),
            };
            let help = format!("say which one: … table '…'; there are: {}", known.join(", "));
            let found = Finding::new(Code::V640, name, message, &help);
            return Ok(Err(Box::new(Finding { subjects: known, ..found })));
        }
    };
    // One statement sees one state of the database, whatever is written meanwhile.
    let mut statement = connection.prepare(&format!("select * from {}", quoted(wanted)))?;
    let told: Vec<(String, String)> = statement
        .columns()
        .map(|c| (c.name().to_owned(), c.decl_type().unwrap_or_default().to_ascii_uppercase()))
        .collect();
    let mut table = FieldTable::new(told.iter().map(|(name, _)| name.clone()).collect());
    table.types = told.iter().map(|(_, ty)| type_of(ty)).collect();
    let mut rows = statement.query([])?;
    let mut at = 0;
    while let Some(row) = rows.next()? {
        at += 1;
        if at % ROWS_BETWEEN_CHECKS == 0
            && let Err(over) = options.memory.check()
        {
            return Ok(Err(Box::new(over_budget(name, over))));
        }
        for (column, (header, ty)) in told.iter().enumerate() {
            let field = match row.get_ref(column)? {
                ValueRef::Null => Field::Nothing,
                ValueRef::Integer(number) if ty.starts_with("BOOL") && (0..=1).contains(&number) => {
                    Field::Plain((number == 1).to_string())
                }
                ValueRef::Integer(number) => Field::Plain(number.to_string()),
                ValueRef::Real(number) => Field::Plain(format!("{number}")),
                ValueRef::Text(bytes) => match std::str::from_utf8(bytes) {
                    Ok(text) if table.types[column].is_some() => Field::Plain(text.to_owned()),
                    Ok(text) => Field::Text(text.to_owned()),
                    Err(_) => return Ok(Err(Box::new(odd(name, at, header, "a text that is not in UTF-8")))),
                },
                ValueRef::Blob(_) => return Ok(Err(Box::new(odd(name, at, header, "bytes")))),
            };
            table.columns[column].push(field);
        }
        table.lines.push(at as u64);
    }
    Ok(Ok(table))
}

fn odd(name: &str, row: usize, column: &str, what: &str) -> Finding {
    let help = "leave such columns out: make a view of the others, and name it by table '…'";
    let message = format!("the row holds {what}, which is no value of a table");
    Finding {
        line: Some(row as u64),
        column: Some(column.to_owned()),
        ..Finding::new(Code::V642, name, message, help)
    }
}

/// The type that a declared one says for sure; those of others are found in the values. Such databases have no type for days, which are
/// declared as texts.
fn type_of(declared: &str) -> Option<Type> {
    let is_float = ["REAL", "FLOA", "DOUB"].iter().any(|word| declared.contains(word));
    is_float.then_some(Type::Float)
}
