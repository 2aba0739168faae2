//! The tour is told to its end, and leaves a page that stands by itself.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::process::Command;

#[test]
fn the_tour_is_told_and_ends_with_a_page() {
    let folder = std::env::temp_dir().join(format!("vembra-tour-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    let told = Command::new(env!("CARGO_BIN_EXE_vembra-tour")).env("TMPDIR", &folder).output().unwrap();
    assert!(told.status.success());
    insta::assert_snapshot!("tour", String::from_utf8(told.stdout).unwrap());
    let beside = String::from_utf8(told.stderr).unwrap();
    assert!(
        beside.contains("overview.html\na dashboard of the demo: open it in a web browser\n"),
        "{beside}"
    );
    assert!(beside.contains("cargo install --path crates/cli"), "{beside}");
    let page = std::fs::read_to_string(folder.join("vembra-demo/overview.html")).unwrap();
    assert!(page.starts_with("<!DOCTYPE html>") && page.contains("Marrowfield"), "{}", &page[..200]);
    std::fs::remove_dir_all(&folder).unwrap();
}

#[test]
fn where_the_page_cannot_be_written_the_tour_says_so() {
    let no_folder = concat!(env!("CARGO_MANIFEST_DIR"), "/Cargo.toml");
    let told = Command::new(env!("CARGO_BIN_EXE_vembra-tour")).env("TMPDIR", no_folder).output().unwrap();
    assert_eq!(told.status.code(), Some(3));
    let beside = String::from_utf8(told.stderr).unwrap();
    assert!(told.stdout.starts_with(b"Marrowfield"));
    assert!(beside.starts_with("error: the page of the tour cannot be written into "), "{beside}");
}
