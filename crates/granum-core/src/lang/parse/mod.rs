//! Tokens → syntax tree. After an error the parser goes on at the next step or statement, so that
//! all errors of a plan come in one run.

pub(in crate::lang) mod cursor;
mod expression;
mod statement;

use super::ast::PlanTree;
use super::diagnostic::Diagnostic;
use super::lexer::lex;
use super::token::Comment;
use cursor::Parser;

/// What came of a plan's text.
#[derive(Debug)]
pub struct Parsed {
    /// The tree, without what could not be understood.
    pub tree: PlanTree,
    /// What was wrong, in the order of the text. Empty if the tree is whole.
    pub diagnostics: Vec<Diagnostic>,
    pub(crate) comments: Vec<Comment>,
}

/// Parses a plan. Every error is in [`Parsed::diagnostics`]; the tree holds the rest.
///
/// ```
/// let parsed = granum_core::lang::parse("input lines from \"lines.csv\"\n  keep quantity > 0\n");
/// assert!(parsed.diagnostics.is_empty());
/// let parsed = granum_core::lang::parse("input lines form \"lines.csv\"");
/// assert_eq!(parsed.diagnostics[0].message, "expected `from` and a file, found `form`");
/// ```
pub fn parse(text: &str) -> Parsed {
    parse_from(text, 0)
}

/// Parses what stands in a text from byte `start` on, which is the beginning of a letter. Places
/// count from the beginning of the text: so several plans can stand in one, each parsed alone.
pub fn parse_from(text: &str, start: usize) -> Parsed {
    let lexed = lex(text, start);
    let mut parser =
        Parser { tokens: lexed.tokens, at: 0, depth: 0, terms: 0, diagnostics: lexed.diagnostics };
    let statements = parser.statements();
    let mut diagnostics = parser.diagnostics;
    diagnostics.sort_by_key(|diagnostic| diagnostic.span.start);
    Parsed { tree: PlanTree { statements }, diagnostics, comments: lexed.comments }
}
