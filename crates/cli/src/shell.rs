//! The command `shell`: queries at a prompt.

mod assist;
mod commands;
mod keys;
mod line;

use crate::Exit;
use crate::arguments::Shell;
use crate::cache::CachedAtEnd;
use crate::commands::{builder_with_input, open};
use crate::output::{answer, failure, remark};
use assist::{Assistant, ModelPrompt};
use commands::Desk;
use keys::Keys;
use nu_ansi_term::{Color, Style};
use reedline::{
    Emacs, FileBackedHistory, IdeMenu, KeyCode, KeyModifiers, MenuBuilder, Reedline, ReedlineEvent,
    ReedlineMenu, Signal, default_emacs_keybindings,
};
use std::io::{IsTerminal, Read};

/// How many lines of history are kept.
const REMEMBERED: usize = 1_000;
/// What queries found is remembered for the next ones in this many bytes.
const ROOM: u64 = 64 << 20;
const MENU: &str = "completion";

pub(crate) fn shell(arguments: &Shell) -> Exit {
    if arguments.opened.table.iter().any(|(_, path)| path.is_none()) {
        remark("error: standard input is where queries come from here; read the table from a file\n");
        return Exit::Wrong;
    }
    let opening = builder_with_input(&arguments.opened).map(|builder| builder.remember(ROOM));
    let opened = opening.and_then(|builder| open(builder).map(CachedAtEnd).map_err(|error| failure(&error)));
    let session = match opened {
        Ok(session) => session,
        Err(exit) => return exit,
    };
    let mut desk = Desk::new(session.0.clone(), &arguments.opened);
    // Beside the first queries; whether it went well is said at the end, when what else was worked out is kept too.
    let beside = session.0.clone();
    std::thread::spawn(move || drop(beside.keep()));
    let _kept = TypedAhead::kept();
    if std::io::stdin().is_terminal() { at_prompt(&mut desk, arguments) } else { from_input(&mut desk) }
}

/// While an answer is worked out the terminal is the system's, which turns Enter into a line feed; the prompt would take that for
/// another key and lose the lines behind it. So Enter stays what it is until the shell ends.
struct TypedAhead {
    #[cfg(unix)]
    before: Option<rustix::termios::Termios>,
}

impl TypedAhead {
    #[cfg(unix)]
    fn kept() -> Self {
        use rustix::termios::{InputModes, OptionalActions, tcgetattr, tcsetattr};
        let before = tcgetattr(std::io::stdin()).ok();
        if let Some(mut modes) = before.clone() {
            modes.input_modes.remove(InputModes::ICRNL);
            // A terminal that does not take this works as it did.
            let _ = tcsetattr(std::io::stdin(), OptionalActions::Now, &modes);
        }
        Self { before }
    }

    #[cfg(not(unix))]
    fn kept() -> Self {
        Self {}
    }
}

#[cfg(unix)]
impl Drop for TypedAhead {
    fn drop(&mut self) {
        if let Some(before) = &self.before {
            // Nothing more can be done about a terminal that is gone.
            let _ =
                rustix::termios::tcsetattr(std::io::stdin(), rustix::termios::OptionalActions::Now, before);
        }
    }
}

fn at_prompt(desk: &mut Desk, arguments: &Shell) -> Exit {
    let mut editor = match editor(desk, arguments) {
        Ok(editor) => editor,
        Err(error) => {
            remark(&format!("error: the history cannot be kept: {error}\n"));
            return Exit::Outside;
        }
    };
    let prompt = ModelPrompt::of(&arguments.opened.model);
    remark("Tab completes, Enter runs, Alt+Enter starts a new line; help tells the rest, quit ends.\n");
    loop {
        match editor.read_line(&prompt) {
            Ok(Signal::Success(line)) => {
                if !desk.take(&line) {
                    return Exit::Fine;
                }
            }
            // The line is dropped.
            Ok(Signal::CtrlC) => {}
            Ok(Signal::CtrlD) => return Exit::Fine,
            Ok(_) => {}
            Err(error) => {
                remark(&format!("error: the terminal cannot be read: {error}\n"));
                return Exit::Outside;
            }
        }
    }
}

fn editor(desk: &Desk, arguments: &Shell) -> reedline::Result<Reedline> {
    let mut keys = default_emacs_keybindings();
    let next = ReedlineEvent::UntilFound(vec![ReedlineEvent::Menu(MENU.to_owned()), ReedlineEvent::MenuNext]);
    keys.add_binding(KeyModifiers::NONE, KeyCode::Tab, next);
    keys.add_binding(KeyModifiers::SHIFT, KeyCode::BackTab, ReedlineEvent::MenuPrevious);
    // Colours that can be read on dark and on light ground.
    let menu = IdeMenu::default()
        .with_name(MENU)
        .with_marker("> ")
        .with_text_style(Style::new())
        .with_selected_text_style(Style::new().reverse())
        .with_match_text_style(Style::new().underline())
        .with_selected_match_text_style(Style::new().reverse().underline())
        .with_description_text_style(Style::new().fg(Color::DarkGray))
        .with_max_completion_height(10);
    let assistant = || Box::new(Assistant::new(desk.session.clone()));
    let editor = Reedline::create()
        .with_completer(assistant())
        .with_hinter(assistant())
        .with_highlighter(assistant())
        .with_validator(assistant())
        .with_partial_completions(true)
        .with_quick_completions(true)
        .with_menu(ReedlineMenu::EngineCompleter(Box::new(menu)))
        .with_edit_mode(Box::new(Keys::new(Emacs::new(keys))));
    let history = match &arguments.history {
        Some(file) => FileBackedHistory::with_file(REMEMBERED, file.clone())?,
        None => FileBackedHistory::new(REMEMBERED)?,
    };
    Ok(editor.with_history(Box::new(history)))
}

/// Without a terminal the lines of standard input are taken as they come.
fn from_input(desk: &mut Desk) -> Exit {
    let mut text = String::new();
    if let Err(error) = std::io::stdin().read_to_string(&mut text) {
        remark(&format!("error: standard input cannot be read: {error}\n"));
        return Exit::Outside;
    }
    let mut open = String::new();
    for line in text.lines() {
        open.push_str(line);
        if assist::is_complete(&open) {
            let shown = answer(&format!("> {}\n", open.trim_end()));
            if shown != Exit::Fine || !desk.take(&open) {
                return shown;
            }
            open.clear();
        } else {
            open.push('\n');
        }
    }
    if !open.trim().is_empty() {
        desk.take(&open);
    }
    if desk.failed { Exit::Wrong } else { Exit::Fine }
}
