//! Reports, rows and diagnostics as text for people.

mod allocate;
mod apart;
mod bridge;
mod columns;
mod compare;
mod diagnostic;
mod example;
mod expand;
pub mod json;
mod left;
mod likeness;
mod links;
mod lists;
mod matching;
mod near;
mod outline;
mod page;
mod periods;
mod problem;
mod relate;
mod report;
mod rows;
mod sentence;
mod shell;
mod since;
mod story;
mod survey;
mod tally;
mod tell;
mod texts;
mod verdict;
mod view;
mod visible;
mod warning;
mod watch;

pub use compare::{compared, compared_verdict, not_compared};
pub use diagnostic::diagnostics;
pub use example::{example_remarks, no_example};
pub use left::{finished, waiting};
pub use likeness::likeness;
pub use matching::matched;
pub use outline::outline;
pub use page::{Beside, UNFOLDED, page};
pub use problem::problems;
pub use relate::{names_found, relations};
pub use rows::{rows, saved};
pub use shell::SHOWN;
pub use since::records;
pub use story::story;
pub use survey::{parts, survey};
pub use tally::grain_words;
pub use tell::{Tale, column_from, made, tale};
pub use texts::Texts;
pub use view::Report;
pub use visible::visible;
pub use warning::warnings;
pub use watch::{Again, Before, again};

use anstyle::{AnsiColor, Style};
use granum_core::tally::Unread;
use granum_core::value::{Scale, decimal};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
use visible::{seen, styled};

/// How a blank is shown.
const BLANK: &str = "\u{b7}";

/// A heading.
pub fn heading(text: &str) -> String {
    styled(Style::new().bold(), text)
}

/// What need not be read first.
pub fn dim(text: &str) -> String {
    styled(Style::new().dimmed(), text)
}

/// A command that could be typed.
pub fn command(text: &str) -> String {
    format!("{} {}", dim("$"), heading(text))
}

fn good(text: &str) -> String {
    styled(Style::new().fg_color(Some(AnsiColor::Green.into())).bold(), text)
}

fn bad(text: &str) -> String {
    styled(Style::new().fg_color(Some(AnsiColor::Red.into())).bold(), text)
}

/// A line whose last word, if it is one of these, stands out as what is wrong.
fn bad_at_end(line: &str, words: &[&str]) -> String {
    let ending = words.iter().find_map(|word| Some((line.strip_suffix(word)?, word)));
    ending.map_or_else(|| line.to_owned(), |(start, word)| format!("{start}{}", bad(word)))
}

fn notable(text: &str) -> String {
    styled(Style::new().fg_color(Some(AnsiColor::Yellow.into())).bold(), text)
}

/// A text; in quotes where it has spaces around: they are what is wrong with it more often than not,
/// and cannot be seen.
fn spaces_seen(text: &str) -> String {
    if text.trim() == text { text.to_owned() } else { format!("\"{text}\"") }
}

/// A value of up to so many letters, with an escape in place of each that nobody sees.
fn clipped(value: &str, longest: usize) -> String {
    // More than is shown need not be looked at: cells can be very long.
    let cut: String = value.chars().take(longest + 1).collect();
    let whole = cut.len() == value.len();
    let text = if whole { spaces_seen(&seen(value)) } else { seen(&cut) };
    if whole && width_of(&text) <= longest {
        return text;
    }
    format!("{}\u{2026}", beginning(&text, longest.saturating_sub(1)))
}

/// How many columns of a terminal a text takes: a wide letter takes two, a mark over another none.
fn width_of(text: &str) -> usize {
    UnicodeWidthStr::width(text)
}

/// The beginning of a text that takes up to so many columns.
fn beginning(text: &str, most: usize) -> &str {
    let mut taken = 0;
    let end = text.char_indices().find(|(_, letter)| {
        taken += letter.width().unwrap_or(0);
        taken > most
    });
    end.map_or(text, |(at, _)| &text[..at])
}

/// A text of up to so many letters.
fn shortened(text: &str, most: usize) -> String {
    if width_of(text) <= most {
        return text.to_owned();
    }
    format!("{}\u{2026}", beginning(text, most - 1).trim_end())
}

/// A count with its thousands set off.
fn count(number: u64) -> String {
    decimal::grouped(number.into(), Scale(0))
}

/// Amounts with their names, as in `33.00 net, 4.10 freight`; empty where there are none.
fn sums(amounts: &[(String, granum_core::table::Amount)]) -> String {
    let each: Vec<String> = amounts.iter().map(|(name, sum)| format!("{sum} {name}")).collect();
    each.join(", ")
}

/// A count and its noun.
fn counted(number: u64, one: &str, many: &str) -> String {
    format!("{} {}", count(number), if number == 1 { one } else { many })
}

/// A change of a count: `−112`, `+4`, `0`.
fn change(before: u64, after: u64) -> String {
    match after.cmp(&before) {
        std::cmp::Ordering::Less => format!("\u{2212}{}", count(before - after)),
        std::cmp::Ordering::Equal => "0".into(),
        std::cmp::Ordering::Greater => format!("+{}", count(after - before)),
    }
}

/// Columns of files that no cell can hold.
fn unread(columns: &[Unread]) -> String {
    let told =
        columns.iter().map(|unread| format!("{} ({})", clipped(&unread.column, 40), unread.what));
    told.collect::<Vec<_>>().join(", ")
}

/// Lines that each begin with `indent`, folded at `width`.
fn folded(text: &str, indent: &str, width: usize) -> String {
    let room = width.saturating_sub(indent.len()).max(20);
    let mut out = String::new();
    let mut line = String::new();
    for word in text.split(' ') {
        let longer = width_of(&line) + width_of(word) + 1 > room;
        if longer && !line.is_empty() {
            out.push_str(&format!("{indent}{line}\n"));
            line.clear();
            line.push_str("  ");
        } else if !line.is_empty() {
            line.push(' ');
        }
        line.push_str(word);
    }
    out.push_str(&format!("{indent}{line}\n"));
    out
}
