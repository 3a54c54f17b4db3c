//! `top` and `bottom`.

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::expression::format_expression;
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::Expr;
use super::super::token::TokenKind;
use super::StepKind;

impl Parser {
    /// `top N by EXPR [per KEY, …] [with ties]`
    pub(super) fn top(&mut self, bottom: bool) -> Found<StepKind> {
        let span = self.span();
        let count = match *self.peek() {
            TokenKind::Number { units, decimal: false, .. } => u32::try_from(units).ok(),
            _ => None,
        };
        let Some(count) = count.filter(|count| *count > 0) else {
            let message = "expected how many rows, a whole number above 0";
            return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message));
        };
        self.advance();
        self.need_word("by", "`by` and what is largest")?;
        let by = self.expression()?;
        let per = if self.take_word("per") { self.keys()? } else { vec![] };
        let ties = self.take_words("with", "ties");
        Ok(StepKind::Top { bottom, count, by, per, ties })
    }
}

/// `top N by EXPR [per KEY, …] [with ties]`, or the same with `bottom`.
pub(super) fn words((bottom, count): (bool, u32), by: &Expr, per: &[Expr], ties: bool) -> String {
    let word = if bottom { "bottom" } else { "top" };
    let mut line = format!("{word} {count} by {}", format_expression(by));
    if !per.is_empty() {
        let per: Vec<String> = per.iter().map(format_expression).collect();
        line.push_str(&format!(" per {}", per.join(", ")));
    }
    if ties {
        line.push_str(" with ties");
    }
    line
}
