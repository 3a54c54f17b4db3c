//! Lists in messages: cells that may be long, and how many more there are; things one after the other.

use super::{count, visible};

/// Cells are shown up to so many letters.
const LONG: usize = 80;

/// The beginning of a long cell; what is in it can be seen.
pub(super) fn short(text: &str) -> String {
    let text: String = text.chars().take(LONG + 1).collect();
    super::shortened(&visible::seen(&text), LONG)
}

pub(super) fn more(out: &mut String, all: u64, shown: usize) {
    more_indented(out, all, shown, "    ");
}

pub(super) fn more_indented(out: &mut String, all: u64, shown: usize, indent: &str) {
    let more = all.saturating_sub(shown as u64);
    if more > 0 {
        out.push_str(&format!("{indent}and {} more\n", count(more)));
    }
}

/// Things one after the other, a word before the last: a, b and c.
pub(super) fn listed(things: &[String], word: &str) -> String {
    match things {
        [before @ .., last] if !before.is_empty() => {
            format!("{} {word} {last}", before.join(", "))
        }
        _ => things.concat(),
    }
}
