//! A plan's tokens, one after another, and what is noted of them.

use super::super::diagnostic::{Diagnostic, DiagnosticKind, nearest};
use super::super::foreign;
use super::super::lexer::HARD_WORDS;
use super::super::terms::{Name, Quoted};
use super::super::token::{Span, Token, TokenKind};

/// The words that statements begin with.
pub(crate) const STATEMENTS: &[&str] = &[
    "plan", "param", "input", "table", "link", "check", "output", "use", "warn", "example", "chart",
];

pub(crate) const TYPES: &[&str] =
    &["text", "integer", "decimal", "number", "date", "datetime", "boolean"];

/// An error has been noted; whoever can go on does.
pub(in crate::lang) struct Lost;

pub(in crate::lang) type Found<T> = Result<T, Lost>;

pub(in crate::lang) struct Parser {
    pub(in crate::lang) tokens: Vec<Token>,
    pub(in crate::lang) at: usize,
    pub(in crate::lang) depth: usize,
    pub(super) terms: usize,
    pub(super) diagnostics: Vec<Diagnostic>,
}

impl Parser {
    /// The whole number that stands here, if one does that counts something.
    pub(in crate::lang) fn count_here(&self) -> Option<u32> {
        match *self.peek() {
            TokenKind::Number { units, decimal: false, .. } => {
                u32::try_from(units).ok().filter(|count| *count > 0)
            }
            _ => None,
        }
    }

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
