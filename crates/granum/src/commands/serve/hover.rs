//! What a name is: its type, its grain, what the last run found.

use granum_core::lang::StatementKind;
use granum_core::names::{Meaning, Symbol, calls};

use super::document::Document;
use super::last::LastRun;
use crate::render::{column_from, grain_words, made};

/// What there is to say of a place of the own text, as Markdown.
pub(super) fn hover(document: &Document, last: Option<&LastRun>, byte: usize) -> Option<String> {
    match document.names.at(byte) {
        Some(symbol) => Some(of_symbol(document, last, symbol)),
        None => of_call(document, byte),
    }
}

fn of_symbol(document: &Document, last: Option<&LastRun>, symbol: &Symbol) -> String {
    match symbol.meaning {
        Meaning::Input | Meaning::Table => of_table(document, last, &symbol.name),
        Meaning::Column => of_column(document, symbol),
        Meaning::Parameter => of_parameter(document, &symbol.name),
        Meaning::Link => {
            format!("`{}`: a link of {}", symbol.name, symbol.table.as_deref().unwrap_or_default())
        }
    }
}

/// A text as Markdown shows it: as it is.
fn literal(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.chars() {
        if letter.is_ascii_punctuation() {
            out.push('\\');
        }
        out.push(letter);
    }
    out
}

fn of_table(document: &Document, last: Option<&LastRun>, name: &str) -> String {
    let mut out = format!("**{}**", literal(name));
    if let Some(table) = document.table(name) {
        let kind = if table.input { "input" } else { "table" };
        let grain = grain_words(&table.grain, table.one_row);
        out.push_str(&format!(" · {kind} · {}\n", literal(&grain)));
    }
    let (sentences, links) = made(&document.tree, name);
    for line in sentences.iter().chain(&links) {
        out.push_str(&format!("\n- {}", literal(line)));
    }
    if let Some(table) = document.table(name) {
        let columns: Vec<String> =
            table.columns.iter().map(|(name, ty)| format!("{} {ty}", literal(name))).collect();
        out.push_str(&format!("\n\nColumns: {}", columns.join(", ")));
        if table.input && !document.beginnings.is_settled(name) {
            out.push_str("\n\nTypes are those of the beginnings of its files.");
        }
    }
    if let Some(last) = last {
        for line in last.of_table(name) {
            out.push_str(&format!("\n\n{}", literal(&line)));
        }
    }
    out
}

fn of_column(document: &Document, symbol: &Symbol) -> String {
    let table = symbol.table.as_deref().unwrap_or_default();
    let known = document.table(table);
    let ty = known.and_then(|known| known.columns.iter().find(|(name, _)| *name == symbol.name));
    let ty = ty.map_or(String::new(), |(_, ty)| format!(" · {ty}"));
    let from = column_from(&document.tree, &document.outline, (table, &symbol.name));
    let mut out = format!("**{}**{ty} · {}", literal(&symbol.name), literal(table));
    if !from.is_empty() {
        out.push_str(&format!("\n\n{}", literal(&from)));
    }
    if symbol.of_files && !document.beginnings.is_settled(table) {
        out.push_str("\n\nIts type is that of the beginnings of the files, unless `read` says it.");
    }
    out
}

fn of_parameter(document: &Document, name: &str) -> String {
    let said = document.tree.statements.iter().find_map(|statement| match &statement.kind {
        StatementKind::Param(param) if param.name.text == name => {
            let own = document.texts.all.get(statement.span.start..statement.span.end)?;
            Some(own.to_owned())
        }
        _ => None,
    });
    format!("```granum\n{}\n```", said.unwrap_or_default())
}

/// The function whose name stands at a byte.
fn of_call(document: &Document, byte: usize) -> Option<String> {
    let text = &document.text;
    let in_word = |letter: char| letter.is_alphanumeric() || letter == '_';
    let start = text[..byte]
        .rfind(|letter| !in_word(letter))
        .map_or(0, |at| at + text[at..].chars().next().map_or(1, char::len_utf8));
    let end = text[byte..].find(|letter| !in_word(letter)).map_or(text.len(), |at| byte + at);
    let called = text[end..].trim_start_matches(' ').starts_with('(');
    let call = calls().find(|call| called && call.name == &text[start..end])?;
    let (example, gives) = call.example;
    Some(format!(
        "```granum\n{}\n```\n\n{}\n\n`{example}` → `{gives}`",
        call.signature,
        literal(call.says)
    ))
}
