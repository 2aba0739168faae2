//! H: see it and show it. A report as text, as a picture, and a dashboard as a page for a web browser.
//!
//! `cargo run --release --example reports_to_files`
#![allow(clippy::print_stdout)] // It is an example: it prints.

use std::path::{Path, PathBuf};
use vembra::{Session, Theme, View};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/bees.vembra")
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::open(demo())?;
    for (name, title) in session.drawn_names() {
        println!("{name}: {title}");
    }
    let picture = session.report("year_against_last", &[])?;
    println!("\n{}", picture.text(Some(100)));
    let folder = std::env::temp_dir().join("vembra-reports");
    std::fs::create_dir_all(&folder)?;
    std::fs::write(folder.join("quarters.svg"), picture.svg(View::new(1280, 800)))?;
    std::fs::write(folder.join("quarters.png"), picture.png(View::new(1280, 800), 2.0, Theme::Light)?)?;
    // Every choice of the page's switches is worked out here: the page needs no server.
    let page = session.page("overview", &[("focus_year", "2024")])?;
    std::fs::write(folder.join("overview.html"), page.html())?;
    println!("wrote quarters.svg, quarters.png and overview.html into {}", folder.display());
    Ok(())
}
