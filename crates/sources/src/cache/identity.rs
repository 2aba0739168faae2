//! Whether a file is the one that it was: its path, length and times, and its bytes, of a large one those of many places.

use super::hash::Mark;
use std::ffi::OsString;
use std::fs::{File, Metadata};
use std::io::{self, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

/// A file of at most this many bytes is looked at whole.
const WHOLE: u64 = 1 << 20;
/// A larger one is sampled at this many positions,
const PLACES: u64 = 64;
/// this many bytes each.
const PLACE_BYTES: u64 = 4 << 10;
/// A large file that changed so short a time ago may change again without its time telling.
const SETTLED: Duration = Duration::from_secs(2);

/// What files were when they were looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Identity {
    pub(super) mark: Mark,
    /// How many bytes they have together.
    pub(super) bytes: u64,
}

/// The identity of some files. None where it cannot be known for sure: one is no file, or may be changing right now.
pub(super) fn identity(files: &[PathBuf]) -> io::Result<Option<Identity>> {
    let mut said = Vec::new();
    let mut bytes = 0;
    for file in files {
        let Some((one, length)) = said_of(file)? else { return Ok(None) };
        said.push(one);
        bytes += length;
        // What a database has not yet put into its file.
        for ending in ["-wal", "-journal"] {
            let beside = beside(file, ending);
            if beside.exists() {
                let Some((one, _)) = said_of(&beside)? else { return Ok(None) };
                said.push(one);
            }
        }
    }
    let said: Vec<&str> = said.iter().map(String::as_str).collect();
    Ok(Some(Identity { mark: Mark::of(&said), bytes }))
}

fn beside(file: &Path, ending: &str) -> PathBuf {
    let mut name: OsString = file.as_os_str().to_owned();
    name.push(ending);
    name.into()
}

fn said_of(path: &Path) -> io::Result<Option<(String, u64)>> {
    let direct = std::fs::canonicalize(path)?;
    let mut file = File::open(&direct)?;
    let metadata = file.metadata()?;
    if !metadata.is_file() {
        return Ok(None);
    }
    let length = metadata.len();
    let mark = if length <= WHOLE {
        Mark::of_all(&mut file)?
    } else if is_settled(&metadata) {
        Mark::of_all(places(&mut file, length)?.as_slice())?
    } else {
        return Ok(None);
    };
    let path = direct.to_string_lossy();
    Ok(Some((
        format!("{path}\n{length} {} {} {mark}", nanos(metadata.modified()?), of_system(&metadata)),
        length,
    )))
}

/// The first and the last bytes, and some at even distances between them.
fn places(file: &mut File, length: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::with_capacity((PLACES * PLACE_BYTES) as usize);
    for place in 0..PLACES {
        let at = u128::from(length - PLACE_BYTES) * u128::from(place) / u128::from(PLACES - 1);
        file.seek(SeekFrom::Start(at as u64))?;
        file.by_ref().take(PLACE_BYTES).read_to_end(&mut bytes)?;
    }
    Ok(bytes)
}

fn is_settled(metadata: &Metadata) -> bool {
    let now = SystemTime::now();
    let long_ago = |time: SystemTime| now.duration_since(time).is_ok_and(|past| past >= SETTLED);
    metadata.modified().is_ok_and(long_ago) && changed(metadata).is_none_or(long_ago)
}

fn nanos(time: SystemTime) -> i128 {
    match time.duration_since(UNIX_EPOCH) {
        Ok(since) => since.as_nanos() as i128,
        Err(before) => -(before.duration().as_nanos() as i128),
    }
}

/// What the system says of a file besides: a time that nobody can set, and its place on the disk.
#[cfg(unix)]
fn of_system(metadata: &Metadata) -> String {
    use std::os::unix::fs::MetadataExt;
    let m = metadata;
    format!("{}.{} {} {}", m.ctime(), m.ctime_nsec(), m.dev(), m.ino())
}

#[cfg(not(unix))]
fn of_system(_: &Metadata) -> String {
    String::new()
}

#[cfg(unix)]
fn changed(metadata: &Metadata) -> Option<SystemTime> {
    use std::os::unix::fs::MetadataExt;
    let seconds = u64::try_from(metadata.ctime()).ok()?;
    UNIX_EPOCH.checked_add(Duration::new(seconds, u32::try_from(metadata.ctime_nsec()).ok()?))
}

#[cfg(not(unix))]
fn changed(_: &Metadata) -> Option<SystemTime> {
    None
}
