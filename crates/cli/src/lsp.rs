//! The command `lsp`: a language server over standard input and output.

mod answers;
mod places;
mod transport;
mod workspace;

use crate::Exit;
use crate::arguments::Lsp;
use crate::output::remark;
use lsp_server::{Connection, ErrorCode, ExtractError, Message, Notification, Request, Response};
use lsp_types::notification::{
    DidChangeTextDocument, DidChangeWatchedFiles, DidCloseTextDocument, DidOpenTextDocument,
    DidSaveTextDocument, Notification as _, PublishDiagnostics,
};
use lsp_types::request::{
    CodeActionRequest, Completion, DocumentSymbolRequest, Formatting, GotoDefinition, HoverRequest,
    PrepareRenameRequest, References, Rename, Request as _, SemanticTokensFullRequest, SignatureHelpRequest,
};
use lsp_types::{
    CodeActionProviderCapability, CompletionOptions, HoverProviderCapability, InitializeParams,
    InitializeResult, OneOf, PositionEncodingKind, RenameOptions, SemanticTokensFullOptions,
    SemanticTokensOptions, SemanticTokensServerCapabilities, ServerCapabilities, ServerInfo,
    SignatureHelpOptions, TextDocumentSyncCapability, TextDocumentSyncKind, WorkDoneProgressOptions,
};
use places::Encoding;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::error::Error;
use std::time::Duration;
use workspace::Workspace;

type Fault = Box<dyn Error + Send + Sync>;

pub(crate) fn lsp(arguments: &Lsp) -> Exit {
    let (connection, threads) = transport::stdio();
    let served = serve(&connection, arguments);
    // The writer ends when nothing can be sent any more.
    drop(connection);
    let why = match (served, threads.join()) {
        (Ok(()), Ok(())) => return Exit::Fine,
        // What the reader met says more than that nothing came any more.
        (_, Err(error)) => format!(
            "what the editor sends cannot be read: {error}; each message starts with Content-Length: and the number of its bytes"
        ),
        (Err(_), Ok(())) => "standard input ended before the editor said that it is done".to_owned(),
    };
    remark(&format!("error: the language server ended: {why}\n"));
    Exit::Outside
}

fn serve(connection: &Connection, arguments: &Lsp) -> Result<(), Fault> {
    let (id, params) = connection.initialize_start()?;
    let params: InitializeParams = serde_json::from_value(params)?;
    let encoding = Encoding::agreed(&params);
    let server_info =
        Some(ServerInfo { name: "vembra".to_owned(), version: Some(env!("CARGO_PKG_VERSION").to_owned()) });
    let result = InitializeResult { capabilities: capabilities(encoding), server_info };
    connection.initialize_finish(id, serde_json::to_value(result)?)?;
    let mut server = Server { connection, workspace: Workspace::new(arguments, encoding) };
    server.run()
}

fn capabilities(encoding: Encoding) -> ServerCapabilities {
    let words = |letters: &[&str]| Some(letters.iter().map(|l| (*l).to_owned()).collect());
    ServerCapabilities {
        position_encoding: Some(match encoding {
            Encoding::Utf8 => PositionEncodingKind::UTF8,
            Encoding::Utf16 => PositionEncodingKind::UTF16,
        }),
        text_document_sync: Some(TextDocumentSyncCapability::Kind(TextDocumentSyncKind::FULL)),
        completion_provider: Some(CompletionOptions {
            trigger_characters: words(&[".", ":", "'", "("]),
            ..CompletionOptions::default()
        }),
        hover_provider: Some(HoverProviderCapability::Simple(true)),
        signature_help_provider: Some(SignatureHelpOptions {
            trigger_characters: words(&["(", ","]),
            ..SignatureHelpOptions::default()
        }),
        definition_provider: Some(OneOf::Left(true)),
        references_provider: Some(OneOf::Left(true)),
        rename_provider: Some(OneOf::Right(RenameOptions {
            prepare_provider: Some(true),
            work_done_progress_options: WorkDoneProgressOptions::default(),
        })),
        semantic_tokens_provider: Some(SemanticTokensServerCapabilities::SemanticTokensOptions(
            SemanticTokensOptions {
                legend: answers::legend(),
                full: Some(SemanticTokensFullOptions::Bool(true)),
                ..SemanticTokensOptions::default()
            },
        )),
        document_symbol_provider: Some(OneOf::Left(true)),
        document_formatting_provider: Some(OneOf::Left(true)),
        code_action_provider: Some(CodeActionProviderCapability::Simple(true)),
        ..ServerCapabilities::default()
    }
}

/// What is wrong is reported when nothing has come for so long: while more is typed it matters to nobody, and what is asked about the text
/// comes first.
const SILENCE: Duration = Duration::from_millis(60);

struct Server<'c> {
    connection: &'c Connection,
    workspace: Workspace,
}

