//! `units`.

use super::super::ast::{Expr, Name};
use super::super::format::{format_expression, name};
use super::super::parse::{Found, Parser};
use super::super::token::TokenKind;
use super::StepKind;

impl Parser {
    pub(super) fn units(&mut self) -> Found<StepKind> {
        self.need_word("of", "`of` and the quantity")?;
        let of = self.expression()?;
        self.need_word("as", "`as` and a name for the unit's number")?;
        let name = self.name("a name for the unit's number")?;
        let mut split = vec![];
        if self.is_word("split") && self.at_name(1) {
            self.advance();
            split = self.names("an amount to split")?;
        }
        let span = self.span();
        if let TokenKind::Word(word) = self.peek().clone()
            && ["dropping", "keeping", "to", "up"].contains(&word.as_str())
        {
            return self.not_yet(span, &format!("`{word}` after `units`"));
        }
        Ok(StepKind::Units { of, name, split })
    }
}

/// `units of EXPR as NAME [split COLUMN, …]`
pub(super) fn words(of: &Expr, unit: &Name, split: &[Name]) -> String {
    let mut line = format!("units of {} as {}", format_expression(of), name(unit));
    if !split.is_empty() {
        line.push_str(" split ");
        line.push_str(&split.iter().map(name).collect::<Vec<_>>().join(", "));
    }
    line
}
