//! Answers to standard output, all else to standard error.

use crate::Exit;
use std::io::{ErrorKind, Write};
use vembra::{Failure, FailureKind};

/// Writes an answer. A reader that stops reading is no failure.
pub(crate) fn answer(text: &str) -> Exit {
    let mut out = anstream::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Ok(()) => Exit::Fine,
        Err(error) if error.kind() == ErrorKind::BrokenPipe => Exit::Fine,
        Err(error) => {
            remark(&format!("error: the answer cannot be written: {error}\n"));
            Exit::Outside
        }
    }
}

/// Writes a remark for people.
pub(crate) fn remark(text: &str) {
    // Where even this cannot be written there is nobody to tell.
    let _ = anstream::stderr().lock().write_all(text.as_bytes());
}

/// Whether standard error shows colours.
pub(crate) fn colours() -> bool {
    anstream::AutoStream::choice(&std::io::stderr()) != anstream::ColorChoice::Never
}

/// Says why there is no session or no answer.
pub(crate) fn failure(failure: &Failure) -> Exit {
    remark(&failure.render(colours()));
    match failure.kind {
        FailureKind::Text => Exit::Wrong,
        FailureKind::Outside => Exit::Outside,
    }
}

/// The width of the terminal that answers go to, if they go to one.
pub(crate) fn width() -> Option<usize> {
    use std::io::IsTerminal;
    if !std::io::stdout().is_terminal() {
        return None;
    }
    terminal_size::terminal_size().map(|(width, _)| usize::from(width.0)).filter(|w| *w >= 20)
}
