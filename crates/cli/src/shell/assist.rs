//! What helps at the prompt: completion, the next argument, colours, whether a line is complete.

use super::commands::Shared;
use super::line::{COMMANDS, Line};
use nu_ansi_term::{Color, Style};
use reedline::{
    Completer, CompletionResult, Highlighter, Hinter, History, Prompt, PromptEditMode, PromptHistorySearch,
    PromptHistorySearchStatus, Span, StyledText, Suggestion, ValidationResult, Validator,
};
use std::borrow::Cow;
use std::path::Path;
use std::sync::{Arc, PoisonError};
use vembra::Session;
use vembra_editor::{Known, TextKind, complete, hint};

pub(super) struct Assistant {
    session: Shared,
}

impl Assistant {
    pub(super) fn new(session: Shared) -> Self {
        Self { session }
    }

    fn session(&self) -> Arc<Session> {
        self.session.read().unwrap_or_else(PoisonError::into_inner).clone()
    }
}

/// The part of a line that is a query, or stands as one would: its start in the line, and what goes before it in such a query.
fn asked_part(line: &str) -> Option<(usize, &'static str)> {
    let start = line.len() - line.trim_start().len();
    let word: String = line[start..].chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
    let behind = start + word.len();
    let started = line[behind..].starts_with(char::is_whitespace);
    match word.to_lowercase().as_str() {
        "explain" if started => Some((behind, "show 1 where ")),
        "given" if started => Some((behind, "show 1 given ")),
        "open" if started => line[behind..].find(" by ").map(|at| (behind + at + 4, "rows ")),
        "and" if started => Some((behind, "show 1")),
        "describe" | "draw" | "check" | "why" | "help" | "quit" | "exit" | "up" | "more" | "save"
        | "measure"
            if started =>
        {
            None
        }
        _ => Some((0, "")),
    }
}

impl Completer for Assistant {
    fn complete(&mut self, line: &str, pos: usize) -> CompletionResult {
        let session = self.session();
        let line = line.get(..pos).unwrap_or(line);
        let mut found = names(&session, line);
        if let Some((start, before)) = asked_part(line) {
            found.extend(of_query(&session, line, start, before));
            if line.trim_start().chars().all(char::is_alphanumeric) {
                found.extend(words(line));
            }
        }
        if found.is_empty() {
            // A menu without anything in it would say so in words of its library.
            let about = Some("nothing that fits is known here".to_owned());
            found.push(Suggestion { description: about, span: Span::new(pos, pos), ..Suggestion::default() });
        }
        CompletionResult::fresh(found)
    }
}

fn of_query(session: &Session, line: &str, start: usize, before: &str) -> Vec<Suggestion> {
    let members = |column| session.star().members(column).unwrap_or_default();
    let known = Known { model: session.model(), members: &members };
    let text = format!("{before}{}", &line[start..]);
    let found = complete(known, TextKind::Query, &text, text.len());
    // Places in the text are those in the line, but for what was put before it.
    let shift = |at: usize| (at + start).saturating_sub(before.len()).min(line.len());
    let span = Span::new(shift(found.replaces.start), shift(found.replaces.end));
    let suggestion = |item: vembra_editor::Completion| {
        let said = match (item.detail.is_empty(), item.about.is_empty()) {
            (true, true) => None,
            (true, false) => Some(item.about),
            (false, true) => Some(item.detail),
            (false, false) => Some(format!("{}: {}", item.detail, item.about)),
        };
        Suggestion { value: item.text, description: said, span, ..Suggestion::default() }
    };
    found.items.into_iter().map(suggestion).collect()
}

/// The commands that a word may become.
fn words(line: &str) -> Vec<Suggestion> {
    let start = line.len() - line.trim_start().len();
    let typed = line[start..].to_lowercase();
    let fits = COMMANDS.iter().filter(|(word, _, _)| word.starts_with(&typed));
    fits.map(|(word, _, does)| Suggestion {
        value: (*word).to_owned(),
        description: Some((*does).to_owned()),
        span: Span::new(start, line.len()),
        ..Suggestion::default()
    })
    .collect()
}

