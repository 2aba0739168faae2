//! What a viewer reads says nothing of the machine: files are named without the folders that they lie in.

use crate::session::Session;
use std::path::Path;
use std::sync::Arc;
use vembra_engine::{EngineError, FileRows, Lines, Table};
use vembra_model::Model;
use vembra_plan::Finding;
use vembra_syntax::{SourceId, Sources};

/// The name of a file without its folder; what names no file stays as it is.
fn plain_name(path: &str) -> String {
    Path::new(path).file_name().map_or_else(|| path.to_owned(), |name| name.to_string_lossy().into_owned())
}

/// A finding whose file, wherever it is named, has no folder.
pub(crate) fn plain_finding(finding: &Finding) -> Finding {
    let plain = |text: &str| {
        if finding.file.is_empty() {
            text.to_owned()
        } else {
            text.replace(&finding.file, &plain_name(&finding.file))
        }
    };
    Finding {
        file: plain_name(&finding.file),
        message: plain(&finding.message),
        help: plain(&finding.help),
        ..finding.clone()
    }
}

/// A table whose files have no folders.
pub(crate) fn plain_table(mut table: Table) -> Table {
    table.origin = match table.origin.split_once(" and ") {
        Some((first, more)) => format!("{} and {more}", plain_name(first)),
        None => plain_name(&table.origin),
    };
    if let Lines::Files(files) = table.lines {
        let plain = |file: FileRows| FileRows { file: plain_name(&file.file), ..file };
        table.lines = Lines::Files(files.into_iter().map(plain).collect());
    }
    table
}

/// Texts whose names have no folders.
pub(crate) fn plain_sources(sources: &Sources) -> Sources {
    let mut plain = Sources::default();
    for at in 0..sources.count() {
        let source = SourceId(at as u32);
        plain.add(plain_name(sources.name(source)), sources.text(source));
    }
    plain
}

impl Session {
    /// An error as who asks reads it.
    pub(crate) fn told(&self, error: EngineError) -> EngineError {
        match error {
            EngineError::Unread(finding) if self.viewer.is_some() => {
                EngineError::Unread(Box::new(plain_finding(&finding)))
            }
            error => error,
        }
    }

    /// The session of a viewer, whose model, tables and messages name no folder.
    pub(crate) fn for_viewer(mut self, viewer: &str, whole: &Self) -> Self {
        self.viewer = Some(viewer.to_owned());
        self.files = whole.files.clone();
        let mut model = Model::clone(&self.model);
        model.sources = plain_sources(&model.sources);
        self.model = Arc::new(model);
        self
    }
}
