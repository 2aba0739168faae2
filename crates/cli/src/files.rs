//! Files that are written: aside first, then put in their place. What a model is made of is never written over.

use crate::Exit;
use crate::output::remark;
use std::fs::{File, Metadata, OpenOptions};
use std::io::{Result, Write};
use std::path::{Path, PathBuf};
use vembra::Session;

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

/// Refuses a target that the model of a session is made of: its texts, and the files of its tables, by whatever path or link.
pub(crate) fn not_of_model(session: &Session, file: &Path) -> std::result::Result<(), Exit> {
    let own = session.files().into_iter().find(|own| is_same(own, file));
    let Some(own) = own else { return Ok(()) };
    let leads = if own == file { String::new() } else { format!(" leads to {}, which", own.display()) };
    remark(&format!(
        "error: {}{leads} is a file that the model is made of, and is never written over; name another file\n",
        file.display()
    ));
    Err(Exit::Wrong)
}

/// Whether two paths lead to one file.
fn is_same(a: &Path, b: &Path) -> bool {
    if vembra::direct_path(a) == vembra::direct_path(b) {
        return true;
    }
    match (std::fs::metadata(a), std::fs::metadata(b)) {
        (Ok(a), Ok(b)) => same_place(&a, &b),
        _ => false,
    }
}

#[cfg(unix)]
fn same_place(a: &Metadata, b: &Metadata) -> bool {
    use std::os::unix::fs::MetadataExt;
    (a.dev(), a.ino()) == (b.dev(), b.ino())
}

#[cfg(not(unix))]
fn same_place(_: &Metadata, _: &Metadata) -> bool {
    false
}

fn write(file: &Path, bytes: &[u8]) -> Result<()> {
    // A link stays one: what it leads to is written, also where nothing is there yet.
    let file = end_of_links(file);
    let before = std::fs::metadata(&file).ok();
    if before.as_ref().is_some_and(|m| !m.is_file() && !m.is_dir()) {
        // A device or a pipe is no place to put a file into.
        return File::options().write(true).open(&file)?.write_all(bytes);
    }
    let aside = aside(&file);
    let written = write_new(&aside, bytes)
        .and_then(|()| before.as_ref().map_or(Ok(true), |before| keep_rights(&aside, before)))
        .and_then(
            |kept| if kept { std::fs::rename(&aside, &file) } else { write_over(&aside, &file, bytes) },
        );
    if written.is_err() {
        // The part is of no use; that it cannot be removed either changes nothing.
        let _ = std::fs::remove_file(&aside);
    }
    written
}

/// Where links lead in the end; after too many of them the path as it is, for which the system has a message.
fn end_of_links(file: &Path) -> PathBuf {
    let mut at = vembra::direct_path(file);
    for _ in 0..40 {
        let Ok(to) = std::fs::read_link(&at) else { return at };
        at = at.parent().map_or_else(|| to.clone(), |folder| folder.join(&to));
    }
    file.to_owned()
}

/// Gives a new file the mode and owner that the one in its place has; says whether that could be done.
#[cfg(unix)]
fn keep_rights(aside: &Path, before: &Metadata) -> Result<bool> {
    use std::os::unix::fs::{MetadataExt, chown};
    let own = std::fs::metadata(aside)?;
    if (own.uid(), own.gid()) != (before.uid(), before.gid())
        && chown(aside, Some(before.uid()), Some(before.gid())).is_err()
    {
        return Ok(false);
    }
    std::fs::set_permissions(aside, before.permissions())?;
    Ok(true)
}

#[cfg(not(unix))]
fn keep_rights(_: &Path, _: &Metadata) -> Result<bool> {
    Ok(true)
}

/// Into the file itself, which belongs to somebody else: another one in its place would not.
fn write_over(aside: &Path, file: &Path, bytes: &[u8]) -> Result<()> {
    let mut target = File::options().write(true).truncate(true).open(file)?;
    target.write_all(bytes)?;
    target.sync_all()?;
    std::fs::remove_file(aside)
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
    // A full disk is reported at the latest now.
    file.sync_all()
}
