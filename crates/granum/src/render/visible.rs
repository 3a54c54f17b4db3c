//! The last layer before a terminal: signs that would act on it, or that nobody sees, are written as
//! escapes, and what the program itself wants bold or coloured becomes so here and nowhere else.
//!
//! Styles travel through texts between two marks, noncharacters that no text has a use for, so that
//! they cannot be mistaken for what stands in a cell.

use anstyle::Style;

/// Between these two stand the numbers of a style.
const OPEN: char = '\u{fdd0}';
const CLOSE: char = '\u{fdd1}';

/// A style as it travels through texts: what `\x1b[` … `m` will stand around.
pub(super) fn mark(numbers: &str) -> String {
    format!("{OPEN}{numbers}{CLOSE}")
}

/// A text in a style.
pub(super) fn styled(style: Style, text: &str) -> String {
    let codes = style.render().to_string();
    let numbers: Vec<&str> =
        codes.split("\u{1b}[").filter_map(|code| code.strip_suffix('m')).collect();
    format!("{}{text}{}", mark(&numbers.join(";")), mark("0"))
}

/// Whether a sign acts on a terminal, turns the writing's direction, or stands for nothing.
fn hostile(letter: char) -> bool {
    letter.is_control()
        || matches!(letter,
            '\u{ad}' | '\u{61c}' | '\u{200b}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{fdd2}'..='\u{fdef}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}'
            | '\u{e0000}'..='\u{e007f}')
}

/// A sign as one can read it.
fn escape(letter: char, out: &mut String) {
    match letter {
        '\t' => out.push_str("\\t"),
        '\n' => out.push_str("\\n"),
        '\r' => out.push_str("\\r"),
        other => out.push_str(&format!("\\u{{{:x}}}", u32::from(other))),
    }
}

/// A cell, a name or a path on one line: nothing in it acts, and everything in it is seen.
pub(super) fn seen(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.chars() {
        // A space that does not break looks like any other, and is why keys do not meet.
        let unlike = hostile(letter) || letter == '\u{a0}';
        if unlike { escape(letter, &mut out) } else { out.push(letter) }
    }
    out
}

/// A whole text as it goes to the terminal. Its line ends stay; styles appear if `color` is on.
pub fn visible(text: &str, color: bool) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(letter) = rest.chars().next() {
        rest = &rest[letter.len_utf8()..];
        match letter {
            '\n' => out.push('\n'),
            OPEN => match rest.split_once(CLOSE).filter(|(numbers, _)| is_style(numbers)) {
                Some((numbers, after)) => {
                    if color {
                        out.push_str(&format!("\u{1b}[{numbers}m"));
                    }
                    rest = after;
                }
                None => escape(letter, &mut out),
            },
            CLOSE => escape(letter, &mut out),
            letter if hostile(letter) => escape(letter, &mut out),
            letter => out.push(letter),
        }
    }
    out
}

fn is_style(numbers: &str) -> bool {
    numbers.len() < 24 && numbers.bytes().all(|byte| byte.is_ascii_digit() || byte == b';')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn styles_appear_and_what_stands_in_data_is_seen() {
        let text = styled(Style::new().bold(), "M1\u{1b}[2J\u{202e}");
        assert_eq!(visible(&text, true), "\u{1b}[1mM1\\u{1b}[2J\\u{202e}\u{1b}[0m");
        assert_eq!(visible(&text, false), "M1\\u{1b}[2J\\u{202e}");
        assert_eq!(seen("a\tb\r\nc\u{feff}"), "a\\tb\\r\\nc\\u{feff}");
        assert_eq!(visible("\u{fdd0}x\u{fdd1}", true), "\\u{fdd0}x\\u{fdd1}");
        assert_eq!(visible("Käthe \u{1f33f}\n", true), "Käthe \u{1f33f}\n");
    }

    proptest! {
        #[test]
        fn nothing_that_acts_on_a_terminal_comes_through(text in "[\\x00-\\x9f\u{202a}-\u{202e}\u{fdd0}-\u{fdd2}0-9;\n]{0,40}") {
            let shown = visible(&text, false);
            prop_assert!(!shown.chars().any(|letter| letter != '\n' && hostile(letter)), "{shown:?}");
            let others = visible(&text, true).replace("\u{1b}[", "");
            prop_assert!(!others.contains('\u{1b}'), "{others:?}");
        }
    }
}
