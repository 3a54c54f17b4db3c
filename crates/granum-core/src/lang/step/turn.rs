//! `turn`: columns, or the parts of a cell, become rows.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::layout::{name, quoted};
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Name, Quoted};
use super::super::token::TokenKind;
use super::StepKind;

/// `turn WHAT into rows NAME[, VALUE] [keeping blanks]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TurnTree {
    /// What becomes rows.
    pub what: TurnedTree,
    /// What says which of them a row is: the column that it was, or the part itself.
    pub name: Name,
    /// What holds the column's value.
    pub value: Option<Name>,
    /// Whether blanks become rows as well.
    pub keeping_blanks: bool,
}

/// What becomes rows.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TurnedTree {
    /// `COLUMN, …`
    Columns(Vec<Name>),
    /// `columns COLUMN through COLUMN`, as they stand in the table.
    Range(Name, Name),
    /// `COLUMN split by "SIGN"`
    Parts(Name, Quoted),
}

impl Parser {
    /// `COLUMN, … into rows NAME, VALUE`, `columns A through B into rows …`, `COLUMN split by ";" into rows NAME`
    pub(super) fn turn(&mut self) -> Found<StepKind> {
        let through =
            |token: &TokenKind| matches!(token, TokenKind::Word(word) if word == "through");
        let what = if self.is_word("columns") && through(self.peek_after(2)) {
            self.advance();
            let first = self.name("the first column")?;
            self.advance();
            TurnedTree::Range(first, self.name("the last column")?)
        } else {
            let first = self.name("a column that becomes rows")?;
            if self.take_words("split", "by") {
                let span = self.span();
                let sign = self.quoted("what stands between the parts, in quotes")?;
                if sign.text.trim().is_empty() && sign.text != " " {
                    let message = "something stands between the parts";
                    return self.wrong(
                        Diagnostic::new(DiagnosticKind::Syntax, span, message)
                            .help("as in  turn tags split by \";\" into rows tag"),
                    );
                }
                TurnedTree::Parts(first, sign)
            } else {
                let mut columns = vec![first];
                while self.take_sign(",") {
                    columns.push(self.name("another column")?);
                }
                TurnedTree::Columns(columns)
            }
        };
        self.need_word("into", "`into rows` and what the rows have")?;
        self.need_word("rows", "`into rows`: `rows`")?;
        let parts = matches!(what, TurnedTree::Parts(..));
        let called = if parts { "a name for the part" } else { "a name for what the column was" };
        let name = self.name(called)?;
        let value = if parts {
            None
        } else {
            self.need_sign(",", "`,` and a name for the values")?;
            Some(self.name("a name for the values")?)
        };
        let keeping_blanks = self.take_words("keeping", "blanks");
        Ok(StepKind::Turn(TurnTree { what, name, value, keeping_blanks }))
    }
}

/// The step as it is written.
pub(super) fn words(turn: &TurnTree) -> String {
    let what = match &turn.what {
        TurnedTree::Columns(columns) => columns.iter().map(name).collect::<Vec<_>>().join(", "),
        TurnedTree::Range(first, last) => format!("columns {} through {}", name(first), name(last)),
        TurnedTree::Parts(column, sign) => {
            format!("{} split by {}", name(column), quoted(&sign.text))
        }
    };
    let mut line = format!("turn {what} into rows {}", name(&turn.name));
    if let Some(value) = &turn.value {
        line.push_str(&format!(", {}", name(value)));
    }
    if turn.keeping_blanks {
        line.push_str(" keeping blanks");
    }
    line
}
