//! Places in a text as editors count them: lines, and within one the units of UTF-16, or bytes where both sides agree.

use granum_core::lang::Span;
use lsp_types::{Position, Range};

/// A text, and where its lines begin.
pub(super) struct Lines<'t> {
    text: &'t str,
    starts: Vec<usize>,
}

impl<'t> Lines<'t> {
    pub fn of(text: &'t str) -> Self {
        let ends = text.match_indices('\n').map(|(end, _)| end + 1);
        Self { text, starts: std::iter::once(0).chain(ends).collect() }
    }
}

/// How columns are counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Counting {
    Bytes,
    Utf16,
}

impl Counting {
    fn length(self, text: &str) -> u32 {
        match self {
            Self::Bytes => text.len() as u32,
            Self::Utf16 => text.encode_utf16().count() as u32,
        }
    }

    /// Where a byte of a text stands. What is behind the text stands at its end.
    pub fn position(self, lines: &Lines<'_>, byte: usize) -> Position {
        let text = lines.text;
        let mut byte = byte.min(text.len());
        while !text.is_char_boundary(byte) {
            byte -= 1;
        }
        let line = lines.starts.partition_point(|start| *start <= byte).max(1) - 1;
        let start = lines.starts.get(line).copied().unwrap_or(0);
        Position { line: line as u32, character: self.length(&text[start..byte]) }
    }

    pub fn range(self, lines: &Lines<'_>, span: Span) -> Range {
        Range { start: self.position(lines, span.start), end: self.position(lines, span.end) }
    }

    /// The byte at a place. What is behind a line stands at its end.
    pub fn byte(self, text: &str, position: Position) -> usize {
        let mut start = 0;
        for _ in 0..position.line {
            match text[start..].find('\n') {
                Some(end) => start += end + 1,
                None => return text.len(),
            }
        }
        let line = text[start..].split('\n').next().unwrap_or_default();
        let line = line.strip_suffix('\r').unwrap_or(line);
        let mut seen = 0;
        for (at, letter) in line.char_indices() {
            if seen >= position.character {
                return start + at;
            }
            seen += match self {
                Self::Bytes => letter.len_utf8() as u32,
                Self::Utf16 => letter.len_utf16() as u32,
            };
        }
        start + line.len()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_place_is_found_again(text in "[a\u{e9}\u{1f33f}\r\n ]{0,30}", at in 0..40_usize) {
            let mut at = at.min(text.len());
            while !text.is_char_boundary(at) || text[..at].ends_with('\r') {
                at -= 1;
            }
            for counting in [Counting::Bytes, Counting::Utf16] {
                prop_assert_eq!(counting.byte(&text, counting.position(&Lines::of(&text), at)), at);
            }
        }
    }

    #[test]
    fn what_is_behind_a_text_stands_at_its_end() {
        let far = Position { line: 9, character: 9 };
        assert_eq!(Counting::Utf16.byte("a\nb", far), 3);
        assert_eq!(Counting::Utf16.byte("a\nb", Position { line: 0, character: 9 }), 1);
        assert_eq!(
            Counting::Utf16.position(&Lines::of("\u{1f33f}b"), 4),
            Position { line: 0, character: 2 }
        );
        assert_eq!(
            Counting::Bytes.position(&Lines::of("\u{1f33f}b"), 99),
            Position { line: 0, character: 5 }
        );
    }
}
