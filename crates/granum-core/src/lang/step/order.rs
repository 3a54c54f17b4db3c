//! `top` and `bottom`.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::expression::format_expression;
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Expr, Percent};
use super::super::token::TokenKind;
use super::StepKind;

/// How many rows of each group stay.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TopCount {
    /// So many.
    Rows(u32),
    /// Such a part of them, rounded up.
    Part(Percent),
}

impl Parser {
    /// `N`, or `N%`
    fn how_many(&mut self) -> Found<TopCount> {
        let span = self.span();
        let some = matches!(*self.peek(), TokenKind::Number { units, .. } if units > 0);
        if some && matches!(self.peek_after(1), TokenKind::Sign("%")) {
            return Ok(TopCount::Part(self.percent()?));
        }
        let Some(count) = self.count_here() else {
            let message = "expected how many rows, a whole number above 0, or a part such as `10%`";
            return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message));
        };
        self.advance();
        Ok(TopCount::Rows(count))
    }

    /// `top N[%] by EXPR [per KEY, …] [with ties]`
    pub(super) fn top(&mut self, bottom: bool) -> Found<StepKind> {
        let count = self.how_many()?;
        self.need_word("by", "`by` and what is largest")?;
        let by = self.expression()?;
        let per = if self.take_word("per") { self.keys()? } else { vec![] };
        let ties = self.take_words("with", "ties");
        Ok(StepKind::Top { bottom, count, by, per, ties })
    }
}

/// `top N[%] by EXPR [per KEY, …] [with ties]`, or the same with `bottom`.
pub(super) fn words(
    (bottom, count): (bool, TopCount),
    by: &Expr,
    per: &[Expr],
    ties: bool,
) -> String {
    let word = if bottom { "bottom" } else { "top" };
    let count = match count {
        TopCount::Rows(count) => count.to_string(),
        TopCount::Part(part) => part.to_string(),
    };
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
