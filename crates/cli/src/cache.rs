//! What was read is kept for the next command: where, and the command `kept`.

use crate::Exit;
use crate::arguments::{CacheCommand, Keep};
use crate::output::{answer, colours, remark, styled};
use std::ops::Deref;
use std::path::Path;
use std::time::SystemTime;
use vembra::Align::{Left, Right};
use vembra::{Cache, CacheEntry, Session, TextTable, direct_path, grouped};

/// This word instead of a folder keeps nothing.
const OFF: &str = "off";

/// Where what is read is kept, unless that is turned off: where the command says, else where the model says, else where the user's
/// system keeps such things.
pub(crate) fn place(keep: &Keep) -> Option<Cache> {
    let cache = match &keep.cache {
        Some(folder) if folder.as_os_str() == OFF => return None,
        Some(folder) => Cache::in_folder(folder),
        None => Cache::in_user_cache()?.unless_the_model_says(),
    };
    Some(match keep.cache_limit {
        Some(most) => cache.most(most),
        None => cache,
    })
}

/// A folder as people write it: below the home of the user by its sign.
pub(crate) fn shown_folder(folder: &Path) -> String {
    let home = std::env::home_dir().filter(|home| home.is_absolute());
    match home.and_then(|home| Some(folder.strip_prefix(home).ok()?.display().to_string())) {
        Some(below) => format!("~/{below}"),
        None => folder.display().to_string(),
    }
}

/// A session whose tables are kept when the command is done with it, so that nobody waits for that before the answer.
pub(crate) struct CachedAtEnd(pub(crate) Session);

impl Deref for CachedAtEnd {
    type Target = Session;

    fn deref(&self) -> &Session {
        &self.0
    }
}

impl Drop for CachedAtEnd {
    fn drop(&mut self) {
        if let Err(error) = self.0.keep() {
            styled(&error.render(colours()));
        }
    }
}

pub(crate) fn cache(arguments: &CacheCommand) -> Exit {
    let cache = place(&arguments.keep).and_then(|cache| match &arguments.model {
        Some(model) => Session::builder().model_file(model).cache(cache).would_cache(),
        None => Some(cache),
    });
    let Some(cache) = cache else {
        return answer("nothing is cached: that is turned off\n");
    };
    let model = arguments.model.as_ref().map(|model| direct_path(model).display().to_string());
    if arguments.remove {
        return remove(&cache, model.as_deref());
    }
    let of_model = |entry: &CacheEntry| model.as_ref().is_none_or(|model| *model == entry.model);
    let entries: Vec<CacheEntry> = cache.list().into_iter().filter(of_model).collect();
    let folder = shown_folder(cache.folder());
    if entries.is_empty() {
        return answer(&format!("nothing is cached in {folder}\n"));
    }
    let bytes: u64 = entries.iter().map(|e| e.bytes).sum();
    let most = size(cache.limit());
    answer(&format!("{}\n{} in {folder}, where at most {most} are cached\n", table(&entries), size(bytes)))
}

fn remove(cache: &Cache, model: Option<&str>) -> Exit {
    let folder = shown_folder(cache.folder());
    match cache.remove(model) {
        Ok(gone) if gone.is_empty() => answer(&format!("nothing is cached in {folder}\n")),
        Ok(gone) => {
            let bytes: u64 = gone.iter().map(|e| e.bytes).sum();
            answer(&format!("removed {} from {folder}\n", size(bytes)))
        }
        Err(error) => {
            remark(&format!("error: what is cached in {folder} cannot be removed: {error}\n"));
            Exit::Outside
        }
    }
}

fn table(entries: &[CacheEntry]) -> TextTable {
    let mut table = TextTable::new(vec![Left, Left, Right, Right, Left]);
    table.heading(["model", "table", "rows", "size", "last used"].map(str::to_owned).to_vec());
    let mut before = None;
    for entry in entries {
        let is_first = before != Some(&entry.model);
        before = Some(&entry.model);
        table.row(vec![
            if is_first { entry.model.clone() } else { String::new() },
            entry.table.clone().unwrap_or_else(|| "(links, computed columns)".to_owned()),
            entry.table.as_ref().map_or_else(String::new, |_| grouped(entry.rows)),
            size(entry.bytes),
            entry.used.map_or_else(String::new, ago),
        ]);
    }
    table
}

/// A number of bytes for people.
fn size(bytes: u64) -> String {
    let units = [("GB", 1_u64 << 30), ("MB", 1 << 20), ("KB", 1 << 10)];
    match units.into_iter().find(|(_, unit)| bytes >= *unit) {
        Some((name, unit)) if bytes < 10 * unit && !bytes.is_multiple_of(unit) => {
            format!("{:.1} {name}", bytes as f64 / unit as f64)
        }
        Some((name, unit)) => format!("{} {name}", bytes / unit),
        None => format!("{bytes} bytes"),
    }
}

/// How long ago something was, in the largest unit.
fn ago(time: SystemTime) -> String {
    let seconds = time.elapsed().map_or(0, |past| past.as_secs());
    let units = [("day", 86_400), ("hour", 3_600), ("minute", 60)];
    match units.into_iter().find(|(_, unit)| seconds >= *unit) {
        Some((name, unit)) => {
            let count = seconds / unit;
            format!("{count} {name}{} ago", if count == 1 { "" } else { "s" })
        }
        None => "now".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::{ago, size};
    use std::time::{Duration, SystemTime};

    #[test]
    fn sizes_and_times_read_as_people_say_them() {
        let sizes = [0, 1_023, 1 << 10, 5 << 19, 300 << 20, 10 << 30].map(size);
        assert_eq!(sizes, ["0 bytes", "1023 bytes", "1 KB", "2.5 MB", "300 MB", "10 GB"]);
        let times = [5, 61, 7_200, 90_000].map(|s| ago(SystemTime::now() - Duration::from_secs(s)));
        assert_eq!(times, ["now", "1 minute ago", "2 hours ago", "1 day ago"]);
    }
}
