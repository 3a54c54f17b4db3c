//! What can be changed: another name everywhere, what is wrong mended, the one layout.

use granum_core::lang::{LinkTree, Span, Statement, StatementKind, format_plan, parse, plan_name};
use lsp_types::{
    CodeAction, CodeActionKind, CodeActionOrCommand, DocumentChanges, Location, OneOf,
    OptionalVersionedTextDocumentIdentifier, Position, Range, TextDocumentEdit, TextEdit,
    WorkspaceEdit,
};

use super::document::Document;
use super::last::LastRun;
use super::lines::{Counting, Lines};

/// Edits, by the plans that they are of.
fn edit_of(edits: Vec<(Location, String)>) -> WorkspaceEdit {
    let mut plans: Vec<TextDocumentEdit> = vec![];
    for (Location { uri, range }, new_text) in edits {
        let edit = OneOf::Left(TextEdit { range, new_text });
        match plans.iter_mut().find(|plan| plan.text_document.uri == uri) {
            Some(plan) => plan.edits.push(edit),
            None => plans.push(TextDocumentEdit {
                text_document: OptionalVersionedTextDocumentIdentifier { uri, version: None },
                edits: vec![edit],
            }),
        }
    }
    let document_changes = Some(DocumentChanges::Edits(plans));
    WorkspaceEdit { document_changes, ..WorkspaceEdit::default() }
}

/// The name at a byte, where it can be another.
pub(super) fn renamable(document: &Document, byte: usize) -> Result<(Span, String), String> {
    let symbol = document.names.at(byte).ok_or("no name of the plan stands here")?;
    document.names.renamed(symbol, "x").map_err(|wrong| wrong.to_string())?;
    let span = symbol.at(byte).ok_or("no name of the plan stands here")?.span;
    Ok((span, symbol.name.clone()))
}

/// Another name for what stands at a byte, everywhere. It is tried before it is given.
pub(super) fn renamed(
    document: &Document,
    counting: Counting,
    (byte, new): (usize, &str),
) -> Result<WorkspaceEdit, String> {
    let symbol = document.names.at(byte).ok_or("no name of the plan stands here")?;
    let edits = document.names.renamed(symbol, new).map_err(|wrong| wrong.to_string())?;
    let own = document.text.len();
    if document.wrong.is_empty() && edits.iter().all(|(span, _)| span.end <= own) {
        let tried = document.with(&edits);
        if let Some(wrong) = tried.wrong.first() {
            return Err(format!("the plan would be wrong: {}", wrong.message));
        }
    }
    let (spans, names): (Vec<Span>, Vec<String>) = edits.into_iter().unzip();
    let places = document.locations(counting, &spans);
    Ok(edit_of(places.into_iter().zip(names).collect()))
}

/// The plan in its one layout; nothing where it is so, or where it cannot be read.
pub(super) fn laid_out(document: &Document, counting: Counting) -> Option<Vec<TextEdit>> {
    let parsed = parse(&document.text);
    if !parsed.diagnostics.is_empty() {
        return None;
    }
    let new_text = format_plan(&document.text, &parsed);
    if new_text == document.text {
        return Some(vec![]);
    }
    let end = counting.position(&Lines::of(&document.text), document.text.len());
    let range = Range { start: Position { line: 0, character: 0 }, end };
    Some(vec![TextEdit { range, new_text }])
}

/// What mends what is wrong in a stretch, and what the last run measured that mends a link.
pub(super) fn actions(
    document: &Document,
    counting: Counting,
    (range, last): (Span, Option<&LastRun>),
) -> Vec<CodeActionOrCommand> {
    let meets = |span: Span| span.start <= range.end && range.start <= span.end;
    let mut found = vec![];
    for wrong in document.wrong.iter().filter(|wrong| meets(wrong.span)) {
        let Some(near) = wrong.help.as_deref().and_then(meant) else { continue };
        let title = format!("Write `{near}`");
        found.push(action(document, counting, title, (wrong.span, plan_name(near))));
    }
    found.extend(document.wrong.iter().filter(|wrong| meets(wrong.span)).filter_map(|wrong| {
        let (input, read) = wrong.help.as_deref().and_then(read_meant)?;
        let edit = read_in(document, input, read)?;
        // What is proposed is tried: it mends this, and does not make anything else wrong.
        let tried = document.with(std::slice::from_ref(&edit));
        (tried.wrong.len() < document.wrong.len())
            .then(|| action(document, counting, format!("In `{input}`: {read}"), edit))
    }));
    let Some(last) = last else { return found };
    for statement in document.tree.statements.iter().filter(|own| meets(own.span)) {
        let StatementKind::Link(link) = &statement.kind else { continue };
        let name = &link.name.as_ref().unwrap_or(&link.to).text;
        let own = last
            .mends()
            .into_iter()
            .filter(|mend| mend.from == link.from.text && mend.name == *name);
        for mend in own {
            let Some(keys) = keys_of(link) else { continue };
            let rows = if mend.rows == 1 { "row" } else { "rows" };
            let title = format!(
                "Link on {}: {} {rows} more, by the last run ({})",
                mend.keys,
                mend.rows,
                last.called()
            );
            found.push(action(document, counting, title, (keys, mend.keys)));
        }
    }
    found
}

/// Where a link's keys stand; not those of a period, which are mended otherwise.
fn keys_of(link: &LinkTree) -> Option<Span> {
    let (first, last) = (link.keys.first()?, link.keys.last()?);
    if link.period.is_some() {
        return None;
    }
    let end = last.right.as_ref().unwrap_or(&last.left).span;
    Some(first.left.span.to(end))
}

/// The `read` that a message proposes, and the input that it belongs into.
fn read_meant(help: &str) -> Option<(&str, &str)> {
    let (input, read) = help.strip_prefix("in the input of `")?.split_once("`:  ")?;
    (read.starts_with("read ") && !read.contains('\n')).then_some((input, read))
}

/// A step more at the beginning of an input of the own text.
fn read_in(document: &Document, name: &str, read: &str) -> Option<(Span, String)> {
    let own = |statement: &Statement| match &statement.kind {
        StatementKind::Input(input) if input.name.text == name => {
            let first = input.steps.first().map(|step| step.span.start);
            Some((first, statement.span.end))
        }
        _ => None,
    };
    let (first, end) = document.tree.statements.iter().find_map(own)?;
    let (at, text) = match first {
        Some(first) => (first, format!("{read}\n  ")),
        None => (end, format!("\n  {read}")),
    };
    (at <= document.text.len()).then_some((Span { start: at, end: at }, text))
}

/// The name that a message proposes.
fn meant(help: &str) -> Option<&str> {
    let name = help.strip_prefix("did you mean `")?;
    name.split_once("`?").map(|(name, _)| name)
}

fn action(
    document: &Document,
    counting: Counting,
    title: String,
    (span, new_text): (Span, String),
) -> CodeActionOrCommand {
    CodeActionOrCommand::CodeAction(CodeAction {
        title,
        kind: Some(CodeActionKind::QUICKFIX),
        edit: Some(edit_of(vec![(document.location(counting, span), new_text)])),
        ..CodeAction::default()
    })
}
