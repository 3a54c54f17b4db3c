//! `one row per` and `one row in all`.

use serde::{Deserialize, Serialize};

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::format::expression::format_expression;
use super::super::format::layout::{Layout, name, quoted, width};
use super::super::parse::cursor::{Found, Parser};
use super::super::terms::{Expr, Name, Quoted};
use super::super::token::{Span, TokenKind};
use super::StepKind;
use super::assign::{AssignTree, assignment_line};

/// `KEY [as NAME]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct KeyTree {
    /// What the rows of a group have in common.
    pub value: Expr,
    /// What it is called.
    pub name: Option<Name>,
}

impl Parser {
    /// `one row per KEY [as NAME], … [total row "TEXT"] NAME = AGGREGATE …`
    pub(super) fn one_row(&mut self) -> Found<StepKind> {
        self.need_word("row", "`row`, as in  one row per KEY")?;
        let mut keys = vec![];
        if self.take_word("in") {
            self.need_word("all", "`all`: one row in all")?;
        } else {
            self.need_word("per", "`per` and a key, or `in all`")?;
            loop {
                let value = self.key()?;
                let name =
                    if self.take_word("as") { Some(self.name("the key's name")?) } else { None };
                if self.is_sign("=") {
                    let diagnostic = Diagnostic::new(
                        DiagnosticKind::Syntax,
                        value.span,
                        "this is a result, and stands among the keys",
                    );
                    return self.wrong(diagnostic.help(
                        "no comma before the first result; a key is named behind it:  KEY as NAME",
                    ));
                }
                keys.push(KeyTree { value, name });
                if !self.take_sign(",") {
                    break;
                }
            }
        }
        let mut total = None;
        if self.take_words("total", "row") {
            total = Some(self.quoted("what stands in the keys of the total row, in quotes")?);
        }
        let named = self.at_name(0) && matches!(self.peek_after(1), TokenKind::Sign("="));
        let items = if named { self.items(&["="], Self::assignment)? } else { vec![] };
        Ok(StepKind::OneRow { keys, total, items })
    }
}

/// `one row per …` without what is worked of each group.
pub(crate) fn one_row(keys: &[KeyTree], total: Option<&Quoted>) -> String {
    let mut line = if keys.is_empty() { "one row in all".to_owned() } else { String::new() };
    for (at, key) in keys.iter().enumerate() {
        line.push_str(if at == 0 { "one row per " } else { ", " });
        line.push_str(&format_expression(&key.value));
        if let Some(new) = &key.name {
            line.push_str(&format!(" as {}", name(new)));
        }
    }
    if let Some(total) = total {
        line.push_str(&format!(" total row {}", quoted(&total.text)));
    }
    line
}

impl Layout<'_> {
    pub(super) fn one_row(
        &mut self,
        span: Span,
        indent: usize,
        keys: &[KeyTree],
        total: Option<&Quoted>,
        items: &[AssignTree],
    ) {
        let first = items.first().map_or(span.end, |item| item.name.span.start);
        self.line(Span { start: span.start, end: first }, indent, &one_row(keys, total));
        let most = items.iter().map(|item| width(&name(&item.name))).max().unwrap_or(0);
        for item in items {
            let text = assignment_line(item, most);
            self.line(item.name.span.to(item.value.span), indent + 2, &text);
        }
    }
}
