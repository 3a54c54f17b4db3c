//! The texts that a plan is made of: its own, and those of plans that it uses.

use std::ops::Range;

use granum_core::port::without_passwords;

/// Texts one behind the other, each with its name. Places count from the beginning of the first.
#[derive(Debug, Clone, Default)]
pub struct Texts {
    /// All texts.
    pub all: String,
    parts: Vec<(String, Range<usize>)>,
}

impl Texts {
    /// One text alone.
    pub fn of(name: impl Into<String>, text: impl Into<String>) -> Self {
        let mut texts = Self::default();
        texts.add(name.into(), &text.into());
        texts
    }

    /// Adds a text behind the others; gives where it begins.
    pub fn add(&mut self, name: String, text: &str) -> usize {
        if !self.parts.is_empty() {
            self.all.push('\n');
        }
        let start = self.all.len();
        // What is shown of them shows no password; all else stands where it stood.
        self.all.push_str(&without_passwords(text));
        self.parts.push((name, start..self.all.len()));
        start
    }

    /// The names and the texts.
    pub fn parts(&self) -> impl Iterator<Item = (&str, &str)> {
        self.parts.iter().map(|(name, range)| (name.as_str(), &self.all[range.clone()]))
    }

    /// Which of the texts a place is in, and where there. What ends too early is told at the end of
    /// its own text.
    pub fn place(&self, byte: usize) -> (usize, usize) {
        let part = self.parts.iter().rposition(|(_, range)| range.start <= byte).unwrap_or(0);
        let range = self.parts.get(part).map_or(0..0, |(_, range)| range.clone());
        (part, byte.min(range.end).saturating_sub(range.start))
    }

    /// A text by its number.
    pub fn part(&self, at: usize) -> (&str, &str) {
        self.parts().nth(at).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_found_in_the_text_that_they_belong_to() {
        let mut texts = Texts::of("a", "first\ntext");
        let second = texts.add("b".into(), "second");
        let third = texts.add("c".into(), "");
        assert_eq!(&texts.all[second..second + 6], "second");
        assert_eq!(texts.place(0), (0, 0));
        assert_eq!(texts.place(9), (0, 9));
        // What ends too early is told at its own end, not in the next text.
        assert_eq!(texts.place(second - 1), (0, 10));
        assert_eq!(texts.place(second + 3), (1, 3));
        assert_eq!(texts.place(third), (2, 0));
        assert_eq!(texts.place(third + 99), (2, 0));
        assert_eq!(texts.part(1), ("b", "second"));
        assert_eq!(texts.part(7), ("", ""));
        assert_eq!(Texts::default().place(5), (0, 0));
    }
}
