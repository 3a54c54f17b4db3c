//! `expand`.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::expression::format_expression;
use super::super::format::layout::name;
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Expr, Name};
use super::super::token::TokenKind;
use super::units::{SplitTree, split_words};
use super::{AssignTree, StepKind};

/// `expand LINK.BACK [split COLUMN, … by WEIGHT] [multiply COLUMN by FACTOR, …]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ExpandTree {
    /// Names of links: forward, and the last of them back to the rows that lead there.
    pub path: Vec<Name>,
    /// The amounts that are divided over them.
    pub split: Vec<SplitTree>,
    /// In proportion to what; nothing for equal parts.
    pub weight: Option<Expr>,
    /// Whether parts are equal where all weights are zero.
    pub else_equally: bool,
    /// Columns, each with what it is multiplied by.
    pub multiply: Vec<AssignTree>,
}

impl Parser {
    pub(super) fn expand(&mut self) -> Found<StepKind> {
        let mut path = vec![self.name("the links to the rows that each row becomes")?];
        while self.take_sign(".") {
            path.push(self.name("the next link")?);
        }
        let (mut split, mut weight, mut else_equally) = (vec![], None, false);
        if self.is_word("split") && self.at_name(1) {
            self.advance();
            split.push(self.split()?);
            while self.take_sign(",") {
                split.push(self.split()?);
            }
            (weight, else_equally) = self.weight()?;
        }
        let mut multiply = vec![];
        if self.is_word("multiply") && self.at_name(1) {
            self.advance();
            loop {
                multiply.push(self.multiplied()?);
                if !self.is_sign(",") {
                    break;
                }
                self.advance();
            }
            if self.is_word("split") && matches!(self.peek_after(1), TokenKind::Word(_)) {
                let message = "`split` stands before `multiply`";
                return self
                    .wrong(Diagnostic::new(DiagnosticKind::Syntax, self.span(), message).help(
                    "as in  expand articles.parts split net by value multiply quantity by pieces",
                ));
            }
        }
        Ok(StepKind::Expand(ExpandTree { path, split, weight, else_equally, multiply }))
    }

    fn multiplied(&mut self) -> Found<AssignTree> {
        let name = self.name("a column to multiply")?;
        self.need_word("by", "`by` and how many of it one row becomes")?;
        Ok(AssignTree { name, value: self.expression()? })
    }
}

/// The step as it is written.
pub(super) fn words(tree: &ExpandTree) -> String {
    let path: Vec<String> = tree.path.iter().map(name).collect();
    let mut line = format!("expand {}", path.join("."));
    if !tree.split.is_empty() {
        line.push_str(&format!(" split {}", split_words(&tree.split)));
        match &tree.weight {
            Some(weight) => line.push_str(&format!(" by {}", format_expression(weight))),
            None => line.push_str(" equally"),
        }
        if tree.else_equally {
            line.push_str(" else equally");
        }
    }
    let multiply = tree
        .multiply
        .iter()
        .map(|item| format!("{} by {}", name(&item.name), format_expression(&item.value)));
    let multiply: Vec<String> = multiply.collect();
    if !multiply.is_empty() {
        line.push_str(&format!(" multiply {}", multiply.join(", ")));
    }
    line
}
