//! What the language server answers.

use super::places::{Encoding, Lines, uri_of};
use super::workspace::{At, Workspace};
use lsp_types::{
    CodeAction, CodeActionKind, CodeActionOrCommand, CodeActionParams, CompletionItem, CompletionItemKind,
    CompletionParams, CompletionResponse, CompletionTextEdit, DocumentFormattingParams, DocumentSymbol,
    DocumentSymbolParams, DocumentSymbolResponse, Documentation, GotoDefinitionParams,
    GotoDefinitionResponse, Hover, HoverContents, HoverParams, Location, MarkupContent, MarkupKind,
    ParameterInformation, ParameterLabel, PrepareRenameResponse, ReferenceParams, RenameParams,
    SemanticToken, SemanticTokenType, SemanticTokens, SemanticTokensLegend, SemanticTokensParams,
    SemanticTokensResult, SignatureHelp, SignatureHelpParams, SignatureInformation,
    TextDocumentPositionParams, TextEdit, Uri, WorkspaceEdit,
};
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use vembra::{Severity, SourceId, Sources, Span, direct_path, format_model};
use vembra_editor::{CompletionKind, Known, Look, SymbolKind, Target, TextKind};

/// A place in a text of a model.
struct Here<'w> {
    at: At<'w>,
    byte: usize,
    encoding: Encoding,
}

fn here<'w>(workspace: &'w mut Workspace, params: &TextDocumentPositionParams) -> Option<Here<'w>> {
    let encoding = workspace.encoding;
    let at = workspace.at(&params.text_document.uri)?;
    let byte = encoding.byte(at.text(), params.position);
    Some(Here { at, byte, encoding })
}

impl Here<'_> {
    fn target(&self) -> Option<(Target, Span)> {
        let model = &self.at.reading.model;
        vembra_editor::target_at(model, TextKind::Model, self.at.source, self.at.text(), self.byte)
    }

    fn location(&self, span: Span) -> Option<Location> {
        let sources = &self.at.reading.model.sources;
        let uri = uri_of(&direct_path(Path::new(sources.name(span.source))))?;
        Some(Location { uri, range: self.encoding.range(sources.text(span.source), span.start, span.end) })
    }

    fn with_known<T>(&self, take: impl FnOnce(Known<'_>) -> T) -> T {
        let members = |column| self.at.reading.members(column);
        take(Known { model: &self.at.reading.model, members: &members })
    }
}

pub(super) fn complete(workspace: &mut Workspace, params: &CompletionParams) -> Option<CompletionResponse> {
    let encoding = workspace.encoding;
    let span = &params.text_document_position;
    let (reading, text) = workspace.typed(&span.text_document.uri)?;
    let members = |column| reading.members(column);
    let known = Known { model: &reading.model, members: &members };
    let found = vembra_editor::complete(known, TextKind::Model, text, encoding.byte(text, span.position));
    let range = encoding.range(text, found.replaces.start, found.replaces.end);
    let items = found.items.into_iter().enumerate().map(|(at, item)| CompletionItem {
        kind: Some(kind_of(item.kind)),
        detail: (!item.detail.is_empty()).then_some(item.detail),
        documentation: (!item.about.is_empty()).then_some(Documentation::String(item.about)),
        // Clients sort by this text; the order is ours.
        sort_text: Some(format!("{at:05}")),
        text_edit: Some(CompletionTextEdit::Edit(TextEdit { range, new_text: item.text.clone() })),
        label: item.text,
        ..CompletionItem::default()
    });
    Some(CompletionResponse::Array(items.collect()))
}

fn kind_of(kind: CompletionKind) -> CompletionItemKind {
    match kind {
        CompletionKind::Member => CompletionItemKind::ENUM_MEMBER,
        CompletionKind::Figure | CompletionKind::Param => CompletionItemKind::VARIABLE,
        CompletionKind::Measure => CompletionItemKind::METHOD,
        CompletionKind::Column => CompletionItemKind::FIELD,
        CompletionKind::Table => CompletionItemKind::CLASS,
        CompletionKind::Role => CompletionItemKind::REFERENCE,
        CompletionKind::Function => CompletionItemKind::FUNCTION,
        CompletionKind::Other => CompletionItemKind::VALUE,
        CompletionKind::Words => CompletionItemKind::KEYWORD,
    }
}

