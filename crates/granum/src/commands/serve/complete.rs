//! Names that fit where somebody writes.

use granum_core::lang::plan_name;
use granum_core::names::{calls, links_of, reached, words};
use lsp_types::{CompletionItem, CompletionItemKind, Documentation, MarkupContent, MarkupKind};

use super::document::Document;

/// What fits at a byte of the own text.
pub(super) fn complete(document: &Document, byte: usize) -> Vec<CompletionItem> {
    let text = &document.text[..byte];
    let line = &text[text.rfind('\n').map_or(0, |end| end + 1)..];
    if in_comment_or_text(line) {
        return vec![];
    }
    let [statements, steps, types] = words();
    let plain =
        |words: &[&str]| words.iter().map(|word| item(word, CompletionItemKind::KEYWORD)).collect();
    let begun = line.trim_start();
    let word = begun.rsplit(|letter: char| !is_letter(letter)).next().unwrap_or_default();
    let before = begun[..begun.len() - word.len()].trim_end();
    let last = before.rsplit([' ', ',']).find(|word| !word.is_empty()).unwrap_or_default();
    let indented = line.starts_with([' ', '\t']);
    if before.is_empty() && !indented {
        return plain(statements);
    }
    let first = begun.split(' ').next().unwrap_or_default();
    if last == "as" && first == "read" || before.ends_with(" as") && !statements.contains(&first) {
        return plain(types);
    }
    let tables = match (first, last) {
        ("table" | "chart", "from" | "meeting") | ("link", "link" | "to") => true,
        ("output" | "check" | "warn", word) => word == first,
        _ => false,
    };
    if tables || first == "table" && before.ends_with(',') {
        return of_tables(document);
    }
    if let Some(path) = before.strip_suffix('.') {
        return of_path(document, byte, path);
    }
    let mut items = in_expression(document, byte);
    if before.is_empty() {
        items.extend(steps.iter().map(|step| item(step, CompletionItemKind::KEYWORD)));
    }
    items
}

fn is_letter(letter: char) -> bool {
    letter.is_alphanumeric() || letter == '_'
}

/// Whether a line ends within a comment, or within a text.
fn in_comment_or_text(line: &str) -> bool {
    let mut open = false;
    for letter in line.chars() {
        match letter {
            '"' => open = !open,
            '#' if !open => return true,
            _ => {}
        }
    }
    open
}

fn item(label: &str, kind: CompletionItemKind) -> CompletionItem {
    CompletionItem { label: label.to_owned(), kind: Some(kind), ..CompletionItem::default() }
}

/// A name of the plan, written as a plan has to.
fn named(name: &str, kind: CompletionItemKind, detail: String) -> CompletionItem {
    CompletionItem { insert_text: Some(plan_name(name)), detail: Some(detail), ..item(name, kind) }
}

fn of_tables(document: &Document) -> Vec<CompletionItem> {
    let of = |table: &granum_core::engine::TableOutline| {
        let what = if table.input { "input" } else { "table" };
        let detail = match table.grain.as_slice() {
            [] => what.to_owned(),
            grain => format!("{what}, one row per {}", grain.join(", ")),
        };
        named(&table.name, CompletionItemKind::STRUCT, detail)
    };
    document.outline.iter().map(of).collect()
}

fn columns(document: &Document, table: &str) -> Vec<CompletionItem> {
    let known = document.table(table);
    let ty = |name: &str| {
        let columns = known.into_iter().flat_map(|known| &known.columns);
        columns
            .clone()
            .find(|(own, _)| own == name)
            .map_or(String::new(), |(_, ty)| format!("{ty}, "))
    };
    let mut names: Vec<&str> = document.names.columns_of(table).collect();
    names.sort_unstable();
    let of = |name: &str| named(name, CompletionItemKind::FIELD, format!("{}{table}", ty(name)));
    names.into_iter().map(of).collect()
}

fn links(document: &Document, table: &str) -> Vec<CompletionItem> {
    let of = |link: String| {
        let to = reached(&document.tree, table, &[&link]).unwrap_or_default();
        named(&link, CompletionItemKind::REFERENCE, format!("leads to {to}"))
    };
    links_of(&document.tree, table).into_iter().map(of).collect()
}

/// What stands behind a path: columns and links of where it leads.
fn of_path(document: &Document, byte: usize, path: &str) -> Vec<CompletionItem> {
    let start = path.rfind(|letter: char| !is_letter(letter) && letter != '.');
    let path =
        &path[start.map_or(0, |at| at + path[at..].chars().next().map_or(1, char::len_utf8))..];
    let links_named: Vec<&str> = path.split('.').collect();
    let from = document.table_at(byte);
    let at = from.and_then(|from| reached(&document.tree, from, &links_named));
    // In checks about totals a path begins with a table.
    let at = at.or_else(|| {
        let (table, rest) = links_named.split_first()?;
        document.table(table)?;
        reached(&document.tree, table, rest)
    });
    let Some(at) = at else { return vec![] };
    let mut items = columns(document, &at);
    items.extend(links(document, &at));
    items
}

/// What an expression may name: columns, links, parameters, functions.
fn in_expression(document: &Document, byte: usize) -> Vec<CompletionItem> {
    let mut items = vec![];
    match document.table_at(byte) {
        Some(table) => {
            items.extend(columns(document, table));
            items.extend(links(document, table));
        }
        None => items.extend(of_tables(document)),
    }
    let parameters = document.names.symbols().iter();
    let parameters =
        parameters.filter(|symbol| symbol.meaning == granum_core::names::Meaning::Parameter);
    items.extend(
        parameters.map(|of| named(&of.name, CompletionItemKind::CONSTANT, "parameter".into())),
    );
    items.extend(calls().map(|call| {
        let (example, gives) = call.example;
        let value = format!("{}\n\n`{example}` → `{gives}`", call.says);
        let documentation = MarkupContent { kind: MarkupKind::Markdown, value };
        CompletionItem {
            detail: Some(call.signature.to_owned()),
            documentation: Some(Documentation::MarkupContent(documentation)),
            ..item(call.name, CompletionItemKind::FUNCTION)
        }
    }));
    items
}
