//! Folders and files of what is kept: the user's own, written aside and put in their place when they are whole.

use super::hash::sum_of;
use std::fs::{DirBuilder, File, OpenOptions};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, SystemTime};

/// What is being written has such a name.
const ASIDE: &str = "part-";
/// What is still aside after so long was left by a command that was ended.
const LEFT: Duration = Duration::from_hours(1);

/// Makes a folder, and those that lead to it; what is made belongs to the user alone.
pub(super) fn make_folder(folder: &Path) -> io::Result<()> {
    let mut builder = DirBuilder::new();
    builder.recursive(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::DirBuilderExt;
        builder.mode(0o700);
    }
    builder.create(folder)
}

/// Writes a file that is not there yet.
pub(super) fn write_new(file: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut options = OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        options.mode(0o600);
    }
    options.open(file)?.write_all(bytes)
}

/// A new folder beside those that are cache.
pub(super) fn aside(parent: &Path) -> io::Result<PathBuf> {
    static NEXT: AtomicU64 = AtomicU64::new(0);
    let folder =
        parent.join(format!("{ASIDE}{}-{}", std::process::id(), NEXT.fetch_add(1, Ordering::Relaxed)));
    if folder.exists() {
        // Another process had the same number.
        std::fs::remove_dir_all(&folder)?;
    }
    make_folder(&folder)?;
    Ok(folder)
}

/// Puts what is whole in its place, instead of what may be there.
pub(super) fn put(aside: &Path, place: &Path) -> io::Result<()> {
    if std::fs::rename(aside, place).is_ok() {
        return Ok(());
    }
    // A folder that holds something is not replaced by renaming: it goes first.
    let before = aside.with_extension("before");
    if std::fs::rename(place, &before).is_ok() {
        std::fs::rename(aside, place)?;
        return std::fs::remove_dir_all(&before);
    }
    std::fs::rename(aside, place)
}

/// Takes away what commands that were ended have left.
pub(super) fn sweep(parent: &Path) {
    for entry in std::fs::read_dir(parent).into_iter().flatten().flatten() {
        let is_aside = entry.file_name().to_string_lossy().starts_with(ASIDE);
        let age = entry.metadata().and_then(|m| m.modified()).map(|t| SystemTime::now().duration_since(t));
        if is_aside && age.is_ok_and(|age| age.is_ok_and(|age| age > LEFT)) {
            // Somebody else may do the same.
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}

/// Writes a text with its sum behind it.
pub(super) fn write_told(file: &Path, text: &str) -> io::Result<()> {
    write_new(file, format!("{text}\n{:016x}\n", sum_of(text.as_bytes())).as_bytes())
}

/// A text whose sum stands behind it; none if it is not whole.
pub(super) fn read_told(file: &Path) -> Option<String> {
    let all = std::fs::read_to_string(file).ok()?;
    let (text, sum) = all.strip_suffix('\n')?.rsplit_once('\n')?;
    (u64::from_str_radix(sum, 16).ok()? == sum_of(text.as_bytes())).then(|| text.to_owned())
}

/// How many bytes the files of a folder have.
pub(super) fn size(folder: &Path) -> u64 {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    entries.filter_map(|e| e.metadata().ok()).filter(std::fs::Metadata::is_file).map(|m| m.len()).sum()
}

/// Notes that something was used now, unless that was noted lately.
pub(super) fn used(file: &Path) {
    let lately = |time: SystemTime| time.elapsed().is_ok_and(|past| past < Duration::from_mins(1));
    if std::fs::metadata(file).and_then(|m| m.modified()).is_ok_and(lately) {
        return;
    }
    // Where it may not be noted, what was used may go earlier than it would.
    let _ = File::options().write(true).open(file).and_then(|f| f.set_modified(SystemTime::now()));
}

/// When something was used last.
pub(super) fn last_used(file: &Path) -> Option<SystemTime> {
    std::fs::metadata(file).and_then(|m| m.modified()).ok()
}