/// Names behind `describe` and `draw`.
fn names(session: &Session, line: &str) -> Vec<Suggestion> {
    let trimmed = line.trim_start();
    let Some((word, rest)) = trimmed.split_once(char::is_whitespace) else { return Vec::new() };
    let model = session.model();
    let named = |name: &str, about: String| (name.to_owned(), about);
    let all: Vec<(String, String)> = match word.to_lowercase().as_str() {
        "draw" => session.drawn_names().into_iter().map(|(name, title)| named(name, title)).collect(),
        "describe" => {
            let measures = model.measures.iter().map(|m| named(&m.name, "measure".to_owned()));
            let tables = model.schema.tables.iter().map(|t| named(&t.name, "table".to_owned()));
            let columns = (0..model.schema.columns.len() as u32).map(vembra::inside::ColumnId);
            let columns = columns.map(|c| (model.schema.qualified(c), model.schema.column(c).ty.to_string()));
            let treatments = model.treatments.iter().map(|t| named(&t.name, t.signature()));
            measures.chain(treatments).chain(tables).chain(columns).collect()
        }
        _ => return Vec::new(),
    };
    let typed = rest.trim_start().to_lowercase();
    let start = line.len() - rest.trim_start().len();
    let fits = |name: &str| {
        let name = name.to_lowercase();
        name.starts_with(&typed) || name.split('.').next_back().is_some_and(|own| own.starts_with(&typed))
    };
    let fitting = all.into_iter().filter(|(name, _)| fits(name));
    fitting
        .map(|(value, about)| Suggestion {
            value,
            description: Some(about),
            span: Span::new(start, line.len()),
            ..Suggestion::default()
        })
        .collect()
}

impl Hinter for Assistant {
    /// The call in which the cursor stands, with the argument that comes next in brackets of its own.
    fn handle(&mut self, line: &str, pos: usize, _: &dyn History, colours: bool, _: &str) -> String {
        let session = self.session();
        let of_call = || hint(session.model(), TextKind::Query, line, pos);
        let Some(hint) = (pos == line.len()).then(of_call).flatten() else {
            return String::new();
        };
        let mut label = hint.label.clone();
        if let Some(range) = hint.active.and_then(|a| hint.arguments.get(a)) {
            label.insert(range.end, '›');
            label.insert(range.start, '‹');
        }
        let text = format!("   {label}");
        if colours { Style::new().fg(Color::DarkGray).paint(text).to_string() } else { text }
    }

    // The hint says what to write; it is not what is written.
    fn complete_hint(&self) -> String {
        String::new()
    }

    fn next_hint_token(&self) -> String {
        String::new()
    }
}

impl Highlighter for Assistant {
    fn highlight(&self, line: &str, _: usize) -> StyledText {
        let mut text = StyledText::new();
        let is_query = asked_part(line).is_some_and(|(start, _)| start == 0);
        if !is_query {
            text.push((Style::new(), line.to_owned()));
            return text;
        }
        for (kind, part) in vembra_editor::coloured(line) {
            use vembra_editor::Look;
            let style = match kind {
                Look::Word => Style::new().fg(Color::Blue).bold(),
                Look::Text => Style::new().fg(Color::Green),
                Look::Number => Style::new().fg(Color::Cyan),
                Look::Param => Style::new().fg(Color::Purple),
                Look::Comment => Style::new().fg(Color::DarkGray),
                Look::Wrong => Style::new().fg(Color::Red),
                Look::Plain => Style::new(),
            };
            text.push((style, part));
        }
        text
    }
}

impl Validator for Assistant {
    fn validate(&self, line: &str) -> ValidationResult {
        if is_complete(line) { ValidationResult::Complete } else { ValidationResult::Incomplete }
    }
}

/// Whether a line says all that it has to: a query that only lacks its end goes on, unless an empty line ends it.
pub(super) fn is_complete(line: &str) -> bool {
    let ended = line.ends_with('\n') || line.trim().is_empty();
    let query = matches!(Line::read(line), Line::Query(_));
    !query || ended || !vembra_editor::goes_on(line)
}

/// The name of the model before each line.
pub(super) struct ModelPrompt {
    name: String,
}

impl ModelPrompt {
    pub(super) fn of(model: &Path) -> Self {
        let name = model.file_stem().map_or_else(String::new, |s| s.to_string_lossy().into_owned());
        Self { name }
    }
}

impl Prompt for ModelPrompt {
    fn render_prompt_left(&self) -> Cow<'_, str> {
        Cow::Borrowed(&self.name)
    }

    fn get_prompt_color(&self) -> Color {
        Color::Default
    }

    fn get_indicator_color(&self) -> Color {
        Color::Default
    }

    fn get_prompt_multiline_color(&self) -> Color {
        Color::DarkGray
    }

    fn render_prompt_right(&self) -> Cow<'_, str> {
        Cow::Borrowed("")
    }

    fn render_prompt_indicator(&self, _: PromptEditMode) -> Cow<'_, str> {
        Cow::Borrowed("> ")
    }

    fn render_prompt_multiline_indicator(&self) -> Cow<'_, str> {
        Cow::Borrowed("  … ")
    }

    fn render_prompt_history_search_indicator(&self, search: PromptHistorySearch) -> Cow<'_, str> {
        let found = match search.status {
            PromptHistorySearchStatus::Passing => "",
            PromptHistorySearchStatus::Failing => "nothing ",
        };
        Cow::Owned(format!("({found}like '{}') ", search.term))
    }
}
