//! `serve`: the Language Server Protocol on standard input and output.

mod change;
mod complete;
mod document;
mod hover;
mod last;
mod lines;
mod place;
mod told;

use std::collections::BTreeMap;

use lsp_server::{Connection, ErrorCode, Message, Notification, Request, Response, ResponseError};
use lsp_types::notification::{
    DidChangeTextDocument, DidChangeWatchedFiles, DidCloseTextDocument, DidOpenTextDocument,
    DidSaveTextDocument, Notification as _, PublishDiagnostics,
};
use lsp_types::request::{
    CodeActionRequest, Completion, DocumentSymbolRequest, Formatting, GotoDefinition, HoverRequest,
    PrepareRenameRequest, References, Rename, Request as _,
};
use lsp_types::{
    CodeActionParams, CodeActionProviderCapability, CompletionOptions, CompletionParams,
    DidChangeTextDocumentParams, DidCloseTextDocumentParams, DidOpenTextDocumentParams,
    DidSaveTextDocumentParams, DocumentFormattingParams, DocumentSymbolParams,
    GotoDefinitionParams, Hover, HoverContents, HoverParams, HoverProviderCapability,
    InitializeParams, MarkupContent, MarkupKind, OneOf, PositionEncodingKind,
    PublishDiagnosticsParams, ReferenceParams, RenameOptions, RenameParams, ServerCapabilities,
    TextDocumentPositionParams, TextDocumentSyncCapability, TextDocumentSyncKind, Uri,
};
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Value, json};

use super::{Exit, Printer};
use document::Document;
use last::LastRun;
use lines::Counting;

/// Serves an editor until it goes.
pub(super) fn run(printer: &mut Printer) -> Exit {
    let (connection, threads) = Connection::stdio();
    let served = serve(&connection);
    drop(connection);
    match served.and_then(|()| threads.join().map_err(|error| error.to_string())) {
        Ok(()) => Exit::Held,
        Err(error) => {
            let text = "standard input and output are for an editor that speaks the Language Server Protocol";
            printer.diagnostic(&format!("error: {error}\n  {text}\n"));
            Exit::FileFailed
        }
    }
}

fn serve(connection: &Connection) -> Result<(), String> {
    let (id, params) = connection.initialize_start().map_err(|error| error.to_string())?;
    let params: InitializeParams =
        serde_json::from_value(params).map_err(|error| error.to_string())?;
    let known = params.capabilities.general.and_then(|general| general.position_encodings);
    let bytes = known.is_some_and(|known| known.contains(&PositionEncodingKind::UTF8));
    let counting = if bytes { Counting::Bytes } else { Counting::Utf16 };
    let answer = json!({
        "capabilities": capabilities(counting),
        "serverInfo": {"name": "granum", "version": env!("CARGO_PKG_VERSION")},
    });
    connection.initialize_finish(id, answer).map_err(|error| error.to_string())?;
    let mut server = Server { connection, counting, open: BTreeMap::new() };
    for message in &connection.receiver {
        match message {
            Message::Request(request) => {
                if connection.handle_shutdown(&request).map_err(|error| error.to_string())? {
                    return Ok(());
                }
                server.answer(request)?;
            }
            Message::Notification(notification) => server.take(notification)?,
            Message::Response(_) => {}
        }
    }
    Ok(())
}

fn capabilities(counting: Counting) -> ServerCapabilities {
    let encoding = match counting {
        Counting::Bytes => PositionEncodingKind::UTF8,
        Counting::Utf16 => PositionEncodingKind::UTF16,
    };
    ServerCapabilities {
        position_encoding: Some(encoding),
        text_document_sync: Some(TextDocumentSyncCapability::Kind(TextDocumentSyncKind::FULL)),
        hover_provider: Some(HoverProviderCapability::Simple(true)),
        completion_provider: Some(CompletionOptions {
            trigger_characters: Some(vec![".".into()]),
            ..CompletionOptions::default()
        }),
        definition_provider: Some(OneOf::Left(true)),
        references_provider: Some(OneOf::Left(true)),
        document_symbol_provider: Some(OneOf::Left(true)),
        document_formatting_provider: Some(OneOf::Left(true)),
        code_action_provider: Some(CodeActionProviderCapability::Simple(true)),
        rename_provider: Some(OneOf::Right(RenameOptions {
            prepare_provider: Some(true),
            work_done_progress_options: lsp_types::WorkDoneProgressOptions::default(),
        })),
        ..ServerCapabilities::default()
    }
}

/// An editor that is served.
struct Server<'c> {
    connection: &'c Connection,
    counting: Counting,
    open: BTreeMap<String, Document>,
}

type Answered = Result<Value, ResponseError>;