pub(super) fn hover(workspace: &mut Workspace, params: &HoverParams) -> Option<Hover> {
    let here = here(workspace, &params.text_document_position_params)?;
    let text = here.at.text();
    let (value, span) = match here.target() {
        Some((target, span)) => (here.with_known(|known| vembra_editor::describe(known, target)), span),
        None => {
            let (about, range) = vembra_editor::about_word(TextKind::Model, text, here.byte)?;
            (about, Span { source: here.at.source, start: range.start, end: range.end })
        }
    };
    let range = Some(here.encoding.range(text, span.start, span.end));
    let contents = HoverContents::Markup(MarkupContent { kind: MarkupKind::Markdown, value });
    Some(Hover { contents, range })
}

pub(super) fn signature(workspace: &mut Workspace, params: &SignatureHelpParams) -> Option<SignatureHelp> {
    let encoding = workspace.encoding;
    let span = &params.text_document_position_params;
    let (reading, text) = workspace.typed(&span.text_document.uri)?;
    let hint =
        vembra_editor::hint(&reading.model, TextKind::Model, text, encoding.byte(text, span.position))?;
    // A label is of plain letters but for '…': offsets count the units of UTF-16.
    let units = |to: usize| hint.label[..to].encode_utf16().count() as u32;
    let arguments = hint.arguments.iter().map(|r| ParameterInformation {
        label: ParameterLabel::LabelOffsets([units(r.start), units(r.end)]),
        documentation: None,
    });
    let active = hint.active.map(|a| a as u32);
    let signature = SignatureInformation {
        label: hint.label.clone(),
        documentation: Some(Documentation::String(hint.about.clone())),
        parameters: Some(arguments.collect()),
        active_parameter: active,
    };
    Some(SignatureHelp { signatures: vec![signature], active_signature: Some(0), active_parameter: active })
}

pub(super) fn definition(
    workspace: &mut Workspace,
    params: &GotoDefinitionParams,
) -> Option<GotoDefinitionResponse> {
    let here = here(workspace, &params.text_document_position_params)?;
    let (target, _) = here.target()?;
    let model = &here.at.reading.model;
    let declared = |target| {
        let uses = vembra_editor::uses(model, target).into_iter().filter(|u| u.declares);
        uses.filter_map(|u| here.location(u.span)).collect::<Vec<_>>()
    };
    let mut found = declared(target);
    // A column that only its file declares is declared with its table.
    if let (Target::Column(column), true) = (target, found.is_empty()) {
        found = declared(Target::Table(model.schema.column(column).table));
    }
    Some(GotoDefinitionResponse::Array(found))
}

pub(super) fn references(workspace: &mut Workspace, params: &ReferenceParams) -> Option<Vec<Location>> {
    let here = here(workspace, &params.text_document_position)?;
    let (target, _) = here.target()?;
    let uses = vembra_editor::uses(&here.at.reading.model, target);
    let wanted = uses.iter().filter(|u| params.context.include_declaration || !u.declares);
    Some(wanted.filter_map(|u| here.location(u.span)).collect())
}

pub(super) fn name_at(
    workspace: &mut Workspace,
    params: &TextDocumentPositionParams,
) -> Result<Option<PrepareRenameResponse>, String> {
    let Some(here) = here(workspace, params) else { return Ok(None) };
    let Some((target, span)) = here.target() else { return Ok(None) };
    let text = here.at.text();
    let start = span.start + usize::from(text[span.start..].starts_with(':'));
    // Another name than the old one says whether it can be renamed at all.
    vembra_editor::rename(&here.at.reading.model, target, "zz__new")?;
    let placeholder = text[start..span.end].trim_matches('"').to_owned();
    let range = here.encoding.range(text, start, span.end);
    Ok(Some(PrepareRenameResponse::RangeWithPlaceholder { range, placeholder }))
}