impl Server<'_> {
    fn run(&mut self) -> Result<(), Fault> {
        let receiver = &self.connection.receiver;
        loop {
            let message = if self.workspace.has_news() {
                match receiver.recv_timeout(SILENCE) {
                    Ok(message) => message,
                    Err(error) if error.is_timeout() => {
                        self.publish()?;
                        continue;
                    }
                    Err(_) => return Ok(()),
                }
            } else {
                match receiver.recv() {
                    Ok(message) => message,
                    Err(_) => return Ok(()),
                }
            };
            match message {
                Message::Request(request) => {
                    if self.connection.handle_shutdown(&request)? {
                        return Ok(());
                    }
                    let response = self.answer(request);
                    self.connection.sender.send(Message::Response(response))?;
                }
                Message::Notification(notification) => self.take(notification),
                Message::Response(_) => {}
            }
        }
    }

    fn publish(&mut self) -> Result<(), Fault> {
        for params in self.workspace.news() {
            let news = Notification::new(PublishDiagnostics::METHOD.to_owned(), params);
            self.connection.sender.send(Message::Notification(news))?;
        }
        Ok(())
    }

    fn take(&mut self, notification: Notification) {
        let workspace = &mut self.workspace;
        let Notification { method, params } = notification;
        match method.as_str() {
            DidOpenTextDocument::METHOD => read::<DidOpenTextDocument>(params, |p| {
                workspace.open(&p.text_document.uri, p.text_document.text);
            }),
            DidChangeTextDocument::METHOD => read::<DidChangeTextDocument>(params, |p| {
                // Texts are sent as a whole; the last one counts.
                if let Some(change) = p.content_changes.into_iter().last() {
                    workspace.open(&p.text_document.uri, change.text);
                }
            }),
            DidCloseTextDocument::METHOD => {
                read::<DidCloseTextDocument>(params, |p| workspace.close(&p.text_document.uri));
            }
            DidSaveTextDocument::METHOD | DidChangeWatchedFiles::METHOD => workspace.changed_on_disk(),
            _ => {}
        }
    }

    fn answer(&mut self, request: Request) -> Response {
        let w = &mut self.workspace;
        match request.method.as_str() {
            Completion::METHOD => reply::<Completion, _>(request, |p| Ok(answers::complete(w, &p))),
            HoverRequest::METHOD => reply::<HoverRequest, _>(request, |p| Ok(answers::hover(w, &p))),
            SignatureHelpRequest::METHOD => {
                reply::<SignatureHelpRequest, _>(request, |p| Ok(answers::signature(w, &p)))
            }
            GotoDefinition::METHOD => reply::<GotoDefinition, _>(request, |p| Ok(answers::definition(w, &p))),
            References::METHOD => reply::<References, _>(request, |p| Ok(answers::references(w, &p))),
            PrepareRenameRequest::METHOD => {
                reply::<PrepareRenameRequest, _>(request, |p| answers::name_at(w, &p))
            }
            Rename::METHOD => reply::<Rename, _>(request, |p| answers::rename(w, &p)),
            DocumentSymbolRequest::METHOD => {
                reply::<DocumentSymbolRequest, _>(request, |p| Ok(answers::symbols(w, &p)))
            }
            SemanticTokensFullRequest::METHOD => {
                reply::<SemanticTokensFullRequest, _>(request, |p| Ok(answers::tokens(w, &p)))
            }
            Formatting::METHOD => reply::<Formatting, _>(request, |p| answers::format(w, &p)),
            CodeActionRequest::METHOD => {
                reply::<CodeActionRequest, _>(request, |p| Ok(answers::actions(w, &p)))
            }
            method => {
                let message = format!("there is no method {method}");
                Response::new_err(request.id, ErrorCode::MethodNotFound as i32, message)
            }
        }
    }
}

fn read<N: lsp_types::notification::Notification>(params: serde_json::Value, take: impl FnOnce(N::Params))
where
    N::Params: DeserializeOwned,
{
    match serde_json::from_value(params) {
        Ok(params) => take(params),
        Err(error) => remark(&format!("error: {} cannot be read: {error}\n", N::METHOD)),
    }
}

/// Answers a request; what cannot be done is said in words.
fn reply<R: lsp_types::request::Request, T: Serialize>(
    request: Request,
    answer: impl FnOnce(R::Params) -> Result<T, String>,
) -> Response
where
    R::Params: DeserializeOwned,
{
    let id = request.id.clone();
    match request.extract::<R::Params>(R::METHOD) {
        Ok((id, params)) => match answer(params) {
            Ok(result) => Response::new_ok(id, result),
            Err(why) => Response::new_err(id, ErrorCode::RequestFailed as i32, why),
        },
        Err(ExtractError::MethodMismatch(request)) => {
            let message = format!("there is no method {}", request.method);
            Response::new_err(id, ErrorCode::MethodNotFound as i32, message)
        }
        Err(ExtractError::JsonError { method, error }) => {
            let message = format!("the parameters of {method} cannot be read: {error}");
            Response::new_err(id, ErrorCode::InvalidParams as i32, message)
        }
    }
}
