//! The tour by itself: text to standard output, a page into a folder for files that need not last.

#![forbid(unsafe_code)]

use std::error::Error;
use std::io::{ErrorKind, Write};
use std::process::ExitCode;
use vembra_demo::{Company, ORDERS};

fn main() -> ExitCode {
    match run() {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            tell(&format!("error: {error}\n"));
            ExitCode::from(3)
        }
    }
}

fn run() -> Result<(), Box<dyn Error>> {
    let session = vembra_tour::builder(&Company::new(ORDERS))?.open()?;
    let text = vembra_tour::text(&session)?;
    match std::io::stdout().lock().write_all(text.as_bytes()) {
        // A reader that stops reading is no failure.
        Err(error) if error.kind() == ErrorKind::BrokenPipe => return Ok(()),
        written => written?,
    }
    let folder = std::env::temp_dir().join("vembra-demo");
    let file = folder.join("overview.html");
    let page = vembra_tour::page(&session)?;
    std::fs::create_dir_all(&folder).and_then(|()| std::fs::write(&file, page)).map_err(|error| {
        format!("the page of the tour cannot be written into {}: {error}", folder.display())
    })?;
    tell(&format!("\nwrote {}\na dashboard of the demo: open it in a web browser\n{NEXT}", file.display()));
    Ok(())
}

/// How to go on from the tour.
const NEXT: &str = "
next: install the command, write these files into a folder, and ask on your own:
  cargo install --path crates/cli
  vembra demo --to bees
  vembra ask bees/bees.vembra \"rows calendar.year show revenue, orders\"
";

/// Says something beside the answer; where even this cannot be written it is lost.
fn tell(text: &str) {
    let _ = std::io::stderr().write_all(text.as_bytes());
}