#[allow(clippy::mutable_key_type)] // Addresses cache what they are made of; the protocol's own type has them as keys.
/// All files with the new name in them; nothing if the model would not mean the same then.
pub(super) fn rename(workspace: &mut Workspace, params: &RenameParams) -> Result<WorkspaceEdit, String> {
    let nothing = "there is no name here that could be changed";
    let uri = &params.text_document_position.text_document.uri;
    let at = here(workspace, &params.text_document_position).ok_or(nothing)?;
    let (target, _) = at.target().ok_or(nothing)?;
    let wrong = |d: &vembra::Diagnostic| d.severity == Severity::Error;
    let before = at.at.reading.diagnostics.iter().filter(|d| wrong(d)).count();
    let places: Vec<Span> = at
        .at
        .reading
        .diagnostics
        .iter()
        .filter(|d| wrong(d))
        .flat_map(|d| &d.labels)
        .map(|l| l.span)
        .collect();
    // With errors elsewhere a name can be changed, unless a wrong text may mean it.
    if let Some(span) = vembra_editor::unresolved(&at.at.reading.model, target, &places) {
        let sources = &at.at.reading.model.sources;
        let (line, _) = sources.line_column(span);
        let file = sources.name(span.source);
        return Err(format!(
            "fix the error around line {line} of {file} first: the name stands there, and what it means is not known"
        ));
    }
    let changes = vembra_editor::rename(&at.at.reading.model, target, &params.new_name)?;
    let sources = at.at.reading.model.sources.clone();
    let encoding = at.encoding;
    let mut edits: HashMap<Uri, Vec<TextEdit>> = HashMap::new();
    let mut by_file: BTreeMap<PathBuf, Vec<(Span, String)>> = BTreeMap::new();
    for (span, text) in changes {
        let path = direct_path(Path::new(sources.name(span.source)));
        let Some(file) = uri_of(&path) else { continue };
        let range = encoding.range(sources.text(span.source), span.start, span.end);
        edits.entry(file).or_default().push(TextEdit { range, new_text: text.clone() });
        by_file.entry(path).or_default().push((span, text));
    }
    let texts: Vec<(PathBuf, String)> = by_file
        .into_iter()
        .map(|(path, changes)| {
            let mut text = changes.first().map_or("", |(p, _)| sources.text(p.source)).to_owned();
            // From the end, so that the places before stay.
            for (span, new) in changes.iter().rev() {
                text.replace_range(span.start..span.end, new);
            }
            (path, text)
        })
        .collect();
    let edit = WorkspaceEdit { changes: Some(edits), ..WorkspaceEdit::default() };
    if is_new(&sources, params.new_name.trim()) {
        return Ok(edit);
    }
    let (opened, _) = workspace.model_of(uri).ok_or(nothing)?;
    let after = opened.draft.read_with(&texts);
    let errors: Vec<_> = after.diagnostics.iter().filter(|d| wrong(d)).collect();
    match errors.last().filter(|_| errors.len() > before) {
        Some(error) => Err(format!("with this name the model would be wrong: {}", error.message)),
        None => Ok(edit),
    }
}

/// A name that stands nowhere in the model and is no function can clash with nothing.
fn is_new(sources: &Sources, name: &str) -> bool {
    let mut texts = (0..sources.count()).map(|at| sources.text(SourceId(at as u32)));
    vembra_editor::Signature::of(name).is_none() && !texts.any(|text| text.contains(name))
}

/// What kinds of parts a text has, in the order of their numbers.
pub(super) fn legend() -> SemanticTokensLegend {
    let token_types = vec![
        SemanticTokenType::KEYWORD,
        SemanticTokenType::STRING,
        SemanticTokenType::NUMBER,
        SemanticTokenType::PARAMETER,
        SemanticTokenType::COMMENT,
        SemanticTokenType::VARIABLE,
    ];
    SemanticTokensLegend { token_types, token_modifiers: Vec::new() }
}

/// The parts of a text that look alike.
pub(super) fn tokens(
    workspace: &mut Workspace,
    params: &SemanticTokensParams,
) -> Option<SemanticTokensResult> {
    let encoding = workspace.encoding;
    let (_, text) = workspace.typed(&params.text_document.uri)?;
    let lines = Lines::of(text, encoding);
    let (mut data, mut at) = (Vec::new(), 0);
    let (mut line, mut column) = (0, 0);
    for (look, part) in vembra_editor::looks(TextKind::Model, text) {
        let (start, end) = (at, at + part.len());
        at = end;
        let token_type = match look {
            Look::Word => 0,
            Look::Text => 1,
            Look::Number => 2,
            Look::Param => 3,
            Look::Comment => 4,
            Look::Plain if part.starts_with(|c: char| c.is_alphabetic() || c == '_' || c == '"') => 5,
            Look::Plain | Look::Wrong => continue,
        };
        let range = lines.range(start, end);
        if range.end.line != range.start.line {
            continue;
        }
        let delta_line = range.start.line - line;
        let delta_start = range.start.character - if delta_line == 0 { column } else { 0 };
        (line, column) = (range.start.line, range.start.character);
        let length = range.end.character - range.start.character;
        data.push(SemanticToken { delta_line, delta_start, length, token_type, token_modifiers_bitset: 0 });
    }
    Some(SemanticTokensResult::Tokens(SemanticTokens { result_id: None, data }))
}

