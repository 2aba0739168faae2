//! The command `fmt`.

use crate::Exit;
use crate::arguments::Fmt;
use crate::files::write_file;
use crate::output::{colours, data, remark, styled};
use std::io::Read;
use std::path::Path;
use vembra::{Sources, diagnostics_text, format_model};

pub(crate) fn fmt(arguments: &Fmt) -> Exit {
    let mut exit = Exit::Fine;
    for file in &arguments.files {
        let next = one(file, arguments);
        if exit == Exit::Fine || next == Exit::Wrong || next == Exit::Outside {
            exit = next;
        }
    }
    exit
}

fn one(file: &Path, arguments: &Fmt) -> Exit {
    let from_input = file == Path::new("-");
    let read = if from_input {
        let mut text = String::new();
        std::io::stdin().read_to_string(&mut text).map(|_| text)
    } else {
        std::fs::read_to_string(file)
    };
    let shown = file.display();
    let text = match read {
        Ok(text) => text,
        Err(error) => {
            remark(&format!("error: {shown} cannot be read: {error}\n"));
            return Exit::Outside;
        }
    };
    let tidy = match format_model(&text) {
        Ok(tidy) => tidy,
        Err(diagnostics) => {
            let mut sources = Sources::default();
            sources.add(shown.to_string(), text);
            styled(&diagnostics_text(&sources, &diagnostics, colours()));
            return Exit::Wrong;
        }
    };
    match (arguments.check, from_input) {
        (true, _) if tidy != text => {
            remark(&format!("{shown} is laid out otherwise\n"));
            Exit::Findings
        }
        (true, _) => Exit::Fine,
        (false, true) => data(tidy.as_bytes()),
        (false, false) if tidy == text => Exit::Fine,
        (false, false) => write_file(file, tidy.as_bytes()),
    }
}
