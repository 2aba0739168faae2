//! Answers to standard output, all else to standard error.

use crate::Exit;
use crate::advice::in_options;
use std::io::{self, IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use vembra::{Error, ErrorKind, tame_lines};

/// Writes an answer for people: characters of data that would act on a terminal are shown as marks. A reader that stops reading is
/// no failure.
pub(crate) fn answer(text: &str) -> Exit {
    data(tame_lines(text).as_bytes())
}

/// Writes an answer as data: byte by byte as it is.
pub(crate) fn data(bytes: &[u8]) -> Exit {
    if output_is_closed() {
        return unwritten(&io::Error::other("standard output is closed"));
    }
    let mut out = std::io::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        Ok(()) => Exit::Fine,
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Exit::Fine,
        Err(error) => unwritten(&error),
    }
}

fn unwritten(error: &io::Error) -> Exit {
    remark(&format!("error: the answer cannot be written: {error}\n"));
    Exit::Outside
}

/// Whether the command was started without a standard output. It is looked at before `main`, since what runs in between opens the
/// null device in its place; one that was opened by who started the command is as good as any other output.
fn output_is_closed() -> bool {
    WAS_CLOSED.load(Ordering::Relaxed)
}

static WAS_CLOSED: AtomicBool = AtomicBool::new(false);

#[cfg(target_os = "linux")]
ctor::declarative::ctor! {
    #[ctor(unsafe)]
    fn look_at_the_output() {
        let is_there = |file: &str| std::fs::symlink_metadata(file).is_ok();
        WAS_CLOSED.store(is_there("/proc/self/fd") && !is_there("/proc/self/fd/1"), Ordering::Relaxed);
    }
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
    // Where even this cannot be written it is lost.
    let _ = anstream::stderr().lock().write_all(in_options(text).as_bytes());
}

/// Whether standard error shows colours.
pub(crate) fn colours() -> bool {
    anstream::AutoStream::choice(&std::io::stderr()) != anstream::ColorChoice::Never
}

/// Says why there is no session or no answer.
pub(crate) fn failure(failure: &Error) -> Exit {
    styled(&failure.render(colours()));
    match failure.kind() {
        ErrorKind::Text => Exit::Wrong,
        _ => Exit::Outside,
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
