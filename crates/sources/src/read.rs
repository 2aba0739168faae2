//! A table from a file or from the bytes of one, whatever its format.

use crate::input::{Input, Unread};
use crate::kind::{Kind, kind_of};
use crate::loaded::{Loaded, ReadOptions, failed};
use std::path::Path;
use vembra_plan::{Code, Finding};

/// How many bytes show what a file is.
const KIND_BYTES: usize = 4_096;

/// Reads a file. A file that cannot be opened gives an empty table with an error, and so does one that changes meanwhile.
pub fn read_table(path: &Path, options: &ReadOptions) -> Loaded {
    let name = path.display().to_string();
    match Input::of(path, options) {
        Ok(input) => read(&name, &input, options),
        Err(unread) => failed(&name, vec![unread.finding(&name)]),
    }
}

/// Reads the bytes of a file; `name` is for messages.
///
/// # Examples
/// ```
/// use vembra_sources::{ReadOptions, read_bytes};
/// # #[cfg(feature = "csv")]
/// # {
/// let loaded = read_bytes("shop.csv", b"sku,price\n007,12.50\n", &ReadOptions::default());
/// assert!(loaded.findings.is_empty());
/// assert_eq!(loaded.table.columns[0].1.get()?.scalar(0).to_string(), "007");
/// # }
/// # Ok::<(), vembra_engine::EngineError>(())
/// ```
pub fn read_bytes(name: &str, bytes: &[u8], options: &ReadOptions) -> Loaded {
    read(name, &Input::Bytes(bytes), options)
}

fn read(name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    let start = match input.start(KIND_BYTES) {
        Ok(start) => start,
        Err(error) => return failed(name, vec![Unread::from(error).finding(name)]),
    };
    let kind = kind_of(&start);
    let mut loaded = read_kind(kind, name, input, options);
    loaded.findings.extend(unmeant(kind, name, options));
    loaded
}

/// What the model says of a file that means nothing for its format.
fn unmeant(kind: Kind, name: &str, options: &ReadOptions) -> Option<Finding> {
    let is_text = kind == Kind::Delimited;
    let is_typed = matches!(kind, Kind::Parquet | Kind::Arrow);
    let forms = &options.forms;
    let said = [
        ("separated by", options.separator.is_some() && !is_text),
        ("encoding", options.encoding.is_some() && !is_text),
        ("missing", !options.missing.is_empty() && is_typed),
        ("numbers like", forms.numbers.is_some() && is_typed),
        ("dates like", forms.dates.is_some() && is_typed),
        ("booleans like", forms.booleans.is_some() && is_typed),
        ("sheet", options.sheet.is_some() && kind != Kind::Workbook),
        ("table", options.table.is_some() && kind != Kind::Sqlite),
    ];
    let words: Vec<&str> = said.iter().filter(|(_, unmeant)| *unmeant).map(|(word, _)| *word).collect();
    if words.is_empty() || matches!(kind, Kind::Other(..)) {
        return None;
    }
    let message = format!("{} says nothing of {}", words.join(", "), kind.name());
    let found =
        Finding::new(Code::V644, name, message, "leave it out of the model, or name the file that is meant");
    Some(found)
}

fn read_kind(kind: Kind, name: &str, input: &Input<'_>, options: &ReadOptions) -> Loaded {
    match kind {
        #[cfg(feature = "csv")]
        Kind::Delimited => crate::delimited::read(name, input, options),
        #[cfg(feature = "csv")]
        Kind::JsonLines => crate::json_lines::read(name, input, options),
        #[cfg(feature = "parquet")]
        Kind::Parquet => crate::parquet::read(name, input, options),
        #[cfg(feature = "arrow")]
        Kind::Arrow => crate::columnar::read_arrow(name, input, options),
        #[cfg(feature = "xlsx")]
        Kind::Workbook => crate::workbook::read(name, input, options),
        #[cfg(feature = "sqlite")]
        Kind::Sqlite => crate::sqlite::read(name, input, options),
        Kind::Other(what, help) => failed(
            name,
            vec![Finding::new(Code::V633, name, format!("the file is {what}, and no table"), help)],
        ),
        #[allow(unreachable_patterns)] // Readers that are built come first.
        kind => failed(name, vec![left_out(name, kind)]),
    }
}

/// The finding about a format whose reader is not built.
fn left_out(name: &str, kind: Kind) -> Finding {
    let message = format!("this program was built without the reader of {}", kind.name());
    let help = format!("build it with the feature {}, or give the table as columns", kind.feature());
    Finding::new(Code::V635, name, message, &help)
}
