//! What stands where in a plan's text, for whoever shows it in colours.

use super::lexer::{HARD_WORDS, lex};
use super::step::STEPS;
use super::token::TokenKind;

/// What a piece of a plan's text is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PieceKind {
    /// Names, signs and white space.
    Plain,
    /// A comment.
    Comment,
    /// A word of the language: one that cannot be a name, or one that a step begins with.
    Word,
    /// A text, or a block of text.
    Text,
    /// A number.
    Number,
}

/// A plan's text in pieces, in their order: they make up all of it.
///
/// ```
/// use granum_core::lang::{PieceKind, pieces};
/// let found = pieces("table a from b # all");
/// assert_eq!(found[0], (PieceKind::Word, "table"));
/// assert_eq!(found.last(), Some(&(PieceKind::Comment, "# all")));
/// ```
pub fn pieces(text: &str) -> Vec<(PieceKind, &str)> {
    let lexed = lex(text, 0);
    let kind = |token: &super::token::Token| match &token.kind {
        TokenKind::Word(word) => {
            let step = token.first_on_line && STEPS.contains(&word.as_str());
            (step || HARD_WORDS.contains(&word.as_str())).then_some(PieceKind::Word)
        }
        TokenKind::Text(_) | TokenKind::Block(_) => Some(PieceKind::Text),
        TokenKind::Number { .. } => Some(PieceKind::Number),
        TokenKind::Quoted(_) | TokenKind::Sign(_) | TokenKind::End => None,
    };
    let tokens = lexed.tokens.iter().filter_map(|token| Some((kind(token)?, token.span)));
    let comments = lexed.comments.iter().map(|comment| (PieceKind::Comment, comment.span));
    let mut spans: Vec<_> = tokens.chain(comments).collect();
    spans.sort_by_key(|(_, span)| span.start);
    let (mut found, mut at) = (vec![], 0);
    for (kind, span) in spans {
        if span.start > at {
            found.push((PieceKind::Plain, &text[at..span.start]));
        }
        found.push((kind, &text[span.start..span.end]));
        at = span.end;
    }
    if at < text.len() {
        found.push((PieceKind::Plain, &text[at..]));
    }
    found
}
