//! The tree of a text is the whole text, whatever the text: every text of the project, whole, cut off anywhere, and with a piece taken out.
#![allow(clippy::unwrap_used)] // Tests stop at the first fault.

use std::fs;
use std::path::{Path, PathBuf};
use vembra_syntax::{SourceId, parse_model, parse_query};

fn texts(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if name.starts_with('.') || name == "target" || name == "screenshots" || name == "corpus" {
            continue;
        }
        if path.is_dir() {
            texts(&path, found);
        } else if path.extension().is_some_and(|e| ["vembra", "txt", "md", "rs"].iter().any(|w| e == *w)) {
            found.push(path);
        }
    }
}

fn whole(text: &str) {
    for parsed in [parse_model(SourceId::default(), text), parse_query(SourceId::default(), text)] {
        assert_eq!(parsed.root.to_string(), text);
        for diagnostic in &parsed.diagnostics {
            for label in &diagnostic.labels {
                let span = label.span;
                assert!(span.start <= span.end && span.end <= text.len(), "{diagnostic:?}");
                assert!(text.is_char_boundary(span.start) && text.is_char_boundary(span.end));
            }
        }
    }
}

#[test]
fn the_tree_is_the_text() {
    let mut files = Vec::new();
    texts(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../.."), &mut files);
    let mut read = 0;
    for file in files {
        let text = fs::read_to_string(&file).unwrap();
        // Whole files are long; what a parser may trip over is near the start of a paragraph as well.
        for piece in text.split("\n\n").take(200) {
            whole(piece);
            read += 1;
        }
    }
    assert!(read > 3_000, "{read} pieces");
}

#[test]
fn cut_anywhere_it_is_still_the_text() {
    let demo =
        fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")).unwrap();
    let declarations: Vec<&str> = demo.split_inclusive('\n').collect();
    for lines in declarations.chunks(6) {
        let text = lines.concat();
        for at in (0..=text.len()).filter(|at| text.is_char_boundary(*at)) {
            whole(&text[..at]);
            whole(&text[at..]);
            let end = (at + 3).min(text.len());
            if text.is_char_boundary(end) {
                whole(&format!("{}{}", &text[..at], &text[end..]));
            }
        }
    }
}
