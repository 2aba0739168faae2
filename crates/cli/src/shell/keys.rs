//! What keys do: Enter runs a complete line, and takes what was chosen from the menu only if somebody chose.

use reedline::{EditMode, Emacs, PromptEditMode, ReedlineEvent, ReedlineRawEvent};

/// The usual keys, with an eye on whether something is being chosen from the menu.
pub(super) struct Keys {
    usual: Emacs,
    choosing: bool,
}

impl Keys {
    pub(super) fn new(usual: Emacs) -> Self {
        Self { usual, choosing: false }
    }
}

/// Whether an event opens the menu or moves in it.
fn chooses(event: &ReedlineEvent) -> bool {
    match event {
        ReedlineEvent::UntilFound(events) | ReedlineEvent::Multiple(events) => events.iter().any(chooses),
        ReedlineEvent::Menu(_)
        | ReedlineEvent::MenuNext
        | ReedlineEvent::MenuPrevious
        | ReedlineEvent::MenuUp
        | ReedlineEvent::MenuDown => true,
        _ => false,
    }
}

impl EditMode for Keys {
    fn parse_event(&mut self, event: ReedlineRawEvent) -> ReedlineEvent {
        let event = self.usual.parse_event(event);
        let was_choosing = std::mem::replace(&mut self.choosing, chooses(&event));
        match event {
            // What stands on the line is meant, whatever a menu offers below it.
            ReedlineEvent::Enter if !was_choosing => {
                ReedlineEvent::Multiple(vec![ReedlineEvent::Esc, ReedlineEvent::Enter])
            }
            event => event,
        }
    }

    fn edit_mode(&self) -> PromptEditMode {
        self.usual.edit_mode()
    }
}
