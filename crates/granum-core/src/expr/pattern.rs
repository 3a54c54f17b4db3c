//! Patterns in texts: regular expressions that are written out, tried when a plan is read, and matched in time that
//! grows with the text alone.

use regex::{Regex, RegexBuilder};

/// The most bytes that a pattern may take when it is ready to be matched.
const MOST_BYTES: usize = 4 << 20;

/// A pattern that is ready, and what each match becomes where it is replaced.
#[derive(Debug, Clone)]
pub(crate) struct Pattern {
    pub(super) regex: Regex,
}

/// Why a text is no pattern: what is wrong, and at which letter, counted from 1.
pub(crate) struct NoPattern {
    pub message: String,
    pub letter: Option<usize>,
}

impl Pattern {
    /// A pattern from its text.
    ///
    /// # Errors
    /// What is wrong with it, and where.
    pub fn new(text: &str) -> Result<Self, NoPattern> {
        let place = |message: String, at: usize| NoPattern {
            message,
            letter: Some(text[..at.min(text.len())].chars().count() + 1),
        };
        regex_syntax::Parser::new().parse(text).map_err(|error| match error {
            regex_syntax::Error::Parse(error) => {
                place(error.kind().to_string(), error.span().start.offset)
            }
            regex_syntax::Error::Translate(error) => {
                place(error.kind().to_string(), error.span().start.offset)
            }
            other => NoPattern { message: other.to_string(), letter: None },
        })?;
        let mut builder = RegexBuilder::new(text);
        match builder.size_limit(MOST_BYTES).dfa_size_limit(MOST_BYTES).build() {
            Ok(regex) => Ok(Self { regex }),
            Err(_) => Err(NoPattern { message: "it is too large".into(), letter: None }),
        }
    }

    /// How many groups it has that a replacement may name.
    pub fn groups(&self) -> usize {
        self.regex.captures_len() - 1
    }
}

/// A part of what each match becomes.
pub(super) enum Part<'t> {
    Text(&'t str),
    Group(usize),
}

/// What each match becomes, in its parts: `$1` to `$9` are groups, `$$` is a dollar sign.
///
/// # Errors
/// The letter, counted from 1, of a `$` that is neither.
pub(super) fn parts(text: &str, groups: usize) -> Result<Vec<Part<'_>>, usize> {
    let mut parts = vec![];
    let mut from = 0;
    while let Some(found) = text[from..].find('$') {
        let at = from + found;
        parts.push(Part::Text(&text[from..at]));
        match text[at + 1..].chars().next() {
            Some('$') => parts.push(Part::Text("$")),
            Some(digit @ '1'..='9') if digit as usize - '0' as usize <= groups => {
                parts.push(Part::Group(digit as usize - '0' as usize));
            }
            _ => return Err(text[..at].chars().count() + 1),
        }
        from = at + 2;
    }
    parts.push(Part::Text(&text[from..]));
    Ok(parts)
}

/// The letter, counted from 1, of a `$` in a replacement that names no group of a pattern.
pub(crate) fn wrong_group(by: &str, pattern: &Pattern) -> Option<usize> {
    parts(by, pattern.groups()).err()
}
