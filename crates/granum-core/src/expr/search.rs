//! Functions that search texts by a pattern.

use regex::Regex;

use super::function::Call;
use super::kernel::{texts, truths};
use super::pattern::{Part, parts};
use super::typed::{Kind, Typed};
use crate::bug::{Sure, bug};
use crate::table::Column;

/// The pattern among a call's arguments.
fn pattern<'a>(call: &'a Call<'_>) -> &'a Regex {
    match call.args.get(1).map(|arg| &arg.kind) {
        Some(Kind::Pattern(pattern)) => &pattern.regex,
        other => bug(format!("{other:?} is no pattern")),
    }
}

/// Whether the pattern is found in each text.
pub(super) fn matches(call: &Call<'_>) -> Column {
    let (array, regex) = (call.texts(0), pattern(call));
    Column::Boolean(truths(call.rows, |row| {
        array.has(row).then(|| regex.is_match(array.value(row)))
    }))
}

/// What the pattern's first group, or the whole of it, finds first in each text.
pub(super) fn extract(call: &Call<'_>) -> Column {
    let (array, regex) = (call.texts(0), pattern(call));
    let mut places = regex.capture_locations();
    // The first group, where there is one; else the whole.
    let group = usize::from(places.len() > 1);
    Column::Text(texts(call.rows, |row, out| {
        if !array.has(row) {
            return false;
        }
        let text = array.value(row);
        if regex.captures_read(&mut places, text).is_none() {
            return false;
        }
        let found = places.get(group);
        out.push_str(found.map_or("", |(from, to)| &text[from..to]));
        found.is_some()
    }))
}

/// Each text with all that the pattern finds replaced.
pub(super) fn replace(call: &Call<'_>) -> Column {
    let (array, regex) = (call.texts(0), pattern(call));
    let by = match call.args.get(2).and_then(Typed::constant) {
        Some(by) => by.to_string(),
        None => bug("what replaces a pattern is not written out"),
    };
    let parts = parts(&by, regex.captures_len() - 1).ok().sure("a replacement that was tried");
    Column::Text(texts(call.rows, |row, out| {
        if !array.has(row) {
            return false;
        }
        let text = array.value(row);
        let mut from = 0;
        for found in regex.captures_iter(text) {
            let whole = found.get_match();
            out.push_str(&text[from..whole.start()]);
            for part in &parts {
                match part {
                    Part::Text(text) => out.push_str(text),
                    Part::Group(group) => {
                        out.push_str(found.get(*group).map_or("", |group| group.as_str()));
                    }
                }
            }
            from = whole.end();
        }
        out.push_str(&text[from..]);
        true
    }))
}
