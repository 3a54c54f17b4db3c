//! Tokens → syntax tree. After an error the parser goes on at the next step or statement, so that
//! all errors of a plan come in one run.

mod expression;
mod statement;

pub(in crate::lang) use statement::STATEMENTS;

use super::ast::{Name, PlanTree, Quoted};
use super::diagnostic::{Diagnostic, DiagnosticKind, nearest};
use super::foreign;
use super::lexer::{HARD_WORDS, lex};
use super::token::{Comment, Span, Token, TokenKind};

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

/// An error has been noted; whoever can go on does.
pub(in crate::lang) struct Lost;

pub(in crate::lang) type Found<T> = Result<T, Lost>;

pub(in crate::lang) struct Parser {
    pub(in crate::lang) tokens: Vec<Token>,
    pub(in crate::lang) at: usize,
    pub(in crate::lang) depth: usize,
    terms: usize,
    diagnostics: Vec<Diagnostic>,
}

impl Parser {
    pub(in crate::lang) fn peek(&self) -> &TokenKind {
        &self.tokens[self.at].kind
    }

    pub(in crate::lang) fn peek_after(&self, ahead: usize) -> &TokenKind {
        &self.tokens[(self.at + ahead).min(self.tokens.len() - 1)].kind
    }

    pub(in crate::lang) fn span(&self) -> Span {
        self.tokens[self.at].span
    }

    pub(in crate::lang) fn last_span(&self) -> Span {
        self.tokens[self.at.saturating_sub(1)].span
    }

    pub(in crate::lang) fn advance(&mut self) {
        if self.at + 1 < self.tokens.len() {
            self.at += 1;
        }
    }

    pub(in crate::lang) fn wrong<T>(&mut self, diagnostic: Diagnostic) -> Found<T> {
        self.diagnostics.push(diagnostic);
        Err(Lost)
    }

    pub(in crate::lang) fn expected<T>(&mut self, what: &str) -> Found<T> {
        let message = format!("expected {what}, found {}", self.peek().found());
        let mut diagnostic = Diagnostic::new(DiagnosticKind::Syntax, self.span(), message);
        if let Some(meant) = self.foreign() {
            diagnostic = diagnostic.help(meant);
        }
        self.wrong(diagnostic)
    }

    /// What is meant by the word that stands here, if it is one of another notation.
    pub(in crate::lang) fn foreign(&self) -> Option<&'static str> {
        let TokenKind::Word(word) = self.peek() else { return None };
        foreign::meant(word)
    }

    pub(in crate::lang) fn not_yet<T>(&mut self, span: Span, what: &str) -> Found<T> {
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::NotYet,
                span,
                format!("{what} is part of the plan language, but this version does not run it"),
            )
            .help("docs/language.md lists what is missing"),
        )
    }

    pub(in crate::lang) fn is_word(&self, word: &str) -> bool {
        matches!(self.peek(), TokenKind::Word(found) if found == word)
    }

    pub(in crate::lang) fn is_sign(&self, sign: &str) -> bool {
        matches!(self.peek(), TokenKind::Sign(found) if *found == sign)
    }

    pub(in crate::lang) fn take_word(&mut self, word: &str) -> bool {
        let found = self.is_word(word);
        if found {
            self.advance();
        }
        found
    }

    pub(in crate::lang) fn take_sign(&mut self, sign: &str) -> bool {
        let found = self.is_sign(sign);
        if found {
            self.advance();
        }
        found
    }

    pub(in crate::lang) fn need_word(&mut self, word: &str, what: &str) -> Found<()> {
        if self.take_word(word) { Ok(()) } else { self.expected(what) }
    }

    pub(in crate::lang) fn need_sign(&mut self, sign: &str, what: &str) -> Found<()> {
        if self.take_sign(sign) { Ok(()) } else { self.expected(what) }
    }

    /// Whether a name stands here: a quoted one, or a word that is not a hard word.
    pub(in crate::lang) fn at_name(&self, ahead: usize) -> bool {
        match self.peek_after(ahead) {
            TokenKind::Quoted(_) => true,
            TokenKind::Word(word) => !HARD_WORDS.contains(&word.as_str()),
            _ => false,
        }
    }

    pub(in crate::lang) fn name(&mut self, what: &str) -> Found<Name> {
        let span = self.span();
        let text = match self.peek() {
            TokenKind::Quoted(name) => name.clone(),
            TokenKind::Word(word) if !HARD_WORDS.contains(&word.as_str()) => word.clone(),
            TokenKind::Word(word) => {
                let help = format!("a column of that name stands in backticks: `{word}`");
                let message =
                    format!("expected {what}, but `{word}` is a word of the plan language");
                return self
                    .wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message).help(help));
            }
            _ => return self.expected(what),
        };
        self.advance();
        Ok(Name { text, span })
    }

    pub(in crate::lang) fn names(&mut self, what: &str) -> Found<Vec<Name>> {
        let mut names = vec![self.name(what)?];
        while self.take_sign(",") {
            names.push(self.name(what)?);
        }
        Ok(names)
    }

    pub(in crate::lang) fn quoted(&mut self, what: &str) -> Found<Quoted> {
        let span = self.span();
        let TokenKind::Text(text) = self.peek() else { return self.expected(what) };
        let text = text.clone();
        self.advance();
        Ok(Quoted { text, span })
    }

    /// Goes on to the next token for which `stop` holds, or to the end.
    pub(in crate::lang) fn skip_until(&mut self, stop: impl Fn(&Self) -> bool) {
        while *self.peek() != TokenKind::End && !stop(self) {
            self.advance();
        }
    }
}

/// The help for a word that stands where one of `known` was expected.
pub(in crate::lang) fn did_you_mean(token: &TokenKind, known: &[&str]) -> Option<String> {
    let TokenKind::Word(word) = token else { return None };
    nearest(word, known.iter().copied()).map(|near| format!("did you mean `{near}`?"))
}