fn refused(code: ErrorCode, message: impl Into<String>) -> ResponseError {
    ResponseError { code: code as i32, message: message.into(), data: None }
}

fn value(of: impl Serialize) -> Answered {
    serde_json::to_value(of).map_err(|error| refused(ErrorCode::InternalError, error.to_string()))
}

impl Server<'_> {
    fn send(&self, message: Message) -> Result<(), String> {
        self.connection.sender.send(message).map_err(|error| error.to_string())
    }

    fn answer(&self, request: Request) -> Result<(), String> {
        let Request { id, method, params } = request;
        let response = match self.answered(&method, params) {
            Ok(result) => Response { id, result: Some(result), error: None },
            Err(error) => Response { id, result: None, error: Some(error) },
        };
        self.send(Message::Response(response))
    }

    fn document(&self, uri: &Uri) -> Result<&Document, ResponseError> {
        let none = || refused(ErrorCode::InvalidParams, format!("{} is not open", uri.as_str()));
        self.open.get(uri.as_str()).ok_or_else(none)
    }

    /// The document and the byte that are meant.
    fn place(
        &self,
        params: &TextDocumentPositionParams,
    ) -> Result<(&Document, usize), ResponseError> {
        let document = self.document(&params.text_document.uri)?;
        Ok((document, self.counting.byte(&document.text, params.position)))
    }

    fn answered(&self, method: &str, params: Value) -> Answered {
        let counting = self.counting;
        match method {
            HoverRequest::METHOD => {
                let params: HoverParams = read(params)?;
                let (document, byte) = self.place(&params.text_document_position_params)?;
                let last = LastRun::of(&document.path);
                let told = hover::hover(document, last.as_ref(), byte);
                value(told.map(|value| Hover {
                    contents: HoverContents::Markup(MarkupContent {
                        kind: MarkupKind::Markdown,
                        value,
                    }),
                    range: None,
                }))
            }
            Completion::METHOD => {
                let params: CompletionParams = read(params)?;
                let (document, byte) = self.place(&params.text_document_position)?;
                value(complete::complete(document, byte))
            }
            GotoDefinition::METHOD => {
                let params: GotoDefinitionParams = read(params)?;
                let (document, byte) = self.place(&params.text_document_position_params)?;
                let symbol = document.names.at(byte);
                let made = symbol.and_then(|symbol| told::made(document, symbol));
                value(made.map(|span| document.location(counting, span)))
            }
            References::METHOD => {
                let params: ReferenceParams = read(params)?;
                let (document, byte) = self.place(&params.text_document_position)?;
                let symbol = document.names.at(byte);
                let uses = symbol.into_iter().flat_map(|symbol| &symbol.uses);
                let spans: Vec<_> = uses.map(|one| one.span).collect();
                value(document.locations(counting, &spans))
            }
            PrepareRenameRequest::METHOD => {
                let params: TextDocumentPositionParams = read(params)?;
                let (document, byte) = self.place(&params)?;
                let (span, placeholder) = change::renamable(document, byte)
                    .map_err(|why| refused(ErrorCode::InvalidRequest, why))?;
                let range = document.location(counting, span).range;
                value(json!({"range": range, "placeholder": placeholder}))
            }
            Rename::METHOD => {
                let params: RenameParams = read(params)?;
                let (document, byte) = self.place(&params.text_document_position)?;
                let edit = change::renamed(document, counting, (byte, &params.new_name));
                value(edit.map_err(|why| refused(ErrorCode::InvalidRequest, why))?)
            }
            DocumentSymbolRequest::METHOD => {
                let params: DocumentSymbolParams = read(params)?;
                let document = self.document(&params.text_document.uri)?;
                value(told::outline(document, counting))
            }
            Formatting::METHOD => {
                let params: DocumentFormattingParams = read(params)?;
                let document = self.document(&params.text_document.uri)?;
                value(change::laid_out(document, counting))
            }
            CodeActionRequest::METHOD => {
                let params: CodeActionParams = read(params)?;
                let document = self.document(&params.text_document.uri)?;
                let [start, end] = [params.range.start, params.range.end]
                    .map(|position| counting.byte(&document.text, position));
                let range = granum_core::lang::Span { start, end };
                let last = LastRun::of(&document.path);
                value(change::actions(document, counting, (range, last.as_ref())))
            }
            other => Err(refused(ErrorCode::MethodNotFound, format!("{other} is not served"))),
        }
    }

    fn take(&mut self, notification: Notification) -> Result<(), String> {
        let Notification { method, params } = notification;
        match method.as_str() {
            DidOpenTextDocument::METHOD => {
                let Ok(params) = read::<DidOpenTextDocumentParams>(params) else { return Ok(()) };
                let own = params.text_document;
                let document = Document::open(own.uri.clone(), own.text, Some(own.version));
                self.open.insert(own.uri.as_str().to_owned(), document);
                self.publish(&own.uri)
            }
            DidChangeTextDocument::METHOD => {
                let Ok(params) = read::<DidChangeTextDocumentParams>(params) else { return Ok(()) };
                let uri = params.text_document.uri;
                let text = params.content_changes.into_iter().last().map(|change| change.text);
                if let (Some(document), Some(text)) = (self.open.get_mut(uri.as_str()), text) {
                    document.version = Some(params.text_document.version);
                    document.set(text);
                }
                self.publish(&uri)
            }
            DidSaveTextDocument::METHOD => {
                let Ok(params) = read::<DidSaveTextDocumentParams>(params) else { return Ok(()) };
                self.look_again(Some(&params.text_document.uri))
            }
            DidChangeWatchedFiles::METHOD => self.look_again(None),
            DidCloseTextDocument::METHOD => {
                let Ok(params) = read::<DidCloseTextDocumentParams>(params) else { return Ok(()) };
                let uri = params.text_document.uri;
                self.open.remove(uri.as_str());
                self.tell(PublishDiagnosticsParams { uri, diagnostics: vec![], version: None })
            }
            _ => Ok(()),
        }
    }

    /// Looks at the files of a plan, or of all, again.
    fn look_again(&mut self, uri: Option<&Uri>) -> Result<(), String> {
        let open: Vec<Uri> = self.open.values().map(|document| document.uri.clone()).collect();
        for own in open.iter().filter(|own| uri.is_none_or(|uri| uri.as_str() == own.as_str())) {
            if let Some(document) = self.open.get_mut(own.as_str()) {
                document.look_again();
            }
            self.publish(own)?;
        }
        Ok(())
    }

    /// Tells what is wrong with a plan, and with those that it uses.
    fn publish(&self, uri: &Uri) -> Result<(), String> {
        let Some(document) = self.open.get(uri.as_str()) else { return Ok(()) };
        told::diagnostics(document, self.counting).into_iter().try_for_each(|told| self.tell(told))
    }

    fn tell(&self, params: PublishDiagnosticsParams) -> Result<(), String> {
        let method = PublishDiagnostics::METHOD.to_owned();
        self.send(Message::Notification(Notification::new(method, params)))
    }
}

