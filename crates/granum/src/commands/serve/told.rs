//! What is wrong, and what the plan has, as editors take it.

use std::collections::BTreeMap;

use granum_core::lang::{Span, StatementKind};
use granum_core::names::Symbol;
use lsp_types::{
    Diagnostic, DiagnosticRelatedInformation, DiagnosticSeverity, DocumentSymbol, NumberOrString,
    PublishDiagnosticsParams, SymbolKind,
};

use super::document::Document;
use super::lines::{Counting, Lines};

/// What is wrong, by the plan that it stands in: the own one always.
pub(super) fn diagnostics(
    document: &Document,
    counting: Counting,
) -> Vec<PublishDiagnosticsParams> {
    let mut by_plan: BTreeMap<String, PublishDiagnosticsParams> = BTreeMap::new();
    let own = PublishDiagnosticsParams {
        uri: document.uri.clone(),
        diagnostics: vec![],
        version: document.version,
    };
    by_plan.insert(document.uri.as_str().to_owned(), own);
    for wrong in &document.wrong {
        let place = document.location(counting, wrong.span);
        let mut message = wrong.message.clone();
        for more in [Some(&wrong.label), wrong.help.as_ref()].into_iter().flatten() {
            if !more.is_empty() {
                message.push('\n');
                message.push_str(more);
            }
        }
        let also = wrong.also.iter().map(|(span, why)| DiagnosticRelatedInformation {
            location: document.location(counting, *span),
            message: why.clone(),
        });
        let diagnostic = Diagnostic {
            range: place.range,
            severity: Some(DiagnosticSeverity::ERROR),
            code: Some(NumberOrString::String(wrong.kind.name().into())),
            source: Some("granum".into()),
            message,
            related_information: Some(also.collect()),
            ..Diagnostic::default()
        };
        let uri = place.uri.clone();
        let of_plan = by_plan.entry(place.uri.as_str().to_owned());
        let of_plan = of_plan.or_insert_with(|| PublishDiagnosticsParams {
            uri,
            diagnostics: vec![],
            version: None,
        });
        of_plan.diagnostics.push(diagnostic);
    }
    by_plan.into_values().collect()
}

/// Where a symbol is made: a column of files at its input.
pub(super) fn made(document: &Document, symbol: &Symbol) -> Option<Span> {
    let input = || {
        let table = symbol.table.as_ref()?;
        let all = document.names.symbols().iter();
        let mut own = all.filter(|own| own.table.is_none() && own.name == *table);
        own.find_map(|own| own.made)
    };
    symbol.made.or_else(|| symbol.of_files.then(input).flatten())
}

/// The statements of the own plan.
#[allow(deprecated)] // the type has a field that is no longer used
pub(super) fn outline(document: &Document, counting: Counting) -> Vec<DocumentSymbol> {
    let lines = Lines::of(&document.text);
    let own = document.tree.statements.iter();
    let own = own.filter(|statement| statement.span.end <= document.text.len());
    let symbol =
        |(kind, name, detail, span, at): (SymbolKind, String, &str, Span, Span)| DocumentSymbol {
            name,
            detail: Some(detail.to_owned()),
            kind,
            tags: None,
            deprecated: None,
            range: counting.range(&lines, span),
            selection_range: counting.range(&lines, at),
            children: None,
        };
    let of = |statement: &granum_core::lang::Statement| {
        let span = statement.span;
        let (kind, name, detail, at) = match &statement.kind {
            StatementKind::Use(path) => (SymbolKind::MODULE, path.text.clone(), "use", path.span),
            StatementKind::Plan(title) => {
                (SymbolKind::FILE, title.text.clone(), "plan", title.span)
            }
            StatementKind::Param(own) => {
                (SymbolKind::CONSTANT, own.name.text.clone(), "param", own.name.span)
            }
            StatementKind::Input(own) => {
                (SymbolKind::INTERFACE, own.name.text.clone(), "input", own.name.span)
            }
            StatementKind::Table(own) => {
                (SymbolKind::STRUCT, own.name.text.clone(), "table", own.name.span)
            }
            StatementKind::Link(own) => {
                let name =
                    format!("{} → {}", own.from.text, own.name.as_ref().unwrap_or(&own.to).text);
                (SymbolKind::FIELD, name, "link", own.from.span)
            }
            StatementKind::Check(own) => {
                let title = own.title.as_ref();
                let name = title.map_or_else(|| "check".into(), |title| title.text.clone());
                (SymbolKind::BOOLEAN, name, own.severity.word(), title.map_or(span, |own| own.span))
            }
            StatementKind::Example(own) => {
                (SymbolKind::EVENT, own.title.text.clone(), "example", own.title.span)
            }
            StatementKind::Output(own) => {
                (SymbolKind::FILE, own.path.text.clone(), "output", own.path.span)
            }
            StatementKind::Chart(own) => {
                (SymbolKind::FILE, own.title.text.clone(), "chart", own.title.span)
            }
        };
        // Editors take no name that is empty.
        let name = if name.trim().is_empty() { detail.to_owned() } else { name };
        symbol((kind, name, detail, span, at))
    };
    own.map(of).collect()
}
