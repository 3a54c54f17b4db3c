//! Letters that nobody sees.

/// Whether a letter is one that nobody sees: spaces of no width, marks of a text's direction, hard spaces.
pub(crate) fn is_unseen(letter: char) -> bool {
    letter.is_control()
        || matches!(letter, '\u{a0}' | '\u{ad}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}' | '\u{feff}' | '\u{fffd}')
}
