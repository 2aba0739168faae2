//! Each example runs to its end and prints something.

use std::path::{Path, PathBuf};
use std::process::Command;

/// The examples lie beside the tests that were built with them.
fn built(name: &str) -> PathBuf {
    let test = std::env::current_exe().unwrap();
    let folder = test.ancestors().nth(2).unwrap();
    folder.join("examples").join(format!("{name}{}", std::env::consts::EXE_SUFFIX))
}

#[test]
fn examples_run() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("examples");
    let mut ran = 0;
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let output = Command::new(built(&name)).output().unwrap_or_else(|e| panic!("{name}: {e}"));
        assert!(output.status.success(), "{name}: {}", String::from_utf8_lossy(&output.stderr));
        assert!(output.stdout.len() > 200, "{name} prints next to nothing");
        ran += 1;
    }
    assert!(ran >= 9);
}
