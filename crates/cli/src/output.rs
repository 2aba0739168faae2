//! Answers to standard output, all else to standard error.

use crate::Exit;
use std::io::{Error, ErrorKind, IsTerminal, Write};
use vembra::{Failure, FailureKind, tame_lines};

/// Writes an answer for people: characters of data that would act on a terminal are shown as marks. A reader that stops reading is
/// no failure.
pub(crate) fn answer(text: &str) -> Exit {
    data(tame_lines(text).as_bytes())
}

/// Writes an answer as data: byte by byte as it is.
pub(crate) fn data(bytes: &[u8]) -> Exit {
    if output_is_closed() {
        return unwritten(&Error::other("standard output is closed"));
    }
    let mut out = std::io::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        Ok(()) => Exit::Fine,
        Err(error) if error.kind() == ErrorKind::BrokenPipe => Exit::Fine,
        Err(error) => unwritten(&error),
    }
}

fn unwritten(error: &Error) -> Exit {
    remark(&format!("error: the answer cannot be written: {error}\n"));
    Exit::Outside
}

/// Whether the command was started without a standard output. What runs before `main` then opens the null device in its place, to
/// read and write, which nobody does who sends output there.
fn output_is_closed() -> bool {
    let to_null = std::fs::read_link("/proc/self/fd/1").is_ok_and(|to| to.as_os_str() == "/dev/null");
    let flags = || {
        let text = std::fs::read_to_string("/proc/self/fdinfo/1").ok()?;
        let flags = text.lines().find_map(|line| line.strip_prefix("flags:"))?;
        u32::from_str_radix(flags.trim(), 8).ok()
    };
    to_null && flags().is_some_and(|flags| flags & 3 == 2)
}

/// Whether standard output is a terminal.
pub(crate) fn to_terminal() -> bool {
    std::io::stdout().is_terminal()
}

/// Writes a remark for people.
pub(crate) fn remark(text: &str) {
    styled(&tame_lines(text));
}

/// The same with colours of our own; what it quotes must be tame already.
pub(crate) fn styled(text: &str) {
    // Where even this cannot be written there is nobody to tell.
    let _ = anstream::stderr().lock().write_all(text.as_bytes());
}

/// Whether standard error shows colours.
pub(crate) fn colours() -> bool {
    anstream::AutoStream::choice(&std::io::stderr()) != anstream::ColorChoice::Never
}

/// Says why there is no session or no answer.
pub(crate) fn failure(failure: &Failure) -> Exit {
    styled(&failure.render(colours()));
    match failure.kind {
        FailureKind::Text => Exit::Wrong,
        FailureKind::Outside => Exit::Outside,
    }
}

/// The width of the terminal that answers go to, if they go to one.
pub(crate) fn width() -> Option<usize> {
    if !to_terminal() {
        return None;
    }
    terminal_size::terminal_size().map(|(width, _)| usize::from(width.0)).filter(|w| *w >= 20)
}

/// The height of the terminal that answers go to, if they go to one.
pub(crate) fn height() -> Option<usize> {
    if !to_terminal() {
        return None;
    }
    terminal_size::terminal_size().map(|(_, height)| usize::from(height.0))
}
