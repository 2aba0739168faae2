//! Files that are written: aside first, then put in their place.

use crate::Exit;
use crate::output::remark;
use std::fs::{File, OpenOptions};
use std::io::{Result, Write};
use std::path::{Path, PathBuf};

/// Writes a file aside and puts it in its place when it is whole.
pub(crate) fn write_file(file: &Path, bytes: &[u8]) -> Exit {
    match write(file, bytes) {
        Ok(()) => {
            remark(&format!("wrote {}\n", file.display()));
            Exit::Fine
        }
        Err(error) => {
            remark(&format!("error: {} cannot be written: {error}\n", file.display()));
            Exit::Outside
        }
    }
}

fn write(file: &Path, bytes: &[u8]) -> Result<()> {
    // A link stays one: what it leads to is written.
    let file = vembra::direct_path(file);
    if std::fs::metadata(&file).is_ok_and(|m| !m.is_file() && !m.is_dir()) {
        // A device or a pipe is no place to put a file into.
        return File::options().write(true).open(&file)?.write_all(bytes);
    }
    let aside = aside(&file);
    let written = write_new(&aside, bytes).and_then(|()| std::fs::rename(&aside, &file));
    if written.is_err() {
        // The part is of no use; that it cannot be removed either changes nothing.
        let _ = std::fs::remove_file(&aside);
    }
    written
}

/// Beside the file, under a name that no other run takes.
fn aside(file: &Path) -> PathBuf {
    let mut aside = file.as_os_str().to_owned();
    aside.push(format!(".{}.part", std::process::id()));
    PathBuf::from(aside)
}

fn write_new(file: &Path, bytes: &[u8]) -> Result<()> {
    let mut file = OpenOptions::new().write(true).create_new(true).open(file)?;
    file.write_all(bytes)?;
    // A full disk is told at the latest now.
    file.sync_all()
}
