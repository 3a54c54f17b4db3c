//! Names that stand in texts: parameters between braces, columns at the head of rows.

use crate::lang::{Quoted, Span};

/// The names between braces of a quoted text, with their places.
pub(super) fn braced(text: &str, quoted: &Quoted) -> Vec<(String, Span)> {
    let raw = text.get(quoted.span.start..quoted.span.end).unwrap_or_default();
    let mut found = vec![];
    let mut at = 0;
    while let Some(open) = raw[at..].find('{').map(|open| at + open) {
        if raw[open + 1..].starts_with('{') {
            at = open + 2;
            continue;
        }
        let Some(close) = raw[open..].find('}').map(|close| open + close) else { break };
        let name = &raw[open + 1..close];
        let (start, end) = (quoted.span.start + open + 1, quoted.span.start + close);
        found.push((name.to_owned(), Span { start, end }));
        at = close + 1;
    }
    found
}

/// The columns at the head of a block of rows, with their places.
pub(super) fn header(text: &str, block: &Quoted) -> Vec<(String, Span)> {
    let raw = text.get(block.span.start..block.span.end).unwrap_or_default();
    let mut start = raw.find('\n').map_or(raw.len(), |end| end + 1);
    let line = loop {
        let Some(rest) = raw.get(start..).filter(|rest| !rest.is_empty()) else { return vec![] };
        let line = rest.lines().next().unwrap_or_default();
        if !line.trim().is_empty() {
            break line;
        }
        start += rest.find('\n').map_or(rest.len(), |end| end + 1);
    };
    if line.trim_start().starts_with("\"\"\"") {
        return vec![];
    }
    let mut found = vec![];
    let mut at = 0;
    while at <= line.len() {
        let rest = &line[at..];
        let quoted = rest.trim_start().starts_with('"');
        let length = if quoted {
            let open = rest.find('"').map_or(0, |open| open + 1);
            let close = closing(&rest[open..]).map_or(rest.len(), |close| open + close);
            rest[close..].find(',').map_or(rest.len(), |comma| close + comma)
        } else {
            rest.find(',').unwrap_or(rest.len())
        };
        let cell = &rest[..length];
        let trimmed = cell.trim();
        let from = block.span.start + start + at + (cell.len() - cell.trim_start().len());
        let name = match trimmed.strip_prefix('"').and_then(|inside| inside.strip_suffix('"')) {
            Some(inside) => inside.replace("\"\"", "\""),
            None => trimmed.to_owned(),
        };
        found.push((name, Span { start: from, end: from + trimmed.len() }));
        at += length + 1;
    }
    found
}

/// Where a quoted cell ends: at the first quote that is not doubled.
fn closing(inside: &str) -> Option<usize> {
    let mut at = inside.find('"')?;
    while inside[at + 1..].starts_with('"') {
        at += 2 + inside[at + 2..].find('"')?;
    }
    Some(at)
}
