//! The queries that the documents ask of the demo.

use std::path::Path;

/// Each of them, once.
pub(crate) fn queries() -> Vec<String> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut found = Vec::new();
    for file in ["README.md", "docs/reference.md", "docs/guide.md"] {
        let text = std::fs::read_to_string(root.join(file)).unwrap();
        for line in text.lines().filter_map(|l| l.strip_prefix("$ vembra ask demo/bees.vembra \"")) {
            found.extend(line.split('"').next().map(str::to_owned));
        }
    }
    found.sort();
    found.dedup();
    found
}
