//! `add` and `change`.

use serde::{Deserialize, Serialize};

use super::super::format::expression::format_expression;
use super::super::format::layout::{Layout, name, pad, width};
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Expr, Name};
use super::super::token::Span;

/// `NAME = EXPR`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AssignTree {
    /// The column.
    pub name: Name,
    /// Its values.
    pub value: Expr,
}

impl Parser {
    pub(in crate::lang) fn assignment(&mut self) -> Found<AssignTree> {
        let name = self.name("a column's name")?;
        self.need_sign("=", "`=` and the column's value")?;
        let value = self.expression()?;
        Ok(AssignTree { name, value })
    }
}

/// `NAME = EXPR`, with the sign where the longest name of all leaves it.
pub(super) fn assignment_line(item: &AssignTree, most: usize) -> String {
    format!("{} = {}", pad(&name(&item.name), most), format_expression(&item.value))
}

impl Layout<'_> {
    pub(super) fn assignments(
        &mut self,
        span: Span,
        word: &str,
        indent: usize,
        items: &[AssignTree],
    ) {
        let most = items.iter().map(|item| width(&name(&item.name))).max().unwrap_or(0);
        let lines = items
            .iter()
            .map(|item| (item.name.span.to(item.value.span), assignment_line(item, most)));
        self.hanging(span, word, indent, lines.collect());
    }
}