#[allow(deprecated)] // The protocol's own field, which has to be given.
pub(super) fn symbols(
    workspace: &mut Workspace,
    params: &DocumentSymbolParams,
) -> Option<DocumentSymbolResponse> {
    let encoding = workspace.encoding;
    let at = workspace.at(&params.text_document.uri)?;
    let text = at.text();
    let lines = Lines::of(text, encoding);
    let range = |span: Span| lines.range(span.start, span.end);
    let symbols = vembra_editor::outline(text).into_iter().map(|symbol| DocumentSymbol {
        name: symbol.name,
        detail: Some(symbol.word),
        kind: match symbol.kind {
            SymbolKind::Table => lsp_types::SymbolKind::CLASS,
            SymbolKind::Link => lsp_types::SymbolKind::INTERFACE,
            SymbolKind::Column => lsp_types::SymbolKind::FIELD,
            SymbolKind::Measure => lsp_types::SymbolKind::FUNCTION,
            SymbolKind::Param => lsp_types::SymbolKind::VARIABLE,
            SymbolKind::Drawn => lsp_types::SymbolKind::FILE,
            SymbolKind::Other => lsp_types::SymbolKind::OBJECT,
        },
        tags: None,
        deprecated: None,
        range: range(symbol.span),
        selection_range: range(symbol.name_place),
        children: None,
    });
    Some(DocumentSymbolResponse::Nested(symbols.collect()))
}

pub(super) fn format(
    workspace: &mut Workspace,
    params: &DocumentFormattingParams,
) -> Result<Vec<TextEdit>, String> {
    let encoding = workspace.encoding;
    let Some(at) = workspace.at(&params.text_document.uri) else { return Ok(Vec::new()) };
    let text = at.text();
    match format_model(text) {
        Ok(new_text) if new_text == text => Ok(Vec::new()),
        Ok(new_text) => Ok(vec![TextEdit { range: encoding.range(text, 0, text.len()), new_text }]),
        Err(diagnostics) => {
            let first = diagnostics.first().map_or("", |d| d.message.as_str());
            Err(format!("a wrong text has no layout: {first}"))
        }
    }
}

/// The ways out of what is wrong at a place, as far as they are changes of the text.
pub(super) fn actions(workspace: &mut Workspace, params: &CodeActionParams) -> Vec<CodeActionOrCommand> {
    let encoding = workspace.encoding;
    let Some(at) = workspace.at(&params.text_document.uri) else { return Vec::new() };
    let text = at.text();
    let (from, to) = (encoding.byte(text, params.range.start), encoding.byte(text, params.range.end));
    let touches = |p: &Span| p.source == at.source && p.start <= to && from <= p.end;
    let near = |d: &&vembra::Diagnostic| d.labels.iter().any(|l| touches(&l.span));
    let mut actions = Vec::new();
    for help in at.reading.diagnostics.iter().filter(near).flat_map(|d| &d.help) {
        let Some(fix) = &help.fix else { continue };
        let sources = &at.reading.model.sources;
        let Some(uri) = uri_of(&direct_path(Path::new(sources.name(fix.span.source)))) else { continue };
        let range = encoding.range(sources.text(fix.span.source), fix.span.start, fix.span.end);
        let edit = TextEdit { range, new_text: fix.text.clone() };
        actions.push(CodeActionOrCommand::CodeAction(CodeAction {
            title: help.text.clone(),
            kind: Some(CodeActionKind::QUICKFIX),
            edit: Some(WorkspaceEdit {
                changes: Some(HashMap::from([(uri, vec![edit])])),
                ..WorkspaceEdit::default()
            }),
            ..CodeAction::default()
        }));
    }
    actions
}
