//! What the lexer makes of a plan's text.

use crate::value::{Scale, decimal};
use serde::{Deserialize, Serialize};

/// A stretch of a plan's text, in bytes: `start` included, `end` not.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Span {
    /// The first byte.
    pub start: usize,
    /// The byte after the last.
    pub end: usize,
}

impl Span {
    /// The stretch from the start of `self` to the end of `last`.
    #[must_use]
    pub fn to(self, last: Span) -> Span {
        Span { start: self.start, end: last.end.max(self.start) }
    }
}

/// One word or sign of a plan.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Token {
    pub kind: TokenKind,
    pub span: Span,
    /// Whether nothing but white space stands before it on its line: a step may begin here when
    /// the parser has lost its way.
    pub first_on_line: bool,
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) enum TokenKind {
    /// A word as it stands; whether it is a name depends on where it stands.
    Word(String),
    /// A name in backticks: never a keyword.
    Quoted(String),
    Text(String),
    Block(String),
    /// Digits with the places after the point.
    Number {
        units: i128,
        scale: u8,
        decimal: bool,
    },
    Sign(&'static str),
    End,
}

impl TokenKind {
    /// The words for a message: what was found.
    pub fn found(&self) -> String {
        match self {
            TokenKind::Word(word) => format!("`{word}`"),
            TokenKind::Quoted(name) => format!("the name `{name}`"),
            TokenKind::Text(text) => {
                let short: String = text.chars().take(24).collect();
                format!("the text \"{short}\"")
            }
            TokenKind::Block(_) => "a block of text".into(),
            TokenKind::Number { units, scale, .. } => {
                format!("the number {}", decimal::to_text(*units, Scale(*scale)))
            }
            TokenKind::Sign(sign) => format!("`{sign}`"),
            TokenKind::End => "the end of the plan".into(),
        }
    }
}

/// A `#` comment: its text without line end, and whether it has a line of its own.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Comment {
    pub text: String,
    pub span: Span,
    pub own_line: bool,
}
