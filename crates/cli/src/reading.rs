//! How far reading files has come, shown while it takes long.

use indicatif::{ProgressBar, ProgressStyle};
use std::collections::BTreeMap;
use vembra::{Progress, grouped};

/// A bar over the bytes of all files.
pub(crate) struct Reading {
    bar: ProgressBar,
    /// Of each table: its rows and bytes so far, and how many bytes it has.
    tables: BTreeMap<String, (u64, u64, u64)>,
}

impl Reading {
    pub(crate) fn new() -> Self {
        let bar = ProgressBar::new(0);
        if let Ok(style) =
            ProgressStyle::with_template("{bar:30} {bytes} of {total_bytes}, {eta} left, {msg}")
        {
            bar.set_style(style);
        }
        Self { bar, tables: BTreeMap::new() }
    }

    pub(crate) fn tell(&mut self, progress: &Progress) {
        let of = progress.of.unwrap_or(progress.bytes);
        self.tables.insert(progress.table.clone(), (progress.rows, progress.bytes.min(of), of));
        let sum = |part: fn(&(u64, u64, u64)) -> u64| self.tables.values().map(part).sum::<u64>();
        self.bar.set_length(sum(|t| t.2));
        self.bar.set_position(sum(|t| t.1));
        self.bar.set_message(format!("{} rows", grouped(sum(|t| t.0) as usize)));
        if progress.done == progress.tables {
            self.bar.finish_and_clear();
        }
    }
}
