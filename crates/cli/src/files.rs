//! Files that are written: aside first, then put in their place.

use crate::Exit;
use crate::output::remark;
use std::path::{Path, PathBuf};

/// Writes a file aside and puts it in its place when it is whole.
pub(crate) fn write_file(file: &Path, bytes: &[u8]) -> Exit {
    let mut aside = file.as_os_str().to_owned();
    aside.push(".part");
    let aside = PathBuf::from(aside);
    let written = std::fs::write(&aside, bytes).and_then(|()| std::fs::rename(&aside, file));
    match written {
        Ok(()) => {
            remark(&format!("wrote {}\n", file.display()));
            Exit::Fine
        }
        Err(error) => {
            // The part is of no use; that it cannot be removed either changes nothing.
            let _ = std::fs::remove_file(&aside);
            remark(&format!("error: {} cannot be written: {error}\n", file.display()));
            Exit::Outside
        }
    }
}
