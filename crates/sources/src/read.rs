//! A table from a file or from the bytes of one.

use crate::file::{Unread, read_whole};
use crate::loaded::{Loaded, ReadOptions, failed, finding, over_budget};
use std::path::Path;

/// Reads a file. A file that cannot be opened gives an empty table with an error, and so does one that changes meanwhile.
pub fn read_table(path: &Path, options: &ReadOptions) -> Loaded {
    let name = path.display().to_string();
    match read_whole(path, options.memory) {
        Ok(bytes) => read_bytes(&name, &bytes, options),
        Err(Unread::Failed(error)) => {
            let why = match error.kind() {
                std::io::ErrorKind::NotFound => "there is no such file".to_owned(),
                std::io::ErrorKind::PermissionDenied => "reading it is not allowed".to_owned(),
                std::io::ErrorKind::IsADirectory => "it is a folder".to_owned(),
                _ => error.to_string(),
            };
            let message = format!("the file cannot be read: {why}");
            let help = "check the path; it is taken from the folder of the model";
            failed(&name, vec![finding("V610", &name, message, help)])
        }
        Err(Unread::Over(over)) => failed(&name, vec![over_budget(&name, over)]),
        Err(Unread::Changed) => {
            let message = "the file changed while it was read".to_owned();
            let help = "read it again when whatever writes it is done";
            failed(&name, vec![finding("V630", &name, message, help)])
        }
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
/// assert_eq!(loaded.table.columns[0].1.scalar(0).to_string(), "007");
/// # }
/// ```
pub fn read_bytes(name: &str, bytes: &[u8], options: &ReadOptions) -> Loaded {
    #[cfg(feature = "csv")]
    {
        crate::csv_file::read(name, bytes, options)
    }
    #[cfg(not(feature = "csv"))]
    {
        let _ = (bytes, options);
        let message = "this program was built without the reader of delimited text".to_owned();
        failed(
            name,
            vec![finding(
                "V635",
                name,
                message,
                "build it with the feature csv, or give the table as columns",
            )],
        )
    }
}
