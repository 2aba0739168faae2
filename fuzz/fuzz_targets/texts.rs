//! Any text is lexed and parsed: the tree prints it, and nothing panics.
#![no_main]

use libfuzzer_sys::fuzz_target;
use vembra::Sources;
use vembra::inside::{parse_model, parse_query};

fuzz_target!(|text: &str| {
    let mut sources = Sources::default();
    let source = sources.add("text", text);
    for parsed in [parse_model(source, text), parse_query(source, text)] {
        assert_eq!(parsed.root.text().to_string(), text);
        vembra::diagnostics_text(&sources, &parsed.diagnostics, false);
    }
});