fn read<T: DeserializeOwned>(params: Value) -> Result<T, ResponseError> {
    serde_json::from_value(params)
        .map_err(|error| refused(ErrorCode::InvalidParams, error.to_string()))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use granum_core::lang::Span;

    const PLAN: &str = include_str!("../../../../granum-demo/plans/nursery.granum");

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        // A plan that is being written is broken most of the time.
        #[test]
        fn a_plan_that_is_cut_anywhere_is_no_trouble(
            from in any::<prop::sample::Index>(),
            length in 0..400_usize,
            more in "[a-z\"`{}(),. \n\u{e9}]{0,12}",
            places in prop::collection::vec(any::<prop::sample::Index>(), 8),
        ) {
            let mut from = from.index(PLAN.len());
            while !PLAN.is_char_boundary(from) {
                from -= 1;
            }
            let mut to = (from + length).min(PLAN.len());
            while !PLAN.is_char_boundary(to) {
                to -= 1;
            }
            let text = format!("{}{more}{}", &PLAN[..from], &PLAN[to..]);
            let uri = place::uri_of(std::path::Path::new("/nowhere at all/p.granum")).unwrap();
            let document = Document::open(uri, text, None);
            prop_assert!(!told::diagnostics(&document, Counting::Utf16).is_empty());
            let _ = told::outline(&document, Counting::Bytes);
            let _ = change::laid_out(&document, Counting::Utf16);
            let cut = [from, from + more.len()].map(|at| at.min(document.text.len()));
            let all = places.iter().map(|at| at.index(document.text.len().max(1))).chain(cut);
            for byte in all {
                let position = Counting::Utf16.position(&lines::Lines::of(&document.text), byte);
                let byte = Counting::Utf16.byte(&document.text, position);
                let _ = hover::hover(&document, None, byte);
                let _ = complete::complete(&document, byte);
                let _ = change::renamable(&document, byte);
                let range = Span { start: byte, end: byte };
                let _ = change::actions(&document, Counting::Utf16, (range, None));
                for one in document.names.at(byte).into_iter().flat_map(|symbol| &symbol.uses) {
                    prop_assert!(document.texts.all.get(one.span.start..one.span.end).is_some());
                    let _ = document.location(Counting::Bytes, one.span);
                }
            }
        }
    }
}
