//! The command `sketch`.

use crate::Exit;
use crate::arguments::Sketch;
use crate::output::{answer, failure, remark};
use std::fs::OpenOptions;
use std::io::{ErrorKind, Write};
use std::path::Path;
use vembra::Session;

pub(crate) fn sketch(arguments: &Sketch) -> Exit {
    let folder = arguments.to.as_deref().and_then(Path::parent).unwrap_or(Path::new(""));
    let sketch = match vembra::sketch(&arguments.files, &arguments.database, folder) {
        Ok(sketch) => sketch,
        Err(error) => return failure(&error),
    };
    let exit = match &arguments.to {
        None => answer(&sketch.model),
        Some(to) => write_new(to, &sketch.model),
    };
    if exit != Exit::Fine {
        return exit;
    }
    for doubt in &sketch.doubts {
        remark(&format!("doubtful: {doubt}\n"));
    }
    let Some(to) = &arguments.to else { return Exit::Fine };
    // The model that was written stands, or it is said.
    if let Err(error) = Session::open(to) {
        return failure(&error);
    }
    let shown = to.display();
    remark(&format!("wrote {shown}\nnext: vembra check {shown}\n"));
    if let Some(query) = &sketch.query {
        remark(&format!("      vembra ask {shown} \"{query}\"\n"));
    }
    Exit::Fine
}

/// Writes a file that is not there yet.
fn write_new(to: &Path, text: &str) -> Exit {
    let opened = OpenOptions::new().write(true).create_new(true).open(to);
    match opened.and_then(|mut file| file.write_all(text.as_bytes())) {
        Ok(()) => Exit::Fine,
        Err(error) if error.kind() == ErrorKind::AlreadyExists => {
            remark(&format!("error: {} is there already; name another file\n", to.display()));
            Exit::Wrong
        }
        Err(error) => {
            remark(&format!("error: {} cannot be written: {error}\n", to.display()));
            Exit::Outside
        }
    }
}
